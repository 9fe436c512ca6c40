"""Twist that bones share: bones on the line of a limb, and forearms with their hands."""

from __future__ import annotations

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.pose import Pose
from armuto.pairing.twist_joints import Twist
from armuto.retarget.context import RetargetContext


def share_twist(world: FloatArray, context: RetargetContext, turning: tuple[Twist, ...]) -> None:
    """Give bones for twist their share of the turn of the next joint about the bone they lie on; carry what hangs from
    them.

    With P and N the bone that is served and the one after it, a the axis between them in P's frame::

        twist = the part of P⁻¹ N (P⁻¹ N in the stance)⁻¹ that turns about a
        T = P · twist^share · (P⁻¹ T in the stance)
    """
    if not turning:
        return
    fitting, mapping = context.fitting, context.mapping
    target, stance, settings = fitting.target, fitting.target_pose, fitting.settings
    for twist in turning:
        upper = world[twist.upper]
        inverse_upper = rotation.inverse(stance.rotations[twist.upper])
        axis = rotation.rotate(inverse_upper, stance.positions[twist.lower] - stance.positions[twist.upper])
        axis = axis / np.linalg.norm(axis)
        angle = twist.share * settings.twist * _turn_about(world, twist.upper, twist.lower, stance, axis)
        above = int(target.parents[twist.upper])
        if settings.thigh and above >= 0:
            world_axis = rotation.rotate(stance.rotations[twist.upper], axis)
            along = rotation.rotate(rotation.inverse(stance.rotations[above]), world_axis)
            angle = angle - settings.thigh * (1 - twist.share) * _turn_about(world, above, twist.upper, stance, along)
        local = rotation.multiply(inverse_upper, stance.rotations[twist.joint])
        world[twist.joint] = rotation.multiply(upper, rotation.multiply(rotation.about(axis, angle), local))
    carried = {twist.joint for twist in turning}
    own_turn = set(carried)
    for joints in target.levels:
        for joint in joints:
            parent = int(target.parents[joint])
            if joint not in mapping and joint not in own_turn and parent in carried:
                world[joint] = rotation.multiply(world[parent], fitting.target_stance.rotations[joint])
                carried.add(int(joint))


def share_forearm_twist(world: FloatArray, context: RetargetContext) -> None:
    """Let forearms make a share of the turn of their hands about them; the hands stay as they are."""
    share, stance = context.fitting.settings.forearm, context.fitting.target_pose
    if not share:
        return
    for part, lower in context.last_joints.items():
        hand = context.last_joints.get(part.replace("lower arm", "hand"))
        if not part.endswith("lower arm") or hand is None:
            continue
        axis = rotation.rotate(
            rotation.inverse(stance.rotations[lower]), stance.positions[hand] - stance.positions[lower]
        )
        angle = share * _turn_about(world, lower, hand, stance, axis / np.linalg.norm(axis))
        world[lower] = rotation.multiply(world[lower], rotation.about(axis, angle))


def _turn_about(world: FloatArray, above: int, joint: int, stance: Pose, axis: FloatArray) -> FloatArray:
    """By how much a joint is turned about an axis ``(3,)`` of the joint above it, against the stance: radians
    ``(F,)``."""
    rest = rotation.against(stance.rotations[above], stance.rotations[joint])
    local = rotation.against(world[above], world[joint])
    local = rotation.multiply(local, rotation.inverse(rest))
    angle = 2 * np.arctan2(local[..., :3] @ axis, local[..., 3])
    return np.asarray((angle + np.pi) % (2 * np.pi) - np.pi)
