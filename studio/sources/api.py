"""Sources over HTTP: what is watched, what was found in it, and fetching it."""

from pathlib import PurePath
from typing import Any
from urllib.parse import urlsplit

from django.db import transaction
from django.db.models import Count, Q, QuerySet
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Router, Status

from armuto.errors import BadInput
from studio.platform import leases
from studio.platform.fields import Id
from studio.platform.optimistic import base_version
from studio.sources import watching
from studio.sources.models import Source, SourceItem
from studio.sources.schemas import ItemOut, ItemsIn, SourceChange, SourceIn, SourceOut
from studio.sources.services import addresses, folders
from studio.sources.tasks import fetch_item

router = Router(tags=["sources"])
State = SourceItem.State
MOST = 50  # sources
SCHEMES = {"address": ("http", "https"), "stage": ("ws", "wss")}
LONGEST_NAME = 120


def _rows() -> QuerySet[Source]:
    offered = Q(items__state__in=[State.NEW, State.NEWER])
    return Source.objects.annotate(
        offered=Count("items", filter=offered),
        taken=Count("items", filter=~Q(items__taken_version="")),
        refused=Count("items", filter=Q(items__state=State.REFUSED)),
    )


@router.get("", response=list[SourceOut], operation_id="list_sources")
def list_sources(request: HttpRequest) -> Any:
    """All folders, addresses and stages that are watched or recorded."""
    return _rows()


@router.post("", response={201: SourceOut}, operation_id="add_source")
def add_source(request: HttpRequest, payload: SourceIn) -> Status[Any]:
    """Watch a folder or an address from now on, which is looked at at once; or know a stage, which is connected to
    while a page performs what it streams."""
    folder = payload.kind == "folder"
    if folder:
        location = folders.checked_folder(payload.location)
    else:
        location = addresses.checked_address(payload.location, SCHEMES[payload.kind])
    if len(location) > 1000:
        raise BadInput("This is longer than 1,000 letters; say a shorter one.")
    name = _name(payload.name) or (PurePath(location).name if folder else _host(location)) or location
    with transaction.atomic():
        if Source.objects.filter(location=location).exists():
            raise BadInput(f"{location}: it is watched already.")
        if Source.objects.count() >= MOST:
            raise BadInput(f"{MOST} sources are watched already; take one away first.")
        row = Source.objects.create(
            kind=payload.kind,
            location=location,
            name=name[:LONGEST_NAME],
            moves=payload.moves and folder,
            accepts=payload.accepts,
        )
    watching.look_and_note(row)
    return Status(201, _rows().get(pk=row.pk))


@router.post("{source_id}/look", response=SourceOut, operation_id="look_at_source")
def look_at(request: HttpRequest, source_id: Id) -> Any:
    """Look at a source now."""
    watching.look_and_note(get_object_or_404(Source, pk=source_id))
    return get_object_or_404(_rows(), pk=source_id)


@router.patch("{source_id}", response=SourceOut, operation_id="change_source")
def change_source(request: HttpRequest, source_id: Id, payload: SourceChange) -> Any:
    """Change what is given. 409 where others have changed the same since the version of ``If-Match``."""
    given = {name: value for name, value in payload.dict(exclude_unset=True).items() if value is not None}
    if "name" in given:
        given["name"] = _name(given["name"])
        if not given["name"]:
            raise BadInput("A source needs a name; type one.")
    with transaction.atomic():
        row = get_object_or_404(Source, pk=source_id)
        row.claim(base_version(request), {name: getattr(row, name) for name in given}, given)
        for name, value in given.items():
            setattr(row, name, value)
        row.save()
    return _rows().get(pk=source_id)


@router.delete("{source_id}", response={204: None}, operation_id="remove_source")
def remove_source(request: HttpRequest, source_id: Id) -> Status[Any]:
    """Watch it no longer. What came from it stays."""
    with transaction.atomic():
        get_object_or_404(Source, pk=source_id).delete()
    return Status(204, None)


@router.get("{source_id}/items", response=list[ItemOut], operation_id="list_source_items")
def list_items(request: HttpRequest, source_id: Id) -> Any:
    """What was found in a source, as it was looked at last."""
    return get_object_or_404(Source, pk=source_id).items.all()


@router.post("{source_id}/fetch", response={202: list[ItemOut]}, operation_id="fetch_items")
def fetch_items(request: HttpRequest, source_id: Id, payload: ItemsIn) -> Status[Any]:
    """Fetch items of an address into the intake; of a folder, try again what could not be read."""
    source = get_object_or_404(Source, pk=source_id)
    items = source.items.filter(pk__in=payload.ids)
    open_to = items.filter(state__in=[State.NEW, State.NEWER, State.REFUSED])
    if source.kind == Source.Kind.FOLDER:
        open_to.update(state=State.NEW, sentence="", seen=0.0)
        watching.look_and_note(source)
    else:
        ids = list(open_to.values_list("pk", flat=True))
        SourceItem.objects.filter(pk__in=ids).update(state=State.WAITING, sentence="", **leases.RELEASED)
        for pk in ids:
            fetch_item.enqueue(pk)
    return Status(202, source.items.filter(pk__in=payload.ids))


@router.get("items/{item_id}/plate", response={200: None}, operation_id="get_source_plate")
def get_plate(request: HttpRequest, item_id: Id) -> HttpResponse:
    """The picture that a library has of an item."""
    item = get_object_or_404(SourceItem.objects.select_related("source"), pk=item_id)
    data, kind = addresses.plate(item)
    response = HttpResponse(data, content_type=kind)
    # A foreign picture does nothing but be looked at.
    response["Content-Security-Policy"] = "default-src 'none'; style-src 'unsafe-inline'; sandbox"
    response["X-Content-Type-Options"] = "nosniff"
    response["Cache-Control"] = "private, max-age=3600"
    return response


def _host(location: str) -> str:
    """What an address is called: by its host, and a stage by its port too, of which a host may have several."""
    parts = urlsplit(location)
    return str(parts.hostname if parts.scheme in SCHEMES["address"] else parts.netloc)


def _name(text: str) -> str:
    return " ".join(text.split())[:LONGEST_NAME]
