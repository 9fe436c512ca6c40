"""The axes about which joints bend and twist, from the body standing straight, with its arms spread where it has
any."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from armuto.body.parts import PartBone
from armuto.body.plans import BodyPlan
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.pose import world_pose
from armuto.kinematics.skeleton import Skeleton
from armuto.kinematics.vectors import cross, length
from armuto.stance import making


@dataclass(frozen=True)
class JointFrame:
    """One joint that is limited: the paired joint above it (-1 where there is none), and the axes ``(3,)`` in the world
    of the reference about which it bends ahead, out or up, and twists outwards."""

    joint: int
    above: int
    part: str
    bend: FloatArray
    side: FloatArray
    twist: FloatArray

    @cached_property
    def axes(self) -> FloatArray:
        """All three, ``(3, 3)``."""
        return np.stack([self.bend, self.side, self.twist])


@dataclass(frozen=True)
class JointFrames:
    """The reference of a body: world rotations ``(J, 4)``, and its joints, parents first."""

    reference: FloatArray
    frames: tuple[JointFrame, ...]


def joint_frames(
    skeleton: Skeleton,
    rotations: FloatArray,
    joints: Mapping[str, tuple[int, ...]],
    plan: BodyPlan,
    forward: FloatArray,
) -> JointFrames:
    """rotations ``(J, 4)``: local, of the stance. joints: of every part. forward: where the body faces in it."""
    local = rotations
    if plan.trunk == "upright" and "hips" in joints and "chest" in joints:
        parts = {part: tuple(PartBone(joint, 1.0, "paired") for joint in found) for part, found in joints.items()}
        editor = making.PoseEditor(skeleton, rotations, parts, plan, forward)
        making.straight(editor)
        making.arms(editor, 90.0)
        local = editor.rotations()
    pose = world_pose(skeleton, local[None], skeleton.rest_translation[None]).frame(0)
    owner = {joint: part for part, found in joints.items() for joint in found}
    above = {joint: skeleton.above(joint, owner) for joint in owner}
    up = np.array([0.0, 1.0, 0.0])
    left = cross(up, forward)
    frames = []
    for joint in sorted(owner):
        part = plan.by_name.get(owner[joint])
        if part is None or part.travels:
            continue
        along = _along(pose.positions, joint, owner, above, plan)
        if along is None:
            continue
        outward = left if part.side != "right" else -left
        ahead = _square(forward if abs(along @ forward) < 0.7 else up, along)
        out = _square(outward if abs(along @ outward) < 0.7 else up, along)
        third = cross(along, ahead)
        out = third if third @ out >= 0 else -third
        twist = along if (part.side != "right") else -along
        bend, side, parent = cross(along, ahead), cross(along, out), above[joint]
        frames.append(JointFrame(joint, -1 if parent is None else parent, part.name, bend, side, twist))
    return JointFrames(pose.rotations, tuple(frames))


def _along(
    at: FloatArray, joint: int, owner: Mapping[int, str], above: Mapping[int, int | None], plan: BodyPlan
) -> FloatArray | None:
    """The direction of a bone: to the next paired joint of its limb, else on from the one above it. above: the nearest
    paired joint above each."""
    below = [other for other in owner if above[other] == joint]
    limb = plan.by_name[owner[joint]].limb
    same = [other for other in below if plan.by_name[owner[other]].limb == limb]
    if same or below:
        line = at[(same or below)[0]] - at[joint] if same else np.mean(at[below], axis=0) - at[joint]
    else:
        parent = above[joint]
        line = at[joint] - at[parent] if parent is not None else np.zeros(3)
    size = length(line)
    return line / size if size > 1e-6 else None


def _square(v: FloatArray, to: FloatArray) -> FloatArray:
    out = v - to * (v @ to)
    return np.asarray(out / length(out))
