"""Files that came one by one and name each other, as a mesh its materials and these their pictures: packed together, so
that each is read with what it names, as in an archive that somebody packed by hand."""

import io
import zipfile
from collections.abc import Mapping, Sequence
from pathlib import PurePosixPath
from urllib.parse import unquote_to_bytes

from armuto.choices import READ
from armuto.rigging.reading import KINDS

NAMING = (("gltf", "dae"), ("obj",))  # endings of files that name others; an archive of meshes holds nothing else
LISTS = "mtl"  # what is named and names others in its turn
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
    What nobody names stays as it is."""
    held = dict(files)
    beside = {path: content for path, content in held.items() if _ending(path) not in FILES}
    archives: list[Named] = []
    packed_away: set[str] = set()
    for endings in NAMING:
        naming: set[str] = set()
        named: set[str] = set()
        for path in (path for path in held if _ending(path) in endings):
            if found := _named(path, held[path], beside):
                naming.add(path)
                named |= found
        if naming:
            archives.append(_archive({path: held[path] for path in sorted(naming | named)}, min(naming)))
            packed_away |= naming | named
    return [*((path, content) for path, content in files if path not in packed_away), *archives]


def _ending(path: str) -> str:
    return PurePosixPath(path).suffix.lower().lstrip(".")


def _named(path: str, content: bytes, beside: dict[str, bytes]) -> set[str]:
    """Which of those that lie in the file's folder or below it are named in it, or in a list that is."""
    folder = path.rpartition("/")[0]
    near = {other for other in beside if not folder or other.startswith(f"{folder}/")}
    out: set[str] = set()
    texts = [content]
    while texts:
        text = unquote_to_bytes(texts.pop())
        found = {other for other in near - out if other.rpartition("/")[2].encode() in text}
        texts += [beside[other] for other in found if _ending(other) == LISTS]
        out |= found
    return out


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
