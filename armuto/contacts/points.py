"""Where a body may touch something: the same few places on source and target, each fixed to a joint."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from armuto.body.estimation import lowest_of
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.curves import smooth
from armuto.kinematics.pose import Pose
from armuto.kinematics.skeleton import Skeleton
from armuto.kinematics.world_motion import WorldMotion
from armuto.retarget.context import RetargetContext
from armuto.stance.posture import UP

HEEL_HEIGHT = (
    0.22  # of the leg: a foot joint higher than this in its stance is a hock, whose heel does not touch the floor
)
HEEL_BACK = 0.3  # of the way from ankle to toes over the ground: so far the heel lies behind the ankle
TURNED = (0.3, 0.7)  # cosine of a foot's turn from its stance: beyond the first its sole tells nothing of its height
HANDS = ("hand", "wing tip", "wing hand")


@dataclass(frozen=True)
class Point:
    """A place on both bodies. name: "left heel". kind: "heel", "toes", "hand". limb, part: of the body plan.

    source, target: the joints it is fixed to. source_offset, target_offset ``(3,)``: where, in the joint's own frame.
    sole: of heels and toes, the lowest points of the skin of the target's foot, by joint and in its frame, where it has
    a mesh; and sole_height: that of the lowest of them when the body stands in its stance, in metres above the floor;
    upright: which way is up there in the frames of its joints.
    """

    name: str
    kind: str
    limb: str
    part: str
    source: int
    source_offset: FloatArray
    target: int
    target_offset: FloatArray
    sole: Mapping[int, FloatArray] = field(default_factory=dict)
    sole_height: float = 0.0
    upright: Mapping[int, FloatArray] = field(default_factory=dict)

    @property
    def is_foot(self) -> bool:
        return self.kind != "hand"


def contact_points(context: RetargetContext) -> tuple[Point, ...]:
    """Heels and toes of all limbs that stand, and hands or the tips of wings, as far as they are paired.

    Heels and toes lie on the floor in the stance: a heel under and behind its ankle, toes under the toe joint, or where
    one of the bodies has none, under the end of its foot. Hands are their joints.
    """
    fitting, by_part = context.fitting, context.last_drivers
    source = _Body(fitting.source, fitting.source_pose, context.standing[0])
    target = _Body(fitting.target, fitting.target_pose, context.standing[1])
    ahead = rotation.rotate(rotation.inverse(fitting.turn), fitting.forward), fitting.forward
    out: list[Point] = []
    for run in fitting.plan.legs:
        parts = fitting.plan.limbs[run[0].limb]
        drivers = [by_part.get(part.name) for part in run]
        foot = drivers[-1]
        if foot is None or drivers[0] is None:
            continue
        toes = next((by_part[part.name] for part in parts if part.kind.endswith("toes") and part.name in by_part), None)
        whole = [driver for driver in drivers if driver is not None]
        sides = (
            _Leg(source, [driver.source for driver in whole], None if toes is None else toes.source, ahead[0]),
            _Leg(target, [driver.target for driver in whole], None if toes is None else toes.target, ahead[1]),
        )
        limb, holder, sole = run[0].limb, toes or foot, target.sole(foot.target)
        name = limb.removesuffix("leg").strip()
        if all(side.low for side in sides):
            heels = [side.body.fixed(side.foot, side.heel) for side in sides]
            out.append(
                Point(f"{name} heel", "heel", limb, str(foot.part), foot.source, heels[0], foot.target, heels[1], *sole)
            )
        ends = source.fixed(holder.source, sides[0].end), target.fixed(holder.target, sides[1].end)
        out.append(
            Point(f"{name} toes", "toes", limb, str(foot.part), holder.source, ends[0], holder.target, ends[1], *sole)
        )
    for limb, parts in fitting.plan.limbs.items():
        last = next(
            (by_part[part.name] for part in reversed(parts) if part.kind in HANDS and part.name in by_part), None
        )
        if last is not None:
            zero = np.zeros(3)
            out.append(Point(str(last.part), "hand", limb, str(last.part), last.source, zero, last.target, zero))
    return tuple(out)


class _Body:
    """One body standing in its stance."""

    def __init__(self, skeleton: Skeleton, pose: Pose, places: FloatArray) -> None:
        self.skeleton, self.rotations, self.at = skeleton, pose.rotations, places
        self.ends = pose.ends + (places - pose.positions)[:1] if len(places) else pose.ends

    def length(self, joints: list[int]) -> float:
        return float(np.linalg.norm(np.diff(self.at[joints], axis=0), axis=1).sum())

    def fixed(self, joint: int, place: FloatArray) -> FloatArray:
        """The place on the floor under one, in the joint's frame."""
        on_floor = np.array([place[0], 0.0, place[2]])
        return rotation.rotate(rotation.inverse(self.rotations[joint]), on_floor - self.at[joint])

    def sole(self, foot: int) -> tuple[dict[int, FloatArray], float, dict[int, FloatArray]]:
        """The lowest points of the skin of a foot by joint, the height of the lowest of them, and where up is for
        each."""
        soles = self.skeleton.observed.soles
        own = {joint: soles[joint] for joint in soles if foot in (joint, *self.skeleton.ancestors(joint))}
        lowest = lowest_of(own, self.rotations, self.at)
        upright = {joint: rotation.rotate(rotation.inverse(self.rotations[joint]), UP) for joint in own}
        return own, 0.0 if lowest is None else float(lowest), upright

    def tip(self, foot: int, forward: FloatArray, leg: float) -> FloatArray:
        """Where a foot without a toe joint ends: its farthest bone or end site in front of it, else a usual length
        ahead."""
        below = [joint for joint in range(len(self.skeleton)) if foot in self.skeleton.ancestors(joint)]
        found = [self.at[joint] for joint in below]
        found += [
            end
            for end, parent in zip(self.ends, self.skeleton.end_parents, strict=True)
            if parent == foot or parent in below
        ]
        best = max(found, key=lambda place: float((place - self.at[foot]) @ forward), default=None)
        if best is not None and float((best - self.at[foot]) @ forward) > 0.03 * leg:
            return np.asarray(self.at[foot] + (best - self.at[foot]) * 0.7)
        return np.asarray(self.at[foot] + forward * 0.15 * leg)


class _Leg:
    """One leg of a standing body, from its top to its foot."""

    def __init__(self, body: _Body, joints: list[int], toes: int | None, forward: FloatArray) -> None:
        self.body, self.foot, self.length = body, joints[-1], body.length(joints)
        self.end = body.tip(self.foot, forward, self.length) if toes is None else body.at[toes]

    @property
    def low(self) -> bool:
        """Whether its heel stands on the floor."""
        return bool(self.body.at[self.foot][1] < HEEL_HEIGHT * self.length)

    @property
    def heel(self) -> FloatArray:
        ankle = self.body.at[self.foot]
        return np.asarray(ankle - (self.end - ankle) * HEEL_BACK)


def target_paths(motion: WorldMotion, points: Sequence[Point]) -> dict[str, FloatArray]:
    """Where points are on the target over time, by name, ``(F, 3)``.

    Heels and toes stand for the sole of their foot. Where the mesh shows it they are as high as it is: the lowest of
    them is as much higher or lower than in the stance as the lowest point of the skin, since a foot that lands on its
    heel stands on the edge of it, which no point under the ankle is.
    """
    out = {
        point.name: point_path(point, "target", motion.positions[point.target], motion.rotations[point.target])
        for point in points
    }
    for limb in {point.limb for point in points if point.sole}:
        own = [point for point in points if point.limb == limb and point.sole]
        lowest = lowest_of(own[0].sole, motion.rotations, motion.positions)
        assert lowest is not None
        off = lowest - own[0].sole_height - np.min([out[point.name][:, 1] for point in own], axis=0)
        # A sole that is turned far from the floor is not what is lowest of a foot.
        upright = [rotation.rotate(motion.rotations[joint], up)[:, 1] for joint, up in own[0].upright.items()]
        off *= smooth((np.max(upright, axis=0) - TURNED[0]) / (TURNED[1] - TURNED[0]))
        for point in own:
            out[point.name][:, 1] += off
    return out


def point_path(point: Point, which: str, positions: FloatArray, rotations: FloatArray) -> FloatArray:
    """Where the point is over time, ``(F, 3)``, from world positions and rotations of its joint ``(F, 3)`` and ``(F,
    4)``."""
    offset = point.source_offset if which == "source" else point.target_offset
    return positions + rotation.rotate(rotations, np.broadcast_to(offset, positions.shape))
