"""Posing bodies that stand on their toes: a chain of trunk bones, and legs whose foot bone never touches the ground."""

from dataclasses import dataclass, field

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.pose import local_rotations
from armuto.kinematics.skeleton import Skeleton
from demo.curves import bend_normal, hinged, rotated, smooth, turn, two_bones

FPS = 30.0
Place = tuple[float, float, float]


def body(rows: list[tuple[str, str | None, Place]], ends: dict[str, Place]) -> Skeleton:
    """A skeleton from world places. Names that begin with a dot exist once on each side, the left one as given."""
    places: dict[str, tuple[str | None, FloatArray]] = {}
    for side, sign in (("", 1), ("Left", 1), ("Right", -1)):
        for name, parent, (x, y, z) in rows:
            if bool(side) == (name[0] == "."):
                above = side + parent[1:] if parent and parent[0] == "." else parent
                places[name.replace(".", side)] = (above, np.array([sign * x, y, z]))
    names = list(places)
    at = np.array([place for _, place in places.values()])
    parents = np.array([names.index(parent) if parent else -1 for parent, _ in places.values()])
    offsets = np.where((parents >= 0)[:, None], at - at[parents], at)
    tips = []
    for key, (x, y, z) in ends.items():
        for side, sign in (("Left", 1), ("Right", -1)) if key[0] == "." else (("", 1),):
            joint = names.index(key.replace(".", side))
            tips.append((joint, np.array([sign * x, y, z]) - at[joint]))
    return Skeleton(
        tuple(names),
        parents,
        offsets,
        np.tile(rotation.IDENTITY, (len(names), 1)),
        np.array([joint for joint, _ in tips]),
        np.array([offset for _, offset in tips]),
    )


@dataclass
class Step:
    """A leg by its toes: their place ``(F, 3)``, and how far the foot bone and the toes are tipped, in degrees
    forwards."""

    toes: FloatArray
    foot: FloatArray
    curl: FloatArray


@dataclass
class Pose:
    """hips ``(F, 3)``, pelvis ``(F, 4)``, local turns by bone, and legs by the name of their upper bone."""

    name: str
    hips: FloatArray
    pelvis: FloatArray
    legs: dict[str, Step]
    local: dict[str, FloatArray] = field(default_factory=dict)


def perform(tree: Skeleton, pose: Pose, bends: dict[str, int]) -> Clip:
    """Solve the legs and return the clip. bends: 1 where the middle joint of a leg goes forwards, -1 backwards."""
    frames = len(pose.hips)
    world_q = np.tile(rotation.IDENTITY, (frames, len(tree), 1))
    world_p = np.zeros((frames, len(tree), 3))
    solved: set[int] = set()
    for joint, name in enumerate(tree.names):
        if joint in solved:
            continue
        parent = int(tree.parents[joint])
        if parent < 0:
            world_q[:, joint], world_p[:, joint] = pose.pelvis, pose.hips
            continue
        world_q[:, joint] = rotation.multiply(world_q[:, parent], pose.local.get(name, rotation.IDENTITY))
        world_p[:, joint] = world_p[:, parent] + rotated(world_q[:, parent], tree.rest_translation[joint])
        if name in pose.legs:
            lower = tree.children[joint][0]
            foot = tree.children[lower][0]
            toes = tree.children[foot][0]
            _leg(tree, pose.legs[name], bends[name], (joint, lower, foot, toes), pose.pelvis, world_q, world_p)
            solved |= {lower, foot, toes}
    rotations = rotation.continuous(local_rotations(tree, world_q))
    return Clip(pose.name, tree, FPS, rotations, np.array([0]), world_p[:, :1].copy())


def _leg(tree, step: Step, bend: int, joints, pelvis, world_q, world_p) -> None:
    upper, lower, foot, toes = joints
    offsets = tree.rest_translation
    ahead = rotated(pelvis, [0, 0, 1.0])
    heading = turn(y=np.degrees(np.arctan2(ahead[:, 0], ahead[:, 2])))
    tipped = rotation.multiply(heading, turn(x=step.foot))
    ankle = step.toes - rotated(tipped, offsets[toes])
    # Legs swing fore and aft, so they bend about the line across the body, wherever they point.
    across = rotated(heading, [-float(bend), 0, 0])
    line = ankle - world_p[:, upper]
    lengths = [float(np.linalg.norm(offsets[joint])) for joint in (lower, foot)]
    middle, reached = two_bones(world_p[:, upper], ankle, np.cross(across, line), *lengths)
    square = bend_normal(line, np.cross(across, line))
    rest_line = offsets[lower] + offsets[foot]
    rest_square = bend_normal(rest_line, np.cross([-float(bend), 0, 0], rest_line))
    for joint, child, along in ((upper, lower, middle - world_p[:, upper]), (lower, foot, reached - middle)):
        rest_pole = np.cross(rest_square, offsets[child] / np.linalg.norm(offsets[child]))
        world_q[:, joint] = hinged(offsets[child], rest_pole, along, square)
    world_p[:, lower], world_p[:, foot] = middle, reached
    world_q[:, foot] = tipped
    world_p[:, toes] = reached + rotated(tipped, offsets[toes])
    world_q[:, toes] = rotation.multiply(heading, turn(x=step.curl))


def striding(
    at: FloatArray, home: FloatArray, cycle: float, stride: float, phase: float, duty: float, lift: float,
    tip: tuple[float, float, float] = (-14, 30, 62),
) -> Step:  # fmt: skip
    """One leg of a steady gait along +Z: on the ground for ``duty`` of the cycle, at its home in the middle of that.

    tip: degrees by which the foot bone leans on landing, on leaving, and folded in mid swing.
    """
    turns = at / cycle + phase
    number, phi = np.floor(turns), turns % 1.0
    land, leave, fold = tip
    ground = (number - phase + duty / 2) * stride
    s = np.clip((phi - duty) / (1 - duty), 0, 1)
    # Off quickly, so that the body does not leave the foot behind, and down softly.
    along = ground + stride * (0.5 * smooth(s) + 0.5 * (1 - (1 - s) ** 2))
    up = lift * np.sin(np.pi * s) ** 2
    toes = np.stack([np.full_like(at, home[0]), home[1] + up, home[2] + along], axis=-1)
    stance = np.clip(phi / duty, 0, 1)
    standing = land + (leave - land) * (0.55 * stance + 0.45 * stance**3)
    folded = np.where(
        s < 0.4, leave + (fold - leave) * smooth(s / 0.4), fold + (land - fold) * smooth((s - 0.4) / 0.55)
    )
    swinging = phi >= duty
    foot = np.where(swinging, folded, standing)
    curl = np.where(swinging, 0.7 * foot * (1 - smooth((s - 0.5) / 0.4)), 0.0)
    # Toes stay flat while they carry and let go with the foot.
    curl = np.where(swinging & (s < 0.2), curl * smooth(s / 0.2), curl)
    return Step(toes, foot, curl)


def standing(at: FloatArray, home: FloatArray, lean: FloatArray | float = 0.0) -> Step:
    """A leg that stands at its home throughout."""
    return Step(np.tile(home, (len(at), 1)), np.zeros_like(at) + lean, np.zeros_like(at))
