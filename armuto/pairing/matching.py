"""Matching two trees directly, for bodies that fit no plan: top down, by shape, with names as a bonus.

Two joints are as alike as what hangs from them: the likeness of their own bones plus the best assignment of their
children to each other (:func:`scipy.optimize.linear_sum_assignment`), where a joint may be passed over on either side
(Zhang and Shasha's ordered tree distance, 1989, restricted to passing over single joints and without an order among
children).
"""

from __future__ import annotations

import sys
from functools import lru_cache

import numpy as np

from armuto.body.names import read_names
from armuto.body.tree import SkeletonTree
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import Skeleton
from armuto.kinematics.vectors import unit
from armuto.pairing.joining import Pair

PASSED = -0.5  # for passing over a joint
NAMED = 1.0  # for names that agree
SURE = 0.6  # no pair made this way is surer


def trees(source: Skeleton, target: Skeleton) -> tuple[Pair, ...]:
    """Pairs between two skeletons of whatever kind, one bone to one bone, parents before children."""
    if not len(source) or not len(target):
        return ()
    matcher = _Matcher(source, target)
    chosen = matcher.matched()
    pairs = []
    for a, b, likeness in chosen:
        reasons = ["the two trees match here by shape"]
        if matcher.alike[a, b] > 0:
            reasons.append("the names agree")
        confidence = round(float(np.clip(0.25 + 0.35 * likeness, 0.05, SURE)), 3)
        pairs.append(Pair(None, (source.names[a],), (target.names[b],), confidence, tuple(reasons)))
    return tuple(pairs)


class _Matcher:
    def __init__(self, source: Skeleton, target: Skeleton):
        self.a, self.b = SkeletonTree(source), SkeletonTree(target)
        self.alike = _names(source, target)
        self.local = self._local()
        # Trees may be as deep as they are long.
        sys.setrecursionlimit(max(sys.getrecursionlimit(), 20 * (len(source) + len(target)) + 1000))
        self.score = lru_cache(maxsize=None)(self._score)

    def _local(self) -> FloatArray:
        """``(A, B)``, -1 to 1: how alike two bones are by their share of the body, their way, and what hangs from
        them."""

        def features(tree: SkeletonTree) -> tuple[FloatArray, FloatArray, FloatArray]:
            size = tree.size or 1.0
            ways = np.array([unit(tree.at[j] - tree.at[max(p, 0)]) for j, p in enumerate(tree.skeleton.parents)])
            return np.log((tree.length + tree.reach) / size + 0.02), np.log(tree.under.astype(float)), ways

        (far, many, way), (far_b, many_b, way_b) = features(self.a), features(self.b)
        off = np.abs(far[:, None] - far_b) + 0.5 * np.abs(many[:, None] - many_b)
        return np.asarray(0.7 * np.exp(-off) + 0.3 * (way @ way_b.T))

    def _score(self, a: int, b: int) -> float:
        """The worth of pairing a with b and what hangs from them."""
        return float(self.local[a, b] + NAMED * self.alike[a, b] + self._below(a, b)[0])

    def _below(self, a: int, b: int) -> tuple[float, list[tuple[int, int]]]:
        """The best assignment of what hangs from a to what hangs from b: children, or a child's only child."""
        ups, downs = self.a.skeleton.children[a], self.b.skeleton.children[b]
        if not ups or not downs:
            return 0.0, []
        best = np.zeros((len(ups), len(downs)))
        wins: dict[tuple[int, int], tuple[int, int]] = {}
        for i, c in enumerate(ups):
            for k, d in enumerate(downs):
                options = [(self.score(c, d), (c, d))]
                if len(self.a.skeleton.children[c]) == 1:
                    e = self.a.skeleton.children[c][0]
                    options.append((self.score(e, d) + PASSED, (e, d)))
                if len(self.b.skeleton.children[d]) == 1:
                    e = self.b.skeleton.children[d][0]
                    options.append((self.score(c, e) + PASSED, (c, e)))
                best[i, k], wins[i, k] = max(options)
        # Imported where it is needed: the library is large, and most bodies have a plan.
        from scipy.optimize import linear_sum_assignment

        rows, columns = linear_sum_assignment(-best)
        matched = [(i, k) for i, k in zip(rows.tolist(), columns.tolist(), strict=True) if best[i, k] > 0]
        return float(sum(best[i, k] for i, k in matched)), [wins[i, k] for i, k in matched]

    def matched(self) -> list[tuple[int, int, float]]:
        """Pairs of joints with their likeness, from the roots down. A root that only carries may be passed over."""
        starts_a, starts_b = self._starts(self.a), self._starts(self.b)
        _, start = max(
            (self.score(a, b) - 0.1 * (m + n), (a, b)) for m, a in enumerate(starts_a) for n, b in enumerate(starts_b)
        )
        out, open_at = [], [start]
        while open_at:
            a, b = open_at.pop()
            out.append((a, b, float(self.local[a, b])))
            open_at += self._below(a, b)[1]
        return sorted(out)

    def _starts(self, tree: SkeletonTree) -> list[int]:
        """The root with the most below it, and the joints down to the first that branches."""
        roots = [joint for joint, parent in enumerate(tree.skeleton.parents) if parent < 0]
        line = [max(roots, key=lambda joint: tree.under[joint])]
        while len(tree.skeleton.children[line[-1]]) == 1 and len(line) < 4:
            line.append(tree.skeleton.children[line[-1]][0])
        return line


def _names(source: Skeleton, target: Skeleton) -> FloatArray:
    """``(A, B)``, -1 to 1: whether the names of two bones share words, with sides that differ against it."""
    read, read_b = read_names(source.names), read_names(target.names)
    out = np.zeros((len(read), len(read_b)))
    for i, a in enumerate(read):
        for k, b in enumerate(read_b):
            if a.side and b.side and a.side != b.side:
                out[i, k] = -1.0
            elif a.words or b.words:
                words, words_b = set(a.words) | {a.helper}, set(b.words) | {b.helper}
                shared = len((words & words_b) - {""})
                out[i, k] = shared / max(1, len((words | words_b) - {""}))
                if shared and a.numbers and b.numbers and a.numbers != b.numbers:
                    out[i, k] *= 0.7
    return out
