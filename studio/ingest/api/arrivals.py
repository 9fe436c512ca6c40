"""Uploads over HTTP. Small files are read at once; large ones by the worker, and the arrival is asked how far it is."""

from typing import Any, Literal

from django.conf import settings
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import File, Form, Router, Status
from ninja.files import UploadedFile

from armuto.formats import is_archive
from studio.contents.services import store
from studio.ingest.models import Arrival
from studio.ingest.schemas import ArrivalOut, Refusal
from studio.ingest.services import museum
from studio.ingest.services.reading import take_in
from studio.ingest.tasks import read_arrival
from studio.platform.fields import Id
from studio.platform.uploads import received

router = Router(tags=["arrivals"])


@router.post("", response={201: ArrivalOut, 202: ArrivalOut, 413: Refusal, 422: Refusal}, operation_id="bring_in")
def bring_in(
    request: HttpRequest, file: File[UploadedFile], goes_to: Form[Literal["auto", "library", "cast"]] = "auto"
) -> Status[Any]:
    """Bring in one file. 201: read and kept. 202: waiting for the worker. 422: one sentence, and nothing was kept."""
    name, data = received(file)
    if len(data) <= settings.READ_AT_ONCE and not is_archive(data, name):
        found = take_in(data, name, goes_to)
        stored = {"clips": found.clips, "characters": found.characters}
        return Status(201, {"name": name, "state": Arrival.State.ACCEPTED, "done": 1, **stored})
    arrival = Arrival.objects.create(name=name, content=store(data), goes_to=goes_to)
    read_arrival.enqueue(arrival.pk)
    arrival.refresh_from_db()
    return Status(202, arrival)


@router.post("museum", response={202: ArrivalOut, 422: Refusal}, operation_id="bring_in_museum")
def bring_in_museum(request: HttpRequest) -> Status[Any]:
    """Bring the museum's figures and their clips into an empty studio, to try it with."""
    arrival = museum.bring_in()
    read_arrival.enqueue(arrival.pk)
    arrival.refresh_from_db()
    return Status(202, arrival)


@router.get("{arrival_id}", response=ArrivalOut, operation_id="get_arrival")
def get_arrival(request: HttpRequest, arrival_id: Id) -> Any:
    """How far an arrival is, and what came of its files."""
    return get_object_or_404(Arrival, pk=arrival_id)


@router.delete("{arrival_id}", response={204: None}, operation_id="dismiss_arrival")
def dismiss(request: HttpRequest, arrival_id: Id) -> Status[Any]:
    """Forget an arrival: one that waits is not read, one that is done is no longer listed. What was kept stays."""
    Arrival.objects.filter(pk=arrival_id).delete()
    return Status(204, None)
