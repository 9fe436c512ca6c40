"""A body moved off its path: shifted, turned about the upright, and leaning, before feet and hands are brought to what
they rest on, so that a foot that rests stays where it rests while the body moves above it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from armuto.constraints.travel import moved
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.world_motion import WorldMotion
from armuto.retarget.context import RetargetContext

TRUNK = ("spine", "chest")
SLIGHT = 1e-9  # metres, radians


@dataclass(frozen=True, eq=False)
class BodyDisplacement:
    """Over the frames of a clip, in the world of the target's motion.

    shift ``(F, 3)``: metres. turn ``(F,)``: radians about the upright through the hips. lean ``(F, 3)``: a rotation
    vector by which the chest is turned against the hips, in equal parts by the joints of the trunk above them. held
    ``(F,)``: how much the hips are not to be lowered for feet that cannot reach the floor, 0 to 1: of who sits.
    """

    shift: FloatArray
    turn: FloatArray
    lean: FloatArray
    held: FloatArray

    @classmethod
    def none(cls, frames: int) -> BodyDisplacement:
        return cls(np.zeros((frames, 3)), np.zeros(frames), np.zeros((frames, 3)), np.zeros(frames))

    @property
    def active(self) -> bool:
        return any(bool(np.any(np.abs(values) > SLIGHT)) for values in (self.shift, self.turn, self.lean))

    def rows(self, numbers: FloatArray) -> BodyDisplacement:
        """At some frames, by their numbers."""
        at = numbers.astype(int)
        return BodyDisplacement(self.shift[at], self.turn[at], self.lean[at], self.held[at])


def trunk_joints(context: RetargetContext) -> tuple[int, ...]:
    """The paired joints of the trunk above the hips, from there outwards: those by which a body leans."""
    parts, hips = context.fitting.plan.by_name, context.hips
    target = context.fitting.target
    return tuple(
        joint
        for joint, driver in sorted(context.mapping.items())
        if driver.part in parts
        and parts[driver.part].kind in TRUNK
        and (hips is None or hips in target.ancestors(joint))
    )


def displace(motion: WorldMotion, context: RetargetContext, by: BodyDisplacement) -> None:
    """Move the body, in place."""
    hips = context.hips if context.hips is not None else 0
    moved(motion, motion.positions[hips].copy(), by.turn, by.shift)
    joints = trunk_joints(context)
    if not joints or not np.any(np.abs(by.lean) > SLIGHT):
        return
    share = rotation.from_vector(by.lean / len(joints))
    for joint in joints:
        motion.swing(joint, motion.below(joint), share)
