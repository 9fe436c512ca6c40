"""Clips: motion of a skeleton over time. Immutable; functions make new ones."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray, IntArray
from armuto.kinematics.loop import loops
from armuto.kinematics.pose import Pose, world_pose, world_pose_by_joint
from armuto.kinematics.skeleton import Skeleton


@dataclass(frozen=True)
class Clip:
    """A stretch of motion: local rotations ``(F, J, 4)`` and local translations ``(F, K, 3)`` of the joints ``moving``.

    Joints not in ``moving (K,)`` keep their rest translation. fps: frames per second.
    """

    name: str
    skeleton: Skeleton
    fps: float
    rotations: FloatArray
    moving: IntArray
    translations: FloatArray

    def __post_init__(self) -> None:
        frames, joints = self.rotations.shape[:2]
        if joints != len(self.skeleton) or self.translations.shape != (frames, len(self.moving), 3):
            raise ValueError("motion arrays do not match the skeleton")
        for array in (self.rotations, self.moving, self.translations):
            array.setflags(write=False)

    @property
    def frames(self) -> int:
        return len(self.rotations)

    @property
    def seconds(self) -> float:
        """Time from the first frame to the last."""
        return (self.frames - 1) / self.fps

    def all_translations(self) -> FloatArray:
        """Local translations of every joint, ``(F, J, 3)``."""
        out = np.broadcast_to(self.skeleton.rest_translation, (self.frames, len(self.skeleton), 3)).copy()
        out[:, self.moving] = self.translations
        return out

    def world(self) -> Pose:
        """World pose of every frame."""
        return world_pose(self.skeleton, self.rotations, self.all_translations())

    def world_by_joint(self) -> Pose:
        """World pose of every frame, joint first: ``(J, F, ·)``."""
        return world_pose_by_joint(self.skeleton, self.rotations, self.all_translations())

    @cached_property
    def loop(self) -> int | None:
        """The last frame of a clip that goes on in its first; None where it does not
        (:mod:`armuto.kinematics.loop`)."""
        return self.frames - 1 if loops(self) else None

    def cut(self, first: int, last: int) -> Clip:
        """The frames first to last, both included. Raises ValueError for a range outside the clip."""
        if not 0 <= first <= last < self.frames:
            raise ValueError(f"frames {first} to {last} are not within 0 to {self.frames - 1}")
        if first == 0 and last == self.frames - 1:
            return self
        frames = slice(first, last + 1)
        return replace(self, rotations=self.rotations[frames], translations=self.translations[frames])

    def renamed(self, name: str) -> Clip:
        return replace(self, name=name)


def clip_in_frame(clip: Clip, skeleton: Skeleton) -> Clip:
    """A clip read in its file's own space, on the skeleton that :func:`in_frame` made."""
    turn, unit = np.array(skeleton.file_frame.turn), skeleton.file_frame.unit
    roots = np.flatnonzero(skeleton.parents < 0)
    rotations = clip.rotations.copy()
    rotations[:, roots] = rotation.multiply(turn, rotations[:, roots])
    translations = clip.translations * unit
    moving_roots = np.isin(clip.moving, roots)
    translations[:, moving_roots] = rotation.rotate(turn, translations[:, moving_roots])
    return replace(clip, skeleton=skeleton, rotations=rotations, translations=translations)


def in_file_space(clip: Clip) -> tuple[FloatArray, FloatArray]:
    """Local rotations and translations ``(F, J, ·)`` in the space of the skeleton's file: undoes
    :func:`clip_in_frame`."""
    frame = clip.skeleton.file_frame
    inverse_turn = rotation.inverse(np.array(frame.turn))
    roots = np.flatnonzero(clip.skeleton.parents < 0)
    rotations, translations = clip.rotations.copy(), clip.all_translations() / frame.unit
    rotations[:, roots] = rotation.multiply(inverse_turn, rotations[:, roots])
    translations[:, roots] = rotation.rotate(inverse_turn, translations[:, roots])
    return rotations, translations


def still(skeleton: Skeleton) -> Clip:
    """One frame of the rest pose."""
    nothing = np.zeros(0, np.int64), np.zeros((1, 0, 3))
    return Clip("rest", skeleton, 30.0, skeleton.rest_rotation[None], *nothing)
