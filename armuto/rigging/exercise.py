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
from armuto.rigging.landmark_sets import SIDES
from armuto.rigging.landmarks import Landmarks

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


_TWO_LEGGED = (
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


_FOUR_LEGGED = (
    TestPosture("head down", {}, {"neck": 30, "neck 2": 20, "head": 15}),
    TestPosture("head up", {}, {"neck": -20, "neck 2": -15, "head": -10}),
    TestPosture("back arched", {}, {"spine 1": 14, "spine 2": 14, "chest": 14}),
    TestPosture("back hollow", {}, {"spine 1": -10, "spine 2": -10, "chest": -10}),
    TestPosture("left front leg ahead", {"front upper leg": (0, -1, 0.2)}, {}, ("left",)),
    TestPosture("right front leg ahead", {"front upper leg": (0, -1, 0.2)}, {}, ("right",)),
    TestPosture("front legs lifted", {}, {"front lower leg": 60, "front foot": 70}),
    TestPosture("left hind leg ahead", {"hind upper leg": (0, -0.65, 0.75)}, {"hind lower leg": 30}, ("left",)),
    TestPosture("right hind leg ahead", {"hind upper leg": (0, -0.65, 0.75)}, {"hind lower leg": 30}, ("right",)),
    TestPosture("hind legs back", {"hind upper leg": (0, -1, -0.5)}, {"hind lower leg": -20, "hind foot": -30}),
    TestPosture("legs apart", {"front upper leg": (0.4, -0.8, -0.5), "hind upper leg": (0.5, -0.9, 0.4)}, {}),
    TestPosture(
        "crouching",
        {"hind upper leg": (0.1, -0.35, 0.9), "front upper leg": (0, -0.35, -0.9)},
        {"hind lower leg": 45, "hind foot": 45, "front lower leg": 55, "front foot": 30},
    ),
    TestPosture("hind legs folded", {"hind upper leg": (0.2, -0.25, 1)}, {"hind lower leg": 45, "hind foot": 60}),
    TestPosture("on the toes", {}, {"front foot": 20, "front toes": -30, "hind foot": -20, "hind toes": -30}),
    TestPosture("tail up", {}, {"tail 1": 40, "tail 2": 20}),
    TestPosture("tail down", {}, {"tail 1": -40, "tail 2": -20}),
)
_WINGED = (
    TestPosture("wings up", {"upper wing": (0.5, 0.9, 0)}, {}),
    TestPosture("wings out", {"upper wing": (1, 0, 0)}, {}),
    TestPosture("wings down", {"upper wing": (0.4, -0.9, 0)}, {}),
    TestPosture("wings folded", {"upper wing": (0.25, -0.3, -0.9)}, {"lower wing": 110, "wing hand": 110}),
    TestPosture("head down", {}, {"neck": 30, "neck 2": 25, "neck 3": 20, "head": 10}),
    TestPosture("head up", {}, {"neck": -15, "neck 2": -15, "head": -15}),
    TestPosture("bowed", {}, {"spine 1": 15, "spine 2": 15, "chest": 15}),
    TestPosture("left leg ahead", {"upper leg": (0, -0.4, 0.9)}, {}, ("left",)),
    TestPosture("right leg ahead", {"upper leg": (0, -0.4, 0.9)}, {}, ("right",)),
    TestPosture("left foot lifted", {}, {"lower leg": 40, "foot": 60, "toes": 40}, ("left",)),
    TestPosture("right foot lifted", {}, {"lower leg": 40, "foot": 60, "toes": 40}, ("right",)),
    TestPosture("crouching", {"upper leg": (0.1, -0.2, 1)}, {"lower leg": 30, "foot": 50}),
    TestPosture("tail up", {}, {"tail 1": 30, "tail 2": 15}),
    TestPosture("tail down", {}, {"tail 1": -30, "tail 2": -15}),
)
#: By the names of body plans.
POSTURES = {"two-legged": _TWO_LEGGED, "four-legged": _FOUR_LEGGED, "winged": _WINGED}


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
            direction = outwards * out + upwards * up + forwards * ahead
            at = world_pose(skeleton, local[None], skeleton.rest_translation[None].copy())
            current = rotation.rotate(at.rotations[0, joint], np.array([0.0, 1.0, 0.0]))
            step = rotation.between(current, direction / np.linalg.norm(direction))
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


def posture_frames(plan: str) -> dict[str, int]:
    """The frame of the clip in the middle of which each posture of a body plan stands, by name."""
    return {posture.name: (n + 1) * BETWEEN + n * HELD + HELD // 2 for n, posture in enumerate(POSTURES[plan])}


def posture_clip(skeleton: Skeleton, landmarks: Landmarks) -> Clip:
    """A clip through all postures and back to rest."""
    postures = POSTURES[landmarks.plan]
    keys = [skeleton.rest_rotation]
    keys += [posture_rotations(skeleton, landmarks, posture) for posture in postures]
    keys.append(skeleton.rest_rotation)
    frames: list[FloatArray] = []
    for number, (start, end) in enumerate(itertools.pairwise(keys)):
        shares = np.arange(BETWEEN) / BETWEEN
        eased = shares * shares * (3 - 2 * shares)
        frames += [rotation.slerp(start, end, float(share)) for share in eased]
        if number < len(postures):
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
