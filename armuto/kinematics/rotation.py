"""Unit quaternions ``(x, y, z, w)`` as arrays whose last axis is 4, with NumPy broadcasting.

Thin NumPy instead of ``scipy.spatial.transform.Rotation`` in the hot paths: on arrays of
``(3000, 65, 4)`` a product here takes about a tenth of the time (docs/benchmarks.md). SciPy is used
where its algorithms are the point: Euler angles and alignment of direction sets.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import ArrayLike

from armuto.kinematics.arrays import FloatArray

IDENTITY: FloatArray = np.array([0.0, 0.0, 0.0, 1.0])
IDENTITY.setflags(write=False)


def multiply(a: FloatArray, b: FloatArray) -> FloatArray:
    """Hamilton product ``a·b``: the rotation that first applies ``b``, then ``a``. Shapes broadcast."""
    if a.ndim == b.ndim == 1:
        # Single quaternions, as in aligning joint by joint, take a tenth of the time in plain numbers.
        x, y, z, w = a.tolist()
        p, q, r, s = b.tolist()
        return np.array(
            [
                w * p + x * s + y * r - z * q,
                w * q - x * r + y * s + z * p,
                w * r + x * q - y * p + z * s,
                w * s - x * p - y * q - z * r,
            ]
        )
    ax, ay, az, aw = a[..., 0], a[..., 1], a[..., 2], a[..., 3]
    bx, by, bz, bw = b[..., 0], b[..., 1], b[..., 2], b[..., 3]
    out = np.empty(np.broadcast_shapes(a.shape, b.shape))
    out[..., 0] = aw * bx + ax * bw + ay * bz - az * by
    out[..., 1] = aw * by - ax * bz + ay * bw + az * bx
    out[..., 2] = aw * bz + ax * by - ay * bx + az * bw
    out[..., 3] = aw * bw - ax * bx - ay * by - az * bz
    return out


def inverse(q: FloatArray) -> FloatArray:
    """The conjugate, which for unit quaternions is the inverse."""
    return np.asarray(q * np.array([-1.0, -1.0, -1.0, 1.0]))


def rotate(q: FloatArray, v: FloatArray) -> FloatArray:
    """Vectors ``v (..., 3)`` turned by ``q (..., 4)``: ``v + 2w(u×v) + 2u×(u×v)`` with ``u`` the vector part."""
    if q.ndim == v.ndim == 1:
        x, y, z, s = q.tolist()
        a, b, c = v.tolist()
        i, j, k = 2 * (y * c - z * b), 2 * (z * a - x * c), 2 * (x * b - y * a)
        return np.array([a + s * i + y * k - z * j, b + s * j + z * i - x * k, c + s * k + x * j - y * i])
    ux, uy, uz, w = q[..., 0], q[..., 1], q[..., 2], q[..., 3]
    vx, vy, vz = v[..., 0], v[..., 1], v[..., 2]
    tx, ty, tz = 2 * (uy * vz - uz * vy), 2 * (uz * vx - ux * vz), 2 * (ux * vy - uy * vx)
    out = np.empty((*np.broadcast_shapes(q.shape[:-1], v.shape[:-1]), 3))
    out[..., 0] = vx + w * tx + uy * tz - uz * ty
    out[..., 1] = vy + w * ty + uz * tx - ux * tz
    out[..., 2] = vz + w * tz + ux * ty - uy * tx
    return out


def normalised(q: FloatArray) -> FloatArray:
    """Unit length along the last axis; a zero quaternion becomes the identity."""
    length = np.linalg.norm(q, axis=-1, keepdims=True)
    return np.where(length > 1e-12, q / np.where(length > 1e-12, length, 1.0), IDENTITY)


def about(axis: ArrayLike, angle: ArrayLike) -> FloatArray:
    """Rotation by ``angle`` (radians, any shape) about one ``axis (3,)``, which need not be unit length."""
    direction = np.asarray(axis, dtype=float)
    half = np.asarray(angle, dtype=float)[..., None] / 2
    return np.concatenate([np.sin(half) * (direction / np.linalg.norm(direction)), np.cos(half)], axis=-1)


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
    cross = np.cross(a, b)
    lengths = np.linalg.norm(a, axis=-1) * np.linalg.norm(b, axis=-1)
    dot = np.sum(a * b, axis=-1)
    w = lengths + dot
    opposite = (w < 1e-12 * np.maximum(lengths, 1e-24)) & (lengths > 1e-24)
    if np.any(opposite):
        square = np.cross(
            a, np.where(np.abs(a[..., :1]) < 0.7 * np.linalg.norm(a, axis=-1, keepdims=True), *np.eye(3)[:2])
        )
        cross = np.where(opposite[..., None], square, cross)
        w = np.where(opposite, 0.0, w)
    return normalised(np.concatenate([cross, np.where(lengths > 1e-24, w, 1.0)[..., None]], axis=-1))


def about_each(axes: FloatArray, angles: FloatArray) -> FloatArray:
    """Rotations by ``angles (...)`` in radians about unit ``axes (..., 3)``."""
    half = angles[..., None] / 2
    return np.concatenate([np.sin(half) * axes, np.cos(half)], axis=-1)


def vector(q: FloatArray) -> FloatArray:
    """Rotation vectors ``(..., 3)``: axis times angle in radians, the angle from 0 to π."""
    q = np.where(q[..., 3:] < 0, -q, q)
    sine = np.linalg.norm(q[..., :3], axis=-1, keepdims=True)
    turned = 2 * np.arctan2(sine, q[..., 3:])
    return np.asarray(q[..., :3] * np.where(sine > 1e-9, turned / np.where(sine > 1e-9, sine, 1.0), 2.0))


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
    along = np.sum(q[..., :3] * axis, axis=-1, keepdims=True)
    twist = normalised(np.concatenate([along * axis, q[..., 3:]], axis=-1))
    return multiply(q, inverse(twist)), twist


def angle(q: FloatArray) -> FloatArray:
    """Angle of each rotation in radians, 0 to π."""
    if q.ndim == 1:
        x, y, z, w = q.tolist()
        return np.asarray(2 * math.atan2(math.sqrt(x * x + y * y + z * z), abs(w)))
    return np.asarray(2 * np.arctan2(np.linalg.norm(q[..., :3], axis=-1), np.abs(q[..., 3])))


def slerp(a: FloatArray, b: FloatArray, share: ArrayLike) -> FloatArray:
    """Spherical interpolation along the shorter arc (Shoemake 1985). ``share`` broadcasts against ``a[..., 0]``."""
    t = np.asarray(share, dtype=float)[..., None]
    cosine = np.sum(a * b, axis=-1, keepdims=True)
    b = np.where(cosine < 0, -b, b)
    theta = np.arccos(np.clip(np.abs(cosine), 0.0, 1.0))
    sine = np.sin(theta)
    near = sine < 1e-6  # on a tiny arc the chord is the arc to rounding
    safe = np.where(near, 1.0, sine)
    weight_a = np.where(near, 1 - t, np.sin((1 - t) * theta) / safe)
    weight_b = np.where(near, t, np.sin(t * theta) / safe)
    return normalised(weight_a * a + weight_b * b)


def mean(q: FloatArray) -> FloatArray:
    """The mean over the first axis of rotations ``(N, ..., 4)`` that lie within half a turn of the first: the
    normalised sum, which is the mean of Markley 2007 to second order."""
    near = np.where(np.sum(q * q[:1], axis=-1, keepdims=True) < 0, -q, q)
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
    x, y, z, w = q[..., 0], q[..., 1], q[..., 2], q[..., 3]
    rows = [
        [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
        [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
        [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
    ]
    return np.stack([np.stack(row, axis=-1) for row in rows], axis=-2)


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
