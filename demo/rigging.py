"""Skeletons of the museum's figures from the places of their joints, and how far each joint's influence reaches."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from scipy.spatial.transform import Rotation

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.pose import local_rotations
from armuto.kinematics.skeleton import Skeleton
from demo import solids
from demo.solids import Field, Reach

SIDES = (("L", 1), ("R", -1))
TRUNK = ("pelvis", "spine_lower", "spine_middle", "spine_upper")
UPRIGHT = ("pelvis", "spine_upper", "skull")
Places = dict[str, tuple[str | None, FloatArray]]


@dataclass(frozen=True)
class Garment:
    """One closed surface of a figure: its field, the box it lies in, what it is made of, which joints move it."""

    name: str
    field: Field
    low: tuple[float, float, float]
    high: tuple[float, float, float]
    material: str
    joints: tuple[str, ...]
    step: float = 0.0135
    softness: float = 0.022


@dataclass(frozen=True)
class Limbs:
    """Joint places of one side in metres, the left one; the right is its mirror image."""

    clavicle: tuple[float, float, float]
    shoulder: tuple[float, float, float]
    upper: float
    fore: float
    lowered: float  # degrees below the horizontal
    hip: tuple[float, float, float]
    knee: tuple[float, float, float]
    ankle: tuple[float, float, float]
    toe: tuple[float, float, float]
    # Joints of each finger from the wrist: along the forearm, upwards from the palm, towards +Z.
    fingers: dict[str, tuple[tuple[float, float, float], ...]] = field(default_factory=dict)


def places(middle: dict[str, tuple[float, float, float]], limbs: Limbs) -> Places:
    """World position of every joint at rest with its parent. middle: pelvis to skull, from below."""
    out: Places = {}
    above = None
    for name, at in middle.items():
        out[name] = (above, np.array(at, float))
        above = name
    down = np.radians(limbs.lowered)
    along = np.array([np.cos(down), -np.sin(down), 0.0])
    shoulder = np.array(limbs.shoulder)
    elbow = shoulder + limbs.upper * along + [0, 0, -0.012]
    wrist = elbow + limbs.fore * along + [0, 0, 0.022]
    chest = list(middle)[-3]
    for side, sign in SIDES:
        rows = [
            ("clavicle", chest, np.array(limbs.clavicle)),
            ("humerus", "clavicle", shoulder),
            ("ulna", "humerus", elbow),
            ("wrist", "ulna", wrist),
            ("femur", "pelvis", np.array(limbs.hip)),
            ("tibia", "femur", np.array(limbs.knee)),
            ("ankle", "tibia", np.array(limbs.ankle)),
            ("toe", "ankle", np.array(limbs.toe)),
        ]
        for name, parent, at in rows:
            out[f"{name}.{side}"] = (parent if parent in middle else f"{parent}.{side}", at * [sign, 1, 1])
    for side, sign in SIDES:
        fore = (wrist - elbow) / np.linalg.norm(wrist - elbow)
        frame = np.stack([fore, np.cross([0, 0, 1.0], fore), [0, 0, 1.0]])
        for finger, joints in limbs.fingers.items():
            above = f"wrist.{side}"
            for number, joint in enumerate(joints, 1):
                out[f"{finger}_{number}.{side}"] = (above, (wrist + np.array(joint) @ frame) * [sign, 1, 1])
                above = f"{finger}_{number}.{side}"
    return out


def mirrored(middle: dict, sided_places: dict) -> Places:
    """World position of every joint with its parent, from the middle ones and those of the left side."""
    table: Places = {name: (parent, np.array(at)) for name, (parent, at) in middle.items()}
    for side, sign in SIDES:
        for name, (parent, at) in sided_places.items():
            table[f"{name}.{side}"] = (parent if parent in middle else f"{parent}.{side}", np.array(at) * [sign, 1, 1])
    return table


def skeleton(table: Places) -> Skeleton:
    """Joints framed along their bones, as a rigger would: +Y towards the child."""
    names = list(table)
    at = np.array([row[1] for row in table.values()])
    parents = np.array([names.index(row[0]) if row[0] else -1 for row in table.values()])
    world = np.empty((len(names), 4))
    for joint, name in enumerate(names):
        children = np.flatnonzero(parents == joint)
        along = at[children].mean(axis=0) - at[joint] if len(children) else at[joint] - at[parents[joint]]
        if name in UPRIGHT:
            along = np.array([0, 1.0, 0])
        y = along / np.linalg.norm(along)
        x = np.cross(y, [0, 0, 1.0] if abs(y[2]) < 0.9 else [0, 1.0, 0])
        x /= np.linalg.norm(x)
        world[joint] = Rotation.from_matrix(np.stack([x, y, np.cross(x, y)], axis=1)).as_quat()
    local = local_rotations(Skeleton(tuple(names), parents, at, world), world[None])[0]
    offsets = at.copy()
    for joint, parent in enumerate(parents):
        if parent >= 0:
            offsets[joint] = rotation.rotate(rotation.inverse(world[parent]), at[joint] - at[parent])
    return Skeleton(tuple(names), parents, offsets, local)


def reaches(body: Skeleton, radii: dict[str, float], head: float = 0.2) -> dict[str, Reach]:
    """The stroke of every joint, from its own place to its child's or a little beyond, and its radius by kind."""
    at = body.rest.positions
    tips = {"skull": (0, head, 0.01), "toe.L": (0.004, 0, 0.08), "toe.R": (-0.004, 0, 0.08)}
    neck = next(name for name in ("neck", "skull") if name in body.index)
    out = {}
    for joint, name in enumerate(body.names):
        parent = int(body.parents[joint])
        if name in tips:
            end = at[joint] + tips[name]
        elif name.startswith("wrist"):
            along = at[joint] - at[parent]
            reach = 0.075 if body.children[joint] else 0.15
            end = at[joint] + reach * along / np.linalg.norm(along)
        elif not body.children[joint]:
            end = at[joint] + 1.1 * (at[joint] - at[parent])
        elif joint == body.parents[body.index["clavicle.L"]]:
            end = at[body.index[neck]]
        else:
            end = at[body.children[joint][0]]
        out[name] = Reach(joint, at[joint], end, radii.get(name.split(".")[0], 0.05))
    # The pelvis is as wide as the hips.
    left, right = at[body.index["femur.L"]], at[body.index["femur.R"]]
    inwards = [0.03, -0.05, 0]
    out["pelvis"] = Reach(0, left - inwards, right + np.array([0.03, 0.05, 0]), 0.66 * radii.get("pelvis", 0.15))
    return out


def simple_reaches(
    body: Skeleton, radii: dict[str, float], tips: dict[str, tuple[float, float, float]]
) -> dict[str, Reach]:
    """The stroke of every joint to its first child, or to its tip, or a little further on; radius by the name's first
    word."""
    at = body.rest.positions
    out = {}
    for joint, name in enumerate(body.names):
        parent, children = int(body.parents[joint]), body.children[joint]
        if name in tips:
            end = np.array(tips[name])
        elif children:
            end = at[children[0]]
        else:
            end = at[joint] + 0.7 * (at[joint] - at[parent])
        out[name] = Reach(joint, at[joint], end, radii.get(name.split(".")[0].rstrip("_0123456789"), 0.04))
    return out


def meshes(
    body: Skeleton, garments: list[Garment], strokes: dict[str, Reach]
) -> list[tuple[str, str, solids.Mesh, FloatArray]]:
    """Name, material, mesh and skin weights ``(N, J)`` of every garment."""
    out = []
    for garment in garments:
        shape = solids.mesh(garment.field, garment.low, garment.high, garment.step)
        rows = [strokes[name] for name in garment.joints]
        out.append((garment.name, garment.material, shape, solids.weights(shape, rows, len(body), garment.softness)))
    return out


def sided(*names: str) -> tuple[str, ...]:
    return tuple(f"{name}.{side}" for side in "LR" for name in names)
