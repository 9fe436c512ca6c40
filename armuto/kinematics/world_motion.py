"""A clip while it is being settled: world rotations and positions of every joint, joint first, changed in place."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from functools import lru_cache

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import Skeleton


@dataclass
class Moving:
    """rotations ``(J, F, 4)`` and positions ``(J, F, 3)`` in the world. fps: frames per second."""

    skeleton: Skeleton
    rotations: FloatArray
    positions: FloatArray
    fps: float

    @property
    def frames(self) -> int:
        return int(self.rotations.shape[1])

    def swing(self, root: int, joints: Collection[int], q: FloatArray) -> None:
        """Turn these joints about the place of ``root`` by ``q (F, 4)``, their places too."""
        about = self.positions[root].copy()
        for joint in joints:
            self.rotations[joint] = rotation.multiply(q, self.rotations[joint])
            self.positions[joint] = about + rotation.rotate(q, self.positions[joint] - about)

    def below(self, joint: int) -> tuple[int, ...]:
        """The joint and everything that hangs from it, parents first."""
        return _below(tuple(self.skeleton.parents.tolist()), joint)

    def between(self, joint: int, outer: int) -> tuple[int, ...]:
        """What the joint carries, without what ``outer`` carries."""
        gone = set(self.below(outer))
        return tuple(one for one in self.below(joint) if one not in gone)


@lru_cache(maxsize=4096)
def _below(parents: tuple[int, ...], joint: int) -> tuple[int, ...]:
    found = {joint}
    for one in range(joint + 1, len(parents)):
        if parents[one] in found:
            found.add(one)
    return tuple(sorted(found))
