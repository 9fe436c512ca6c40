"""Clips into glTF: the character's own file with animations added, every joint keyed on every frame."""

from __future__ import annotations

import base64
from collections.abc import Mapping, Sequence

import numpy as np

from armuto.formats.gltf.container import GltfFile, Json, beside, editable, to_glb
from armuto.formats.gltf.reading import GltfRig, node_trs
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip, in_file_space
from armuto.kinematics.keys import Keys
from armuto.kinematics.skeleton import Skeleton

WHITE_PIXEL = base64.b64decode(
    "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mP8/5+hHgAHggJ/PchI7wAAAABJRU5ErkJggg=="
)
FLOAT, SCALAR, VEC3, VEC4 = 5126, "SCALAR", "VEC3", "VEC4"


class _Buffer:
    """One growing binary chunk with the accessors that point into it."""

    def __init__(self, tree: Json, buffers: Sequence[bytes]) -> None:
        self.tree = tree
        self.parts: list[bytes] = []
        self.length = 0
        starts = [self.append(content) for content in buffers]
        for view in tree.get("bufferViews", []):
            moved = starts[view["buffer"]] + view.get("byteOffset", 0)
            view["buffer"] = 0
            if moved or "byteOffset" in view:
                view["byteOffset"] = moved

    def append(self, content: bytes) -> int:
        self.parts.append(b"\0" * (-self.length % 4))
        start = self.length + len(self.parts[-1])
        self.parts.append(content)
        self.length = start + len(content)
        return start

    def add(self, values: FloatArray, kind: str, bounds: bool = False) -> int:
        """Store float32 values; the number of their accessor."""
        narrow = np.ascontiguousarray(values, "<f4")
        views, rows = self.tree.setdefault("bufferViews", []), self.tree.setdefault("accessors", [])
        views.append({"buffer": 0, "byteOffset": self.append(narrow.tobytes()), "byteLength": narrow.nbytes})
        row: Json = {"bufferView": len(views) - 1, "componentType": FLOAT, "count": len(narrow), "type": kind}
        if bounds:
            row["min"], row["max"] = [float(narrow.min())], [float(narrow.max())]
        rows.append(row)
        return len(rows) - 1

    def glb(self) -> bytes:
        if self.length:
            self.tree["buffers"] = [{"byteLength": self.length}]
        return to_glb(self.tree, b"".join(self.parts))


def node_motion(clip: Clip, rig: GltfRig) -> tuple[FloatArray, FloatArray]:
    """The clip as local rotations ``(F, J, 4)`` and translations ``(F, J, 3)`` of the file's own nodes.

    Undoes what reading folded away: the unit and axes of the file, the transforms above the roots, and node scales.
    """
    rotations, translations = in_file_space(clip)
    for joint, parent in enumerate(rig.skeleton.parents):
        if parent < 0:
            above = rig.above[joint]
            turn = rotation.inverse(rotation.from_matrix(above[:3, :3]))
            rotations[:, joint] = rotation.multiply(turn, rotations[:, joint])
            translations[:, joint] = (translations[:, joint] - above[:3, 3]) @ np.linalg.inv(above[:3, :3]).T
        else:
            translations[:, joint] /= rig.scales[joint]
    return rotation.continuous(rotations), translations


def with_clips(
    held: GltfFile,
    rig: GltfRig,
    clips: Sequence[Clip],
    keep: bool = False,
    keys: Sequence[Keys | None] = (),
    first: int = 0,
    mesh: bool = True,
) -> bytes:
    """The file as .glb with the clips as its animations, replacing the old ones unless ``keep``.

    keys: of each clip the keys to write, all where there are none. first: the number of the first frame. mesh: without
    it, only the nodes are left of the file.

    Mesh, skin, materials and every other part of the file stay as they are. A joint node given by a matrix is
    rewritten as translation, rotation and scale, since glTF animates only those.
    """
    tree = editable(held.json)
    for n in rig.nodes:
        if "matrix" in (node := tree["nodes"][n]):
            trs = node_trs(held, node)
            del node["matrix"]
            node |= {"translation": trs.translation.tolist(), "rotation": trs.rotation.clip(-1, 1).tolist()}
            if np.abs(trs.scale - 1).max() > 1e-9:
                node["scale"] = trs.scale.tolist()
    if not keep:
        tree.pop("animations", None)
    motions = [(clip, *node_motion(clip, rig)) for clip in clips]
    if not mesh:
        return _written(_bare(tree), (), rig.nodes, motions, keys, first)
    return _written(tree, held.buffers, rig.nodes, motions, keys, first)


def _bare(tree: Json) -> Json:
    """A file's nodes and scenes, and nothing that lies in its buffers or refers to it."""
    head: Json = {key: tree[key] for key in ("asset", "scene", "scenes", "nodes") if key in tree}
    for node in head["nodes"]:
        for key in ("mesh", "skin", "weights", "camera", "extensions"):
            node.pop(key, None)
    return head


def skeleton_only(skeleton: Skeleton, clips: Sequence[Clip], keys: Sequence[Keys | None] = (), first: int = 0) -> bytes:
    """A .glb of bare nodes and animations, for a skeleton that came from a file without meshes."""
    nodes: list[Json] = [
        {"name": name, "translation": t.tolist(), "rotation": q.clip(-1, 1).tolist()}
        for name, t, q in zip(skeleton.names, skeleton.rest_translation, skeleton.rest_rotation, strict=True)
    ]
    for node, children in zip(nodes, skeleton.children, strict=True):
        if children:
            node["children"] = list(children)
    tree: Json = {
        "asset": {"version": "2.0", "generator": "Armuto"},
        "scene": 0,
        "scenes": [{"nodes": np.flatnonzero(skeleton.parents < 0).tolist()}],
        "nodes": nodes,
    }
    motions = [(c, rotation.continuous(c.rotations), c.all_translations()) for c in clips]
    return _written(tree, (), range(len(nodes)), motions, keys, first)


def self_contained(held: GltfFile, files: Mapping[str, bytes]) -> tuple[bytes, list[str]]:
    """The file as one .glb with its buffers and images inside, and notes on images that are missing."""
    tree, notes = editable(held.json), []
    buffer = _Buffer(tree, held.buffers)
    for image in tree.get("images", []):
        uri = image.get("uri")
        if not isinstance(uri, str) or uri.startswith("data:"):
            continue
        data = beside(uri, files)
        if data is None:
            notes.append(f"The texture “{uri[-60:]}” is missing.")
            # One white pixel in its place, so that every reader can open the file.
            data = WHITE_PIXEL
        del image["uri"]
        views = tree.setdefault("bufferViews", [])
        views.append({"buffer": 0, "byteOffset": buffer.append(data), "byteLength": len(data)})
        image["bufferView"] = len(views) - 1
        image["mimeType"] = "image/jpeg" if data[:2] == b"\xff\xd8" else "image/png"
    return buffer.glb(), notes


def _written(
    tree: Json,
    buffers: Sequence[bytes],
    nodes: Sequence[int],
    motions: Sequence[tuple[Clip, FloatArray, FloatArray]],
    keys: Sequence[Keys | None],
    first: int,
) -> bytes:
    buffer = _Buffer(tree, buffers)
    for number, (clip, rotations, translations) in enumerate(motions):
        times = keys[number] if keys else None
        animation: Json = {"name": clip.name, "channels": [], "samplers": []}
        inputs: dict[bytes, int] = {}
        every = np.arange(clip.frames)
        for joint, n in enumerate(nodes):
            for path, kind, values in (("rotation", VEC4, rotations), ("translation", VEC3, translations)):
                frames = every if times is None else getattr(times, f"{path}s")[joint]
                # Channels that are keyed on the same frames share their times.
                content = frames.tobytes()
                if content not in inputs:
                    inputs[content] = buffer.add((first + frames) / clip.fps, SCALAR, bounds=True)
                output = buffer.add(values[:, joint] if frames is every else values[frames, joint], kind)
                animation["samplers"].append({"input": inputs[content], "output": output, "interpolation": "LINEAR"})
                channel = {"node": n, "path": path}
                animation["channels"].append({"sampler": len(animation["samplers"]) - 1, "target": channel})
        tree.setdefault("animations", []).append(animation)
    return buffer.glb()
