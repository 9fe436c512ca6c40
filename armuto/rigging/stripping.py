"""A figure without its bones: the mesh and what it is painted with, to be given others."""

from __future__ import annotations

import numpy as np

from armuto.errors import BadInput
from armuto.formats.gltf import accessors
from armuto.formats.gltf.binding import bound
from armuto.formats.gltf.building import Store
from armuto.formats.gltf.container import GltfFile, Json, editable
from armuto.formats.gltf.deforming import LEAST, VECTORS, deformed_primitive
from armuto.formats.gltf.reading import inverse_binds, tree_of
from armuto.kinematics.arrays import FloatArray

KEPT = ("asset", "materials", "textures", "samplers", "extensionsUsed", "extensionsRequired")
#: Of avatars: their bones, springs and expressions, which mean nothing to other bones.
AVATARS = ("VRM", "VRMC_")


def without_bones(held: GltfFile, standing: bool = False) -> bytes:
    """The meshes of a file as .glb, at rest as they were bound, each on a node of its own. Positions, normals, texture
    coordinates, materials and pictures are the file's, bit for bit; its bones, animations and cameras are left out.

    standing: in the pose in which its joints stand instead, with positions and normals as these have them.

    Raises :class:`BadInput` for a file without a mesh.
    """
    world, fitted = tree_of(held).world, bound(held)
    old = editable(held.json)
    tree: Json = {key: old[key] for key in KEPT if key in old}
    for key in ("extensionsUsed", "extensionsRequired"):
        kept = [name for name in tree.pop(key, []) if not str(name).startswith(AVATARS)]
        if kept:
            tree[key] = kept
    copy = _Copy(held, tree)
    nodes: list[Json] = []
    meshes: list[Json] = []
    for number, node in enumerate(held.rows("nodes")):
        if "mesh" not in node:
            continue
        place = world[number]
        own = held.row("meshes", node["mesh"])
        moving = None
        if "skin" in node:
            skin = held.row("skins", node["skin"])
            joints = [int(joint) for joint in skin["joints"]]
            binds = inverse_binds(held, skin)
            place = fitted.get(joints[0], world[joints[0]]) @ binds[0]
            if standing and abs(np.linalg.det(place)) > LEAST:
                # From where it was bound to where its joints have it, as the node has its points.
                moving = np.linalg.inv(place) @ np.array([world[joint] for joint in joints]) @ binds
        if moving is None:
            primitives = [copy.primitive(row) for row in own["primitives"]]
        else:
            primitives = [copy.posed(row, moving) for row in own["primitives"]]
        meshes.append(own | {"primitives": primitives})
        named = {key: node[key] for key in ("name", "extras") if key in node}
        nodes.append(named | {"mesh": len(meshes) - 1, "matrix": place.T.ravel().tolist()})
    if not nodes:
        raise BadInput(f"{held.file}: there is no mesh in it that bones could be given to.")
    if images := old.get("images"):
        tree["images"] = [
            row | ({"bufferView": copy.view(row["bufferView"])} if "bufferView" in row else {}) for row in images
        ]
    tree |= {"meshes": meshes, "nodes": nodes, "scenes": [{"nodes": list(range(len(nodes)))}], "scene": 0}
    return copy.store.glb()


class _Copy:
    """What is taken over from a file's buffers, each once."""

    def __init__(self, held: GltfFile, tree: Json) -> None:
        self.held, self.tree, self.store = held, tree, Store(tree)
        self.views: dict[int, int] = {}
        self.accessors: dict[int, int] = {}

    def view(self, number: int) -> int:
        if number not in self.views:
            row = self.held.row("bufferViews", number)
            begin = row.get("byteOffset", 0)
            data = self.held.buffers[row["buffer"]][begin : begin + row["byteLength"]]
            self.views[number] = self.store.view(data, row.get("target"), row.get("byteStride", 0))
        return self.views[number]

    def accessor(self, number: int) -> int:
        if number not in self.accessors:
            row = dict(self.held.row("accessors", number))
            if "bufferView" in row:
                row["bufferView"] = self.view(row["bufferView"])
            if "sparse" in row:
                parts = {key: row["sparse"][key] for key in ("indices", "values")}
                row["sparse"] = row["sparse"] | {
                    key: part | {"bufferView": self.view(part["bufferView"])} for key, part in parts.items()
                }
            rows: list[Json] = self.tree.setdefault("accessors", [])
            rows.append(row)
            self.accessors[number] = len(rows) - 1
        return self.accessors[number]

    def posed(self, row: Json, moving: FloatArray) -> Json:
        """The same where its joints have it, by matrices ``(J, 4, 4)`` of these."""
        attributes = row["attributes"]
        if "JOINTS_0" not in attributes or "WEIGHTS_0" not in attributes:
            return self.primitive(row)
        count = len(accessors.read(self.held, attributes["WEIGHTS_0"]))
        blended, total = np.zeros((count, 4, 4)), np.zeros(count)
        for number in range(2):
            if f"JOINTS_{number}" not in attributes or f"WEIGHTS_{number}" not in attributes:
                continue
            joints = accessors.read(self.held, attributes[f"JOINTS_{number}"]).astype(np.int64)
            weights = accessors.read(self.held, attributes[f"WEIGHTS_{number}"])
            if joints.shape != weights.shape or len(joints) != count or joints.max(initial=0) >= len(moving):
                raise self.held.refuse("the skin weights do not fit the mesh or its joints")
            blended += np.einsum("pk,pkij->pij", weights, moving[joints])
            total += weights.sum(axis=1)
        # What follows no joint stays where it was bound.
        rows = total > 0
        left = {key: number for key, number in attributes.items() if key not in VECTORS}
        shapes = [{key: n for key, n in each.items() if key not in VECTORS} for each in row.get("targets", [])]
        into = self.primitive(row | {"attributes": left} | ({"targets": shapes} if "targets" in row else {}))
        matrices = blended[rows] / total[rows, None, None]
        return deformed_primitive(self.held, self.store, row, rows, matrices, into)

    def primitive(self, row: Json) -> Json:
        """Without weights, and without what another compression or another's bones say of it."""
        out = {key: value for key, value in row.items() if key != "extensions"}
        out["attributes"] = {
            key: self.accessor(number)
            for key, number in row.get("attributes", {}).items()
            if not key.startswith(("JOINTS_", "WEIGHTS_"))
        }
        if "indices" in row:
            out["indices"] = self.accessor(row["indices"])
        if "targets" in row:
            out["targets"] = [{key: self.accessor(n) for key, n in each.items()} for each in row["targets"]]
        return out
