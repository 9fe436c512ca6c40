"""World rotations of the target from those of the source: rotations alone.

For each paired joint, with world rotations of source S and target T at frame t and in the stance::

    R_T(t) = D(t) · R_T(stance),   D(t) = C · R_S(t) · R_S(stance)⁻¹ · C⁻¹

C turns the source's facing to the target's. A joint driven by two source joints takes the D between theirs. Unpaired
joints keep their stance against their parent.
"""

from __future__ import annotations

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.pose import Pose
from armuto.kinematics.vectors import dot, lengths
from armuto.pairing.joint_mapping import JointDriver
from armuto.retarget.context import RetargetContext


def world_rotations(source: Pose, context: RetargetContext) -> FloatArray:
    """World rotations of the target ``(J, F, 4)``, from the source's world pose ``(J, F, ·)``: both joint first."""
    fitting, mapping = context.fitting, context.mapping
    target, stance = fitting.target, fitting.target_pose.rotations
    turns = SourceTurns(source, context)
    trunk = _along_the_trunk(turns, source, context)
    world = np.empty((len(target), source.rotations.shape[1], 4))
    for joint in range(len(target)):
        driver = mapping.get(joint)
        if driver is None:
            above, local = int(target.parents[joint]), fitting.target_stance.rotations[joint]
            world[joint] = rotation.multiply(world[above], local) if above >= 0 else local
        elif joint in trunk:
            world[joint] = rotation.multiply(trunk[joint], stance[joint])
        elif driver.among or driver.share > 0:
            world[joint] = rotation.multiply(turns.of(driver), stance[joint])
        else:
            after = rotation.multiply(turns.back[driver.source], stance[joint])
            rotation.multiply_three(fitting.turn, source.rotations[driver.source], after, out=world[joint])
    return world


class SourceTurns:
    """D(t) of the target's joints as their drivers give it. back: what brings each of the source's joints back to its
    stance, and to where the target faces, ``(J, 4)``."""

    def __init__(self, source: Pose, context: RetargetContext) -> None:
        fitting = context.fitting
        self.rotations, self.turn = source.rotations, fitting.turn
        self.back = rotation.against(fitting.source_pose.rotations, rotation.inverse(fitting.turn))

    def of(self, driver: JointDriver) -> FloatArray:
        """``(F, 4)``: of one joint, of the mean of several, or of what lies between two."""
        if driver.among:
            turn = rotation.mean(np.stack([self._of_joint(joint) for joint in driver.among]))
        else:
            turn = self._of_joint(driver.source)
        if driver.share > 0:
            turn = rotation.slerp(turn, self._of_joint(driver.blend_source), driver.share)
        return turn

    def _of_joint(self, joint: int) -> FloatArray:
        return rotation.multiply_three(self.turn, self.rotations[joint], self.back[joint])


def _along_the_trunk(turns: SourceTurns, source: Pose, context: RetargetContext) -> dict[int, FloatArray]:
    """Let one bone between hips and neck stand for several: the trunk as a whole goes where the source's goes.

    With w(t) where the source's neck lies from its hips, turned as from its stance, the chest is turned by the smallest
    rotation that brings the target's neck into line with it; hips, and its turn about itself, stay as they are. Returns
    D(t) of the chest by its joint; nothing where each of the source's bones has its own.
    """
    trunk = _trunk(context)
    if trunk is None:
        return {}
    (hips, chest, neck), ends = trunk
    fitting, mapping = context.fitting, context.mapping
    source_direction = rotation.rotate(fitting.turn, source.positions[ends[1]] - source.positions[ends[0]])
    rest = rotation.rotate(
        fitting.turn, fitting.source_pose.positions[ends[1]] - fitting.source_pose.positions[ends[0]]
    )
    at = fitting.target_pose.positions
    target_direction = at[neck] - at[hips]
    desired = rotation.rotate(
        rotation.between_each(np.broadcast_to(rest, source_direction.shape), source_direction),
        np.broadcast_to(target_direction, source_direction.shape),
    )
    desired = desired / lengths(desired)[:, None]
    turn = turns.of(mapping[chest])
    foot = rotation.rotate(turns.of(mapping[hips]), np.broadcast_to(at[chest] - at[hips], source_direction.shape))
    bone = rotation.rotate(turn, np.broadcast_to(at[neck] - at[chest], source_direction.shape))
    # Where a bone of this length from the chest's place meets the line that is wanted.
    along = dot(desired, foot)
    room = along**2 - dot(foot, foot) + dot(bone, bone)
    goal = (along + np.sqrt(np.maximum(room, 0.0)))[:, None] * desired - foot
    return {chest: rotation.multiply(rotation.between_each(bone, goal), turn)}


def _trunk(context: RetargetContext) -> tuple[tuple[int, int, int], tuple[int, int]] | None:
    """Hips, chest, neck of a target with one bone for a trunk that the source has several for; the source's hips,
    neck."""
    fitting, first = context.fitting, context.first_drivers
    top = next((name for name in ("neck", "head") if name in first), None)
    if top is None or "hips" not in first or "chest" not in first or "spine" in first:
        return None
    hips, chest, neck = (first[name] for name in ("hips", "chest", top))
    source, target = fitting.source, fitting.target
    run = source.ancestors(chest.source)
    if hips.source not in run or chest.target not in target.ancestors(neck.target) or chest.share > 0:
        return None
    between = [
        joint for joint in run[: run.index(hips.source)] if np.linalg.norm(source.rest_translation[joint]) > 1e-6
    ]
    return ((hips.target, chest.target, neck.target), (hips.source, neck.source)) if between else None
