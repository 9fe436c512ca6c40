"""Order statistics of short series, of which findings take hundreds (:mod:`armuto.kinematics.kernels`)."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.rotation import kernels


def percentile(values: ArrayLike, share: float) -> float:
    """A percentile ``share`` of 100 of all the values, interpolated linearly (Hyndman and Fan 1996, their seventh);
    NaN where one of them is. Raises ValueError for no values."""
    series = np.asarray(values, dtype=float).ravel()
    if not series.size:
        raise ValueError("there is no value to take a percentile of")
    return float(kernels.percentile(series, share))


def percentiles(values: FloatArray, share: float) -> FloatArray:
    """:func:`percentile` along the last axis of ``(..., N)``."""
    found: FloatArray = kernels.percentile(values, share)
    return found


def median(values: ArrayLike) -> float:
    """The median of all the values. Raises ValueError for no values."""
    return percentile(values, 50.0)
