"""Several .glb in one: their nodes, meshes, skins and materials side by side, each under a node with a name of its own
but for what is skinned, and their animations as one."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from armuto.formats.gltf.container import Json, editable, parse, to_glb

QUANTIZATION = "KHR_mesh_quantization"  # changes what numbers mean, and is said nowhere else
# What lies in a list of its own, and the keys by which rows of each refer to rows of another.
LISTS = (
    "accessors",
    "animations",
    "bufferViews",
    "images",
    "materials",
    "meshes",
    "nodes",
    "samplers",
    "skins",
    "textures",
)
REFERENCES: dict[str, dict[str, str]] = {
    "accessors": {"bufferView": "bufferViews"},
    "images": {"bufferView": "bufferViews"},
    "meshes": {"indices": "accessors", "material": "materials", "bufferView": "bufferViews"},
    "nodes": {"children": "nodes", "mesh": "meshes", "skin": "skins"},
    "skins": {"joints": "nodes", "skeleton": "nodes", "inverseBindMatrices": "accessors"},
    "textures": {"source": "images", "sampler": "samplers"},
    "animations": {"node": "nodes", "input": "accessors", "output": "accessors"},
}


def merged(files: Mapping[str, bytes], animation: str) -> bytes:
    """Files by name as one .glb. Every animation of each is part of the one ``animation``.

    What a file says as a whole beyond glTF itself (lights, licences of avatars) and cameras are left out: they would
    not be true of all. The files are self-contained, as :func:`armuto.formats.write` makes them.
    """
    out: Json = {"asset": {"version": "2.0", "generator": "Armuto"}, "scene": 0, "scenes": [{"nodes": []}]}
    content: list[bytes] = []
    length, required = 0, set[str]()
    joined: Json = {"name": animation, "channels": [], "samplers": []}
    for name, data in files.items():
        held = parse(data, name)
        tree = editable(held.json)
        required.update(tree.get("extensionsRequired", []))
        start = {kind: len(out.get(kind, [])) for kind in LISTS}
        for kind in LISTS:
            for row in tree.get(kind, []):
                moved = _moved(row, kind, start)
                if kind == "bufferViews":
                    moved["byteOffset"] = moved.get("byteOffset", 0) + length
                elif kind == "nodes":
                    moved = {key: value for key, value in moved.items() if key not in ("camera", "extensions")}
                elif kind == "animations":
                    _join(joined, moved)
                    continue
                out.setdefault(kind, []).append(moved)
        scene = tree["scenes"][tree.get("scene", 0)] if tree.get("scenes") else {"nodes": []}
        tops = [number + start["nodes"] for number in scene.get("nodes", [])]
        # What is skinned goes with its joints, wherever it lies; glTF wants it at the top.
        skinned = [number for number in tops if "skin" in out["nodes"][number]]
        below = [number for number in tops if number not in skinned]
        out.setdefault("nodes", []).append({"name": name} | ({"children": below} if below else {}))
        out["scenes"][0]["nodes"] += [len(out["nodes"]) - 1, *skinned]
        for buffer in held.buffers:
            padded = buffer + b"\0" * (-len(buffer) % 4)
            content.append(padded)
            length += len(padded)
    if joined["channels"]:
        out["animations"] = [joined]
    used = _extensions(out)
    required &= used | {QUANTIZATION}
    for key, names in (("extensionsUsed", used | required), ("extensionsRequired", required)):
        if names:
            out[key] = sorted(names)
    if length:
        out["buffers"] = [{"byteLength": length}]
    return to_glb(out, b"".join(content))


def _moved(value: Any, kind: str, start: Mapping[str, int]) -> Any:
    """A row, and all in it, with every reference moved on by how many rows there were before."""
    if isinstance(value, list):
        return [_moved(row, kind, start) for row in value]
    if not isinstance(value, dict):
        return value
    out = {}
    for key, content in value.items():
        onto = REFERENCES.get(kind, {}).get(key)
        if key == "extras":
            out[key] = content
        elif kind == "bufferViews" and key == "buffer":
            out[key] = 0
        elif kind == "materials" and key == "index":
            out[key] = content + start["textures"]
        elif kind == "meshes" and key in ("attributes", "targets"):
            rows = content if isinstance(content, list) else [content]
            moved = [{name: number + start["accessors"] for name, number in row.items()} for row in rows]
            out[key] = moved if isinstance(content, list) else moved[0]
        elif onto is not None and isinstance(content, int):
            out[key] = content + start[onto]
        elif onto is not None and isinstance(content, list):
            out[key] = [number + start[onto] for number in content]
        else:
            out[key] = _moved(content, kind, start)
    return out


def _join(joined: Json, animation: Json) -> None:
    before = len(joined["samplers"])
    joined["samplers"] += animation.get("samplers", [])
    joined["channels"] += [row | {"sampler": row["sampler"] + before} for row in animation.get("channels", [])]


def _extensions(value: Any) -> set[str]:
    """The names of all extensions that are used somewhere in it."""
    if isinstance(value, list):
        return set().union(*map(_extensions, value))
    if not isinstance(value, dict):
        return set()
    own = set(value.get("extensions", {}))
    return own.union(*(_extensions(content) for key, content in value.items() if key != "extras"))
