"""Spikes: single frames in which a joint is somewhere else altogether, found and mended.

In the rotation vectors of a joint (:mod:`armuto.kinematics.tangent`), and in translations, a frame is wrong where it is
farther from the median of the frames around it than so many times as is usual there (Hampel, *The influence curve and
its role in robust estimation*, 1974; Pearson, *Outliers in process modeling*, 2002), and than a joint goes between two
frames by itself. What is wrong is put between its neighbours by a cubic through the two good frames on either side.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

import numpy as np
from pydantic.dataclasses import dataclass

from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.signals import extended
from armuto.kinematics.statistics import MAD
from armuto.kinematics.tangent import from_tangent, to_tangent
from armuto.lazy import lazily
from armuto.refining.refined import Body, Refined
from armuto.validation import STRICT, Within

ndimage = lazily("scipy.ndimage")
interpolate = lazily("scipy.interpolate")

AROUND = 2  # frames on either side, of which the median is taken: a spike lasts no longer than two
USUAL = 0.5  # seconds on either side in which it is looked how far frames are from it
LEAST_TURN, LEAST_WAY = np.radians(10.0), 0.03  # radians and metres: closer is no spike
OFTEN, OWN = 95, 1.6  # of a hundred frames; and so many times as far as these are off


@dataclass(frozen=True, config=STRICT)
class Spikes:
    """times: how many times as far as usual a frame is off to be wrong."""

    kind: Literal["spikes"] = "spikes"
    on: bool = True
    times: Annotated[float, Within(3.0, 50.0)] = 8.0

    def refine(self, before: Refined, body: Body) -> Refined:
        clip = before.clip
        mean, vectors = to_tangent(clip.rotations)
        turned, shifted = _wrong(vectors, clip, self.times)
        if not turned.any() and not shifted.any():
            return before
        rotations, translations = clip.rotations.copy(), clip.translations.copy()
        for joint in np.flatnonzero(turned.any(axis=0)):
            bad = turned[:, joint]
            rotations[bad, joint] = from_tangent(mean[joint], _mended(vectors[:, joint], bad)[bad])
        for column in np.flatnonzero(shifted.any(axis=0)):
            bad = shifted[:, column]
            translations[bad, column] = _mended(translations[:, column], bad)[bad]
        return before.with_clip(replace(clip, rotations=rotations, translations=translations))


def wrong_frames(clip: Clip, times: float = Spikes.times) -> tuple[BoolArray, BoolArray]:
    """In which frames joints are turned wrong ``(F, J)``, and translations are ``(F, K)``."""
    return _wrong(to_tangent(clip.rotations)[1], clip, times)


def _wrong(vectors: FloatArray, clip: Clip, times: float) -> tuple[BoolArray, BoolArray]:
    return (
        _outliers(vectors, clip.fps, times, float(LEAST_TURN)),
        _outliers(clip.translations, clip.fps, times, LEAST_WAY),
    )


def _outliers(values: FloatArray, fps: float, times: float, least: float) -> BoolArray:
    """Which frames of curves ``(F, K, 3)`` are wrong, ``(F, K)``."""
    if len(values) < 2 * AROUND + 3 or not values.shape[1]:
        return np.zeros(values.shape[:2], bool)
    middle = ndimage.median_filter(extended(values, AROUND), size=(2 * AROUND + 1, 1, 1))[AROUND:-AROUND]
    off = np.sqrt(np.sum((values - middle) ** 2, axis=-1))
    half = min(round(USUAL * fps), (len(values) - 1) // 2)
    usual = MAD * ndimage.median_filter(off, size=(2 * half + 1, 1), mode="mirror")
    # A joint that is quick goes far between two frames; the quickest that it goes nearby is no spike of its own.
    steps = np.sqrt(np.sum(np.diff(values, axis=0) ** 2, axis=-1))
    pace = ndimage.percentile_filter(steps, 80, size=(2 * half + 1, 1), mode="mirror")
    pace = np.maximum(np.vstack([pace[:1], pace]), np.vstack([pace, pace[-1:]]))
    # Whatever it does again and again is its way of moving.
    own = OWN * np.percentile(off, OFTEN, axis=0)
    return np.asarray((off > times * usual) & (off > 1.2 * pace) & (off > own) & (off > least))


def _mended(values: FloatArray, bad: BoolArray) -> FloatArray:
    good = np.flatnonzero(~bad)
    if len(good) < 4:
        return values
    return np.asarray(interpolate.PchipInterpolator(good, values[good], axis=0, extrapolate=True)(np.arange(len(bad))))
