"""Compiled loops over quaternions, vectors and the joints of clips (Numba): what everything that is waited for comes
down to.

They are called through :mod:`armuto.kinematics.rotation`, :mod:`~armuto.kinematics.vectors`,
:mod:`~armuto.kinematics.pose` and :mod:`~armuto.kinematics.statistics`, and this module is loaded at the first use: a
command that computes nothing does not pay for the compiler. Compiled once for a machine, into a cache beside this file
or in the user's. Strict IEEE arithmetic, so that a result is the same in every run.

They are generalized universal functions, which broadcast as NumPy's do. An argument ``like`` only says how long the
last axis of the result is.
"""

import math
from collections.abc import Callable

import numpy as np
from numba import guvectorize, njit

TINY = 1e-12


def kernel(types: str, layout: str) -> Callable[[Callable[..., None]], np.ufunc]:
    """A loop over one row as a universal function. types: of its arguments, the results last. layout: how their last
    axes go together."""

    def compiled(row: Callable[..., None]) -> np.ufunc:
        # Without Numba's wrapper around it, which asks each argument whether it is some other library's array.
        ufunc: np.ufunc = guvectorize([f"void({types})"], layout, cache=True)(row).ufunc
        return ufunc

    return compiled


@njit(inline="always")
def _product(a, b, out):
    x, y, z, w = a[0], a[1], a[2], a[3]
    p, q, r, s = b[0], b[1], b[2], b[3]
    out[0] = w * p + x * s + y * r - z * q
    out[1] = w * q - x * r + y * s + z * p
    out[2] = w * r + x * q - y * p + z * s
    out[3] = w * s - x * p - y * q - z * r


@njit(inline="always")
def _placed(q, v, origin, out):
    """A vector turned by q and put at an origin."""
    x, y, z, w = q[0], q[1], q[2], q[3]
    a, b, c = v[0], v[1], v[2]
    i = 2 * (y * c - z * b)
    j = 2 * (z * a - x * c)
    k = 2 * (x * b - y * a)
    out[0] = origin[0] + (a + w * i + y * k - z * j)
    out[1] = origin[1] + (b + w * j + z * i - x * k)
    out[2] = origin[2] + (c + w * k + x * j - y * i)


@kernel("f8[:], f8[:], f8[:]", "(n),(n)->(n)")
def multiply(a, b, out):
    _product(a, b, out)


@kernel("f8[:], f8[:], f8[:], f8[:]", "(n),(n),(n)->(n)")
def multiply_three(a, b, c, out):
    turned = np.empty(4)
    _product(a, b, turned)
    _product(turned, c, out)


@kernel("f8[:], f8[:]", "(n)->(n)")
def inverse(q, out):
    out[0] = -q[0]
    out[1] = -q[1]
    out[2] = -q[2]
    out[3] = q[3]


@kernel("f8[:], f8[:], f8[:]", "(n),(m)->(m)")
def rotate(q, v, out):
    x, y, z, w = q[0], q[1], q[2], q[3]
    a, b, c = v[0], v[1], v[2]
    i = 2 * (y * c - z * b)
    j = 2 * (z * a - x * c)
    k = 2 * (x * b - y * a)
    out[0] = a + w * i + y * k - z * j
    out[1] = b + w * j + z * i - x * k
    out[2] = c + w * k + x * j - y * i


@njit(inline="always")
def _normalise(x, y, z, w):
    length = math.sqrt(x * x + y * y + z * z + w * w)
    if length > TINY:
        return x / length, y / length, z / length, w / length
    return 0.0, 0.0, 0.0, 1.0


@njit(inline="always")
def _logarithm(x, y, z, w):
    """Rotation vector: axis times angle."""
    if w < 0:
        x, y, z, w = -x, -y, -z, -w
    sine = math.sqrt(x * x + y * y + z * z)
    factor = 2 * math.atan2(sine, w) / sine if sine > 1e-9 else 2.0
    return x * factor, y * factor, z * factor


@kernel("f8[:], f8[:]", "(n)->(n)")
def normalise(q, out):
    out[0], out[1], out[2], out[3] = _normalise(q[0], q[1], q[2], q[3])


@kernel("f8[:], f8, f8[:], f8[:]", "(m),(),(n)->(n)")
def about(axis, angle, like, out):
    sine = math.sin(angle / 2)
    out[0] = sine * axis[0]
    out[1] = sine * axis[1]
    out[2] = sine * axis[2]
    out[3] = math.cos(angle / 2)


@kernel("f8[:], f8[:], f8[:], f8[:]", "(m),(m),(n)->(n)")
def between(a, b, like, out):
    ax, ay, az = a[0], a[1], a[2]
    bx, by, bz = b[0], b[1], b[2]
    length = math.sqrt(ax * ax + ay * ay + az * az) * math.sqrt(bx * bx + by * by + bz * bz)
    x, y, z = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
    w = length + (ax * bx + ay * by + az * bz)
    if length <= 1e-24:
        x, y, z, w = 0.0, 0.0, 0.0, 1.0
    elif w < TINY * length:
        # Opposite directions: a half turn about an axis square to them.
        if abs(ax) < 0.7 * math.sqrt(ax * ax + ay * ay + az * az):
            x, y, z = 0.0, az, -ay
        else:
            x, y, z = -az, 0.0, ax
        w = 0.0
    out[0], out[1], out[2], out[3] = _normalise(x, y, z, w)


@kernel("f8[:], f8[:], f8[:]", "(n),(m)->(m)")
def vector(q, like, out):
    out[0], out[1], out[2] = _logarithm(q[0], q[1], q[2], q[3])


@kernel("f8[:], f8[:]", "(n)->()")
def angle(q, out):
    out[0] = 2 * math.atan2(math.sqrt(q[0] * q[0] + q[1] * q[1] + q[2] * q[2]), abs(q[3]))


@kernel("f8[:], f8[:], f8[:], f8[:]", "(n),(m)->(n),(n)")
def swing_and_twist(q, axis, swing, twist):
    along = q[0] * axis[0] + q[1] * axis[1] + q[2] * axis[2]
    p, r, s, t = _normalise(along * axis[0], along * axis[1], along * axis[2], q[3])
    twist[0], twist[1], twist[2], twist[3] = p, r, s, t
    x, y, z, w = q[0], q[1], q[2], q[3]
    swing[0] = x * t - w * p - y * s + z * r
    swing[1] = y * t - w * r + x * s - z * p
    swing[2] = z * t - w * s - x * r + y * p
    swing[3] = w * t + x * p + y * r + z * s


@kernel("f8[:], f8[:], f8, f8[:]", "(n),(n),()->(n)")
def slerp(a, b, share, out):
    cosine = a[0] * b[0] + a[1] * b[1] + a[2] * b[2] + a[3] * b[3]
    sign = -1.0 if cosine < 0 else 1.0
    theta = math.acos(min(abs(cosine), 1.0))
    sine = math.sin(theta)
    if sine < 1e-6:  # on a tiny arc the chord is the arc to rounding
        near, far = 1 - share, share
    else:
        near, far = math.sin((1 - share) * theta) / sine, math.sin(share * theta) / sine
    far *= sign
    out[0], out[1], out[2], out[3] = _normalise(
        near * a[0] + far * b[0], near * a[1] + far * b[1], near * a[2] + far * b[2], near * a[3] + far * b[3]
    )


@kernel("f8[:], f8[:], f8[:, :]", "(n),(m)->(m,m)")
def to_matrix(q, like, out):
    x, y, z, w = q[0], q[1], q[2], q[3]
    out[0, 0], out[0, 1], out[0, 2] = 1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)
    out[1, 0], out[1, 1], out[1, 2] = 2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)
    out[2, 0], out[2, 1], out[2, 2] = 2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)


@kernel(
    "i8[:], f8[:, :], f8[:, :], i8[:], f8[:, :], f8[:, :], f8[:, :], f8[:, :]",
    "(j),(j,n),(j,m),(e),(e,m)->(j,n),(j,m),(e,m)",
)
def forward(parents, rotations, translations, end_parents, end_offsets, world_q, world_t, ends):
    """World rotations and positions of joints and end sites of one pose. Parents come before their children."""
    for joint in range(parents.shape[0]):
        parent = parents[joint]
        if parent < 0:
            world_q[joint] = rotations[joint]
            world_t[joint] = translations[joint]
        else:
            _product(world_q[parent], rotations[joint], world_q[joint])
            _placed(world_q[parent], translations[joint], world_t[parent], world_t[joint])
    for end in range(end_parents.shape[0]):
        parent = end_parents[end]
        _placed(world_q[parent], end_offsets[end], world_t[parent], ends[end])


@kernel("f8[:], f8[:], f8[:], f8[:]", "(n),(m),(m)->(m)")
def place(q, v, origin, out):
    _placed(q, v, origin, out)


@kernel("i8[:], f8[:, :], f8[:, :]", "(j),(j,n)->(j,n)")
def local(parents, world, out):
    """The inverse of the rotations of :func:`forward`, of unit length."""
    turned = np.empty(4)
    for joint in range(parents.shape[0]):
        parent = parents[joint]
        if parent < 0:
            out[joint] = world[joint]
        else:
            above = world[parent]
            turned[0], turned[1], turned[2], turned[3] = -above[0], -above[1], -above[2], above[3]
            _product(turned, world[joint], out[joint])
        q = out[joint]
        q[0], q[1], q[2], q[3] = _normalise(q[0], q[1], q[2], q[3])


@kernel("f8[:], f8[:], f8[:]", "(n),(n)->(n)")
def against(a, b, out):
    x, y, z, w = -a[0], -a[1], -a[2], a[3]
    p, q, r, s = b[0], b[1], b[2], b[3]
    out[0] = w * p + x * s + y * r - z * q
    out[1] = w * q - x * r + y * s + z * p
    out[2] = w * r + x * q - y * p + z * s
    out[3] = w * s - x * p - y * q - z * r


@kernel("f8[:], f8[:], f8[:]", "(n),(n)->()")
def angle_apart(a, b, out):
    x, y, z, w = -a[0], -a[1], -a[2], a[3]
    p, q, r, s = b[0], b[1], b[2], b[3]
    i = w * p + x * s + y * r - z * q
    j = w * q - x * r + y * s + z * p
    k = w * r + x * q - y * p + z * s
    out[0] = 2 * math.atan2(math.sqrt(i * i + j * j + k * k), abs(w * s - x * p - y * q - z * r))


@kernel(
    "f8[:, :], f8[:, :], i8[:], i8[:], f8[:, :], f8[:, :], f8[:, :]",
    "(j,n),(j,n),(k),(k),(k,m)->(k,m),(k,m)",
)
def swings_and_twists(rotations, reference, joints, above, axes, swing, twist):
    """Of joints against those above them, both counted from a reference: rotation vectors of swing and twist."""
    own, upper, turned = np.empty(4), np.empty(4), np.empty(4)
    back = np.empty(4)
    for row in range(joints.shape[0]):
        joint = joints[row]
        back[0], back[1], back[2], back[3] = (
            -reference[joint, 0],
            -reference[joint, 1],
            -reference[joint, 2],
            reference[joint, 3],
        )
        _product(rotations[joint], back, own)
        if above[row] >= 0:
            joint = above[row]
            back[0], back[1], back[2], back[3] = (
                -reference[joint, 0],
                -reference[joint, 1],
                -reference[joint, 2],
                reference[joint, 3],
            )
            _product(rotations[joint], back, upper)
            upper[0], upper[1], upper[2] = -upper[0], -upper[1], -upper[2]
            _product(upper, own, turned)
        else:
            turned[:] = own
        x, y, z, w = turned[0], turned[1], turned[2], turned[3]
        a, b, c = axes[row, 0], axes[row, 1], axes[row, 2]
        along = x * a + y * b + z * c
        p, r, s, t = _normalise(along * a, along * b, along * c, w)
        twist[row, 0], twist[row, 1], twist[row, 2] = _logarithm(p, r, s, t)
        swing[row, 0], swing[row, 1], swing[row, 2] = _logarithm(
            x * t - w * p - y * s + z * r,
            y * t - w * r + x * s - z * p,
            z * t - w * s - x * r + y * p,
            w * t + x * p + y * r + z * s,
        )


@kernel("f8[:], f8[:]", "(m)->()")
def length(v, out):
    total = 0.0
    for axis in range(v.shape[0]):
        total += v[axis] * v[axis]
    out[0] = math.sqrt(total)


@kernel("f8[:], f8[:], f8[:]", "(m),(m)->(m)")
def cross(a, b, out):
    ax, ay, az = a[0], a[1], a[2]
    bx, by, bz = b[0], b[1], b[2]
    out[0] = ay * bz - az * by
    out[1] = az * bx - ax * bz
    out[2] = ax * by - ay * bx


@kernel("f8[:], f8[:], f8[:]", "(m),(m)->()")
def angle_between(a, b, out):
    ax, ay, az = a[0], a[1], a[2]
    bx, by, bz = b[0], b[1], b[2]
    x, y, z = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
    out[0] = math.atan2(math.sqrt(x * x + y * y + z * z), ax * bx + ay * by + az * bz)


@kernel("f8[:], f8, f8[:]", "(n),()->()")
def percentile(values, share, out):
    count = values.shape[0]
    for at in range(count):
        if math.isnan(values[at]):
            out[0] = np.nan
            return
    place = share / 100.0 * (count - 1)
    at = min(int(place), count - 1)
    ordered = np.partition(values, at)
    low = ordered[at]
    high = ordered[at + 1 :].min() if at + 1 < count else low
    part = place - at
    # From the nearer of the two, as NumPy does, so that neither rounding leads beyond them.
    if part < 0.5:
        out[0] = low + (high - low) * part
    else:
        out[0] = high - (high - low) * (1.0 - part)


@kernel("f8[:, :], f8[:], f8[:, :], f8[:, :], f8[:], f8[:], f8[:], f8[:]", "(p,m),(p),(c,m),(c,m),(c)->(),(m),(m)")
def deepest(points, radii, starts, ends, thick, depth, way, place):
    depth[0] = -np.inf
    for axis in range(3):
        way[axis] = 0.0
        place[axis] = points[0, axis]
    for capsule in range(starts.shape[0]):
        sx, sy, sz = starts[capsule, 0], starts[capsule, 1], starts[capsule, 2]
        lx, ly, lz = ends[capsule, 0] - sx, ends[capsule, 1] - sy, ends[capsule, 2] - sz
        squared = max(lx * lx + ly * ly + lz * lz, 1e-12)
        for ball in range(points.shape[0]):
            fx, fy, fz = points[ball, 0] - sx, points[ball, 1] - sy, points[ball, 2] - sz
            share = min(max((fx * lx + fy * ly + fz * lz) / squared, 0.0), 1.0)
            ax, ay, az = fx - share * lx, fy - share * ly, fz - share * lz
            far = math.sqrt(ax * ax + ay * ay + az * az)
            deep = radii[ball] + thick[capsule] - far
            if deep > depth[0]:
                depth[0] = deep
                far = max(far, 1e-9)
                way[0], way[1], way[2] = ax / far, ay / far, az / far
                place[0], place[1], place[2] = points[ball, 0], points[ball, 1], points[ball, 2]


@kernel("f8[:], f8[:], f8[:]", "(k),(m)->(m)")
def transform(rows, point, out):
    """By the upper three rows of a matrix of four, in one."""
    for axis in range(3):
        at = 4 * axis
        out[axis] = rows[at] * point[0] + rows[at + 1] * point[1] + rows[at + 2] * point[2] + rows[at + 3]
