"""The context of a transfer: a fitting, and what every step looks up in it, found once."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property, lru_cache

from armuto.kinematics.arrays import FloatArray
from armuto.pairing.joint_mapping import JointDriver, first_drivers
from armuto.pairing.twist_joints import Twist, twists
from armuto.retarget.fitting import Fitting
from armuto.retarget.grounding import standing_places
from armuto.retarget.scaling import ScaleRatios, hand_scale, scale_ratios


@dataclass(frozen=True, eq=False)
class RetargetContext:
    """What steps need to know of a fitting beside the fitting itself. Joints are the target's unless they are said
    otherwise."""

    fitting: Fitting

    @property
    def mapping(self) -> Mapping[int, JointDriver]:
        """The driver of every paired joint."""
        return self.fitting.joint_mapping

    @cached_property
    def first_drivers(self) -> Mapping[str, JointDriver]:
        """The driver of the first joint of every part."""
        return first_drivers(self.mapping)

    @cached_property
    def last_drivers(self) -> Mapping[str, JointDriver]:
        """The driver of the last joint of every part."""
        return {driver.part: driver for driver in self.mapping.values() if driver.part}

    @cached_property
    def last_joints(self) -> Mapping[str, int]:
        """The last joint of every part."""
        return {part: driver.target for part, driver in self.last_drivers.items()}

    @cached_property
    def first_joints(self) -> Mapping[str, int]:
        """The first joint of every part, in the order of its pair."""
        joints: dict[str, int] = {}
        for joint, driver in self.mapping.items():
            if driver.part:
                joints.setdefault(driver.part, joint)
        return joints

    @cached_property
    def twist_joints(self) -> tuple[Twist, ...]:
        """The target's bones for twist."""
        return twists(self.fitting.target, self.mapping)

    @property
    def hips(self) -> int | None:
        return self.first_joints.get("hips")

    @property
    def chest(self) -> int:
        """The joint that the arms hang from: of the chest, else of the hips, else the first of all."""
        return self.last_joints.get("chest", self.last_joints.get("hips", 0))

    @cached_property
    def carriers(self) -> list[int]:
        """The joints that carry travel, parents first: those whose parts say so, else the topmost paired joint."""
        plan, target = self.fitting.plan, self.fitting.target
        parts = {name for name, part in plan.by_name.items() if part.travels}
        named = [joint for joint, driver in self.mapping.items() if driver.part in parts]
        carriers = set(named or ([min(self.mapping)] if self.mapping else []))
        return sorted(
            carriers | {above for joint in carriers for above in target.ancestors(joint) if above in self.mapping}
        )

    @cached_property
    def carrier_chain(self) -> frozenset[int]:
        """The carriers of travel and all joints above them, whose translations are written on every frame."""
        target = self.fitting.target
        return frozenset(joint for carrier in self.carriers for joint in (carrier, *target.ancestors(carrier)))

    @cached_property
    def ratios(self) -> ScaleRatios:
        return scale_ratios(self.fitting)

    @cached_property
    def standing(self) -> tuple[FloatArray, FloatArray]:
        """Joint positions of source and target in their stances, set down on the floor."""
        return standing_places(self.fitting, self.mapping)

    @cached_property
    def hand_scale(self) -> float:
        return hand_scale(self.fitting, self.first_drivers)


@lru_cache(maxsize=32)
def context_of(fitting: Fitting) -> RetargetContext:
    """The context of a fitting, which is the same for every clip that goes through it."""
    return RetargetContext(fitting)
