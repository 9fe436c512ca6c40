"""Figures made from those of the demo: the same rig under a prefix, of slightly other proportions."""

from armuto.formats import gltf
from armuto.formats.gltf.container import to_glb


def rigged_like(data: bytes, prefix: str = "", move: float = 0.0) -> bytes:
    """A .glb whose bones carry a prefix and whose first bone with children is moved up by ``move`` units of the
    file."""
    held = gltf.parse(data, "figure.glb")
    tree = held.json
    bones = {joint for skin in tree["skins"] for joint in skin["joints"]}
    for number in bones:
        node = tree["nodes"][number]
        node["name"] = prefix + node["name"]
        if "translation" in node and any(child in bones for child in node.get("children", [])):
            node["translation"] = [node["translation"][0], node["translation"][1] + move, node["translation"][2]]
    return to_glb(tree, held.buffers[0])
