"""Rotations over time as vectors about their mean, in which they can be filtered, scaled and put together."""

from __future__ import annotations

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray


def to_tangent(rotations: FloatArray) -> tuple[FloatArray, FloatArray]:
    """A mean m ``(J, 4)`` and vectors x ``(F, J, 3)`` in radians with ``q(t) = m · exp(x(t))``.

    x runs on where a turn goes beyond half a turn from the mean, up to a whole one, so that it has no jumps there
    (the logarithm on the double cover; Grassia, *Practical parameterization of rotations using the exponential map*,
    1998).
    """
    q = rotation.continuous(rotations)
    total = q.sum(axis=0)
    # What turns round and round has no mean; any of its rotations will do.
    spins = np.linalg.norm(total, axis=-1, keepdims=True) < 0.05 * len(q)
    mean = rotation.normalised(np.where(spins, q[len(q) // 2], total))
    relative = rotation.multiply(rotation.inverse(mean), q)
    relative = np.where(np.median(relative[..., 3], axis=0)[..., None] < 0, -relative, relative)
    sine = np.sqrt(np.sum(relative[..., :3] ** 2, axis=-1))
    angle = 2 * np.arctan2(sine, relative[..., 3])
    scale = np.where(sine > 1e-12, angle / np.maximum(sine, 1e-12), 2.0)
    return mean, relative[..., :3] * scale[..., None]


def from_tangent(mean: FloatArray, vectors: FloatArray) -> FloatArray:
    """The rotations ``(F, J, 4)``: the inverse of :func:`to_tangent`."""
    return rotation.multiply(mean, rotation.from_vector(vectors))
