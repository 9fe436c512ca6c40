"""A root bone that carries travel, made for rigs that have none."""

from __future__ import annotations

import numpy as np

from armuto.constraints import travel
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.root_joint import with_root
from armuto.retarget.context import RetargetContext, context_of
from armuto.retarget.fitting import Fitting


def root_of(context: RetargetContext) -> int | None:
    """The bone above the target's hips that can carry travel, or None."""
    above = [] if context.hips is None else context.fitting.target.ancestors(context.hips)
    return above[-1] if above else None


def wants_root(fitting: Fitting) -> bool:
    """Whether travel is to be on a root bone which the target does not have."""
    return fitting.settings.travel.mode == "root" and root_of(context_of(fitting)) is None


def travel_path(rendition: Clip, fitting: Fitting) -> travel.Path:
    """The travel of the part that leads, in a clip on the target."""
    settings, joints = fitting.settings.travel, context_of(fitting).last_joints
    leader = joints.get(settings.lead, joints.get("hips", 0))
    world = rendition.world()
    turns = rotation.multiply(world.rotations[:, leader], rotation.inverse(fitting.target_pose.rotations[leader]))
    return travel.path_of(world.positions[:, leader], turns, fitting.forward, rendition.fps, settings.smoothing)


def rooted(rendition: Clip, fitting: Fitting) -> Clip:
    """The rendition with its travel on a root bone that is made for it. Every bone stays where it is in the world."""
    places, heading = travel.carried(travel_path(rendition, fitting), fitting.settings.travel)
    inverse_heading = rotation.inverse(heading)
    skeleton = with_root(rendition.skeleton)
    roots = np.flatnonzero(rendition.skeleton.parents < 0)
    rotations = rendition.rotations.copy()
    rotations[:, roots] = rotation.multiply(inverse_heading[:, None], rendition.rotations[:, roots])
    local = rendition.all_translations()
    local[:, roots] = rotation.rotate(inverse_heading[:, None], local[:, roots] - places[:, None])
    moving = sorted({*roots.tolist(), *rendition.moving.tolist()})
    translations: FloatArray = np.concatenate([places[:, None], local[:, moving]], axis=1)
    return Clip(
        rendition.name,
        skeleton,
        rendition.fps,
        np.concatenate([heading[:, None], rotations], axis=1),
        np.array([0, *(joint + 1 for joint in moving)], np.int64),
        translations,
    )
