"""Pace: the clip quicker or slower, by a percentage, to a length, or along a curve.

With the pace p(τ) at time τ of the clip, the new time is t(τ) = ∫ dτ / p, and the pose at t is the clip's own at τ(t).
Between keys p runs through a monotone cubic, which goes beyond no key (Fritsch and Carlson, *Monotone piecewise cubic
interpolation*, SIAM J. Numer. Anal. 17, 1980).
"""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Literal

import numpy as np
from pydantic import AfterValidator
from pydantic.dataclasses import dataclass

from armuto.kinematics.arrays import FloatArray
from armuto.lazy import lazily
from armuto.refining.refined import Body, Refined
from armuto.validation import STRICT, Number, Within

interpolate = lazily("scipy.interpolate")

Percent = Annotated[float, Within(25.0, 400.0)]
Seconds = Annotated[float, Within(0.05, 3600.0)]
FINE = 16  # steps within a frame by which the curve is summed up


def _in_order(keys: tuple[tuple[float, float], ...]) -> tuple[tuple[float, float], ...]:
    if any(later <= earlier for (earlier, _), (later, _) in pairwise(keys)):
        raise ValueError("keys of a pace come one after another, no two in the same frame")
    return keys


@dataclass(frozen=True, config=STRICT)
class Pace:
    """percent: of the clip's own pace. keys: frame of the take and percent there, instead of one percentage for all of
    it. length: seconds that the clip is to last, whatever the percentage is; a curve keeps its shape."""

    kind: Literal["pace"] = "pace"
    on: bool = True
    percent: Percent = 100.0
    keys: Annotated[tuple[tuple[Number, Percent], ...], AfterValidator(_in_order)] = ()
    length: Seconds | None = None

    def refine(self, before: Refined, body: Body) -> Refined:
        """Its poses lie on the clip's own path; the first and the last stay what they are."""
        clip = before.clip
        if clip.frames < 2:
            return before
        fine = np.linspace(0.0, clip.frames - 1, (clip.frames - 1) * FINE + 1)
        slowness = 100.0 / self._percent(np.interp(fine, np.arange(clip.frames), before.frames))
        passed = np.concatenate([[0.0], np.cumsum((slowness[1:] + slowness[:-1]) / 2)]) / FINE
        length = passed[-1] if self.length is None else self.length * clip.fps
        count = max(2, round(length) + 1)
        before.allow(count)
        if count == clip.frames and np.ptp(slowness) < 1e-12:
            return before
        # The last frame is the clip's last: its length is right to half a frame, and nothing of it is left out.
        times = np.linspace(0.0, passed[-1], count)
        return before.sampled(np.interp(times, passed, fine))

    def _percent(self, frames: FloatArray) -> FloatArray:
        """The pace at frames of the take."""
        if not self.keys:
            return np.full(len(frames), self.percent)
        at, percent = np.array(self.keys).T
        if len(at) == 1:
            return np.full(len(frames), percent[0])
        return np.asarray(interpolate.PchipInterpolator(at, percent)(np.clip(frames, at[0], at[-1])))
