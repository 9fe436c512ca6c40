"""Archives: what lies in a .zip, read into memory with every size bounded."""

from __future__ import annotations

import io
import posixpath
import zipfile

from armuto.errors import BadInput

MOST_FILES = 10_000
LONGEST_PATH = 1_000  # letters
LARGEST = 1024**3  # bytes of all files together, unpacked
DENSEST = 200  # times its packed size; text of motion packs to about a tenth


def unpack(data: bytes, file: str, most: int = LARGEST) -> dict[str, bytes]:
    """Path to content of all files, which may have ``most`` bytes together. Nothing is written anywhere.

    Raises :class:`BadInput`.
    """

    def refuse(what: str) -> BadInput:
        return BadInput(f"{file}: {what}; pack it again.")

    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
        rows = [row for row in archive.infolist() if not row.is_dir()]
    except (zipfile.BadZipFile, ValueError, OSError, NotImplementedError):
        raise refuse("the archive is damaged") from None
    if len(rows) > MOST_FILES:
        raise refuse(f"the archive has {len(rows)} files, more than {MOST_FILES}")
    size = sum(row.file_size for row in rows)
    if size > most:
        raise BadInput(
            f"{file}: the archive unpacks to {size / 1024**2:,.0f} MB and the limit is {most / 1024**2:,.0f} MB; "
            "split it."
        )
    if size > max(DENSEST * len(data), 10_000_000):
        raise refuse("the archive unpacks to far more than it should")
    out: dict[str, bytes] = {}
    for row in rows:
        path = posixpath.normpath(row.filename.replace("\\", "/"))
        if len(path) > LONGEST_PATH:
            raise refuse(f"“{_shown(path)}…” in the archive has a name of {len(path)} letters")
        if path.startswith(("/", "..")) or ":" in path:
            raise refuse(f"“{_shown(row.filename)}” leads out of the archive")
        if path.startswith("__MACOSX/") or posixpath.basename(path).startswith("."):
            continue
        if row.flag_bits & 1:
            raise refuse("the archive has a password")
        try:
            with archive.open(row) as held:
                content = held.read(row.file_size + 1)
        except (zipfile.BadZipFile, RuntimeError, OSError, NotImplementedError, EOFError, ValueError):
            raise refuse(f"“{_shown(path)}” in the archive is damaged") from None
        except Exception as problem:  # zlib.error and its like, by whichever method the file was packed
            raise refuse(f"“{_shown(path)}” in the archive is damaged") from problem
        if len(content) != row.file_size:
            raise refuse(f"“{_shown(path)}” in the archive is not as long as it says")
        out[path] = content
    return out


def _shown(path: str) -> str:
    """A name from outside as part of a sentence: its beginning, in letters that can be printed."""
    return "".join(letter if letter.isprintable() else "?" for letter in path[:60])
