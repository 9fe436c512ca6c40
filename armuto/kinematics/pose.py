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
    """Forward kinematics of whole clips: local ``(F, J, 4)`` and ``(F, J, 3)`` to world, one step per tree level.

    Work is done joint first, so that each level reads and writes contiguous blocks.
    """
    local_q = np.ascontiguousarray(np.moveaxis(rotations, 1, 0))
    local_t = np.ascontiguousarray(np.moveaxis(translations, 1, 0))
    world_q, world_t = local_q.copy(), local_t.copy()
    for joints in skeleton.levels[1:]:
        parents = skeleton.parents[joints]
        parent_q = world_q[parents]
        world_q[joints] = rotation.multiply(parent_q, local_q[joints])
        world_t[joints] = world_t[parents] + rotation.rotate(parent_q, local_t[joints])
    above = skeleton.end_parents
    ends = world_t[above] + rotation.rotate(world_q[above], skeleton.end_offsets[:, None])
    return Pose(*(np.ascontiguousarray(np.moveaxis(array, 0, 1)) for array in (world_t, world_q, ends)))


def local_rotations(skeleton: Skeleton, world: FloatArray) -> FloatArray:
    """Local rotations ``(F, J, 4)`` of world rotations of the same shape: the inverse of :func:`world_pose`."""
    out = world.copy()
    jointed = np.flatnonzero(skeleton.parents >= 0)
    out[:, jointed] = rotation.multiply(rotation.inverse(world[:, skeleton.parents[jointed]]), world[:, jointed])
    return out
