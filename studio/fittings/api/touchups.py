"""Touch-ups over HTTP: layers of a clip in a fitting, their changes and trials, and how they go elsewhere."""

import json
from typing import Any

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils.http import content_disposition_header
from ninja import File, Router, UploadedFile

from armuto.errors import BadInput
from armuto.quality.mending import propose_touchup
from armuto.touchups import Layers, from_file, to_json
from studio.cast.models import Character
from studio.cast.queries import node_motion
from studio.fittings import queries
from studio.fittings.api.fittings import at_once, begun_on, encoded_pose, fitting_out, get_fitting_row
from studio.fittings.models import Fitting
from studio.fittings.preview import clip_value, contacts_of
from studio.fittings.schemas import PoseOut
from studio.fittings.services import carrying, touchups
from studio.fittings.services.concurrency import change_fitting
from studio.fittings.services.retargeting import retarget
from studio.fittings.services.touchups import FittedClip
from studio.fittings.touchup_schemas import (
    BoneOut,
    CarriedOut,
    CarryIn,
    CurveOut,
    LayersOut,
    ProposalIn,
    ProposedTouchUp,
    TouchedFitting,
    TouchUpEdit,
)
from studio.library.models import Clip
from studio.platform.array_response import array_response
from studio.platform.fields import Id
from studio.platform.timing import span
from studio.platform.uploads import received

router = Router(tags=["touch-ups"])
PATH = "{fitting_id}/touchups/{clip_id}"
PREVIEWS = 6  # of cells that layers are carried to


def _fitted_clip(row: Fitting, clip_id: int) -> FittedClip:
    clip = get_object_or_404(Clip, pk=clip_id, skeleton_id=row.skeleton_id)
    return FittedClip.of(row, clip)


def _given_fields(change: TouchUpEdit) -> dict[str, Any]:
    """A change as it was said: an ease of which nothing is said stays, since null has a meaning of its own there."""
    silent = {"ease_in", "ease_out"} - change.model_fields_set
    return {key: value for key, value in change.dict().items() if key not in silent}


def _pose(fitted: FittedClip, layers: Layers, frame: int | None) -> str | None:
    if frame is None:
        return None
    fitted.time(frame)
    return encoded_pose(*node_motion(fitted.pose(layers, frame), fitted.row.character))


def _answer(row: Fitting, clip_id: int, frame: int | None) -> Any:
    """The fitting as it is now, with the touch-ups of a clip: the figure first."""
    fitted = _fitted_clip(row, clip_id)
    with span("pose"):
        pose = _pose(fitted, fitted.layers, frame)
    with span("fitting"):
        fitting = fitting_out(row) | {"pose": pose, "standing": None}
    return at_once({"fitting": fitting, "touchups": queries.shown(fitted), "revision": row.state_id})


@router.get(PATH, response=LayersOut, operation_id="get_touchups")
def get_touchups(request: HttpRequest, fitting_id: Id, clip_id: Id) -> Any:
    """The layers of a clip in a fitting."""
    return queries.shown(_fitted_clip(get_fitting_row(fitting_id), clip_id))


@router.post(PATH, response=TouchedFitting, operation_id="edit_touchups")
def post_edit(request: HttpRequest, fitting_id: Id, clip_id: Id, payload: TouchUpEdit) -> Any:
    """Make one change to the touch-ups of a clip; it is a step that can be undone."""

    def work(row: Fitting) -> None:
        fitted = _fitted_clip(row, clip_id)
        touchups.keep(fitted, *touchups.edit(fitted, _given_fields(payload)))

    with span("change"):
        row, _ = change_fitting(begun_on(request, fitting_id), work)
    return _answer(row, clip_id, payload.show)


@router.post(f"{PATH}/trial", response=PoseOut, operation_id="try_touchup")
def post_trial(request: HttpRequest, fitting_id: Id, clip_id: Id, payload: TouchUpEdit) -> Any:
    """Show what a change would make of a frame, and keep nothing."""
    fitted = _fitted_clip(get_fitting_row(fitting_id), clip_id)
    with span("change"):
        layers, _ = touchups.edit(fitted, _given_fields(payload))
    with span("pose"):
        pose = _pose(fitted, layers, payload.show)
    return at_once({"pose": pose})


@router.get(f"{PATH}/bones", response=list[BoneOut], operation_id="touchable_bones")
def get_bones(request: HttpRequest, fitting_id: Id, clip_id: Id) -> Any:
    """Every bone of the character, and what can be done with it."""
    return queries.touchable(_fitted_clip(get_fitting_row(fitting_id), clip_id))


@router.get(f"{PATH}/curve", response=CurveOut, operation_id="touchup_curve")
def get_curve(request: HttpRequest, fitting_id: Id, clip_id: Id, layer: str, touchup: int) -> Any:
    """The offset of a touch-up over the clip."""
    return queries.curve(_fitted_clip(get_fitting_row(fitting_id), clip_id), layer, touchup)


@router.get(f"{PATH}/positions", operation_id="touched_positions", response={200: None})
def get_positions(request: HttpRequest, fitting_id: Id, clip_id: Id, plain: bool = False) -> HttpResponse:
    """World positions ``(frames, bones, 3)`` of the character's bones in the clip; plain: without any layer."""
    fitted = _fitted_clip(get_fitting_row(fitting_id), clip_id)
    touched = None if plain else fitted.touchups(fitted.layers)
    made = retarget(fitted.row, fitted.value, fitted.clip, touchups=touched).clip
    return array_response(made.world().positions, fps=made.fps)


@router.get(f"{PATH}/file", operation_id="get_touchup_file", response={200: None})
def get_file(request: HttpRequest, fitting_id: Id, clip_id: Id) -> HttpResponse:
    """The layers as a file for others."""
    fitted = _fitted_clip(get_fitting_row(fitting_id), clip_id)
    content = json.dumps(to_json(fitted.layers), indent=1, ensure_ascii=False).encode()
    response = HttpResponse(content, content_type="application/json")
    name = f"{fitted.clip.name} on {fitted.row.character.name}.touchups.json"
    response["Content-Disposition"] = content_disposition_header(True, name)
    return response


@router.post(f"{PATH}/file", response=TouchedFitting, operation_id="take_touchup_file")
def post_file(
    request: HttpRequest, fitting_id: Id, clip_id: Id, file: File[UploadedFile], show: int | None = None
) -> Any:
    """Take layers from a file, beside those that the clip has; one of the same name is replaced."""
    name, content = received(file, settings.LARGEST_TEXT)
    layers = from_file(content, name)

    def work(row: Fitting) -> None:
        fitted = _fitted_clip(row, clip_id)
        names = {layer.name for layer in layers.layers}
        kept = (layer for layer in fitted.layers.layers if layer.name not in names)
        try:
            made = Layers((*kept, *layers.layers))
        except ValueError as problem:
            raise BadInput(f"{name}: {problem}.") from None
        touchups.keep(fitted, made, f"taken from {name}")

    row, _ = change_fitting(begun_on(request, fitting_id), work)
    return _answer(row, clip_id, show)


@router.post(f"{PATH}/carry", response=list[CarriedOut], operation_id="carry_touchups")
def post_carry(request: HttpRequest, fitting_id: Id, clip_id: Id, payload: CarryIn) -> Any:
    """Carry layers to other cells, or say and show what would become of them there."""
    clips = Clip.objects.select_related("skeleton").in_bulk({clip for clip, _ in payload.to})
    characters = Character.objects.select_related("skeleton").in_bulk({who for _, who in payload.to})
    out: list[dict[str, Any]] = []
    for clip, who in payload.to:
        if clip not in clips or who not in characters:
            continue
        carried = _carry_to(request, fitting_id, clip_id, payload, clips[clip], characters[who])
        out.append(
            {
                "clip_id": clip,
                "character_id": who,
                "fitting_id": carried.fitted.row.pk if carried.fitted else None,
                "names": carried.names,
                "lost": carried.lost,
                "preview": carrying.preview(carried) if payload.trial and len(out) < PREVIEWS else None,
            }
        )
    return out


def _carry_to(
    request: HttpRequest, fitting_id: Id, clip_id: Id, payload: CarryIn, clip: Clip, character: Character
) -> carrying.Carried:
    author = request.headers.get("Armuto-Session", "")[:64]
    made: list[carrying.Carried] = []

    def fetch(pk: int) -> Fitting:
        row = get_fitting_row(pk)
        row.author = author
        return row

    def work(row: Fitting) -> None:
        origin = _fitted_clip(get_fitting_row(fitting_id), clip_id)
        found = carrying.carry(origin, payload.layers, clip, character, payload.by, lambda pk: row)
        made[:] = [found]
        if not payload.trial:
            carrying.keep(found, origin)

    origin = _fitted_clip(get_fitting_row(fitting_id), clip_id)
    first = carrying.carry(origin, payload.layers, clip, character, payload.by, fetch)
    if first.fitted is None or payload.trial:
        return first
    pk = first.fitted.row.pk
    change_fitting(lambda: fetch(pk), work)
    return made[0]


@router.post(f"{PATH}/proposal", response=ProposedTouchUp | None, operation_id="propose_touchup")
def post_proposal(request: HttpRequest, fitting_id: Id, clip_id: Id, payload: ProposalIn) -> Any:
    """The smallest offset that ends a finding in its frames, which nothing keeps yet; null where there is none."""
    fitted = _fitted_clip(get_fitting_row(fitting_id), clip_id)
    clip, layers = clip_value(fitted.clip), fitted.touchups(fitted.layers)
    if payload.frame >= clip.frames:
        raise BadInput(f"{fitted.clip.name}: it has no frame {payload.frame}; it has {clip.frames}.")
    contacts = contacts_of(fitted.value, fitted.clip)
    found = propose_touchup(clip, fitted.value, contacts, layers, payload.kind, payload.part, payload.frame)
    if found is None:
        return None
    bone = fitted.value.target.names[found.joint]
    edit: dict[str, Any] = {"op": found.kind, "bone": bone, "frame": payload.frame, "also": list(found.frames)}
    if found.kind == "turn":
        edit |= {"axis": found.axis.tolist(), "degrees": found.size}
        does = f"{bone} turned by {found.size:.1f}°"
    else:
        edit |= {"by": (found.size * found.axis).tolist()}
        does = f"{bone} moved by {found.size * 100:.1f} cm"
    left = f"takes it from {found.before:.1f} to {found.after:.1f} cm"
    change = TouchUpEdit(**edit)
    made, _ = touchups.edit(fitted, _given_fields(change))
    return {"sentence": f"{does} {left}.", "edit": change, "pose": _pose(fitted, made, payload.frame)}
