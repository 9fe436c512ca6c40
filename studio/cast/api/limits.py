"""Joint limits of a character over HTTP: its plan's, those that were changed for it, and what they look like."""

from functools import lru_cache
from typing import Any

import numpy as np
from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Router

from armuto.body.joint_limits import defaults, range_from
from armuto.body.plans import plan_of
from armuto.constraints.limits import bent
from armuto.errors import BadInput
from armuto.kinematics.clip import Clip
from armuto.stance.joint_frames import JointFrames, joint_frames
from armuto.stance.proposing import looking
from studio.cast.models import Character
from studio.cast.queries import node_motion
from studio.cast.schemas import LimitIn, LimitOut
from studio.library.models import Skeleton
from studio.platform.array_response import array_response
from studio.platform.fields import Id
from studio.platform.optimistic import VERSION_FIELDS, base_version

router = Router(tags=["cast"])


def _row(character_id: Id) -> Character:
    return get_object_or_404(Character.objects.select_related("skeleton"), pk=character_id)


@lru_cache(maxsize=16)
def _joint_frames(pk: int, identity: str, parts: str) -> JointFrames:
    row = Skeleton.objects.get(pk=pk, identity=identity)
    skeleton, found = row.value(), row.assignment()
    joints = {part: tuple(bone.joint for bone in bones) for part, bones in found.items()}
    plan = plan_of(found)
    return joint_frames(
        skeleton, skeleton.rest_rotation, joints, plan, looking(skeleton, skeleton.rest_rotation, found)
    )


def joint_frames_of(row: Character) -> JointFrames:
    """From where a character's joints bend, by the parts its bones were read as."""
    return _joint_frames(row.skeleton_id, row.skeleton.identity, str(row.skeleton.parts))


def _listed(row: Character) -> list[dict[str, Any]]:
    skeleton, plan = row.skeleton.value(), plan_of(row.skeleton.parts)
    usual, seen, out = defaults(plan.name), set(), []
    for frame in joint_frames_of(row).frames:
        if frame.part in seen:
            continue
        seen.add(frame.part)
        part = plan.by_name[frame.part]
        allowed = usual.get(part.kind)
        if allowed is None and frame.part not in row.limits:
            continue
        out.append(
            {
                "part": part.name,
                "limb": part.limb,
                "bone": skeleton.names[frame.joint],
                "usual": allowed and allowed.to_json(),
                "own": row.limits.get(part.name),
            }
        )
    order = list(plan.by_name)
    return sorted(out, key=lambda part: order.index(part["part"]))


@router.get("{character_id}/limits", response=list[LimitOut], operation_id="get_limits")
def get_limits(request: HttpRequest, character_id: Id) -> Any:
    """How far every joint of the character may bend."""
    return _listed(_row(character_id))


@router.put("{character_id}/limits", response=list[LimitOut], operation_id="set_limits")
def put_limits(request: HttpRequest, character_id: Id, payload: LimitIn) -> Any:
    """Change how far one part may bend, for this character. 409 where others have changed the same since the version
    of ``If-Match``."""
    # Read and written under one lock: what others change of it meanwhile is not written over.
    with transaction.atomic():
        row = _row(character_id)
        _set_limits(row, payload, base_version(request))
    return _listed(row)


def _set_limits(row: Character, limit: LimitIn, base: int | None) -> None:
    plan = plan_of(row.skeleton.parts)
    if limit.part not in plan.by_name:
        raise BadInput(f"{limit.part}: the body plan has no such part; take one of its names.")
    part = plan.by_name[limit.part]
    names = [other.name for other in plan.parts if other.kind == part.kind] if limit.mirror else [part.name]
    before = {f"how far the {name} may bend": row.limits.get(name) for name in names}
    for name in names:
        if limit.range is None:
            row.limits.pop(name, None)
            continue
        try:
            row.limits[name] = range_from(name, limit.range.dict()).to_json()
        except ValueError as problem:
            text = str(problem)
            raise BadInput(f"{text[:1].upper()}{text[1:]}; type others.") from None
    row.claim(base, before, {f"how far the {name} may bend": row.limits.get(name) for name in names})
    row.limits_revision += 1
    row.save(update_fields=["limits", "limits_revision", *VERSION_FIELDS])


@router.get("{character_id}/bent", operation_id="get_bent", response={200: None})
def get_bent(
    request: HttpRequest, character_id: Id, part: str, bend: float = 0, side: float = 0, twist: float = 0
) -> HttpResponse:
    """The character standing straight with one part bent so far, for its own nodes: float32 ``(1, N, 4)`` and ``(1, N,
    3)``."""
    row = _row(character_id)
    body, skeleton = joint_frames_of(row), row.skeleton.value()
    frame = next((frame for frame in body.frames if frame.part == part), None)
    if frame is None or not np.isfinite([bend, side, twist]).all():
        raise BadInput(f"{part}: this part does not bend; take one that the sheet lists.")
    local, _ = bent(skeleton, body, frame.joint, bend, side, twist)
    roots = np.flatnonzero(skeleton.parents < 0)
    pose = Clip("bent", skeleton, 30.0, local[None].copy(), roots, skeleton.rest_translation[roots][None].copy())
    return array_response(*node_motion(pose, row))
