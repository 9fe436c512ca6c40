"""Fittings over HTTP: pairs, stance, history, and the live preview."""

from base64 import b64encode
from collections.abc import Callable
from dataclasses import asdict
from typing import Any

import numpy as np
from django.db import transaction
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404
from ninja import Router

from armuto.intake import recording
from armuto.kinematics.arrays import FloatArray
from armuto.pairing.conflicts import crossings
from armuto.retarget import fitting as core
from armuto.retarget.explanation import follows
from armuto.stance import Stance
from studio.cast.models import Character
from studio.cast.queries import node_motion
from studio.fittings.models import Fitting, FittingState
from studio.fittings.schemas import EditIn, FittingIn, FittingOut, FittingSummary, FollowsOut
from studio.fittings.services import steps
from studio.fittings.services.clip_exceptions import for_clip
from studio.fittings.services.concurrency import change_fitting, newest_of_author
from studio.fittings.services.editing import edit, pairing_context, parts_of
from studio.fittings.services.layer_records import touchups_of
from studio.fittings.services.retargeting import retarget
from studio.fittings.services.settings import changed, follow_history
from studio.fittings.services.stances import blocks, remember
from studio.fittings.services.steps import fitting_for, value_of
from studio.library.models import Clip
from studio.platform.array_response import array_response
from studio.platform.fields import Id
from studio.platform.optimistic import Conflict, etag, name_version
from studio.platform.timing import span

router = Router(tags=["fittings"])


def get_fitting_row(fitting_id: Id) -> Fitting:
    """The fitting with what belongs to it, but for the large things of which the values are kept at hand."""
    rows = Fitting.objects.select_related("state", "skeleton", "character__skeleton")
    return get_object_or_404(
        rows.defer("skeleton__tree", "character__skeleton__tree", "character__sheet"), pk=fitting_id
    )


def begun_on(request: HttpRequest, fitting_id: Id) -> Callable[[], Fitting]:
    """Fetches the fitting that somebody changes: ``Armuto-Session`` says who, and ``If-Match`` on which revision.

    Raises :class:`Conflict` where that revision is no longer in the fitting's history.
    """
    revision = request.headers.get("If-Match", "").strip().removeprefix("W/").strip('"')
    base: FittingState | None = None
    if revision not in ("", "*"):
        base = FittingState.objects.filter(pk=revision, fitting=fitting_id).first() if revision.isdecimal() else None
        if base is None:
            raise Conflict("The state that this was changed on was taken back by somebody else; look at it again.")

    def fetch() -> Fitting:
        row = get_fitting_row(fitting_id)
        row.author, row.base = request.headers.get("Armuto-Session", "")[:64], base
        return row

    return fetch


def fitting_out(row: Fitting) -> dict[str, Any]:
    assert row.state is not None
    value = value_of(row)
    context = pairing_context(row, value)
    crossed = crossings(
        value.pairs, context.source, context.source_parts, context.target, context.target_parts, value.plan
    )
    undoable, redoable = newest_of_author(row)

    def bones(which: str, part: str) -> list[str]:
        skeleton, parts = context.side(which)
        return [skeleton.names[bone.joint] for bone in parts.get(part, ())]

    return {
        "id": row.pk,
        "skeleton_id": row.skeleton_id,
        "character_id": row.character_id,
        "revision": row.state_id,
        "pairs": [
            {
                "key": pair.key,
                "part": pair.part,
                "source": pair.source,
                "target": pair.target,
                "confidence": pair.confidence,
                "reasons": pair.reasons,
                "confirmed": pair.confirmed,
                "moves": pair.moves,
                "crosses": crossed.get(pair.key, ""),
            }
            for pair in value.pairs
        ],
        "missing": [{"part": gap.part, "side": gap.side} for gap in value.missing],
        "stances": {
            "source": _stance_out(value.source_stance, value.source.names),
            "target": _stance_out(value.target_stance, value.target.names),
        },
        "stance": rows_out(value),
        "measures": _measures(value),
        "parts": [
            {
                "name": p.name,
                "limb": p.limb,
                "side": p.side,
                "required": p.required,
                "many": p.many,
                "source": bones("source", p.name),
                "target": bones("target", p.name),
            }
            for p in value.plan.parts
        ],
        "plan": value.plan.name,
        "left_out": value.left_out,
        "how": row.state.change,
        "settings": asdict(value.settings),
        "exceptions": {
            clip: {"names": sorted(table), "settings": asdict(changed(value.settings, table))}
            for clip, table in row.state.data.get("exceptions", {}).items()
        },
        "undo": undoable.change if undoable else None,
        "redo": redoable.change if redoable else None,
    }


def rows_out(value: core.Fitting) -> list[dict[str, Any]]:
    """What is left between the stances, part by part."""
    seen = {
        target: (hinge.certainty, hinge.span)
        for target, driver in value.joint_mapping.items()
        if (hinge := value.source.observed.hinges.get(driver.source) or value.target.observed.hinges.get(target))
    }
    index = value.target.index
    return [
        vars(row) | {"limb": value.plan.by_name[row.part].limb, "hinge": seen.get(index[row.bone])}
        for row in value.rows
    ]


def _stance_out(stance: Stance, names: tuple[str, ...]) -> dict[str, Any]:
    turned = [names[joint] for joint in sorted(stance.turned)]
    return {"name": stance.name, "how": stance.how, "aligned": stance.aligned, "turned": turned}


def _measures(value: core.Fitting) -> dict[str, Any]:
    overrides, size = value.overrides, value.overrides.size
    return {
        "source_facing": value.source_facing,
        "target_facing": value.target_facing,
        "source_facing_said": overrides.source_facing is not None,
        "target_facing_said": overrides.target_facing is not None,
        "source_floor": value.floors[0],
        "target_floor": value.floors[1],
        "source_floor_said": overrides.source_floor is not None,
        "target_floor_said": overrides.target_floor is not None,
        "legs": value.sizes.legs,
        "arms": value.sizes.arms,
        "spine": value.sizes.spine,
        "size": value.scale,
        "by": size if isinstance(size, str) else None,
        "hinges": overrides.hinges,
        "why": value.notes,
    }


@router.get("", response=list[FittingSummary], operation_id="list_fittings")
def list_fittings(request: HttpRequest) -> list[Any]:
    """All fittings, with how many parts are paired and how many are missing."""
    rows = Fitting.objects.select_related("state", "skeleton", "character").exclude(state=None)
    return [
        {
            "id": row.pk,
            "skeleton_id": row.skeleton_id,
            "skeleton": row.skeleton.name,
            "character_id": row.character_id,
            "character": row.character.name,
            "pairs": len(state.data["pairs"]),
            "missing": len(state.data["missing"]),
            "created": row.created,
        }
        for row in rows
        if (state := row.state) is not None
    ]


@router.post("", response=FittingOut, operation_id="open_fitting")
def open_fitting(request: HttpRequest, payload: FittingIn) -> Any:
    """The fitting of a clip's skeleton on a character, made on the spot if there is none."""
    clip = get_object_or_404(Clip.objects.select_related("skeleton"), pk=payload.clip_id)
    character = get_object_or_404(Character.objects.select_related("skeleton"), pk=payload.character_id)
    return fitting_out(get_fitting_row(fitting_for(clip.skeleton, character, by_hand=True).pk))


@router.get("{fitting_id}", response=FittingOut, operation_id="get_fitting")
def get_fitting(
    request: HttpRequest,
    response: HttpResponse,
    fitting_id: Id,
    clip_id: Id | None = None,
    frame: int | None = None,
) -> Any:
    """One fitting in its present state, with a frame of a clip; 304 where that is the one of ``If-None-Match``."""
    fetch = begun_on(request, fitting_id)
    known = request.headers.get("If-None-Match")
    if known and known == etag(Fitting.objects.filter(pk=fitting_id).values_list("state", flat=True).first()):
        return HttpResponse(status=304)
    made = _posed(fetch(), clip_id, frame)
    name_version(response, made["revision"])
    return made


@router.post("{fitting_id}/edits", response=FittingOut, operation_id="edit_fitting")
def post_edit(request: HttpRequest, fitting_id: Id, payload: EditIn) -> Any:
    """Make one change to the pairs; it is a step that can be undone."""
    changes = payload.dict()
    clip, frame, op = changes.pop("clip_id"), changes.pop("frame"), changes.pop("op")
    with span("change"):
        row, _ = change_fitting(begun_on(request, fitting_id), lambda row: edit(row, op, **changes))
    return _with_pose(row, clip, frame)


def at_once(data: dict[str, Any]) -> JsonResponse:
    """An answer that somebody waits for with their hand on the figure: already plain data, it is not gone through
    again.

    That it has the shape its description says is checked where the same data is read calmly.
    """
    response = JsonResponse(data)
    if "revision" in data:
        name_version(response, data["revision"])
    return response


def _with_pose(row: Fitting, clip_id: Id | None, frame: int | None) -> JsonResponse:
    return at_once(_posed(row, clip_id, frame))


def _posed(row: Fitting, clip_id: Id | None, frame: int | None) -> dict[str, Any]:
    value = value_of(row)
    with span("stances"):
        standing = np.concatenate([block.ravel() for block in blocks(row, value)]) if clip_id is not None else None
    with span("pose"):
        pose = pose_of(row, value, clip_id, frame)
    with span("fitting"):
        out = fitting_out(row)
    return out | {
        "pose": pose,
        "standing": None if standing is None else b64encode(standing.astype("<f4").tobytes()).decode(),
    }


def pose_of(
    row: Fitting, value: core.Fitting, clip_id: Id | None, frame: int | None, tried: bool = False
) -> str | None:
    """One frame of a clip through a state of the fitting, in base64 as :class:`FittingOut` says; None where it is not
    asked. tried: the settings are those of the clip already."""
    clip = Clip.objects.filter(pk=clip_id or 0, skeleton_id=row.skeleton_id).first()
    if clip is None or frame is None:
        return None
    own = value if tried else for_clip(value, row, clip.pk)
    done = retarget(row, own, clip, frame, frame, touchups=touchups_of(row.state, clip))
    return encoded_pose(*node_motion(done.clip, row.character))


def encoded_pose(turns: FloatArray, places: FloatArray) -> str:
    """Rotations and translations of one frame in base64, as :class:`FittingOut` says."""
    return b64encode(np.concatenate([turns.ravel(), places.ravel()]).astype("<f4").tobytes()).decode()


@router.post("{fitting_id}/undo", response=FittingOut, operation_id="undo_fitting")
def undo(request: HttpRequest, fitting_id: Id, clip_id: Id | None = None, frame: int | None = None) -> Any:
    """Take back the newest step of a fitting; as it is where there is none."""
    return _moved(request, fitting_id, steps.undo, clip_id, frame)


@router.post("{fitting_id}/redo", response=FittingOut, operation_id="redo_fitting")
def redo(request: HttpRequest, fitting_id: Id, clip_id: Id | None = None, frame: int | None = None) -> Any:
    """Make the step again that was taken back last; as it is where there is none."""
    return _moved(request, fitting_id, steps.redo, clip_id, frame)


def _moved(
    request: HttpRequest, fitting_id: Id, move: Callable[[Fitting], bool], clip_id: Id | None, frame: int | None
) -> JsonResponse:
    def work(row: Fitting) -> None:
        before, contacts = value_of(row), row.state.contacts if row.state else {}
        row.base = None  # whose step it is says enough
        with transaction.atomic():
            if move(row):
                remember(row, before)
                follow_history(row, contacts)

    with span("change"):
        row, _ = change_fitting(begun_on(request, fitting_id), work)
    return _with_pose(row, clip_id, frame)


@router.get("{fitting_id}/follows", response=list[FollowsOut], operation_id="follows")
def get_follows(request: HttpRequest, fitting_id: Id, clip_id: Id | None = None) -> Any:
    """Why every bone of the character does or does not follow, in this clip."""
    row = get_fitting_row(fitting_id)
    value = value_of(row)
    still: list[str] = []
    if clip_id is not None:
        clip = get_object_or_404(Clip.objects.select_related("skeleton"), pk=clip_id, skeleton=row.skeleton)
        still = recording.still_joints(clip.value())
    return follows(value, parts_of(row.character.skeleton, value.plan), set(still))


@router.get("{fitting_id}/preview/{clip_id}", operation_id="preview", response={200: None})
def preview(
    request: HttpRequest, fitting_id: Id, clip_id: Id, first: int | None = None, last: int | None = None
) -> HttpResponse:
    """The clip, or its frames first to last, transferred through the present state, for the character's own nodes.

    float32: local rotations ``(frames, joints, 4)``, then local translations ``(frames, joints, 3)``.
    """
    row = get_fitting_row(fitting_id)
    clip = get_object_or_404(Clip, pk=clip_id, skeleton_id=row.skeleton_id)
    own = for_clip(value_of(row), row, clip.pk)
    made = retarget(row, own, clip, first, last, touchups=touchups_of(row.state, clip)).clip
    return array_response(*node_motion(made, row.character), fps=made.fps)
