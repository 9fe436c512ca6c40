"""Computations that a request waits for: how far they are, and that they are given up.

A job is known by a name that whoever asks for it has made up. What is known of it lies in files, since another process
of the studio may be asked about it.
"""

import contextlib
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from armuto.progress import ProgressFile
from studio.platform.scratch import scratch

NAME = r"^[a-z0-9]{8,40}$"
LEFT_BEHIND = 3600  # seconds after which what is known of a job belongs to none


@dataclass(frozen=True)
class Job:
    folder: Path
    name: str

    @property
    def progress(self) -> ProgressFile:
        return ProgressFile(self.folder / f"{self.name}.json")

    @property
    def _stop(self) -> Path:
        return self.folder / f"{self.name}.stop"

    def cancelled(self) -> bool:
        return self._stop.exists()

    def cancel(self) -> None:
        """Also of one that has not begun, and waits for its turn."""
        self._stop.touch()

    def forget(self) -> None:
        for path in (self.progress.path, self._stop):
            path.unlink(missing_ok=True)


def job_of(name: str) -> Job:
    folder = scratch() / "jobs"
    folder.mkdir(exist_ok=True)
    return Job(folder, name)


@contextlib.contextmanager
def job(name: str) -> Iterator[Job]:
    """One that is under way."""
    mine = job_of(name)
    for path in mine.folder.iterdir():
        with contextlib.suppress(OSError):  # another process has swept it
            if path.stat().st_mtime < time.time() - LEFT_BEHIND:
                path.unlink()
    try:
        yield mine
    finally:
        mine.forget()
