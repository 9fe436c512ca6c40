"""A figure as a .glb: skeleton, skinned meshes, materials."""

import numpy as np

from armuto import rotation
from armuto.formats.gltf.container import Json, to_glb
from armuto.rotation import FloatArray
from armuto.skeleton import Skeleton
from demo.solids import Mesh

ARRAY, ELEMENTS = 34962, 34963


class _Store:
    def __init__(self, tree: Json) -> None:
        self.tree, self.parts, self.length = tree, [], 0

    def add(self, values: np.ndarray, kind: str, component: int, target: int | None = None, **more) -> int:
        data = np.ascontiguousarray(values).tobytes()
        pad = -self.length % 4
        self.parts += [b"\0" * pad, data]
        view: Json = {"buffer": 0, "byteOffset": self.length + pad, "byteLength": len(data)}
        if target:
            view["target"] = target
        self.length += pad + len(data)
        self.tree["bufferViews"].append(view)
        row = {"bufferView": len(self.tree["bufferViews"]) - 1, "componentType": component, "count": len(values)}
        self.tree["accessors"].append(row | {"type": kind} | more)
        return len(self.tree["accessors"]) - 1


def figure_glb(name: str, body: Skeleton, parts: list[tuple[str, str, Mesh, FloatArray]], materials: dict) -> bytes:
    """parts: name, material, mesh, weights ``(N, J)``. materials: colour, metal, roughness by name."""
    nodes: list[Json] = [
        {"name": n, "translation": t.tolist(), "rotation": q.tolist()}
        for n, t, q in zip(body.names, body.rest_translation.round(7), body.rest_rotation, strict=True)
    ]
    for node, children in zip(nodes, body.children, strict=True):
        if children:
            node["children"] = list(children)
    used = [key for key in materials if any(part[1] == key for part in parts)]
    count = len(nodes)
    tree: Json = {
        "asset": {"version": "2.0", "generator": "Tidewater Clock Museum, demo/make.py"},
        "scene": 0,
        "scenes": [{"name": name, "nodes": [0, count]}],
        "nodes": [*nodes, {"name": f"{name} body", "mesh": 0, "skin": 0}],
        "materials": [
            {
                "name": key,
                "pbrMetallicRoughness": {
                    "baseColorFactor": [*materials[key][0], 1.0],
                    "metallicFactor": materials[key][1],
                    "roughnessFactor": materials[key][2],
                },
            }
            for key in used
        ],
        "meshes": [{"name": name, "primitives": []}],
        "accessors": [],
        "bufferViews": [],
    }
    store = _Store(tree)
    for _, material, shape, weight in parts:
        joints, shares = four_heaviest(weight)
        points = shape.points.astype("<f4")
        low, high = points.min(axis=0).astype(float).tolist(), points.max(axis=0).astype(float).tolist()
        wide = len(points) > 65535
        tree["meshes"][0]["primitives"].append(
            {
                "attributes": {
                    "POSITION": store.add(points, "VEC3", 5126, ARRAY, min=low, max=high),
                    "NORMAL": store.add(shape.normals.astype("<f4"), "VEC3", 5126, ARRAY),
                    "JOINTS_0": store.add(joints.astype("u1"), "VEC4", 5121, ARRAY),
                    "WEIGHTS_0": store.add(shares.astype("<u2"), "VEC4", 5123, ARRAY, normalized=True),
                },
                "indices": store.add(
                    shape.faces.astype("<u4" if wide else "<u2").ravel(), "SCALAR", 5125 if wide else 5123, ELEMENTS
                ),
                "material": used.index(material),
            }
        )
    rest = body.rest
    binds = np.tile(np.eye(4), (count, 1, 1))
    binds[:, :3, :3] = rotation.to_matrix(rotation.inverse(rest.rotations))
    binds[:, :3, 3] = -np.einsum("jab,jb->ja", binds[:, :3, :3], rest.positions)
    matrices = store.add(binds.transpose(0, 2, 1).reshape(count, 16).astype("<f4"), "MAT4", 5126)
    tree["skins"] = [{"joints": list(range(count)), "skeleton": 0, "inverseBindMatrices": matrices}]
    tree["buffers"] = [{"byteLength": store.length}]
    return to_glb(tree, b"".join(store.parts))


def four_heaviest(weight: FloatArray) -> tuple[np.ndarray, np.ndarray]:
    """The four heaviest joints per vertex and their weights as whole numbers that add up to exactly 65535.

    The fifth heaviest is taken off all of them, so that a joint fades out instead of dropping out along the surface.
    """
    order = np.argsort(-weight, axis=1)
    joints = order[:, :4]
    fifth = np.take_along_axis(weight, order[:, 4:5], axis=1)
    share = np.maximum(np.take_along_axis(weight, joints, axis=1) - fifth, 0.0)
    share = share / share.sum(axis=1, keepdims=True) * 65535
    whole = np.floor(share).astype(int)
    short = 65535 - whole.sum(axis=1)
    order = np.argsort(-(share - whole), axis=1)
    for k in range(4):
        whole[np.arange(len(whole)), order[:, k]] += short > k
    return np.where(whole > 0, joints, 0), whole
