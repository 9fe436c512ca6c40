"""How a motion goes over into another that has been laid onto it.

*Fade*: both are seen, at weights 1 − w and w that go from 0 to 1 with no speed and no acceleration at either end;
rotations on the shortest arc, translations on the line.

*Carry*: the second is seen, with the difference δ to the first carried over, which dies away over the N frames they
have in common (Bollo, *Inertialization: high-performance animation transitions*, GDC 2018)::

    δ(0) = first ⊖ second,  δ'(0) = that of both,  δ''(0) = 0,  δ(N) = δ'(N) = δ''(N) = 0

by the polynomials of fifth degree that this makes, for rotations as vectors in the joint's parent; what comes of the
velocities has come to rest within 0.2 s.
"""

from __future__ import annotations

from dataclasses import replace
from functools import partial

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.curves import smooth

SHORTEST_CARRY = 3  # frames
QUICK = 0.2  # seconds


def blended(a: Clip, b: Clip, blend: str, hips: int) -> Clip:
    """From a to b.

    Parameters
    ----------
    a, b : Clip
        With the same moving joints, among them the hips, and of as many frames; two of a are enough to carry over.
    blend : "fade" or "carry"
    hips : int
        The joint that goes over in the world, whatever carries it: travel that lies in a root far away would swing it
        about.
    """
    functions = (_fade_rotations, _fade_places) if blend == "fade" else (_carry_rotations, _carry_places)
    rotations, places = (partial(function, fps=a.fps) for function in functions)
    made = replace(
        b,
        rotations=rotations(a.rotations, b.rotations),
        translations=places(a.translations, b.translations),
    )
    parent = int(a.skeleton.parents[hips])
    if parent < 0:
        return made
    (own, other), carried = (clip.world() for clip in (a, b)), made.world()
    turned = rotations(own.rotations[:, [hips]], other.rotations[:, [hips]])[:, 0]
    placed = places(own.positions[:, hips], other.positions[:, hips])
    back = rotation.inverse(carried.rotations[:, parent])
    local, moved = made.rotations.copy(), made.translations.copy()
    local[:, hips] = rotation.normalised(rotation.multiply(back, turned))
    moved[:, int(np.searchsorted(a.moving, hips))] = rotation.rotate(back, placed - carried.positions[:, parent])
    return replace(made, rotations=local, translations=moved)


def weights(frames: int) -> FloatArray:
    """By how much the second is seen in the frames in common, ``(N,)``."""
    return smooth(np.arange(1, frames + 1) / (frames + 1))


def _fade_rotations(a: FloatArray, b: FloatArray, fps: float) -> FloatArray:
    return rotation.slerp(a, b, weights(len(a))[:, None])


def _fade_places(a: FloatArray, b: FloatArray, fps: float) -> FloatArray:
    return np.asarray(a + (b - a) * weights(len(a)).reshape(-1, *[1] * (a.ndim - 1)))


def _carry_rotations(a: FloatArray, b: FloatArray, fps: float) -> FloatArray:
    off = rotation.multiply(a[:2], rotation.inverse(b[:2]))
    turned = rotation.vector(np.where(off[..., 3:] < 0, -off, off))
    return rotation.multiply(rotation.from_vector(_dying(turned, len(b), fps)), b)


def _carry_places(a: FloatArray, b: FloatArray, fps: float) -> FloatArray:
    return np.asarray(b + _dying(a[:2] - b[:2], len(b), fps))


def _dying(first_two: FloatArray, frames: int, fps: float) -> FloatArray:
    """An offset ``(N, …)`` that begins with these two values' place and speed, and is at rest at 0 in frame N. Its
    speed is gone within a fifth of a second: carried over for long, that of a quick limb would throw it far off."""
    quick = min(frames, max(SHORTEST_CARRY, round(QUICK * fps)))
    offset, speed = first_two[0], (first_two[1] - first_two[0]) * quick
    every = np.arange(frames).reshape(-1, *[1] * offset.ndim)
    t = np.minimum(every / quick, 1.0)
    # 1 at 0 and at rest at both ends; and with speed 1 at 0, at rest at 0 at the other end.
    place = 1 - smooth(every / frames)
    going = t - 6 * t**3 + 8 * t**4 - 3 * t**5
    return np.asarray(place * offset + going * speed)
