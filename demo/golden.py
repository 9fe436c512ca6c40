"""Everything the studio answers about the demo data, written into a folder: fittings, patterns, plans, renditions of
all pairs, files, deliveries. Two folders made by two states of the program show whether a change has changed any of it.

``python -m demo.golden FOLDER`` writes; ``python -m demo.golden FOLDER OTHER`` compares the two, and tells numbers that
differ from those that differ by rounding.
"""

import json
import re
import sys
import tempfile
import time
import urllib.error
import urllib.parse
import urllib.request
import zipfile
from io import BytesIO
from pathlib import Path
from typing import Any

import numpy as np

from demo.serving import CSRF, served

PORT = 8741
# What differs between two runs of one program: moments, and how long something took.
MOMENT = re.compile(r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d+)?(Z|[+-]\d\d:\d\d)")
DURATIONS = {"seconds", "worked", "left", "bytes"}
RACES = {
    "id",
    "accepted_id",
    "revision_id",
    "worked",
    "left",
}  # numbers of results, in whose order several workers compute them
FORMATS = ("glb", "bvh", "dae", "usd", "csv")
ROUNDING = 1e-12
# Changes made to every fitting, one after the other; what a fitting refuses is an answer too.
SETTINGS: tuple[dict, ...] = (
    {"stride": 0.9, "spread": 5.0, "clear": 0.5, "limits": "soft", "twist": 0.5},
    {"follow": {"spine": {"turn": 0.5, "offset": [5, 0, 0]}}, "limits": "hard", "forearm": 0.5, "thigh": 0.3},
    {"travel": {"mode": "in place", "up": True, "heading": True}, "hands": {"other": 0.5}, "path": "absolute"},
    {"travel": {"mode": "root"}, "hold": 0.5, "holds": {"left leg": 1.0}, "clear": 0.0, "limits": "off"},
)
STANCES: tuple[dict, ...] = (
    {"op": "make", "side": "source", "kind": "T"},
    {"op": "make", "side": "target", "kind": "A", "degrees": 40.0},
    {"op": "make", "side": "source", "kind": "frame", "first": 2, "last": 2},
    {"op": "make", "side": "target", "kind": "rest"},
    {"op": "turn", "side": "target", "bone": "left_upper_arm", "axis": [0, 0, 1], "degrees": 12.0, "mirror": True},
    {"op": "align", "side": "target"},
    {"op": "facing", "side": "source", "degrees": 5.0},
    {"op": "mirror", "side": "target", "from_side": "left"},
    {"op": "size", "side": "target", "by": "legs"},
)
EDITS: tuple[dict, ...] = (
    {"op": "remove", "keys": ["head"]},
    {"op": "confirm", "keys": ["left hand", "right hand"]},
    {"op": "swap", "keys": ["left upper arm"]},
    {"op": "clear"},
    {"op": "plan", "plan": "two-legged"},
)


class Studio:
    """A served studio that is asked over HTTP; each answer becomes a file named after the question."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        folder.mkdir(parents=True, exist_ok=True)

    def ask(self, path: str, name: str = "", body: Any = None, method: str = "") -> Any:
        """The answer: parsed where it is JSON, else bytes. A refusal is an answer too."""
        request = urllib.request.Request(
            f"http://127.0.0.1:{PORT}/api/{urllib.parse.quote(path, safe='/?=&%')}",
            json.dumps(body).encode() if body is not None else None,
            {"Content-Type": "application/json", **CSRF},
            method=method or ("POST" if body is not None else "GET"),
        )
        try:
            with urllib.request.urlopen(request) as response:
                content, kind = response.read(), response.headers.get("Content-Type", "")
                shape = response.headers.get("X-Armuto-Shape", "")
        except urllib.error.HTTPError as refusal:
            content, kind, shape = refusal.read(), f"{refusal.headers.get('Content-Type', '')} {refusal.code}", ""
        name = name or re.sub(r"[^\w.=-]+", "_", path)
        if "json" in kind:
            data = json.loads(content)
            text = json.dumps(_lasting(data), indent=1, sort_keys=True, ensure_ascii=False)
            (self.folder / f"{name}.json").write_text(text)
            return data
        (self.folder / f"{name}{f'_{shape}' if shape else ''}.bin".replace(",", "x")).write_bytes(content)
        return content


def _lasting(data: Any) -> Any:
    """Without what differs from run to run."""
    if isinstance(data, dict):
        return {key: "-" if key in DURATIONS else _lasting(value) for key, value in data.items()}
    if isinstance(data, list):
        return [_lasting(value) for value in data]
    return MOMENT.sub("-", data) if isinstance(data, str) else data


def record(folder: Path) -> None:
    studio = Studio(folder)
    with tempfile.TemporaryDirectory() as data, served(data, PORT, "--demo"):
        clips, characters = _library(studio)
        _patterns(studio, clips)
        fittings = _fittings(studio, clips, characters)
        _run(studio, clips, characters)
        _changed(studio, fittings, clips)
        _delivered(studio)
        studio.ask("board/", "board_after")
    print(f"{len(list(folder.iterdir()))} answers in {folder}.")


def _library(studio: Studio) -> tuple[list, list]:
    clips, characters = studio.ask("library/clips"), studio.ask("cast/")
    studio.ask("counts")
    studio.ask("library/names", body={"clip_ids": [clip["id"] for clip in clips], "rule": None})
    for skeleton in studio.ask("library/skeletons"):
        studio.ask(f"library/skeletons/{skeleton['id']}")
    for clip in clips:
        for answer in ("", "/take", "/file", "/plate", "/positions", "/turns"):
            studio.ask(f"library/clips/{clip['id']}{answer}")
    for figure in characters:
        for answer in ("", "/skeleton", "/plate", "/display", "/limits"):
            studio.ask(f"cast/{figure['id']}{answer}")
    return clips, characters


def _patterns(studio: Studio, clips: list) -> None:
    for pattern in studio.ask("patterns/"):
        studio.ask(f"patterns/{pattern['id']}/file")
    studio.ask("patterns/plans")
    for skeleton in sorted({clip["skeleton_id"] for clip in clips}):
        studio.ask(f"patterns/recognised/{skeleton}")


def _fittings(studio: Studio, clips: list, characters: list) -> dict[tuple[int, int], int]:
    out = {}
    first = {clip["skeleton_id"]: clip["id"] for clip in reversed(clips)}
    for skeleton, clip in sorted(first.items()):
        for figure in characters:
            wanted = {"clip_id": clip, "character_id": figure["id"]}
            fitting = studio.ask("fittings/", f"open_{skeleton}_{figure['id']}", wanted)
            if "id" not in fitting:
                continue
            out[skeleton, figure["id"]] = fitting["id"]
            for answer in ("standing", "offers", "file", "follows"):
                studio.ask(f"fittings/{fitting['id']}/{answer}")
    studio.ask("fittings/", "fittings")
    return out


def _run(studio: Studio, clips: list, characters: list) -> None:
    """All clips on all characters, and every result."""
    cells = [[clip["id"], figure["id"]] for clip in clips for figure in characters]
    studio.ask("board/plan", "plan_before", {"cells": cells})
    run = studio.ask("board/transfer", "run_started", {"cells": cells})
    while studio.ask(f"runs/{run['id']}", "run_ended").get("finished") is None:
        time.sleep(1)
    studio.ask(f"runs/{run['id']}/items", "run_items")
    for clip, figure in cells:
        cell = studio.ask(f"renditions/cell?clip_id={clip}&character_id={figure}", f"cell_{clip}_{figure}")
        rendition = (cell or {}).get("id") if isinstance(cell, dict) else None
        if rendition is not None:
            for answer in ("motion", "difference", "file"):
                studio.ask(f"renditions/{rendition}/{answer}", f"rendition_{clip}_{figure}_{answer}")
    studio.ask("board/accept", "accepted", {"cells": cells})
    studio.ask("board/plan", "plan_after", {"cells": cells})


def _changed(studio: Studio, fittings: dict[tuple[int, int], int], clips: list) -> None:
    """What changes answer: live motion, contacts, measures, settings, stances, undo."""
    for (skeleton, figure), fitting in fittings.items():
        here = [clip["id"] for clip in clips if clip["skeleton_id"] == skeleton]
        for clip in here:
            studio.ask(f"fittings/{fitting}/preview/{clip}", f"preview_{clip}_{figure}")
            studio.ask(f"fittings/{fitting}/contacts/{clip}", f"contacts_{clip}_{figure}")
        clip = here[0]
        studio.ask(f"fittings/{fitting}/follows?clip_id={clip}", f"follows_{clip}_{figure}")
        studio.ask(f"fittings/{fitting}/measures/{clip}", f"measures_before_{clip}_{figure}", {})
        for number, settings in enumerate(SETTINGS):
            body = {"settings": settings, "clip_id": clip, "frame": 3}
            studio.ask(f"fittings/{fitting}/settings/trial", f"tried_{number}_{clip}_{figure}", body)
            studio.ask(f"fittings/{fitting}/settings", f"settings_{number}_{clip}_{figure}", body)
            studio.ask(f"fittings/{fitting}/preview/{clip}", f"preview_{number}_{clip}_{figure}")
        studio.ask(f"fittings/{fitting}/measures/{clip}", f"measures_{clip}_{figure}", {})
        for number, stance in enumerate(STANCES):
            body = {"clip_id": clip, "show_clip_id": clip, "show_frame": 2, **stance}
            studio.ask(f"fittings/{fitting}/stance", f"stance_{number}_{skeleton}_{figure}", body)
        for number, edit in enumerate(EDITS):
            body = {"clip_id": clip, "frame": 4, **edit}
            studio.ask(f"fittings/{fitting}/edits", f"edit_{number}_{skeleton}_{figure}", body)
        studio.ask(f"fittings/{fitting}/undo?clip_id={clip}&frame=1", f"undo_{clip}_{figure}", {})
        studio.ask(f"fittings/{fitting}/file", f"file_changed_{skeleton}_{figure}")


def _delivered(studio: Studio) -> None:
    for kind in FORMATS:
        for travel in ("as made", "in place", "root") if kind != "dae" else ("root",):
            wanted = {"kind": kind, "travel": travel, "fittings": True, "fps": 24 if travel == "root" else None}
            if kind == "glb":
                wanted |= {"together": travel == "in place", "thinned": {"degrees": 0.2, "centimetres": 0.1}}
            body = {"cells": None, "wanted": wanted, "name": f"{kind} {travel}"}
            studio.ask("deliveries/plan", f"delivery_plan_{kind}_{travel}", body)
            if travel != "root" and kind in ("dae", "usd", "csv"):
                continue
            made = studio.ask("deliveries/", f"delivery_{kind}_{travel}", body)
            if "id" not in made:
                continue
            archive = studio.ask(f"deliveries/{made['id']}/archive", f"archive_{kind}_{travel}")
            _unpack(archive, studio.folder, f"archive_{kind}_{travel}")
            studio.ask(f"deliveries/{made['id']}/items", f"delivered_{kind}_{travel}")
    studio.ask("deliveries/", "deliveries")


def _unpack(archive: bytes, folder: Path, name: str) -> None:
    """Archives say when they were made; what is in them does not."""
    (folder / f"{name}.bin").unlink()
    with zipfile.ZipFile(BytesIO(archive)) as file:
        for entry in file.namelist():
            content = file.read(entry)
            if entry.endswith((".json", ".txt", ".csv")):
                content = MOMENT.sub("-", content.decode()).encode()
            safe = re.sub(r"[^\w.-]+", "_", entry)
            (folder / f"{name}_{safe}").write_bytes(content)


def compare(before: Path, after: Path) -> bool:
    """Whether nothing differs beyond rounding; says what does."""
    names = {path.name for path in before.iterdir()}, {path.name for path in after.iterdir()}
    wrong = [f"only in {before}: {name}" for name in sorted(names[0] - names[1])]
    wrong += [f"only in {after}: {name}" for name in sorted(names[1] - names[0])]
    rounded = []
    for name in sorted(names[0] & names[1]):
        first, second = (before / name).read_bytes(), (after / name).read_bytes()
        if first == second:
            continue
        error = _largest(first, second, name)
        (rounded if error <= ROUNDING else wrong).append(f"{name}: {error:.3g}")
    print(f"{len(names[0] & names[1])} answers compared: {len(wrong)} differ, {len(rounded)} by rounding.")
    print("\n".join(wrong[:60]))
    return not wrong


def _largest(first: bytes, second: bytes, name: str) -> float:
    """The largest difference of numbers, relative to the larger of 1 and the number; infinite where the form
    differs."""
    if name.endswith(".json"):
        return _furthest(json.loads(first), json.loads(second))
    if len(first) != len(second) or len(first) % 4 or not re.search(r"_\d+(x\d+)+\.bin$", name):
        return float("inf")
    a, b = np.frombuffer(first, np.float32).astype(float), np.frombuffer(second, np.float32).astype(float)
    return float(np.max(np.abs(a - b) / np.maximum(np.abs(a), 1.0)))


def _furthest(first: Any, second: Any) -> float:
    if isinstance(first, dict) and isinstance(second, dict) and first.keys() == second.keys():
        return max((_furthest(first[key], second[key]) for key in first if key not in RACES), default=0.0)
    if isinstance(first, list) and isinstance(second, list) and len(first) == len(second):
        return max((_furthest(a, b) for a, b in zip(first, second, strict=True)), default=0.0)
    if isinstance(first, int | float) and isinstance(second, int | float) and type(first) is type(second):
        return abs(first - second) / max(abs(first), 1.0)
    return 0.0 if first == second else float("inf")


if __name__ == "__main__":
    paths = [Path(name) for name in sys.argv[1:]]
    if len(paths) == 1:
        record(*paths)
    elif not compare(*paths):
        raise SystemExit(1)
