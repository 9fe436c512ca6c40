"""Signals over time: speeds, and stretches in which something holds."""

from __future__ import annotations

import numpy as np

from armuto.kinematics.arrays import BoolArray, FloatArray, IntArray
from armuto.kinematics.vectors import lengths
from armuto.lazy import lazily

signal = lazily("scipy.signal")


def hysteresis(begin: BoolArray, stay: BoolArray) -> BoolArray:
    """Stretches of ``stay`` that hold at least one frame of ``begin``."""
    starts, ends = _edges(stay)
    begun = np.concatenate([[0], np.cumsum(begin & stay)])
    return _selected(stay, begun[ends] > begun[starts], ends - starts)


def lasting(held: BoolArray, frames: float) -> BoolArray:
    """Without the stretches shorter than so many frames, and than two."""
    starts, ends = _edges(held)
    return _selected(held, ends - starts >= max(2, frames), ends - starts)


def bridged(held: BoolArray, frames: float) -> BoolArray:
    """With gaps between stretches filled that are no longer than so many frames."""
    starts, ends = _edges(held)
    gap = starts[1:] - ends[:-1]
    out = held.copy()
    for first, last in zip(ends[:-1][gap <= frames], starts[1:][gap <= frames], strict=True):
        out[first:last] = True
    return out


def runs(held: BoolArray) -> list[tuple[int, int]]:
    """First and last frame of every stretch of True."""
    starts, ends = _edges(held)
    return list(zip(starts.tolist(), (ends - 1).tolist(), strict=True))


def _edges(held: BoolArray) -> tuple[IntArray, IntArray]:
    """The first frame of every stretch of True, and the one after its last."""
    padded = np.zeros(len(held) + 2, bool)
    padded[1:-1] = held
    edges = np.flatnonzero(padded[1:] != padded[:-1])
    return edges[::2], edges[1::2]


def _selected(held: BoolArray, chosen: BoolArray, long: IntArray) -> BoolArray:
    """Of stretches of True that are so long, those that are wanted."""
    out = np.zeros(len(held), bool)
    out[held] = np.repeat(chosen, long)
    return out


def speed_of(positions: FloatArray, fps: float) -> FloatArray:
    """Speed ``(F,)`` in m/s, by central differences. F is at least 2."""
    steps = np.empty_like(positions)
    steps[0], steps[-1] = positions[1] - positions[0], positions[-1] - positions[-2]
    np.subtract(positions[2:], positions[:-2], out=steps[1:-1])
    steps[1:-1] /= 2.0
    return np.asarray(lengths(steps) * fps)


def extended(values: FloatArray, frames: int) -> FloatArray:
    """Values ``(F, …)`` gone on by so many frames at both ends, mirrored through these, so that what moves there does
    not seem to stand: ``(F + 2 · frames, …)``. F is more than frames."""
    ahead = 2 * values[:1] - values[frames:0:-1]
    behind = 2 * values[-1:] - values[-2 : -frames - 2 : -1]
    return np.concatenate([ahead, values, behind])


def low_pass(values: FloatArray, cutoff: float, fps: float) -> FloatArray:
    """Values ``(F, …)`` without what is quicker than the cutoff in Hz, at no delay: a Butterworth filter of second
    order run forth and back, by which the cutoff keeps half its power (Winter, *Biomechanics and Motor Control of Human
    Movement*, 2009, section 3.4.4). Ends go on mirrored through themselves."""
    if len(values) < 3 or cutoff >= 0.49 * fps:
        return values
    # Run twice, a filter of second order loses at 0.802 times its cutoff what it should lose at it.
    corner = min(cutoff / (2**0.5 - 1) ** 0.25, 0.49 * fps)
    sections = signal.butter(2, corner, fs=fps, output="sos")
    beyond = min(len(values) - 1, max(6, round(2 * fps / cutoff)))
    return np.asarray(signal.sosfiltfilt(sections, values, axis=0, padlen=beyond))
