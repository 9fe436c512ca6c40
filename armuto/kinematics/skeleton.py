"""Skeletons: trees of joints at rest, and how the space of their file relates to ours. Immutable; functions make new
ones."""

from __future__ import annotations

from collections.abc import Container, Iterable, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray, IntArray
from armuto.kinematics.observed import NOTHING, Observed
from armuto.kinematics.pose import Pose, world_pose


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


@dataclass(frozen=True, eq=False)
class Skeleton:
    """A tree of joints at rest.

    names: unique, ``J`` of them. parents: ``(J,)``, -1 for a root, every parent before its children. rest_translation
    ``(J, 3)`` and rest_rotation ``(J, 4)`` are relative to the parent. ends: ``(parent joint, offset)`` of end sites,
    which have no name and do not move against their parent. file_rest: ``(J, 4)`` the file's own rest rotations, where
    those are no posture and one from the motion stands for them (:mod:`armuto.intake.rest_pose`). observed: what its
    motion and its mesh show beside (:mod:`armuto.body.estimation`).
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
            array.setflags(write=False)
        if self.file_rest is not None:
            self.file_rest.setflags(write=False)

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

    def ancestors(self, joint: int) -> tuple[int, ...]:
        """The joints above ``joint``, nearest first."""
        joint = int(joint)
        if joint not in self._ancestors:
            above, found = self._parents, []
            at = above[joint]
            while at >= 0:
                found.append(at)
                at = above[at]
            self._ancestors[joint] = tuple(found)
        return self._ancestors[joint]

    def subtree(self, joint: int) -> tuple[int, ...]:
        """A joint and all below it, parents first."""
        if joint not in self._subtrees:
            below = range(joint + 1, len(self))
            self._subtrees[joint] = (joint, *(other for other in below if joint in self.ancestors(other)))
        return self._subtrees[joint]

    @cached_property
    def _subtrees(self) -> dict[int, tuple[int, ...]]:
        """Those that were asked for."""
        return {}

    @cached_property
    def _parents(self) -> list[int]:
        return list(map(int, self.parents))

    @cached_property
    def _ancestors(self) -> dict[int, tuple[int, ...]]:
        """Those that were asked for; a tree does not change."""
        return {}

    def above(self, joint: int, among: Container[int]) -> int | None:
        """The nearest joint above ``joint`` that is among these, or None."""
        return next((ancestor for ancestor in self.ancestors(joint) if ancestor in among), None)

    @cached_property
    def rest(self) -> Pose:
        """World pose at rest."""
        return world_pose(self, self.rest_rotation[None], self.rest_translation[None]).frame(0)


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


def same_hierarchy(a: Skeleton, b: Skeleton, tolerance: float = 1e-4) -> bool:
    """Whether motion of the one is motion of the other: the same names, parents and rest, to so many metres."""
    return (
        a.names == b.names
        and np.array_equal(a.parents, b.parents)
        and np.allclose(a.rest_translation, b.rest_translation, rtol=0.0, atol=tolerance)
        and bool(np.all(np.abs((a.rest_rotation * b.rest_rotation).sum(axis=-1)) > 1 - tolerance))
    )


def joints_named(skeleton: Skeleton, names: Sequence[str]) -> list[int]:
    """Joint numbers of names; raises KeyError for one the skeleton does not have."""
    return [skeleton.index[name] for name in names]
