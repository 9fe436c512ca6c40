"""Motion at another frame rate."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from armuto.kinematics.clip import Clip
from armuto.kinematics.sampling import sample


def resample(clip: Clip, fps: float) -> Clip:
    """The clip with ``fps`` frames per second: frame k is the motion at ``k / fps`` seconds.

    Rotations run on the shortest arc between the two frames around that time at even speed (slerp), translations on the
    line between them; a time that both rates have is met exactly. Motion keeps its pace: what is left behind the last
    whole frame, less than one frame of the new rate, is dropped. Raises ValueError for a rate that is not positive.
    """
    if not (np.isfinite(fps) and fps > 0):
        raise ValueError(f"{fps} frames per second is not a frame rate")
    if clip.fps == fps or clip.frames < 2:
        return replace(clip, fps=float(fps))
    frames = int(np.floor(clip.seconds * fps + 1e-6)) + 1
    return replace(sample(clip, np.arange(frames) * (clip.fps / fps)), fps=float(fps))
