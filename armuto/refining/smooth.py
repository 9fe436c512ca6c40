"""Smooth: the tremble of a capture taken off, at no delay.

*Measured* (without a cutoff). A body moves in few ways at once, and slowly; noise is in every joint, at any speed.
Rotation vectors and translations over time, each over the noise in it, are taken apart into principal components,
``X = U S Vᵀ``, over windows that overlap. Components that noise alone could have made are dropped, the others lose what
it has added to them (Gavish and Donoho 2017); and of the spectrum P(f) of each is kept, ::

    H(f) = max(0, 1 − N / P(f))

(Wiener's filter, its spectra estimated from the motion itself), with N the power of the noise in every bin. Where there
is no noise nothing is changed. This halves noise and more where one cutoff for each joint, found by residual analysis
(Winter, *Biomechanics and Motor Control of Human Movement*, 2009, section 3.4.4.3), takes off a quarter of it: 30
frames a second leave such a cutoff little to choose from.

*Said.* With a cutoff, a low pass of zero phase over all joints (:func:`armuto.kinematics.signals.low_pass`).
"""

from __future__ import annotations

from dataclasses import dataclass as plain_dataclass
from dataclasses import replace
from math import comb
from typing import Annotated, Literal

import numpy as np
from pydantic.dataclasses import dataclass

from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.signals import low_pass
from armuto.kinematics.statistics import MAD
from armuto.kinematics.tangent import from_tangent, to_tangent
from armuto.refining.refined import Body, Refined
from armuto.validation import STRICT, Within

ORDER = 6  # of the differences by which noise is told from motion
MOST = 4.0  # so many times as much noise as is usual on the body a curve has at most
WINDOW = 6.0  # seconds that are taken apart at once
SHORTEST = 16  # frames in which a spectrum shows anything
BAND = 0.6  # Hz over which a spectrum is averaged before it is compared
NOISELESS = (float(np.radians(0.05)), 1e-4)  # radians and metres below which there is no noise to speak of


@dataclass(frozen=True, config=STRICT)
class Smooth:
    """cutoff: Hz; measured without. strength: how much of it is done, in percent."""

    kind: Literal["smooth"] = "smooth"
    on: bool = True
    cutoff: Annotated[float, Within(0.5, 60.0)] | None = None
    strength: Annotated[float, Within(0.0, 100.0)] = 100.0

    def refine(self, before: Refined, body: Body) -> Refined:
        clip = before.clip
        if clip.frames < SHORTEST or self.strength == 0:
            return before
        curves = Curves.of_clip(clip)
        if self.cutoff is not None:
            made = low_pass(curves.values, self.cutoff, clip.fps)
        else:
            noise = noise_of(curves, clip.fps)
            if not np.any(noise > curves.least):
                return before
            made = _denoised(curves.values, np.maximum(noise, curves.least), clip.fps)
        made = curves.values + self.strength / 100 * (made - curves.values)
        return before.with_clip(curves.clip(clip, made))


@plain_dataclass(frozen=True, eq=False)
class Curves:
    """A clip as curves ``(F, N)``: three per joint in radians about its mean ``(J, 4)``, then three per column of
    translations in metres. least ``(N,)``: what is too little to be noise."""

    mean: FloatArray
    values: FloatArray
    least: FloatArray

    @classmethod
    def of_clip(cls, clip: Clip) -> Curves:
        mean, vectors = to_tangent(clip.rotations)
        parts = vectors.reshape(clip.frames, -1), clip.translations.reshape(clip.frames, -1)
        least = np.repeat(NOISELESS, [part.shape[1] for part in parts])
        return cls(mean, np.concatenate(parts, axis=1), least)

    def clip(self, like: Clip, values: FloatArray) -> Clip:
        """A clip of other values of the curves; what does not change is kept to the last digit."""
        turns = 3 * len(self.mean)
        vectors = values[:, :turns].reshape(len(values), -1, 3)
        same = (values == self.values)[:, :turns].reshape(len(values), -1, 3).all(axis=-1)[..., None]
        rotations = np.where(same, like.rotations, from_tangent(self.mean, vectors))
        return replace(like, rotations=rotations, translations=values[:, turns:].reshape(len(values), -1, 3))


def noise_of(curves: Curves, fps: float) -> FloatArray:
    """Standard deviation of the white noise in every curve ``(N,)``.

    With d the sixth differences of a curve, which leave next to nothing of how a body moves, ::

        σ = 1.4826 · median |d| / √C(12, 6)

    since of white noise they have C(12, 6) times its variance; a median does not see the frames of an impact. A limb
    that is quicker than the frame rate shows well has some left over; noise is everybody's, and no joint is taken to
    turn by more than so many times what is usual on the body.
    """
    off = np.abs(np.diff(curves.values, ORDER, axis=0))
    noise = MAD * np.median(off, axis=0) / np.sqrt(comb(2 * ORDER, ORDER))
    moves = np.ptp(curves.values, axis=0) > curves.least
    turns = curves.least == NOISELESS[0]
    if np.any(turns & moves):
        noise[turns] = np.minimum(noise[turns], MOST * np.median(noise[turns & moves]))
    return np.asarray(noise)


def tremble(clip: Clip) -> tuple[float, float]:
    """How much a clip trembles: the noise that is usual for a joint that moves, in radians, and for a translation, in
    metres."""
    if clip.frames < SHORTEST:
        return 0.0, 0.0
    curves = Curves.of_clip(clip)
    noise, moves = noise_of(curves, clip.fps).reshape(-1, 3), np.ptp(curves.values, axis=0) > curves.least
    every, some = np.sqrt((noise**2).sum(axis=1)), moves.reshape(-1, 3).any(axis=1)
    turns = np.arange(len(every)) < len(curves.mean)
    usual = [float(np.median(every[kind & some])) if np.any(kind & some) else 0.0 for kind in (turns, ~turns)]
    return usual[0], usual[1]


def _denoised(values: FloatArray, noise: FloatArray, fps: float) -> FloatArray:
    count = len(values)
    width = min(count, max(SHORTEST, round(WINDOW * fps)))
    step = max(1, width // 2)
    starts = sorted({*range(0, max(1, count - width + 1), step), count - width})
    total, weight = np.zeros_like(values), np.zeros(count)
    for start in starts:
        rows = slice(start, start + width)
        share = np.ones(width)
        ramp = np.sin(np.linspace(0, np.pi / 2, step + 2)[1:-1]) ** 2
        if start > 0:
            share[:step] *= ramp
        if start + width < count:
            share[-step:] *= ramp[::-1]
        total[rows] += share[:, None] * _window_denoised(values[rows] / noise, fps) * noise
        weight[rows] += share
    return total / weight[:, None]


def _window_denoised(values: FloatArray, fps: float) -> FloatArray:
    """Curves ``(W, N)`` whose noise has variance 1, without it."""
    line = _line(values)
    # Gone on mirrored through both ends, so that a spectrum sees no jump between them.
    residual = values - line
    own = np.concatenate([residual, -residual[-2:0:-1]])
    u, s, vt = np.linalg.svd(own, full_matrices=False)
    components = u * _shrunk(s, len(values), values.shape[1])
    spectrum = np.fft.rfft(components, axis=0)
    power = np.abs(spectrum) ** 2 / len(own)
    half = max(1, round(BAND / (fps / len(own))))
    smooth = _averaged(power, half)
    gain = np.clip(1 - 1 / np.maximum(smooth, 1e-12), 0.0, 1.0)
    made = np.fft.irfft(spectrum * gain, n=len(own), axis=0) @ vt
    return np.asarray(line + made[: len(values)])


def _shrunk(s: FloatArray, frames: int, curves: int) -> FloatArray:
    """Singular values ``(K,)`` of curves of so many frames, all of them twice, without what noise of variance 1 has
    added to them: none where it alone makes as large ones (Gavish and Donoho, *Optimal shrinkage of singular values*,
    IEEE Trans. Inf. Theory 63, 2017)."""
    most, beta = 2 * max(frames, curves), min(frames, curves) / max(frames, curves)
    y = s / np.sqrt(most)
    left = np.sqrt(np.maximum((y * y - beta - 1) ** 2 - 4 * beta, 0.0)) / np.maximum(y, 1e-12)
    return np.asarray(np.where(y > 1 + np.sqrt(beta), left, 0.0) * np.sqrt(most))


def _averaged(power: FloatArray, half: int) -> FloatArray:
    kernel = np.hanning(2 * half + 3)[1:-1]
    padded = np.concatenate([power[half:0:-1], power, power[-2 : -half - 2 : -1]])
    rows = np.apply_along_axis(lambda column: np.convolve(column, kernel / kernel.sum(), "valid"), 0, padded)
    return np.asarray(rows)


def _line(values: FloatArray) -> FloatArray:
    """The line from the first value to the last."""
    share = np.linspace(0.0, 1.0, len(values))[:, None]
    return values[:1] * (1 - share) + values[-1:] * share
