"""Weights that come and go without a jolt."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from armuto.kinematics.arrays import FloatArray
from armuto.lazy import lazily

ndimage = lazily("scipy.ndimage")


def smooth(x: FloatArray) -> FloatArray:
    """From 0 at 0 to 1 at 1 with no speed and no acceleration at either end: 6x⁵ − 15x⁴ + 10x³ (Perlin 2002)."""
    x = np.clip(x, 0.0, 1.0)
    return np.asarray(x * x * x * (x * (6 * x - 15) + 10))


def smooth_at(x: float) -> float:
    """:func:`smooth` of a single number, which is quicker without an array around it."""
    x = min(max(x, 0.0), 1.0)
    return x * x * x * (x * (6 * x - 15) + 10)


def held(frames: FloatArray, first: float, last: float, before: float, after: float) -> FloatArray:
    """Weight ``(F,)`` that is 1 from first to last, and eases in and out over so many frames before and after,
    for ever where they are infinite."""
    out = np.ones(len(frames))
    if np.isfinite(before):
        out = smooth(1 + (frames - first) / before) if before > 0 else (frames >= first).astype(float)
    if np.isfinite(after):
        down = smooth(1 + (last - frames) / after) if after > 0 else (frames <= last).astype(float)
        out = np.minimum(out, down)
    return np.asarray(out)


@dataclass(frozen=True)
class BlendInterval:
    """Stretches that overlap, as one: it holds from frame first to last, and eases in and out over so many frames.

    members: numbers and frames (first, last) of its stretches.
    """

    members: tuple[tuple[int, int, int], ...]
    first: int
    last: int
    before: float
    after: float

    def weight(self, frames: FloatArray) -> tuple[slice, FloatArray]:
        """Where among the frames ``(F,)``, in order, it counts, and how much there."""
        start, stop = np.searchsorted(frames, [self.first - self.before, self.last + self.after + 1])
        part = slice(int(start), int(max(start, stop)))
        return part, held(frames[part], self.first, self.last, self.before, self.after)

    def shares(
        self, frames: FloatArray, ease: float, firmness: Sequence[FloatArray] | None = None
    ) -> Iterator[tuple[int, FloatArray]]:
        """Each stretch's number, and its share of the whole at these frames ``(F,)``, which add up to 1.

        What a stretch says counts the more the firmer it is (Shepard 1968); those with which the spell begins and ends
        go on beyond its ends. firmness: of every stretch by its number, by which it counts more or less, ``(F,)``.
        """
        weights = []
        for number, first, last in self.members:
            before = ease if first > self.first else np.inf
            after = ease if last < self.last else np.inf
            w = held(frames, first, last, before, after)
            weights.append(w / (1 - w + 1e-3) * (1.0 if firmness is None else firmness[number]))
        total = np.maximum(np.sum(weights, axis=0), 1e-12)
        for (number, _, _), weight in zip(self.members, weights, strict=True):
            yield number, weight / total


def blend_intervals(
    stretches: Sequence[tuple[int, int]], ease: float, bridge: float, loop: int | None = None
) -> list[BlendInterval]:
    """Spells of stretches (first, last), in the order of time.

    Over a gap shorter than ``bridge`` frames the one eases out while the next eases in, so that there is no return to
    nothing in between; what has no neighbour so near eases over ``ease`` frames. loop: the last frame of a clip that
    loops, beyond which its stretches follow once more, as they come before its first.
    """
    rows = [(number, first, last) for number, (first, last) in enumerate(stretches)]
    if loop:
        repeated = [(n, first + by, last + by) for n, first, last in rows for by in (-loop, loop)]
        rows += [row for row in repeated if row[2] >= -bridge and row[1] <= loop + bridge]
    groups: list[list[tuple[int, int, int]]] = []
    for row in sorted(rows, key=lambda row: row[1:]):
        if groups and row[1] <= max(group[2] for group in groups[-1]) + 1:
            groups[-1].append(row)
        else:
            groups.append([row])
    ends = [(min(row[1] for row in group), max(row[2] for row in group)) for group in groups]
    gaps = [later[0] - earlier[1] for earlier, later in pairwise(ends)]
    eases = [float(gap) if gap <= bridge else ease for gap in gaps]
    return [
        BlendInterval(tuple(group), first, last, before, after)
        for group, (first, last), before, after in zip(groups, ends, [ease, *eases], [*eases, ease], strict=False)
    ]


def envelope(values: FloatArray, width: int) -> FloatArray:
    """A smooth curve that is nowhere below the values ``(F,)``, and is 0 where they are 0 for a while.

    The largest value within ``width`` frames on either side, averaged over as many with a bell (Hann) window.
    """
    if width < 1 or not np.any(values):
        return values
    window = np.hanning(2 * width + 3)[1:-1]
    top = ndimage.maximum_filter1d(values, 2 * width + 1, mode="nearest")
    return np.asarray(ndimage.convolve1d(top, window / window.sum(), mode="nearest"))


def moving_average(values: FloatArray, width: int) -> FloatArray:
    """Values ``(F, …)`` averaged over ``width`` frames on either side with a bell window, ends held."""
    if width < 1:
        return values
    window = np.hanning(2 * width + 3)[1:-1]
    return np.asarray(ndimage.convolve1d(values, window / window.sum(), axis=0, mode="nearest"))
