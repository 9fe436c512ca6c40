"""glTF into the core's values: which nodes are joints, how they rest, and the animations at a steady rate."""

from __future__ import annotations

from dataclasses import dataclass
from functools import reduce
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from armuto.formats.gltf import accessors
from armuto.formats.gltf.animation import SAMPLE, Channel, channels_of, frame_rate
from armuto.formats.gltf.container import GltfFile, Json
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.skeleton import Skeleton, unique_names
from armuto.kinematics.vectors import transformed

UNEVEN = 1.01  # ratio of two scales from which on they are not the same
LONGEST = 500_000  # frames


@dataclass(frozen=True)
class GltfRig:
    """What a glTF file holds for the core, still in its own unit and axes.

    nodes: the node number of every joint. above: ``(J, 4, 4)``, for a root joint the transform of the nodes above it,
    for others the identity. scales: ``(J,)`` world scale at each joint's parent, by which local translations were
    multiplied. bounds: ``(2, 3)`` of the meshes at rest, or None without meshes. weighted: joints that carry skin
    weight.
    """

    skeleton: Skeleton
    clips: tuple[Clip, ...]
    nodes: tuple[int, ...]
    above: FloatArray
    scales: FloatArray
    bounds: FloatArray | None
    skinned: bool
    weighted: frozenset[int]
    notes: tuple[str, ...]


class Trs(NamedTuple):
    translation: FloatArray
    rotation: FloatArray
    scale: FloatArray


def _vector(held: GltfFile, node: Json, key: str, default: list[float]) -> FloatArray:
    value = node.get(key, default)
    if not isinstance(value, list) or len(value) != len(default):
        raise held.refuse(f"“{key}” of a node must have {len(default)} numbers")
    if not all(isinstance(v, (int, float)) and abs(v) < 1e9 for v in value):
        raise held.refuse(f"“{key}” of a node is not usable")
    return np.array(value, float)


def node_trs(held: GltfFile, node: Json) -> Trs:
    """Translation, rotation and scale of a node, its matrix taken apart if it has one."""
    if "matrix" in node:
        m = _vector(held, node, "matrix", [0.0] * 16).reshape(4, 4).T
        scale = np.linalg.norm(m[:3, :3], axis=0)
        if np.linalg.det(m[:3, :3]) < 0:
            scale = -scale
        if not np.all(np.abs(scale) > 1e-9):
            raise held.refuse("a node is scaled to nothing")
        return Trs(m[:3, 3].copy(), rotation.from_matrix(m[:3, :3] / scale), scale)
    return Trs(
        _vector(held, node, "translation", [0.0, 0.0, 0.0]),
        rotation.normalised(_vector(held, node, "rotation", [0.0, 0.0, 0.0, 1.0])),
        _vector(held, node, "scale", [1.0, 1.0, 1.0]),
    )


def _matrix(trs: Trs) -> FloatArray:
    out = np.eye(4)
    out[:3, :3] = rotation.to_matrix(trs.rotation) * trs.scale
    out[:3, 3] = trs.translation
    return out


class Tree(NamedTuple):
    """parents: ``(N,)`` of all nodes, -1 for a root. order: nodes, parents first. world: ``(4, 4)`` at rest by node."""

    parents: NDArray[np.int64]
    order: list[int]
    world: dict[int, FloatArray]


def tree_of(held: GltfFile) -> Tree:
    """The nodes of a file with their world transforms at rest."""
    nodes = held.rows("nodes")
    parents = np.full(len(nodes), -1, np.int64)
    for number, node in enumerate(nodes):
        parents[node.get("children", [])] = number
    order = _parents_first(nodes, parents)
    world: dict[int, FloatArray] = {}
    for n in order:
        own = _matrix(node_trs(held, nodes[n]))
        world[n] = world[int(parents[n])] @ own if parents[n] >= 0 else own
    return Tree(parents, order, world)


def rig(held: GltfFile) -> GltfRig:
    """Skeleton, clips and measures of a glTF file. Raises :class:`BadInput` when it holds no skeleton."""
    parents, order, world = tree_of(held)
    channels = [channels_of(held, animation) for animation in held.rows("animations")]
    notes: list[str] = []
    joint_nodes = _joint_nodes(held, parents, order, channels, notes)
    place = {n: joint for joint, n in enumerate(joint_nodes)}
    skeleton, above, scales = _skeleton(held, joint_nodes, place, parents, world, notes)
    clips = [
        clip
        for animation, found in zip(held.rows("animations"), channels, strict=True)
        if (clip := _clip(held, animation, found, skeleton, joint_nodes, above, scales, notes))
    ]
    names = unique_names(clip.name for clip in clips)
    bounds, weighted = _bounds(held, world, place)
    return GltfRig(
        skeleton,
        tuple(clip.renamed(name) for clip, name in zip(clips, names, strict=True)),
        tuple(joint_nodes),
        above,
        scales,
        bounds,
        bool(held.rows("skins")),
        frozenset(weighted),
        tuple(dict.fromkeys(notes)),
    )


def _parents_first(nodes: list[Json], parents: NDArray[np.int64]) -> list[int]:
    order, stack = [], [n for n in reversed(range(len(nodes))) if parents[n] < 0]
    while stack:
        order.append(stack.pop())
        stack += reversed(nodes[order[-1]].get("children", []))
    return order


def _joint_nodes(
    held: GltfFile, parents: NDArray[np.int64], order: list[int], channels: list[list[Channel]], notes: list[str]
) -> list[int]:
    """The nodes that are joints, parents first.

    With skins: their joints, the nodes between them, and animated nodes above them. Without: everything below the
    topmost animated nodes.
    """
    nodes = held.rows("nodes")
    moved = {channel.node for animation in channels for channel in animation}
    listed = _skin_joints(held)
    if listed:
        chosen = _between(listed, moved, parents)
        extra = moved - chosen
        if extra:
            notes.append(f"{len(extra)} animated nodes outside the skeleton are left as they are.")
    elif moved:
        chosen = _below_animated(order, moved, parents)
    elif held.rows("meshes"):
        raise held.refuse(
            "its mesh has no bones: there is no skin and no animation in it, so bind the mesh to a skeleton"
        )
    else:
        raise held.refuse("it holds neither a skeleton nor motion")
    return [n for n in order if n in chosen and ("camera" not in nodes[n] or n in moved or n in listed)]


def joints_of(held: GltfFile, skin: Json) -> list[int]:
    """The nodes of a skin's joints. Raises :class:`BadInput` where it has none, or one that does not exist."""
    joints = skin.get("joints", [])
    if not isinstance(joints, list) or not joints:
        raise held.refuse("a skin has no joints")
    for joint in joints:
        held.row("nodes", joint)
    return joints


def _skin_joints(held: GltfFile) -> set[int]:
    return {joint for skin in held.rows("skins") for joint in joints_of(held, skin)}


def _line_up(node: int, parents: NDArray[np.int64]) -> list[int]:
    """A node and those above it, nearest first."""
    up = [node]
    while parents[up[-1]] >= 0:
        up.append(int(parents[up[-1]]))
    return up


def _between(listed: set[int], moved: set[int], parents: NDArray[np.int64]) -> set[int]:
    """Joints of skins, the nodes between them, and animated nodes above them."""
    chosen = set(listed)
    for joint in listed:
        up = _line_up(joint, parents)
        last = max(at for at, n in enumerate(up) if n in listed or n in moved)
        chosen |= set(up[: last + 1])
    return chosen


def _below_animated(order: list[int], moved: set[int], parents: NDArray[np.int64]) -> set[int]:
    """Animated nodes with all below them, under one common root, which keeps separate branches one skeleton."""
    chosen: set[int] = set()
    for n in order:
        if n in moved or parents[n] in chosen:
            chosen.add(n)
    tops = [n for n in chosen if parents[n] not in chosen]
    shared = reduce(lambda a, b: [n for n in a if n in b], (_line_up(n, parents)[1:] for n in tops))
    if len(tops) > 1 and shared:
        for top in tops:
            up = _line_up(top, parents)
            chosen |= set(up[: up.index(shared[0]) + 1])
    return chosen


def _skeleton(
    held: GltfFile,
    joint_nodes: list[int],
    place: dict[int, int],
    parents: NDArray[np.int64],
    world: dict[int, FloatArray],
    notes: list[str],
) -> tuple[Skeleton, FloatArray, FloatArray]:
    count = len(joint_nodes)
    joint_parents = np.array([place.get(int(parents[n]), -1) for n in joint_nodes], np.int64)
    above, scales = np.tile(np.eye(4), (count, 1, 1)), np.ones(count)
    carrying = {int(parents[n]) for n in joint_nodes}  # an uneven scale at the end of a chain moves no joint
    world_q, world_p = np.empty((count, 4)), np.empty((count, 3))
    for joint, n in enumerate(joint_nodes):
        linear = world[n][:3, :3]
        if abs(np.linalg.det(linear)) < 1e-18:
            raise held.refuse(f"the joint “{_name(held, n)}” is scaled to nothing")
        if np.linalg.det(linear) < 0:
            raise held.refuse(
                f"the joint “{_name(held, n)}” is mirrored by a negative scale; apply scales before exporting"
            )
        stretch = np.linalg.svd(linear, compute_uv=False)
        if stretch[0] > UNEVEN * stretch[-1] and n in carrying:
            raise held.refuse(
                f"the joint “{_name(held, n)}” is scaled unevenly, {stretch[0] / stretch[-1]:.2f} times as "
                "far one way as "
                "another, which changes the length of whatever it turns; apply scales before exporting"
            )
        world_q[joint], world_p[joint] = rotation.from_matrix(linear), world[n][:3, 3]
        up = int(parents[n])
        if up >= 0:
            scales[joint] = np.cbrt(np.linalg.det(world[up][:3, :3]))
            if joint_parents[joint] < 0:
                above[joint] = world[up]
    if np.abs(world_p).max(initial=0.0) > 1e9:
        raise held.refuse("joints lie a million kilometres away")
    local_q, local_p = world_q.copy(), world_p.copy()
    for joint, parent in enumerate(joint_parents):
        if parent >= 0:
            back = rotation.inverse(world_q[parent])
            local_q[joint] = rotation.multiply(back, world_q[joint])
            local_p[joint] = rotation.rotate(back, world_p[joint] - world_p[parent])
    names = unique_names(_name(held, n) for n in joint_nodes)
    return Skeleton(names, joint_parents, local_p, local_q), above, scales


def _name(held: GltfFile, n: int) -> str:
    return str(held.rows("nodes")[n].get("name") or f"node {n}")


def _clip(
    held: GltfFile,
    animation: Json,
    channels: list[Channel],
    skeleton: Skeleton,
    joint_nodes: list[int],
    above: FloatArray,
    scales: FloatArray,
    notes: list[str],
) -> Clip | None:
    place = {n: joint for joint, n in enumerate(joint_nodes)}
    own = [c for c in channels if c.node in place]
    name = str(animation.get("name") or "animation")
    if not own:
        notes.append(f"The animation “{name}” moves no joint and was left out.")
        return None
    rate = frame_rate(own)
    start, stop = min(c.times[0] for c in own), max(c.times[-1] for c in own)
    frames = round(float(stop - start) * rate) + 1
    if frames > LONGEST:
        raise held.refuse(f"the animation “{name}” claims {stop - start:.0f} seconds")
    at = start + np.arange(frames) / rate
    rotations = np.broadcast_to(skeleton.rest_rotation, (frames, len(skeleton), 4)).copy()
    moved: dict[int, FloatArray] = {}
    scaled: dict[int, FloatArray] = {}
    for c in own:
        joint = place[c.node]
        sampled = SAMPLE[c.interpolation](c.times, c.values, np.minimum(at, stop), c.path == "rotation")
        if c.path == "rotation":
            rotations[:, joint] = _root_rotation(rotation.normalised(sampled), above[joint], skeleton.parents[joint])
        elif c.path == "translation":
            moved[joint] = _root_translation(sampled, above[joint], scales[joint], skeleton.parents[joint])
        else:
            scaled[joint] = sampled / node_trs(held, held.rows("nodes")[c.node]).scale
            even = scaled[joint].max(axis=1) <= UNEVEN * np.abs(scaled[joint]).min(axis=1)
            if not (even.all() and np.all(scaled[joint] > 0)) and skeleton.children[joint]:
                bone = skeleton.names[joint]
                notes.append(
                    f"The animation “{name}” scales “{bone}” unevenly, which motion cannot carry, and was left out."
                )
                return None
    _scale_along(skeleton, scaled, moved, frames)
    moving = sorted(moved)
    translations = np.stack([moved[j] for j in moving], axis=1) if moving else np.zeros((frames, 0, 3))
    return Clip(name, skeleton, rate, rotations, np.array(moving, np.int64), translations)


def _scale_along(skeleton: Skeleton, scaled: dict[int, FloatArray], moved: dict[int, FloatArray], frames: int) -> None:
    """Fold scales that change over time into the translations of the joints below: lengths are as the file plays them.

    scaled: by joint its scale over that at rest ``(F, 3)``, even in all directions. moved: translations by joint, added
    to.
    """
    even = {joint: values.mean(axis=1) for joint, values in scaled.items() if np.abs(values - 1).max() > 1e-4}
    for joint in range(len(skeleton)) if even else ():
        factors = [even[ancestor] for ancestor in skeleton.ancestors(joint) if ancestor in even]
        if factors:
            own = moved.get(joint, np.broadcast_to(skeleton.rest_translation[joint], (frames, 3)))
            moved[joint] = own * np.prod(factors, axis=0)[:, None]


def _root_rotation(q: FloatArray, above: FloatArray, parent: Any) -> FloatArray:
    return rotation.multiply(rotation.from_matrix(above[:3, :3]), q) if parent < 0 else q


def _root_translation(t: FloatArray, above: FloatArray, scale: float, parent: Any) -> FloatArray:
    return np.asarray(t @ above[:3, :3].T + above[:3, 3]) if parent < 0 else t * scale


def _bounds(held: GltfFile, world: dict[int, FloatArray], place: dict[int, int]) -> tuple[FloatArray | None, set[int]]:
    """Corners of all meshes at rest, skinned ones by their joints, and the joints that carry weight."""
    lowest, highest = np.full(3, np.inf), np.full(3, -np.inf)
    weighted: set[int] = set()
    for n, node in enumerate(held.rows("nodes")):
        if "mesh" not in node or n not in world:
            continue
        primitives = held.row("meshes", node["mesh"]).get("primitives", [])
        if not isinstance(primitives, list):
            raise held.refuse("a mesh has no primitives")
        for primitive in primitives:
            attributes = primitive.get("attributes", {}) if isinstance(primitive, dict) else {}
            if "POSITION" not in attributes:
                continue
            points = accessors.read(held, attributes["POSITION"])
            if points.shape[1] != 3 or not len(points):
                raise held.refuse("a mesh has no usable positions")
            if "skin" in node and "JOINTS_0" in attributes and "WEIGHTS_0" in attributes:
                points = _skinned(held, held.row("skins", node["skin"]), attributes, points, world, place, weighted)
            else:
                points = points @ world[n][:3, :3].T + world[n][:3, 3]
            lowest, highest = np.minimum(lowest, points.min(0)), np.maximum(highest, points.max(0))
    return (np.stack([lowest, highest]) if np.isfinite(lowest).all() else None), weighted


def inverse_binds(held: GltfFile, skin: Json) -> FloatArray:
    """``(S, 4, 4)`` inverse bind matrices of a skin, row by row; identities where it has none."""
    joints: list[int] = skin["joints"]
    if "inverseBindMatrices" not in skin:
        return np.tile(np.eye(4), (len(joints), 1, 1))
    read = accessors.read(held, skin["inverseBindMatrices"])
    if read.shape[1] != 16 or len(read) < len(joints):
        raise held.refuse(f"a skin has {len(joints)} joints and {len(read)} inverse bind matrices")
    return read[: len(joints)].reshape(-1, 4, 4).transpose(0, 2, 1)


def _skinned(
    held: GltfFile,
    skin: Json,
    attributes: Json,
    points: FloatArray,
    world: dict[int, FloatArray],
    place: dict[int, int],
    weighted: set[int],
) -> FloatArray:
    joints: list[int] = skin["joints"]
    binds = inverse_binds(held, skin)
    index = accessors.read(held, attributes["JOINTS_0"]).astype(np.int64)
    weight = accessors.read(held, attributes["WEIGHTS_0"])
    if index.shape != (len(points), 4) or weight.shape != (len(points), 4) or index.max(initial=0) >= len(joints):
        raise held.refuse("the skin weights do not fit the mesh or its joints")
    weighted |= {place[joints[j]] for j in np.unique(index[weight > 1e-4]) if joints[j] in place}
    total = weight.sum(axis=1, keepdims=True)
    weight = weight / np.where(total > 0, total, 1.0)
    matrices = np.stack([world[j] for j in joints]) @ binds
    rows = matrices[:, :3].reshape(-1, 12)
    blended = weight[:, 0, None] * rows[index[:, 0]]
    for k in range(1, 4):
        blended += weight[:, k, None] * rows[index[:, k]]
    return transformed(blended, points)
