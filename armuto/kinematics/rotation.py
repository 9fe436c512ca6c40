"""Unit quaternions ``(x, y, z, w)`` as arrays whose last axis is 4, with NumPy broadcasting.

Compiled loops (:mod:`armuto.kinematics.kernels`) instead of ``scipy.spatial.transform.Rotation``, which knows no
broadcasting of whole clips and copies at every step; docs/benchmarks.md has the numbers. SciPy is used where its
algorithms are the point: Euler angles and alignment of direction sets.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import ArrayLike

from armuto.kinematics.arrays import FloatArray
from armuto.lazy import lazily

kernels = lazily("armuto.kinematics.kernels")

IDENTITY: FloatArray = np.array([0.0, 0.0, 0.0, 1.0])
IDENTITY.setflags(write=False)
#: Say how long the last axis of a kernel's result is.
_THREE: FloatArray = np.zeros(3)


def multiply(a: FloatArray, b: FloatArray) -> FloatArray:
    """Hamilton product ``a·b``: the rotation that first applies ``b``, then ``a``. Shapes broadcast."""
    product: FloatArray = kernels.multiply(a, b)
    return product


def multiply_three(a: FloatArray, b: FloatArray, c: FloatArray, out: FloatArray | None = None) -> FloatArray:
    """``a·b·c`` in one pass. Shapes broadcast."""
    product: FloatArray = kernels.multiply_three(a, b, c, out=out)
    return product


def inverse(q: FloatArray) -> FloatArray:
    """The conjugate, which for unit quaternions is the inverse."""
    conjugate: FloatArray = kernels.inverse(q)
    return conjugate


def rotate(q: FloatArray, v: FloatArray) -> FloatArray:
    """Vectors ``v (..., 3)`` turned by ``q (..., 4)``: ``v + 2w(u×v) + 2u×(u×v)`` with ``u`` the vector part."""
    turned: FloatArray = kernels.rotate(q, v)
    return turned


def placed(q: FloatArray, v: FloatArray, origin: FloatArray, out: FloatArray | None = None) -> FloatArray:
    """Vectors turned by ``q`` as :func:`rotate` does, and put at origins ``(..., 3)``."""
    places: FloatArray = kernels.place(q, v, origin, out=out)
    return places


def normalised(q: FloatArray) -> FloatArray:
    """Unit length along the last axis; a zero quaternion becomes the identity."""
    unit: FloatArray = kernels.normalise(q)
    return unit


def about(axis: ArrayLike, angle: ArrayLike) -> FloatArray:
    """Rotation by ``angle`` (radians, any shape) about one ``axis (3,)``, which need not be unit length."""
    x, y, z = np.asarray(axis, dtype=float).tolist()
    length = math.sqrt(x * x + y * y + z * z)
    angles = np.asarray(angle, dtype=float)
    if angles.ndim == 0:
        half = float(angles) / 2
        sine = math.sin(half)
        return np.array([sine * (x / length), sine * (y / length), sine * (z / length), math.cos(half)])
    return about_each(np.array([x, y, z]) / length, angles)


def between(a: FloatArray, b: FloatArray) -> FloatArray:
    """The smallest rotation that brings direction ``a (3,)`` onto direction ``b (3,)``.

    Opposite directions have no unique answer: the half turn about the axis nearest to +X that is square to ``a``
    is taken. A zero direction gives the identity.
    """
    ax, ay, az = (float(v) for v in a)
    bx, by, bz = (float(v) for v in b)
    length = math.sqrt((ax * ax + ay * ay + az * az) * (bx * bx + by * by + bz * bz))
    if length < 1e-24:
        return IDENTITY.copy()
    cosine = (ax * bx + ay * by + az * bz) / length
    if cosine < -1.0 + 1e-12:
        a = a / np.linalg.norm(a)
        square = np.eye(3)[int(np.argmin(np.abs(a)))]
        square = square - a * (a @ square)
        return about(square, np.pi)
    x, y, z = (ay * bz - az * by) / length, (az * bx - ax * bz) / length, (ax * by - ay * bx) / length
    w = 1.0 + cosine
    return np.array([x, y, z, w]) / math.sqrt(x * x + y * y + z * z + w * w)


def between_each(a: FloatArray, b: FloatArray) -> FloatArray:
    """The smallest rotations that bring directions ``a (..., 3)`` onto ``b (..., 3)``; :func:`between` for whole
    arrays.

    Zero directions give the identity; opposite ones a half turn about some axis square to ``a``.
    """
    smallest: FloatArray = kernels.between(a, b, IDENTITY)
    return smallest


def about_each(axes: FloatArray, angles: FloatArray) -> FloatArray:
    """Rotations by ``angles (...)`` in radians about unit ``axes (..., 3)``."""
    turned: FloatArray = kernels.about(axes, angles, IDENTITY)
    return turned


def vector(q: FloatArray) -> FloatArray:
    """Rotation vectors ``(..., 3)``: axis times angle in radians, the angle from 0 to π."""
    logarithm: FloatArray = kernels.vector(q, _THREE)
    return logarithm


def from_vector(v: FloatArray) -> FloatArray:
    """The rotations whose vectors these are ``(..., 3)``: the inverse of :func:`vector`, for any angle."""
    half = np.sqrt(np.sum(v * v, axis=-1, keepdims=True)) / 2
    return np.concatenate([v * (np.sinc(half / np.pi) / 2), np.cos(half)], axis=-1)


def swing_and_twist(q: FloatArray, axis: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Take a rotation apart: ``q = swing · twist`` with the twist about a unit axis.

    Parameters
    ----------
    q : array (..., 4)
    axis : array (3,)
        Of unit length.

    Returns
    -------
    swing, twist : array (..., 4)

    Notes
    -----
    At a swing of a half turn the twist is not defined, and taken as none.

    References
    ----------
    Dobrowolski, *Swing-twist decomposition in Clifford algebra*, 2015.

    Examples
    --------
    >>> import numpy as np
    >>> from armuto.kinematics import rotation
    >>> q = rotation.multiply(rotation.about([1, 0, 0], 0.4), rotation.about([0, 1, 0], 0.3))
    >>> swing, twist = rotation.swing_and_twist(q, np.array([0.0, 1.0, 0.0]))
    >>> np.allclose(rotation.vector(twist), [0, 0.3, 0]), np.allclose(rotation.vector(swing), [0.4, 0, 0])
    (True, True)
    """
    swing, twist = kernels.swing_and_twist(q, axis)
    return swing, twist


def angle(q: FloatArray) -> FloatArray:
    """Angle of each rotation in radians, 0 to π."""
    return np.asarray(kernels.angle(q))


def against(a: FloatArray, b: FloatArray) -> FloatArray:
    """``a⁻¹·b``: the rotation b as it is seen from a."""
    relative: FloatArray = kernels.against(a, b)
    return relative


def angle_apart(a: FloatArray, b: FloatArray) -> FloatArray:
    """Angle in radians, 0 to π, by which each two rotations differ."""
    return np.asarray(kernels.angle_apart(a, b))


def slerp(a: FloatArray, b: FloatArray, share: ArrayLike) -> FloatArray:
    """Spherical interpolation along the shorter arc (Shoemake 1985). ``share`` broadcasts against ``a[..., 0]``."""
    between: FloatArray = kernels.slerp(a, b, share)
    return between


def mean(q: FloatArray) -> FloatArray:
    """The mean over the first axis of rotations ``(N, ..., 4)`` that lie within half a turn of the first: the
    normalised sum, which is the mean of Markley 2007 to second order."""
    near = np.where(kernels.dot(q, q[:1])[..., None] < 0, -q, q)
    return normalised(near.sum(axis=0))


def continuous(q: FloatArray) -> FloatArray:
    """The same rotations with signs chosen so that neighbours along axis 0 lie in one hemisphere."""
    if len(q) < 2:
        return q
    flips = np.sum(q[1:] * q[:-1], axis=-1) < 0
    odd = np.concatenate([np.zeros((1, *flips.shape[1:]), bool), np.logical_xor.accumulate(flips, axis=0)])
    return np.where(odd[..., None], -q, q)


def to_matrix(q: FloatArray) -> FloatArray:
    """Rotation matrices ``(..., 3, 3)``."""
    matrices: FloatArray = kernels.to_matrix(q, _THREE)
    return matrices


def from_matrix(m: FloatArray) -> FloatArray:
    """Quaternion ``(4,)`` of the rotation nearest to one 3×3 matrix with positive determinant (polar decomposition)."""
    u, _, vt = np.linalg.svd(m)
    r = u @ np.diag([1.0, 1.0, np.sign(np.linalg.det(u @ vt))]) @ vt
    # Bar-Itzhack 2000: the quaternion is the eigenvector of K with the largest eigenvalue.
    k = np.array(
        [
            [r[0, 0] - r[1, 1] - r[2, 2], r[1, 0] + r[0, 1], r[2, 0] + r[0, 2], r[2, 1] - r[1, 2]],
            [r[1, 0] + r[0, 1], r[1, 1] - r[0, 0] - r[2, 2], r[2, 1] + r[1, 2], r[0, 2] - r[2, 0]],
            [r[2, 0] + r[0, 2], r[2, 1] + r[1, 2], r[2, 2] - r[0, 0] - r[1, 1], r[1, 0] - r[0, 1]],
            [r[2, 1] - r[1, 2], r[0, 2] - r[2, 0], r[1, 0] - r[0, 1], r[0, 0] + r[1, 1] + r[2, 2]],
        ]
    )
    q: FloatArray = np.linalg.eigh(k)[1][:, -1]
    return q if q[3] >= 0 else -q
