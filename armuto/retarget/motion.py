"""Motion through rotations alone, before any constraint."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray, IntArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.pose import local_rotations_by_joint
from armuto.kinematics.vectors import cross
from armuto.kinematics.world_motion import WorldMotion
from armuto.retarget.context import RetargetContext
from armuto.retarget.influence import apply_rotation_influence, influences
from armuto.retarget.rotations import world_rotations
from armuto.retarget.translations import local_translations, translated_joints, world_positions
from armuto.retarget.twist import share_forearm_twist, share_twist


@dataclass(frozen=True)
class UnconstrainedMotion:
    """The target's motion, the source's world positions ``(F, 3)`` and rotations ``(F, 4)`` by joint, and the target
    joints that move against their parents."""

    motion: WorldMotion
    source_positions: Mapping[int, FloatArray]
    source_rotations: Mapping[int, FloatArray]
    translated: frozenset[int]


def retarget_rotations(
    clip: Clip, context: RetargetContext, tracked: Iterable[int], rows: IntArray | None = None
) -> UnconstrainedMotion:
    """Some frames of a clip, by rotations alone. tracked: source joints whose rotations are wanted. rows: which frames;
    all without."""
    fitting, mapping = context.fitting, context.mapping
    target, stance = fitting.target, fitting.target_pose
    numbers = np.arange(clip.frames) if rows is None else rows
    whole = clip
    if len(numbers) != clip.frames:
        clip = replace(clip, rotations=clip.rotations[numbers], translations=clip.translations[numbers])
    turning, shifts = context.twist_joints, translated_joints(clip, context)
    influenced = influences(fitting.settings.follow, mapping, target, fitting.plan)
    up = np.array([0.0, 1.0, 0.0])
    axes = np.stack([cross(up, fitting.forward), up, fitting.forward])
    tracked = list(tracked)
    sampled = sorted({*tracked, *(driver.source for driver in mapping.values())})
    source = clip.world_by_joint()
    world = world_rotations(source, context)
    share_forearm_twist(world, context)
    share_twist(world, context, turning)
    apply_rotation_influence(world, target, stance, fitting.target_stance.rotations, axes, influenced)
    local = local_translations(clip, context, shifts)
    for joint, values in local.items():
        share = influenced[joint].shift if joint in influenced else 1.0
        local[joint] = target.rest_translation[joint] + share * (values - target.rest_translation[joint])
    positions = {joint: source.positions[joint] for joint in sampled}
    rotations = {joint: source.rotations[joint] for joint in tracked}
    places = world_positions(world, local, positions, context, clip.fps)
    motion = WorldMotion(target, world, places, clip.fps, numbers.astype(float), whole.loop)
    return UnconstrainedMotion(motion, positions, rotations, frozenset(shifts))


def local_clip(name: str, motion: WorldMotion, translated: Iterable[int]) -> Clip:
    """A clip of motion in the world: rotations against parents, and translations of the joints that have them."""
    target, joints = motion.skeleton, sorted(translated)
    rotations = local_rotations_by_joint(target, motion.rotations)
    translations = np.empty((motion.frames, len(joints), 3))
    for column, joint in enumerate(joints):
        parent = int(target.parents[joint])
        place = motion.positions[joint]
        if parent >= 0:
            inverse_parent = rotation.inverse(motion.rotations[parent])
            place = rotation.rotate(inverse_parent, place - motion.positions[parent])
        translations[:, column] = place
    return Clip(name, target, motion.fps, rotations, np.array(joints, np.int64), translations)
