"""The hall's body and how it is posed: pelvis, trunk, planted feet, reaching hands and curling fingers, as curves.

Clips are worked out on a body that rests in a T. :func:`recorded` then puts them on the skeleton that the hall's
recordings have: its zero pose stands with splayed legs, and every take begins with two frames of it, held for
calibration.
"""

from dataclasses import dataclass, field, replace

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.pose import local_rotations
from armuto.kinematics.skeleton import Skeleton
from demo.curves import bend_normal, hinged, rotated, turn, two_bones

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
# First joint of every finger from the wrist, and its further lengths; the thumb bends across the palm.
FINGERS = {
    "Thumb": ((0.03, -0.01, 0.03), (0.75, -0.1, 0.65), (0.036, 0.028)),
    "Index": ((0.088, 0.0, 0.029), (1, 0, 0.05), (0.042, 0.046)),
    "Middle": ((0.092, 0.002, 0.007), (1, 0, 0.0), (0.046, 0.05)),
    "Ring": ((0.087, 0.0, -0.014), (1, 0, -0.03), (0.042, 0.047)),
    "Little": ((0.079, -0.003, -0.033), (1, 0, -0.08), (0.033, 0.037)),
}
SPLAY = 13.0  # degrees by which each leg stands out in the zero pose
HELD = 2  # frames of the zero pose before every take
ENDS = {"Head": (0, 0.19, 0.01), ".Hand": (0.17, 0, 0.0), ".Toes": (0, -0.005, 0.075)}
ANKLE, BALL, HEEL = 0.09, np.array([0, -0.065, 0.135]), np.array([0, -0.09, -0.045])
SIDES = (("Left", 1), ("Right", -1))


def skeleton() -> Skeleton:
    rows: list[tuple[str, str | None, tuple[float, float, float]]] = []
    for name, parent, offset in TREE:
        if name[0] != ".":
            rows.append((name, parent, offset))
    for side, sign in SIDES:
        for name, parent, (x, y, z) in (row for row in [*TREE, *_finger_rows()] if row[0][0] == "."):
            rows.append((side + name[1:], side + parent[1:] if parent[0] == "." else parent, (sign * x, y, z)))
    # The root stands at the origin in the file; its height is in the motion, as captures have it.
    names = [row[0] for row in rows]
    tips = {f".{name}2": _along(name, 1) for name in FINGERS}
    ends = [
        (names.index(n), (sign * e[0], e[1], e[2]))
        for key, e in (ENDS | tips).items()
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


def _finger_rows() -> list[tuple[str, str, tuple[float, float, float]]]:
    rows = []
    for name, (start, _, _) in FINGERS.items():
        rows += [(f".{name}1", ".Hand", start), (f".{name}2", f".{name}1", _along(name, 0))]
    return rows


def _along(name: str, bone: int) -> tuple[float, float, float]:
    _, way, lengths = FINGERS[name]
    x, y, z = np.array(way) / np.linalg.norm(way) * lengths[bone]
    return (round(x, 6), round(y, 6), round(z, 6))


def recorded(clip: Clip) -> Clip:
    """The clip on the skeleton of the recordings, after two frames of its zero pose.

    A joint whose rest is turned by S against the T turns by ``R · S⁻¹`` to stand as before.
    """
    body = clip.skeleton
    turned = np.tile(rotation.IDENTITY, (len(body), 1))
    for side, sign in SIDES:
        for name in ("Thigh", "Shin"):
            turned[body.index[f"{side}{name}"]] = rotation.about([0, 0, 1], sign * np.radians(SPLAY))
    offsets = body.rest_translation.copy()
    jointed = body.parents >= 0
    offsets[jointed] = rotation.rotate(turned[body.parents[jointed]], offsets[jointed])
    rest = replace(body, rest_translation=offsets)
    world = rotation.multiply(clip.world().rotations, rotation.inverse(turned))
    still = np.tile(rotation.IDENTITY, (HELD, len(body), 1))
    standing = clip.translations[:1] * [1, 0, 1] + [0, -rest.rest.positions[:, 1].min() + 0.02, 0]
    return Clip(
        clip.name,
        rest,
        clip.fps,
        rotation.continuous(np.concatenate([still, local_rotations(rest, world)])),
        clip.moving,
        np.concatenate([np.repeat(standing, HELD, axis=0), clip.translations]),
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
    """A hand by place: goal ``(F, 3)`` of the wrist, where the elbow points, and local turns of the hand.

    world: how the hand is turned in the world, instead of against the forearm.
    """

    goal: FloatArray
    elbow: FloatArray
    wrist: FloatArray | None = None
    world: FloatArray | None = None


@dataclass
class ArmCurve:
    """A hanging arm by angles in degrees: lowered from the T, swung forwards, bent at the elbow, and the wrist's
    turn."""

    lowered: FloatArray
    swung: FloatArray
    bent: FloatArray
    wrist: FloatArray


@dataclass
class Performance:
    """All curves of one clip. Rotations are local ``(F, 4)``; missing ones stay at rest.

    curl: how far the fingers of each hand are closed, 0 to 1; half open where it is missing.
    """

    name: str
    hips: FloatArray
    pelvis: FloatArray
    feet: dict[str, FootCurve]
    arms: dict[str, HandCurve | ArmCurve]
    local: dict[str, FloatArray] = field(default_factory=dict)
    curl: dict[str, FloatArray | float] = field(default_factory=dict)


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
        _fingers(performance, side, sign, place)
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
    square = bend_normal(wrist - world_p[:, upper], -curve.elbow)
    world_q[:, upper] = hinged([sign, 0, 0], [0, 0, 1], elbow - world_p[:, upper], square)
    world_p[:, fore] = elbow
    world_q[:, fore] = hinged([sign, 0, 0], [0, 0, 1], wrist - elbow, square)
    place(f"{side}Hand", rotation.IDENTITY if curve.wrist is None else curve.wrist)
    if curve.world is not None:
        world_q[:, hand] = curve.world


def _fingers(performance, side, sign, place) -> None:
    """The little finger closes a little before the index finger, as in a grip."""
    curl = np.asarray(performance.curl.get(side, 0.3), float)
    for n, name in enumerate(("Index", "Middle", "Ring", "Little")):
        bent = np.clip(curl * (0.92 + 0.06 * n) + 0.02 * n, 0, 1)
        place(f"{side}{name}1", turn(z=-sign * (4 + 76 * bent)))
        place(f"{side}{name}2", turn(z=-sign * (6 + 88 * bent)))
    place(f"{side}Thumb1", turn(y=sign * (-8 + 38 * curl), z=-sign * (4 + 26 * curl)))
    place(f"{side}Thumb2", turn(y=sign * (4 + 40 * curl)))


def _leg(performance, body, side, world_q, world_p, place) -> None:
    curve = performance.feet[side]
    place(f"{side}Thigh")
    thigh, shin, foot, toes = (body.index[f"{side}{name}"] for name in ("Thigh", "Shin", "Foot", "Toes"))
    lengths = [float(np.linalg.norm(body.rest_translation[joint])) for joint in (shin, foot)]
    heading = turn(y=curve.yaw)
    pole = rotated(heading, [0, 0, 1]) * 0.6 + rotated(performance.pelvis, [0, 0, 1]) * 0.4
    knee, ankle = two_bones(world_p[:, thigh], curve.ankle, pole, *lengths)
    square = bend_normal(ankle - world_p[:, thigh], pole)
    world_q[:, thigh] = hinged([0, -1, 0], [0, 0, 1], knee - world_p[:, thigh], square)
    world_p[:, shin] = knee
    world_q[:, shin] = hinged([0, -1, 0], [0, 0, 1], ankle - knee, square)
    world_p[:, foot] = ankle
    world_q[:, foot] = rotation.multiply(heading, turn(x=-curve.pitch))
    world_p[:, toes] = ankle + rotated(world_q[:, foot], body.rest_translation[toes])
    world_q[:, toes] = rotation.multiply(world_q[:, foot], turn(x=-curve.toes))
