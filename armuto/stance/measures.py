"""How large one body is against another, and how high its feet are above the floor it stands on."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from itertools import pairwise

from armuto.body.estimation import HIGHEST_SOLE
from armuto.body.plans import BodyPlan
from armuto.kinematics.skeleton import Skeleton
from armuto.kinematics.vectors import length
from armuto.pairing.joint_mapping import JointDriver

MEASURES = ("legs", "arms", "spine")


@dataclass(frozen=True)
class Sizes:
    """Lengths of the target over those of the source; None for what either does not have. body: of all paired bones."""

    legs: float | None
    arms: float | None
    spine: float | None
    body: float

    def used(self, measure: str) -> float:
        """The ratio of a measure, or of the whole body where that is missing."""
        return getattr(self, measure, None) or self.body


def sizes(mapping: Mapping[int, JointDriver], target: Skeleton, plan: BodyPlan) -> Sizes:
    """Ratios of lengths along the limbs. Lengths hold whatever posture the two are in."""
    by_part = {driver.part: driver for driver in mapping.values() if driver.part}
    places = target.rest.positions

    def ratio(runs: list[list[str]]) -> float | None:
        source_length = target_length = 0.0
        for run in runs:
            found = [by_part[name] for name in run if name in by_part]
            for a, b in pairwise(found):
                source_length += length(b.place - a.place)
                target_length += length(places[b.target] - places[a.target])
        return target_length / source_length if source_length > 0 and target_length > 0 else None

    legs = [[part.name for part in leg] for leg in plan.legs]
    legs = [run for run in legs if all(name in by_part for name in run)] or legs
    arms = [
        [part.name for part in parts if not part.kind.endswith("shoulder")]
        for limb, parts in plan.limbs.items()
        if limb.split()[-1] in ("arm", "wing")
    ]
    total = [0.0, 0.0]
    for joint, driver in mapping.items():
        above = target.above(joint, mapping)
        if above is not None:
            total[0] += length(driver.place - mapping[above].place)
            total[1] += length(places[joint] - places[above])
    body = total[1] / total[0] if min(total) > 0 else 1.0
    return Sizes(ratio(legs), ratio(arms), ratio([["hips", "chest", "neck", "head"]]), body)


def sole_height(skeleton: Skeleton, joints: list[int], hips: int | None) -> float | None:
    """Metres from the floor up to the lowest foot joint, when the skeleton rests standing on the floor; else None."""
    if not joints or hips is None:
        return None
    at = skeleton.rest.positions[:, 1]
    lowest = float(at[joints].min())
    length = float(at[hips]) - lowest
    return lowest if length > 0 and 0 <= lowest <= HIGHEST_SOLE * length else None
