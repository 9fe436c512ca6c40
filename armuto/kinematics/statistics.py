"""Order statistics of short series, of which findings take hundreds."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from armuto.kinematics.arrays import FloatArray

MAD = 1.4826  # standard deviations of a median absolute deviation, of what is normally distributed


def percentile(values: ArrayLike, share: float) -> float:
    """A percentile ``share`` of 100 of all the values, interpolated linearly (Hyndman and Fan 1996, their seventh);
    NaN where one of them is. Raises ValueError for no values."""
    series = np.asarray(values, dtype=float)
    if not series.size:
        raise ValueError("there is no value to take a percentile of")
    return float(percentiles(series if series.ndim == 1 else series.ravel(), share))


def percentiles(values: FloatArray, share: float) -> FloatArray:
    """:func:`percentile` along the last axis of ``(..., N)``, of which N is at least 1.

    NumPy's own asks so much about weights and axes that short series take several times as long.
    """
    place = share / 100.0 * (values.shape[-1] - 1)
    at = min(int(place), values.shape[-1] - 1)
    ordered = np.array(values, dtype=float)
    ordered.partition(at)
    low = ordered[..., at]
    # What is not a number stands last.
    high = ordered[..., at + 1 :].min(axis=-1) if at + 1 < values.shape[-1] else low
    part, span = place - at, high - low
    # From the nearer of the two, as NumPy does, so that neither rounding leads beyond them.
    found: FloatArray = low + span * part if part < 0.5 else high - span * (1.0 - part)
    return found


def median(values: ArrayLike) -> float:
    """The median of all the values. Raises ValueError for no values."""
    return percentile(values, 50.0)
