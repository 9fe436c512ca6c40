"""Putting what the core has read into the library."""

import hashlib

import numpy as np

from armuto import intake
from armuto.formats import Document
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
    path = clip.world().positions[:, 0, [0, 2]]
    row = Clip.objects.create(
        name=free_name(" ".join(clip.name.replace("_", " ").split()) or "clip"),
        skeleton=skeleton,
        take=original,
        frames=clip.frames,
        fps=clip.fps,
        travel=float(np.linalg.norm(path[-1] - path[0])),
        notes=list(document.notes),
    )
    Motion.objects.create(
        clip=row,
        rotations=arrays.packed(clip.rotations),
        moving=clip.moving.tolist(),
        translations=arrays.packed(clip.translations),
    )
    drawn = plate(clip, document.parts)
    layout = {
        "poses": len(drawn.strokes),
        "sides": list(drawn.sides),
        "frames": list(drawn.frames),
        "width": drawn.width,
        "height": drawn.height,
    }
    Plate.objects.create(clip=row, layout=layout, strokes=arrays.packed(drawn.strokes))
    return row


def free_name(name: str) -> str:
    """The name, or the name with the next free number behind it."""
    taken = set(Clip.objects.filter(name__startswith=name).values_list("name", flat=True))
    candidate, number = name, 1
    while candidate in taken:
        number += 1
        candidate = f"{name} {number}"
    return candidate
