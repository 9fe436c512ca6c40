"""How high a body's lowest foot joints are above its soles."""

from __future__ import annotations

from collections.abc import Sequence

from armuto.body.estimation import HIGHEST_SOLE, lowest_of
from armuto.kinematics.pose import Pose
from armuto.kinematics.skeleton import Skeleton
from armuto.stance.measures import sole_height

STANDING = 0.005  # of the way from root to feet: so far a body may rest higher or lower than it stands


def sole_of(skeleton: Skeleton, pose: Pose, feet: list[int], hips: int, moves: bool) -> float | None:
    """Height of the lowest foot joint above the sole; None where nothing tells. moves: what its motion shows counts."""
    seen = skeleton.observed
    lowest = lowest_of(seen.soles, pose.rotations, pose.positions)
    joint = float(pose.positions[feet, 1].min())
    length = float(pose.positions[hips, 1]) - joint
    if lowest is not None and 0 <= joint - lowest <= HIGHEST_SOLE * length:
        return float(joint - lowest)
    if moves and seen.sole is not None and 0 <= seen.sole <= HIGHEST_SOLE * length:
        return seen.sole
    return sole_height(skeleton, feet, hips) if _rests_as_it_stands(skeleton, pose, feet) else None


def _rests_as_it_stands(skeleton: Skeleton, pose: Pose, feet: Sequence[int]) -> bool:
    """Whether the feet are as far below the body at rest as they are in the stance, to STANDING of the way."""
    if not feet:
        return True
    rest, root = skeleton.rest.positions, 0
    source, target = (
        rest[list(feet), 1].min() - rest[root, 1],
        pose.positions[list(feet), 1].min() - pose.positions[root, 1],
    )
    return bool(abs(source - target) < STANDING * abs(target))
