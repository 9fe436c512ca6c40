"""Travel of finished motion as it leaves the house: taken out, or put on a root bone."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from armuto.constraints import travel
from armuto.constraints.root_bone import root_of, rooted, travel_path
from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip
from armuto.retarget.context import context_of
from armuto.retarget.fitting import Fitting

TRAVEL_MODES = ("as made", "in place", "root")


def apply_travel(clip: Clip, fitting: Fitting, way: str) -> Clip:
    """The clip with its travel as it is wanted: "as made", "in place", or on a "root" bone, which is made where there
    is none.

    Which part leads and which axes are meant is what the fitting says. Raises ValueError for another way.
    """
    if way == "as made":
        return clip
    if way == "root":
        root = root_of(context_of(fitting))
        return rooted(clip, fitting) if root is None else _on(clip, fitting, root)
    if way == "in place":
        return in_place(clip, fitting)
    raise ValueError(f"travel cannot be left “{way}”; take one of {', '.join(TRAVEL_MODES)}")


def in_place(clip: Clip, fitting: Fitting) -> Clip:
    """Every frame turned and shifted to where the first one is, about the part that leads."""
    path, world = travel_path(clip, fitting), clip.world()
    shift, turn = travel.chosen(path, fitting.settings.travel)
    back = rotation.about([0.0, 1.0, 0.0], -turn)
    roots = np.flatnonzero(clip.skeleton.parents < 0)
    rotations = clip.rotations.copy()
    rotations[:, roots] = rotation.multiply(back[:, None], world.rotations[:, roots])
    pivot = path.places[:, None]
    places = pivot + rotation.rotate(back[:, None], world.positions[:, roots] - pivot) - shift[:, None]
    return with_places(replace(clip, rotations=rotations), {int(joint): places[:, k] for k, joint in enumerate(roots)})


def _on(clip: Clip, fitting: Fitting, root: int) -> Clip:
    """Travel on the root bone that the character has; every other bone stays where it is in the world."""
    path, world = travel_path(clip, fitting), clip.world()
    places, heading = travel.carried(path, fitting.settings.travel)
    skeleton = clip.skeleton
    turned = rotation.multiply(heading, fitting.target_pose.rotations[root])
    rotations, moved = clip.rotations.copy(), {root: places}
    rotations[:, root] = turned
    back = rotation.inverse(turned)
    for child in skeleton.children[root]:
        rotations[:, child] = rotation.multiply(back, world.rotations[:, child])
        moved[child] = rotation.rotate(back, world.positions[:, child] - places)
    return with_places(replace(clip, rotations=rotations), moved)


def with_places(clip: Clip, moved: dict[int, np.ndarray]) -> Clip:
    """The clip with local translations of some joints set anew."""
    local = clip.all_translations()
    for joint, places in moved.items():
        local[:, joint] = places
    moving = np.array(sorted({*moved, *clip.moving.tolist()}), np.int64)
    return replace(clip, moving=moving, translations=local[:, moving])
