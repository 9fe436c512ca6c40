"""Vectors as arrays whose last axis is 3."""

from __future__ import annotations

import numpy as np

from armuto.kinematics.arrays import FloatArray


def unit(v: FloatArray) -> FloatArray:
    length = float(np.linalg.norm(v))
    return np.asarray(v / length) if length > 1e-12 else np.zeros(3)


def lengths(values: FloatArray) -> FloatArray:
    """Length of vectors along the last axis."""
    return np.asarray(np.sqrt(np.einsum("...i,...i->...", values, values)))
