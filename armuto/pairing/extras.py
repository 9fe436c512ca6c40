"""Bones outside the body plan that two skeletons have alike: ears, capes, tails, props, at the same place of the tree.

Below every two bones that are paired, the free lines of bones of both sides are compared: by their names, by where they
start and where they lead in the axes of the body, and by how long they are against it; and given to each other by the
best assignment (``scipy.optimize.linear_sum_assignment``).
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from armuto.body.lexicon import BoneName
from armuto.body.names import read_names
from armuto.body.parts import Assignment
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import Skeleton
from armuto.kinematics.vectors import unit

RIGGING = frozenset(
    ("twist", "roll", "ik", "fk", "pole", "target", "ctrl", "control", "end", "nub", "tip", "site")
    + ("aux", "helper", "dummy", "corrective", "null", "marker", "pivot")
)
LIKE = 0.55  # from which likeness on two lines are paired
SURE = 0.7  # of a pair by name; one by shape alone is as sure as its likeness times this
TINY = 0.002  # of the body's size: a line that is no longer holds nothing


@dataclass(frozen=True)
class Line:
    """A free line of bones below a paired one. base: from the paired bone to its start, way: from its start to its end,
    both ``(3,)`` in the body's axes and size; length along it."""

    joints: tuple[int, ...]
    base: FloatArray
    way: FloatArray
    length: float


@dataclass(frozen=True)
class Match:
    """Two lines that go together: their joints, how surely, and why."""

    source: tuple[int, ...]
    target: tuple[int, ...]
    confidence: float
    reason: str


class Side:
    """One skeleton, its parts, and what hangs from them."""

    def __init__(self, skeleton: Skeleton, parts: Assignment) -> None:
        self.skeleton, self.parts = skeleton, parts
        self.taken = {bone.joint for bones in parts.values() for bone in bones}
        self.at = skeleton.rest.positions
        self.size = (float(np.linalg.norm(np.ptp(self.at, axis=0))) if len(skeleton) else 0.0) or 1.0

    @cached_property
    def read(self) -> Sequence[BoneName]:
        return read_names(self.skeleton.names)

    @cached_property
    def axes(self) -> FloatArray:
        """The body's left, up and forward as rows ``(3, 3)``; those of the world where it has no sides."""
        across = np.zeros(3)
        for part, bones in self.parts.items():
            twin = self.parts.get(part.replace("left ", "right ")) if part.startswith("left ") else None
            if twin:
                across = across + self.at[bones[0].joint] - self.at[twin[0].joint]
        up = np.array([0.0, 1.0, 0.0])
        across = unit(across - (across @ up) * up)
        across = across if across.any() else np.array([1.0, 0.0, 0.0])
        return np.array([across, up, np.cross(across, up)])

    @cached_property
    def busy(self) -> frozenset[int]:
        """Joints that are parts or carry parts."""
        return frozenset(self.taken | {above for joint in self.taken for above in self.skeleton.ancestors(joint)})

    def lines(self, joint: int) -> list[Line]:
        out = []
        for child in self.skeleton.children[joint]:
            if child in self.busy or self.read[child].helper in RIGGING:
                continue
            run = [child]
            while len(below := [c for c in self.skeleton.children[run[-1]] if self.read[c].helper not in RIGGING]) == 1:
                run.append(below[0])
            steps = np.linalg.norm(np.diff(self.at[[joint, *run]], axis=0), axis=1)
            length = float(steps.sum()) / self.size
            if length > TINY and float(steps[0]) / self.size > TINY / 4:
                base, end = self.at[child] - self.at[joint], self.at[run[-1]] - self.at[joint]
                out.append(Line(tuple(run), self.axes @ base / self.size, self.axes @ end / self.size, length))
        return out


def extras(source: Skeleton, source_parts: Assignment, target: Skeleton, target_parts: Assignment) -> Iterable[Match]:
    """Lines of bones outside the plan that are alike, below bones that are the same part of both bodies."""
    first, other = Side(source, source_parts), Side(target, target_parts)
    for part, bones in source_parts.items():
        if part not in target_parts:
            continue
        ups, downs = first.lines(bones[-1].joint), other.lines(target_parts[part][-1].joint)
        if not ups or not downs:
            continue
        alike = np.array([[_likeness(first, a, other, b) for b in downs] for a in ups])
        for a, b in _assigned(alike):
            if alike[a, b] >= LIKE:
                by_name = _same_name(first, ups[a], other, downs[b]) > 0.9
                why = "of one name" if by_name else "alike in place and length"
                sure = SURE if by_name else SURE * float(alike[a, b])
                yield Match(ups[a].joints, downs[b].joints, round(sure, 3), f"both hang from the {part}, {why}")


def _assigned(alike: FloatArray) -> Iterable[tuple[int, int]]:
    """The rows and columns that go together."""
    if min(alike.shape) == 1 or alike.max() < LIKE:
        row, column = divmod(int(np.argmax(alike)), alike.shape[1])
        return [(row, column)]
    # Imported where it is needed: the library is large, and few bodies have several things outside the plan at one
    # place.
    from scipy.optimize import linear_sum_assignment

    rows, columns = linear_sum_assignment(-alike)
    return list(zip(rows.tolist(), columns.tolist(), strict=True))


def _likeness(first: Side, a: Line, other: Side, b: Line) -> float:
    """0 to 1: by names where they say something, and by place, direction and length."""
    lengths = np.exp(-abs(float(np.log(a.length / b.length))) / 0.6)
    ways = max(0.0, float(unit(a.way) @ unit(b.way)))
    bases = max(
        0.0, 1.0 - float(np.linalg.norm(a.base - b.base)) / (0.04 + 0.5 * float(np.linalg.norm(a.base + b.base)))
    )
    counts = 1.0 - 0.12 * min(abs(len(a.joints) - len(b.joints)), 4)
    shape = float(lengths * ways**2 * (0.4 + 0.6 * bases) * counts)
    name = _same_name(first, a, other, b)
    return shape if name == 0 else 0.7 + 0.3 * shape if name > 0 else 0.0


def _same_name(first: Side, a: Line, other: Side, b: Line) -> float:
    """1 where both lines are called the same, -1 where they name different sides, 0 where names say nothing."""
    name, twin = first.read[a.joints[0]], other.read[b.joints[0]]
    if name.side and twin.side and name.side != twin.side:
        return -1.0
    words = [(*read.words, read.helper) if read.helper else read.words for read in (name, twin)]
    same = bool(words[0]) and words[0] == words[1] and name.side == twin.side
    numbered = bool(name.numbers and twin.numbers) and len(name.numbers) > 1 and name.numbers[0] != twin.numbers[0]
    return 1.0 if same and not numbered else 0.0


def as_rows(match: Match) -> Sequence[tuple[tuple[int, ...], tuple[int, ...]]]:
    """Bone by bone where both lines have as many, else the one line on the other."""
    if len(match.source) == len(match.target):
        return [((a,), (b,)) for a, b in zip(match.source, match.target, strict=True)]
    return [(match.source, match.target)]
