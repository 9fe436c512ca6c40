"""Clips whose motion is made here, of other clips."""

from armuto.kinematics.clip import Clip as ClipValue
from studio.library import arrays
from studio.library.models import Clip, Motion, Original, Skeleton
from studio.library.services import keep_motion, motion_of, set_motion


def create_derived_clip(name: str, skeleton: Skeleton, original: Original, clip: ClipValue) -> Clip:
    """original: what the clip was made of, as a file."""
    row = Clip(name=name, skeleton=skeleton, take=original)
    _keep(row, clip)
    return row


def renew_derived_clip(row: Clip, original: Original, clip: ClipValue) -> None:
    """Another motion for the clip, where it is another. A range that somebody has set stays, as far as there is
    motion."""
    row.take = original
    row.revision += arrays.content_hash(clip, row.skeleton.identity) != row.content
    _keep(row, clip)


def _keep(row: Clip, clip: ClipValue) -> None:
    parts = row.skeleton.assignment()
    whole = row.pk is None or (row.first, row.last) == (0, row.frames - 1)
    trim = (0, clip.frames - 1) if whole else (min(row.first, clip.frames - 1), min(row.last, clip.frames - 1))
    row.frames, row.fps = clip.frames, clip.fps
    row.content = arrays.content_hash(clip, row.skeleton.identity)
    refined = set_motion(row, clip, *trim, parts)
    row.save()
    Motion.objects.update_or_create(clip=row, defaults=motion_of(clip))
    keep_motion(row, refined, parts)
