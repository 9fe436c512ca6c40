"""What an assignment is: the bones of each part of a body plan, with confidence and reason."""

from __future__ import annotations

from dataclasses import dataclass

from armuto.kinematics.skeleton import Skeleton


@dataclass(frozen=True)
class PartBone:
    """One bone taken for a part: its joint number, the confidence 0 to 1, and why."""

    joint: int
    confidence: float
    reason: str


Assignment = dict[str, tuple[PartBone, ...]]  # part name to its bones, from the trunk outwards


def part_of_joints(skeleton: Skeleton, assignment: Assignment) -> list[str | None]:
    """The part of every joint, or None."""
    out: list[str | None] = [None] * len(skeleton)
    for part, bones in assignment.items():
        for bone in bones:
            out[bone.joint] = part
    return out
