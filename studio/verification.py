"""Whether everything in the data file is as it was put in: contents by their hash, sizes, ranges, and references."""

from __future__ import annotations

from collections.abc import Iterator

from django.db import connection

from studio.cast.models import Character
from studio.fittings.models import FittingState, LayerRecord
from studio.library.models import Motion, Original, RefinedMotion
from studio.platform.digests import digest
from studio.renditions.models import PerformerMotion, RevisionMotion
from studio.rigs.models import RigMesh
from studio.splices.models import Splice

ROTATION, TRANSLATION = 16, 12  # bytes of a quaternion, and of a vector, as float32
NOT_WHOLE = "its motion is not whole; transfer it again."
FRAME = 8  # bytes of a frame's number, as float64


def damages() -> Iterator[str]:
    """One sentence for each thing that is not whole."""
    yield from _database()
    yield from _contents()
    for motion in Motion.objects.select_related("clip__skeleton").iterator(chunk_size=50):
        clip = motion.clip
        if len(motion.rotations) != ROTATION * clip.frames * clip.skeleton.joints:
            yield f"{clip.name}: its motion has not as many frames as it should; bring it in again as a new version."
        elif not 0 <= clip.first <= clip.last < clip.frames:
            yield f"{clip.name}: frames {clip.first} to {clip.last} are no range of its take; set its range anew."
    for refined in RefinedMotion.objects.select_related("clip__skeleton").iterator(chunk_size=50):
        clip, frames = refined.clip, len(refined.frames) // FRAME
        if frames != clip.refined_frames or len(refined.rotations) != ROTATION * frames * clip.skeleton.joints:
            yield f"{clip.name}: what its recipe has made of it is not whole; switch a step off and on again."
    yield from _layers()
    for splice in Splice.objects.select_related("clip").prefetch_related("parts").iterator(chunk_size=200):
        try:
            named = set(splice.value().clips)
        except ValueError:
            yield f"{splice.clip.name}: what it is spliced of is not whole; undo its last change, or splice it anew."
            continue
        if named != {str(part.clip_id) for part in splice.parts.all()}:
            yield f"{splice.clip.name}: a clip that it is spliced of is not there; take its span out."
    for made in RevisionMotion.objects.select_related("skeleton", "revision__rendition__clip").iterator(chunk_size=50):
        if not _whole(made):
            yield f"result {made.revision.number} of {made.revision.rendition.title}: {NOT_WHOLE}"
    of_castings = PerformerMotion.objects.select_related("skeleton", "revision__rendition__casting__ensemble")
    for motion_of_performer in of_castings.iterator(chunk_size=50):
        revision = motion_of_performer.revision
        if not _whole(motion_of_performer):
            yield f"result {revision.number} of {revision.rendition.title}: {NOT_WHOLE}"


def _contents() -> Iterator[str]:
    """Contents that are not what their hash says, by what refers to them."""
    for original in Original.objects.select_related("content").iterator(chunk_size=20):
        content = original.content
        expected = (original.sha256, original.size)
        if (content.sha256, content.size) != expected or not content.is_intact():
            yield f"{original.name}: its content is not what came in; bring the file in again as a new version."
    for character in Character.objects.select_related("display_file").iterator(chunk_size=20):
        if character.display_file is not None and not character.display_file.is_intact():
            yield f"{character.name}: its figure is not whole; bring its file in again as a new version."
    for mesh in RigMesh.objects.select_related("rig__character", "bound", "standing").iterator(chunk_size=20):
        if not all(content.is_intact() for content in (mesh.bound, mesh.standing) if content):
            yield f"{mesh.rig.character.name}: the mesh without its bones is not whole; restore a backup."


def _whole(motion: RevisionMotion | PerformerMotion) -> bool:
    return not (len(motion.rotations) % (ROTATION * motion.skeleton.joints) or len(motion.translations) % TRANSLATION)


def _layers() -> Iterator[str]:
    """Touch-ups: each layer by its hash, and none that a fitting names and that is not there."""
    whole = set()
    for record in LayerRecord.objects.iterator(chunk_size=200):
        if digest(record.data) == record.pk:
            whole.add(record.pk)
    for state in FittingState.objects.filter(data__has_key="touchups").select_related("fitting__character").iterator():
        named = {record for table in state.data["touchups"].values() for _, record in table["layers"]}
        if named - whole:
            who = state.fitting.character.name
            step = f"step {state.number} of a fitting of {who}"
            yield f"{step}: touch-ups in it are not whole; undo it, or restore a backup."


def _database() -> Iterator[str]:
    if connection.vendor != "sqlite":
        return
    with connection.cursor() as cursor:
        for (found,) in cursor.execute("PRAGMA integrity_check").fetchall():
            if found != "ok":
                yield f"The data file itself: {found}; restore a backup."
        for table, number, other, _ in cursor.execute("PRAGMA foreign_key_check").fetchall():
            yield f"Row {number} of {table} speaks of something in {other} that is not there; restore a backup."
