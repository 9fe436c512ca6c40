"""Fitting: everything needed to transfer clips from one source skeleton to one target skeleton, and its JSON form."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Annotated, Any

import numpy as np
from pydantic import PlainValidator
from pydantic.dataclasses import dataclass as pydantic_dataclass

from armuto import pairing
from armuto.body.capsules import Capsule
from armuto.body.joint_limits import Range
from armuto.body.parts import Assignment, PartBone
from armuto.body.plans import BodyPlan, plan_of
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.pose import Pose
from armuto.kinematics.skeleton import Skeleton
from armuto.pairing import Missing, Pair
from armuto.pairing.joint_mapping import JointDriver, first_drivers, footing, joint_mapping
from armuto.retarget.settings import PLAIN, Settings
from armuto.retarget.soles import sole_of
from armuto.stance import AlignmentResidual, Stance
from armuto.stance.aligning import AlignmentTarget, align, alignment_target, mapped_parts, remaining, shapes
from armuto.stance.build import same_build
from armuto.stance.joint_frames import JointFrames, joint_frames
from armuto.stance.measures import MEASURES, Sizes, sizes
from armuto.stance.posture import facing_in
from armuto.stance.proposing import beginning
from armuto.stance.proposing import propose as propose_stance
from armuto.validation import Number

EXACT = 0.002  # ratios and cosines within which a body is taken to be the other one in another size
FEW = 3  # fewer pairs than this are not enough of a body plan to go by


def _measure_or_ratio(size: Any) -> str | float:
    if size in MEASURES:
        return str(size)
    try:
        ratio = float(size)
    except (TypeError, ValueError):
        raise ValueError(f"the size is one of {', '.join(MEASURES)} or a ratio, and not {size!r}") from None
    if not 0 < ratio < 1000:
        raise ValueError(f"{ratio:g} is no ratio of sizes")
    return ratio


@pydantic_dataclass(frozen=True)
class FittingOverrides:
    """What a person says about facing, floor and size, overruling what is measured; None where nothing is said.

    source_facing, target_facing: degrees from +Z. source_floor, target_floor: metres from the floor up to the lowest
    foot joint in the stance. size: the measure that the hips move by, "legs", "arms" or "spine", or a ratio. hinges:
    whether the roll of limbs is taken from how they were seen to bend, where motion has shown it, or from how they are
    bent at rest alone.
    """

    source_facing: Number | None = None
    target_facing: Number | None = None
    source_floor: Number | None = None
    target_floor: Number | None = None
    size: Annotated[str | float, PlainValidator(_measure_or_ratio)] = "legs"
    hinges: bool = True


NOTHING = FittingOverrides()


@dataclass(frozen=True, eq=False)
class Fitting:
    """Pairs, stances and measures between a source and a target skeleton.

    source_facing, target_facing: degrees from +Z in the stance. floors: metres from the floor up to the lowest foot
    joint, of source and target. plan: the body plan that the pairs belong to. rows: what is left between the stances.
    left_out: parts that are not paired on purpose. settings: what is chosen about the transfer. capsules: how thick the
    target is, by joint, where its mesh told. ranges: joint limits that were changed for the target, by part.
    """

    source: Skeleton
    target: Skeleton
    pairs: tuple[Pair, ...]
    missing: tuple[Missing, ...]
    source_facing: float
    target_facing: float
    source_stance: Stance
    target_stance: Stance
    floors: tuple[float, float]
    sizes: Sizes
    plan: BodyPlan
    overrides: FittingOverrides = NOTHING
    rows: tuple[AlignmentResidual, ...] = ()
    notes: tuple[str, ...] = ()
    left_out: tuple[str, ...] = ()
    settings: Settings = PLAIN
    capsules: Mapping[int, Capsule] = field(default_factory=dict)
    ranges: Mapping[str, Range] = field(default_factory=dict)

    @cached_property
    def turn(self) -> FloatArray:
        """Quaternion from the source's facing to the target's."""
        return rotation.about([0.0, 1.0, 0.0], np.radians(self.target_facing - self.source_facing))

    @cached_property
    def forward(self) -> FloatArray:
        """Where the target faces, and the source once it is turned: a horizontal unit vector."""
        angle = np.radians(self.target_facing)
        return np.array([np.sin(angle), 0.0, np.cos(angle)])

    @property
    def scale(self) -> float:
        """The ratio by which the hips move: the target's size over the source's."""
        size = self.overrides.size
        return self.sizes.used(size) if isinstance(size, str) else size

    def with_settings(self, settings: Settings) -> Fitting:
        """The same fitting with other settings; what does not depend on them is not found again."""
        return self._with(settings=settings)

    def with_body(self, capsules: Mapping[int, Capsule], ranges: Mapping[str, Range]) -> Fitting:
        """The same fitting for a body of other thickness and limits."""
        return self._with(capsules=capsules, ranges=ranges)

    def _with(self, **fields: Any) -> Fitting:
        made = replace(self, **fields)
        vars(made).update({name: vars(self)[name] for name in FROM_STANCES if name in vars(self)})
        return made

    @cached_property
    def source_pose(self) -> Pose:
        """World pose of the source in its stance."""
        return self.source_stance.pose(self.source)

    @cached_property
    def target_pose(self) -> Pose:
        """World pose of the target in its stance."""
        return self.target_stance.pose(self.target)

    @cached_property
    def same_build(self) -> bool:
        """Whether the target is the source's body in another size and posture, to a five-hundredth."""
        mapping = self.joint_mapping
        if not mapping or any(driver.resampled or driver.among for driver in mapping.values()):
            return False
        first = self.target_stance.first_pose(self.target)
        own, other = shapes(self.target, first, mapped_parts(mapping), self.plan, self.model(mapping))
        return same_build(own, other, EXACT)

    @cached_property
    def joint_frames(self) -> JointFrames:
        """From where the target's joints bend, for their limits."""
        joints: dict[str, tuple[int, ...]] = {}
        for joint, driver in sorted(self.joint_mapping.items()):
            if driver.part in self.plan.by_name:
                joints[driver.part] = (*joints.get(driver.part, ()), joint)
        return joint_frames(self.target, self.target_stance.rotations, joints, self.plan, self.forward)

    @cached_property
    def joint_mapping(self) -> Mapping[int, JointDriver]:
        """What drives each paired joint of the target."""
        return joint_mapping(self.pairs, self.source, self.source_pose.positions, self.target, self.plan)

    def model(self, mapping: Mapping[int, JointDriver] | None = None) -> AlignmentTarget:
        """What the source shows in its stance, turned to where the target faces."""
        rolled = self.source_stance.rolled
        return alignment_target(
            self.source,
            self.source_pose,
            mapping or self.joint_mapping,
            self.turn,
            self.forward,
            self.overrides.hinges,
            rolled,
        )


#: Properties of a fitting that neither settings nor the build of its body change.
FROM_STANCES = ("turn", "forward", "source_pose", "target_pose", "same_build", "joint_frames", "joint_mapping")


class NothingToPair(ValueError):
    """No bone of one skeleton could be paired with a bone of another."""


def fit(
    source: Skeleton,
    target: Skeleton,
    source_parts: Assignment | None = None,
    target_parts: Assignment | None = None,
    pairs: Sequence[Pair] | None = None,
    source_stance: Stance | None = None,
    target_stance: Stance | None = None,
    left_out: Sequence[str] = (),
    plan: BodyPlan | None = None,
    overrides: FittingOverrides = NOTHING,
    facing: tuple[float, float] | None = None,
    like: Fitting | None = None,
) -> Fitting:
    """Fit a target to a source: pair unless pairs are given, choose stances, face the same way, align.

    Parameters
    ----------
    source, target : Skeleton
        In metres, +Y up.
    source_parts, target_parts : Assignment, optional
        What their bones were read as; read here where they are not given.
    pairs : sequence of Pair, optional
        Without them, names and shapes propose; where the two bodies have different plans the target is read by the
        source's, and where that pairs next to nothing, the trees are matched directly (:mod:`armuto.pairing.matching`).
    source_stance, target_stance : Stance, optional
        Proposed where they are not given (:mod:`armuto.stance.proposing`), the target's being turned from there until
        it stands as the source does; so is one that is given as aligned.
    left_out : sequence of str
        Parts that are not paired on purpose.
    plan : BodyPlan, optional
        The plan that the pairs belong to.
    overrides : FittingOverrides
        What a person says of facing (degrees from +Z), floors (metres) and size.
    facing : tuple of float, optional
        Degrees from +Z of source and target, where they have been measured before.
    like : Fitting, optional
        One of the same target, from which settings, thickness and joint limits are taken over.

    Returns
    -------
    Fitting

    Raises
    ------
    NothingToPair
        Where no bone of one skeleton could be paired with a bone of the other.

    Examples
    --------
    >>> from pathlib import Path
    >>> from armuto.formats import read
    >>> from armuto.retarget import fitting
    >>> clip = read(Path("demo/files/hall/bow.bvh").read_bytes(), "bow.bvh")
    >>> figure = read(Path("demo/files/porter.glb").read_bytes(), "porter.glb")
    >>> made = fitting.fit(clip.skeleton, figure.skeleton, clip.parts, figure.parts)
    >>> made.plan.name, round(made.scale, 2), made.missing
    ('two-legged', 0.84, ())
    """
    if pairs is None:
        found, missing, plan = propose(source, target, source_parts, target_parts, plan)
        excluded = set(left_out)
        found = tuple(pair for pair in found if pair.part not in excluded)
    else:
        found = tuple(pairs)
        plan = plan or plan_of(pair.part for pair in found)
        missing = pairing.pair(source, _parts(found, source, "source"), target, _parts(found, target, "target"), plan)[
            1
        ]
    if pairs is None and not any(pair.source and pair.target for pair in found):
        raise NothingToPair("no bone of the one could be paired with a bone of the other")
    missing = tuple(row for row in missing if row.part not in left_out)
    source_parts = source_parts or _parts(found, source, "source")
    target_parts = target_parts or _parts(found, target, "target")
    if source_stance is None:
        source_stance = propose_stance(source, source_parts, plan_of(source_parts))
    if target_stance is None:
        start, _ = beginning(target, target_parts, plan_of(target_parts))
        target_stance = replace(start, start=start.base)
    source_facing, why_source = facing_in(source, source_stance.pose(source).positions, source_parts)
    target_facing, why_target = facing_in(target, target_stance.first_pose(target).positions, target_parts)
    notes = [f"source: {why_source}", f"target: {why_target}"]
    if facing is not None:
        source_facing, target_facing = facing
    mapping = joint_mapping(found, source, source_stance.pose(source).positions, target, plan)
    if source_facing is None or target_facing is None:
        source_facing, target_facing = 0.0, _turned(mapping, target, target_stance) if mapping else 0.0
        notes.append(f"the target is turned {target_facing:.1f}° against the source, by where the paired bones lie")
    made = Fitting(
        source,
        target,
        found,
        missing,
        source_facing if overrides.source_facing is None else overrides.source_facing,
        target_facing if overrides.target_facing is None else overrides.target_facing,
        source_stance,
        target_stance,
        (0.0, 0.0),
        sizes(mapping, target, plan),
        plan,
        overrides,
        (),
        tuple(notes),
        tuple(left_out),
    )
    if like is not None:
        made = replace(made, settings=like.settings, capsules=like.capsules, ranges=like.ranges)
    return _standing(made, mapping)


def _standing(made: Fitting, mapping: dict[int, JointDriver]) -> Fitting:
    """The fitting with its target aligned, where it is to be, what then remains, and the floors."""
    if not mapping:
        # Nothing is paired yet: the target stays in the stance it begins with.
        stance = made.target_stance
        made = replace(made, target_stance=stance.with_base(stance.begun))
        return replace(made, floors=_floors(made, mapping))
    model, parts, target = made.model(mapping), mapped_parts(mapping), made.target
    stance = made.target_stance
    if stance.start is not None:
        first = stance.first_pose(target)
        stance = stance.with_base(align(target, stance.start, parts, made.plan, model, mapping=mapping, pose=first))
    rows = remaining(target, stance, parts, made.plan, model)
    made = replace(made, target_stance=stance, rows=rows)
    return replace(made, floors=_floors(made, mapping))


def turned_by_hand(made: Fitting, stance: Stance) -> Fitting:
    """The fitting with its target's stance turned otherwise by hand, which nothing but what remains depends on."""
    if stance.base is not made.target_stance.base:
        raise ValueError("the stance was not turned by hand alone")
    mapping = made.joint_mapping
    rows = remaining(made.target, stance, mapped_parts(mapping), made.plan, made.model(mapping)) if mapping else ()
    return replace(made, target_stance=stance, rows=rows)


def _floors(made: Fitting, mapping: Mapping[int, JointDriver]) -> tuple[float, float]:
    """Metres from the floor up to the lowest foot joint, of source and target in their stances.

    By the lowest points of the skin of their feet, where there is a mesh; by how high feet are while they rest in the
    motion; by how the body rests, if its feet are then as far below it as in the stance; or as the other body has it,
    in its own size.
    """
    feet, hips = footing(mapping), first_drivers(mapping).get("hips")
    target = source = None
    if hips is not None and feet:
        source_feet = [mapping[joint].source for joint in feet]
        source = sole_of(made.source, made.source_pose, source_feet, hips.source, True)
        target = sole_of(made.target, made.target_pose, feet, hips.target, False)
        resting = sole_of(made.source, made.source_pose, source_feet, hips.source, False)
        if made.same_build and source is not None:
            # One body: only a figure that rests higher or lower than the source does stands on other soles.
            thicker = 0.0 if target is None or resting is None else target - resting * made.scale
            target = source * made.scale + thicker
    if source is None:
        source = 0.0 if target is None else target / made.scale
    if target is None:
        target = source * made.scale
    overrides = made.overrides
    return (
        source if overrides.source_floor is None else overrides.source_floor,
        target if overrides.target_floor is None else overrides.target_floor,
    )


def propose(
    source: Skeleton,
    target: Skeleton,
    source_parts: Assignment | None = None,
    target_parts: Assignment | None = None,
    plan: BodyPlan | None = None,
) -> tuple[tuple[Pair, ...], tuple[Missing, ...], BodyPlan]:
    """The pairs that names and shapes propose, what is missing, and the plan they belong to."""
    source_parts = pairing.assign(source, plan) if source_parts is None else source_parts
    target_parts = pairing.assign(target, plan) if target_parts is None else target_parts
    body_plan = plan or plan_of(source_parts)
    if plan is None and target_parts and source_parts and plan_of(target_parts) != body_plan:
        target_parts = pairing.assign(target, body_plan)
    found, missing = pairing.pair(source, source_parts, target, target_parts, body_plan)
    if sum(bool(pair.part and pair.source) for pair in found) < FEW and sum(bool(pair.source) for pair in found) < FEW:
        found = pairing.trees(source, target)
    return found, missing, body_plan


def _parts(pairs: Sequence[Pair], skeleton: Skeleton, side: str) -> Assignment:
    return {
        pair.part: tuple(PartBone(skeleton.index[name], pair.confidence, "given") for name in getattr(pair, side))
        for pair in pairs
        if pair.part and getattr(pair, side)
    }


def _turned(mapping: dict[int, JointDriver], target: Skeleton, stance: Stance) -> float:
    """Degrees about +Y that bring the source's paired joints closest to the target's (Procrustes in the plane)."""
    source_places = np.array([driver.place for driver in mapping.values()])
    target_places = stance.first_pose(target).positions[list(mapping)]
    source_places, target_places = (
        source_places - source_places.mean(axis=0),
        target_places - target_places.mean(axis=0),
    )
    sine = float((target_places[:, 0] * source_places[:, 2] - target_places[:, 2] * source_places[:, 0]).sum())
    cosine = float((target_places[:, 0] * source_places[:, 0] + target_places[:, 2] * source_places[:, 2]).sum())
    return float(np.degrees(np.arctan2(sine, cosine)))
