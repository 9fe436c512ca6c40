"""Steady bones: lengths that swim from frame to frame set to their median, as captures from a camera have them.

A joint's translation against its parent keeps its direction in every frame and takes the median of its length; feet
that rest are held at rest. The way of the body over the ground is no bone, nor is what lies above its hips.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic.dataclasses import dataclass

from armuto.kinematics.arrays import FloatArray, IntArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.signals import low_pass
from armuto.kinematics.vectors import lengths
from armuto.refining.foot_locking import footing, lock_feet, steps_of
from armuto.refining.ground import drift_of
from armuto.refining.refined import Body, Refined
from armuto.validation import STRICT

SWIMS = 1e-6  # of a bone's length
DRIFTS = 0.5  # Hz: what feet do together that is no quicker is drift, which is another step's to take out


@dataclass(frozen=True, config=STRICT)
class Steady:
    kind: Literal["steady"] = "steady"
    on: bool = True

    def refine(self, before: Refined, body: Body) -> Refined:
        clip = before.clip
        columns, length = _bones(clip, body)
        usual = np.median(length, axis=0)
        swims = np.ptp(length, axis=0) > SWIMS * np.maximum(usual, 1e-9)
        if not swims.any():
            return before
        translations = clip.translations.copy()
        chosen = columns[swims]
        translations[:, chosen] *= (usual[swims] / np.maximum(length[:, swims], 1e-12))[..., None]
        made = replace(clip, translations=translations)
        ground = footing(body)
        if ground is not None:
            steps = steps_of(made, ground)
            drift = low_pass(drift_of(steps, ground, made), DRIFTS, clip.fps)
            made = lock_feet(made, body, steps.contacts, drift)
        return before.with_clip(made)


def swimming(clip: Clip, body: Body) -> float:
    """By how much bones swim: the largest of their lengths' 95 of 100 deviations from the median, over that."""
    _, length = _bones(clip, body)
    if not length.size:
        return 0.0
    usual = np.median(length, axis=0)
    off = np.abs(length - usual) / np.maximum(usual, 0.01)
    return float(np.percentile(off, 95, axis=0).max())


def _bones(clip: Clip, body: Body) -> tuple[IntArray, FloatArray]:
    """The columns of translations that are bones, and their lengths ``(F, K)``."""
    kept = body.carried | frozenset(np.flatnonzero(clip.skeleton.parents < 0).tolist())
    columns = np.flatnonzero([int(joint) not in kept for joint in clip.moving])
    return columns, lengths(clip.translations[:, columns])
