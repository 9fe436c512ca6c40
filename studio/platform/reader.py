"""Reading of files that came from outside: apart, with bounded memory and time, a few at once.

Everything here raises :class:`BadInput`, whatever happens to the process that reads.
"""

import contextlib
import fcntl
import hashlib
import logging
import os
import pickle
import tempfile
import time
from collections.abc import Callable, Collection, Iterator, Mapping
from pathlib import Path
from typing import Any, TypeVar

from django.conf import settings
from django.core.cache import caches

from armuto import formats, isolation
from armuto.ensembles import prop_meshes, splitting
from armuto.ensembles.model import Shape
from armuto.errors import BadInput
from armuto.formats import Document
from armuto.formats.gltf import simplification
from armuto.intake.detection import NOTHING, ImportOptions
from armuto.rigging import definition as rig_definition
from armuto.rigging import preparing, reading
from armuto.rigging.piece_moves import PieceMove
from armuto.rigging.preparing import BoundMesh, PreparedMesh, RiggedFile
from studio.platform import jobs, workers
from studio.platform.scratch import scratch

T = TypeVar("T")
logger = logging.getLogger(__name__)
LARGEST_KEPT = 8 * 1024**2  # bytes of a file of which it is kept what was read
KEPT = 128 * 1024**2  # bytes of what is kept in all
RETRY_AFTER = 600  # seconds until it is tried again to make what could not be made
WAIT = 0.02  # seconds between two looks for a free place


def read(
    data: bytes, file: str, options: ImportOptions = NOTHING, files: Mapping[str, bytes] | None = None
) -> Document:
    """:func:`armuto.formats.read`, apart.

    What was read is kept for a while: a file that lies in the intake is read when it is laid out, when it is measured
    and when it is accepted.
    """
    if len(data) > LARGEST_KEPT or files:
        return _apart(file, formats.read, data, file, options, files)
    return _remembered([file, repr(options), data], lambda: _apart(file, formats.read, data, file, options, files))


def _remembered(what: list[str | bytes], make: Callable[[], T]) -> T:
    """What was made from the same before, or what is made now."""
    path = _path(what)
    # What another state of the program has kept may not be read by this one.
    with contextlib.suppress(OSError, pickle.UnpicklingError, AttributeError, ImportError):
        held: T = pickle.loads(path.read_bytes())
        path.touch()
        return held
    made = make()
    _keep(made, path)
    return made


def _path(what: list[str | bytes]) -> Path:
    """Where what was made from all this is kept."""
    digest = hashlib.sha256()
    for each in what:
        row = each.encode(errors="surrogatepass") if isinstance(each, str) else each
        digest.update(len(row).to_bytes(8, "little") + row)
    return _kept() / digest.hexdigest()


def _kept() -> Path:
    """Where what was read is kept, by a hash of what it was read from. Only this studio writes there."""
    folder = scratch() / "read"
    folder.mkdir(exist_ok=True)
    return folder


def _keep(value: object, path: Path) -> None:
    """Keep what was read, in place of what has not been asked for longest. Where there is no room nothing is kept."""
    with contextlib.suppress(OSError):
        with tempfile.NamedTemporaryFile(dir=path.parent, suffix=".part", delete=False) as part:
            pickle.dump(value, part, protocol=5)
            size = part.tell()
        if size > KEPT // 4:
            Path(part.name).unlink()
            return
        Path(part.name).replace(path)
        held = sorted((row.stat().st_mtime, row.stat().st_size, Path(row.path)) for row in os.scandir(path.parent))
        over = sum(row[1] for row in held) - KEPT
        for _, least, oldest in held:
            if over <= 0:
                break
            oldest.unlink()
            over -= least


def display_copy(data: bytes, file: str) -> bytes:
    """A lighter copy of a .glb (:func:`armuto.formats.gltf.simplification.simplified`), made apart and kept; the file
    itself where none can be made."""
    cache = caches["figures"]
    # The number stands for how copies are made: those that an earlier state of the program made are left behind.
    triangles = settings.STAGE_TRIANGLES or simplification.TRIANGLES
    key = f"{simplification.VERSION}-{triangles}-{hashlib.sha256(data).hexdigest()}"
    copy: bytes | None = cache.get(key)
    if copy is None:
        lasts = None
        try:
            made = _apart(file, simplification.simplified, data, file, triangles)
            copy = b"" if made == data else made
        except BadInput:
            logger.warning("%s: no display copy could be made.", file)
            copy, lasts = b"", RETRY_AFTER
        # Where there is no room nothing is kept.
        with contextlib.suppress(OSError):
            cache.set(key, copy, lasts)
    return copy or data


def contents(data: bytes, file: str, otherwise: Collection[str] = ()) -> list[tuple[str, bytes, Mapping[str, bytes]]]:
    """:func:`armuto.formats.contents`, apart; a file that is no archive is handed back as it is."""
    if not formats.is_archive(data, file):
        return [(file, data, {})]
    return _apart(file, formats.contents, data, file, settings.LARGEST_UNPACKED, otherwise)


def mesh_alone(data: bytes, file: str, files: Mapping[str, bytes]) -> bytes:
    """A mesh file as .glb with what it names of what lies beside it (:func:`armuto.rigging.reading.as_glb`), apart."""
    return _apart(file, reading.as_glb, data, file, files)[0]


def split(data: bytes, file: str, files: Mapping[str, bytes] | None = None) -> tuple[splitting.SplitFile, ...]:
    """:func:`armuto.ensembles.splitting.split`, apart."""
    return _apart(file, splitting.split, data, file, files)


def prop_shape(data: bytes, file: str) -> Shape:
    """:func:`armuto.ensembles.prop_meshes.mesh_shape`, apart."""
    return _apart(file, prop_meshes.mesh_shape, data, file)


def rigged(data: bytes, file: str) -> RiggedFile:
    """:func:`armuto.rigging.preparing.rig_file`, apart. What was bound is kept as :func:`bound_mesh` keeps it, since
    its bones are looked at next."""

    def make() -> RiggedFile:
        made = _apart(file, preparing.rig_file, data, file)
        _keep(made.bound, _path(["bound", made.prepared.definition.digest, made.prepared.glb]))
        return made

    return _remembered(["rigged", file, data], make)


def prepared_mesh(
    data: bytes,
    file: str,
    unit: float | None,
    up: str | None,
    plan: str | None = None,
    moves: Mapping[int, PieceMove] | None = None,
) -> PreparedMesh:
    """:func:`armuto.rigging.preparing.prepare`, apart; landmarks are guessed where the shape shows none."""
    return _apart(file, preparing.prepare, data, file, unit, up, True, plan, dict(moves or {}))


def standing_mesh(data: bytes, file: str) -> bytes | None:
    """:func:`armuto.rigging.preparing.standing_glb`, apart."""
    return _apart(file, preparing.standing_glb, data, file)


def bound_mesh(data: bytes, file: str, definition: dict[str, Any], job: str | None = None) -> BoundMesh:
    """:func:`armuto.rigging.preparing.bound_mesh`, apart, and kept for a while: it is looked at, tried and taken into
    the line-up. job: under which name its progress is said, and it is cancelled."""
    value = rig_definition.from_json(definition, file)
    what: list[str | bytes] = ["bound", value.digest, data]
    if job is None:
        return _remembered(what, lambda: _apart(file, preparing.bound_mesh, data, file, value))
    with jobs.job(job) as watched:
        report = watched.progress
        return _remembered(
            what,
            lambda: _apart(file, preparing.bound_mesh, data, file, value, report, cancelled=watched.cancelled),
        )


def _apart(file: str, function: Callable[..., T], *args: Any, cancelled: Callable[[], bool] = lambda: False) -> T:
    limits = isolation.Limits(settings.READER_MEMORY, settings.READER_SECONDS)
    try:
        with _place(file, cancelled):
            return isolation.call(function, *args, limits=limits, scratch=scratch(), cancelled=cancelled)
    except isolation.OutOfMemory:
        raise BadInput(
            f"{file}: reading it takes more than {limits.memory / 1024**2:.0f} MB of memory; split it, or export less "
            "at once."
        ) from None
    except isolation.OutOfTime:
        raise BadInput(
            f"{file}: reading it takes longer than {limits.seconds:g} s; split it, or export less at once."
        ) from None
    except isolation.Cancelled:
        raise BadInput(f"{file}: it was stopped before it was done; begin again when you like.") from None
    except isolation.Crashed:
        raise BadInput(
            f"{file}: it is damaged so that its reader ended in the middle of it; export it again."
        ) from None


@contextlib.contextmanager
def _place(file: str, cancelled: Callable[[], bool]) -> Iterator[None]:
    """Hold one of as many places as there are cores, over all processes of the studio on this machine.

    Raises :class:`BadInput` when none has become free for as long as two readings may take of the processor.
    """
    folder = workers.folder().with_suffix(".readers")
    folder.mkdir(parents=True, exist_ok=True)
    deadline = time.monotonic() + 2 * settings.READER_SECONDS
    places = [os.open(folder / str(number), os.O_CREAT | os.O_RDWR) for number in range(settings.READERS)]
    try:
        while not any(_locked(place) for place in places):
            if cancelled():
                raise isolation.Cancelled
            if time.monotonic() > deadline:
                raise BadInput(f"{file}: too much is being read at the moment; bring it in again in a minute.")
            time.sleep(WAIT)
        yield
    finally:
        for place in places:
            os.close(place)


def _locked(place: int) -> bool:
    try:
        fcntl.flock(place, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        return False
    return True
