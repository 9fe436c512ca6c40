"""What the tree and the rest pose of a skeleton tell without any name: lines of bones, twins, and which way the body
lies."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import Skeleton

ZERO = 1e-4  # of the body's size: closer than this, two joints lie on each other
LIMB = 0.12  # of the body's size: a limb reaches at least this far
MOST_LIMBS = 40  # that begin at one joint and are looked at, the longest of them: every pair is compared
ALIKE = 0.35  # natural logarithm of how much twins may differ in length


@dataclass(frozen=True)
class LimbPair:
    """Two limbs that branch from one joint and mirror each other. a and b: joints of each, from the trunk outwards."""

    branch: int
    a: tuple[int, ...]
    b: tuple[int, ...]
    likeness: float


class SkeletonTree:
    """Lengths and lines of a skeleton at rest. at: ``(J, 3)``; length: to the parent; reach: of the longest line below.

    weighted: joints that move skin, where that is known; idle: those that move none, nor does anything below them.
    """

    def __init__(self, skeleton: Skeleton, weighted: Collection[int] = ()):
        self.skeleton = skeleton
        self.at = skeleton.rest.positions
        count = len(skeleton)
        parents = skeleton.parents
        offsets = self.at - self.at[np.maximum(parents, 0)]
        self.length = np.where(parents >= 0, np.linalg.norm(offsets, axis=1), 0.0)
        self.size = float(np.linalg.norm(np.ptp(self.at, axis=0))) if count else 0.0
        self.reach = np.zeros(count)
        self.under = np.ones(count, np.int64)
        for joint in range(count - 1, 0, -1):
            parent = parents[joint]
            if parent >= 0:
                self.reach[parent] = max(self.reach[parent], self.length[joint] + self.reach[joint])
                self.under[parent] += self.under[joint]
        self.idle = _idle(skeleton, weighted)
        self.ended = set(skeleton.end_parents.tolist())
        self.measured: dict[tuple[int, ...], Any] = {}

    @cached_property
    def above(self) -> list[list[int]]:
        """The joints above every joint, nearest first."""
        out: list[list[int]] = []
        for parent in self.skeleton.parents.tolist():
            out.append([parent, *out[parent]] if parent >= 0 else [])
        return out

    def is_above(self, upper: int, lower: int) -> bool:
        return upper in self.above[lower]

    def common(self, a: int, b: int) -> int | None:
        """The nearest joint that is at or above both."""
        over = [a, *self.above[a]]
        return next((joint for joint in (b, *self.above[b]) if joint in over), None)

    def line(self, joint: int) -> tuple[int, ...]:
        """The joint and those below it along the longest way down."""
        out = [joint]
        while (below := self._longest_child[out[-1]]) is not None:
            out.append(below)
        return tuple(out)

    @cached_property
    def _longest_child(self) -> list[int | None]:
        """The child of every joint from which the way down is longest."""
        far = (self.length + self.reach).tolist()
        return [
            max(children, key=lambda c: (far[c], self.under[c])) if children else None
            for children in self.skeleton.children
        ]

    def path(self, upper: int, lower: int) -> list[int]:
        """The joints from just below ``upper`` down to ``lower``."""
        over = self.above[lower]
        return [*over[: over.index(upper)][::-1], lower] if upper != lower else []

    @cached_property
    def limb_pairs(self) -> tuple[LimbPair, ...]:
        """All pairs of lines of at least two bones that start at one joint and are alike in length."""
        out = []
        for branch, children in enumerate(self.skeleton.children):
            if len(children) < 2:
                continue
            lines = [(c, self.line(c)) for c in children if self.length[c] + self.reach[c] > LIMB * self.size]
            lines = [(c, line) for c, line in lines if self._bones(line) >= 2]
            if len(lines) > MOST_LIMBS:
                kept = set(sorted((c for c, _ in lines), key=lambda c: -self.length[c] - self.reach[c])[:MOST_LIMBS])
                lines = [(c, line) for c, line in lines if c in kept]
            for n, (c, first) in enumerate(lines):
                for d, second in lines[:n]:
                    likeness = self._likeness(c, first, d, second)
                    if likeness > 0:
                        out.append(LimbPair(branch, second, first, likeness))
        return tuple(out)

    def _bones(self, line: tuple[int, ...]) -> int:
        """Joints of a line that do not lie on the one before."""
        return 1 + int((self.length[list(line[1:])] > ZERO * self.size).sum())

    def _likeness(self, c: int, first: tuple[int, ...], d: int, second: tuple[int, ...]) -> float:
        """1 for twins of equal lengths, 0 for lines that differ too much. Joints that lie on the one before do not
        count."""
        worst = 0.0
        for a, b in ((self.reach[c], self.reach[d]), (self.length[c] + self.reach[c], self.length[d] + self.reach[d])):
            worst = max(worst, abs(float(np.log((a + 1e-9) / (b + 1e-9)))))
        own, twin = (
            self.length[[j for j in line[1:] if self.length[j] > ZERO * self.size]] for line in (first, second)
        )
        if len(own) == len(twin):
            total = float(own.sum() + twin.sum())
            worst = max(worst, float(np.abs(own - twin).sum()) / total * 2 if total > 0 else 0.0)
        else:
            worst += 0.15
        return max(0.0, 1 - worst / ALIKE)

    def direction(self, upper: int, lower: int) -> FloatArray:
        """Unit vector from one joint to another, or zero."""
        way = self.at[lower] - self.at[upper]
        length = float(np.linalg.norm(way))
        return np.asarray(way / length if length > 0 else way)


def _idle(skeleton: Skeleton, weighted: Collection[int]) -> frozenset[int]:
    busy = set(weighted)
    for joint in weighted:
        busy.update(skeleton.ancestors(joint))
    return frozenset(range(len(skeleton))) - busy if busy else frozenset()
