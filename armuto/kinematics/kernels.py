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
TILE = 32  # frames of which all joints fit into a core's own cache


def kernel(types: str, layout: str) -> Callable[[Callable[..., None]], np.ufunc]:
    """A loop over one row as a universal function. types: of its arguments, the results last. layout: how their last
    axes go together."""

    def compiled(row: Callable[..., None]) -> np.ufunc:
        # Without Numba's wrapper around it, which asks each argument whether it is some other library's array.
        ufunc: np.ufunc = guvectorize([f"void({types})"], layout, cache=True)(row).ufunc
        return ufunc

    return compiled


# Rows are taken apart into numbers, which stay in registers; arrays made within a row would cost more than its work.


@njit(inline="always")
def _product(x, y, z, w, p, q, r, s):
    return (
        w * p + x * s + y * r - z * q,
        w * q - x * r + y * s + z * p,
        w * r + x * q - y * p + z * s,
        w * s - x * p - y * q - z * r,
    )


@njit(inline="always")
def _turned(x, y, z, w, a, b, c):
    i, j, k = 2 * (y * c - z * b), 2 * (z * a - x * c), 2 * (x * b - y * a)
    return a + w * i + y * k - z * j, b + w * j + z * i - x * k, c + w * k + x * j - y * i


@kernel("f8[:], f8[:], f8[:]", "(n),(n)->(n)")
def multiply(a, b, out):
    out[0], out[1], out[2], out[3] = _product(a[0], a[1], a[2], a[3], b[0], b[1], b[2], b[3])


@kernel("f8[:], f8[:], f8[:], f8[:]", "(n),(n),(n)->(n)")
def multiply_three(a, b, c, out):
    x, y, z, w = _product(a[0], a[1], a[2], a[3], b[0], b[1], b[2], b[3])
    out[0], out[1], out[2], out[3] = _product(x, y, z, w, c[0], c[1], c[2], c[3])


@kernel("f8[:], f8[:]", "(n)->(n)")
def inverse(q, out):
    out[0] = -q[0]
    out[1] = -q[1]
    out[2] = -q[2]
    out[3] = q[3]


@kernel("f8[:], f8[:], f8[:]", "(n),(m)->(m)")
def rotate(q, v, out):
    out[0], out[1], out[2] = _turned(q[0], q[1], q[2], q[3], v[0], v[1], v[2])


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
    x, y, z, w = q[0], q[1], q[2], q[3]
    along = x * axis[0] + y * axis[1] + z * axis[2]
    p, r, s, t = _normalise(along * axis[0], along * axis[1], along * axis[2], w)
    twist[0], twist[1], twist[2], twist[3] = p, r, s, t
    swing[0], swing[1], swing[2], swing[3] = _product(x, y, z, w, -p, -r, -s, t)


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
        p, q, r, s = rotations[joint, 0], rotations[joint, 1], rotations[joint, 2], rotations[joint, 3]
        a, b, c = translations[joint, 0], translations[joint, 1], translations[joint, 2]
        if parent >= 0:
            x, y, z, w = world_q[parent, 0], world_q[parent, 1], world_q[parent, 2], world_q[parent, 3]
            p, q, r, s = _product(x, y, z, w, p, q, r, s)
            a, b, c = _turned(x, y, z, w, a, b, c)
            a, b, c = a + world_t[parent, 0], b + world_t[parent, 1], c + world_t[parent, 2]
        world_q[joint, 0], world_q[joint, 1], world_q[joint, 2], world_q[joint, 3] = p, q, r, s
        world_t[joint, 0], world_t[joint, 1], world_t[joint, 2] = a, b, c
    for end in range(end_parents.shape[0]):
        parent = end_parents[end]
        x, y, z, w = world_q[parent, 0], world_q[parent, 1], world_q[parent, 2], world_q[parent, 3]
        a, b, c = _turned(x, y, z, w, end_offsets[end, 0], end_offsets[end, 1], end_offsets[end, 2])
        ends[end, 0], ends[end, 1], ends[end, 2] = (
            a + world_t[parent, 0],
            b + world_t[parent, 1],
            c + world_t[parent, 2],
        )


@kernel("f8[:], f8[:], f8[:], f8[:]", "(n),(m),(m)->(m)")
def place(q, v, origin, out):
    x, y, z = _turned(q[0], q[1], q[2], q[3], v[0], v[1], v[2])
    out[0], out[1], out[2] = origin[0] + x, origin[1] + y, origin[2] + z


@kernel("i8[:], f8[:, :], f8[:, :]", "(j),(j,n)->(j,n)")
def local(parents, world, out):
    """The inverse of the rotations of :func:`forward`, of unit length."""
    for joint in range(parents.shape[0]):
        parent = parents[joint]
        p, q, r, s = world[joint, 0], world[joint, 1], world[joint, 2], world[joint, 3]
        if parent >= 0:
            x, y, z, w = world[parent, 0], world[parent, 1], world[parent, 2], world[parent, 3]
            p, q, r, s = _product(-x, -y, -z, w, p, q, r, s)
        out[joint, 0], out[joint, 1], out[joint, 2], out[joint, 3] = _normalise(p, q, r, s)


@kernel("i8[:], f8[:, :, :], f8[:, :, :]", "(j),(j,f,n)->(f,j,n)")
def local_by_joint(parents, world, out):
    """:func:`local` of world rotations that are laid out joint first, some frames of every joint at a time: what is
    read again for its children is still in the cache."""
    frames = world.shape[1]
    for first in range(0, frames, TILE):
        last = min(first + TILE, frames)
        for joint in range(parents.shape[0]):
            parent = parents[joint]
            for frame in range(first, last):
                p, q, r, s = (
                    world[joint, frame, 0],
                    world[joint, frame, 1],
                    world[joint, frame, 2],
                    world[joint, frame, 3],
                )
                if parent >= 0:
                    x, y, z = world[parent, frame, 0], world[parent, frame, 1], world[parent, frame, 2]
                    p, q, r, s = _product(-x, -y, -z, world[parent, frame, 3], p, q, r, s)
                row = out[frame, joint]
                row[0], row[1], row[2], row[3] = _normalise(p, q, r, s)


@kernel("f8[:], f8[:], f8[:]", "(n),(n)->(n)")
def against(a, b, out):
    out[0], out[1], out[2], out[3] = _product(-a[0], -a[1], -a[2], a[3], b[0], b[1], b[2], b[3])


@kernel("f8[:], f8[:], f8[:]", "(n),(n)->()")
def angle_apart(a, b, out):
    x, y, z, w = _product(-a[0], -a[1], -a[2], a[3], b[0], b[1], b[2], b[3])
    out[0] = 2 * math.atan2(math.sqrt(x * x + y * y + z * z), abs(w))


@kernel("f8[:], f8[:], f8[:], f8[:], f8[:], f8[:], f8[:]", "(n),(n),(n),(n),(m)->(m),(m)")
def swing_and_twist_against(rotations, above, reference, reference_above, axis, swing, twist):
    """Of a joint against the one above it, both counted from a reference: rotation vectors of swing and twist."""
    p, q, r, s = reference[0], reference[1], reference[2], reference[3]
    x, y, z, w = _product(rotations[0], rotations[1], rotations[2], rotations[3], -p, -q, -r, s)
    p, q, r, s = reference_above[0], reference_above[1], reference_above[2], reference_above[3]
    p, q, r, s = _product(above[0], above[1], above[2], above[3], -p, -q, -r, s)
    x, y, z, w = _product(-p, -q, -r, s, x, y, z, w)
    along = x * axis[0] + y * axis[1] + z * axis[2]
    p, q, r, s = _normalise(along * axis[0], along * axis[1], along * axis[2], w)
    twist[0], twist[1], twist[2] = _logarithm(p, q, r, s)
    x, y, z, w = _product(x, y, z, w, -p, -q, -r, s)
    swing[0], swing[1], swing[2] = _logarithm(x, y, z, w)


@kernel("f8[:], f8[:], f8[:], f8[:], f8[:, :], f8[:], f8[:]", "(n),(n),(n),(n),(a,m),(l)->()")
def limit_violation(rotations, above, reference, reference_above, axes, limits, out):
    """How many degrees a swing is out of its ellipse or a twist out of its range, whichever is more.

    axes: those of bend, side and twist. limits: lowest and highest of each in turn, in degrees, then the sines of half
    the swing and half the twist up to which no joint can be out, so that most are let through without an arc tangent.
    """
    p, q, r, s = reference[0], reference[1], reference[2], reference[3]
    x, y, z, w = _product(rotations[0], rotations[1], rotations[2], rotations[3], -p, -q, -r, s)
    p, q, r, s = reference_above[0], reference_above[1], reference_above[2], reference_above[3]
    p, q, r, s = _product(above[0], above[1], above[2], above[3], -p, -q, -r, s)
    x, y, z, w = _product(-p, -q, -r, s, x, y, z, w)
    i, j, k = axes[2, 0], axes[2, 1], axes[2, 2]
    along = x * i + y * j + z * k
    p, q, r, s = _normalise(along * i, along * j, along * k, w)
    x, y, z, w = _product(x, y, z, w, -p, -q, -r, s)
    if x * x + y * y + z * z <= limits[6] ** 2 and p * p + q * q + r * r <= limits[7] ** 2:
        out[0] = 0.0
        return
    a, b, c = _logarithm(x, y, z, w)
    bend = math.degrees(a * axes[0, 0] + b * axes[0, 1] + c * axes[0, 2])
    side = math.degrees(a * axes[1, 0] + b * axes[1, 1] + c * axes[1, 2])
    a, b, c = _logarithm(p, q, r, s)
    twist = math.degrees(a * i + b * j + c * k)
    x = bend / (-limits[0] if bend < 0 else limits[1])
    y = side / (-limits[2] if side < 0 else limits[3])
    far = math.sqrt(x * x + y * y)
    turned = abs(twist) / (-limits[4] if twist < 0 else limits[5])
    swung = math.sqrt(bend * bend + side * side) * (1 - 1 / max(far, 1.0))
    out[0] = max(swung, abs(twist) * (1 - 1 / max(turned, 1.0)))


@kernel("f8[:, :], f8[:, :], f8[:]", "(f,n),(f,n)->()")
def least_cosine(above, turns, out):
    """Of half the angles from each frame to the next of what turns against something: 1 where it never turns."""
    out[0] = 1.0
    x, y, z, w = 0.0, 0.0, 0.0, 0.0
    for frame in range(turns.shape[0]):
        a, b, c, d = above[frame, 0], above[frame, 1], above[frame, 2], above[frame, 3]
        p, q, r, s = turns[frame, 0], turns[frame, 1], turns[frame, 2], turns[frame, 3]
        p, q, r, s = _product(-a, -b, -c, d, p, q, r, s)
        if frame > 0:
            out[0] = min(out[0], abs(x * p + y * q + z * r + w * s))
        x, y, z, w = p, q, r, s


@kernel("f8[:], f8[:], f8[:], f8[:]", "(m),(m),(m)->()")
def second_difference(before, at, after, out):
    total = 0.0
    for axis in range(at.shape[0]):
        bent = (after[axis] - at[axis]) - (at[axis] - before[axis])
        total += bent * bent
    out[0] = math.sqrt(total)


@kernel("f8[:], f8[:]", "(m)->()")
def length(v, out):
    total = 0.0
    for axis in range(v.shape[0]):
        total += v[axis] * v[axis]
    out[0] = math.sqrt(total)


@kernel("f8[:], f8[:], f8[:]", "(m),(m)->()")
def dot(a, b, out):
    total = 0.0
    for axis in range(a.shape[0]):
        total += a[axis] * b[axis]
    out[0] = total


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
