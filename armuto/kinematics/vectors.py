"""Vectors as arrays whose last axis is 3, with NumPy broadcasting (:mod:`armuto.kinematics.kernels`)."""

from __future__ import annotations

import math

import numpy as np

from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.rotation import kernels


def length(v: FloatArray) -> float:
    """Length of a single vector, in plain numbers: for these NumPy takes ten times as long."""
    return math.hypot(*v.tolist())


def unit(v: FloatArray) -> FloatArray:
    """A single vector's direction; zeros where it has none."""
    size = length(v)
    return np.asarray(v / size) if size > 1e-12 else np.zeros(3)


def lengths(values: FloatArray) -> FloatArray:
    """Length of vectors along the last axis, of whatever length that is."""
    return np.asarray(kernels.length(values))


def dot(a: FloatArray, b: FloatArray) -> FloatArray:
    """Scalar products along the last axis, of whatever length that is."""
    return np.asarray(kernels.dot(a, b))


def cross(a: FloatArray, b: FloatArray) -> FloatArray:
    """Cross products along the last axis."""
    product: FloatArray = kernels.cross(a, b)
    return product


def transformed(rows: FloatArray, points: FloatArray) -> FloatArray:
    """Points ``(..., 3)`` through affine transforms ``(..., 12)``: the upper three rows of a 4×4 matrix one after
    another."""
    moved: FloatArray = kernels.transform(rows, points)
    return moved


def angles_between(a: FloatArray, b: FloatArray) -> FloatArray:
    """Angle of each two directions ``(..., 3)`` in radians, 0 to π: exact also where they are nearly the same."""
    return np.asarray(kernels.angle_between(a, b))
