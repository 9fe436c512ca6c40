"""The open humanoid-avatar extension of glTF, versions 0 and 1: its table of humanoid bones, as confirmed parts."""

from __future__ import annotations

import re
from typing import Any

from armuto.formats.gltf.container import GltfFile

# The standard's words in order of its own table, and ours. Version 0 calls the thumb's joints one further out.
WORDS = {
    "hips": "hips", "spine": "spine", "chest": "chest", "upperChest": "chest", "neck": "neck",
    "head": "head", "jaw": "jaw",
    "Eye": "eye", "Shoulder": "shoulder", "UpperArm": "upper arm", "LowerArm": "lower arm", "Hand": "hand",
    "UpperLeg": "upper leg", "LowerLeg": "lower leg", "Foot": "foot", "Toes": "toes",
    "ThumbMetacarpal": "thumb metacarpal", "ThumbProximal": "thumb proximal", "ThumbDistal": "thumb distal",
    **{
        f"{finger}{bone}": f"{finger.lower()} {bone.lower()}"
        for finger in ("Index", "Middle", "Ring", "Little")
        for bone in ("Proximal", "Intermediate", "Distal")
    },
}  # fmt: skip
THUMB_0 = {"ThumbProximal": "ThumbMetacarpal", "ThumbIntermediate": "ThumbProximal"}


def humanoid(held: GltfFile) -> dict[int, str]:
    """Part by node number, as the file itself says; empty without the extension or where it is not usable."""
    extensions = held.json.get("extensions")
    if not isinstance(extensions, dict):
        return {}
    for key, version in (("VRMC_vrm", 1), ("VRM", 0)):
        table = extensions.get(key)
        bones = table.get("humanoid", {}).get("humanBones") if isinstance(table, dict) else None
        rows: list[tuple[str, Any]] = []
        if isinstance(bones, dict):
            rows = [(name, row.get("node")) for name, row in bones.items() if isinstance(row, dict)]
        elif isinstance(bones, list):
            rows = [(str(row.get("bone")), row.get("node")) for row in bones if isinstance(row, dict)]
        if rows:
            return _parts(rows, version, len(held.rows("nodes")))
    return {}


def _parts(rows: list[tuple[str, Any]], version: int, count: int) -> dict[int, str]:
    names = {name for name, _ in rows}
    out: dict[int, str] = {}
    for name, node in rows:
        if not isinstance(node, int) or not 0 <= node < count:
            continue
        side = re.match("left|right", name)
        word = name.removeprefix(side[0]) if side else name
        if version == 0:
            word = THUMB_0.get(word, word)
        # Our chest is the last bone of the trunk; what lies below it is spine.
        if word == "chest" and "upperChest" in names:
            word = "spine"
        if word == "spine" and not names & {"chest", "upperChest"}:
            word = "chest"
        if word in WORDS:
            out[node] = f"{side[0]} {WORDS[word]}" if side else WORDS[word]
    return out
