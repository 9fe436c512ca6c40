"""A stand-in for a library of motion somewhere else: the lighthouse across the bay, whose keepers lend what they have.

It serves packs in the open index (docs/sources.md), with plates, search, options, zips, ranges and ETags, and can be
told to misbehave. Start it with ``make outside-library``; tests start it in a thread.

What it lends is made from the museum's own clips: run backwards, mirrored, bent to another way; and a figure in other
colours.
"""

from __future__ import annotations

import argparse
import hashlib
import io
import json
import re
import struct
import threading
import time
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from functools import cache
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path as FilePath
from typing import Any
from urllib.parse import parse_qs, urlsplit

from armuto import formats, plates
from armuto.formats import Document, bvh, gltf
from armuto.intake.recording import without_calibration
from armuto.kinematics.clip import Clip
from armuto.refining import Recipe
from armuto.refining.backwards import Backwards
from armuto.refining.mirror import Mirror
from armuto.refining.path import Path

FILES = FilePath(__file__).parent.parent / "demo" / "files"
NAME = "The lighthouse across the bay"
#: name: clip of the museum that it is made from, the step that makes it another, and its tags.
LENT = {
    "walk backwards": ("hall/walk.bvh", Backwards(), ("walk", "careful")),
    "turn around in the stroll": ("gallery/stroll.glb", Path(turn=175.0), ("stroll", "turn")),
    "wave with the left": ("hall/wave_the_lantern.bvh", Mirror(), ("wave", "greeting")),
    "creep backwards": ("hall/creep.bvh", Backwards(), ("sneak",)),
    "trot round the yard": ("yard/trot.bvh", Path(turn=-120.0), ("fox", "trot")),
}
FIGURE = ("apprentice", "porter.glb")


@dataclass
class Behaviour:
    """How it misbehaves. slow: seconds before each answer; drip: bytes at a time, with a pause of a twentieth of a
    second after each; break_off: of how many requests for files the connection is cut half way; lie: it says that its
    files are larger than they are; error: status that it answers everything with; redirect: where it leads whoever asks
    for a file; vanished: packs that are no longer there; newer: how often its files were made anew."""

    slow: float = 0.0
    drip: int = 0
    break_off: int = 0
    lie: bool = False
    error: int = 0
    redirect: str = ""
    vanished: set[str] = field(default_factory=set)
    newer: int = 0
    requests: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class Lent:
    """Something that is lent. files: content by format, those that have a mesh."""

    key: str
    name: str
    kind: str
    tags: tuple[str, ...]
    pack: str
    fps: float | None
    frames: int | None
    plate: bytes
    files: dict[str, bytes]


@cache
def lent(newer: int = 0) -> tuple[Lent, ...]:
    """Everything that is lent; newer: another state of it, in which each motion ends a little sooner."""
    return (*_motions(newer), _figure())


def _motions(newer: int) -> Iterator[Lent]:
    for name, (path, step, tags) in LENT.items():
        file = FILES / path
        document = formats.read(file.read_bytes(), file.name)
        clip = Recipe((step,)).refine(without_calibration(document.clips[0]), document.parts).clip.renamed(name)
        clip = clip.cut(0, clip.frames - 1 - 5 * newer)
        yield Lent(
            name.replace(" ", "-"),
            name,
            "motion",
            tags,
            "yard" if "yard" in name else "night",
            round(clip.fps, 3),
            clip.frames,
            svg(clip, document),
            {"bvh": bvh.serialise(bvh.from_clip(clip)), "glb": gltf.skeleton_only(clip.skeleton, [clip])},
        )


def _figure() -> Lent:
    name, path = FIGURE
    data = recoloured((FILES / path).read_bytes(), name)
    document = formats.read(data, f"{name}.glb")
    still = Clip(name, document.skeleton, 30.0, *_rest(document))
    return Lent(name, name, "character", ("figure",), "figures", None, None, svg(still, document), {"glb": data})


def _rest(document: Document) -> tuple[Any, Any, Any]:
    skeleton = document.skeleton
    return (
        skeleton.rest_rotation[None].repeat(2, 0),
        document.skeleton.parents[:0],
        skeleton.rest_translation[None, :0].repeat(2, 0),
    )


def recoloured(glb: bytes, name: str) -> bytes:
    """A .glb with its colours in another order, and another name."""
    length = struct.unpack_from("<I", glb, 12)[0]
    tree = json.loads(glb[20 : 20 + length])
    colours = [material.get("pbrMetallicRoughness", {}) for material in tree.get("materials", [])]
    for material, other in zip(tree.get("materials", []), colours[1:] + colours[:1], strict=True):
        material["pbrMetallicRoughness"] = other
    tree["asset"]["extras"] = {"called": name}
    text = json.dumps(tree, separators=(",", ":")).encode()
    text += b" " * (-len(text) % 4)
    rest = glb[20 + length :]
    head = struct.pack("<4sII", b"glTF", 2, 20 + len(text) + len(rest))
    return head + struct.pack("<I4s", len(text), b"JSON") + text + rest


def svg(clip: Clip, document: Document) -> bytes:
    """The plate of a clip as a picture."""
    plate = plates.plate(clip, document.parts)
    height = max(plate.height, 0.1)
    lines = []
    for pose, strokes in enumerate(plate.strokes):
        ink = 0.25 + 0.75 * (pose + 1) / len(plate.strokes)
        path = "".join(f"M{x0:.3f} {height - y0:.3f}L{x1:.3f} {height - y1:.3f}" for x0, y0, x1, y1 in strokes)
        lines.append(f'<path d="{path}" opacity="{ink:.2f}"/>')
    box = f"-0.1 -0.1 {plate.width + 0.2:.3f} {height + 0.2:.3f}"
    style = 'fill="none" stroke="#1f2a37" stroke-width="0.02" stroke-linecap="round"'
    return f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="{box}"><g {style}>{"".join(lines)}</g></svg>'.encode()


PACKS = {
    "night": ("Moves for the night", "lent to museums, free to use and change"),
    "yard": ("Round the yard", "lent to museums, free to use"),
    "figures": ("Figures who lend a hand", "lent to museums, not to be changed"),
}


def index(behaviour: Behaviour, words: str = "") -> dict[str, Any]:
    """The index, or what of it has some words."""
    wanted = words.lower().split()
    packs = []
    for key, (name, licence) in PACKS.items():
        if key in behaviour.vanished:
            continue
        items = []
        for row in lent(behaviour.newer):
            about = f"{row.name} {' '.join(row.tags)}".lower()
            if row.pack != key or not all(word in about for word in wanted):
                continue
            files = [
                {
                    "format": kind,
                    "path": f"files/{row.key}.{kind}",
                    "mesh": row.kind == "character",
                    "bytes": len(data) * (2 if behaviour.lie else 1),
                    "sha256": hashlib.sha256(data).hexdigest(),
                }
                for kind, data in row.files.items()
            ]
            item = {"id": row.key, "name": row.name, "version": behaviour.newer + 1, "kind": row.kind}
            item |= {"tags": list(row.tags), "fps": row.fps, "frames": row.frames}
            items.append(item | {"plate": f"plates/{row.key}.svg", "files": files})
        packs.append({"id": key, "name": name, "licence": licence, "zip": f"packs/{key}.zip", "items": items})
    return {"armuto_index": 1, "name": NAME, "packs": packs}


def content(path: str, query: str, behaviour: Behaviour) -> tuple[bytes, str] | None:
    """What lies at a path, and its content type."""
    if path in ("/", "/index.json"):
        words = parse_qs(query).get("find", [""])[0]
        return json.dumps(index(behaviour, words)).encode(), "application/json"
    rows = {row.key: row for row in lent(behaviour.newer) if row.pack not in behaviour.vanished}
    folder, _, name = path.strip("/").partition("/")
    stem, _, ending = name.rpartition(".")
    if folder == "plates" and stem in rows:
        return rows[stem].plate, "image/svg+xml"
    if folder == "files" and stem in rows and ending in rows[stem].files:
        return rows[stem].files[ending], "application/octet-stream"
    if folder == "packs" and stem in PACKS and stem not in behaviour.vanished:
        held = io.BytesIO()
        with zipfile.ZipFile(held, "w") as archive:
            for row in rows.values():
                if row.pack == stem:
                    kind = min(row.files)
                    archive.writestr(zipfile.ZipInfo(f"{stem}/{row.key}.{kind}"), row.files[kind])
        return held.getvalue(), "application/zip"
    return None


class _Handler(BaseHTTPRequestHandler):
    protocol_version = "HTTP/1.1"
    behaviour: Behaviour

    def log_message(self, format: str, *args: Any) -> None:
        pass

    def do_GET(self) -> None:
        behaviour, asked = self.behaviour, urlsplit(self.path)
        behaviour.requests.append(f"{self.path} {self.headers.get('Range', '')}".strip())
        time.sleep(behaviour.slow)
        found = content(asked.path, asked.query, behaviour)
        is_file = asked.path.startswith(("/files", "/packs"))
        if behaviour.error:
            return self._say(behaviour.error)
        if behaviour.redirect and is_file:
            return self._say(302, {"Location": behaviour.redirect})
        if found is None:
            return self._say(404)
        data, kind = found
        etag = f'"{hashlib.sha256(data).hexdigest()[:16]}"'
        headers = {"ETag": etag, "Content-Type": kind, "Accept-Ranges": "bytes"}
        if self.headers.get("If-None-Match") == etag:
            return self._say(304, headers)
        status, first = 200, 0
        part = re.fullmatch(r"bytes=(\d+)-", self.headers.get("Range", ""))
        if part and self.headers.get("If-Range", etag) == etag and int(part[1]) < len(data):
            status, first = 206, int(part[1])
            headers["Content-Range"] = f"bytes {first}-{len(data) - 1}/{len(data)}"
        cut = len(data)
        if is_file and behaviour.break_off > 0:
            behaviour.break_off -= 1
            cut = first + (len(data) - first) // 2
        self._say(status, headers | {"Content-Length": str(len(data) - first)}, data[first:cut], cut < len(data))

    def _say(self, status: int, headers: dict[str, str] | None = None, data: bytes = b"", cut: bool = False) -> None:
        try:
            self.send_response(status)
            for name, value in ({"Content-Length": "0"} | (headers or {})).items():
                self.send_header(name, value)
            self.end_headers()
            step = self.behaviour.drip or len(data) or 1
            for first in range(0, len(data), step):
                self.wfile.write(data[first : first + step])
                self.wfile.flush()
                if self.behaviour.drip:
                    time.sleep(0.05)
        except OSError:
            self.close_connection = True  # whoever asked has gone
        if cut:
            self.close_connection = True


@contextmanager
def outside_library(port: int = 0, behaviour: Behaviour | None = None) -> Iterator[tuple[str, Behaviour]]:
    """The library while the block runs: its address, and how it behaves, which can be changed at any time."""
    behaviour = behaviour or Behaviour()
    handler = type("Handler", (_Handler,), {"behaviour": behaviour})
    server = ThreadingHTTPServer(("127.0.0.1", port), handler)
    server.daemon_threads = True
    thread = threading.Thread(target=server.serve_forever, kwargs={"poll_interval": 0.05}, daemon=True)
    thread.start()
    try:
        yield f"http://127.0.0.1:{server.server_port}/index.json", behaviour
    finally:
        server.shutdown()
        server.server_close()
        thread.join(5)


def main() -> None:
    parser = argparse.ArgumentParser(prog="python -m standins.outside_library", description=__doc__.split("\n")[0])
    parser.add_argument("--port", type=int, default=8141)
    parser.add_argument("--slow", type=float, default=0.0, help="seconds before each answer")
    parser.add_argument("--drip", type=int, default=0, help="bytes at a time, with a pause after each")
    parser.add_argument("--break-off", type=int, default=0, help="of how many files the connection is cut half way")
    parser.add_argument("--lie", action="store_true", help="say that files are larger than they are")
    parser.add_argument("--error", type=int, default=0, help="answer everything with this status")
    chosen = parser.parse_args()
    behaviour = replace(Behaviour(), **{name: value for name, value in vars(chosen).items() if name != "port"})
    with outside_library(chosen.port, behaviour) as (address, _):
        print(f"{NAME} lends its moves at {address} — Ctrl-C ends it.", flush=True)
        try:
            threading.Event().wait()
        except KeyboardInterrupt:
            print()


if __name__ == "__main__":
    main()
