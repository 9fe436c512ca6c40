"""How a motion goes over into another that has been laid onto it.

*Fade*: both are seen, at weights 1 − w and w that go from 0 to 1 with no speed and no acceleration at either end;
rotations on the shortest arc, translations on the line.

*Carry*: the second is seen, with the difference δ to the first carried over, which dies away over the N frames they
have in common (Bollo, *Inertialization: high-performance animation transitions*, GDC 2018)::

    δ(0) = first ⊖ second,  δ'(0) = that of both,  δ''(0) = 0,  δ(N) = δ'(N) = δ''(N) = 0

by the polynomial of fifth degree that this makes, for rotations as vectors in the joint's parent.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.curves import smooth


def fade(a: Clip, b: Clip) -> Clip:
    """From a to b, which have as many frames and the same moving joints."""
    share = weights(a.frames)
    rotations = rotation.slerp(a.rotations, b.rotations, share[:, None])
    translations = a.translations + (b.translations - a.translations) * share[:, None, None]
    return replace(a, rotations=rotations, translations=translations)


def carry(a: Clip, b: Clip) -> Clip:
    """b, beginning as a does, which has as many frames, at least two, and the same moving joints."""
    back = rotation.inverse(b.rotations[:2])
    turned = rotation.vector(_near(rotation.multiply(a.rotations[:2], back)))
    shifted = a.translations[:2] - b.translations[:2]
    rotations = rotation.multiply(rotation.from_vector(_dying(turned, a.frames)), b.rotations)
    return replace(b, rotations=rotations, translations=b.translations + _dying(shifted, a.frames))


def weights(frames: int) -> FloatArray:
    """By how much the second is seen in the frames in common, ``(N,)``."""
    return smooth(np.arange(1, frames + 1) / (frames + 1))


def _near(q: FloatArray) -> FloatArray:
    """The same rotations, with the sign that makes them less than half a turn."""
    return np.asarray(np.where(q[..., 3:] < 0, -q, q))


def _dying(first_two: FloatArray, frames: int) -> FloatArray:
    """An offset ``(N, …)`` that begins with these two values' place and speed, and is at rest at 0 in frame N."""
    offset, speed = first_two[0], (first_two[1] - first_two[0]) * frames
    t = (np.arange(frames) / frames).reshape(-1, *[1] * offset.ndim)
    # 1 at 0 and at rest at both ends; and with speed 1 at 0, at rest at 0 at the other end.
    place = 1 - smooth(t)
    going = t - 6 * t**3 + 8 * t**4 - 3 * t**5
    return np.asarray(place * offset + going * speed)
