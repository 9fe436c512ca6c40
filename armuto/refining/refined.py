"""A clip as the steps of its recipe pass it on, and the body that is in it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from armuto.body.parts import Assignment
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.sampling import sample
from armuto.kinematics.skeleton import Skeleton


@dataclass(frozen=True, eq=False)
class Body:
    """Whose motion it is: a skeleton, and what its bones were read as."""

    skeleton: Skeleton
    parts: Assignment

    @cached_property
    def joint_of(self) -> dict[str, int]:
        """The first joint of every part."""
        return {part: bones[0].joint for part, bones in self.parts.items() if bones}


@dataclass(frozen=True, eq=False)
class Refined:
    """A clip, and which frame of the take each of its frames shows, ``(F,)``: between two of them where it runs at
    another pace."""

    clip: Clip
    frames: FloatArray

    @classmethod
    def of_take(cls, clip: Clip) -> Refined:
        return cls(clip, np.arange(clip.frames, dtype=float))

    def with_clip(self, clip: Clip) -> Refined:
        """Other motion at the same times."""
        return replace(self, clip=clip)

    def sampled(self, at: FloatArray) -> Refined:
        """What is shown at places ``(G,)`` between its frames, one after another."""
        return Refined(sample(self.clip, at), np.interp(at, np.arange(len(self.frames)), self.frames))

    def frame_of(self, take: float) -> int:
        """The first of its frames that shows a frame of the take, or what comes nearest to it."""
        return int(np.argmin(np.abs(self.frames - take)))

    def take_frame(self, frame: float) -> float:
        """The frame of the take that one of its frames shows."""
        return float(np.interp(frame, np.arange(len(self.frames)), self.frames))
