"""One more node above a figure's skeleton, for a root bone that the file does not have."""

from __future__ import annotations

import copy
from dataclasses import replace

import numpy as np

from armuto.formats.gltf.container import GltfFile
from armuto.formats.gltf.reading import GltfRig
from armuto.kinematics.root_joint import with_root


def with_root_node(held: GltfFile, rig: GltfRig) -> tuple[GltfFile, GltfRig]:
    """The file with a root node in the place of its topmost joints, which hang from it, and what it holds for the core
    then.

    Raises ValueError where its topmost joints hang from different nodes.
    """
    tree = copy.deepcopy(held.json)
    tops = [joint for joint, parent in enumerate(rig.skeleton.parents) if parent < 0]
    nodes = [rig.nodes[joint] for joint in tops]
    above = rig.above[tops[0]]
    if any(not np.allclose(rig.above[joint], above) for joint in tops):
        raise ValueError("its topmost bones do not hang from one place")
    skeleton = with_root(rig.skeleton)
    new = len(tree["nodes"])
    tree["nodes"].append({"name": skeleton.names[0], "children": nodes})
    holders = [
        row.setdefault("children", []) for row in tree["nodes"][:new] if set(row.get("children", ())) & set(nodes)
    ]
    holders += [scene["nodes"] for scene in tree.get("scenes", []) if set(scene.get("nodes", ())) & set(nodes)]
    for children in holders:
        children[:] = [child for child in children if child not in nodes] + [new]
    placed = np.concatenate([above[None], rig.above])
    scales = np.concatenate([[1.0], rig.scales])
    for joint in tops:
        placed[joint + 1] = np.eye(4)
        scales[joint + 1] = np.cbrt(np.linalg.det(above[:3, :3]))
    made = replace(
        rig,
        skeleton=skeleton,
        nodes=(new, *rig.nodes),
        above=placed,
        scales=scales,
        clips=(),
        weighted=frozenset(joint + 1 for joint in rig.weighted),
    )
    return replace(held, json=tree), made
