"""Proposing: the stance to begin with, found among the postures that a skeleton came with, and why."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from armuto.body.parts import Assignment
from armuto.body.plans import BodyPlan
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import Skeleton
from armuto.stance import making
from armuto.stance.posture import Posture, facing_in, measure, places_of
from armuto.stance.value import FROM_MOTION, Stance, posed

PREFERRED = 6.0  # degrees by which a posture must be better than one that comes before it
ZERO = "All rotations zero"
UNWORN = 15.0  # degrees by which zero must be better: nothing says that a body was ever meant to stand so
ACTING = 8.0  # degrees that a bone of the trunk keeps of its lean where a body does not stand still
POOR = 45.0  # degrees off: no posture for a stance
PHRASES = {
    "Rest pose": "the rest pose",
    FROM_MOTION: "a frame of the motion, as the file's rest pose is no posture:",
    "Bind pose": "the pose its mesh was bound in",
    "Calibration frames": "the calibration frames of a clip: the body",
    ZERO: "with all rotations zero it",
}


@dataclass(frozen=True)
class Candidate:
    """A posture a skeleton came with. off: degrees from how figures are made and measured."""

    stance: Stance
    posture: Posture | None

    @property
    def off(self) -> float:
        return self.posture.off if self.posture else 0.0


def looking(skeleton: Skeleton, rotations: FloatArray, parts: Assignment, moving: bool = False) -> FloatArray:
    """Where the body faces in a posture, a horizontal unit vector; +Z where it cannot be told. moving: of
    :func:`facing_in`."""
    turn = np.radians(facing_in(skeleton, posed(skeleton, rotations).positions, parts, moving)[0] or 0.0)
    return np.array([np.sin(turn), 0.0, np.cos(turn)])


def posture_of(skeleton: Skeleton, rotations: FloatArray, parts: Assignment, plan: BodyPlan) -> Posture:
    at = places_of(posed(skeleton, rotations).positions, parts)
    return measure(at, plan, looking(skeleton, rotations, parts))


def candidates(
    skeleton: Skeleton, parts: Assignment, plan: BodyPlan, others: Mapping[str, FloatArray] | None = None
) -> list[Candidate]:
    """The rest pose, other postures that are known (the bind pose, calibration frames), and all rotations zero, in this
    order.

    others: their names with local rotations ``(J, 4)``. Where the motion had to show a posture, all rotations zero are
    none: bones along one line could pass for a body that stands very straight.
    """
    from_motion = skeleton.file_rest is not None
    rows: list[tuple[str, FloatArray]] = [(FROM_MOTION if from_motion else "Rest pose", skeleton.rest_rotation)]
    zero = () if from_motion else ((ZERO, making.zero(skeleton)),)
    for name, rotations in (*(others or {}).items(), *zero):
        angles = [float(rotation.angle(rotation.against(q, rotations)).max()) for _, q in rows]
        if min(angles) > np.radians(1.0):
            rows.append((name, rotations))
    known = len(parts) >= 4
    out = []
    for name, rotations in rows:
        posture = posture_of(skeleton, rotations, parts, plan) if known else None
        how = PHRASES.get(name, name) + (f" {posture.words}" if posture else "")
        out.append(Candidate(Stance(name, how, rotations), posture))
    return out


def beginning(
    skeleton: Skeleton, parts: Assignment, plan: BodyPlan, others: Mapping[str, FloatArray] | None = None
) -> tuple[Stance, Posture | None]:
    """Of the postures that a skeleton came with, the first that no other is clearly better than: aligning begins
    there."""
    rows = candidates(skeleton, parts, plan, others)
    best = rows[0]
    for row in rows[1:]:
        if row.off < best.off - (UNWORN if row.stance.name == ZERO else PREFERRED):
            best = row
    how = best.stance.how
    if best is not rows[0] and rows[0].posture is not None:
        how += f", while the rest pose {rows[0].posture.words}"
    return replace(best.stance, how=how), best.posture


def propose(
    skeleton: Skeleton, parts: Assignment, plan: BodyPlan, others: Mapping[str, FloatArray] | None = None
) -> Stance:
    """The stance for a skeleton that others are to be aligned to: where alignment would begin, if that is fit for it.

    Where it is not, the body is stood straight with its arms held out in a T.
    """
    best, posture = beginning(skeleton, parts, plan, others)
    if posture is None or posture.off <= POOR or not (posture.upright and posture.has_arms):
        return best
    editor = making.PoseEditor(skeleton, best.base, parts, plan, looking(skeleton, best.base, parts, moving=True))
    # In the middle of an action, more than a little of a lean is the action's and not the build's.
    making.straight(editor, making.STEEPEST if posture.stands else ACTING)
    making.arms(editor, 90.0)
    return Stance("T, made", f"made as a T: {best.how}, and no other posture is known", editor.rotations(), rolled=True)
