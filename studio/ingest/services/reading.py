"""Taking files in: all of each or nothing."""

import contextlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import PurePosixPath

from django.db import transaction

from armuto import formats
from armuto.errors import BadInput
from armuto.intake import recording
from armuto.kinematics.clip import Clip as ClipValue
from studio.cast.services import keep_character, store_files
from studio.contents.services import store
from studio.ingest.services.together import performers_in, read_together, tell
from studio.library.importing import AlreadyThere, NewClip, keep_clips
from studio.library.models import Clip, Skeleton
from studio.platform import reader


@dataclass
class TakenIn:
    """Ids of what came in, and one sentence per file of an archive that did not."""

    clips: list[int] = field(default_factory=list)
    characters: list[int] = field(default_factory=list)
    refused: list[str] = field(default_factory=list)


def take_in(
    data: bytes, name: str, goes_to: str = "auto", reached: Callable[[int, int], bool] = lambda done, total: True
) -> TakenIn:
    """Read a file, or every file of an archive, and keep what they hold, in one transaction per file.

    reached is told how many of how many are done, and stops the rest by answering False; what is in stays. Raises
    :class:`BadInput` and leaves nothing behind when a plain file, or no file of an archive, can be used.
    """
    inside = reader.contents(data, name)
    if len(inside) == 1:
        return _keep_all(reader.read(data, name), data, goes_to)
    out = TakenIn()
    for done, (inner, content, files) in enumerate(inside):
        if not reached(done, len(inside)):
            break
        try:
            folder = PurePosixPath(inner).parent.name.replace("_", " ")
            stored = _keep_all(_read(content, inner, files), content, goes_to, folder, files)
        except BadInput as problem:
            out.refused.append(str(problem))
            continue
        out.clips += stored.clips
        out.characters += stored.characters
    if out.refused and not out.clips and not out.characters:
        raise BadInput(f"{name}: none of its {len(inside)} files can be used; the first: {out.refused[0]}")
    return out


def _read(content: bytes, inner: str, files: Mapping[str, bytes]) -> formats.Document:
    return reader.read(content, inner.rsplit("/", 1)[-1], files=files)


def _keep_all(
    document: formats.Document,
    data: bytes,
    goes_to: str,
    folder: str = "",
    files: Mapping[str, bytes] | None = None,
) -> TakenIn:
    """What a file holds; of one with several performers each, and the ensemble that they are."""
    parts = performers_in(document, data, document.file, goes_to, files)
    if not parts:
        return _keep(document, data, goes_to, folder)
    recorded = read_together(parts)
    out = TakenIn()
    members = {}
    bodies = (part for part in parts if part.is_body)
    for part, performer in zip(bodies, recorded.performers, strict=True):
        out.clips += _keep(performer, part.data, "library", folder).clips
        members[part.name] = out.clips[-1]
    tell(PurePosixPath(document.file).stem, members, recorded.tracks)
    return out


def _keep(document: formats.Document, data: bytes, goes_to: str, folder: str = "") -> TakenIn:
    """Left to itself, a file with a mesh bound to bones goes to the cast and any other to the library. folder: the one
    that it lies in, after which a new skeleton is called."""
    name = document.file
    if goes_to == "cast" or (goes_to == "auto" and document.skinned):
        files = store_files(document, store(data))
        with transaction.atomic():
            return TakenIn(characters=[keep_character(document, files).pk])
    if not document.clips:
        raise BadInput(
            f"{name}: there is no motion in it; export it with at least one animation, or drop it in the Cast."
        )
    content = store(data)
    present = Clip.objects.filter(take__sha256=content.sha256).order_by("pk").values_list("pk", flat=True)
    if not present:
        clips = [_as_proposed(clip) for clip in document.clips]
        skeleton_name = f"skeleton of {name.rsplit('.', 1)[0].replace('_', ' ')}"
        if folder and not Skeleton.objects.filter(name=folder).exists():
            skeleton_name = folder
        with contextlib.suppress(AlreadyThere):
            made = keep_clips(document, content, name, skeleton_name, clips, once=True)
            return TakenIn(clips=[row.pk for row in made])
    return TakenIn(clips=list(present.all()))  # the very same file again: nothing new to keep


def _as_proposed(clip: ClipValue) -> NewClip:
    """A clip as the intake proposes it: named after its file or motion, without the frames of a calibration."""
    found = recording.calibration(clip)
    name = " ".join(clip.name.replace("_", " ").split()) or "clip"
    return NewClip(clip, name, (found.frames if found else 0, clip.frames - 1))
