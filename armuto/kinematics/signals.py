"""Signals over time: speeds, and stretches in which something holds."""

from __future__ import annotations

import numpy as np

from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.kinematics.vectors import lengths
from armuto.lazy import lazily

ndimage = lazily("scipy.ndimage")


def hysteresis(begin: BoolArray, stay: BoolArray) -> BoolArray:
    """Stretches of ``stay`` that hold at least one frame of ``begin``."""
    pieces, count = ndimage.label(stay)
    passing = np.zeros(count + 1, bool)
    passing[np.unique(pieces[begin & stay])] = True
    passing[0] = False
    return np.asarray(passing[pieces])


def runs(held: BoolArray) -> list[tuple[int, int]]:
    """First and last frame of every stretch of True."""
    padded = np.zeros(len(held) + 2, bool)
    padded[1:-1] = held
    edges: list[int] = np.flatnonzero(padded[1:] != padded[:-1]).tolist()
    return [(a, b - 1) for a, b in zip(edges[::2], edges[1::2], strict=True)]


def speed_of(positions: FloatArray, fps: float) -> FloatArray:
    """Speed ``(F,)`` in m/s, by central differences."""
    return np.asarray(lengths(np.gradient(positions, axis=0)) * fps)


def lasting(held: BoolArray, frames: float) -> BoolArray:
    """Without the stretches shorter than so many frames, and than two."""
    out = held.copy()
    for first, last in runs(held):
        if last - first + 1 < max(2, frames):
            out[first : last + 1] = False
    return out
