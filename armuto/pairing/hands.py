"""Fingers by their spread at the hand: the thumb by its divergence, the others side by side from it."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import numpy as np

from armuto.body.tree import ZERO, SkeletonTree
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.vectors import unit

BONES = {
    "thumb": ("metacarpal", "proximal", "distal"),
    "index": ("proximal", "intermediate", "distal"),
    "middle": ("proximal", "intermediate", "distal"),
    "ring": ("proximal", "intermediate", "distal"),
    "little": ("proximal", "intermediate", "distal"),
}
FINGERS = tuple(BONES)


def fingers(anatomy: SkeletonTree, hand: int, passed: Sequence[int]) -> tuple[dict[str, list[int]], float]:
    """Bones of each finger of a hand from the palm outwards, without palm bones and ends, and how surely, 0 to 1.

    passed: bones that are no fingers, by their names. Where a hand has fewer than four fingers beside the thumb, those
    from the little finger on are taken to be missing; the one chain of a mitten is given to the index finger.
    """
    lines = _lines(anatomy, hand, passed)
    if not lines or len(lines) > 5:
        return {}, 0.0
    bones = [_solid(anatomy, hand, line) for line in lines]
    if len(lines) == 1:
        return {"index": bones[0]}, 0.8
    at, wrist = anatomy.at, anatomy.at[hand]
    ways = [unit(at[b[-1]] - at[b[0]]) for b in bones]
    reach = [float(np.linalg.norm(at[b[-1]] - wrist)) for b in bones]
    bases = [at[b[0]] for b in bones]
    arm = unit(wrist - at[above]) if (above := int(anatomy.skeleton.parents[hand])) >= 0 else np.zeros(3)
    thumb, sure = _thumb(ways, reach, bases, wrist, arm)
    others = [n for n in range(len(lines)) if n != thumb]
    across = _across_the_palm([bases[n] for n in others], bases[thumb], at[bones[thumb][-1]])
    order = sorted(others, key=lambda n: float(bases[n] @ across))
    out = {"thumb": bones[thumb][:3]}
    for name, n in zip(FINGERS[1:], order, strict=False):
        out[name] = bones[n][:3]
    return out, sure


def _lines(anatomy: SkeletonTree, hand: int, passed: Sequence[int]) -> list[tuple[int, ...]]:
    """The chains of bones that may be fingers."""
    children = anatomy.skeleton.children
    lines: list[tuple[int, ...]] = []
    for start in children[hand]:
        # A palm bone may carry several fingers.
        starts = [start]
        while len(starts) == 1 and len([c for c in children[starts[0]] if children[c]]) > 1:
            starts = [c for c in children[starts[0]] if children[c]]
        lines += [anatomy.line(s) for s in starts if s not in passed]
    lines = [line for line in lines if len(line) >= 2]
    near, length = ZERO * anatomy.size, anatomy.length
    if 1 < len(lines) <= 5 and all(len(line) > 2 and length[line[0]] <= near < length[line[1]] for line in lines):
        # Every finger has a joint on the wrist that is there for its branch alone.
        lines = [line[1:] for line in lines]
    return lines


def _across_the_palm(starts: list[FloatArray], thumb: FloatArray, thumb_tip: FloatArray) -> FloatArray:
    """From the thumb across the palm, by where the fingers start along the line through their starts, ``(3,)``."""
    roots = np.array(starts)
    across = roots[int(np.argmax(np.linalg.norm(roots - thumb, axis=1)))] - thumb
    if len(starts) > 1:
        middle = roots.mean(axis=0)
        axis = np.linalg.svd(roots - middle)[2][0]
        across = axis if float(axis @ (middle - thumb)) >= 0 else -axis
        # The thumb lies on the index finger's side of the palm, seen from the wrist.
        if float(across @ (thumb_tip - middle)) > 0:
            across = -across
    return np.asarray(across)


def _solid(anatomy: SkeletonTree, hand: int, line: Sequence[int]) -> list[int]:
    """A finger's bones without a palm bone before and an end behind; of joints on one spot the last."""
    bones = [a for a, b in itertools.pairwise(line) if anatomy.length[b] > ZERO * anatomy.size] + [line[-1]]
    first = float(np.linalg.norm(anatomy.at[bones[0]] - anatomy.at[hand]))
    if len(bones) >= 4 and first < 0.75 * anatomy.length[bones[1]]:
        bones = bones[1:]
    return bones[:3]


def _thumb(
    ways: list[FloatArray], reach: list[float], bases: list[FloatArray], wrist: FloatArray, arm: FloatArray
) -> tuple[int, float]:
    """The finger that diverges most from the others, starts nearest to the wrist and reaches least far; and how
    clearly.

    Of two, as in a mitten, the one that diverges more from the way the arm goes and reaches less far.
    """
    count = len(ways)
    if count == 2 and arm.any():
        off = [
            float(np.degrees(np.arccos(np.clip(way @ arm, -1, 1)))) / 20 - 2.0 * r / max(reach)
            for way, r in zip(ways, reach, strict=True)
        ]
        return int(np.argmax(off)), float(1 / (1 + np.exp(-2 * abs(off[0] - off[1]))))
    scores = []
    for n in range(count):
        others = [ways[k] for k in range(count) if k != n]
        turned = float(np.degrees(np.arccos(np.clip(ways[n] @ unit(np.sum(others, axis=0)), -1, 1))))
        near = float(np.linalg.norm(bases[n] - wrist)) / (np.mean([np.linalg.norm(b - wrist) for b in bases]) + 1e-9)
        short = reach[n] / max(reach)
        scores.append(turned / 20 - 2.0 * near - 2.0 * short)
    order = np.argsort(scores)[::-1]
    margin = scores[order[0]] - scores[order[1]]
    return int(order[0]), float(1 / (1 + np.exp(-2 * margin)))
