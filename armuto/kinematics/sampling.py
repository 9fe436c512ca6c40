"""Motion between its frames."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip


def sample(clip: Clip, frames: NDArray[np.floating]) -> Clip:
    """The clip's poses at ``frames (G,)``, which may lie between two of its own and come in any order, as a clip.

    Rotations run on the shortest arc between the two frames around a place at even speed (slerp), translations on the
    line between them; a place that is a frame of the clip's own is met exactly. Places before the first and after the
    last frame are these.
    """
    if clip.frames < 2:
        rows = np.zeros(len(frames), np.int64)
        return replace(clip, rotations=clip.rotations[rows], translations=clip.translations[rows])
    before = np.clip(np.floor(frames + 1e-9).astype(np.int64), 0, clip.frames - 2)
    share = (frames - before).clip(0.0, 1.0)
    rotations = rotation.slerp(clip.rotations[before], clip.rotations[before + 1], share[:, None])
    translations = clip.translations[before]
    translations = translations + (clip.translations[before + 1] - translations) * share[:, None, None]
    whole = (share < 1e-9)[:, None, None], (share > 1 - 1e-9)[:, None, None]
    for at_frame, rows in zip(whole, (before, before + 1), strict=True):
        rotations = np.where(at_frame, clip.rotations[rows], rotations)
        translations = np.where(at_frame, clip.translations[rows], translations)
    return replace(clip, rotations=rotations, translations=translations)
