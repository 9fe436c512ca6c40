"""Files that commands are given and that they write."""

from __future__ import annotations

import argparse
import json
import os
import sys
import tempfile
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from armuto import formats
from armuto.errors import BadInput
from armuto.formats import Document
from armuto.intake.detection import NOTHING, ImportOptions

FAILED = 2


def fail(sentence: str) -> int:
    print(sentence, file=sys.stderr)
    return FAILED


def content_of(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except IsADirectoryError:
        raise BadInput(f"{path}: this is a folder; name the files in it.") from None
    except OSError as problem:
        raise BadInput(f"{path}: cannot be opened ({problem.strerror}); check the name and the permissions.") from None


def read(path: Path, import_options: ImportOptions = NOTHING) -> Document:
    return formats.read(content_of(path), str(path), import_options)


def import_options_of(options: argparse.Namespace, whose: str = "") -> ImportOptions:
    """What is said on the command line about how a file is to be read; whose: "character_" for the character's."""
    unit, height = getattr(options, f"{whose}unit", None), getattr(options, f"{whose}height", None)
    return ImportOptions(unit=unit, up=getattr(options, f"{whose}up", None), height=height)


def files_in(path: Path) -> list[tuple[str, bytes, Mapping[str, bytes]]]:
    """The files behind one argument: the file itself, or those of an archive, by the names shown to the person."""
    rows = formats.contents(content_of(path), str(path))
    return [(name if name == str(path) else f"{path}/{name}", data, files) for name, data, files in rows]


def write(path: Path, content: bytes) -> None:
    """Write whole or not at all: an interrupted write leaves no half file under the final name."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with tempfile.NamedTemporaryFile(dir=path.parent, prefix=".", suffix=".part", delete=False) as part:
            part.write(content)
        Path(part.name).chmod(0o666 & ~_umask())
        Path(part.name).replace(path)
    except OSError as problem:
        raise BadInput(f"{path}: cannot be written ({problem.strerror}); choose another place.") from None


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def print_json(tree: Any) -> None:
    print(json.dumps(tree, ensure_ascii=False, indent=2))
