"""The values everything else works on: skeletons, poses and clips. Immutable; functions make new ones."""

from __future__ import annotations

from collections.abc import Container, Iterable, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from armuto import rotation
from armuto.observed import NOTHING, Observed
from armuto.rotation import FloatArray

IntArray = NDArray[np.int64]


def _frozen(array: FloatArray | IntArray) -> None:
    array.setflags(write=False)


@dataclass(frozen=True)
class FileFrame:
    """How the file's own space relates to ours: ``ours = unit · turn(file's)``.

    unit: metres per unit of the file. turn: quaternion ``(4,)`` from the file's axes to +Y up. up: the file's up
    axis in words, such as "+Z". turned: degrees about up that are part of the turn. evidence: one sentence per thing
    that was detected.
    """

    unit: float = 1.0
    turn: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 1.0)
    up: str = "+Y"
    turned: float = 0.0
    evidence: tuple[str, ...] = ()


@dataclass(frozen=True)
class Skeleton:
    """A tree of joints at rest.

    names: unique, ``J`` of them. parents: ``(J,)``, -1 for a root, every parent before its children.
    rest_translation ``(J, 3)`` and rest_rotation ``(J, 4)`` are relative to the parent. ends: ``(parent joint,
    offset)`` of end sites, which have no name and do not move against their parent. file_rest: ``(J, 4)`` the file's own rest
    rotations, where those are no posture and one from the motion stands for them (:mod:`armuto.rest_pose`). observed: what its
    motion and its mesh show beside (:mod:`armuto.observing`).
    """

    names: tuple[str, ...]
    parents: IntArray
    rest_translation: FloatArray
    rest_rotation: FloatArray
    end_parents: IntArray = field(default_factory=lambda: np.zeros(0, np.int64))
    end_offsets: FloatArray = field(default_factory=lambda: np.zeros((0, 3)))
    file_frame: FileFrame = FileFrame()
    file_rest: FloatArray | None = None
    observed: Observed = NOTHING

    def __post_init__(self) -> None:
        count = len(self.names)
        if len(set(self.names)) != count:
            raise ValueError("joint names must be unique")
        if self.parents.shape != (count,) or np.any(self.parents >= np.arange(count)) or np.any(self.parents < -1):
            raise ValueError("parents must come before their children")
        if self.rest_translation.shape != (count, 3) or self.rest_rotation.shape != (count, 4):
            raise ValueError("rest translation and rotation must have one row per joint")
        for array in (self.parents, self.rest_translation, self.rest_rotation, self.end_parents, self.end_offsets):
            _frozen(array)
        if self.file_rest is not None:
            _frozen(self.file_rest)

    def __len__(self) -> int:
        return len(self.names)

    @cached_property
    def index(self) -> dict[str, int]:
        """Joint number by name."""
        return {name: joint for joint, name in enumerate(self.names)}

    @cached_property
    def children(self) -> tuple[tuple[int, ...], ...]:
        """Children of every joint, in order."""
        found: list[list[int]] = [[] for _ in self.names]
        for joint, parent in enumerate(self.parents):
            if parent >= 0:
                found[parent].append(joint)
        return tuple(tuple(row) for row in found)

    @cached_property
    def levels(self) -> tuple[IntArray, ...]:
        """Joints by depth below the roots: the only loop that forward kinematics needs."""
        depth = np.zeros(len(self), np.int64)
        for joint, parent in enumerate(self.parents):
            if parent >= 0:
                depth[joint] = depth[parent] + 1
        return tuple(np.flatnonzero(depth == level) for level in range(int(depth.max(initial=0)) + 1))

    def ancestors(self, joint: int) -> list[int]:
        """The joints above ``joint``, nearest first."""
        found = []
        while (joint := int(self.parents[joint])) >= 0:
            found.append(joint)
        return found

    def above(self, joint: int, among: Container[int]) -> int | None:
        """The nearest joint above ``joint`` that is among these, or None."""
        return next((one for one in self.ancestors(joint) if one in among), None)

    @cached_property
    def rest(self) -> Pose:
        """World pose at rest."""
        return world_pose(self, self.rest_rotation[None], self.rest_translation[None]).frame(0)


class Pose(NamedTuple):
    """World positions and rotations of every joint, and of the end sites; with or without a leading frame axis."""

    positions: FloatArray
    rotations: FloatArray
    ends: FloatArray

    def frame(self, number: int) -> Pose:
        return Pose(self.positions[number], self.rotations[number], self.ends[number])


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
            _frozen(array)

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


def unique_names(names: Iterable[str]) -> tuple[str, ...]:
    """The names, with ".2", ".3", … on those that came before; an empty name becomes "joint"."""
    seen: set[str] = set()
    out = []
    for name in names:
        base = name or "joint"
        candidate, number = base, 1
        while candidate in seen:
            number += 1
            candidate = f"{base}.{number}"
        seen.add(candidate)
        out.append(candidate)
    return tuple(out)


def in_frame(skeleton: Skeleton, frame: FileFrame) -> Skeleton:
    """A skeleton read in its file's own space, brought into ours: scaled by the unit, its roots turned upright."""
    roots = skeleton.parents < 0
    turn = np.array(frame.turn)
    translation = skeleton.rest_translation * frame.unit
    translation[roots] = rotation.rotate(turn, translation[roots])

    def upright(rotations: FloatArray) -> FloatArray:
        out = rotations.copy()
        out[roots] = rotation.multiply(turn, out[roots])
        return out

    return replace(
        skeleton,
        rest_translation=translation,
        rest_rotation=upright(skeleton.rest_rotation),
        end_offsets=skeleton.end_offsets * frame.unit,
        file_frame=frame,
        file_rest=None if skeleton.file_rest is None else upright(skeleton.file_rest),
    )


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
    """Local rotations and translations ``(F, J, ·)`` in the space of the skeleton's file: undoes :func:`clip_in_frame`."""
    frame = clip.skeleton.file_frame
    back = rotation.inverse(np.array(frame.turn))
    roots = np.flatnonzero(clip.skeleton.parents < 0)
    rotations, translations = clip.rotations.copy(), clip.all_translations() / frame.unit
    rotations[:, roots] = rotation.multiply(back, rotations[:, roots])
    translations[:, roots] = rotation.rotate(back, translations[:, roots])
    return rotations, translations


def joints_named(skeleton: Skeleton, names: Sequence[str]) -> list[int]:
    """Joint numbers of names; raises KeyError for one the skeleton does not have."""
    return [skeleton.index[name] for name in names]


def still(skeleton: Skeleton) -> Clip:
    """One frame of the rest pose."""
    nothing = np.zeros(0, np.int64), np.zeros((1, 0, 3))
    return Clip("rest", skeleton, 30.0, skeleton.rest_rotation[None], *nothing)
