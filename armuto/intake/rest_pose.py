"""Rest poses that are no posture: told, and replaced by a posture from the motion.

In some captures all rotations at zero lay every bone along one axis, or in a heap. Nothing can be read of a body from
that: not which bone is which part, not which way is up, how large it stands, or in which stance it is to be compared. A
body plan laid on such a rest scores badly as something that stands (:mod:`armuto.pairing.bodies`); laid on frames of
the motion it scores well. The frame that scores best then stands for the rest pose.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

import numpy as np

from armuto.body.orientation import facing_angle
from armuto.body.parts import Assignment
from armuto.body.plans import plan_of
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.skeleton import Skeleton
from armuto.pairing.sides import UPSET
from armuto.pairing.together import Reading, read
from armuto.stance.posture import UP, measure, places_of

FRAMES = 10  # of the motion that are looked at
BETTER = 2.0  # by how much a frame has to score better than the rest pose
DOUBTED, FAR_BETTER = -0.8, 3.2  # and a rest pose that stands less well than the first, though not badly
FEW = 3  # frames by which such a one is doubted
HEAP = 330.0  # degrees off a posture for measuring: on a ladder it is below 300
LIES = 0.5  # cosine between up and the way from feet to head
LINE = 0.1  # ratio of a body's second extent to its first, below which it is a line


@dataclass(frozen=True)
class PosedRest:
    """skeleton: resting in a posture. parts: what its bones are. note: a sentence, where the posture came from the
    motion."""

    skeleton: Skeleton
    parts: Assignment
    note: str = ""


def with_posture(
    skeleton: Skeleton, clips: Sequence[Clip], weighted: Collection[int] = (), fault: str = ""
) -> PosedRest:
    """The skeleton and its parts; where it rests in no posture, resting in the frame of its motion that shows its body
    best.

    clips: on the skeleton. weighted: joints that move skin, where that is known. fault: what is known to be wrong with
    its rest pose (:func:`fault_at_rest`). The file's own rest rotations are kept in ``file_rest``.
    """
    own = read(skeleton, weighted=weighted)
    clip = max(clips, key=lambda clip: clip.frames, default=None)
    line = is_line(skeleton)
    upset = line or fault or own.posture < UPSET
    if clip is None or not (upset or own.posture < DOUBTED):
        return PosedRest(skeleton, own.parts)
    best, least = None, own.score + (BETTER if upset else FAR_BETTER)
    if not upset:
        # By chance bones in a heap may pass for a body that stands, but not beside how it stands in its motion.
        best = _best_frame(skeleton, clip, FEW, weighted)
    if upset or (best is not None and best[0] >= least):
        best = _best_frame(skeleton, clip, FRAMES, weighted)
    if best is None or (best[0] < least and not line and not fault):
        return PosedRest(skeleton, own.parts)
    why = "is no posture of a body"
    if line:
        why = "lays all bones along one line"
    elif fault:
        why = fault
    note = f"the file's rest pose {why}; frame {best[1]} of the motion stands for it"
    return PosedRest(best[2], best[3].parts, note)


def _best_frame(
    skeleton: Skeleton, clip: Clip, count: int, weighted: Collection[int]
) -> tuple[float, int, Skeleton, Reading] | None:
    """The best score of so many frames, the frame, the skeleton resting in it and how it is read; None if all lie in a
    line."""
    best: tuple[float, int, Skeleton, Reading] | None = None
    for frame in np.unique(np.linspace(0, clip.frames - 1, min(count, clip.frames)).astype(int)):
        posed = _resting_in(skeleton, clip, int(frame))
        found = read(posed, weighted=weighted)
        if not is_line(posed) and (best is None or found.score > best[0]):
            best = found.score, int(frame), posed, found
    return best


def fault_at_rest(skeleton: Skeleton, parts: Assignment, turn: FloatArray) -> str:
    """What is wrong with the rest pose of a body that stands upright by its plan, in words: its head is far from above
    its feet, or it is twisted as no body stands; nothing where it may rest so. turn: quaternion ``(4,)`` that brings up
    to +Y."""
    up = rotation.rotate(rotation.inverse(turn), UP)
    if lies_at_rest(skeleton, parts, up):
        return "lies on its side against the motion"
    plan = plan_of(parts)
    at = rotation.rotate(turn, skeleton.rest.positions)
    facing = np.radians(facing_angle(skeleton, parts, at)[0] or 0.0)
    forward = np.array([np.sin(facing), 0.0, np.cos(facing)])
    if plan.trunk == "upright" and measure(places_of(at, parts), plan, forward).off > HEAP:
        return "is twisted as no body stands"
    return ""


def lies_at_rest(skeleton: Skeleton, parts: Assignment, up: FloatArray) -> bool:
    """Whether a body that stands upright by its plan rests with its head far from above its feet. up: ``(3,)`` in its
    space."""
    plan = plan_of(parts)
    feet = [bone.joint for leg in plan.legs for part in leg[1:] for bone in parts.get(part.name, ())]
    top = next((parts[name][0].joint for name in ("head", "neck", "chest") if name in parts), None)
    if plan.trunk != "upright" or not feet or top is None:
        return False
    line = skeleton.rest.positions[top] - skeleton.rest.positions[feet].mean(axis=0)
    length = float(np.linalg.norm(line))
    return length > 0 and float(line @ up) < LIES * length


def is_line(skeleton: Skeleton) -> bool:
    """Whether all joints lie along one line at rest; not said of fewer than five bones."""
    if len(skeleton) < 5:
        return False
    at = skeleton.rest.positions
    extents = np.linalg.svd(at - at.mean(axis=0), compute_uv=False)
    return bool(extents[1] < LINE * extents[0])


def _resting_in(skeleton: Skeleton, clip: Clip, frame: int) -> Skeleton:
    rest = skeleton.rest_rotation if skeleton.file_rest is None else skeleton.file_rest
    return replace(skeleton, rest_rotation=clip.rotations[frame].copy(), file_rest=rest)
