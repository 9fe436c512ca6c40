"""How far a computation is, said while it goes on."""

from __future__ import annotations

import json
import os
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

#: Takes the share that is done, 0 to 1, and what is done next in a few words.
Report = Callable[[float, str], None]


def unreported(share: float, doing: str) -> None:
    """Where nobody is told."""


@dataclass(frozen=True)
class ProgressFile:
    """A report into a file, from a process of its own to whoever reads it."""

    path: Path

    def __call__(self, share: float, doing: str) -> None:
        part = self.path.with_suffix(f".{os.getpid()}")
        part.write_text(json.dumps([share, doing]))
        part.replace(self.path)

    def read(self) -> tuple[float, str] | None:
        """What was said last, or None where nothing was."""
        try:
            share, doing = json.loads(self.path.read_text())
        except (OSError, ValueError):
            return None
        return float(share), str(doing)
