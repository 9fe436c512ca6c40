"""How much each bone follows: its turn against its parent scaled from the stance, and an offset that stays
throughout."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from armuto.body.plans import BodyPlan
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.pose import Pose
from armuto.kinematics.skeleton import Skeleton
from armuto.kinematics.vectors import lengths
from armuto.pairing.joint_mapping import JointDriver
from armuto.retarget.settings import RotationInfluence


def influences(
    follow: Mapping[str, RotationInfluence], mapping: Mapping[int, JointDriver], target: Skeleton, plan: BodyPlan
) -> dict[int, RotationInfluence]:
    """What was chosen for every joint: by its name, else its part, else its limb; joints that plainly follow are left
    out."""
    out = {}
    for joint, name in enumerate(target.names):
        part = mapping[joint].part if joint in mapping else None
        limb = plan.by_name[part].limb if part in plan.by_name else None
        chosen = next((follow[key] for key in (name, part, limb) if key is not None and key in follow), None)
        if chosen is not None and chosen != RotationInfluence():
            out[joint] = chosen
    return out


def apply_rotation_influence(
    rotations: FloatArray,
    target: Skeleton,
    stance: Pose,
    local: FloatArray,
    axes: FloatArray,
    influenced: Mapping[int, RotationInfluence],
) -> None:
    """Scale turns in place. With L the rotation against the parent, L₀ that of the stance, s the strength and O the
    offset::

        L′ = O · L₀ · (L₀⁻¹ L)^s

    rotations: of the world, ``(J, F, 4)``. local ``(J, 4)``: of the stance. axes ``(3, 3)``: left, up and ahead of the
    body in its stance, in which offsets are given. What hangs from a bone goes with it.
    """
    if not influenced:
        return
    old = rotations.copy()
    changed: set[int] = set()
    for joints in target.levels:
        for joint in (int(joint) for joint in joints):
            above = int(target.parents[joint])
            if joint not in influenced and above not in changed:
                continue
            changed.add(joint)
            relative = rotation.against(old[above], old[joint]) if above >= 0 else old[joint]
            if joint in influenced:
                relative = _scaled(relative, local[joint], influenced[joint].turn)
                offset = np.radians(np.array(influenced[joint].offset)) @ axes
                angle = float(np.linalg.norm(offset))
                if angle > 0:
                    frame = stance.rotations[above] if above >= 0 else rotation.IDENTITY
                    q = rotation.about(rotation.rotate(rotation.inverse(frame), offset), angle)
                    relative = rotation.multiply(q, relative)
            rotations[joint] = rotation.multiply(rotations[above], relative) if above >= 0 else relative


def _scaled(local: FloatArray, rest: FloatArray, strength: float) -> FloatArray:
    if strength == 1.0:
        return local
    turn = rotation.against(rest, local)
    scaled_vector = rotation.vector(turn) * strength
    angle = lengths(scaled_vector)
    axis = scaled_vector / np.maximum(angle, 1e-12)[..., None]
    return rotation.multiply(rest, rotation.about_each(axis, angle))
