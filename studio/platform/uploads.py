"""The way in for every file: its name and its bytes, within the limits."""

from pathlib import PurePosixPath, PureWindowsPath

from django.conf import settings
from ninja.files import UploadedFile

from armuto.errors import BadInput
from armuto.formats.bounds import LONGEST_NAME

MB = 1024 * 1024


class TooLarge(BadInput):
    """A file that is larger than the studio takes."""


def received(file: UploadedFile, most: int | None = None) -> tuple[str, bytes]:
    """Name without folders, and content. most: bytes, where less than the studio's limit will do.

    Raises :class:`TooLarge` before anything is read, and :class:`BadInput` for a name that no system would take.
    """
    name = file_name(file.name)
    check_size(name, file.size or 0, settings.LARGEST_UPLOAD if most is None else most)
    return name, file.read()


def check_size(name: str, size: int, most: int) -> None:
    """Raises :class:`TooLarge`."""
    if size > most:
        raise TooLarge(
            f"{name}: the file has {_mb(size)} MB and the limit is {_mb(most)} MB; split it, or choose another file."
        )


def _mb(size: int) -> str:
    return f"{size / MB:.0f}" if size >= 10 * MB else f"{size / MB:.2g}"


def file_name(name: str | None) -> str:
    """The last part of a path of any system."""
    return checked_length(PurePosixPath(PureWindowsPath(name or "file").name).name or "file")


def file_path(name: str | None) -> str:
    """A path of any system without what leads out of its folder, and without outer folders where it is too long.

    Raises :class:`BadInput` for a name that no system would take.
    """
    parts = PurePosixPath(*PureWindowsPath(name or "file").parts).parts
    names = [part for part in parts if part not in ("..", "/", ".")] or ["file"]
    checked_length(names[-1])
    while len("/".join(names)) > LONGEST_NAME:
        names.pop(0)
    return "/".join(names)


def checked_length(name: str) -> str:
    if len(name) > LONGEST_NAME:
        raise BadInput(f"{name[:60]}…: the name has {len(name)} letters, more than {LONGEST_NAME}; rename the file.")
    return name
