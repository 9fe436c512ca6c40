"""Joint mapping: which source joints drive each target joint, one to one or spread along a limb of another length."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from armuto.body.plans import BodyPlan, is_footing
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import Skeleton
from armuto.pairing import Pair

ON_ITS_PARENT = 1e-6  # metres
ELSEWHERE = 0.3  # of a run's length


@dataclass(frozen=True)
class JointDriver:
    """What drives target joint ``target``: source joints ``source`` and ``blend_source``, ``share`` of the way from one
    to the other.

    place: ``(3,)`` where the target joint would sit on the source's body in its stance. moves: whether translations of
    the source are carried over. resampled: whether it came of resampling bones of another number. among: source joints
    side by side, as fingers are, whose mean turn it takes instead.
    """

    target: int
    source: int
    blend_source: int
    share: float
    part: str | None
    place: FloatArray
    moves: bool = True
    resampled: bool = False
    among: tuple[int, ...] = ()


def joint_mapping(
    pairs: Sequence[Pair], source: Skeleton, positions: FloatArray, target: Skeleton, plan: BodyPlan
) -> dict[int, JointDriver]:
    """The driver of every paired target joint. positions: ``(J, 3)`` of the source's joints in its stance."""
    out: dict[int, JointDriver] = {}
    by_part = {pair.part: pair for pair in pairs if pair.part}
    for pair in pairs:
        rows = [source.index[name] for name in pair.source]
        joints = [target.index[name] for name in pair.target]
        part = plan.by_name.get(pair.part or "")
        if part is not None and part.many and len(rows) > len(joints):
            # A joint on the spot of the one before it is there for a branch, where the other body has no counterpart.
            solid = [row for row in rows if np.linalg.norm(source.rest_translation[row]) > ON_ITS_PARENT]
            rows = solid if len(solid) == len(joints) else rows
        if side_by_side(source, rows) or side_by_side(target, joints):
            for joint in joints:
                place = positions[rows].mean(axis=0)
                among = tuple(rows) if len(rows) > 1 else ()
                out[joint] = JointDriver(
                    joint, rows[len(rows) // 2], rows[len(rows) // 2], 0.0, pair.part, place, pair.moves, among=among
                )
        elif len(rows) == len(joints) and not (
            part is not None and part.many and _apart(rows, pair, by_part, plan, source, positions, target)
        ):
            for joint, row in zip(joints, rows, strict=True):
                out[joint] = JointDriver(joint, row, row, 0.0, pair.part, positions[row], pair.moves)
        elif part is not None and not part.many:
            # Without a bone to follow it stays as it rests; along a spine, it would go with those before and after it.
            after = _neighbours(pair, by_part, plan)[1]
            for driver in _stepped(pair, after, source, positions, target) if rows else ():
                out[driver.target] = driver
        else:
            before, after = _neighbours(pair, by_part, plan)
            for driver in _spread(pair, before, after, source, positions, target):
                out[driver.target] = driver
    return out


def _apart(
    rows: Sequence[int],
    pair: Pair,
    by_part: dict[str, Pair],
    plan: BodyPlan,
    source: Skeleton,
    positions: FloatArray,
    target: Skeleton,
) -> bool:
    """Whether the bones of a run lie elsewhere along it than as many on the other body, as where one lies on the
    hips."""
    before, after = _neighbours(pair, by_part, plan)
    if not (before and before.source and before.target and after and after.source and after.target):
        return False
    source_joints = [source.index[before.source[-1]], *rows, source.index[after.source[0]]]
    target_joints = [target.index[name] for name in (before.target[-1], *pair.target, after.target[0])]
    distances = np.abs(_fractions(positions[source_joints]) - _fractions(target.rest.positions[target_joints]))
    return bool(distances.max() > ELSEWHERE)


def first_drivers(mapping: Mapping[int, JointDriver]) -> dict[str, JointDriver]:
    """The driver of the first joint of every part."""
    out: dict[str, JointDriver] = {}
    for joint in sorted(mapping):
        part = mapping[joint].part
        if part:
            out.setdefault(part, mapping[joint])
    return out


def footing(mapping: Mapping[int, JointDriver]) -> list[int]:
    """The target's paired joints of feet and toes."""
    return [joint for joint, driver in mapping.items() if is_footing(driver.part)]


def side_by_side(skeleton: Skeleton, joints: Sequence[int]) -> bool:
    """Whether several joints lie beside each other, as those of different fingers, and not along one line."""
    return len(joints) > 1 and not any(a in skeleton.ancestors(b) for a in joints for b in joints)


def _neighbours(pair: Pair, by_part: dict[str, Pair], plan: BodyPlan) -> tuple[Pair | None, Pair | None]:
    """The pairs just inwards and outwards of a part that has many bones."""
    if pair.part is None or pair.part not in plan.by_name:
        return None, None
    inwards = plan.by_name[pair.part].follows
    while inwards and inwards not in by_part:
        inwards = plan.by_name[inwards].follows
    side = plan.by_name[pair.part].side
    outwards = next((part.name for part in plan.parts if part.follows == pair.part and part.side == side), "")
    return by_part.get(inwards or ""), by_part.get(outwards)


def _stepped(
    pair: Pair, after: Pair | None, source: Skeleton, positions: FloatArray, target: Skeleton
) -> list[JointDriver]:
    """One part of a limb in several bones, as an upper arm in two: each turns as the source bone that lies where it
    lies.

    A limb bends at its joints, so turns are not blended here as they are along a spine.
    """
    rows = [source.index[name] for name in pair.source]
    joints = [target.index[name] for name in pair.target]
    whole = bool(after and after.source and after.target)
    last = [source.index[after.source[0]]] if after and whole else []
    behind = [target.index[after.target[0]]] if after and whole else []
    heads = _fractions(positions[[*rows, *last]])
    own = _fractions(target.rest.positions[[*joints, *behind]])
    out = []
    for number, joint in enumerate(joints):
        row = rows[int(np.clip(np.searchsorted(heads, own[number] + 1e-6, side="right") - 1, 0, len(rows) - 1))]
        place = np.array([np.interp(own[number], heads, positions[[*rows, *last], axis]) for axis in range(3)])
        out.append(JointDriver(joint, row, row, 0.0, pair.part, place, pair.moves, resampled=True))
    return out


def _spread(
    pair: Pair, before: Pair | None, after: Pair | None, source: Skeleton, positions: FloatArray, target: Skeleton
) -> list[JointDriver]:
    """Spread source bones over a different number of target bones by arc length.

    Both runs are measured from the joint before them to the joint after them, as 0 to 1. A bone acts at its middle; a
    target bone takes the turn between the two source bones on either side of its own middle.
    """
    rows = [source.index[name] for name in pair.source]
    joints = [target.index[name] for name in pair.target]
    first = [source.index[before.source[-1]]] if before and before.source else []
    last = [source.index[after.source[0]]] if after and after.source else []
    line = [*first, *rows, *last]
    if not line:
        return []
    ahead = [target.index[before.target[-1]]] if before and first and before.target else []
    behind = [target.index[after.target[0]]] if after and last and after.target else []
    heads = _fractions(positions[line])
    target_heads = _fractions(target.rest.positions[[*ahead, *joints, *behind]])
    middles = _middles(heads, bool(last))
    out = []
    for number, joint in enumerate(joints, len(ahead)):
        tail = target_heads[number + 1] if number + 1 < len(target_heads) else 1.0
        middle = (target_heads[number] + tail) / 2
        b = int(np.clip(np.searchsorted(middles, middle), 0, len(line) - 1))
        a = max(b - 1, 0)
        span = middles[b] - middles[a]
        share = float(np.clip((middle - middles[a]) / span, 0.0, 1.0)) if span > 0 else 0.0
        place = np.array([np.interp(target_heads[number], heads, positions[line, axis]) for axis in range(3)])
        out.append(JointDriver(joint, line[a], line[b], share, pair.part, place, pair.moves, resampled=True))
    return out


def _fractions(points: FloatArray) -> FloatArray:
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
    if along[-1] > 0:
        return np.asarray(along / along[-1])
    return np.linspace(0.0, 1.0, len(points))


def _middles(heads: FloatArray, closed: bool) -> FloatArray:
    """Where each bone of a run acts: half-way to the next head; the joint that closes the run acts at its own head."""
    tails = np.append(heads[1:], 1.0)
    middles: FloatArray = (heads + tails) / 2
    if closed:
        middles[-1] = 1.0
    return middles
