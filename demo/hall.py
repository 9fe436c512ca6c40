"""The hall's library skeleton and how it is posed: pelvis, trunk, planted feet and reaching hands, as curves."""

from dataclasses import dataclass, field

import numpy as np

from armuto import rotation
from armuto.rotation import FloatArray
from armuto.skeleton import Clip, Skeleton, local_rotations
from demo.curves import onto, rotated, turn, two_bones

FPS = 30.0

# name, parent, offset in metres; a T, palms down, facing +Z. Where a name begins with a dot, one exists on each side.
TREE = [
    ("Hips", None, (0, 0.93, 0)),
    ("Spine", "Hips", (0, 0.10, -0.005)),
    ("Chest", "Spine", (0, 0.19, -0.005)),
    ("Neck", "Chest", (0, 0.235, 0.0)),
    ("Head", "Neck", (0, 0.095, 0.015)),
    (".Collar", "Chest", (0.03, 0.185, 0.0)),
    (".UpperArm", ".Collar", (0.145, 0.0, -0.01)),
    (".Forearm", ".UpperArm", (0.285, 0.0, 0.0)),
    (".Hand", ".Forearm", (0.25, 0.0, 0.0)),
    (".Thigh", "Hips", (0.095, -0.035, 0)),
    (".Shin", ".Thigh", (0, -0.415, 0)),
    (".Foot", ".Shin", (0, -0.39, 0)),
    (".Toes", ".Foot", (0, -0.065, 0.135)),
]
ENDS = {"Head": (0, 0.19, 0.01), ".Hand": (0.17, 0, 0.0), ".Toes": (0, -0.005, 0.075)}
ANKLE, BALL, HEEL = 0.09, np.array([0, -0.065, 0.135]), np.array([0, -0.09, -0.045])
SIDES = (("Left", 1), ("Right", -1))


def skeleton() -> Skeleton:
    rows: list[tuple[str, str | None, tuple[float, float, float]]] = []
    for name, parent, offset in TREE:
        if name[0] != ".":
            rows.append((name, parent, offset))
    for side, sign in SIDES:
        for name, parent, (x, y, z) in (row for row in TREE if row[0][0] == "."):
            rows.append((side + name[1:], side + parent[1:] if parent[0] == "." else parent, (sign * x, y, z)))
    # The root stands at the origin in the file; its height is in the motion, as captures have it.
    names = [row[0] for row in rows]
    ends = [
        (names.index(n), (sign * e[0], e[1], e[2]))
        for key, e in ENDS.items()
        for side, sign in SIDES
        if (n := key if key[0] != "." else side + key[1:]) in names and (key[0] == "." or side == "Left")
    ]
    offsets = np.array([row[2] for row in rows], float)
    offsets[0] = 0
    return Skeleton(
        tuple(names),
        np.array([names.index(row[1]) if row[1] else -1 for row in rows]),
        offsets,
        np.tile(rotation.IDENTITY, (len(rows), 1)),
        np.array([end[0] for end in ends]),
        np.array([end[1] for end in ends], float),
    )


@dataclass
class FootCurve:
    """ankle: ``(F, 3)``. pitch: degrees, toes up positive. yaw: degrees outwards from +Z about +Y. toes: degrees up."""

    ankle: FloatArray
    pitch: FloatArray
    yaw: FloatArray
    toes: FloatArray


@dataclass
class HandCurve:
    """A hand by place: goal ``(F, 3)`` of the wrist, where the elbow points, and local turns of the hand."""

    goal: FloatArray
    elbow: FloatArray
    wrist: FloatArray


@dataclass
class ArmCurve:
    """A hanging arm by angles in degrees: lowered from the T, swung forwards, bent at the elbow, and the wrist's turn."""

    lowered: FloatArray
    swung: FloatArray
    bent: FloatArray
    wrist: FloatArray


@dataclass
class Performance:
    """All curves of one clip. Rotations are local ``(F, 4)``; missing ones stay at rest."""

    name: str
    hips: FloatArray
    pelvis: FloatArray
    feet: dict[str, FootCurve]
    arms: dict[str, HandCurve | ArmCurve]
    local: dict[str, FloatArray] = field(default_factory=dict)


def stood(at: FloatArray, x: float, z: float = 0.0, yaw: float = 0.0) -> FootCurve:
    """A foot that stands flat at one place throughout."""
    zero = np.zeros_like(at)
    return FootCurve(np.tile([x, ANKLE, z], (len(at), 1)), zero, zero + yaw, zero)


def perform(performance: Performance) -> Clip:
    """Solve the limbs of a performance and return it as a clip."""
    body = skeleton()
    frames = len(performance.hips)
    world_q = np.tile(rotation.IDENTITY, (frames, len(body), 1))
    world_p = np.zeros((frames, len(body), 3))

    def place(name: str, q: FloatArray | None = None) -> None:
        """Set a joint from its parent: local turn ``q``, or the performance's own, or none."""
        joint = body.index[name]
        parent = int(body.parents[joint])
        local = performance.local.get(name, rotation.IDENTITY) if q is None else q
        world_q[:, joint] = rotation.multiply(world_q[:, parent], local)
        world_p[:, joint] = world_p[:, parent] + rotated(world_q[:, parent], body.rest_translation[joint])

    world_p[:, 0], world_q[:, 0] = performance.hips, performance.pelvis
    for name in ("Spine", "Chest", "Neck", "Head"):
        place(name)
    for side, sign in SIDES:
        _arm(performance, body, side, sign, world_q, world_p, place)
        _leg(performance, body, side, world_q, world_p, place)
    rotations = rotation.continuous(local_rotations(body, world_q))
    return Clip(performance.name, body, FPS, rotations, np.array([0]), world_p[:, :1].copy())


def _arm(performance, body, side, sign, world_q, world_p, place) -> None:
    place(f"{side}Collar")
    curve = performance.arms[side]
    if isinstance(curve, ArmCurve):
        lowered = turn(z=-sign * curve.lowered)
        place(f"{side}UpperArm", rotation.multiply(turn(x=-curve.swung), lowered))
        place(f"{side}Forearm", turn(y=-sign * curve.bent))
        place(f"{side}Hand", curve.wrist)
        return
    place(f"{side}UpperArm")
    upper, fore, hand = (body.index[f"{side}{name}"] for name in ("UpperArm", "Forearm", "Hand"))
    lengths = [float(np.linalg.norm(body.rest_translation[joint])) for joint in (fore, hand)]
    elbow, wrist = two_bones(world_p[:, upper], curve.goal, curve.elbow, *lengths)
    inside = (world_p[:, upper] + wrist) / 2 - elbow
    world_q[:, upper] = onto([sign, 0, 0], [0, 0, 1], elbow - world_p[:, upper], inside)
    world_p[:, fore] = elbow
    world_q[:, fore] = onto([sign, 0, 0], [0, 0, 1], wrist - elbow, inside)
    place(f"{side}Hand", curve.wrist)


def _leg(performance, body, side, world_q, world_p, place) -> None:
    curve = performance.feet[side]
    place(f"{side}Thigh")
    thigh, shin, foot, toes = (body.index[f"{side}{name}"] for name in ("Thigh", "Shin", "Foot", "Toes"))
    lengths = [float(np.linalg.norm(body.rest_translation[joint])) for joint in (shin, foot)]
    heading = turn(y=curve.yaw)
    pole = rotated(heading, [0, 0, 1]) * 0.6 + rotated(performance.pelvis, [0, 0, 1]) * 0.4
    knee, ankle = two_bones(world_p[:, thigh], curve.ankle, pole, *lengths)
    world_q[:, thigh] = onto([0, -1, 0], [0, 0, 1], knee - world_p[:, thigh], pole)
    world_p[:, shin] = knee
    world_q[:, shin] = onto([0, -1, 0], [0, 0, 1], ankle - knee, pole)
    world_p[:, foot] = ankle
    world_q[:, foot] = rotation.multiply(heading, turn(x=-curve.pitch))
    world_p[:, toes] = ankle + rotated(world_q[:, foot], body.rest_translation[toes])
    world_q[:, toes] = rotation.multiply(world_q[:, foot], turn(x=-curve.toes))
