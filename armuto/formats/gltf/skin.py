"""The skin of a figure as points with weights, standing at rest in the core's own space."""

from __future__ import annotations

import numpy as np

from armuto.formats.gltf.container import GltfFile
from armuto.formats.gltf.reading import GltfRig, tree_of
from armuto.formats.gltf.scene import world
from armuto.formats.gltf.taking_apart import parts_of
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import FileFrame


def skin_of(held: GltfFile, rig: GltfRig, frame: FileFrame) -> tuple[FloatArray, FloatArray]:
    """Points ``(V, 3)`` in metres, and their weights ``(V, J)`` by joint of the rig's skeleton; none where nothing is
    skinned.

    A point at rest is the sum over its joints of weight · world transform · inverse bind matrix (glTF 2.0, skins).
    """
    parts, joints = parts_of(held), len(rig.skeleton)
    row = {node: joint for joint, node in enumerate(rig.nodes)}
    order = tree_of(held).order
    at = world(parts)
    points, weights = [np.zeros((0, 3))], [np.zeros((0, joints))]
    for body in parts.bodies:
        if body.skin is None:
            continue
        skin = parts.skins[body.skin]
        moved = np.stack([at[node] @ bind for node, bind in zip(skin.joints, skin.binds, strict=True)])
        for surface in body.surfaces:
            if surface.weights is None:
                continue
            total = np.maximum(surface.weights.sum(axis=1, keepdims=True), 1e-9)
            whole = np.concatenate([surface.points, np.ones((len(surface.points), 1))], axis=1)
            each = np.einsum("sab,vb->vsa", moved, whole)[..., :3]
            points.append(np.einsum("vs,vsa->va", surface.weights / total, each))
            own = np.zeros((len(surface.points), joints))
            for column, node in enumerate(skin.joints):
                joint = row.get(order[node])
                if joint is not None:
                    own[:, joint] += surface.weights[:, column]
            weights.append(own)
    return rotation.rotate(np.array(frame.turn), np.concatenate(points) * frame.unit), np.concatenate(weights)
