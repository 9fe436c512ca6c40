"""A mesh with its new bones as .glb: everything as it was, with joints, weights and skins added.

Positions, normals, texture coordinates, materials and images stay in their buffers, bit for bit. Since a skinned mesh
stands where its joints have it, and not where its node does, the node's place goes into inverse bind matrices (glTF
2.0, skins): a skin for each node that carries a mesh.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from armuto.formats.gltf.building import ARRAY, BYTE, FLOAT, SHORT, Store, four_heaviest
from armuto.formats.gltf.container import Json
from armuto.formats.gltf.reading import tree_of
from armuto.kinematics import rotation
from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.kinematics.skeleton import FileFrame, Skeleton
from armuto.rigging.reading import BareMesh

DROPPED = ("animations", "skins")


def rigged_glb(mesh: BareMesh, skeleton: Skeleton, weights: FloatArray, kept: BoolArray | None = None) -> bytes:
    """The file with a skin: skeleton in metres, weights ``(P, J)`` of the mesh's points. kept ``(T,)``: the triangles
    that are not left out, all where nothing is said."""
    kept = np.ones(len(mesh.faces), bool) if kept is None else kept
    held = mesh.held
    store = Store.continued(held)
    tree = store.tree
    for key in DROPPED:
        tree.pop(key, None)
    nodes: list[Json] = tree["nodes"]
    first = len(nodes)
    places = joint_matrices(skeleton, mesh.frame)
    nodes += _joint_nodes(skeleton, places, first)
    roots = [first + joint for joint in range(len(skeleton)) if skeleton.parents[joint] < 0]
    world = tree_of(held).world
    for node in sorted({node for node, _ in mesh.primitives}):
        skinned = _skinned_mesh(tree, store, mesh, node, weights, kept)
        nodes[node].pop("mesh")
        nodes[node].pop("weights", None)
        if skinned is None:
            continue
        binds = np.linalg.inv(places) @ world[node]
        rows = binds.transpose(0, 2, 1).reshape(-1, 16).astype("<f4")
        rows[:, [3, 7, 11]], rows[:, 15] = 0, 1
        skins = tree.setdefault("skins", [])
        skins.append(
            {
                "joints": list(range(first, first + len(skeleton))),
                "inverseBindMatrices": store.add(rows, "MAT4", FLOAT),
                "skeleton": roots[0],
            }
        )
        # On a node of its own, which nothing above it seems to move.
        own = {key: value for key, value in nodes[node].items() if key in ("name", "extras")}
        nodes.append(own | {"mesh": skinned, "skin": len(skins) - 1})
        roots.append(len(nodes) - 1)
    scenes = tree.setdefault("scenes", [{"nodes": []}])
    shown = tree.get("scene", 0)
    scenes[shown] = scenes[shown] | {"nodes": [*scenes[shown].get("nodes", []), *roots]}
    return store.glb()


def joint_matrices(skeleton: Skeleton, frame: FileFrame) -> FloatArray:
    """World transforms ``(J, 4, 4)`` of joints at rest in the file's own space."""
    back = rotation.inverse(np.array(frame.turn))
    out = np.tile(np.eye(4), (len(skeleton), 1, 1))
    turned = rotation.multiply(back, skeleton.rest.rotations)
    for k in range(3):
        out[:, :3, k] = rotation.rotate(turned, np.eye(3)[k])
    out[:, :3, 3] = rotation.rotate(back, skeleton.rest.positions) / frame.unit
    return out


def _joint_nodes(skeleton: Skeleton, places: FloatArray, first: int) -> list[Json]:
    out: list[Json] = []
    for joint, name in enumerate(skeleton.names):
        parent = int(skeleton.parents[joint])
        local = places[joint] if parent < 0 else np.linalg.inv(places[parent]) @ places[joint]
        row: Json = {
            "name": name,
            "translation": local[:3, 3].tolist(),
            "rotation": rotation.from_matrix(local[:3, :3]).clip(-1, 1).tolist(),
        }
        if skeleton.children[joint]:
            row["children"] = [first + child for child in skeleton.children[joint]]
        out.append(row)
    return out


def _skinned_mesh(
    tree: Json, store: Store, mesh: BareMesh, node: int, weights: FloatArray, kept: BoolArray
) -> int | None:
    """A copy of a node's mesh whose primitives have weights; the number of it, or None where all is left out. Lines and
    points have no weights and are left out as well."""
    own: Json = tree["meshes"][mesh.held.rows("nodes")[node]["mesh"]]
    primitives: list[Any] = []
    triangles = mesh.owners[mesh.faces[:, 0]]
    for number, (carrier, place) in enumerate(mesh.primitives):
        chosen = triangles == number
        if carrier != node or (chosen.any() and not kept[chosen].any()):
            continue
        row = dict(own["primitives"][place])
        rows = np.flatnonzero(mesh.owners == number)
        joints, shares = four_heaviest(weights[rows])
        wide = weights.shape[1] > 256
        joints = joints.astype("<u2" if wide else "u1")
        row["attributes"] = row["attributes"] | {
            "JOINTS_0": store.add(joints, "VEC4", SHORT if wide else BYTE, ARRAY),
            "WEIGHTS_0": store.add(shares.astype("<u2"), "VEC4", SHORT, ARRAY, normalized=True),
        }
        if not kept[chosen].all():
            row["indices"] = store.add_faces(mesh.faces[chosen & kept] - rows[0], len(rows))
        primitives.append(row)
    if not primitives:
        return None
    tree["meshes"].append(own | {"primitives": primitives})
    return len(tree["meshes"]) - 1
