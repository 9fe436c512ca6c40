"""Motion in the world while it is worked on: rotations and positions of every joint, joint first, changed in place."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, replace

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.skeleton import Skeleton


@dataclass
class WorldMotion:
    """Some or all frames of a clip: world rotations ``(J, F, 4)`` and positions ``(J, F, 3)``, at fps frames per
    second.

    numbers: which frames of the clip the rows are, ``(F,)``. loop: the clip's last frame where it goes on in its first.
    """

    skeleton: Skeleton
    rotations: FloatArray
    positions: FloatArray
    fps: float
    numbers: FloatArray
    loop: int | None = None

    @classmethod
    def of_clip(cls, clip: Clip) -> WorldMotion:
        """All frames of a clip."""
        world, numbers = clip.world_by_joint(), np.arange(clip.frames, dtype=float)
        return cls(clip.skeleton, world.rotations, world.positions, clip.fps, numbers, clip.loop)

    @property
    def frames(self) -> int:
        return int(self.rotations.shape[1])

    def copy(self) -> WorldMotion:
        """The same, to be changed in place without changing this."""
        return replace(self, rotations=self.rotations.copy(), positions=self.positions.copy())

    def swing(self, root: int, joints: Collection[int], q: FloatArray) -> None:
        """Turn these joints about the place of ``root`` by ``q (F, 4)``, their places too."""
        pivot = self.positions[root].copy()
        for joint in joints:
            self.rotations[joint] = rotation.multiply(q, self.rotations[joint])
            self.positions[joint] = pivot + rotation.rotate(q, self.positions[joint] - pivot)

    def below(self, joint: int) -> tuple[int, ...]:
        """The joint and everything that hangs from it, parents first."""
        return self.skeleton.subtree(joint)

    def between(self, joint: int, outer: int) -> tuple[int, ...]:
        """What the joint carries, without what ``outer`` carries."""
        beyond = set(self.below(outer))
        return tuple(carried for carried in self.below(joint) if carried not in beyond)
