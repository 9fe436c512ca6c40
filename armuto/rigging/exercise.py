"""Postures that try a figure's weights, and a clip that goes through all of them.

They are told by where limbs point, not by angles from the rest pose: arms go up from a T, from an A or from the thighs.
"""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.pose import world_pose
from armuto.kinematics.skeleton import Skeleton
from armuto.rigging.landmarks import SIDES, Landmarks

FPS = 30.0
HELD, BETWEEN = 8, 16  # frames in which a posture stands, and in which it is come to


@dataclass(frozen=True)
class TestPosture:
    """points: where bones point, as shares of outwards, up and ahead, by the bone's name without its side. bends:
    degrees about +X of a bone, the way it bends by nature. sides: to which sides it is done."""

    name: str
    points: Mapping[str, tuple[float, float, float]]
    bends: Mapping[str, float]
    sides: tuple[str, ...] = SIDES


POSTURES = (
    TestPosture("arms down", {"upper arm": (0.15, -1, 0)}, {}),
    TestPosture("arms out", {"upper arm": (1, 0, 0)}, {}),
    TestPosture("arms up", {"upper arm": (0.2, 1, 0)}, {}),
    TestPosture("arms ahead", {"upper arm": (0, 0, 1)}, {}),
    TestPosture("elbows bent", {}, {"lower arm": 90}),
    TestPosture("hands bent", {}, {"hand": 60}),
    TestPosture(
        "fists", {}, {f"{finger} {n}": 70 for finger in ("index", "middle", "ring", "little") for n in (1, 2, 3)}
    ),
    TestPosture("bowed", {}, {"spine 1": 25, "spine 2": 25, "chest": 25}),
    TestPosture("bent back", {}, {"spine 1": -12, "spine 2": -12, "chest": -12}),
    TestPosture("chin down", {}, {"neck": 20, "head": 25}),
    TestPosture("left knee up", {"upper leg": (0, 0, 1)}, {"lower leg": 90}, ("left",)),
    TestPosture("right knee up", {"upper leg": (0, 0, 1)}, {"lower leg": 90}, ("right",)),
    TestPosture("legs apart", {"upper leg": (0.7, -1, 0)}, {}),
    TestPosture("squatting", {"upper leg": (0.25, -0.25, 1)}, {"lower leg": 110, "spine 1": 20}),
    TestPosture("on the toes", {}, {"foot": 30, "toes": -35}),
)


def posture_rotations(skeleton: Skeleton, landmarks: Landmarks, posture: TestPosture) -> FloatArray:
    """Local rotations ``(J, 4)`` of a skeleton that :func:`armuto.rigging.skeleton.skeleton_from` made."""
    local = skeleton.rest_rotation.copy()
    left, ahead, up = np.array(landmarks.side), np.array(landmarks.ahead), np.array([0.0, 1.0, 0.0])
    for name, (outwards, upwards, forwards) in posture.points.items():
        for side in posture.sides:
            joint = skeleton.index.get(f"{side} {name}")
            if joint is None:
                continue
            out = left if side == "left" else -left
            wanted = outwards * out + upwards * up + forwards * ahead
            at = world_pose(skeleton, local[None], skeleton.rest_translation[None].copy())
            here = rotation.rotate(at.rotations[0, joint], np.array([0.0, 1.0, 0.0]))
            step = rotation.between(here, wanted / np.linalg.norm(wanted))
            own = rotation.multiply(
                rotation.multiply(rotation.inverse(at.rotations[0, joint]), step), at.rotations[0, joint]
            )
            local[joint] = rotation.multiply(local[joint], own)
    for name, degrees in posture.bends.items():
        for bone in (name, *(f"{side} {name}" for side in posture.sides)):
            joint = skeleton.index.get(bone)
            if joint is not None:
                local[joint] = rotation.multiply(local[joint], rotation.about([1.0, 0.0, 0.0], np.radians(degrees)))
    return local


def posture_frames() -> dict[str, int]:
    """The frame of the clip in the middle of which each posture stands, by name."""
    return {posture.name: (n + 1) * BETWEEN + n * HELD + HELD // 2 for n, posture in enumerate(POSTURES)}


def posture_clip(skeleton: Skeleton, landmarks: Landmarks) -> Clip:
    """A clip through all postures and back to rest."""
    keys = [skeleton.rest_rotation]
    keys += [posture_rotations(skeleton, landmarks, posture) for posture in POSTURES]
    keys.append(skeleton.rest_rotation)
    frames: list[FloatArray] = []
    for number, (start, end) in enumerate(itertools.pairwise(keys)):
        shares = np.arange(BETWEEN) / BETWEEN
        eased = shares * shares * (3 - 2 * shares)
        frames += [rotation.slerp(start, end, float(share)) for share in eased]
        if number < len(POSTURES):
            frames += [end] * HELD
    frames.append(keys[-1])
    rotations = np.array(frames)
    hips = skeleton.index["hips"]
    places = np.tile(skeleton.rest_translation[hips], (len(rotations), 1, 1))
    places[:, 0, 1] -= _above_floor(skeleton, rotations)
    return Clip("test postures", skeleton, FPS, rotations, np.array([hips]), places)


def _above_floor(skeleton: Skeleton, rotations: FloatArray) -> FloatArray:
    """How far the lower foot is above where it rests ``(F,)``; who carries the hips stands upright."""
    feet = [k for k, name in enumerate(skeleton.names) if name.endswith((" foot", " toes"))]
    ends = [k for k, joint in enumerate(skeleton.end_parents) if int(joint) in feet]
    still = np.broadcast_to(skeleton.rest_translation, (len(rotations), *skeleton.rest_translation.shape)).copy()
    pose = world_pose(skeleton, rotations, still)
    heights = np.concatenate([pose.positions[:, feet, 1], pose.ends[:, ends, 1]], axis=1)
    rest = np.concatenate([skeleton.rest.positions[feet, 1], skeleton.rest.ends[ends, 1]])
    return np.asarray((heights - rest).min(axis=1))
