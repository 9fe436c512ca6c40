"""Pairs that cross: bones of different sides of the body, or of the wrong order along a limb."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from armuto.body.mirror import OTHER
from armuto.body.orientation import facing_angle
from armuto.body.parts import Assignment
from armuto.body.plans import BodyPlan
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import Skeleton
from armuto.pairing import Pair

MIDDLE = 0.02  # of the body's size: nearer to the middle than this a bone has no side


def crossings(
    pairs: Sequence[Pair],
    source: Skeleton,
    source_parts: Assignment,
    target: Skeleton,
    target_parts: Assignment,
    plan: BodyPlan,
) -> dict[str, str]:
    """A sentence for every pair, by its key, that joins what does not belong together.

    The parts are those that each skeleton was read as, whatever is paired: they say which way a body faces.
    """
    out: dict[str, str] = {}
    left_of, left_of_target = _left(source, source_parts), _left(target, target_parts)
    read, read_target = _read(source_parts), _read(target_parts)
    by_part = {pair.part: pair for pair in pairs if pair.part}
    for pair in pairs:
        if not pair.source or not pair.target:
            continue
        here = _side(left_of, [source.index[name] for name in pair.source], read)
        there = _side(left_of_target, [target.index[name] for name in pair.target], read_target)
        if here and there and here != there:
            out[pair.key] = (
                f"{pair.source[0]} is on the {here} of the source, {pair.target[0]} on the {there} of the character."
            )
            continue
        part = plan.by_name.get(pair.part or "")
        if part and part.side and here and there and part.side == OTHER[here] and part.side == OTHER[there]:
            out[pair.key] = f"It is called the {part.name}, but both bones are on the {here}."
            continue
        follows = part.follows if part else None
        while follows and follows not in by_part:
            follows = plan.by_name[follows].follows
        before = by_part.get(follows or "")
        if before is None or not before.source or not before.target or (part and part.name == "hips"):
            continue
        for skeleton, mine, inner in (
            (source, pair.source[0], before.source[-1]),
            (target, pair.target[0], before.target[-1]),
        ):
            # What branches from the trunk need not hang from the very bone that is its chest.
            if part and part.side and not plan.by_name[before.part or ""].side:
                wrong = skeleton.index[mine] in skeleton.ancestors(skeleton.index[inner])
            else:
                wrong = skeleton.index[inner] not in skeleton.ancestors(skeleton.index[mine])
            if wrong:
                out[pair.key] = (
                    f"{mine} does not come after {inner}, the {before.part}; the two may be in the wrong order."
                )
                break
    return out


def _left(skeleton: Skeleton, parts: Assignment) -> FloatArray:
    """``(J,)``: how far every joint is to the left, as a share of the body's size; zero where the facing is not known."""
    at = skeleton.rest.positions
    facing, _ = facing_angle(skeleton, parts)
    size = float(np.linalg.norm(np.ptp(at, axis=0))) if len(at) else 0.0
    if facing is None or size == 0 or "hips" not in parts:
        return np.zeros(len(skeleton))
    angle = np.radians(facing)
    left = np.array([np.cos(angle), 0.0, -np.sin(angle)])
    return np.asarray((at - at[parts["hips"][0].joint]) @ left / size)


def _read(parts: Assignment) -> dict[int, str]:
    """The side that joints near the middle, such as collar bones, were read as."""
    sided = {part: part.split()[0] for part in parts if part.split()[0] in OTHER}
    return {bone.joint: side for part, side in sided.items() for bone in parts[part]}


def _side(left: FloatArray, joints: Sequence[int], read: dict[int, str]) -> str:
    mean = sum(float(left[joint]) for joint in joints) / len(joints)
    if abs(mean) < MIDDLE:
        return read.get(joints[0], "")
    return "left" if mean > 0 else "right"
