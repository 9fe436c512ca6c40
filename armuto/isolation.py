"""A function in a process of its own, with bounded memory and time, for work on files that nobody vouches for.

Processes are forked from a server that has imported what they need (:mod:`multiprocessing`'s *forkserver*), which
takes some milliseconds and gives none of them the caller's open files, threads or database.
"""

from __future__ import annotations

import contextlib
import ctypes
import logging
import multiprocessing
import os
import pickle
import resource
import shutil
import signal
import tempfile
import time
import traceback
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, TypeVar

from armuto.errors import BadInput
from armuto.lazy import COMPILED

T = TypeVar("T")
logger = logging.getLogger(__name__)
WAITING = 3.0
ASKED = 0.1
_context = multiprocessing.get_context("forkserver")
_context.set_forkserver_preload([*COMPILED, "armuto.formats.preloaded"])


@dataclass(frozen=True)
class Limits:
    """memory: bytes that the process may allocate. seconds: of processor time; by the clock :data:`WAITING` times as
    long, since on a busy machine a process waits for its turn. result: bytes that what comes back may have, pickled."""

    memory: int = 1536 * 1024**2
    seconds: float = 60.0
    result: int = 1536 * 1024**2


class OutOfMemory(Exception):
    """The function needed more memory than it was given."""


class OutOfTime(Exception):
    """The function needed more time than it was given."""


class Cancelled(Exception):
    """Nobody wants the result any more."""


class Crashed(Exception):
    """The function raised what it does not document, or its process ended by itself."""


def call(
    function: Callable[..., T],
    *args: Any,
    limits: Limits = Limits(),
    scratch: Path | None = None,
    cancelled: Callable[[], bool] = lambda: False,
) -> T:
    """What a function of a module returns for the arguments, worked out in a process of its own.

    Arguments and result are pickled through files of a temporary folder, since pipes would hold them once more in
    memory. scratch: where that folder is made, the system's place for such things without. cancelled: asked every
    :data:`ASKED` seconds whether to give up. Raises :class:`BadInput` where the function does, :class:`OutOfMemory`,
    :class:`OutOfTime`, :class:`Cancelled` and :class:`Crashed`.
    """
    folder = Path(tempfile.mkdtemp(prefix="armuto-apart-", dir=scratch))
    try:
        with (folder / "arguments").open("wb") as file:
            pickle.dump((function, args), file, protocol=5)
        process = _context.Process(target=_work, args=(str(folder), limits), daemon=True)
        process.start()
        try:
            _wait(process, WAITING * limits.seconds, cancelled)
        finally:
            _end(process)
        if not (folder / "result").is_file():
            raise (OutOfTime if process.exitcode == -signal.SIGXCPU else Crashed)
        with (folder / "result").open("rb") as file:
            outcome, value = pickle.load(file)
    finally:
        shutil.rmtree(folder, ignore_errors=True)
    if outcome == "returned":
        return value  # type: ignore[no-any-return]
    if outcome == "refused":
        raise BadInput(value)
    if outcome == "memory":
        raise OutOfMemory
    logger.error("Failed in a process of its own:\n%s", value)
    raise Crashed


def _wait(process: Any, seconds: float, cancelled: Callable[[], bool]) -> None:
    deadline = time.monotonic() + seconds
    while process.exitcode is None:
        if cancelled():
            raise Cancelled
        if (left := deadline - time.monotonic()) <= 0:
            raise OutOfTime
        process.join(min(ASKED, left))


def _end(process: Any) -> None:
    """Kill the process, and what it started: they are a group of their own."""
    with contextlib.suppress(ProcessLookupError, PermissionError):  # it is gone, and its number may be another's
        os.killpg(process.pid, signal.SIGKILL)
    process.kill()  # it may not have come to founding its group
    process.join()


def _work(folder: str, limits: Limits) -> None:
    with contextlib.suppress(PermissionError):  # it leads a group already
        os.setpgid(0, 0)
    tempfile.tempdir = folder  # what this process leaves when it is killed goes with the folder
    bound(limits)
    outcome: tuple[str, Any]
    try:
        with (Path(folder) / "arguments").open("rb") as file:
            function, args = pickle.load(file)
        (Path(folder) / "arguments").unlink()
        outcome = ("returned", function(*args))
        _leave(folder, outcome)
        return
    except BadInput as problem:
        outcome = ("refused", str(problem))
    except MemoryError:
        outcome = ("memory", None)
    except BaseException:
        outcome = ("failed", traceback.format_exc()[-4000:])
    function = args = None
    _leave(folder, outcome)


def _leave(folder: str, outcome: tuple[str, Any]) -> None:
    """The outcome as a file that is there whole or not at all."""
    part = Path(folder) / "part"
    try:
        with part.open("wb") as file:
            pickle.dump(outcome, file, protocol=5)
    except (OSError, MemoryError):  # it is larger than a file may be
        part.write_bytes(pickle.dumps(("memory", None)))
    part.rename(Path(folder) / "result")


def bound(limits: Limits) -> None:
    """Limits on this process: memory, processor time, the size of a file; no picture of it is left when it crashes.

    What counts is private memory that can be written (RLIMIT_DATA), not the address space, which native libraries
    reserve generously. A limit that is tighter already stays.
    """
    seconds = int(limits.seconds) + 1
    for kind, most in (
        (resource.RLIMIT_DATA, limits.memory),
        (resource.RLIMIT_CPU, seconds),
        (resource.RLIMIT_FSIZE, limits.result),
        (resource.RLIMIT_CORE, 0),
    ):
        held = resource.getrlimit(kind)[1]
        most = most if held == resource.RLIM_INFINITY else min(most, held)
        resource.setrlimit(kind, (most, most))


# -- files that are out of reach -----------------------------------------------------------------------------------

_CREATE_RULESET, _ADD_RULE, _RESTRICT_SELF = 444, 445, 446
_NO_NEW_PRIVILEGES = 38
_EXECUTE, _READ_FILE, _READ_FOLDER = 1, 4, 8
_FIRST_ACCESSES = (1 << 13) - 1  # all that the first version of Landlock knows


class _Ruleset(ctypes.Structure):
    _fields_ = (("handled_access_fs", ctypes.c_uint64), ("handled_access_net", ctypes.c_uint64))


class _PathBeneath(ctypes.Structure):
    _pack_ = 1
    _fields_ = (("allowed_access", ctypes.c_uint64), ("parent_fd", ctypes.c_int32))


def confine(readable: Iterable[Path], writable: Iterable[Path]) -> bool:
    """Take from this process, for good, every file that lies beneath none of these folders, and all of TCP.

    Uses Landlock (Salaün 2021, Linux 5.13; docs.kernel.org/userspace-api/landlock.html). Returns False where the
    system does not have it; then nothing was taken.
    """
    libc = ctypes.CDLL(None, use_errno=True)
    version = libc.syscall(_CREATE_RULESET, None, ctypes.c_size_t(0), ctypes.c_uint32(1))
    if version < 1:
        return False
    accesses = _FIRST_ACCESSES | (1 << 13 if version >= 2 else 0) | (1 << 14 if version >= 3 else 0)
    ruleset = _Ruleset(accesses, 0b11 if version >= 4 else 0)
    size = ctypes.sizeof(ruleset) if version >= 4 else 8
    handle = libc.syscall(_CREATE_RULESET, ctypes.byref(ruleset), ctypes.c_size_t(size), ctypes.c_uint32(0))
    if handle < 0:
        return False
    rules = [(path, _EXECUTE | _READ_FILE | _READ_FOLDER) for path in readable] + [
        (path, accesses) for path in writable
    ]
    for path, allowed in rules:
        allowed = allowed if path.is_dir() else allowed & (_EXECUTE | _READ_FILE)
        try:
            folder = os.open(path, os.O_PATH | os.O_CLOEXEC)
        except OSError:
            continue  # what is not there cannot be read
        rule = _PathBeneath(allowed, folder)
        added = libc.syscall(_ADD_RULE, handle, ctypes.c_int(1), ctypes.byref(rule), ctypes.c_uint32(0))
        os.close(folder)
        if added:
            raise OSError(ctypes.get_errno(), f"{path}: it cannot be made reachable")
    libc.prctl(_NO_NEW_PRIVILEGES, 1, 0, 0, 0)
    taken = libc.syscall(_RESTRICT_SELF, handle, ctypes.c_uint32(0))
    os.close(handle)
    return bool(taken == 0)
