"""Making postures: rest, zero, frames of a clip, a T, an A, arms down, standing straight, a mirror, and turns by hand.

All are local rotations ``(J, 4)`` of a skeleton.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from armuto.body.parts import Assignment
from armuto.body.plans import BodyPlan
from armuto.errors import BadInput
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.pose import local_rotations
from armuto.kinematics.skeleton import Skeleton
from armuto.kinematics.vectors import cross, length, unit
from armuto.stance.aligning import AlignmentTarget, align
from armuto.stance.posture import UP
from armuto.stance.shape import CLEARLY, SURE, Shape, is_toes, limbs_of, roll_to, square, tips_of, turn_between
from armuto.stance.value import posed

ASLANT = 0.5  # sine of the least angle between a bone and its hinge by which it can be rolled
SYMMETRIC = 0.02  # of the height: so far a joint may rest from where its twin is mirrored
STEEPEST = 20.0  # degrees from upright that a bone of the trunk keeps when a body is stood straight


def zero(skeleton: Skeleton) -> FloatArray:
    """All rotations zero, as the skeleton's own file counts them: roots keep what brings the file's axes to ours."""
    out = np.tile(rotation.IDENTITY, (len(skeleton), 1))
    out[skeleton.parents < 0] = np.array(skeleton.file_frame.turn)
    return out


def frame(clip: Clip, number: int) -> FloatArray:
    """A frame of a clip on the skeleton. Raises :class:`BadInput` for a frame that is not in it."""
    return average(clip, number, number)


def average(clip: Clip, first: int, last: int) -> FloatArray:
    """The mean of the frames first to last, both included (Markley 2007: the eigenvector of the summed outer
    products)."""
    if not 0 <= first <= last < clip.frames:
        raise BadInput(f"{clip.name}: it has the frames 0 to {clip.frames - 1}; take a frame or a range among them.")
    q = clip.rotations[first : last + 1]
    if len(q) == 1:
        return np.array(q[0])
    summed = np.einsum("fji,fjk->jik", q, q)
    mean = np.linalg.eigh(summed)[1][:, :, -1]
    return np.asarray(np.where(np.sum(mean * q[0], axis=1, keepdims=True) < 0, -mean, mean))


class PoseEditor:
    """A body whose bones are turned in the world one after another, everything below going along.

    believed: whether limbs bend about the hinges that motion has shown of the skeleton.
    """

    def __init__(
        self,
        skeleton: Skeleton,
        rotations: FloatArray,
        parts: Assignment,
        plan: BodyPlan,
        forward: FloatArray,
        believed: bool = True,
    ):
        pose = posed(skeleton, rotations)
        self.skeleton, self.plan, self.forward = skeleton, plan, forward
        self.hinges = skeleton.observed.hinges if believed else {}
        self.at, self.world, self.ends = pose.positions.copy(), pose.rotations.copy(), pose.ends.copy()
        self.parts: dict[int, str | None] = {bone.joint: part for part, bones in parts.items() for bone in bones}
        self.limbs = limbs_of(skeleton, self.parts, plan)

    def turn(self, joint: int, q: FloatArray) -> None:
        below = list(self.skeleton.subtree(joint))
        self.at[below] = self.at[joint] + rotation.rotate(q, self.at[below] - self.at[joint])
        self.world[below] = rotation.multiply(q, self.world[below])
        hung = np.isin(self.skeleton.end_parents, below)
        self.ends[hung] = self.at[joint] + rotation.rotate(q, self.ends[hung] - self.at[joint])

    def shape(self) -> Shape:
        at = {joint: self.at[joint] for joint in self.parts}
        toes = {joint: joint for joint, part in self.parts.items() if is_toes(part)}
        return Shape(self.limbs, at, self.forward, tips_of(self.skeleton, self.at, self.ends, toes))

    def point(self, joint: int, direction: FloatArray, bends: FloatArray | None = None) -> None:
        """Turn a bone by the smallest rotation to a direction, then so that the limb bends as it should, or as is
        said."""
        current = self.shape().direction(joint)
        if current is not None:
            self.turn(joint, rotation.between(current, direction))
        shape = self.shape()
        bend, expected = shape.bend(joint), shape.expected(joint) if bends is None else bends
        if bend is not None and expected is not None:
            hinged = self._hinged(joint, direction)
            self.turn(joint, roll_to(direction, bend[0] if hinged is None else hinged, expected))

    def _hinged(self, joint: int, along: FloatArray) -> FloatArray | None:
        """The way a limb bends about its hinge, square to its first bone; None where motion has not surely shown it."""
        hinge = self.hinges.get(joint)
        if hinge is None or hinge.certainty < SURE:
            return None
        return hinge.turned(self.world[joint]).flexed(along, CLEARLY)

    def roll_second(self, first: int, second: int, axis: FloatArray) -> bool:
        """Roll a limb's second bone so that its hinge, as that bone's own motion has shown it, lies along an axis;
        whether it has shown it surely."""
        hinge, along = self.hinges.get(first), self.shape().direction(second)
        if hinge is None or along is None or hinge.second_certainty < SURE:
            return False
        second_axis = square(rotation.rotate(self.world[second], hinge.second_axis), along)
        if length(second_axis) < ASLANT:
            return False
        self.turn(second, roll_to(along, unit(second_axis), unit(square(axis, along))))
        return True

    def joint(self, part: str) -> int | None:
        return self.limbs.joints.get(part)

    def rotations(self) -> FloatArray:
        return np.asarray(local_rotations(self.skeleton, self.world[None])[0])


def arms(editor: PoseEditor, degrees: float) -> None:
    """Both arms straight out to the side, ``degrees`` from hanging down: 90 makes a T. Thumbs go forward, so palms face
    down.

    Raises :class:`BadInput` for a body without arms.
    """
    found = False
    for side, sign in (("left", 1.0), ("right", -1.0)):
        across = cross(UP, editor.forward) * sign
        angle = np.radians(degrees)
        direction = unit(np.sin(angle) * across - np.cos(angle) * UP)
        for kind in ("upper arm", "lower arm", "upper wing", "lower wing"):
            joint = editor.joint(f"{side} {kind}")
            if joint is None:
                continue
            found = True
            hand, upper = editor.joint(f"{side} hand"), editor.joint(f"{side} upper arm")
            framed = editor.shape().frame(hand) if hand is not None else None
            if kind == "lower arm" and framed is not None:
                editor.point(joint, direction)
                if upper is not None and editor.roll_second(upper, joint, cross(direction, editor.forward)):
                    continue  # this forearm keeps to its elbow: its palm turns in the wrist
                # The palm turns in the forearm.
                framed = editor.shape().frame(hand)  # type: ignore[arg-type]
                if framed is not None:
                    editor.turn(joint, roll_to(direction, framed[1], square(editor.forward, direction)))
            else:
                editor.point(joint, direction)
        hand = editor.joint(f"{side} hand")
        framed = editor.shape().frame(hand) if hand is not None else None
        if hand is not None and framed is not None:
            editor.turn(hand, turn_between(framed, (direction, unit(square(editor.forward, direction)))))
    if not found:
        raise BadInput("This body has no arms to make a T or an A of; take another stance.")


def straight(editor: PoseEditor, steepest: float = STEEPEST) -> None:
    """Trunk upright, hips and shoulders level and square to the front, legs straight down, feet level and forward.

    steepest: degrees to which a bone of the trunk keeps its lean to the front, as it may be its build.
    """
    across = cross(UP, editor.forward)
    for part in ("hips", "spine", "chest", "neck", "head"):
        for joint in sorted(j for j, name in editor.parts.items() if name == part):
            shape = editor.shape()
            framed, along = shape.frame(joint), shape.direction(joint)
            if along is None:
                continue
            # Lean to the side goes; of the lean to the front, what a body may have by its build stays.
            level = square(along, across)
            steep = float(np.degrees(rotation.angle(rotation.between(unit(level), UP))))
            direction = unit(level) if steep < steepest else UP
            if framed is not None:
                editor.turn(joint, turn_between(framed, (direction, across)))
            else:
                editor.turn(joint, rotation.between(along, direction))
    for side in ("left", "right"):
        for kind in ("upper leg", "lower leg"):
            bone = editor.joint(f"{side} {kind}")
            if bone is not None:
                # Feet are still anywhere, and do not say yet where knees go.
                editor.point(bone, -UP, -editor.forward)
        thigh, shin = (editor.joint(f"{side} {kind}") for kind in ("upper leg", "lower leg"))
        if thigh is not None and shin is not None:
            editor.roll_second(thigh, shin, across)
        foot = editor.joint(f"{side} foot")
        if foot is not None:
            _level_foot(editor, foot)


def _level_foot(editor: PoseEditor, foot: int) -> None:
    shape = editor.shape()
    along, sole = shape.direction(foot), shape.sole(foot)
    if along is None:
        return
    if sole is not None:
        editor.turn(foot, turn_between(sole, (editor.forward, UP)))
        return
    flat = np.array([along[0], 0.0, along[2]])
    if float(flat @ flat) > 1e-6:
        editor.turn(foot, rotation.between(unit(flat), editor.forward))


def mirrored(
    skeleton: Skeleton,
    rotations: FloatArray,
    mirror_joints: Mapping[int, int],
    parts: Mapping[int, str | None],
    plan: BodyPlan,
    forward: FloatArray,
    side: str | None,
) -> FloatArray:
    """The posture with one side mirrored onto the other, or with both sides exchanged.

    side: "left" or "right", which is copied onto the other; None exchanges them, the middle being mirrored too. Where
    the skeleton rests alike on both sides, turns from rest are mirrored; else the directions are (:func:`align`).
    """
    across = unit(cross(UP, forward))
    pose, rest = posed(skeleton, rotations), skeleton.rest
    middle = _middle(skeleton, rest.positions, mirror_joints, across)
    if side is None:
        into = list(range(len(skeleton)))
    else:
        into = [
            twin
            for joint, twin in mirror_joints.items()
            if _side_of(joint, parts, rest.positions, across, middle) == side
        ]
    if not into:
        raise BadInput("No bone of this body is known to have a twin on the other side; pair its parts first.")

    def reflect(v: FloatArray) -> FloatArray:
        return np.asarray(v - 2 * (v @ across)[..., None] * across)

    height = float(np.ptp(rest.positions[:, 1])) or 1.0
    from_middle = rest.positions - middle * across
    asymmetry = [length(reflect(from_middle[mirror_joints.get(joint, joint)]) - from_middle[joint]) for joint in into]
    if max(asymmetry) < SYMMETRIC * height:
        turns = rotation.multiply(pose.rotations, rotation.inverse(rest.rotations))
        # A mirrored rotation turns the other way about the mirrored axis.
        flipped = np.concatenate([-reflect(turns[:, :3]), turns[:, 3:]], axis=1)
        world = pose.rotations.copy()
        out = rotations.copy()
        chosen = set(into)
        for joint in range(len(skeleton)):
            parent = int(skeleton.parents[joint])
            if joint in chosen:
                world[joint] = rotation.multiply(flipped[mirror_joints.get(joint, joint)], rest.rotations[joint])
                out[joint] = rotation.against(world[parent], world[joint]) if parent >= 0 else world[joint]
            elif parent >= 0:
                world[joint] = rotation.multiply(world[parent], out[joint])
        return rotation.normalised(out)
    places = {joint: pose.positions[joint].copy() for joint in parts}
    for joint in into:
        if joint in places:
            opposite = pose.positions[mirror_joints.get(joint, joint)] - middle * across
            places[joint] = reflect(opposite) + middle * across
    model = AlignmentTarget(places, forward, {})
    return align(skeleton, rotations, parts, plan, model, only=set(into))


def _middle(skeleton: Skeleton, at: FloatArray, mirror_joints: Mapping[int, int], across: FloatArray) -> float:
    """How far the plane between the sides lies along ``across``."""
    if not mirror_joints:
        return float(at[0] @ across)
    return float(np.mean([(at[a] + at[b]) @ across / 2 for a, b in mirror_joints.items()]))


def _side_of(
    joint: int, parts: Mapping[int, str | None], at: FloatArray, across: FloatArray, middle: float
) -> str | None:
    word = (parts.get(joint) or "").split(" ")[0]
    if word in ("left", "right"):
        return word
    aside = float(at[joint] @ across) - middle
    return "left" if aside > 1e-6 else "right" if aside < -1e-6 else None


def turned(skeleton: Skeleton, rotations: FloatArray, joint: int, axis: FloatArray, degrees: float) -> FloatArray:
    """The rotation ``(4,)`` in the joint's own frame that turns it by ``degrees`` about a world ``axis (3,)``."""
    length = float(np.linalg.norm(axis))
    if not np.isfinite(axis).all() or length < 1e-9 or not np.isfinite(degrees):
        raise BadInput("A turn needs an axis and an angle; give both as numbers.")
    world = posed(skeleton, rotations).rotations[joint]
    return rotation.about(rotation.rotate(rotation.inverse(world), axis / length), np.radians(degrees))
