"""Splices over HTTP: what they are made of, where their clips meet, and trials."""

from base64 import b64encode
from dataclasses import asdict
from typing import Any

import numpy as np
from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Router, Status

from armuto.errors import BadInput
from armuto.splicing import model as core
from armuto.splicing.candidates import Candidate, candidate_at, candidates, cost_map
from armuto.splicing.features import PreparedClip
from armuto.splicing.findings import findings
from armuto.splicing.joining import Spliced
from studio.library.services import change_clip
from studio.platform.array_response import array_response
from studio.platform.fields import Id
from studio.platform.optimistic import base_version, name_version
from studio.platform.timing import span
from studio.splices import services
from studio.splices.models import Splice
from studio.splices.schemas import (
    SpliceCandidate,
    SpliceChange,
    SpliceIn,
    SpliceOut,
    SplicePlaced,
    SpliceProposal,
    SpliceSummary,
    SpliceTrialIn,
    SpliceTrialOut,
)

router = Router(tags=["splices"])
MOST_CANDIDATES = 12
LONG, NEAR = 1200, 200  # frames of a splice of which a trial shows those near its join, and so many of them
JOIN_FACTS = ("number", "span", "first", "last", "middle", "blend", "pivot", "turn")


def _row(splice_id: int) -> Splice:
    rows = Splice.objects.select_related("clip__skeleton", "clip__take").prefetch_related("parts__clip__skeleton")
    return get_object_or_404(rows, pk=splice_id)


@router.get("", response=list[SpliceSummary], operation_id="list_splices")
def list_splices(request: HttpRequest) -> Any:
    """All splices."""
    rows = Splice.objects.select_related("clip").prefetch_related("parts__clip")
    return [_summary(row) for row in rows]


@router.post("", response=SpliceOut, operation_id="make_splice")
def post_splice(request: HttpRequest, response: HttpResponse, payload: SpliceIn) -> Any:
    """Splice clips in their order, each pair where they meet best."""
    return _shown(response, services.create(payload.clips, payload.name).pk)


@router.get("{splice_id}", response=SpliceOut, operation_id="get_splice")
def get_splice(request: HttpRequest, response: HttpResponse, splice_id: Id) -> Any:
    """A splice, and what is made of it."""
    return _shown(response, splice_id)


@router.patch("{splice_id}", response=SpliceOut, operation_id="change_splice")
def patch_splice(request: HttpRequest, response: HttpResponse, splice_id: Id, payload: SpliceChange) -> Any:
    """Other spans and joins for a splice. 409 where others have changed them since the version of ``If-Match``."""
    services.change(_row(splice_id), payload.splice, base_version(request))
    return _shown(response, splice_id)


@router.post("{splice_id}/proposal", response=SplicePlaced, operation_id="place_joins")
def post_proposal(request: HttpRequest, splice_id: Id, payload: SpliceProposal) -> Any:
    """The same spans with some joins where their clips meet best; nothing is kept."""
    splice = services.parse(_row(splice_id), payload.splice)
    placed = services.placed(splice, payload.joins, services.parts_of(splice.clips))
    return {"splice": _all_values(placed, splice.name)}


@router.post("{splice_id}/renewal", response=SpliceOut, operation_id="renew_splice")
def post_renewal(request: HttpRequest, response: HttpResponse, splice_id: Id) -> Any:
    """Make a splice of what its clips are now, as the worker does when they change."""
    services.renew(_row(splice_id))
    return _shown(response, splice_id)


@router.post("{splice_id}/trial", response=SpliceTrialOut, operation_id="try_splice")
def post_trial(request: HttpRequest, splice_id: Id, payload: SpliceTrialIn) -> Any:
    """What other spans and joins would come to; nothing is kept."""
    row = _row(splice_id)
    splice = services.parse(row, payload.splice)
    with span("splice"):
        made = services.spliced(row, splice)
    with span("pose"):
        first, last = _stretch(made, payload.around)
        world = made.clip.cut(first, last).world()
        places = np.concatenate([world.positions, world.ends], axis=1)
    encoded = b64encode(np.ascontiguousarray(places, "<f4").tobytes()).decode()
    return {"made": _made(splice, made), "points": places.shape[1], "begin": first, "positions": encoded}


def _stretch(made: Spliced, around: int | None) -> tuple[int, int]:
    """The frames that a trial answers: all, or of a long splice those around a join."""
    last = made.clip.frames - 1
    join = next((join for join in made.joins if join.number is not None and join.number == around), None)
    if join is None or last < LONG:
        return 0, last
    return max(0, join.first - NEAR), min(last, join.last + NEAR)


@router.get(
    "{splice_id}/joins/{number}/candidates", response=list[SpliceCandidate], operation_id="list_splice_candidates"
)
def get_candidates(
    request: HttpRequest,
    splice_id: Id,
    number: Id,
    everywhere: bool = False,
    out_first: Id | None = None,
    out_last: Id | None = None,
    into_first: Id | None = None,
    into_last: Id | None = None,
) -> Any:
    """Where the clips of a join meet best, and first the place where they are joined now.

    They are looked for in the last half of the one clip and the first half of the other, in all frames of both
    (everywhere), or between those that are said.
    """
    row = _row(splice_id)
    a, b, now = _pair(row, number)
    usual = services.ranges(row.value(), number, a, b)
    if everywhere:
        usual = (0, a.clip.frames - 1), (0, b.clip.frames - 1)
    limits = (out_first, out_last), (into_first, into_last)
    out, into = (
        tuple(own if frame is None else frame for own, frame in zip(frames, given, strict=True))
        for frames, given in zip(usual, limits, strict=True)
    )
    try:
        found = candidates(a.features, b.features, a.clip.fps, (out[0], out[1]), (into[0], into[1]), MOST_CANDIDATES)
    except ValueError as problem:
        raise BadInput(f"{row.clip.name}: {problem}.") from None
    chosen = candidate_at(a.features, b.features, *now)
    return [_candidate(each) for each in [chosen, *(each for each in found if (each.out, each.into) != now)]]


@router.get("{splice_id}/joins/{number}/place", response=SpliceCandidate, operation_id="get_splice_place")
def get_place(request: HttpRequest, splice_id: Id, number: Id, out: Id, into: Id) -> Any:
    """What it costs to join two clips at a place, good or bad."""
    row = _row(splice_id)
    a, b, _ = _pair(row, number)
    for frame, clip in ((out, a), (into, b)):
        if frame >= clip.clip.frames:
            raise BadInput(f"{row.clip.name}: there is no frame {frame}; the clip has {clip.clip.frames}.")
    return _candidate(candidate_at(a.features, b.features, out, into))


@router.get("{splice_id}/joins/{number}/map", operation_id="get_splice_map", response={200: None})
def get_map(request: HttpRequest, splice_id: Id, number: Id) -> HttpResponse:
    """What it costs to go from any frame of the one clip to any of the other: float32 ``(rows, columns)`` in
    centimetres, -1 where refused, then the frames of rows and of columns."""
    a, b, _ = _pair(_row(splice_id), number)
    costs, rows, columns = cost_map(a.features, b.features)
    centimetres = np.where(np.isfinite(costs), costs * 100, -1.0)
    return array_response(centimetres, rows.astype(float), columns.astype(float))


@router.get("{splice_id}/clips/{key}/positions", operation_id="get_spliced_positions", response={200: None})
def get_positions(request: HttpRequest, splice_id: Id, key: str) -> HttpResponse:
    """World positions of a clip that a splice is made of, on the skeleton and at the rate of the splice: as those of
    the clip are given."""
    row = _row(splice_id)
    splice = row.value()
    if key not in splice.clips:
        raise BadInput(f"{row.clip.name}: no span of it is of this clip.")
    clip = services.prepared(splice, services.parts_of(splice.clips))[key].clip
    world = clip.world()
    return array_response(np.concatenate([world.positions, world.ends], axis=1), fps=clip.fps)


@router.delete("{splice_id}", response={204: None}, operation_id="remove_splice")
def delete_splice(request: HttpRequest, splice_id: Id) -> Status[Any]:
    """Put the spliced clip away, with the way back that retired clips have. Its clips stay."""
    with transaction.atomic():
        change_clip(_row(splice_id).clip, retired=True)
    return Status(204, None)


def _pair(row: Splice, number: int) -> tuple[PreparedClip, PreparedClip, tuple[int, int]]:
    """The clips of a join, and the frames at which they are joined."""
    splice = row.value()
    if number >= len(splice.joins):
        raise BadInput(f"{row.clip.name}: there is no join {number}; they are counted from 0.")
    clips = services.prepared(splice, services.parts_of(splice.clips))
    spans = splice.spans[number : number + 2]
    a, b = (clips[each.clip] for each in spans)
    fps = a.clip.fps
    out = a.clip.frames - 1 if spans[0].end is None else round(spans[0].end * fps)
    into = 0 if spans[1].start is None else round(spans[1].start * fps)
    return a, b, (min(out, a.clip.frames - 1), min(into, b.clip.frames - 1))


def _all_values(splice: core.Splice, name: str) -> dict[str, Any]:
    """With the defaults as well."""
    return {
        "name": name,
        "spans": [asdict(each) for each in splice.spans],
        "joins": [asdict(each) for each in splice.joins],
    }


def _candidate(found: Candidate) -> dict[str, Any]:
    return asdict(found) | {"cost": found.cost if np.isfinite(found.cost) else None}


def _made(splice: core.Splice, made: Spliced) -> dict[str, Any]:
    names = {str(clip.pk): clip.name for clip in services.parts_of(splice.clips).values()}
    return {
        "frames": made.clip.frames,
        "fps": made.clip.fps,
        "passages": [
            {
                "span": each.passage.span,
                "begin": each.begin,
                "end": each.end,
                "shift": each.shift,
                "first": each.passage.first,
                "last": each.passage.last,
            }
            for each in made.passages
        ],
        "joins": [
            {name: getattr(join, name) for name in JOIN_FACTS}
            | {"place": join.place.tolist(), "candidate": _candidate(join.candidate), "measures": asdict(join.measures)}
            for join in made.joins
        ],
        "findings": findings(made.joins, [names[each.clip] for each in splice.spans]),
    }


def _summary(row: Splice) -> dict[str, Any]:
    names = {str(part.clip_id): part.clip.name for part in row.parts.all()}
    return {
        "id": row.pk,
        "clip_id": row.clip_id,
        "name": row.clip.name,
        "parts": [names.get(each.get("clip"), "a clip that is gone") for each in row.data["spans"]],
        "outdated": services.outdated(row),
        "problem": row.problem,
        "created": row.created,
    }


def _shown(response: HttpResponse, splice_id: int) -> dict[str, Any]:
    """A splice as it is now. Where it cannot be made of its clips any more, that is its problem."""
    row = _row(splice_id)
    splice = row.value()
    out: dict[str, Any] = _summary(row)
    name_version(response, row.lock_version)
    pivots = [part for part in row.clip.skeleton.parts if part.endswith((" foot", " hand")) or part in ("hips", "head")]
    clips: list[dict[str, Any]] = []
    made = None
    try:
        rows = services.parts_of(splice.clips)
        for key, clip in services.prepared(splice, rows).items():
            clips.append(
                {
                    "key": key,
                    "id": rows[key].pk,
                    "name": rows[key].name,
                    "frames": clip.clip.frames,
                    "seconds": clip.clip.seconds,
                    "revision": rows[key].revision,
                    "own": rows[key].skeleton_id == row.clip.skeleton_id,
                }
            )
        made = _made(splice, services.spliced(row))
    except BadInput as problem:
        out["problem"] = str(problem)
    return out | {
        "splice": _all_values(splice, row.clip.name),
        "made": made,
        "clips": clips,
        "pivots": pivots,
        "lock_version": row.lock_version,
    }
