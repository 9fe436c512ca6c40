"""Mirror: left and right exchanged about the body's own plane.

Let U be a stance of the body that is symmetrical, facing +Z, with the plane x = 0 between left and right, and P the
reflection there. With k the twin of joint j on the other side and R(t) world rotations::

    D_k(t) = R_k(t) U_k⁻¹,   R'_j(t) = Y(2α) P D_k(t) P U_j

where α is where the body faces in its first frame: the motion is reflected in the upright plane through its hips, along
which it faces there. Twice is the clip itself for any U. Joints without a twin on a side of their own stay with their
parent.

No capture rests symmetrically. U is therefore found by standing the body as its own mirror image stands, limb by limb,
with all that aligning knows of rolls (:mod:`armuto.stance.aligning`): with T the stance in which it stands so, and S
the one it began with, S is replaced by (T S⁻¹)^½ S, half the way, until there is none left.
"""

from __future__ import annotations

from dataclasses import dataclass as plain_dataclass
from dataclasses import replace
from functools import lru_cache
from typing import Literal

import numpy as np
from pydantic.dataclasses import dataclass

from armuto.body.mirror import OTHER, mirror_joints, mirrored
from armuto.body.names import read_names
from armuto.body.parts import Assignment
from armuto.errors import BadInput
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray, IntArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.observed import NOTHING
from armuto.kinematics.pose import local_rotations, local_rotations_by_joint
from armuto.kinematics.skeleton import Skeleton
from armuto.refining.refined import Body, Refined
from armuto.retarget.fitting import NothingToPair, fit
from armuto.stance import Stance
from armuto.validation import STRICT

ACROSS = np.array([-1.0, 1.0, 1.0])
PSEUDO = np.array([1.0, -1.0, -1.0, 1.0])  # the reflection of a rotation in x = 0
ROUNDS, SETTLED = 8, 1e-7  # radians: how often half the way is gone at most, and when there is none left
UPRIGHT = 0.2  # of a unit vector that has to lie on the ground for a body to face somewhere


@dataclass(frozen=True, config=STRICT)
class Mirror:
    kind: Literal["mirror"] = "mirror"
    on: bool = True

    def refine(self, before: Refined, body: Body) -> Refined:
        """Raises :class:`BadInput` for a body of which left and right are not known."""
        made = before.with_clip(_mirrored(before.clip, symmetry(body)))
        return replace(made, mirrored=not before.mirrored)


@plain_dataclass(frozen=True, eq=False)
class Symmetry:
    """A body's stance that is symmetrical in x = 0, facing +Z: world rotations ``(J, 4)``.

    twins: the twin of every joint, its own number in the middle, -1 for a joint of one side that has none. hips: the
    joint that tells where the body faces.
    """

    stance: FloatArray
    twins: IntArray
    hips: int


@lru_cache(maxsize=32)
def symmetry(body: Body) -> Symmetry:
    """Raises :class:`BadInput` for a body of which left and right are not known."""
    skeleton, parts = body.skeleton, body.parts
    twins = mirror_joints(skeleton, parts)
    if not twins or "hips" not in body.joint_of:
        raise BadInput("To mirror a clip its left, right and hips have to be known; say its parts first.")
    stance = None
    for _ in range(ROUNDS):
        found = _half_way(body, stance)
        settled = stance is not None and float(rotation.angle_apart(found, stance).max()) < SETTLED
        stance = found
        if settled:
            break
    assert stance is not None
    sides = _sides(skeleton, parts)
    numbers = [twins.get(joint, -1 if sides[joint] else joint) for joint in range(len(skeleton))]
    return Symmetry(stance, np.array(numbers), body.joint_of["hips"])


def _half_way(body: Body, begin: FloatArray | None) -> FloatArray:
    """Half the way from a stance, the one that is proposed without, to that of its own mirror image: world rotations
    ``(J, 4)``, facing +Z."""
    skeleton, parts = replace(body.skeleton, observed=NOTHING), body.parts
    image, image_parts = _reflected(skeleton), {mirrored(part): bones for part, bones in parts.items()}
    stances: tuple[Stance | None, Stance | None] = (None, None)
    if begin is not None:
        local = local_rotations(skeleton, begin[None])[0]
        stances = Stance("", "", local * PSEUDO), Stance("", "", local, start=local)
    try:
        made = fit(image, skeleton, image_parts, parts, None, *stances)
    except NothingToPair as problem:
        raise BadInput(f"It cannot be mirrored: {problem}") from None
    # The image began as the body itself did, reflected.
    own, other = (
        rotation.multiply(rotation.about([0.0, 1.0, 0.0], -np.radians(facing)), turns)
        for facing, turns in (
            (-made.source_facing, made.source_pose.rotations * PSEUDO),
            (made.target_facing, made.target_pose.rotations),
        )
    )
    out = own.copy()
    for joint, parent in enumerate(skeleton.parents):
        if joint in made.joint_mapping:
            half = rotation.slerp(rotation.IDENTITY, rotation.multiply(other[joint], rotation.inverse(own[joint])), 0.5)
            out[joint] = rotation.multiply(half, own[joint])
        elif parent >= 0:
            out[joint] = rotation.multiply(out[parent], rotation.against(own[parent], own[joint]))
    return out


def _sides(skeleton: Skeleton, parts: Assignment) -> list[str]:
    """Which side every joint is on, by its part or its name: nothing for the middle."""
    out = [name.side for name in read_names(skeleton.names)]
    for part, bones in parts.items():
        for bone in bones:
            side = part.partition(" ")[0]
            out[bone.joint] = side if side in OTHER else ""
    return out


def _reflected(skeleton: Skeleton) -> Skeleton:
    """The skeleton's image in x = 0, joint by joint."""
    ends = skeleton.end_offsets * ACROSS
    rest = None if skeleton.file_rest is None else skeleton.file_rest * PSEUDO
    return replace(
        skeleton,
        rest_translation=skeleton.rest_translation * ACROSS,
        rest_rotation=skeleton.rest_rotation * PSEUDO,
        end_offsets=ends,
        file_rest=rest,
    )


def _mirrored(clip: Clip, symmetry: Symmetry) -> Clip:
    skeleton, stance, twins = clip.skeleton, symmetry.stance, symmetry.twins
    world = clip.world_by_joint()
    turned_by = rotation.multiply(world.rotations[symmetry.hips, 0], rotation.inverse(stance[symmetry.hips]))
    faces = rotation.rotate(turned_by, np.array([0.0, 0.0, 1.0]))
    heading = float(np.arctan2(faces[0], faces[2])) if np.hypot(faces[0], faces[2]) > UPRIGHT else 0.0
    turn = rotation.about([0.0, 1.0, 0.0], 2 * heading)
    turned = np.empty_like(world.rotations)
    for joint, twin in enumerate(twins):
        if twin < 0:
            parent = int(skeleton.parents[joint])
            local = rotation.against(stance[parent], stance[joint])
            turned[joint] = rotation.multiply(turned[parent], local)
            continue
        difference = rotation.multiply(world.rotations[twin], rotation.inverse(stance[twin])) * PSEUDO
        turned[joint] = rotation.multiply_three(turn, difference, stance[joint])
    place = world.positions[symmetry.hips, 0]
    return Clip(
        clip.name,
        skeleton,
        clip.fps,
        local_rotations_by_joint(skeleton, turned),
        *_translations(clip, symmetry, turn, place),
    )


def _translations(clip: Clip, symmetry: Symmetry, turn: FloatArray, place: FloatArray) -> tuple[IntArray, FloatArray]:
    """Which joints have translations then, and these: a twin's against its parent, reflected in the stance, and a
    root's reflected in the plane through a place."""
    skeleton, stance, twins = clip.skeleton, symmetry.stance, symmetry.twins
    column = {int(joint): number for number, joint in enumerate(clip.moving)}
    moving = [joint for joint in range(len(skeleton)) if int(twins[joint]) in column]
    out = np.empty((clip.frames, len(moving), 3))
    for row, joint in enumerate(moving):
        twin = int(twins[joint])
        parent, above = int(skeleton.parents[joint]), int(skeleton.parents[twin])
        values = clip.translations[:, column[twin]]
        if parent < 0 or above < 0:
            offset = (values - place) * [1.0, 0.0, 1.0]
            back = rotation.rotate(turn, offset * ACROSS)
            out[:, row] = place * [1.0, 0.0, 1.0] + back + values * [0.0, 1.0, 0.0]
            continue
        shift = rotation.rotate(stance[above], values - skeleton.rest_translation[twin]) * ACROSS
        out[:, row] = skeleton.rest_translation[joint] + rotation.rotate(rotation.inverse(stance[parent]), shift)
    return np.array(moving, np.int64), out
