"""Who works for this studio: names of workers, and how one tells that a worker is gone.

A worker holds a lock on a file of its own for as long as it lives. The system lets go of it however the worker ends, so
a lock that can be taken says that its holder is gone; numbers of processes would be given out again.
"""

import contextlib
import fcntl
import logging
import os
import resource
import signal
import socket
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from django.conf import settings
from django.utils.crypto import get_random_string

logger = logging.getLogger(__name__)
HOST = socket.gethostname()[:40]
name = f"{HOST}.here"  # of the worker that this process is; the server's own where it works on the spot
_held: dict[str, int] = {}


def folder() -> Path:
    """Where the locks lie: beside the data file, or with the studio's data where that is on a server."""
    database: dict[str, Any] = settings.DATABASES["default"]
    if "sqlite3" not in database["ENGINE"]:
        return Path(settings.DATA) / "workers"
    file = Path(database["NAME"])
    return file.with_name(f"{file.name}.workers")


def enlist() -> str:
    """Give this process a name as a worker, and hold its lock until the process ends."""
    global name
    name = f"{HOST}.{os.getpid()}.{get_random_string(6)}"
    folder().mkdir(parents=True, exist_ok=True)
    while True:
        handle = os.open(folder() / name, os.O_CREAT | os.O_RDWR)
        fcntl.flock(handle, fcntl.LOCK_EX)
        if _lies_at(folder() / name, handle):
            break
        os.close(handle)  # somebody looked before it was locked, and took it for one that was left
    _held[name] = handle
    return name


def _lies_at(path: Path, handle: int) -> bool:
    try:
        return os.path.samestat(path.stat(), os.fstat(handle))
    except FileNotFoundError:
        return False


def gone(worker: str) -> bool:
    """Whether a worker of this machine has ended. Of other machines' workers nothing is known here."""
    if not worker.startswith(f"{HOST}.") or worker == name or worker in _held:
        return False
    path = folder() / worker
    try:
        handle = os.open(path, os.O_RDWR)
    except FileNotFoundError:
        return True
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        return False
    finally:
        os.close(handle)
    path.unlink(missing_ok=True)
    return True


def enlisted() -> Iterator[str]:
    """Names of the workers of this machine that live."""
    if folder().is_dir():
        yield from (path.name for path in folder().iterdir() if not gone(path.name))


def memory() -> int:
    """Bytes that this process holds in memory."""
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * resource.getpagesize()


@contextlib.contextmanager
def time_limit(seconds: float, what: str) -> Iterator[None]:
    """Kill this process when the block takes longer: what it holds is then given back, and another takes its place."""

    def end() -> None:
        logger.error("%s took longer than %g s; this worker ends and another takes its place.", what, seconds)
        os.kill(os.getpid(), signal.SIGKILL)

    timer = threading.Timer(seconds, end)
    timer.daemon = True
    timer.start()
    try:
        yield
    finally:
        timer.cancel()


def end_with(parent: int) -> None:
    """End this process, gently, soon after the one that started it, which may have ended already."""

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(0.5)
        os.kill(os.getpid(), signal.SIGTERM)

    threading.Thread(target=watch, daemon=True, name="parent").start()
