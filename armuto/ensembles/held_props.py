"""Props that are held: moved as rigid things to where all hands would have them, as far as they are free to."""

from __future__ import annotations

import numpy as np

from armuto.ensembles.casting import Recording
from armuto.ensembles.giving_way import skew
from armuto.ensembles.shapes import lowest
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.curves import held
from armuto.kinematics.signals import lasting, runs, speed_of

TURNING = 0.01  # square metres: a prop resists being turned as if a place so far from its middle, squared, were held
STILL, STILL_TURN = 0.01, np.radians(2.0)  # metres and radians per second of a prop that stands
SETTLED = 0.2  # seconds that it stands at least
LIFTED = 0.4  # seconds in which a prop that is lifted goes over to the hands
ON_FLOOR = 0.025  # metres above the floor


def rigid_step(
    points: FloatArray, goals: FloatArray, weights: FloatArray, turned: FloatArray
) -> tuple[FloatArray, FloatArray, FloatArray]:
    """The shift ``(F, 3)`` and small turn ``(F, 3)`` about a middle ``(F, 3)`` that bring points ``(N, F, 3)`` of a
    rigid thing nearest to goals, with weights ``(N, F)``, where it has been turned by ``turned (F, 3)`` already, which
    it resists."""
    total = np.maximum(weights.sum(axis=0), 1e-9)
    pivot = np.einsum("nf,nfk->fk", weights, points) / total[:, None]
    offsets = goals - points
    shift = np.einsum("nf,nfk->fk", weights, offsets) / total[:, None]
    from_middle = points - pivot
    frames = points.shape[1]
    left = np.zeros((frames, 3, 3))
    right = np.zeros((frames, 3))
    for arm, by, weight in zip(from_middle, offsets - shift, weights / total, strict=True):
        jacobian = -skew(arm)
        left += weight[:, None, None] * np.einsum("fki,fkj->fij", jacobian, jacobian)
        right += weight[:, None] * np.einsum("fki,fk->fi", jacobian, by)
    left[:, range(3), range(3)] += TURNING
    right -= TURNING * turned
    turn = np.linalg.solve(left, right[..., None])[..., 0]
    present = np.minimum(total * 1e6, 1.0)[:, None]
    return shift * present, turn * present, pivot


def anchors_of(recording: Recording, name: str) -> FloatArray:
    """How much each freedom of a prop is taken from it, ``(F, 6)``, 1 to 0: of a shift along X, Y and Z, and of a turn
    about them. A prop that stands stays; one that rolls or slides over the floor stays on it."""
    prop, motion = recording.prop(name), recording.props[name]
    frames, fps = recording.frames, recording.fps
    numbers = np.arange(frames, dtype=float)
    out = np.zeros((frames, 6))
    if prop.anchored or not (prop.carried or prop.recorded):
        return np.ones((frames, 6))
    busy = np.zeros(frames, bool)
    for meeting in recording.meetings:
        if meeting.b.who == name:
            busy[max(meeting.first - recording.first, 0) : max(meeting.last - recording.first + 1, 0)] = True
    low = motion.positions[:, 1] + lowest(prop.shapes, motion.rotations) < ON_FLOOR
    still = np.zeros(frames, bool)
    if frames > 2:
        turning = rotation.angle(rotation.against(motion.rotations[:-1], motion.rotations[1:])) * fps
        turning = np.concatenate([turning, turning[-1:]])
        still = lasting((speed_of(motion.positions, fps) < STILL) & (turning < STILL_TURN), SETTLED * fps)
    for first, last in runs(still):
        if low[first] or not busy[first : last + 1].all():
            out[:] = np.maximum(out, held(numbers, first, last, LIFTED * fps, LIFTED * fps)[:, None])
    for first, last in runs(low):
        on_floor = held(numbers, first, last, LIFTED * fps, LIFTED * fps)
        for freedom in (1, 3, 5):
            out[:, freedom] = np.maximum(out[:, freedom], on_floor)
    return out
