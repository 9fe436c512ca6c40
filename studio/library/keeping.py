"""Putting what the core has read into the library."""

import hashlib

from django.db import transaction

from armuto import intake, takes
from armuto.errors import BadInput
from armuto.formats import Document
from armuto.pairing import Assignment, Found
from armuto.plate import plate
from armuto.skeleton import Clip as ClipValue
from armuto.skeleton import Skeleton as SkeletonValue
from studio.library import arrays
from studio.library.models import Clip, Motion, Original, OriginalContent, Plate, Skeleton


def keep_original(data: bytes, name: str, kind: str) -> Original:
    """The file as an original; the same bytes are kept once, under the name they first came with."""
    digest = hashlib.sha256(data).hexdigest()
    original, new = Original.objects.get_or_create(
        sha256=digest, defaults={"name": name, "format": kind, "size": len(data)}
    )
    if new:
        OriginalContent.objects.create(original=original, data=data)
    return original


def keep_skeleton(document: Document, name: str) -> Skeleton:
    """The document's skeleton, or the one already there with the same identity."""
    value: SkeletonValue = document.skeleton
    names = value.names
    row, _ = Skeleton.objects.get_or_create(
        identity=arrays.identity(value),
        defaults={
            "name": name,
            "tree": arrays.skeleton_tree(value),
            "parts": {part: [names[bone.joint] for bone in bones] for part, bones in document.parts.items()},
            "joints": len(value),
            "height": document.height,
            "facing": intake.facing(value, document.parts)[0],
        },
    )
    return row


def keep_clips(document: Document, original: Original, skeleton: Skeleton) -> list[Clip]:
    """All clips of the document with their motion and plates. Names that are taken get a number."""
    return [_keep_clip(document, clip, original, skeleton) for clip in document.clips]


def _keep_clip(document: Document, clip: ClipValue, original: Original, skeleton: Skeleton) -> Clip:
    found = takes.calibration(clip)
    row = Clip.objects.create(
        name=free_name(" ".join(clip.name.replace("_", " ").split()) or "clip"),
        skeleton=skeleton,
        take=original,
        frames=clip.frames,
        first=found.frames if found else 0,
        last=clip.frames - 1,
        fps=clip.fps,
        travel=takes.travel(takes.without_calibration(clip)),
        calibration=found.frames if found else 0,
        notes=[*document.notes, *takes.findings_in_words(clip)],
    )
    Motion.objects.create(
        clip=row,
        rotations=arrays.packed(clip.rotations),
        moving=clip.moving.tolist(),
        translations=arrays.packed(clip.translations),
    )
    draw_plate(row, takes.without_calibration(clip), document.parts)
    return row


def draw_plate(row: Clip, clip: ClipValue, parts: Assignment) -> None:
    """Make the plate of a clip's present range and keep it."""
    drawn = plate(clip, parts)
    layout = {
        "poses": len(drawn.strokes),
        "sides": list(drawn.sides),
        "frames": list(drawn.frames),
        "width": drawn.width,
        "height": drawn.height,
    }
    Plate.objects.update_or_create(clip=row, defaults={"layout": layout, "strokes": arrays.packed(drawn.strokes)})


@transaction.atomic
def change_clip(
    row: Clip,
    name: str | None = None,
    tags: list[str] | None = None,
    retired: bool | None = None,
    first: int | None = None,
    last: int | None = None,
) -> None:
    """Change what is given. Another range is another revision: what was made from the clip is then out of date.

    Raises :class:`BadInput` for a name that is empty or taken and for a range outside the take.
    """
    if name is not None:
        row.name = " ".join(name.split())[:255]
        if not row.name:
            raise BadInput("A clip needs a name; type one.")
        if Clip.objects.filter(name=row.name).exclude(pk=row.pk).exists():
            raise BadInput(f"{row.name}: another clip has this name; choose one that is free.")
    if tags is not None:
        row.tags = sorted({" ".join(tag.split())[:60] for tag in tags if tag.strip()}, key=str.lower)
    if retired is not None:
        row.retired = retired
    wanted = (row.first if first is None else first, row.last if last is None else last)
    if wanted != (row.first, row.last):
        try:
            clip = row.whole().cut(*wanted)
        except ValueError:
            raise BadInput(
                f"{row.name}: frames {wanted[0]} to {wanted[1]} are not a range of its take, which has 0 to {row.frames - 1}."
            ) from None
        row.first, row.last = wanted
        row.travel = takes.travel(clip)
        row.revision += 1
        names = clip.skeleton.index
        parts = {p: tuple(Found(names[n], 1.0, "kept") for n in bones) for p, bones in row.skeleton.parts.items()}
        draw_plate(row, clip, parts)
    row.save()


def free_name(name: str) -> str:
    """The name, or the name with the next free number behind it."""
    taken = set(Clip.objects.filter(name__startswith=name).values_list("name", flat=True))
    candidate, number = name, 1
    while candidate in taken:
        number += 1
        candidate = f"{name} {number}"
    return candidate
