"""Curves over time for posing: eased keys, and the rotations that put one pair of directions onto another."""

import numpy as np
from scipy.interpolate import PchipInterpolator
from scipy.spatial.transform import Rotation

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray


def eased(at: FloatArray, *keys: tuple) -> FloatArray:
    """Values through ``(time, value)`` keys that never overshoot and come to rest at both ends and at every turn.

    Value may be a number or a vector; before the first and after the last key it holds.
    """
    times = np.array([key[0] for key in keys], float)
    values = np.array([key[1] for key in keys], float)
    # A copy of the end keys just outside makes the curve start and stop with zero speed.
    margin = 0.25
    times = np.concatenate([[times[0] - margin], times, [times[-1] + margin]])
    values = np.concatenate([values[:1], values, values[-1:]])
    return PchipInterpolator(times, values)(np.clip(at, times[0], times[-1]))


def smooth(x: FloatArray) -> FloatArray:
    """0 to 1 with zero speed and acceleration at both ends (Perlin 2002)."""
    x = np.clip(x, 0.0, 1.0)
    return x**3 * (x * (6 * x - 15) + 10)


def turn(x=0.0, y=0.0, z=0.0, order: str = "YXZ") -> FloatArray:
    """Quaternions ``(F, 4)`` from curves in degrees about X, Y and Z, applied in intrinsic order."""
    by_axis = dict(
        zip("XYZ", np.broadcast_arrays(*(np.atleast_1d(np.asarray(v, float)) for v in (x, y, z))), strict=True)
    )
    return Rotation.from_euler(order, np.stack([by_axis[a] for a in order], axis=-1), degrees=True).as_quat()


def unit(v: FloatArray) -> FloatArray:
    return v / np.maximum(np.linalg.norm(v, axis=-1, keepdims=True), 1e-12)


def basis(primary: FloatArray, secondary: FloatArray) -> FloatArray:
    """Orthonormal frames ``(..., 3, 3)``: first column along primary, second towards secondary."""
    a = unit(primary)
    b = unit(secondary - a * np.sum(a * secondary, axis=-1, keepdims=True))
    return np.stack([a, b, np.cross(a, b)], axis=-1)


def onto(rest_primary, rest_secondary, primary: FloatArray, secondary: FloatArray) -> FloatArray:
    """World rotations ``(F, 4)`` that bring the rest directions onto the given ones."""
    rest = basis(np.asarray(rest_primary, float), np.asarray(rest_secondary, float))
    return Rotation.from_matrix(basis(primary, secondary) @ rest.T).as_quat()


def bend_normal(line: FloatArray, pole: FloatArray) -> FloatArray:
    """The axis ``(F, 3)`` about which a limb along ``line`` bends towards ``pole``; both bones are square to it."""
    return unit(np.cross(unit(line), pole))


def hinged(rest_along, rest_pole, along: FloatArray, square: FloatArray) -> FloatArray:
    """World rotations of a bone that points along ``along`` and bends about ``square``; never undefined, however far
    bent."""
    return onto(rest_along, rest_pole, along, np.cross(square, unit(along)))


def two_bones(start: FloatArray, goal: FloatArray, pole: FloatArray, upper: float, lower: float):
    """Middle joint and reached goal ``(F, 3)`` of a two-bone limb bent towards ``pole (F, 3)``.

    Near full reach the limb eases out instead of snapping straight.
    """
    line = goal - start
    far = np.linalg.norm(line, axis=-1)
    full, soft = (upper + lower) * 0.9995, (upper + lower) * 0.012
    over = np.maximum(far - (full - soft), 0.0)
    reach = np.where(over > 0, full - soft * np.exp(-over / soft), far)
    along = unit(line)
    cosine = np.clip((upper**2 + reach**2 - lower**2) / (2 * upper * reach), -1, 1)
    side = unit(pole - along * np.sum(along * pole, axis=-1, keepdims=True))
    middle = start + upper * (along * cosine[:, None] + side * np.sqrt(1 - cosine**2)[:, None])
    return middle, start + along * reach[:, None]


def rotated(q: FloatArray, v) -> FloatArray:
    return rotation.rotate(q, np.broadcast_to(np.asarray(v, float), (*q.shape[:-1], 3)))
