"""Curves of COLLADA animation samplers: steps, straight lines, and Bézier segments in time and value."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from armuto.kinematics.arrays import FloatArray

DENSE = 60.0  # keys a second where tangents curve between keys


@dataclass
class Curve:
    """Keys of one channel. incoming, outgoing: Bézier control points (time, value), for channels of one number."""

    times: FloatArray
    values: FloatArray
    kinds: list[str]
    incoming: FloatArray | None
    outgoing: FloatArray | None

    @property
    def curved(self) -> bool:
        return self.incoming is not None and self.outgoing is not None and "BEZIER" in self.kinds

    def key_times(self) -> FloatArray:
        """The keys' own times, and a dense grid between them where the curve bends."""
        if not self.curved or len(self.times) < 2:
            return self.times
        first, last = self.times[0], self.times[-1]
        if (last - first) * DENSE > 200_000:
            return self.times
        grid = first + np.arange(int((last - first) * DENSE) + 1) / DENSE
        return np.unique(np.concatenate([self.times, grid]).round(7))

    def at(self, times: FloatArray) -> FloatArray:
        k = np.clip(np.searchsorted(self.times, times + 1e-9, side="right") - 1, 0, len(self.times) - 1)
        after = np.minimum(k + 1, len(self.times) - 1)
        span = self.times[after] - self.times[k]
        share = np.clip(np.where(span > 0, (times - self.times[k]) / np.where(span > 0, span, 1), 0), 0, 1)[:, None]
        out = self.values[k] + share * (self.values[after] - self.values[k])
        kind = np.array(self.kinds)[k]
        out = np.where((kind == "STEP")[:, None], self.values[k], out)
        if self.curved and self.incoming is not None and self.outgoing is not None:
            bent = (kind == "BEZIER") & (span > 0)
            x = [self.times[k], self.outgoing[k, 0], self.incoming[after, 0], self.times[after]]
            y = [self.values[k, 0], self.outgoing[k, 1], self.incoming[after, 1], self.values[after, 0]]
            out[bent, 0] = _bezier([v[bent] for v in x], [v[bent] for v in y], times[bent])
        return np.asarray(out)


def _bezier(x: list[FloatArray], y: list[FloatArray], times: FloatArray) -> FloatArray:
    """Values of cubic Bézier segments at given times: the parameter is found by bisection, since x rises along it."""

    def cubic(p: list[FloatArray], s: FloatArray) -> FloatArray:
        r = 1 - s
        return np.asarray(r**3 * p[0] + 3 * r * r * s * p[1] + 3 * r * s * s * p[2] + s**3 * p[3])

    low, high = np.zeros_like(times), np.ones_like(times)
    for _ in range(40):
        middle = (low + high) / 2
        below = cubic(x, middle) < times
        low, high = np.where(below, middle, low), np.where(below, high, middle)
    return cubic(y, (low + high) / 2)
