"""How far joints may bend: a swing within an ellipse, a twist within a range, per part of the body.

Angles are counted from a reference: the body standing straight, with its arms spread where it has any. With D the turn
of a joint from there in the world, and P that of the paired joint above it, X = P⁻¹ D is taken apart into a twist about
the bone and a swing; the swing's rotation vector has a component that brings the bone ahead (bend) and one that brings
it out or up (side). With b and s over the limits in their direction, the swing is allowed while b² + s² ≤ 1 (Baerlocher
and Boulic 2001).
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from armuto.body.joint_limits import Range
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.pose import local_rotations, world_pose
from armuto.kinematics.skeleton import Skeleton
from armuto.kinematics.vectors import lengths
from armuto.kinematics.world_motion import WorldMotion
from armuto.stance.joint_frames import JointFrame, JointFrames

LEAST = 0.5  # degrees that every joint may bend: an ellipse of no width has no inside
GIVE = 0.15  # share of a range by which soft limits can be passed at most


def angles(rotations: FloatArray, body: JointFrames) -> dict[int, tuple[FloatArray, FloatArray, FloatArray]]:
    """Bend, side and twist of every limited joint, each ``(F,)`` in degrees. rotations: of the world, ``(J, F, 4)``."""
    out = {}
    for frame in body.frames:
        swing, twist = _apart(rotations, frame, body)
        out[frame.joint] = (
            swing @ np.degrees(frame.bend),
            swing @ np.degrees(frame.side),
            twist @ np.degrees(frame.twist),
        )
    return out


def bent(
    skeleton: Skeleton, body: JointFrames, joint: int, bend: float, side: float, twist: float
) -> tuple[FloatArray, FloatArray]:
    """The reference with one joint bent so far, in degrees: local rotations ``(J, 4)``, and world positions ``(J,
    3)``."""
    frame = next(frame for frame in body.frames if frame.joint == joint)
    axis_angle = np.radians(bend) * frame.bend + np.radians(side) * frame.side
    size = float(np.linalg.norm(axis_angle))
    swing = rotation.about(axis_angle / size, size) if size > 1e-12 else rotation.IDENTITY
    world = body.reference.copy()
    below = [joint, *(child for child in range(len(skeleton)) if joint in skeleton.ancestors(child))]
    world[below] = rotation.multiply(
        rotation.multiply(swing, rotation.about(frame.twist, np.radians(twist))), body.reference[below]
    )
    local = local_rotations(skeleton, world[None])[0]
    return local, world_pose(skeleton, local[None], skeleton.rest_translation[None]).positions[0]


def violations(rotations: FloatArray, body: JointFrames, ranges: Mapping[str, Range]) -> dict[str, FloatArray]:
    """By how many degrees every limited part is beyond its limits ``(F,)``: of its swing or its twist, whichever is
    more. rotations: of the world, ``(J, F, 4)``."""
    out: dict[str, FloatArray] = {}
    for frame in body.frames:
        if frame.part not in ranges:
            continue
        over = _violation(rotations, frame, body, ranges[frame.part])
        out[frame.part] = np.maximum(out[frame.part], over) if frame.part in out else over
    return out


def _violation(rotations: FloatArray, frame: JointFrame, body: JointFrames, allowed: Range) -> FloatArray:
    turns = _turns(rotations, frame, body)
    over: FloatArray = rotation.kernels.limit_violation(*turns, frame.axes, _bounds(allowed))
    return over


@lru_cache(maxsize=1024)
def _bounds(allowed: Range) -> FloatArray:
    """The limits of a joint as :func:`~armuto.kinematics.kernels.limit_violation` takes them."""
    pairs = np.array([allowed.bend, allowed.side, allowed.twist])
    pairs = np.stack([np.minimum(pairs[:, 0], -LEAST), np.maximum(pairs[:, 1], LEAST)], axis=1)
    inner = np.abs(pairs).min(axis=1)
    # A little less than the circle within the ellipse, so that rounding lets nothing through.
    sines = np.sin(np.radians(np.minimum([min(inner[0], inner[1]), inner[2]], 180.0)) / 2) * (1 - 1e-9)
    return np.concatenate([pairs.ravel(), sines])


def _shares(bend: FloatArray, side: FloatArray, twist: FloatArray, allowed: Range) -> tuple[FloatArray, FloatArray]:
    """Swing and twist in radians as shares of what is allowed: 1 at the limit."""
    far = np.hypot(bend / _limit(bend, allowed.bend), side / _limit(side, allowed.side))
    return far, np.abs(twist) / _limit(twist, allowed.twist)


def _apart(rotations: FloatArray, frame: JointFrame, body: JointFrames) -> tuple[FloatArray, FloatArray]:
    """The rotation vectors of swing and twist of a joint, each ``(F, 3)``: of X, its turn from the reference against
    that of the joint above it."""
    turns = _turns(rotations, frame, body)
    swing, twist = rotation.kernels.swing_and_twist_against(*turns, frame.twist)
    return swing, twist


def _turns(rotations: FloatArray, frame: JointFrame, body: JointFrames) -> tuple[FloatArray, ...]:
    """A joint and the one above it ``(F, 4)``, and both in the reference ``(4,)``."""
    own, reference = rotations[frame.joint], body.reference[frame.joint]
    if frame.above < 0:
        return own, rotation.IDENTITY, reference, rotation.IDENTITY
    return own, rotations[frame.above], reference, body.reference[frame.above]


def limit(
    motion: WorldMotion, body: JointFrames, ranges: Mapping[str, Range], hard: bool
) -> dict[str, NDArray[np.bool_]]:
    """Bring joints back into their ranges, in place, what hangs from them with them. Returns by part the frames with
    one out.

    hard: no further than the range at all; else softly, beyond it by GIVE of it at most.
    """
    hits: dict[str, NDArray[np.bool_]] = {}
    limited: dict[int, FloatArray] = {}
    for frame in body.frames:
        if frame.part not in ranges:
            continue
        if not _violation(motion.rotations, frame, body, ranges[frame.part]).any():
            continue
        swing, twist = _apart(motion.rotations, frame, body)
        turned = twist @ frame.twist
        far, turned_far = _shares(swing @ frame.bend, swing @ frame.side, turned, ranges[frame.part])
        over = (far > 1 + 1e-6) | (turned_far > 1 + 1e-6)
        if not over.any():
            continue
        hits[frame.part] = hits.get(frame.part, np.zeros(len(over), bool)) | over
        axis_angle = swing * (_back(far, hard) / np.maximum(far, 1e-9))[:, None]
        size = lengths(axis_angle)
        axis = axis_angle / np.maximum(size, 1e-12)[:, None]
        angle = turned * (_back(turned_far, hard) / np.maximum(turned_far, 1e-9))
        limited[frame.joint] = rotation.multiply(rotation.about_each(axis, size), rotation.about(frame.twist, angle))
    if limited:
        _put(motion, body, limited)
    return hits


def _limit(value: FloatArray, pair: tuple[float, float]) -> FloatArray:
    return np.radians(np.maximum(np.where(value < 0, -pair[0], pair[1]), LEAST))


def _back(far: FloatArray, hard: bool) -> FloatArray:
    if hard:
        return np.minimum(far, 1.0)
    return np.where(far > 1, 1 + GIVE * np.tanh((far - 1) / GIVE), far)


def _put(motion: WorldMotion, body: JointFrames, limited: Mapping[int, FloatArray]) -> None:
    """Give joints other turns against the joint above them; everything below keeps its rotation against its parent."""
    above = {frame.joint: frame.above for frame in body.frames}
    for joint in sorted(limited):
        now = motion.rotations[joint]
        turn = rotation.multiply(limited[joint], body.reference[joint])
        if above[joint] >= 0:
            over = rotation.multiply(motion.rotations[above[joint]], rotation.inverse(body.reference[above[joint]]))
            turn = rotation.multiply(over, turn)
        q = rotation.multiply(turn, rotation.inverse(now))
        motion.swing(joint, motion.below(joint), q)
