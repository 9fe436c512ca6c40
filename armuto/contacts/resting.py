"""Contacts: the stretches of a clip in which a foot or hand rests against something, found in the source.

A point rests where it is slow and close to the floor, or slow at any height while the body moves about it: a foot on a
stair, a hand on a rail. The floor is estimated from the clip. Speeds and heights are scaled by the length of the leg,
and each has a stricter value to begin with and a looser one to end with (hysteresis), so that noise does not cut a
contact into pieces.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np

from armuto.body.estimation import RESTING_HEIGHT, RESTING_SPEED
from armuto.contacts.model import Contact
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.signals import bridged, extended, hysteresis, lasting, runs, speed_of
from armuto.kinematics.statistics import median, percentile
from armuto.lazy import lazily

ndimage = lazily("scipy.ndimage")

END_SPEED = 0.4  # leg lengths per second
END_HEIGHT = 0.07  # of the leg, above the floor
STILL_SPEED, LEAVING_SPEED = 0.12, 0.25  # of points that rest above the floor
SHORTEST, SHORTEST_RAISED = 0.07, 0.2  # seconds
GAP = 0.05  # seconds without contact that are bridged
SMOOTHING = 0.12  # seconds, the window in which speed is measured
ABOUT = 0.06  # of the leg: so far the body moves about what it rests on above the floor, at least
STEADY = 3.0  # and so many times as far as the point itself


@dataclass(frozen=True)
class PointTrack:
    """One point over the clip: its name, whether it is a foot's, and its positions ``(F, 3)`` in metres."""

    name: str
    foot: bool
    positions: FloatArray


def resting_contacts(
    tracks: Sequence[PointTrack], middle: FloatArray, fps: float, leg: float, floor: float | None = None
) -> tuple[tuple[Contact, ...], float]:
    """The contacts of all tracks in order of time, and the height of the floor in metres.

    middle: ``(F, 3)`` of the hips. leg: length of the source's leg in metres, by which speeds and heights are scaled.
    floor: the height of the floor, where it is known.
    """
    if not tracks or leg <= 0 or len(middle) < 3:
        return (), floor or 0.0
    calm = [smoothed(track.positions, fps) for track in tracks]
    fast = [speed_of(at, fps) / leg for at in calm]
    smooth_path = smoothed(middle, fps)
    if floor is None:
        floor = floor_of(
            [at for at, track in zip(calm, tracks, strict=True) if track.foot],
            [v for v, track in zip(fast, tracks, strict=True) if track.foot],
            leg,
        )
    out: list[Contact] = []
    for track, at, speed in zip(tracks, calm, fast, strict=True):
        height = (at[:, 1] - floor) / leg
        on_floor = hysteresis(
            (speed < RESTING_SPEED) & (height < RESTING_HEIGHT), (speed < END_SPEED) & (height < END_HEIGHT)
        )
        on_floor = lasting(bridged(on_floor, GAP * fps), SHORTEST * fps)
        raised = hysteresis((speed < STILL_SPEED) & ~on_floor, (speed < LEAVING_SPEED) & ~on_floor)
        raised = lasting(bridged(raised, GAP * fps) & ~on_floor, SHORTEST_RAISED * fps)
        for first, last in runs(on_floor):
            out.append(Contact(track.name, first, last))
        for first, last in runs(raised):
            frames = slice(first, last + 1)
            if _rests(at[frames], smooth_path[frames], leg):
                out.append(Contact(track.name, first, last, "", median(at[frames, 1]) - floor))
    return tuple(sorted(out, key=lambda contact: (contact.first, contact.point))), floor


def floor_of(feet: Sequence[FloatArray], speeds: Sequence[FloatArray], leg: float) -> float:
    """Height of the floor: where the lowest of the slow frames of all feet lie, leaving out the lowest few of a
    hundred."""
    slow = [at[speed < RESTING_SPEED, 1] for at, speed in zip(feet, speeds, strict=True)]
    heights = np.concatenate(slow) if slow else np.zeros(0)
    if len(heights) < 5:
        heights = np.concatenate([at[:, 1] for at in feet]) if feet else np.zeros(1)
        return float(heights.min())
    low = percentile(heights, 5)
    return median(heights[heights < low + RESTING_HEIGHT * leg])


def _rests(at: FloatArray, smooth_path: FloatArray, leg: float) -> bool:
    """Whether the body moves about the point, rather than both keeping still."""
    span = float(np.linalg.norm(np.ptp(at, axis=0)))
    other = float(np.linalg.norm(np.ptp(smooth_path - at, axis=0)))
    return other > ABOUT * leg and other > STEADY * span


def smoothed(positions: FloatArray, fps: float) -> FloatArray:
    """Positions with the noise of a capture taken off: a local parabola (Savitzky and Golay 1964)."""
    half = round(SMOOTHING * fps / 2)
    if half < 2 or len(positions) < 2 * half + 1:
        return positions
    return np.asarray(ndimage.convolve1d(extended(positions, half), _parabola(half), axis=0)[half:-half])


@cache
def _parabola(half: int) -> FloatArray:
    """Weights of a parabola fitted by least squares, read in its middle (``scipy.signal.savgol_coeffs(2 · half + 1,
    2)``).

    Solved here, since importing that library takes longer than most transfers.
    """
    at = np.arange(-half, half + 1, dtype=float)
    return np.asarray(np.linalg.pinv(np.stack([np.ones_like(at), at, at * at], axis=1))[0])
