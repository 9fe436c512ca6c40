"""Pairs that cross: bones of different sides of the body, or of the wrong order along a limb."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

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
    sides = _Sides(source, source_parts), _Sides(target, target_parts)
    by_part = {pair.part: pair for pair in pairs if pair.part}
    out = {}
    for pair in pairs:
        if pair.source and pair.target:
            sentence = _wrong_side(pair, *sides, plan) or _wrong_order(pair, by_part, source, target, plan)
            if sentence:
                out[pair.key] = sentence
    return out


class _Sides:
    """On which side of a body its bones are."""

    def __init__(self, skeleton: Skeleton, parts: Assignment) -> None:
        self.skeleton, self.left, self.read = skeleton, _left(skeleton, parts), _read(parts)

    def of(self, names: Sequence[str]) -> str:
        return _side(self.left, [self.skeleton.index[name] for name in names], self.read)


def _wrong_side(pair: Pair, source: _Sides, target: _Sides, plan: BodyPlan) -> str:
    source_side, target_side = source.of(pair.source), target.of(pair.target)
    if not source_side or not target_side:
        return ""
    if source_side != target_side:
        on_source = f"{pair.source[0]} is on the {source_side} of the source"
        return f"{on_source}, {pair.target[0]} on the {target_side} of the character."
    part = plan.by_name.get(pair.part or "")
    if part and part.side and part.side == OTHER[source_side]:
        return f"It is called the {part.name}, but both bones are on the {source_side}."
    return ""


def _wrong_order(pair: Pair, by_part: Mapping[str, Pair], source: Skeleton, target: Skeleton, plan: BodyPlan) -> str:
    part = plan.by_name.get(pair.part or "")
    inwards = part.follows if part else None
    while inwards and inwards not in by_part:
        inwards = plan.by_name[inwards].follows
    before = by_part.get(inwards or "")
    if part is None or part.name == "hips" or before is None or not before.source or not before.target:
        return ""
    for skeleton, own, inner in (
        (source, pair.source[0], before.source[-1]),
        (target, pair.target[0], before.target[-1]),
    ):
        # What branches from the trunk need not hang from the very bone that is its chest.
        if part.side and not plan.by_name[before.part or ""].side:
            wrong = skeleton.index[own] in skeleton.ancestors(skeleton.index[inner])
        else:
            wrong = skeleton.index[inner] not in skeleton.ancestors(skeleton.index[own])
        if wrong:
            return f"{own} does not come after {inner}, the {before.part}; the two may be in the wrong order."
    return ""


def _left(skeleton: Skeleton, parts: Assignment) -> FloatArray:
    """``(J,)``: how far every joint is to the left, as a share of the body's size; zero where the facing is not
    known."""
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
