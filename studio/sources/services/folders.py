"""Watching folders: new and changed files, taken in once nobody writes to them any more."""

import hashlib
import os
import time
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from functools import cache
from itertools import islice
from pathlib import Path, PurePosixPath

from django.conf import settings

from armuto.choices import READ
from armuto.errors import BadInput
from armuto.rigging.reading import KINDS
from studio.ingest.services import companions
from studio.platform.uploads import check_size, file_path
from studio.sources.models import Source, SourceItem
from studio.sources.services.intake import lay_before, refuse

SETTLED = 2.0  # seconds for which a file has not changed, until it is read
DEEPEST = 6  # folders within folders
MOST_FILES = 20_000
ASIDE = "taken in"  # the folder within the watched one into which files are put
ENDINGS = tuple(f".{kind}" for kind in (*READ, *KINDS, "zip"))
#: Names that programs give to what they have not finished.
UNFINISHED = (".part", ".tmp", ".crdownload", ".download", "~")

State = SourceItem.State


@dataclass(frozen=True)
class Listed:
    """A file as it lies there: its size in bytes, when it was changed last in nanoseconds, and the same of all that it
    may name together, where there is any."""

    path: str
    size: int
    changed: int
    beside: str = ""

    @property
    def version(self) -> str:
        return f"{self.size} {self.changed} {self.beside}".rstrip()


def checked_folder(location: str) -> str:
    """The folder as it is kept. Raises :class:`BadInput` for one that cannot be watched."""
    path = Path(location.strip()).expanduser()
    if not path.is_absolute():
        raise BadInput(f"{location[:200]}: say the whole path of the folder, from the top of the disk.")
    try:
        path = path.resolve(strict=True)
        next(path.iterdir(), None)
    except NotADirectoryError:
        raise BadInput(f"{path}: this is a file; say the folder that it lies in.") from None
    except (OSError, ValueError, RuntimeError) as problem:
        why = "there is no such folder" if isinstance(problem, FileNotFoundError) else "it cannot be opened"
        raise BadInput(f"{location[:200]}: {why} on the machine where the studio runs.") from None
    data = settings.DATA.resolve()
    if path == data or path in data.parents or data in path.parents:
        raise BadInput(f"{path}: the studio's own data lie there; watch another folder.")
    roots = settings.SOURCE_ROOTS
    if roots and not any(path == root or root in path.parents for root in roots):
        raise BadInput(f"{path}: it lies outside of what may be watched ({', '.join(map(str, roots))}).")
    return str(path)


def _entries(root: Path, wanted: Callable[[str], bool]) -> Iterator[tuple[str, os.stat_result]]:
    """Whole paths of wanted files in a folder and those within it. Raises OSError where it cannot be opened."""
    folders = [(root, 0)]
    while folders:
        folder, depth = folders.pop()
        try:
            entries = sorted(os.scandir(folder), key=lambda entry: entry.name)
        except OSError:
            if depth == 0:
                raise
            continue  # one within that is closed to us keeps no other back
        for entry in entries:
            if entry.name.startswith(".") or entry.name.lower().endswith(UNFINISHED):
                continue
            try:
                # What a link points at may lie anywhere; only what lies here is read.
                if entry.is_dir(follow_symlinks=False):
                    if depth < DEEPEST and not (depth == 0 and entry.name == ASIDE):
                        folders.append((Path(entry.path), depth + 1))
                elif entry.is_file(follow_symlinks=False) and wanted(entry.name):
                    yield entry.path, entry.stat(follow_symlinks=False)
            except OSError:
                continue  # it went meanwhile


def listing(root: Path) -> Iterator[Listed]:
    """Every file that could be read, in this folder and those within it. Raises OSError where it cannot be opened."""
    beside = cache(_beside)
    files = _entries(root, lambda name: name.lower().endswith(ENDINGS))
    for path, about in islice(files, MOST_FILES):
        near = beside(Path(path).parent)[1] if companions.names_others(path) else ""
        yield Listed(os.path.relpath(path, root), about.st_size, about.st_mtime_ns, near)


def _beside(folder: Path) -> tuple[list[Path], str]:
    """What a file in a folder may name, and how many these are, their size, and when the newest was changed."""
    wanted = islice(_entries(folder, companions.may_be_named), MOST_FILES)
    files = [(path, about) for path, about in wanted if _is_text(path)]
    if not files:
        return [], ""
    size, newest = sum(about.st_size for _, about in files), max(about.st_mtime_ns for _, about in files)
    return [Path(path) for path, _ in files], f"{len(files)} {size} {newest}"


def _listed(root: Path, key: str) -> tuple[Listed, list[Path]]:
    """A file as it lies there now, and what it may name."""
    about = (root / key).stat()
    near, beside = _beside((root / key).parent) if companions.names_others(key) else ([], "")
    return Listed(key, about.st_size, about.st_mtime_ns, beside), near


def _is_text(path: str) -> bool:
    """Whether all of a path could be read as text; bytes that could not stand in it as lone surrogates."""
    return not any("\ud800" <= letter <= "\udfff" for letter in path)


def look(source: Source, now: float | None = None) -> int:
    """Look at a folder: note what is new or has changed, and take in what has settled since. Returns how many files
    came into the intake. now: seconds of a clock that only goes on. Raises :class:`BadInput` where it cannot be opened;
    what it holds is kept as it is known."""
    now = time.monotonic() if now is None else now
    root = Path(source.location)
    try:
        files = {file.path: file for file in listing(root)}
    except OSError:
        raise BadInput(f"{source.location}: the folder cannot be opened; see that it is there.") from None
    known = {item.key: item for item in source.items.all()}
    count = 0
    for path, file in files.items():
        item = known.get(path)
        if item is None:
            # A path that no text can hold cannot be kept by it; it is named where somebody looks.
            if len(path) > 500 or not _is_text(path):
                continue
            fields = {"version": file.version, "seen": now}
            SourceItem.objects.get_or_create(source=source, key=path, defaults=fields)
        elif item.version != file.version or item.state == State.GONE:
            _changed(item, file, now)
        elif item.state in (State.NEW, State.NEWER) and (now - item.seen >= SETTLED or now < item.seen):
            count += take(item, root)
    _gone(known, files)
    return count


def _changed(item: SourceItem, file: Listed, now: float) -> None:
    item.version, item.seen = file.version, now
    if file.version == item.taken_version:
        item.state = State.TAKEN
    else:
        item.state = State.NEWER if item.sha256 else State.NEW
    item.sentence = ""
    item.save(update_fields=["version", "seen", "state", "sentence"])


def _gone(known: Mapping[str, SourceItem], files: Mapping[str, Listed]) -> None:
    """What was put aside after it was taken stays known as taken; anything else that is no longer there is gone."""
    for path, item in known.items():
        if path not in files and item.state not in (State.TAKEN, State.GONE):
            SourceItem.objects.filter(pk=item.pk).update(state=State.GONE)


def take(item: SourceItem, root: Path) -> bool:
    """Read a settled file and lay it before somebody. Returns whether it came in; not where its bytes did before, or it
    has changed while it was read."""
    path = root / item.key
    try:
        before, near = _listed(root, item.key)
        check_size(item.key, before.size, settings.LARGEST_UPLOAD)
        content = path.read_bytes()
        name, data = companions.with_named(path, content, near, settings.LARGEST_UPLOAD)
        after, _ = _listed(root, item.key)
    except BadInput as problem:
        refuse(item, str(problem))
        return False
    except OSError:
        refuse(item, f"{item.key}: it cannot be opened; see that it may be read.")
        return False
    if before != after or len(content) != after.size:
        return False  # it is being written again, and settles anew
    item.version = after.version
    where = PurePosixPath(root.name, item.key).with_name(name)
    came = lay_before(item, data, hashlib.sha256(data).hexdigest(), file_path(str(where)))
    if item.source.moves:
        _put_aside(item, root, path)
    return came


def _put_aside(item: SourceItem, root: Path, path: Path) -> None:
    """Under the folder for what is taken in, by a name that is free there. What cannot be moved stays, and is known."""
    there = root / ASIDE / item.key
    try:
        there.parent.mkdir(parents=True, exist_ok=True)
        number = 1
        while there.exists():
            number += 1
            there = there.with_name(f"{path.stem} {number}{path.suffix}")
        path.rename(there)
    except OSError:
        sentence = f"{item.key}: it is in the intake, but could not be put aside; see who may write to the folder."
        SourceItem.objects.filter(pk=item.pk).update(sentence=sentence)
