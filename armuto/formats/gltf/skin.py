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
from armuto.kinematics.vectors import transformed


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
        carried = np.zeros((len(moved), joints))  # which joint of the rig each of the skin's is
        for column, node in enumerate(skin.joints):
            if (joint := row.get(order[node])) is not None:
                carried[column, joint] = 1.0
        for surface in body.surfaces:
            if surface.weights is None:
                continue
            total = np.maximum(surface.weights.sum(axis=1, keepdims=True), 1e-9)
            # The transforms are blended first, as one product of matrices; then each point goes through its own.
            blended = (surface.weights / total) @ moved[:, :3].reshape(len(moved), 12)
            points.append(transformed(blended, surface.points))
            weights.append(surface.weights @ carried)
    return rotation.rotate(np.array(frame.turn), np.concatenate(points) * frame.unit), np.concatenate(weights)
