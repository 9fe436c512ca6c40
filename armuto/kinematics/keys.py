"""Which frames of a clip are keyed."""

from __future__ import annotations

from dataclasses import dataclass

from armuto.kinematics.arrays import IntArray


@dataclass(frozen=True)
class Keys:
    """The frames that are kept, of each joint's rotation and of its translation; and what that costs, as measured.

    degrees, metres: the largest error of a joint's own rotation and of a joint's place in the world, over all frames.
    kept, of: how many keys there are, and how many there were.
    """

    rotations: tuple[IntArray, ...]
    translations: tuple[IntArray, ...]
    degrees: float
    metres: float
    kept: int
    of: int
