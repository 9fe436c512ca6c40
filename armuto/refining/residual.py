"""Residual analysis: how much of a joint's motion a low pass takes off, by its cutoff.

With x the rotation vectors of a joint and x̂(f) the same without what is quicker than f, ::

    R(f) = √( Σ |x − x̂(f)|² / F )

Noise alone gives a straight line over f, which the curve follows from where nothing but noise is left: where the line,
carried on to 0 Hz, meets the curve's height, as much noise is let through as motion is lost (Winter, *Biomechanics and
Motor Control of Human Movement*, 2009, section 3.4.4.3).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.signals import low_pass
from armuto.kinematics.tangent import to_tangent

SLOWEST, QUICKEST = 0.5, 0.45  # Hz, and of the frame rate
COUNT = 40
TAIL = 0.6  # of the quickest cutoff: from there on only noise is taken to be left
SHORTEST = 16  # frames


@dataclass(frozen=True, eq=False)
class Residual:
    """cutoffs ``(K,)`` in Hz, and what each takes off ``(K,)``, in degrees. noise ``(2,)``: the line that noise alone
    would give, at 0 Hz in degrees and its slope in degrees by Hz. cutoff: the one it leads to, None where it shows no
    noise."""

    cutoffs: FloatArray
    degrees: FloatArray
    noise: FloatArray
    cutoff: float | None


def residual_of(clip: Clip, joint: int) -> Residual | None:
    """The residual of a joint's rotation; None for a clip that is too short to tell."""
    quickest = QUICKEST * clip.fps
    if clip.frames < SHORTEST or quickest <= 2 * SLOWEST:
        return None
    vectors = to_tangent(clip.rotations[:, joint : joint + 1])[1][:, 0]
    cutoffs = np.linspace(SLOWEST, quickest, COUNT)
    left = np.array([np.sqrt(((vectors - low_pass(vectors, f, clip.fps)) ** 2).sum(axis=1).mean()) for f in cutoffs])
    degrees = np.degrees(left)
    tail = cutoffs >= TAIL * quickest
    slope, noise = np.polyfit(cutoffs[tail], degrees[tail], 1)
    below = np.flatnonzero(degrees <= noise)
    cutoff = None
    if noise > 1e-6 and slope < 0 and len(below) and below[0] > 0:
        after = int(below[0])
        rows = slice(after - 1, after + 1)
        cutoff = float(np.interp(-noise, -degrees[rows], cutoffs[rows]))
    return Residual(cutoffs, degrees, np.array([noise, slope]), cutoff)
