"""Renditions over HTTP: make, stop, look at, fetch as files."""

import re
from datetime import datetime
from typing import Literal
from urllib.parse import quote

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Router, Schema, Status

from studio.cast.models import Character
from studio.fittings.keeping import fitting_for, value_of
from studio.fittings.models import Rendition, RenditionMotion
from studio.fittings.performing import file_of, for_the_stage, stored
from studio.fittings.tasks import make_rendition
from studio.library.models import Clip
from studio.octets import octets

router = Router(tags=["renditions"])


class FindingOut(Schema):
    """frames: first and last, where it is worst; spans: everywhere. size and source: the measure on the rendition and on its
    source, in unit. mend: the control by which it can be mended."""

    kind: str
    part: str
    frames: list[int]
    size: float
    source: float
    unit: str
    text: str
    grade: str
    mend: str
    spans: list[list[int]]


class RenditionOut(Schema):
    id: int
    clip_id: int
    clip: str
    character_id: int
    character: str
    fitting_id: int
    state: str
    out_of_date: bool
    progress: float
    sentence: str
    findings: list[FindingOut]
    changed: datetime

    @staticmethod
    def resolve_clip(row: Rendition) -> str:
        return row.clip.name

    @staticmethod
    def resolve_character(row: Rendition) -> str:
        return row.character.name


class RenditionIn(Schema):
    clip_id: int
    character_id: int


class Refusal(Schema):
    detail: str


def _rows():
    return Rendition.objects.select_related("clip", "character__skeleton", "fitting__state", "fitting__skeleton")


@router.get("", response=list[RenditionOut], operation_id="list_renditions")
def list_renditions(request: HttpRequest):
    return _rows()


@router.post("", response={202: RenditionOut}, operation_id="make_rendition")
def make(request: HttpRequest, wanted: RenditionIn):
    """Transfer a clip to a character, in the worker. Asking again for the same cell makes it anew."""
    clip = get_object_or_404(Clip.objects.select_related("skeleton"), pk=wanted.clip_id)
    character = get_object_or_404(Character.objects.select_related("skeleton"), pk=wanted.character_id)
    fitting = fitting_for(clip.skeleton, character)
    row, new = Rendition.objects.get_or_create(clip=clip, character=character, defaults={"fitting": fitting})
    busy = (Rendition.State.WAITING, Rendition.State.WORKING)
    if new or row.state not in busy:
        Rendition.objects.filter(pk=row.pk).update(state=Rendition.State.WAITING, progress=0, sentence="")
        make_rendition.enqueue(row.pk)
    return Status(202, _rows().get(pk=row.pk))


@router.get("{rendition_id}", response=RenditionOut, operation_id="get_rendition")
def get_rendition(request: HttpRequest, rendition_id: int):
    return get_object_or_404(_rows(), pk=rendition_id)


@router.post("{rendition_id}/stop", response=RenditionOut, operation_id="stop_rendition")
def stop(request: HttpRequest, rendition_id: int):
    busy = [Rendition.State.WAITING, Rendition.State.WORKING]
    Rendition.objects.filter(pk=rendition_id, state__in=busy).update(state=Rendition.State.STOPPED)
    return get_object_or_404(_rows(), pk=rendition_id)


@router.get("{rendition_id}/motion", operation_id="get_rendition_motion", response={200: None})
def motion(request: HttpRequest, rendition_id: int) -> HttpResponse:
    """The rendition for the character's own nodes: as the preview of a fitting is given."""
    row = get_object_or_404(_rows(), pk=rendition_id)
    get_object_or_404(RenditionMotion, pk=rendition_id)
    clip = stored(row)
    return octets(*for_the_stage(clip, row.character), fps=clip.fps)


@router.get("{rendition_id}/file", operation_id="get_rendition_file", response={200: None, 409: Refusal})
def file(request: HttpRequest, rendition_id: int, format: Literal["glb", "bvh", "dae", "usd"] = "glb"):
    """The rendition as a file for others: the character with the motion, or the motion alone."""
    row = get_object_or_404(_rows(), pk=rendition_id)
    if not RenditionMotion.objects.filter(pk=rendition_id).exists():
        sentence = f"{row.clip.name}: it has not been transferred to {row.character.name} yet; transfer it first."
        return Status(409, {"detail": sentence})
    content = file_of(row, format, value_of(row.fitting))
    kinds = {"glb": "model/gltf-binary", "bvh": "text/plain; charset=utf-8", "dae": "model/vnd.collada+xml"}
    response = HttpResponse(content, content_type=kinds.get(format, "application/octet-stream"))
    name = f"{row.character.name} {row.clip.name}.{format}"
    plain = re.sub(r"[^A-Za-z0-9 ._()-]", "_", name)
    response["Content-Disposition"] = f"attachment; filename=\"{plain}\"; filename*=UTF-8''{quote(name)}"
    return response
