"""Renditions over HTTP: make one, look at it, judge it, compare its revisions, fetch it as a file."""

from typing import Any, Literal

import numpy as np
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils.http import content_disposition_header
from ninja import Router, Status

from armuto import formats
from armuto.errors import BadInput
from armuto.kinematics.arrays import FloatArray
from studio.cast.queries import node_motion
from studio.ensembles.queries import digest_of_casting, prop_rows
from studio.platform.array_response import array_response
from studio.platform.fields import Id
from studio.renditions import casting_results, results
from studio.renditions.models import Rendition, Revision, RunItem
from studio.renditions.queries import STATES, state_of, with_state
from studio.renditions.schemas import Before, QueueIn, QueueRow, Refusal, RenditionIn, RenditionOut, SendingBack
from studio.renditions.services import board, runs

router = Router(tags=["renditions"])


def _rows() -> Any:
    related = ("clip", "character__skeleton", "fitting__state", "casting__ensemble", "newest")
    return with_state(Rendition.objects.select_related(*related)).prefetch_related("revisions__casting_result")


def out(row: Rendition) -> dict[str, Any]:
    item = None
    if row.busy:
        item = (
            RunItem.objects.filter(rendition=row, state__in=["waiting", "running"], run__state="running")
            .order_by("-state", "-id")
            .first()
        )
    return _cell(row) | {
        "id": row.pk,
        "state": STATES[state_of(row)],
        "sentence": row.sentence,
        "note": row.note,
        "run_id": item.run_id if item else None,
        "progress": item.progress if item else 0.0,
        "newest": None if row.retired else row.newest,
        "accepted_id": row.accepted_id,
        "revisions": list(row.revisions.all()),
        "changed": what_changed(row),
    }


def _cell(row: Rendition) -> dict[str, Any]:
    ids = ("clip_id", "character_id", "fitting_id", "casting_id")
    return {key: getattr(row, key) for key in ids} | {
        "clip": row.title,
        "character": row.performed_by,
        "ensemble_id": row.casting.ensemble_id if row.casting is not None else None,
    }


def what_changed(row: Rendition) -> list[str]:
    made = row.newest
    if made is not None and row.casting is not None:
        stale = made.casting_digest != digest_of_casting(row.casting)
        return ["the ensemble, the casting, or a character or fitting in it"] if stale else []
    if made is None or row.fitting is None or row.fitting.state is None:
        return []
    clip, character, _ = row.transferred
    pairs = (
        ("the clip", made.clip_digest, clip.digest),
        ("the character", made.character_digest, character.digest),
        ("the fitting", made.fitting_digest, row.fitting.state.digest),
        ("its own settings", made.exceptions_digest, row.exceptions_digest),
        ("its touch-ups", made.touchups_digest, row.touchups_digest),
        ("the fittings of its parts", made.parts_digest, row.parts_digest),
    )
    return [what for what, then, now in pairs if then != now]


@router.get("cell", response=RenditionOut | None, operation_id="get_cell")
def get_cell(
    request: HttpRequest, clip_id: Id | None = None, character_id: Id | None = None, casting_id: Id | None = None
) -> Any:
    """The rendition of a cell, by clip and character, or by casting; null where nothing was transferred yet."""
    if casting_id is None and (clip_id is None or character_id is None):
        raise BadInput("A cell is of a clip and a character, or of a casting; name either.")
    wanted = {"clip_id": clip_id, "character_id": character_id} if casting_id is None else {"casting_id": casting_id}
    row = _rows().filter(**wanted).first()
    return out(row) if row else None


@router.post("", response={202: RenditionOut}, operation_id="make_rendition")
def make(request: HttpRequest, payload: RenditionIn) -> Status[Any]:
    """Transfer a clip to a character, in the worker, before anything else that waits."""
    cell = (payload.clip_id, payload.character_id)
    runs.start([cell], first=True)
    row = get_object_or_404(_rows(), clip_id=cell[0], character_id=cell[1])
    return Status(202, out(row))


@router.post("queue", response=list[QueueRow], operation_id="review_queue")
def queue(request: HttpRequest, payload: QueueIn) -> list[Any]:
    """Results in the order they want a look: the worst findings first. Without cells, all that are not accepted, or
    all."""
    if payload.cells is not None:
        rows = list(board.renditions_in(payload.cells).values())
        rows = list(_rows().filter(pk__in=[row.pk for row in rows]))
    else:
        rows = [
            row for row in _rows().exclude(newest=None) if payload.everything or STATES[state_of(row)] != "accepted"
        ]
    found = [(row, row.newest) for row in rows if row.newest is not None and not row.retired]
    found.sort(key=lambda pair: (-pair[1].rank, pair[0].title, pair[0].performed_by))
    return [
        _cell(row)
        | {
            "id": row.pk,
            "note": row.note,
            "state": STATES[state_of(row)],
            "grade": newest.grade,
            "rank": newest.rank,
            "worst": _worst(newest),
        }
        for row, newest in found
    ]


def _worst(revision: Revision) -> str:
    grades = ("look", "wrong")
    found = [finding for finding in revision.findings if finding["grade"] in grades]
    return max(found, key=lambda first: grades.index(first["grade"]))["text"] if found else ""


@router.get("{rendition_id}", response=RenditionOut, operation_id="get_rendition")
def get_rendition(request: HttpRequest, rendition_id: Id) -> Any:
    """One clip performed by one character: its newest result with its findings, and what was accepted."""
    return out(get_object_or_404(_rows(), pk=rendition_id))


@router.post("{rendition_id}/stop", response=RenditionOut, operation_id="stop_rendition")
def stop(request: HttpRequest, rendition_id: Id) -> Any:
    """Take one item out of its run; the last result stays."""
    runs.take_out(get_object_or_404(Rendition, pk=rendition_id))
    return get_rendition(request, rendition_id)


@router.post("{rendition_id}/send-back", response=list[Before], operation_id="send_back")
def send_back(request: HttpRequest, rendition_id: Id, payload: SendingBack) -> Any:
    """Send a result back with a note on what is to be mended."""
    return board.send_back(get_object_or_404(Rendition, pk=rendition_id), payload.note)


def _revision(rendition_id: Id, revision: int | None) -> Revision:
    rows = Revision.objects.select_related(
        "rendition__clip",
        "rendition__character__skeleton",
        "rendition__fitting__skeleton",
        "rendition__casting__ensemble",
        "motion__skeleton",
    )
    if revision is not None:
        return get_object_or_404(rows, rendition_id=rendition_id, pk=revision)
    row = get_object_or_404(Rendition.objects.select_related("clip", "character", "casting__ensemble"), pk=rendition_id)
    if row.newest_id is None:
        sentence = f"{row.title}: it has not been transferred to {row.performed_by} yet; transfer it first."
        raise BadInput(sentence)
    return rows.get(pk=row.newest_id)


@router.get("{rendition_id}/motion", operation_id="get_rendition_motion", response={200: None})
def motion(request: HttpRequest, rendition_id: Id, revision: int | None = None) -> HttpResponse:
    """A result for the character's own nodes, as the preview of a fitting is given. revision: its id; else the
    newest. Of a casting: that of each performer, then of each prop its position and rotation ``(frames, 7)``."""
    made = _revision(rendition_id, revision)
    _check_bones(made)
    if made.casting_digest:
        return array_response(*_casting_blocks(made), fps=made.fps)
    clip = results.motion_of(made)
    _, character, _ = made.rendition.transferred
    return array_response(*node_motion(clip, character), fps=clip.fps)


@router.get("{rendition_id}/source", operation_id="get_rendition_source", response={200: None})
def source(request: HttpRequest, rendition_id: Id) -> HttpResponse:
    """The recording that the newest result of a casting was made of, where it lies in their common space: as
    ``get_ensemble_recording`` gives it."""
    made = _revision(rendition_id, None)
    if not made.casting_digest:
        raise BadInput(f"{made.rendition.title}: it is of a clip, whose positions the library has.")
    return array_response(*casting_results.source_blocks(made), fps=made.fps)


def _casting_blocks(made: Revision) -> list[FloatArray]:
    people = [(casting_results.performer_clip(row, made), row.character) for row in casting_results.performers_of(made)]
    props = casting_results.prop_motions(made.casting_result, made.frames)
    return [block for clip, character in people for block in node_motion(clip, character)] + prop_rows(props)


def _check_bones(made: Revision) -> None:
    if other := results.other_bones(made):
        raise BadInput(other)


@router.get("{rendition_id}/file", operation_id="get_rendition_file", response={200: None, 409: Refusal})
def file(
    request: HttpRequest,
    rendition_id: Id,
    format: Literal["glb", "bvh", "dae", "usd"] = "glb",
    revision: int | None = None,
) -> Any:
    """The rendition as a file for others: the character with the motion, or the motion alone."""
    try:
        made = _revision(rendition_id, revision)
        _check_bones(made)
        row = made.rendition
        content = (
            casting_results.file_of(made, format)
            if made.casting_digest
            else formats.write([results.delivered(made)], row.transferred[1].document(), format)
        )
    except BadInput as problem:
        return Status(409, {"detail": str(problem)})
    kinds = {"glb": "model/gltf-binary", "bvh": "text/plain; charset=utf-8", "dae": "model/vnd.collada+xml"}
    response = HttpResponse(content, content_type=kinds.get(format, "application/octet-stream"))
    name = f"{row.title} {row.performed_by}.{format}" if row.casting_id else f"{row.performed_by} {row.title}.{format}"
    response["Content-Disposition"] = content_disposition_header(True, name)
    return response


@router.get("{rendition_id}/difference", operation_id="compare_revisions", response=list[float])
def difference(request: HttpRequest, rendition_id: Id, a: int, b: int) -> Any:
    """Centimetres by which two results of one rendition are apart at their furthest joint, frame by frame.

    Empty where they have no bones or no length in common.
    """
    first, other = (casting_results.motions_of(_revision(rendition_id, pk)) for pk in (a, b))
    if [clip.skeleton.names for clip in first] != [clip.skeleton.names for clip in other]:
        return []
    frames = min(clip.frames for clip in (*first, *other))
    apart = [
        np.linalg.norm(own.cut(0, frames - 1).world().positions - its.cut(0, frames - 1).world().positions, axis=-1)
        for own, its in zip(first, other, strict=True)
    ]
    return (np.concatenate(apart, axis=1).max(axis=1) * 100).round(3).tolist()
