"""The .glb container and the JSON of glTF 2.0, checked before anything trusts them.

The JSON is kept as it came, a plain dictionary, because a delivered character must be the received one in everything
but its animations: unknown extensions, extras and number formats included (docs/decisions.md).
"""

from __future__ import annotations

import base64
import binascii
import json
import posixpath
import struct
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any
from urllib.parse import unquote

from armuto.errors import BadInput
from armuto.text import shown

Json = dict[str, Any]

MAGIC = b"glTF"
CHUNK_JSON, CHUNK_BIN = 0x4E4F534A, 0x004E4942
MOST_NODES = 50_000
# Required extensions that change nothing of what is read here, or that are read.
KNOWN = (
    *("KHR_materials_", "KHR_texture_", "KHR_mesh_quantization", "KHR_lights_punctual", "KHR_xmp", "EXT_texture_"),
    *("VRM", "ADOBE_materials_", "MSFT_texture_", "KHR_techniques_webgl"),
)
LISTS = (
    *("accessors", "animations", "buffers", "bufferViews", "cameras", "images", "materials", "meshes"),
    *("nodes", "samplers", "scenes", "skins", "textures"),
)


@dataclass(frozen=True)
class GltfFile:
    """A glTF file in memory: its JSON and the bytes of every buffer. file: the name used in sentences."""

    json: Json
    buffers: tuple[bytes, ...]
    file: str

    def rows(self, key: str) -> list[Json]:
        """The list under a top-level key, empty when absent."""
        rows: list[Json] = self.json.get(key, [])
        return rows

    def row(self, key: str, number: Any) -> Json:
        """One entry of a top-level list; raises :class:`BadInput` for a number that points nowhere."""
        rows = self.rows(key)
        if not isinstance(number, int) or isinstance(number, bool) or not 0 <= number < len(rows):
            raise self.refuse(f"it refers to {key}[{shown(number)}], which does not exist")
        return rows[number]

    def refuse(self, what: str) -> BadInput:
        return BadInput(f"{self.file}: {what}; export it again as glTF 2.0.")


def parse(data: bytes, file: str, files: Mapping[str, bytes] | None = None) -> GltfFile:
    """Read .glb or .gltf. files: what lies beside it in its archive, by path. Raises :class:`BadInput`."""
    if data[:4] == MAGIC:
        text, binary = _chunks(data, file)
    elif data.lstrip(b"\xef\xbb\xbf \t\r\n")[:1] == b"{":
        text, binary = data, None
    else:
        raise BadInput(
            f"{file}: not a glTF file, it begins neither like .glb nor like .gltf; export it again as glTF 2.0."
        )
    try:
        tree = json.loads(text.decode("utf-8-sig"), parse_constant=_no_constant)
    except (ValueError, RecursionError) as problem:
        raise BadInput(f"{file}: its JSON cannot be read ({str(problem)[:80]}); export it again as glTF 2.0.") from None
    _check(tree, file)
    held = GltfFile(tree, (), file)
    rows = enumerate(held.rows("buffers"))
    buffers = tuple(_buffer(held, n, row, binary, files or {}) for n, row in rows)
    for number, view in enumerate(held.rows("bufferViews")):
        # Also of those that nobody reads: whoever writes the file again moves all of them.
        where, offset = view.get("buffer"), view.get("byteOffset", 0)
        if type(where) is not int or not 0 <= where < len(buffers):
            raise held.refuse(f"bufferView {number} refers to buffer {shown(where)}, which does not exist")
        if type(offset) is not int or offset < 0:
            raise held.refuse(f"bufferView {number} begins at {shown(offset)}, which is no place in a buffer")
    return GltfFile(tree, buffers, file)


def _no_constant(name: str) -> float:
    raise ValueError(f"{name} is not a number in JSON")


def _chunks(data: bytes, file: str) -> tuple[bytes, bytes | None]:
    def refuse(what: str) -> BadInput:
        return BadInput(f"{file}: {what}; export or copy it again.")

    if len(data) < 20:
        raise refuse(f"cut short, a .glb has at least 20 bytes and this one has {len(data)}")
    version, length = struct.unpack_from("<II", data, 4)
    if version != 2:
        raise BadInput(f"{file}: a .glb of version {version}; export it again as glTF 2.0.")
    if length != len(data):
        raise refuse(f"its header promises {length} bytes and the file has {len(data)}")
    at, text, binary = 12, None, None
    while at + 8 <= len(data):
        size, kind = struct.unpack_from("<II", data, at)
        if at + 8 + size > len(data):
            raise refuse(f"the chunk at byte {at} promises {size} bytes and {len(data) - at - 8} are left")
        chunk = data[at + 8 : at + 8 + size]
        if text is None:
            if kind != CHUNK_JSON:
                raise refuse("its first chunk is not JSON")
            text = chunk
        elif binary is None and kind == CHUNK_BIN:
            binary = chunk
        at += 8 + size
    if text is None:
        raise refuse("it has no JSON chunk")
    return text, binary


def _check(tree: Any, file: str) -> None:
    """That the JSON has the shape every reader relies on: objects in lists, a version, no tree too deep or cyclic."""

    def refuse(what: str) -> BadInput:
        return BadInput(f"{file}: {what}; export it again as glTF 2.0.")

    if not isinstance(tree, dict):
        raise refuse("its JSON is not an object")
    version = tree.get("asset", {}).get("version") if isinstance(tree.get("asset"), dict) else None
    if not str(version).startswith("2."):
        raise refuse(f"it says glTF version {version}, and only version 2 is read")
    for key in LISTS:
        rows = tree.get(key, [])
        if not isinstance(rows, list) or not all(isinstance(row, dict) for row in rows):
            raise refuse(f"“{key}” is not a list of objects")
    needed = tree.get("extensionsRequired", [])
    if not isinstance(needed, list):
        raise refuse("“extensionsRequired” is not a list")
    unread = [name for name in needed if str(name).startswith(("KHR_draco", "EXT_meshopt"))]
    if unread:
        raise BadInput(f"{file}: its data is compressed with {unread[0]}; export it again without compression.")
    unknown = [name for name in needed if not str(name).startswith(KNOWN)]
    if unknown:
        raise BadInput(
            f"{file}: it cannot be read without the extension “{str(unknown[0])[:60]}”, which is not known here; "
            "export it again without that."
        )
    if problem := _fault_of_tree(tree.get("nodes", [])):
        raise refuse(problem)


def _fault_of_tree(nodes: list[Json]) -> str:
    """What keeps nodes from being trees, in words; nothing where they are."""
    if len(nodes) > MOST_NODES:
        return f"it has {len(nodes)} nodes, more than {MOST_NODES}"
    seen: set[int] = set()
    for number, node in enumerate(nodes):
        children = node.get("children", [])
        if not isinstance(children, list):
            return f"the children of node {number} are not a list"
        for child in children:
            if not isinstance(child, int) or isinstance(child, bool) or not 0 <= child < len(nodes):
                return f"node {number} has a child {child} that does not exist"
            if child in seen:
                return f"node {child} has two parents"
            seen.add(child)
    # Every node has at most one parent, so what cannot be reached from a root lies on a circle.
    stack, reached = [n for n in range(len(nodes)) if n not in seen], 0
    while stack:
        reached += 1
        stack += nodes[stack.pop()].get("children", [])
    return "its nodes form a circle" if reached < len(nodes) else ""


def _buffer(held: GltfFile, number: int, row: Json, binary: bytes | None, files: Mapping[str, bytes]) -> bytes:
    length, uri = row.get("byteLength"), row.get("uri")
    if not isinstance(length, int) or length < 0:
        raise held.refuse(f"buffer {number} has no usable length")
    if uri is None:
        if number != 0 or binary is None:
            raise held.refuse(f"the data of buffer {number} is missing")
        content = binary
    elif isinstance(uri, str) and uri.startswith("data:"):
        try:
            content = base64.b64decode(uri.partition(",")[2], validate=True)
        except (binascii.Error, ValueError):
            raise held.refuse(f"the embedded data of buffer {number} is not base64") from None
    else:
        found = beside(str(uri), files)
        if found is None:
            raise BadInput(
                f"{held.file}: its data lies in a file of its own (“{str(uri)[:60]}”), which is not here; "
                "pack both into a .zip, or export as .glb."
            )
        content = found
    if len(content) < length:
        raise held.refuse(f"buffer {number} promises {length} bytes and has {len(content)}")
    return content[:length]


def beside(uri: str, files: Mapping[str, bytes]) -> bytes | None:
    """A file that a relative address names, if it lies in the archive; addresses that lead out of it name nothing."""
    path = posixpath.normpath(unquote(uri).replace("\\", "/"))
    return None if path.startswith(("/", "..")) or ":" in path else files.get(path)


def editable(tree: Json) -> Json:
    """A tree whose tables and their rows can be changed without changing the file's; what lies deeper is shared, and
    only ever replaced."""
    return {
        key: [dict(row) if isinstance(row, dict) else row for row in value] if isinstance(value, list) else value
        for key, value in tree.items()
    }


def to_glb(tree: Json, binary: bytes) -> bytes:
    """A .glb of the JSON and one binary chunk."""
    text = json.dumps(tree, ensure_ascii=False, separators=(",", ":"), allow_nan=False).encode()
    text += b" " * (-len(text) % 4)
    parts = [struct.pack("<II", len(text), CHUNK_JSON), text]
    if binary:
        fill = b"\0" * (-len(binary) % 4)
        parts += [struct.pack("<II", len(binary) + len(fill), CHUNK_BIN), binary, fill]
    return b"".join([MAGIC, struct.pack("<II", 2, 12 + sum(map(len, parts))), *parts])
