"""The library over HTTP: skeletons, clips, plates and motion."""

from datetime import datetime

import numpy as np
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Router, Schema

from studio.library.keeping import change_clip
from studio.library.models import Clip, Plate, Skeleton
from studio.octets import octets

router = Router(tags=["library"])


class SkeletonOut(Schema):
    id: int
    name: str
    joints: int
    height: float
    facing: float | None
    clips: int


class SkeletonTree(Schema):
    """Bones of a skeleton. parts: the part of every bone, or null. ends: the bone each end site hangs from."""

    id: int
    names: list[str]
    parents: list[int]
    parts: list[str | None]
    ends: list[int]
    evidence: list[str]


class ClipOut(Schema):
    """frames and seconds: of the clip; take_frames: of its whole take, of which it is first to last. calibration: how many
    leading frames of the take look like calibration."""

    id: int
    name: str
    skeleton_id: int
    frames: int
    take_frames: int
    first: int
    last: int
    calibration: int
    loop: bool
    fps: float
    seconds: float
    travel: float
    tags: list[str]
    retired: bool
    revision: int
    created: datetime
    notes: list[str]
    segment_of_id: int | None
    take_name: str

    @staticmethod
    def resolve_take_name(clip: Clip) -> str:
        return clip.take.name

    @staticmethod
    def resolve_frames(clip: Clip) -> int:
        return clip.length

    @staticmethod
    def resolve_take_frames(clip: Clip) -> int:
        return clip.frames

    @staticmethod
    def resolve_seconds(clip: Clip) -> float:
        return (clip.length - 1) / clip.fps


class ClipChange(Schema):
    """What is to change; the rest stays. first and last: frames of the take."""

    name: str | None = None
    tags: list[str] | None = None
    retired: bool | None = None
    first: int | None = None
    last: int | None = None


class PlateOut(Schema):
    """A plate in whole millimetres, y up from the floor. Per pose: strokes x0, y0, x1, y1, with sides and fineness per stroke,
    and heads x, y, radius."""

    width: int
    height: int
    frames: list[int]
    sides: list[str]
    fine: list[bool]
    poses: list[list[int]]
    heads: list[list[int]]


@router.get("skeletons", response=list[SkeletonOut], operation_id="list_skeletons")
def list_skeletons(request: HttpRequest):
    """The library skeletons: those that have clips."""
    rows = Skeleton.objects.filter(clips__isnull=False).distinct().defer("tree", "parts").order_by("name", "id")
    return [
        {"clips": row.clips.count()} | {k: getattr(row, k) for k in ("id", "name", "joints", "height", "facing")}
        for row in rows
    ]


@router.get("skeletons/{skeleton_id}", response=SkeletonTree, operation_id="get_skeleton")
def get_skeleton(request: HttpRequest, skeleton_id: int):
    return skeleton_out(get_object_or_404(Skeleton, pk=skeleton_id))


def skeleton_out(row: Skeleton) -> dict:
    tree = row.tree
    part = {name: key for key, names in row.parts.items() for name in names}
    return {
        "id": row.pk,
        "names": tree["names"],
        "parents": tree["parents"],
        "parts": [part.get(name) for name in tree["names"]],
        "ends": tree["end_parents"],
        "evidence": tree["file_frame"]["evidence"],
    }


@router.get("clips", response=list[ClipOut], operation_id="list_clips")
def list_clips(request: HttpRequest):
    return Clip.objects.select_related("take")


@router.get("clips/{clip_id}", response=ClipOut, operation_id="get_clip")
def get_clip(request: HttpRequest, clip_id: int):
    return get_object_or_404(Clip.objects.select_related("take"), pk=clip_id)


@router.patch("clips/{clip_id}", response=ClipOut, operation_id="change_clip")
def patch_clip(request: HttpRequest, clip_id: int, wanted: ClipChange):
    row = get_object_or_404(Clip.objects.select_related("skeleton", "motion", "take"), pk=clip_id)
    change_clip(row, **wanted.dict(exclude_unset=True))
    return row


@router.get("clips/{clip_id}/plate", response=PlateOut, operation_id="get_plate")
def get_plate(request: HttpRequest, clip_id: int):
    return get_object_or_404(Plate, clip_id=clip_id).drawing


@router.get("clips/{clip_id}/positions", operation_id="get_clip_positions", response={200: None})
def get_positions(request: HttpRequest, clip_id: int) -> HttpResponse:
    """World positions of all joints, then of all end sites: float32 ``(frames, joints + ends, 3)`` in metres."""
    row = get_object_or_404(Clip.objects.select_related("skeleton", "motion"), pk=clip_id)
    world = row.value().world()
    return octets(np.concatenate([world.positions, world.ends], axis=1), fps=row.fps)
