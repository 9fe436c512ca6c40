"""Reading and accepting in the worker, one file a task, so that one bad file never stops the rest."""

from django_tasks import task

from armuto.errors import BadInput
from studio.intake.accepting import accept
from studio.intake.laying_out import lay_out, unpack
from studio.intake.models import IntakeFile

State = IntakeFile.State


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
            for one in unpack(row, data):
                read_file.enqueue(one.pk)
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

    def __exit__(self, kind, problem, trace) -> bool:
        if problem is None:
            return False
        sentence = (
            str(problem) if isinstance(problem, BadInput) else f"{self.row.path}: reading it failed; nothing was kept."
        )
        IntakeFile.objects.filter(pk=self.pk).update(state=State.REFUSED, sentence=sentence)
        return isinstance(problem, BadInput)
