"""Layers carried to other characters and other clips.

To another character a touch-up goes by its part, in that body's proportions and rest: a turn by its degrees about the
same anatomical axes (:func:`~armuto.touchups.resolving.local_to_anatomical`), the place of a hand, a foot or the head
in the length of its limb, the hips in that of the legs. To another clip it goes by time, or by the phase of steps: a
foot that sets down is the same moment in both.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from armuto.contacts.model import Contact
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.retarget.context import RetargetContext
from armuto.stance.measures import sizes
from armuto.touchups.model import Key, Layer, TouchUp, Vector
from armuto.touchups.resolving import (
    anatomical_to_local,
    chain_to,
    joint_of,
    joints_of_parts,
    local_to_anatomical,
    movable,
)

DIGITS = 6
APART = 1e-3  # seconds: keys that come to lie nearer than that are the same


@dataclass(frozen=True)
class Carried:
    """A layer as it is elsewhere, None where nothing of it could be carried; and a sentence for whatever could not."""

    layer: Layer | None
    lost: tuple[str, ...] = ()


def carry_to_character(layer: Layer, source: RetargetContext, target: RetargetContext, name: str) -> Carried:
    """A layer that was made on a character, for another one.

    source, target: fittings of one library skeleton, or of several, on the two characters. name: of the other one.
    """
    rows: list[TouchUp] = []
    lost: list[str] = []
    for touchup in layer.touchups:
        made = _carried(touchup, source, target, name)
        if isinstance(made, str):
            lost.append(f"{layer.name}: {made}")
        else:
            rows.append(made)
    return Carried(replace(layer, touchups=tuple(rows)) if rows else None, tuple(lost))


def _carried(touchup: TouchUp, source: RetargetContext, target: RetargetContext, name: str) -> TouchUp | str:
    label = touchup.label
    joint, other = joint_of(touchup, source), joint_of(touchup, target)
    if joint is None:
        return f"the {label} is not to be found where it was made; it is left there."
    if other is None:
        return f"{name} has no {label} that is paired; it is left out."
    values = np.array([key.value for key in touchup.keys], dtype=float)
    turns = np.array([key.turn for key in touchup.keys], dtype=float)
    if touchup.channel == "rotation":
        values = anatomical_to_local(local_to_anatomical(values, joint, source), other, target)
    else:
        if touchup.against and touchup.against not in joints_of_parts(target):
            return f"{name} has no {touchup.against} for the {label} to be moved with; it is left out."
        if touchup.channel == "place" and chain_to(other, target) is None:
            return f"the {label} of {name} ends no limb that could follow it; it is left out."
        if touchup.channel == "translation" and other not in movable(target):
            return f"the {label} of {name} does not carry its body; it is left out."
        faces = rotation.between(source.fitting.forward, target.fitting.forward)
        ratio = _length(touchup, other, target) / max(_length(touchup, joint, source), 1e-9)
        values, turns = ratio * _rotated(faces, values), _rotated(faces, turns)
    keys = tuple(
        replace(key, value=_vector(value), turn=_vector(turn), baseline=None)
        for key, value, turn in zip(touchup.keys, values, turns, strict=True)
    )
    bone = target.fitting.target.names[other] if touchup.bone else ""
    return replace(touchup, keys=keys, bone=bone)


def _length(touchup: TouchUp, joint: int, context: RetargetContext) -> float:
    """What an offset is in proportion to: the length of the limb that follows it, of the legs, or of the body."""
    at = context.fitting.target_pose.positions
    chain = chain_to(joint, context) if touchup.channel == "place" else None
    if chain is not None:
        return float(sum(np.linalg.norm(at[b] - at[a]) for a, b in pairwise(chain.joints)))
    measured = sizes(context.mapping, context.fitting.target, context.fitting.plan)
    legs = _leg(context)
    return legs or measured.spine or float(np.ptp(at[:, 1])) or 1.0


def _leg(context: RetargetContext) -> float:
    """Mean length of the legs, or 0 without any."""
    at, plan = context.fitting.target_pose.positions, context.fitting.plan
    lengths = []
    for run in plan.legs:
        joints = [joint for part in run for joint in joints_of_parts(context).get(part.name, ())[:1]]
        if len(joints) > 1:
            lengths.append(float(sum(np.linalg.norm(at[b] - at[a]) for a, b in pairwise(joints))))
    return float(np.mean(lengths)) if lengths else 0.0


def _rotated(q: FloatArray, vectors: FloatArray) -> FloatArray:
    return rotation.rotate(np.broadcast_to(q, (len(vectors), 4)), vectors)


def _vector(values: FloatArray) -> Vector:
    x, y, z = (round(float(value), DIGITS) for value in values)
    return x, y, z


def carry_in_time(layer: Layer, moment: Callable[[float], float | None]) -> Carried:
    """A layer whose keys are at other moments. moment: of a key's; None for one that has no like in the other clip."""
    rows, lost = [], 0
    for touchup in layer.touchups:
        keys: list[Key] = []
        for key in touchup.keys:
            at = moment(key.time)
            if at is None or (keys and at - keys[-1].time < APART):
                lost += 1
            else:
                keys.append(replace(key, time=round(at, DIGITS), baseline=None))
        if keys:
            rows.append(replace(touchup, keys=tuple(keys)))
    sentence = f"{layer.name}: {lost} key{'s' if lost > 1 else ''} lie where the other clip has no such step; left out."
    weight = layer.weight
    if isinstance(weight, tuple):
        moved = [(moment(key.time), key) for key in weight]
        kept = tuple(replace(key, time=at) for at, key in moved if at is not None)
        weight = kept or 1.0
    made = replace(layer, touchups=tuple(rows), weight=weight) if rows else None
    return Carried(made, (sentence,) if lost else ())


def by_time(shift: float = 0.0) -> Callable[[float], float | None]:
    """Moments so many seconds later."""
    return lambda time: time + shift


def by_phase(
    source: Sequence[tuple[float, str]], target: Sequence[tuple[float, str]]
) -> Callable[[float], float | None]:
    """Moments in the same phase of steps. source, target: when each foot sets down, in seconds, with its limb
    (:func:`touchdowns`); their first steps with the same foot are taken to be the same. Beyond the first and the last
    step moments go on in the pace of the nearest step, for one step at most; then there is no like."""
    if not source or not target:
        return lambda time: None
    foot = source[0][1]
    begin = next((n for n, (_, limb) in enumerate(target) if limb == foot), None)
    if begin is None:
        return lambda time: None
    pairs = list(zip(_without_simultaneous(source), _without_simultaneous(target[begin:]), strict=False))
    count = next((n for n, (a, b) in enumerate(pairs) if a[1] != b[1]), len(pairs))
    ours, theirs = (np.array([row[side][0] for row in pairs[:count]]) for side in (0, 1))
    if len(ours) < 2:
        return lambda time: None

    def moment(time: float) -> float | None:
        if ours[0] <= time <= ours[-1]:
            return float(np.interp(time, ours, theirs))
        near, far = (0, 1) if time < ours[0] else (-1, -2)
        share = (time - ours[near]) / (ours[far] - ours[near])
        return None if share < -1.0 else float(theirs[near] + share * (theirs[far] - theirs[near]))

    return moment


def _without_simultaneous(steps: Sequence[tuple[float, str]]) -> list[tuple[float, str]]:
    """Steps without those that come with another, of which a phase cannot be told."""
    times = [time for time, _ in steps]
    return [step for step in steps if sum(abs(step[0] - time) < APART for time in times) == 1]


def touchdowns(contacts: Sequence[Contact], limb_of: Mapping[str, str], times: FloatArray) -> list[tuple[float, str]]:
    """When each foot sets down, with its limb: the beginnings of stretches in which any point of it rests, in order. A
    foot that rests from the clip's first frame on has set down before it.

    limb_of: the limb of every point of a foot. times: seconds of the take that the frames show ``(F,)``.
    """
    out: list[tuple[float, str]] = []
    for limb in sorted(set(limb_of.values())):
        rows = sorted((c.first, c.last) for c in contacts if limb_of.get(c.point) == limb)
        until = -2
        for first, last in rows:
            if first > until + 1 and first > 0:
                out.append((float(times[first]), limb))
            until = max(until, last)
    return sorted(out)
