"""Reading and accepting in the worker, one file a task, so that one bad file never stops the rest."""

from typing import Any

from django.conf import settings
from django.db import OperationalError
from django_tasks import task

from armuto.errors import BadInput
from armuto.formats import is_archive
from studio.ingest.models import Arrival, IntakeFile
from studio.ingest.services import museum
from studio.ingest.services.acceptance import accept
from studio.ingest.services.reading import take_in
from studio.ingest.services.staging import lay_out, measure, unpack
from studio.ingest.services.together import complete
from studio.ingest.signals import file_laid_out, museum_brought_in
from studio.platform import leases

State = IntakeFile.State
FAILED = "reading it failed; nothing was kept."
SET_ASIDE = (
    f"{leases.ATTEMPTS} workers ended in the middle of it, so it was set aside; export it anew, and look at the log."
)


@task()
def read_arrival(arrival_id: int) -> None:
    """Read one arrival. Whatever happens, its bytes are dropped and the row says what became of it."""
    waiting = Arrival.objects.filter(pk=arrival_id, state=Arrival.State.WAITING)
    if not leases.take(waiting, state=Arrival.State.READING):
        return  # taken back before its turn came
    arrival = Arrival.objects.select_related("content").get(pk=arrival_id)
    outcome: dict[str, object]

    def reached(done: int, total: int) -> bool:
        """Record how far it is; False once the arrival has been taken back."""
        return bool(Arrival.objects.filter(pk=arrival_id).update(done=done, total=total))

    try:
        found = take_in(arrival.required_content().data, arrival.name, arrival.goes_to, reached)
        outcome = {"state": Arrival.State.ACCEPTED, "clips": found.clips, "characters": found.characters}
        outcome["refused"] = found.refused
        if arrival.name == museum.NAME:
            museum_brought_in.send(Arrival)
    except BadInput as problem:
        outcome = {"state": Arrival.State.REFUSED, "sentence": str(problem)}
    except OperationalError:
        raise  # nothing can be written now, this neither; it is given back when the worker is gone
    except Exception:
        _end(arrival_id, {"state": Arrival.State.REFUSED, "sentence": f"{arrival.name}: {FAILED}"})
        raise
    _end(arrival_id, outcome)


def _end(arrival_id: int, outcome: dict[str, object]) -> None:
    Arrival.objects.filter(pk=arrival_id).update(content=None, **outcome, **leases.RELEASED)


@task()
def read_file(file_id: int) -> None:
    """Read one file of the intake; an archive is taken apart first."""
    if not leases.take(IntakeFile.objects.filter(pk=file_id, state=State.WAITING), state=State.READING):
        return  # dismissed before its turn came
    row = IntakeFile.objects.select_related("content").get(pk=file_id)
    with _refusing(row):
        data = row.required_content().data
        if is_archive(data, row.path) and not row.path.lower().endswith((".gltf", ".dae")):
            for pk in unpack(row, data):
                read_file.enqueue(pk)
        else:
            apart = lay_out(row)
            for pk in apart:
                read_file.enqueue(pk)
            if not apart:
                propose_refining.enqueue(file_id)
                file = IntakeFile.objects.filter(pk=file_id, state=State.READY).first()
                if file is not None:
                    file_laid_out.send(IntakeFile, file=file)


@task(priority=settings.LOW_PRIORITY)
def propose_refining(file_id: int) -> None:
    """Say what the clips of a file could be refined by, once nothing that people wait for is queued."""
    row = IntakeFile.objects.filter(pk=file_id, state=State.READY, kind=IntakeFile.Kind.MOTION)
    file = row.select_related("content").first()
    if file is None:
        return  # decided on before its turn came
    try:
        if not measure(file):
            propose_refining.enqueue(file_id)
    except OperationalError:
        raise
    except Exception:
        # Nothing is proposed of what cannot be measured; the clips can be taken in all the same.
        file.rows.filter(proposals__isnull=True).update(proposals=[])
        raise


@task()
def accept_file(file_id: int) -> None:
    """Take one file in. What fails stays in the intake with its sentence."""
    if not leases.take(IntakeFile.objects.filter(pk=file_id, state=State.ACCEPTING, worker="")):
        return  # stopped before its turn came
    with _refusing(IntakeFile.objects.get(pk=file_id)):
        accept(file_id)


class _refusing:  # noqa: N801
    """Sets a file down as refused when it cannot be used, and lets what is our own fault through as well."""

    def __init__(self, row: IntakeFile) -> None:
        self.row = row

    def __enter__(self) -> None:
        pass

    def __exit__(self, kind: Any, problem: Any, trace: Any) -> bool:
        if problem is None or isinstance(problem, OperationalError):
            return False  # where nothing can be written, it is given back when the worker is gone
        sentence = str(problem) if isinstance(problem, BadInput) else f"{self.row.path}: {FAILED}"
        IntakeFile.objects.filter(pk=self.row.pk).update(state=State.REFUSED, sentence=sentence, **leases.RELEASED)
        return isinstance(problem, BadInput)


def take_up(everything: bool = False) -> None:
    """Let what waits begin again whose workers are gone, or all that was begun where nobody works; set aside what was
    begun too often; queue all that waits. What is queued twice is done once."""
    for lost in leases.lost(Arrival.objects.filter(state=Arrival.State.READING), everything):
        if lost.attempts >= leases.ATTEMPTS:
            _end(lost.pk, {"state": Arrival.State.REFUSED, "sentence": f"{lost.name}: {SET_ASIDE}"})
        else:
            Arrival.objects.filter(pk=lost.pk).update(state=Arrival.State.WAITING, worker="")
    begun = IntakeFile.objects.filter(state__in=[State.READING, State.ACCEPTING])
    for file in leases.lost(begun, everything):
        row = IntakeFile.objects.filter(pk=file.pk)
        if file.attempts >= leases.ATTEMPTS:
            row.update(state=State.REFUSED, sentence=f"{file.path}: {SET_ASIDE}", **leases.RELEASED)
        else:
            row.update(state=State.WAITING if file.state == State.READING else State.ACCEPTING, worker="")
    complete()
    for task_of, rows in (
        (read_arrival, Arrival.objects.filter(state=Arrival.State.WAITING)),
        (read_file, IntakeFile.objects.filter(state=State.WAITING)),
        (accept_file, IntakeFile.objects.filter(state=State.ACCEPTING, worker="")),
        (propose_refining, IntakeFile.objects.filter(state=State.READY, rows__proposals__isnull=True).distinct()),
    ):
        for pk in rows.values_list("pk", flat=True):
            task_of.enqueue(pk)
