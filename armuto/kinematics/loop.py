"""Whether motion can be repeated, and by which joint it travels."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from armuto.kinematics import rotation

if TYPE_CHECKING:
    from armuto.kinematics.clip import Clip
    from armuto.kinematics.skeleton import Skeleton


def loops(clip: Clip) -> bool:
    """Whether the clip can be repeated: it ends in the pose it began in, moving as it moved, but for travel and a
    frame.

    Poses are compared about the body's carrier, turned to face the same way; speeds by the step between frames.
    """
    if clip.frames < 8:
        return False
    ends = [0, 1, clip.frames - 2, clip.frames - 1]
    sample = replace(clip, rotations=clip.rotations[ends], translations=clip.translations[ends])
    points = sample.world().positions
    carrier = carrier_of(clip.skeleton)
    points = points - points[:, carrier : carrier + 1] * [1, 0, 1]
    size = float(np.ptp(clip.skeleton.rest.positions, axis=0).max()) or 1.0
    # Turn the end about up onto the beginning (Procrustes in the plane).
    a, b = points[0][:, [0, 2]], points[3][:, [0, 2]]
    angle = np.arctan2((a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum(), (a * b).sum())
    points[2:] = rotation.rotate(rotation.about([0, 1, 0], angle), points[2:])
    step = max(float(np.linalg.norm(points[1] - points[0], axis=1).mean()), 1e-6 * size)
    distance = float(np.linalg.norm(points[3] - points[0], axis=1).mean())
    change = float(np.linalg.norm((points[1] - points[0]) - (points[3] - points[2]), axis=1).mean())
    moves = float(np.linalg.norm(np.diff(clip.rotations, axis=0), axis=2).sum()) > 0.1
    return moves and distance < max(0.012 * size, 1.5 * step) and change < max(0.004 * size, 0.6 * step)


def carrier_of(skeleton: Skeleton) -> int:
    """The topmost joint that has more than one child: a lone root above it may stand still."""
    joint = 0
    while len(skeleton.children[joint]) == 1:
        joint = skeleton.children[joint][0]
    return joint
