"""The same motion on skeletons whose zero pose is no posture: bones along one axis, folded, at random, in
mid-action."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from scipy.spatial.transform import Rotation

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.pose import local_rotations
from armuto.kinematics.skeleton import Skeleton

ZEROES = ("one axis", "folded", "random", "action")


def rested(clip: Clip, rng: np.random.Generator, kind: str, spread: bool = True) -> Clip:
    """The clip, joint positions and all, on a skeleton that rests otherwise with all rotations at zero.

    "one axis": every bone lies along one axis of the file; branches get a joint of their own for each of their bones,
    as such files have. "folded": bones along any of the six axes. "random": in any direction. "action": as in a frame
    of the clip.
    """
    if kind == "action":
        frame = int(rng.integers(clip.frames))
        return resting(clip, clip.world().rotations[frame])
    if kind in ("one axis", "folded"):
        clip = _with_branches(clip)
    skeleton = clip.skeleton
    axes = np.concatenate([np.eye(3), -np.eye(3)])
    along = axes[int(rng.integers(6))]
    frames = np.tile(rotation.IDENTITY, (len(skeleton), 1))
    for joint in range(len(skeleton)):
        below = skeleton.children[joint]
        if kind == "random":
            frames[joint] = Rotation.random(rng=rng).as_quat()
        elif len(below) == 1:
            # With this frame at zero, the bone from this joint lies along the axis.
            away = rotation.rotate(skeleton.rest.rotations[joint], skeleton.rest_translation[below[0]])
            wanted = along if kind == "one axis" else axes[int(rng.integers(6))]
            frames[joint] = rotation.between(away, wanted)
    return resting(clip, rotation.multiply(frames, skeleton.rest.rotations))


def resting(clip: Clip, world: FloatArray) -> Clip:
    """The clip on joint frames with which the body, at zero, stands with these world rotations ``(J, 4)``."""
    skeleton = clip.skeleton
    moved = clip.world()
    # New joint frames: at zero all of them are the world's own, so the old frame is `world` there.
    turns = rotation.multiply(moved.rotations, rotation.inverse(world))
    offsets = skeleton.rest_translation.copy()
    shifts = clip.translations.copy()
    for joint, parent in enumerate(skeleton.parents):
        if parent >= 0:
            offsets[joint] = rotation.rotate(world[parent], offsets[joint])
    for column, joint in enumerate(clip.moving):
        if skeleton.parents[joint] >= 0:
            shifts[:, column] = rotation.rotate(world[skeleton.parents[joint]], shifts[:, column])
    ends = skeleton.end_offsets
    if len(ends):
        ends = rotation.rotate(world[skeleton.end_parents], ends)
    made = replace(
        skeleton,
        rest_translation=offsets,
        rest_rotation=np.tile(rotation.IDENTITY, (len(skeleton), 1)),
        end_offsets=ends,
    )
    return replace(clip, skeleton=made, rotations=local_rotations(made, turns), translations=shifts)


def _with_branches(clip: Clip) -> Clip:
    """The clip with a joint more on the way to every child of a joint that has several, on the joint's own place."""
    old = clip.skeleton
    names, parents, offsets, place = [], [], [], {}
    for joint, name in enumerate(old.names):
        parent = int(old.parents[joint])
        above = place[parent] if parent >= 0 else -1
        if parent >= 0 and len(old.children[parent]) > 1:
            names.append(f"{name}_base")
            parents.append(above)
            offsets.append(np.zeros(3))
            above = len(names) - 1
        place[joint] = len(names)
        names.append(name)
        parents.append(above)
        offsets.append(old.rest_translation[joint])
    count, rows = len(names), [place[joint] for joint in range(len(old))]
    rest = np.tile(rotation.IDENTITY, (count, 1))
    rest[rows] = old.rest_rotation
    turns = np.tile(rotation.IDENTITY, (clip.frames, count, 1))
    turns[:, rows] = clip.rotations
    made = Skeleton(
        tuple(names),
        np.array(parents),
        np.array(offsets),
        rest,
        np.array([place[int(joint)] for joint in old.end_parents], np.int64),
        old.end_offsets,
        old.file_frame,
    )
    return replace(clip, skeleton=made, rotations=turns, moving=np.array([place[int(joint)] for joint in clip.moving]))


def in_file_axes(clip: Clip, turn: FloatArray, unit: float) -> Clip:
    """The clip as a file with other axes and unit would hold it: roots turned by ``turn (4,)``, lengths over
    ``unit``."""
    skeleton = clip.skeleton
    roots = np.flatnonzero(skeleton.parents < 0)
    rest, offsets = skeleton.rest_rotation.copy(), skeleton.rest_translation / unit
    offsets[roots] = rotation.rotate(turn, offsets[roots])
    rotations, shifts = clip.rotations.copy(), clip.translations / unit
    rotations[:, roots] = rotation.multiply(turn, rotations[:, roots])
    moving = np.isin(clip.moving, roots)
    shifts[:, moving] = rotation.rotate(turn, shifts[:, moving])
    made = replace(skeleton, rest_translation=offsets, rest_rotation=rest, end_offsets=skeleton.end_offsets / unit)
    return replace(clip, skeleton=made, rotations=rotations, translations=shifts)


def names_kept(skeleton: Skeleton, names: dict[str, str]) -> Skeleton:
    """The skeleton with some joints renamed."""
    return replace(skeleton, names=tuple(names.get(name, name) for name in skeleton.names))
