"""The tail of a body, from its shape."""

from __future__ import annotations

import numpy as np

from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.rigging.proposing.body_frame import BodyFrame, Found, distances_within, sections_from

TAIL = 0.16  # of the back's height: a shorter one is none
TAIL_WITHIN, TAIL_BEHIND, TAIL_UP = 0.35, 0.12, 0.87  # of the way to the hips; of the back's height behind them; of it
TAIL_JUMP = 2.0  # times a tail's section: where sections grow to that, the trunk has been reached


def tail_of(frame: BodyFrame, mask: BoolArray, back: float, hips: FloatArray) -> Found:
    """Landmarks of a tail, where something thin reaches far behind the hips ``(3,)``; mask ``(N,)``: what is no leg."""
    local = frame.local
    behind = mask & (local[:, 2] < hips[2])
    if not behind.any():
        return {}
    core = np.flatnonzero(mask)[int(np.linalg.norm(local[mask] - hips, axis=1).argmin())]
    far = np.where(behind, distances_within(frame.solid, np.array([core]), mask), -np.inf)
    far[~np.isfinite(far)] = -np.inf
    tip = int(far.argmax())
    sections = sections_from(frame, np.array([tip]), mask & (local[:, 2] < hips[2] + 0.1 * back))
    along, area, middles = sections.along, sections.area, sections.middles
    thin = (along > 0.04 * back) & (along < 0.5 * float(far[tip]) / frame.height)
    if not thin.any():
        return {}
    grown = (along > 0.08 * back) & (area > TAIL_JUMP * np.median(area[thin]))
    end = int(np.flatnonzero(grown)[0]) if grown.any() else len(along) - 1
    if along[end] < TAIL * back:
        return {}
    # The root lies within the trunk from which it is seen to come.
    root = middles[end] + TAIL_WITHIN * (hips - middles[end])
    root[1:] = TAIL_UP * back, min(root[2], hips[2] - TAIL_BEHIND * back)
    middle = middles[int(np.abs(along - along[end] / 2).argmin())]
    return {
        "tail root": (root * [0, 1, 1], 0.6),
        "tail middle": (middle * [0, 1, 1], 0.6),
        "tail tip": (local[tip] * [0, 1, 1], 0.8),
    }
