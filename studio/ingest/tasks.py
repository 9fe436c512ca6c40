"""Reading and accepting in the worker, one file a task, so that one bad file never stops the rest."""

from typing import Any

from django_tasks import task

from armuto.errors import BadInput
from studio.ingest.models import Arrival, ArrivalContent, IntakeFile
from studio.ingest.services.acceptance import accept
from studio.ingest.services.reading import take_in
from studio.ingest.services.staging import lay_out, unpack

State = IntakeFile.State


@task()
def read_arrival(arrival_id: int) -> None:
    """Read one arrival. Whatever happens, its bytes are dropped and the row says what became of it."""
    arrival = Arrival.objects.filter(pk=arrival_id, state=Arrival.State.WAITING).select_related("content").first()
    if arrival is None:
        return  # taken back before its turn came
    Arrival.objects.filter(pk=arrival_id).update(state=Arrival.State.READING)
    outcome: dict[str, object]

    def reached(done: int, total: int) -> bool:
        """Record how far it is; False once the arrival has been taken back."""
        return bool(Arrival.objects.filter(pk=arrival_id).update(done=done, total=total))

    try:
        found = take_in(bytes(arrival.content.data), arrival.name, arrival.goes_to, reached)
        outcome = {"state": Arrival.State.ACCEPTED, "clips": found.clips, "characters": found.characters}
        outcome["refused"] = found.refused
    except BadInput as problem:
        outcome = {"state": Arrival.State.REFUSED, "sentence": str(problem)}
    except Exception:
        outcome = {"state": Arrival.State.REFUSED, "sentence": f"{arrival.name}: reading it failed; nothing was kept."}
        raise
    finally:
        ArrivalContent.objects.filter(arrival_id=arrival_id).delete()
        Arrival.objects.filter(pk=arrival_id).update(**outcome)


@task()
def read_file(file_id: int) -> None:
    """Read one file of the intake; an archive is taken apart first."""
    row = IntakeFile.objects.filter(pk=file_id, state=State.WAITING).select_related("content").first()
    if row is None:
        return  # dismissed before its turn came
    IntakeFile.objects.filter(pk=file_id).update(state=State.READING)
    with _refusing(row):
        data = bytes(row.content.data)
        if data[:4] == b"PK\x03\x04" and not row.path.lower().endswith((".usdz", ".gltf", ".dae")):
            for file in unpack(row, data):
                read_file.enqueue(file.pk)
        else:
            lay_out(row)


@task()
def accept_file(file_id: int) -> None:
    """Take one file in. What fails stays in the intake with its sentence."""
    row = IntakeFile.objects.filter(pk=file_id).first()
    if row is None:
        return
    with _refusing(row):
        accept(file_id)


class _refusing:  # noqa: N801
    """Sets a file down as refused when it cannot be used, and lets what is our own fault through as well."""

    def __init__(self, row: IntakeFile) -> None:
        self.row = row
        self.pk = row.pk

    def __enter__(self) -> None:
        pass

    def __exit__(self, kind: Any, problem: Any, trace: Any) -> bool:
        if problem is None:
            return False
        sentence = (
            str(problem) if isinstance(problem, BadInput) else f"{self.row.path}: reading it failed; nothing was kept."
        )
        IntakeFile.objects.filter(pk=self.pk).update(state=State.REFUSED, sentence=sentence)
        return isinstance(problem, BadInput)
