"""Motion onto the same rig elsewhere: into motion that is there already, at a frame, where it is to stand."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from armuto.constraints.root_bone import travel_path
from armuto.export.resampling import resample
from armuto.export.root_motion import with_places
from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip
from armuto.kinematics.skeleton import joints_named
from armuto.retarget.fitting import Fitting

HOW = ("replace", "insert")


@dataclass(frozen=True)
class Start:
    """Where a motion begins: metres on the floor, and degrees from +Z towards +X."""

    x: float = 0.0
    z: float = 0.0
    degrees: float = 0.0


def placed(clip: Clip, fitting: Fitting, start: Start) -> Clip:
    """The clip moved as a whole, so that the part that leads begins at a start and heads where that says."""
    path, world = travel_path(clip, fitting), clip.world()
    turn = rotation.about([0.0, 1.0, 0.0], np.radians(start.degrees) - path.heading[0])
    here = path.places[0] * [1.0, 0.0, 1.0]
    roots = np.flatnonzero(clip.skeleton.parents < 0)
    rotations = clip.rotations.copy()
    rotations[:, roots] = rotation.multiply(turn, world.rotations[:, roots])
    places = rotation.rotate(turn, world.positions[:, roots] - here) + [start.x, 0.0, start.z]
    return with_places(replace(clip, rotations=rotations), {int(joint): places[:, k] for k, joint in enumerate(roots)})


def insert_motion(clip: Clip, into: Clip, at: int, how: Literal["replace", "insert"] = "replace") -> Clip:
    """``into`` with the clip in it from frame ``at`` on, in its own frame rate and order of joints.

    "replace" writes over what is there, and goes on behind its end where the clip is longer; "insert" moves what
    follows back. Joints are found by name; those that only ``into`` has keep their rest pose where the clip is
    inserted, and their own motion where it replaces. Raises ValueError for a frame outside, and for a rig on which a
    joint of the clip is missing.
    """
    if not 0 <= at <= into.frames:
        raise ValueError(f"frame {at} is not within 0 to {into.frames}")
    if how not in HOW:
        raise ValueError(f"“{how}” is neither {' nor '.join(HOW)}")
    missing = [name for name in clip.skeleton.names if name not in into.skeleton.index]
    if missing:
        raise ValueError(f"there is no bone “{missing[0]}” on it")
    clip = resample(clip, into.fps)
    joints = joints_named(into.skeleton, clip.skeleton.names)
    resumes = min(at + clip.frames, into.frames) if how == "replace" else at
    old = into.rotations, into.all_translations()
    new = []
    for values, own, rest in zip(
        old,
        (clip.rotations, clip.all_translations()),
        (into.skeleton.rest_rotation, into.skeleton.rest_translation),
        strict=True,
    ):
        block = np.broadcast_to(rest, (clip.frames, *rest.shape)).copy()
        if how == "replace":
            block[: resumes - at] = values[at:resumes]
        block[:, joints] = own
        new.append(np.concatenate([values[:at], block, values[resumes:]]))
    return Clip(into.name, into.skeleton, into.fps, new[0], np.arange(len(into.skeleton)), new[1])
