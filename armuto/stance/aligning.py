"""Aligning: turning one body, from the root outwards, until it stands as another does; and what remains after that.

What is compared are directions between paired joints (:mod:`armuto.stance.shape`). Where a bone's whole orientation
shows — hips, chest, hands with fingers — it is met whole; of a limb the direction is met by the smallest rotation, and
its roll taken from the way it bends. A forearm turns as its hand does, since palms turn in the forearm. Between two
bodies of the same build every direction is posture and all are met (least squares over unit vectors where several fix
one bone: Wahba 1965, by ``scipy.spatial.transform.Rotation.align_vectors``). Between bodies of different build the
directions inside trunk, neck, collar bones and feet are anatomy: when both bodies stand, those keep the level they
stand at.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping
from dataclasses import dataclass, field

import numpy as np

from armuto.body.plans import BodyPlan
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.observed import Hinge
from armuto.kinematics.pose import Pose, local_rotations
from armuto.kinematics.skeleton import Skeleton
from armuto.kinematics.vectors import cross, length, unit
from armuto.pairing.joint_mapping import JointDriver
from armuto.pairing.twist_joints import Twist, twists
from armuto.stance.build import same_build
from armuto.stance.shape import Shape, bends, is_toes, limbs_of, roll_angle, soles, tips_of, turn_between
from armuto.stance.value import Stance, posed

TRIFLE = 1e-4  # radians: a smaller roll is no more than hinges are told by
OWN_BUILD = ("root", "hips", "spine", "chest", "neck", "head", "shoulder")


@dataclass(frozen=True)
class AlignmentResidual:
    """What a stance is to the other for one part, in degrees.

    turned: from its rest. left: between the two directions. roll: between the two about the bone, from -180 to 180, or
    None where nothing shows it. own: the direction is the body's own build, and not taken from the other. way, wanted:
    the two directions, unit vectors in the world, the other's turned to where this body faces; zero for a bone that has
    none.
    """

    part: str
    bone: str
    turned: float
    left: float
    roll: float | None
    own: bool
    way: tuple[float, ...] = (0.0, 0.0, 0.0)
    wanted: tuple[float, ...] = (0.0, 0.0, 0.0)


@dataclass(frozen=True)
class AlignmentTarget:
    """Whom a body is to stand like: places of its paired joints on the other's body, turned to the facing of this one.

    forward: where both face then. tips, hinges, rolled: see :class:`Shape`. believed: whether hinges count, of either
    body.
    """

    at: Mapping[int, FloatArray]
    forward: FloatArray
    tips: Mapping[int, FloatArray]
    hinges: Mapping[int, Hinge] = field(default_factory=dict)
    believed: bool = True
    rolled: bool = False


def alignment_target(
    source: Skeleton,
    pose: Pose,
    mapping: Mapping[int, JointDriver],
    turn: FloatArray,
    forward: FloatArray,
    believed: bool = True,
    rolled: bool = False,
) -> AlignmentTarget:
    """What the source shows in its stance. pose: its world pose. turn: from its facing to the target's. believed,
    rolled: see :class:`AlignmentTarget`."""
    at = {joint: rotation.rotate(turn, driver.place) for joint, driver in mapping.items()}
    tips = tips_of(
        source, pose.positions, pose.ends, {j: driver.source for j, driver in mapping.items() if is_toes(driver.part)}
    )
    hinges = {
        joint: source.observed.hinges[driver.source].turned(rotation.multiply(turn, pose.rotations[driver.source]))
        for joint, driver in mapping.items()
        if believed and driver.source in source.observed.hinges and not driver.resampled
    }
    return AlignmentTarget(
        at, forward, {joint: rotation.rotate(turn, place) for joint, place in tips.items()}, hinges, believed, rolled
    )


def shapes(
    target: Skeleton, pose: Pose, parts: Mapping[int, str | None], plan: BodyPlan, model: AlignmentTarget
) -> tuple[Shape, Shape]:
    """The body as it is in a pose, and the one it is to stand like."""
    limbs = limbs_of(target, parts, plan)
    places = {joint: pose.positions[joint] for joint in parts}
    tips = tips_of(target, pose.positions, pose.ends, {joint: joint for joint in parts if is_toes(parts[joint])})
    seen = target.observed.hinges if model.believed else {}
    hinges = {joint: hinge.turned(pose.rotations[joint]) for joint, hinge in seen.items() if joint in parts}
    own = Shape(limbs, places, model.forward, tips, hinges)
    return own, Shape(limbs, model.at, model.forward, model.tips, model.hinges, model.rolled)


def align(
    target: Skeleton,
    start: FloatArray,
    parts: Mapping[int, str | None],
    plan: BodyPlan,
    model: AlignmentTarget,
    only: Collection[int] | None = None,
    mapping: Mapping[int, JointDriver] | None = None,
    pose: Pose | None = None,
) -> FloatArray:
    """Local rotations ``(J, 4)`` of the target when it stands like the model.

    start: local rotations it is turned from. parts: the paired joints and their parts. only: joints that may be turned;
    the others keep their start against their parent. pose: the world pose of the start, where it is known. mapping:
    where given, bones for twist share the turns of skin.
    """
    pose = pose or posed(target, start)
    own, other = shapes(target, pose, parts, plan, model)
    turning = twists(target, dict(mapping)) if mapping else ()
    turns = _Turns(target, own, other, only, {twist.upper for twist in turning}).all()
    _share_twist(target, pose, turns, turning)
    world = rotation.multiply(turns, pose.rotations)
    return np.asarray(local_rotations(target, world[None])[0])


def own_build(own: Shape, other: Shape, same: bool) -> set[int]:
    """The joints whose directions are anatomy and not posture. same: whether the two are of the same build."""
    if same or not (own.posture.stands and other.posture.stands):
        return set()
    upright = own.posture.upright
    kinds = OWN_BUILD if upright else OWN_BUILD[:4]
    return {joint for joint, part in own.limbs.parts.items() if part and part.kind in kinds}


class _Turns:
    """The world rotation that each joint is turned by, from the root outwards."""

    def __init__(
        self, target: Skeleton, own: Shape, other: Shape, only: Collection[int] | None, twisting: set[int]
    ) -> None:
        self.target, self.own, self.other, self.only, self.twisting = target, own, other, only, twisting
        self.same = same_build(own, other)
        self.kept = own_build(own, other, self.same)
        self.stands = own.posture.stands, other.posture.stands
        self.turns = np.tile(rotation.IDENTITY, (len(target), 1))
        self.firm = {joint: q for joint in own.limbs.parts if (q := self._whole(joint)) is not None}

    def all(self) -> FloatArray:
        target, limbs = self.target, self.own.limbs
        for joint in range(len(target)):
            parent = int(target.parents[joint])
            carried = self.turns[parent] if parent >= 0 else rotation.IDENTITY
            if joint not in limbs.parts or (self.only is not None and joint not in self.only):
                self.turns[joint] = carried
            elif joint in self.firm:
                self.turns[joint] = self.firm[joint]
            else:
                self.turns[joint] = self._along(joint, carried)
        return self.turns

    def _whole(self, joint: int) -> FloatArray | None:
        """Where the whole orientation of a bone shows: its turn from the start, whatever happens above it."""
        limbs, below = self.own.limbs, self.own.limbs.next[joint]
        part = limbs.parts[joint]
        if joint in self.kept:
            return rotation.IDENTITY
        if not below and part and part.upright and all(self.stands):
            # Heads, and feet without toes, keep their level where nothing else tells it.
            return rotation.IDENTITY
        if len(below) > 1:
            return self._branch(joint)
        if limbs.kind(joint).endswith("foot") and not self.same:
            sole_directions = soles(self.own, self.other, joint)
            if sole_directions is not None:
                return turn_between(*sole_directions)
        return None

    def _branch(self, joint: int) -> FloatArray | None:
        current, desired = [], []
        for child in self.own.limbs.next[joint]:
            a, b = self.own.at[child] - self.own.at[joint], self.other.at[child] - self.other.at[joint]
            if min(length(a), length(b)) > 1e-9:
                current.append(unit(a))
                desired.append(unit(b))
        if not current:
            return None
        frames = self.own.frame(joint), self.other.frame(joint)
        if frames[0] is not None and frames[1] is not None and not self.same:
            return turn_between(frames[0], frames[1])
        if not _spans(current) or not _spans(desired):
            return None
        if float(np.abs(np.array(current) - np.array(desired)).max()) < 1e-12:
            return rotation.IDENTITY
        from scipy.spatial.transform import Rotation  # large, and seldom needed

        turn_found, _ = Rotation.align_vectors(np.array(desired), np.array(current))
        return np.asarray(turn_found.as_quat())

    def _along(self, joint: int, carried: FloatArray) -> FloatArray:
        """A limb's bone: what it is carried by, then the smallest rotation to its direction, then its roll."""
        current, desired = self.own.direction(joint), self.other.direction(joint)
        if current is None or desired is None:
            return self._together(joint, carried)
        carried = self._between_firm(joint, carried)
        turn = rotation.multiply(rotation.between(rotation.rotate(carried, current), desired), carried)
        kind, below = self.own.limbs.kind(joint), self.own.limbs.next[joint]
        if kind.endswith("lower arm") and below[0] in self.firm and joint not in self.twisting:
            return rotation.multiply(_twist_about(desired, self.firm[below[0]], turn, 1.0), turn)
        marks = bends(self.own, self.other, joint)
        if marks is None:
            return turn
        mine, theirs, trust = marks
        angle = roll_angle(desired, rotation.rotate(turn, mine), theirs)
        if abs(angle) < TRIFLE:
            return turn
        return rotation.multiply(rotation.about(desired, trust * angle), turn)

    def _together(self, joint: int, carried: FloatArray) -> FloatArray:
        """A branch whose directions lie in one line: the mean of them."""
        below = self.own.limbs.next[joint]
        current, desired = (
            unit(sum((unit(s.at[c] - s.at[joint]) for c in below), np.zeros(3))) for s in (self.own, self.other)
        )
        if not current.any() or not desired.any():
            return carried
        return rotation.multiply(rotation.between(rotation.rotate(carried, current), desired), carried)

    def _between_firm(self, joint: int, carried: FloatArray) -> FloatArray:
        """A spine between hips and chest takes its share of the turn from the one to the other."""
        part = self.own.limbs.parts[joint]
        if part is None or part.kind != "spine" or self.only is not None:
            return carried
        above = self.target.above(joint, self.own.limbs.parts)
        run = [joint]
        while run[-1] not in self.firm:
            below = self.own.limbs.next[run[-1]]
            if len(below) != 1:
                return carried
            run.append(below[0])
        if above is None:
            return carried
        # The mean of both bodies' shares, so that going there and back ends where it began.
        share = 0.0
        for body in (self.own, self.other):
            at = np.array([body.at[joint] for joint in (above, *run)])
            lengths = np.linalg.norm(np.diff(at, axis=0), axis=1)
            share += float(lengths[0] / lengths.sum()) / 2 if lengths.sum() > 0 else 0.0
        return rotation.slerp(self.turns[above], self.firm[run[-1]], share)


def _spans(directions: list[FloatArray]) -> bool:
    """Whether the directions fix an orientation: two of them are clearly not on one line."""
    least = math.sin(math.radians(4.0))
    return any(length(cross(a, b)) > least for n, a in enumerate(directions) for b in directions[:n])


def _twist_about(axis: FloatArray, outer: FloatArray, inner: FloatArray, share: float) -> FloatArray:
    """The share of the turn about ``axis`` from the world turn ``inner`` to ``outer``."""
    q = rotation.multiply(outer, rotation.inverse(inner))
    angle = 2 * math.atan2(float(q[:3] @ axis), float(q[3]))
    angle = (angle + math.pi) % (2 * math.pi) - math.pi
    return rotation.about(axis, share * angle)


def _share_twist(target: Skeleton, pose: Pose, turns: FloatArray, turning: tuple[Twist, ...]) -> None:
    """Bones for twist take their share of the turn between the bones they lie on; what hangs from them is carried."""
    if not turning:
        return
    sharing = {twist.joint: twist for twist in turning}
    mapping = {twist.upper for twist in turning} | {twist.lower for twist in turning}
    moved: set[int] = set()
    for joint in range(len(target)):
        twist, parent = sharing.get(joint), int(target.parents[joint])
        if twist is not None:
            axis = unit(rotation.rotate(turns[twist.upper], pose.positions[twist.lower] - pose.positions[twist.upper]))
            turned = _twist_about(axis, turns[twist.lower], turns[twist.upper], twist.share)
            turns[joint] = rotation.multiply(turned, turns[twist.upper])
            moved.add(joint)
        elif parent in moved and joint not in mapping:
            turns[joint] = turns[parent]
            moved.add(joint)


def remaining(
    target: Skeleton,
    stance: Stance,
    parts: Mapping[int, str | None],
    plan: BodyPlan,
    model: AlignmentTarget,
) -> tuple[AlignmentResidual, ...]:
    """What is left between a stance and the model, part by part. The body's own bends are read where the stance
    began."""
    first, then = stance.first_pose(target), stance.pose(target)
    read, other = shapes(target, first, parts, plan, model)
    now, _ = shapes(target, then, parts, plan, model)
    turns = rotation.multiply(then.rotations, rotation.inverse(first.rotations))
    from_rest = np.degrees(rotation.angle(rotation.multiply(then.rotations, rotation.inverse(target.rest.rotations))))
    same = same_build(read, other)
    own_build_joints = own_build(read, other, same)
    rows = []
    for joint in sorted(parts):
        part = plan.by_name.get(parts[joint] or "")
        if part is None:
            continue
        current, desired = now.direction(joint), other.direction(joint)
        own = joint in own_build_joints
        marks = _roll_marks(read, other, joint)
        sole_directions = soles(read, other, joint) if part.kind.endswith("foot") and not same else None
        if sole_directions is not None:
            (along, up), (desired, level) = sole_directions
            current, marks = rotation.rotate(turns[joint], along), (up, level, 1.0)
        left, roll = 0.0, None
        if current is not None and desired is not None:
            left = float(np.degrees(rotation.angle(rotation.between(current, desired))))
            if marks is not None and marks[2] > 0.5:
                carried = rotation.rotate(turns[joint], marks[0])
                onto = rotation.rotate(rotation.between(current, desired), carried)
                roll = float(np.degrees(roll_angle(desired, onto, marks[1])))
        roll = None if roll is None else round(roll, 3)
        ways = [tuple(round(float(x), 5) for x in (np.zeros(3) if v is None else v)) for v in (current, desired)]
        name, turned = target.names[joint], round(float(from_rest[joint]), 3)
        rows.append(AlignmentResidual(part.name, name, turned, round(left, 3), roll, own, ways[0], ways[1]))
    return tuple(rows)


def _roll_marks(own: Shape, other: Shape, joint: int) -> tuple[FloatArray, FloatArray, float] | None:
    """What the roll of a bone is seen by on both bodies: across where it is a frame, else the way its limb bends."""
    frames = own.frame(joint), other.frame(joint)
    if frames[0] is not None and frames[1] is not None:
        return frames[0][1], frames[1][1], 1.0
    return bends(own, other, joint)


def marks_of(pose: Pose, shape: Shape, joints: Mapping[int, int]) -> FloatArray:
    """Where a body's own bones bend to, in their joints' frames: ``(J, 3)``, zero where nothing shows it.

    joints: of the shape's joints to those of the skeleton. pose: the skeleton's world pose when the shape was read.
    """
    frames = pose.rotations
    out = np.zeros((len(frames), 3))
    for key, joint in joints.items():
        mark = shape.roll_marker(key)
        if mark is not None:
            out[joint] = rotation.rotate(rotation.inverse(frames[joint]), mark)
    return out


def mapped_parts(mapping: Mapping[int, JointDriver]) -> dict[int, str | None]:
    return {joint: driver.part for joint, driver in mapping.items()}
