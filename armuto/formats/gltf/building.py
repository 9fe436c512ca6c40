"""Building a .glb from its parts: for figures that arrive in other formats, and for those that are made."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from armuto.formats.gltf.container import GltfFile, Json, editable, to_glb
from armuto.kinematics.arrays import FloatArray

ARRAY, ELEMENTS = 34962, 34963
FLOAT, BYTE, SHORT, LONG = 5126, 5121, 5123, 5125


@dataclass(frozen=True)
class Node:
    """A node of the scene: name, parent's number or -1, translation (3,), rotation (4,), scale (3,)."""

    name: str
    parent: int
    translation: FloatArray
    rotation: FloatArray
    scale: FloatArray | None = None


@dataclass(frozen=True)
class Surface:
    """A triangle mesh with one material. points, normals ``(N, 3)``, uv ``(N, 2)``, faces ``(T, 3)``.

    weights: ``(N, S)`` share of every joint of the skin, or None for a rigid surface.
    """

    points: FloatArray
    faces: NDArray[np.int64]
    material: int | None = None
    normals: FloatArray | None = None
    uv: FloatArray | None = None
    weights: FloatArray | None = None


@dataclass(frozen=True)
class Skin:
    """joints: node numbers. binds: ``(S, 4, 4)`` inverse bind matrices, row by row."""

    joints: Sequence[int]
    binds: FloatArray


@dataclass(frozen=True)
class Body:
    """Surfaces on one node, moved by a skin or with the node."""

    name: str
    node: int
    surfaces: Sequence[Surface]
    skin: int | None = None


@dataclass(frozen=True)
class Material:
    """colour: red, green, blue, alpha in linear light. image: number of the base colour image.

    What files say beyond 0 to 1, or is no number, is brought there: other programs refuse it (glTF 2.0, 5.19 and 5.22).
    """

    name: str
    colour: tuple[float, float, float, float] = (0.8, 0.8, 0.8, 1.0)
    metal: float = 0.0
    roughness: float = 0.8
    image: int | None = None
    both_sides: bool = False

    def __post_init__(self) -> None:
        red, green, blue, alpha = (fraction(value) for value in self.colour)
        object.__setattr__(self, "colour", (red, green, blue, alpha))
        object.__setattr__(self, "metal", fraction(self.metal))
        object.__setattr__(self, "roughness", fraction(self.roughness))


def fraction(value: float) -> float:
    """A number from 0 to 1; 0 for what is none."""
    return min(1.0, max(0.0, value))


@dataclass(frozen=True)
class Track:
    """Keys of one node. path: "rotation", "translation" or "scale"; values ``(K, 4)`` or ``(K, 3)``."""

    node: int
    path: str
    times: FloatArray
    values: FloatArray


@dataclass
class Parts:
    """Everything a figure's file is made of."""

    nodes: list[Node] = field(default_factory=list)
    bodies: list[Body] = field(default_factory=list)
    skins: list[Skin] = field(default_factory=list)
    materials: list[Material] = field(default_factory=list)
    images: list[bytes] = field(default_factory=list)
    animations: list[tuple[str, list[Track]]] = field(default_factory=list)


class Store:
    """The binary chunk as it grows, with the accessors into it."""

    def __init__(self, tree: Json) -> None:
        self.tree = tree
        self.parts: list[bytes] = []
        self.length = 0

    @classmethod
    def continued(cls, held: GltfFile) -> Store:
        """One that begins with all that a file has, whose buffers become one."""
        out = cls(editable(held.json))
        starts = []
        for data in held.buffers:
            pad = -out.length % 4
            out.parts += [b"\0" * pad, data]
            starts.append(out.length + pad)
            out.length += pad + len(data)
        for view in out.tree.setdefault("bufferViews", []):
            view["byteOffset"] = view.get("byteOffset", 0) + starts[view["buffer"]]
            view["buffer"] = 0
        return out

    def view(self, data: bytes, target: int | None = None, stride: int = 0) -> int:
        pad = -self.length % 4
        self.parts += [b"\0" * pad, data]
        row: Json = {"buffer": 0, "byteOffset": self.length + pad, "byteLength": len(data)}
        if target:
            row["target"] = target
        if stride:
            row["byteStride"] = stride
        self.length += pad + len(data)
        views: list[Json] = self.tree.setdefault("bufferViews", [])
        views.append(row)
        return len(views) - 1

    def add(
        self,
        values: NDArray[np.generic],
        kind: str,
        component: int,
        target: int | None = None,
        bounds: bool = False,
        normalized: bool = False,
        stride: int = 0,
    ) -> int:
        """Store an array; the number of its accessor. stride: bytes of a row, where they are more than its kind has."""
        row: Json = {
            "bufferView": self.view(np.ascontiguousarray(values).tobytes(), target, stride),
            "componentType": component,
            "count": len(values),
            "type": kind,
        }
        if bounds:
            flat = values.reshape(len(values), -1).astype(float)
            row["min"], row["max"] = flat.min(axis=0).tolist(), flat.max(axis=0).tolist()
        if normalized:
            row["normalized"] = True
        rows: list[Json] = self.tree.setdefault("accessors", [])
        rows.append(row)
        return len(rows) - 1

    def add_faces(self, faces: NDArray[np.integer[Any]], points: int) -> int:
        """Store triangles over so many points, as narrow as these allow; the number of their accessor."""
        wide = points > 65535
        corners = faces.astype("<u4" if wide else "<u2").ravel()
        return self.add(corners, "SCALAR", LONG if wide else SHORT, ELEMENTS)

    def glb(self) -> bytes:
        """The file."""
        if self.length:
            self.tree["buffers"] = [{"byteLength": self.length}]
        return to_glb(self.tree, b"".join(self.parts))


def build(parts: Parts, generator: str = "Armuto") -> bytes:
    """The parts as .glb."""
    tree: Json = {"asset": {"version": "2.0", "generator": generator}, "scene": 0}
    nodes: list[Json] = []
    for node in parts.nodes:
        row: Json = {
            "name": node.name,
            "translation": node.translation.tolist(),
            "rotation": node.rotation.clip(-1, 1).tolist(),
        }
        if node.scale is not None and np.abs(node.scale - 1).max() > 1e-9:
            row["scale"] = node.scale.tolist()
        nodes.append(row)
    for number, node in enumerate(parts.nodes):
        if node.parent >= 0:
            nodes[node.parent].setdefault("children", []).append(number)
    tree["scenes"] = [{"nodes": [n for n, node in enumerate(parts.nodes) if node.parent < 0]}]
    tree["nodes"] = nodes
    store = Store(tree)
    _materials(parts, tree, store)
    for skin in parts.skins:
        binds = skin.binds.transpose(0, 2, 1).reshape(-1, 16).astype("<f4")
        # Row 4 of an affine matrix is exact by the standard.
        binds[:, [3, 7, 11]], binds[:, 15] = 0, 1
        tree.setdefault("skins", []).append(
            {"joints": list(skin.joints), "inverseBindMatrices": store.add(binds, "MAT4", FLOAT)}
        )
    for body in parts.bodies:
        primitives = [_primitive(surface, store) for surface in body.surfaces if len(surface.faces)]
        if not primitives:
            continue
        tree.setdefault("meshes", []).append({"name": body.name, "primitives": primitives})
        mesh = len(tree["meshes"]) - 1
        if body.skin is None:
            nodes[body.node]["mesh"] = mesh
        else:  # a skinned mesh stands at the root: only its joints move it
            nodes.append({"name": body.name, "mesh": mesh, "skin": body.skin})
            tree["scenes"][0]["nodes"].append(len(nodes) - 1)
    for name, tracks in parts.animations:
        _animation(name, tracks, tree, store)
    return store.glb()


def _materials(parts: Parts, tree: Json, store: Store) -> None:
    for data in parts.images:
        kind = "image/png" if data[:4] == b"\x89PNG" else "image/jpeg"
        tree.setdefault("images", []).append({"bufferView": store.view(data), "mimeType": kind})
        tree.setdefault("textures", []).append({"source": len(tree["images"]) - 1})
    for material in parts.materials:
        pbr: Json = {
            "baseColorFactor": list(material.colour),
            "metallicFactor": material.metal,
            "roughnessFactor": material.roughness,
        }
        if material.image is not None:
            pbr["baseColorTexture"] = {"index": material.image}
        row: Json = {"name": material.name, "pbrMetallicRoughness": pbr}
        if material.both_sides:
            row["doubleSided"] = True
        tree.setdefault("materials", []).append(row)


def _primitive(surface: Surface, store: Store) -> Json:
    attributes = {"POSITION": store.add(surface.points.astype("<f4"), "VEC3", FLOAT, ARRAY, bounds=True)}
    normals = surface.normals if surface.normals is not None else smooth_normals(surface.points, surface.faces)
    attributes["NORMAL"] = store.add(normals.astype("<f4"), "VEC3", FLOAT, ARRAY)
    if surface.uv is not None:
        attributes["TEXCOORD_0"] = store.add(surface.uv.astype("<f4"), "VEC2", FLOAT, ARRAY)
    if surface.weights is not None:
        joints, shares = four_heaviest(surface.weights)
        many = surface.weights.shape[1] > 256
        kind = ("<u2", SHORT) if many else ("u1", BYTE)
        attributes["JOINTS_0"] = store.add(joints.astype(kind[0]), "VEC4", kind[1], ARRAY)
        attributes["WEIGHTS_0"] = store.add(shares.astype("<u2"), "VEC4", SHORT, ARRAY, normalized=True)
    row: Json = {"attributes": attributes, "indices": store.add_faces(surface.faces, len(surface.points))}
    if surface.material is not None:
        row["material"] = surface.material
    return row


def _animation(name: str, tracks: Sequence[Track], tree: Json, store: Store) -> None:
    animation: Json = {"name": name, "channels": [], "samplers": []}
    inputs: dict[bytes, int] = {}
    for track in tracks:
        times = track.times.astype("<f4")
        key = times.tobytes()
        if key not in inputs:
            inputs[key] = store.add(times, "SCALAR", FLOAT, bounds=True)
        kind = "VEC4" if track.path == "rotation" else "VEC3"
        sampler = {"input": inputs[key], "output": store.add(track.values.astype("<f4"), kind, FLOAT)}
        animation["samplers"].append(sampler)
        target = {"node": track.node, "path": track.path}
        animation["channels"].append({"sampler": len(animation["samplers"]) - 1, "target": target})
    if tracks:
        tree.setdefault("animations", []).append(animation)


def smooth_normals(points: FloatArray, faces: NDArray[np.int64]) -> FloatArray:
    """Normals ``(N, 3)`` from the faces around each point, weighted by their area."""
    a, b, c = (points[faces[:, k]] for k in range(3))
    square = np.cross(b - a, c - a)
    out = np.zeros_like(points)
    for k in range(3):
        np.add.at(out, faces[:, k], square)
    length = np.linalg.norm(out, axis=1, keepdims=True)
    return np.where(length > 1e-20, out / np.where(length > 1e-20, length, 1.0), [0.0, 1.0, 0.0])


def four_heaviest(weight: FloatArray) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """The four heaviest joints per vertex and their weights as whole numbers that add up to exactly 65535.

    The fifth heaviest is taken off all of them, so that a joint fades out instead of dropping out along the surface.
    """
    if weight.shape[1] < 5:
        weight = np.pad(weight, ((0, 0), (0, 5 - weight.shape[1])))
    order = np.argsort(-weight, axis=1, kind="stable")
    joints = order[:, :4]
    fifth = np.take_along_axis(weight, order[:, 4:5], axis=1)
    heavy = np.take_along_axis(weight, joints, axis=1)
    share = np.maximum(heavy - fifth, 0.0)
    share = np.where(share.sum(axis=1, keepdims=True) > 1e-9, share, heavy)
    share[share.sum(axis=1) <= 0] = [1, 0, 0, 0]
    share = share / share.sum(axis=1, keepdims=True) * 65535
    whole = np.floor(share).astype(np.int64)
    short = 65535 - whole.sum(axis=1)
    remainder = np.argsort(-(share - whole), axis=1, kind="stable")
    for k in range(4):
        whole[np.arange(len(whole)), remainder[:, k]] += short > k
    return np.where(whole > 0, joints, 0), whole
