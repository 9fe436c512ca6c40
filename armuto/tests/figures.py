"""Generated skeletons and motion for tests: a two-legged body, and the same body disguised."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from scipy.spatial.transform import Rotation

from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip
from armuto.kinematics.pose import local_rotations
from armuto.kinematics.skeleton import Skeleton
from armuto.pairing import Pair

# name, parent, offset in metres from the parent, in a T
BODY = [
    ("Hips", None, (0, 0.95, 0)),
    ("Spine", "Hips", (0, 0.11, -0.01)),
    ("Chest", "Spine", (0, 0.17, 0.015)),
    ("Neck", "Chest", (0, 0.21, -0.02)),
    ("Head", "Neck", (0, 0.1, 0.02)),
    *(
        (f"{side}{name}", f"{side}{parent}" if parent[0] != "_" else parent[1:], (sign * x, y, z))
        for side, sign in (("Left", 1), ("Right", -1))
        for name, parent, (x, y, z) in (
            ("Shoulder", "_Chest", (0.04, 0.15, 0.01)),
            ("Arm", "Shoulder", (0.13, 0.01, -0.01)),
            ("ForeArm", "Arm", (0.28, 0, -0.01)),
            ("Hand", "ForeArm", (0.25, 0, 0.015)),
            ("UpLeg", "_Hips", (0.09, -0.05, 0)),
            ("Leg", "UpLeg", (0.005, -0.42, 0.01)),
            ("Foot", "Leg", (0, -0.4, -0.03)),
            ("Toe", "Foot", (0.01, -0.06, 0.13)),
        )
    ),
]


def body() -> Skeleton:
    names = [row[0] for row in BODY]
    return Skeleton(
        tuple(names),
        np.array([names.index(row[1]) if row[1] else -1 for row in BODY]),
        np.array([row[2] for row in BODY], float),
        np.tile(rotation.IDENTITY, (len(BODY), 1)),
    )


def motion(skeleton: Skeleton, rng: np.random.Generator, frames: int = 20, reach: float = 1.2) -> Clip:
    """Smooth random motion of every joint about its rest, and of the root through space."""
    phase = rng.uniform(0, 2 * np.pi, (3, len(skeleton)))
    size = rng.uniform(0.1, reach, (3, len(skeleton))) / 2
    at = np.linspace(0, 2 * np.pi, frames)[:, None]
    turns = np.stack([size[k] * np.sin(at * (k + 1) + phase[k]) for k in range(3)], axis=-1)
    q = Rotation.from_rotvec(turns.reshape(-1, 3)).as_quat().reshape(frames, len(skeleton), 4)
    path = skeleton.rest_translation[0] + np.stack([np.sin(at[:, 0]), 0.1 * np.cos(at[:, 0]), at[:, 0] / 3], axis=1)
    rotations = rotation.multiply(skeleton.rest_rotation, q)
    return Clip("random", skeleton, 30.0, rotations, np.array([0]), path[:, None])


def disguised(skeleton: Skeleton, rng: np.random.Generator, yaw: float, scale: float = 1.0) -> Skeleton:
    """The same body: other names, other joint frames (rest rotations and rolls), turned by yaw (radians), scaled."""
    rest, turn = skeleton.rest, rotation.about([0, 1, 0], yaw)
    at = rotation.rotate(turn, rest.positions) * scale
    world = Rotation.random(len(skeleton), rng=rng).as_quat()
    local = local_rotations(skeleton, world[None])[0]
    offsets = at.copy()
    for joint, parent in enumerate(skeleton.parents):
        if parent >= 0:
            offsets[joint] = rotation.rotate(rotation.inverse(world[parent]), at[joint] - at[parent])
    names = tuple(f"x{rng.integers(1e9)}-{n}" for n in range(len(skeleton)))
    return replace(skeleton, names=names, rest_translation=offsets, rest_rotation=local)


def posed(skeleton: Skeleton, turns: dict[str, tuple[float, float, float]]) -> Skeleton:
    """The skeleton with another rest pose: local turns, as rotation vectors in degrees, applied to named joints."""
    rotations = skeleton.rest_rotation.copy()
    for name, degrees in turns.items():
        joint = skeleton.index[name]
        q = Rotation.from_rotvec(degrees, degrees=True).as_quat()
        rotations[joint] = rotation.multiply(rotations[joint], q)
    return replace(skeleton, rest_rotation=rotations)


def one_to_one(source: Skeleton, target: Skeleton, parts: dict[int, str]) -> list[Pair]:
    """Every joint paired with the joint of the same number, with the part it has on the source."""
    rows = enumerate(zip(source.names, target.names, strict=True))
    return [Pair(parts.get(joint), (a,), (b,), 1.0, ("given",)) for joint, (a, b) in rows]


def with_extra_joints(body: Skeleton, joints: int, rng: np.random.Generator) -> Skeleton:
    """A body with fingers and other chains added until it has this many joints."""
    names, parents = list(body.names), body.parents.tolist()
    offsets = body.rest_translation.tolist()
    hands = [body.index["LeftHand"], body.index["RightHand"]]
    while len(names) < joints:
        count = len(names)
        names.append(f"extra{count}")
        parents.append(hands[count % 2] if count % 8 < 2 else count - 2)
        offsets.append(rng.normal(0, 0.03, 3).tolist())
    return Skeleton(tuple(names), np.array(parents), np.array(offsets), np.tile(rotation.IDENTITY, (joints, 1)))
