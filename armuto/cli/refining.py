"""``armuto refine``: clips as the steps of a recipe have them."""

from __future__ import annotations

import argparse
import json
import re
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from armuto import formats, refining
from armuto.choices import ONE_CLIP, WRITTEN
from armuto.cli.files import content_of, import_options_of, print_json, read, write
from armuto.errors import BadInput
from armuto.formats import Document
from armuto.kinematics.clip import Clip
from armuto.refining import Recipe

BETWEEN_VALUES = re.compile(r",(?=\s*\w+=)")


def refine_clips(options: argparse.Namespace) -> int:
    kind = kind_of(options.output)
    recipe = _recipe(options.recipe, options.step)
    document = read(options.clips, import_options_of(options))
    if not document.clips:
        raise BadInput(f"{options.clips}: there is no motion in it to refine; name a file with at least one clip.")
    rows, made = [], []
    for clip in document.clips:
        try:
            refined = recipe.refine(clip, document.parts).clip
        except BadInput as problem:
            raise BadInput(f"{options.clips}, {clip.name}: {problem}") from None
        made.append(refined)
        rows.append({"clip": clip.name, "frames": clip.frames, "refined_frames": refined.frames, "fps": clip.fps})
    written = write_clips(options.output, made, document, kind)
    if options.json:
        print_json({"input": str(options.clips), "recipe": refining.to_json(recipe), "clips": rows, "written": written})
        return 0
    for row in written:
        print(f"{row['output']}: {', '.join(row['clips'])}")
    return 0


def kind_of(output: Path) -> str:
    """The format that a file is to be written in, by its ending."""
    kind = output.suffix.lower().lstrip(".")
    kind = "usd" if kind == "usdc" else kind
    if kind not in WRITTEN:
        endings = " or ".join(f".{name}" for name in WRITTEN)
        raise BadInput(f"{output}: this format is not written; give the output the ending {endings}.")
    return kind


def write_clips(output: Path, clips: Sequence[Clip], document: Document, kind: str) -> list[dict[str, Any]]:
    """Write clips beside the figure they are of, each to a file of its own where the format holds one. Returns what
    stands where."""
    written = []
    several = kind in ONE_CLIP and len(clips) > 1
    for number, together in enumerate([[clip] for clip in clips] if several else [list(clips)]):
        path = output.with_stem(f"{output.stem} {number + 1}") if several else output
        write(path, formats.write(together, document, kind))
        written.append({"output": str(path), "clips": [clip.name for clip in together]})
    return written


def _recipe(path: Path | None, steps: Sequence[str]) -> Recipe:
    rows: list[Any] = []
    if path is not None:
        rows += refining.to_json(refining.from_file(content_of(path), str(path)))["steps"]
    try:
        return refining.from_json({"steps": [*rows, *map(_step, steps)]})
    except ValueError as problem:
        raise BadInput(f"--step: {problem}; see docs/cli.md for the steps that there are.") from None


def _step(text: str) -> dict[str, Any]:
    """A step as it is typed: its kind, and values by name."""
    kind, _, rest = text.partition(":")
    step: dict[str, Any] = {"kind": kind.strip()}
    for part in filter(None, map(str.strip, BETWEEN_VALUES.split(rest))):
        name, equals, value = part.partition("=")
        if not equals:
            raise ValueError(f"“{part}” in “{text}” is not of the form name=value")
        try:
            step[name.strip()] = json.loads(value)
        except ValueError:
            step[name.strip()] = value
    return step
