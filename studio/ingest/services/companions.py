"""Sidecar files: what came one by one and names each other, as a mesh its materials and these their pictures, is packed
together, so that each is read with what it names, as in an archive that somebody packed by hand."""

import io
import re
import zipfile
from collections.abc import Callable, Iterable, Mapping, Sequence, Set
from pathlib import Path, PurePosixPath
from urllib.parse import unquote_to_bytes

from armuto.choices import READ
from armuto.rigging.reading import KINDS
from studio.platform.uploads import check_size

NAMING = (("gltf", "dae"), ("obj",))  # endings of files that name others; an archive of meshes holds nothing else
LISTS = "mtl"  # what is named and names others in its turn
ENDINGS = ("mtl", "bin", "png", "jpg", "jpeg", "tga", "bmp", "tif", "tiff")  # of what is looked for on a disk
FILES = {*READ, *KINDS, "zip"}  # endings of files that stand by themselves

Named = tuple[str, bytes]


def archive_of(files: Mapping[str, bytes], compression: int = zipfile.ZIP_STORED) -> bytes:
    """Files by their paths as an archive. The same files give the same bytes, by which they are known again."""
    data = io.BytesIO()
    with zipfile.ZipFile(data, "w", compression) as archive:
        for path, content in sorted(files.items()):
            archive.writestr(zipfile.ZipInfo(path), content, compression)
    return data.getvalue()


def packed(files: Sequence[Named]) -> list[Named]:
    """Files as paths and contents, with an archive in place of those that name others which are there, and of these.
    What nobody names stays as it is, and so does a second file of a path."""
    held: dict[str, bytes] = {}
    again: list[Named] = []
    for path, content in files:
        if path in held:
            again.append((path, content))
        held.setdefault(path, content)
    beside = {path: content for path, content in held.items() if _ending(path) not in FILES}
    archives: list[Named] = []
    packed_away: set[str] = set()
    for endings in NAMING:
        naming: set[str] = set()
        named: set[str] = set()
        for path in (path for path in held if _ending(path) in endings):
            folder = path.rpartition("/")[0]
            near = {other for other in beside if not folder or other.startswith(f"{folder}/")}
            if found := _named(path, held[path], near, beside.__getitem__):
                naming.add(path)
                named |= found
        if naming:
            archives.append(_archive({path: held[path] for path in sorted(naming | named)}, min(naming)))
            packed_away |= naming | named
    alone = [(path, content) for path, content in held.items() if path not in packed_away]
    return [*alone, *again, *archives]


def names_others(path: str) -> bool:
    """Whether a file may name others that lie beside it."""
    return any(_ending(path) in endings for endings in NAMING)


def may_be_named(path: str) -> bool:
    return _ending(path) in ENDINGS


def with_named(path: Path, content: bytes, near: Iterable[Path], most: int) -> Named:
    """A file on a disk, packed with those that it names of some near it, which lie in its folder or below.

    most: bytes that all may have together. Raises :class:`BadInput` for more, and :class:`OSError`.
    """
    beside = {other.relative_to(path.parent).as_posix(): other for other in near}
    held = {path.name: content}

    def read(name: str) -> bytes:
        size = sum(map(len, held.values())) + beside[name].stat().st_size
        check_size(f"{path.name} with what it names", size, most)
        held[name] = beside[name].read_bytes()
        return held[name]

    for name in _named(path.name, content, set(beside), read):
        if name not in held:
            read(name)
    return (path.name, content) if len(held) == 1 else _archive(held, path.name)


def _ending(path: str) -> str:
    return PurePosixPath(path).suffix.lower().lstrip(".")


def _named(path: str, content: bytes, near: Set[str], read: Callable[[str], bytes]) -> set[str]:
    """Which of those near a file are named in it, or in a list that is."""
    out: set[str] = set()
    texts = [_naming_text(path, content)]
    while texts:
        text = unquote_to_bytes(texts.pop())
        found = {other for other in near - out if other.rpartition("/")[2].encode() in text}
        texts += [read(other) for other in found if _ending(other) == LISTS]
        out |= found
    return out


def _naming_text(path: str, content: bytes) -> bytes:
    """The part of a file that names others: the rest is long, and looked through once for each that may be named."""
    ending = _ending(path)
    if ending == "obj":
        return b"\n".join(re.findall(rb"(?mi)^[ \t]*mtllib[^\r\n]*", content))
    if ending == "dae":
        return b"\n".join(re.findall(rb"<(?:init_from|ref)\b[^>]*>[^<]*", content))
    return re.sub(rb'"data:[^"]*', b"", content)


def _archive(held: dict[str, bytes], first: str) -> Named:
    """Packed as they lie in the folder that is common to them, and called like it, or like the first of them."""
    folders = [PurePosixPath(path).parent.parts for path in held]
    common = [parts[0] for parts in zip(*folders, strict=False) if len(set(parts)) == 1]
    while any(list(parts[: len(common)]) != common for parts in folders):
        common.pop()
    start = "/".join([*common, ""])
    name = common[-1] if common else PurePosixPath(first).stem
    data = archive_of({path.removeprefix(start): content for path, content in held.items()})
    return f"{'/'.join([*common[:-1], name])}.zip", data
