"""The call sheet over HTTP: wanted motions, tables of them, and the clips that could be taken."""

from typing import Any

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import File, Router, Status, UploadedFile

from armuto.call_sheet import decoded, write_rows
from armuto.errors import BadInput
from studio.callsheet import queries, services, tasks
from studio.callsheet.models import WantedMotion
from studio.callsheet.schemas import (
    CallSheetOut,
    CandidateOut,
    TableIn,
    WantedChange,
    WantedIn,
    WantedMade,
    WantedRestoring,
    WantedStep,
)
from studio.platform.fields import Id
from studio.platform.optimistic import base_version
from studio.platform.uploads import received

router = Router(tags=["call sheet"])


@router.get("", response=CallSheetOut, operation_id="get_call_sheet")
def get_call_sheet(request: HttpRequest) -> dict[str, Any]:
    """All wanted motions, with what there is of each for its characters."""
    rows, unmeasured = queries.overview(queries.wanted_motions())
    return {"rows": rows, "unmeasured": unmeasured}


@router.post("", response={201: WantedMade}, operation_id="want_motions")
def post_rows(request: HttpRequest, payload: WantedIn) -> Status[Any]:
    """Write rows at the end of the sheet."""
    return _made(services.create([row.dict() for row in payload.rows]))


@router.post("table", response={201: WantedMade}, operation_id="paste_call_sheet")
def post_table(request: HttpRequest, payload: TableIn) -> Status[Any]:
    """Add the rows of a table as it is copied from a spreadsheet: cells parted by tabs, commas or semicolons."""
    return _made(*services.read_table(payload.text, "What was pasted"))


@router.post("file", response={201: WantedMade}, operation_id="import_call_sheet")
def post_file(request: HttpRequest, file: File[UploadedFile]) -> Status[Any]:
    """Add the rows of a CSV file."""
    name, data = received(file, settings.LARGEST_TEXT)
    return _made(*services.read_table(decoded(data, name), name))


@router.get("file", response={200: None}, operation_id="export_call_sheet")
def get_file(request: HttpRequest) -> HttpResponse:
    """The sheet as a CSV file."""
    text = write_rows(row.value() for row in queries.wanted_motions())
    response = HttpResponse(text.encode(), content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = 'attachment; filename="call sheet.csv"'
    return response


@router.post("measure", response={202: None}, operation_id="measure_features")
def post_measure(request: HttpRequest) -> Status[Any]:
    """Have the worker measure the motion of clips that it has not measured yet, and put characters who have come into
    the cast in the place of their names."""
    services.resolve(WantedMotion.objects.all())
    tasks.take_up()
    return Status(202, None)


@router.post("restore", response=list[WantedStep], operation_id="restore_wanted")
def post_restore(request: HttpRequest, payload: WantedRestoring) -> Any:
    """Take back, or make again, what was written, changed or taken away; answers with the steps that do the opposite.
    409 where it has been changed otherwise since."""
    return services.restore([step.dict() for step in payload.steps])


@router.get("{wanted_id}/candidates", response=list[CandidateOut], operation_id="list_candidates")
def get_candidates(request: HttpRequest, wanted_id: Id) -> Any:
    """Clips of the library that could be taken for a wanted motion, the best first, and why."""
    return queries.candidates(get_object_or_404(WantedMotion, pk=wanted_id))


@router.patch("{wanted_id}", response=WantedStep, operation_id="change_wanted")
def patch_row(request: HttpRequest, wanted_id: Id, payload: WantedChange) -> Any:
    """Change what is given of a row; answers with the step. 409 where others have changed the same since the version
    of ``If-Match``."""
    get_object_or_404(WantedMotion, pk=wanted_id)
    fields = payload.dict(exclude_unset=True)
    empty = [name for name, value in fields.items() if value is None and name != "due"]
    if empty:
        raise BadInput(f"{empty[0]}: it cannot be nothing; leave it out where it is to stay.")
    return services.change(wanted_id, fields, base_version(request))


@router.delete("{wanted_id}", response=WantedStep, operation_id="remove_wanted")
def delete_row(request: HttpRequest, wanted_id: Id) -> Any:
    """Take a row away; answers with the step."""
    get_object_or_404(WantedMotion, pk=wanted_id)
    return services.remove(wanted_id, base_version(request))


def _made(rows: list[WantedMotion], problems: list[str] | None = None) -> Status[Any]:
    steps = [{"id": row.pk, "was": None, "now": services.fields_of(row)} for row in rows]
    return Status(201, {"steps": steps, "problems": problems or []})
