"""A glTF file into the parts that other formats are written from: the inverse of
:mod:`armuto.formats.gltf.building`."""

from __future__ import annotations

import base64
from typing import Any

import numpy as np
from numpy.typing import NDArray

from armuto.formats.gltf import accessors
from armuto.formats.gltf.building import Body, Material, Node, Parts, Skin, Surface, Track
from armuto.formats.gltf.container import GltfFile, Json
from armuto.formats.gltf.reading import inverse_binds, joints_of, node_trs, tree_of
from armuto.kinematics.arrays import FloatArray

TRIANGLES = 4


def parts_of(held: GltfFile) -> Parts:
    """Nodes, triangle meshes, skins, materials, images and linear animations of a file; everything else is passed over.

    Nodes come parents first; their numbers in the result are given by that order.
    """
    tree = tree_of(held)
    number = {n: k for k, n in enumerate(tree.order)}
    out = Parts()
    rows = held.rows("nodes")
    for n in tree.order:
        trs = node_trs(held, rows[n])
        above = int(tree.parents[n])
        name = str(rows[n].get("name") or f"node {n}")
        out.nodes.append(Node(name, number[above] if above >= 0 else -1, trs.translation, trs.rotation, trs.scale))
    for skin in held.rows("skins"):
        out.skins.append(Skin([number[n] for n in joints_of(held, skin)], inverse_binds(held, skin)))
    out.images = [image_of(held, row) for row in held.rows("images")]
    out.materials = [_material(held, row) for row in held.rows("materials")]
    for n in tree.order:
        if "mesh" in rows[n]:
            mesh = held.row("meshes", rows[n]["mesh"])
            bound: int | None = rows[n].get("skin")
            width = len(held.row("skins", bound)["joints"]) if bound is not None else 0
            surfaces = [s for row in mesh.get("primitives", []) if (s := _surface(held, row, width)) is not None]
            out.bodies.append(Body(str(mesh.get("name") or out.nodes[number[n]].name), number[n], surfaces, bound))
    for animation in held.rows("animations"):
        out.animations.append((str(animation.get("name") or "animation"), _tracks(held, animation, number)))
    return out


def _surface(held: GltfFile, row: Json, width: int) -> Surface | None:
    attributes = row.get("attributes", {})
    if row.get("mode", TRIANGLES) != TRIANGLES or "POSITION" not in attributes:
        return None

    def attribute(name: str, numbers: int) -> FloatArray | None:
        if name not in attributes:
            return None
        values = accessors.read(held, attributes[name])
        if values.shape[1] != numbers:
            raise held.refuse(f"“{name}” of a mesh has {values.shape[1]} numbers for each point, not {numbers}")
        return values

    points = attribute("POSITION", 3)
    assert points is not None

    faces = faces_of(held, row, len(points))
    weights: FloatArray | None = None
    joints, shares = attribute("JOINTS_0", 4), attribute("WEIGHTS_0", 4)
    if width and joints is not None and shares is not None:
        if not len(joints) == len(shares) == len(points) or joints.max(initial=0) >= width:
            raise held.refuse("the skin weights do not fit the mesh or its joints")
        weights = np.zeros((len(points), width))
        for k in range(4):
            np.add.at(weights, (np.arange(len(points)), joints[:, k].astype(np.int64)), shares[:, k])
    material = row.get("material")
    return Surface(points, faces, material, attribute("NORMAL", 3), attribute("TEXCOORD_0", 2), weights)


def faces_of(held: GltfFile, row: Json, points: int) -> NDArray[np.int64]:
    """The triangles of a primitive with so many points, as numbers of its points ``(T, 3)``."""
    listed = accessors.read(held, row["indices"])[:, 0].astype(np.int64) if "indices" in row else np.arange(points)
    return listed[: len(listed) // 3 * 3].reshape(-1, 3)


def image_of(held: GltfFile, row: Json) -> bytes:
    """The bytes of an image that lies in the file. Raises :class:`BadInput`."""
    uri = row.get("uri")
    if isinstance(uri, str) and uri.startswith("data:"):
        return base64.b64decode(uri.partition(",")[2] + "==")
    return accessors.view(held, row.get("bufferView"))


def _material(held: GltfFile, row: Json) -> Material:
    surface: Any = row.get("pbrMetallicRoughness") or {}
    colour = [float(v) for v in surface.get("baseColorFactor", [1, 1, 1, 1])][:4]
    texture = surface.get("baseColorTexture")
    image = None
    if isinstance(texture, dict):
        source = held.row("textures", texture.get("index")).get("source")
        image = int(source) if isinstance(source, int) else None
    return Material(
        str(row.get("name") or "material"),
        (colour[0], colour[1], colour[2], colour[3]),
        float(surface.get("metallicFactor", 1.0)),
        float(surface.get("roughnessFactor", 1.0)),
        image,
        bool(row.get("doubleSided")),
    )


def _tracks(held: GltfFile, animation: Json, number: dict[int, int]) -> list[Track]:
    out = []
    for channel in animation.get("channels", []):
        target, sampler = channel["target"], animation["samplers"][channel["sampler"]]
        if target.get("node") in number and target.get("path") in ("rotation", "translation", "scale"):
            times: NDArray[np.float64] = accessors.read(held, sampler["input"])[:, 0]
            out.append(Track(number[target["node"]], target["path"], times, accessors.read(held, sampler["output"])))
    return out
