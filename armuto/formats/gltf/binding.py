"""The pose in which a mesh was bound to its skeleton, against the pose its nodes rest in."""

from __future__ import annotations

import copy
from dataclasses import replace

import numpy as np

from armuto.formats.gltf.container import GltfFile, to_glb
from armuto.formats.gltf.reading import inverse_binds, tree_of
from armuto.formats.gltf.writing import self_contained
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray


def bound(held: GltfFile) -> dict[int, FloatArray]:
    """World transform ``(4, 4)`` of every skinned joint's node when the mesh was bound.

    A skin says it up to one transform common to all its joints (glTF 2.0, skins): that of the joint nearest to the root
    is taken to agree.
    """
    tree = tree_of(held)
    depth = {n: place for place, n in enumerate(tree.order)}
    out: dict[int, FloatArray] = {}
    for skin in held.rows("skins"):
        joints = [int(n) for n in skin["joints"]]
        binds = inverse_binds(held, skin)
        usable = np.abs(np.linalg.det(binds[:, :3, :3])) > 1e-18
        if not usable.all():
            continue
        first = min(range(len(joints)), key=lambda k: depth[joints[k]])
        common = tree.world[joints[first]] @ binds[first]
        for node, bind in zip(joints, binds, strict=True):
            out.setdefault(node, common @ np.linalg.inv(bind))
    return out


def disagreement(held: GltfFile) -> tuple[float, float]:
    """Largest distance (in the file's unit) and turn (degrees) between a joint as bound and as it rests."""
    world = tree_of(held).world
    far = turned = 0.0
    for node, bound_at in bound(held).items():
        rest_at = world[node]
        far = max(far, float(np.linalg.norm(bound_at[:3, 3] - rest_at[:3, 3])))
        step = rotation.multiply(
            rotation.inverse(rotation.from_matrix(rest_at[:3, :3])), rotation.from_matrix(bound_at[:3, :3])
        )
        turned = max(turned, float(np.degrees(rotation.angle(step))))
    return far, turned


def at_bind(held: GltfFile) -> bytes:
    """The file as .glb with its joints resting in the pose in which the mesh was bound."""
    tree, bound_at = tree_of(held), bound(held)
    made = copy.deepcopy(held.json)
    world: dict[int, FloatArray] = {}
    for n in tree.order:
        above = world[int(tree.parents[n])] if tree.parents[n] >= 0 else np.eye(4)
        old_above = tree.world[int(tree.parents[n])] if tree.parents[n] >= 0 else np.eye(4)
        own = np.linalg.inv(old_above) @ tree.world[n]
        if n in bound_at:
            own = np.linalg.inv(above) @ bound_at[n]
            scale = np.linalg.norm(own[:3, :3], axis=0)
            node = made["nodes"][n]
            node.pop("matrix", None)
            node["translation"] = own[:3, 3].tolist()
            node["rotation"] = rotation.from_matrix(own[:3, :3] / scale).clip(-1, 1).tolist()
            node.pop("scale", None)
            if np.abs(scale - 1).max() > 1e-6:
                node["scale"] = scale.tolist()
        world[n] = above @ own
    if len(held.buffers) == 1:
        made["buffers"] = [{"byteLength": len(held.buffers[0])}]
        return to_glb(made, held.buffers[0])
    return self_contained(replace(held, json=made), {})[0]
