"""A clip as the steps of its recipe pass it on, and the body that is in it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property, lru_cache

import numpy as np

from armuto.body.parts import Assignment, PartBone
from armuto.body.plans import plan_of
from armuto.errors import BadInput
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.loop import carrier_of
from armuto.kinematics.sampling import sample
from armuto.kinematics.signals import runs
from armuto.kinematics.skeleton import Skeleton

SLIGHT = 1e-6  # frames
LONGEST = 500_000  # frames that a clip may come to
LARGEST = 15_000_000  # of these times bones: half a gigabyte of rotations


@dataclass(frozen=True, eq=False)
class Body:
    """Whose motion it is: a skeleton, and what its bones were read as."""

    skeleton: Skeleton
    parts: Assignment

    @cached_property
    def joint_of(self) -> dict[str, int]:
        """The first joint of every part."""
        return {part: bones[0].joint for part, bones in self.parts.items() if bones}

    @property
    def hips(self) -> int:
        """The joint that carries the body: its hips, or where these are not known the first with several children."""
        return self.joint_of.get("hips", carrier_of(self.skeleton))

    @property
    def carried(self) -> frozenset[int]:
        """The joint that carries the body, and what lies above it."""
        return frozenset({self.hips, *self.skeleton.ancestors(self.hips)})

    @cached_property
    def limbs(self) -> dict[str, tuple[int, ...]]:
        """The joints of every limb that it has, by name."""
        limbs = plan_of(self.parts).limbs if self.parts else {}
        own = {
            limb: tuple(bone.joint for part in parts for bone in self.parts.get(part.name, ()))
            for limb, parts in limbs.items()
        }
        return {limb: joints for limb, joints in own.items() if joints}


def body_of(skeleton: Skeleton, parts: Assignment) -> Body:
    """The body, the same for the same skeleton and parts: what steps find out of it is found out once."""
    return _body_of(skeleton, tuple(parts.items()))


@lru_cache(maxsize=32)
def _body_of(skeleton: Skeleton, parts: tuple[tuple[str, tuple[PartBone, ...]], ...]) -> Body:
    return Body(skeleton, dict(parts))


@dataclass(frozen=True, eq=False)
class Refined:
    """A clip, and which frame of the take each of its frames shows, ``(F,)``: between two of them where it runs at
    another pace. mirrored: its left is the take's right."""

    clip: Clip
    frames: FloatArray
    mirrored: bool = False

    @classmethod
    def of_take(cls, clip: Clip, first: int = 0) -> Refined:
        """A stretch of a take as it is. first: the frame of the take with which it begins."""
        return cls(clip, np.arange(first, first + clip.frames, dtype=float))

    def with_clip(self, clip: Clip) -> Refined:
        """Other motion at the same times."""
        return replace(self, clip=clip)

    def sampled(self, at: FloatArray) -> Refined:
        """What is shown at places ``(G,)`` between its frames, one after another. Raises :class:`BadInput` where these
        are too many."""
        self.allow(len(at))
        shown = np.interp(at, np.arange(len(self.frames)), self.frames)
        return replace(self, clip=sample(self.clip, at), frames=shown)

    def allow(self, frames: int) -> None:
        """Raises :class:`BadInput` for a clip of so many frames, which would not find room; asked before it is made."""
        if frames > min(LONGEST, LARGEST // max(1, len(self.clip.skeleton))):
            raise BadInput(f"It would have {frames:,} frames; refine it less, or cut it.")

    def frame_of(self, take: float) -> int:
        """The first of its frames that shows a frame of the take, or what comes nearest to it."""
        return int(np.argmin(np.abs(self.frames - take)))

    def take_frame(self, frame: float) -> float:
        """The frame of the take that one of its frames shows."""
        return float(np.interp(frame, np.arange(len(self.frames)), self.frames))

    def spans(self, first: float, last: float) -> list[tuple[int, int]]:
        """Where frames first to last of the take are shown: stretches of its frames, first and last of each, in their
        order. None where they are left out."""
        # Where frames are left out on both sides, what is shown stands for those halfway to its neighbours.
        steps = np.abs(np.diff(self.frames))
        left_out = np.minimum(np.append(steps, steps[-1:]), np.insert(steps, 0, steps[:1])) - 1.0
        reach = np.maximum(left_out, 0.0) / 2 if len(steps) else 0.0
        within = (self.frames >= first - reach - SLIGHT) & (self.frames <= last + reach + SLIGHT)
        return runs(within)

    def take_span(self, first: int, last: int) -> tuple[float, float]:
        """The frames of the take, first and last, that its frames first to last show."""
        shown = self.frames[first : last + 1]
        return float(shown.min()), float(shown.max())
