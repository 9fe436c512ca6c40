"""World poses of a skeleton: forward kinematics, and its inverse."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray

if TYPE_CHECKING:
    from armuto.kinematics.skeleton import Skeleton


class Pose(NamedTuple):
    """World positions and rotations of every joint, and of the end sites; with or without a leading frame axis."""

    positions: FloatArray
    rotations: FloatArray
    ends: FloatArray

    def frame(self, number: int) -> Pose:
        return Pose(self.positions[number], self.rotations[number], self.ends[number])


def world_pose(skeleton: Skeleton, rotations: FloatArray, translations: FloatArray) -> Pose:
    """Forward kinematics of whole clips: local ``(F, J, 4)`` and ``(F, J, 3)`` to world, in one pass."""
    ends = skeleton.end_parents, skeleton.end_offsets
    world_q, world_t, end_sites = rotation.kernels.forward(skeleton.parents, rotations, translations, *ends)
    return Pose(world_t, world_q, end_sites)


def world_pose_by_joint(skeleton: Skeleton, rotations: FloatArray, translations: FloatArray) -> Pose:
    """:func:`world_pose` laid out joint first, ``(J, F, ·)``: the motion of a joint lies in one piece."""
    frames, joints = rotations.shape[:2]
    world_q, world_t = np.empty((joints, frames, 4)), np.empty((joints, frames, 3))
    end_sites = np.empty((len(skeleton.end_parents), frames, 3))
    rows = tuple(array.swapaxes(0, 1) for array in (world_q, world_t, end_sites))
    ends = skeleton.end_parents, skeleton.end_offsets
    rotation.kernels.forward(skeleton.parents, rotations, translations, *ends, out=rows)
    return Pose(world_t, world_q, end_sites)


def local_rotations(skeleton: Skeleton, world: FloatArray) -> FloatArray:
    """Local rotations ``(F, J, 4)``, of unit length, of world rotations of the same shape: the inverse of
    :func:`world_pose`."""
    local: FloatArray = rotation.kernels.local(skeleton.parents, world)
    return local


def local_rotations_by_joint(skeleton: Skeleton, world: FloatArray) -> FloatArray:
    """:func:`local_rotations` ``(F, J, 4)`` of world rotations laid out joint first, ``(J, F, 4)``."""
    local: FloatArray = rotation.kernels.local_by_joint(skeleton.parents, world)
    return local
