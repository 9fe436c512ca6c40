"""Translations of the target: where bones end, what moves against its parent, and the way of what carries travel.

The hips, and a root bone above them, move as the source's do, in the target's leg lengths::

    p_T(t) = s_T + scale · C · (p_S(t) − s_S)

where s is the place of the joint when the body stands in its stance, its feet on the floor, and C turns the source's
facing to the target's.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.retarget.context import RetargetContext
from armuto.retarget.scaling import scale_path


def translated_joints(clip: Clip, context: RetargetContext) -> list[int]:
    """Target joints below a root whose source moves against its parent at some time, as a slider or a jaw may."""
    fitting, mapping = context.fitting, context.mapping
    column = {int(joint): k for k, joint in enumerate(clip.moving)}
    out = []
    for joint, driver in mapping.items():
        if (
            driver.source not in column
            or not driver.moves
            or driver.share > 0
            or fitting.target.parents[joint] < 0
            or fitting.source.parents[driver.source] < 0
        ):
            continue
        shift = clip.translations[:, column[driver.source]] - fitting.source.rest_translation[driver.source]
        if np.abs(shift).max(initial=0.0) > 1e-9:
            out.append(joint)
    return out


def local_translations(clip: Clip, context: RetargetContext, joints: list[int]) -> dict[int, FloatArray]:
    """Local translations ``(F, 3)`` of those joints: the source's shift in the target's size and its parent's frame."""
    fitting, mapping = context.fitting, context.mapping
    source, target, stance = fitting.source, fitting.target, fitting.target_pose.rotations
    column = {int(joint): k for k, joint in enumerate(clip.moving)}
    out: dict[int, FloatArray] = {}
    for joint in joints:
        driver = mapping[joint].source
        shift = clip.translations[:, column[driver]] - source.rest_translation[driver]
        q = rotation.multiply(fitting.turn, fitting.source_pose.rotations[source.parents[driver]])
        q = rotation.against(stance[target.parents[joint]], q)
        out[joint] = target.rest_translation[joint] + fitting.scale * rotation.rotate(q, shift)
    return out


def world_positions(
    world: FloatArray,
    local: Mapping[int, FloatArray],
    source: Mapping[int, FloatArray],
    context: RetargetContext,
    fps: float,
) -> FloatArray:
    """Places of all joints ``(J, F, 3)``: carriers of travel where the source's go, others where bones end.

    world: rotations ``(J, F, 4)``. local: translations that change ``(F, 3)``, by joint. source: world positions of the
    source's joints ``(F, 3)``.
    """
    fitting, mapping, target = context.fitting, context.mapping, context.fitting.target
    source_stand, target_stand = context.standing
    places = np.empty((len(target), world.shape[1], 3))
    for joint in range(len(target)):
        parent = int(target.parents[joint])
        if joint in context.carriers:
            driver = mapping[joint].source
            from_stand = rotation.rotate(fitting.turn, source[driver] - source_stand[driver])
            places[joint] = target_stand[joint] + scale_path(from_stand, context.ratios, fps)
            continue
        offset = local.get(joint, target.rest_translation[joint])
        if parent < 0:
            places[joint] = offset
        else:
            rotation.placed(world[parent], offset, places[parent], out=places[joint])
    return places
