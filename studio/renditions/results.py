"""Revisions of renditions: made, kept, read again."""

import json
import time
from collections.abc import Callable
from dataclasses import asdict

from django.db.models import Max

from armuto.constraints.root_bone import rooted, wants_root
from armuto.kinematics.clip import Clip
from armuto.quality.findings import find, grade, rank
from armuto.retarget import fitting as core
from armuto.retarget import fitting_file
from armuto.touchups import to_json
from studio.fittings.preview import clip_value
from studio.fittings.services import layer_records
from studio.fittings.services.clip_exceptions import digest_of, of_clip, with_exceptions
from studio.fittings.services.retargeting import retarget
from studio.fittings.services.spliced import parts_digest
from studio.fittings.services.steps import OF_CLIPS, of_character, value_of
from studio.library import arrays
from studio.renditions.models import FittingRecord, Rendition, Revision, RevisionMotion


class Stopped(Exception):
    """Whoever asked for a result does not want it any more."""


def compute(row: Rendition, reached: Callable[[float], bool]) -> tuple[Revision, RevisionMotion]:
    """What the clip looks like on the character now, not yet kept.

    reached: told the share that is done, 0 to 1; where it returns False, :class:`Stopped` is raised. Raises
    :class:`~armuto.errors.BadInput` where it cannot be performed.
    """
    begun = time.perf_counter()
    own = of_clip(row.fitting.state, row.clip_id)
    value = with_exceptions(value_of(row.fitting), own)
    clip = clip_value(row.clip)
    layers = layer_records.of_clip(row.fitting.state, row.clip_id)
    touchups = layer_records.touchups_of(row.fitting.state, row.clip)
    done = retarget(row.fitting, value, row.clip, touchups=touchups)
    if not reached(0.6):
        raise Stopped
    found = find(clip, done.clip, value, done.contacts, done.trace)
    assert row.fitting.state is not None
    made = Revision(
        rendition=row,
        clip_digest=row.clip.digest,
        character_digest=row.character.digest,
        fitting_digest=row.fitting.state.digest,
        exceptions=own,
        exceptions_digest=digest_of(own),
        touchups=to_json(layers) if layers.layers else {},
        touchups_digest=layers.digest,
        parts_digest=parts_digest(row.clip_id, row.character_id),
        clip_revision=row.clip.revision,
        character_revision=row.character.revision,
        fitting_step=row.fitting.state.number,
        grade=grade(found),
        findings=[asdict(finding) for finding in found],
        rank=rank(found),
        frames=done.clip.frames,
        fps=done.clip.fps,
        seconds=time.perf_counter() - begun,
    )
    motion = RevisionMotion(
        skeleton_id=row.character.skeleton_id,
        rotations=arrays.packed(done.clip.rotations),
        moving=done.clip.moving.tolist(),
        translations=arrays.packed(done.clip.translations),
    )
    return made, motion


def keep(made: Revision, motion: RevisionMotion) -> None:
    """Put a result in force as its rendition's newest, within the caller's transaction.

    The one before it stays, to be compared with, and so does the accepted one; older ones go.
    """
    row = made.rendition
    latest = row.revisions.aggregate(Max("number"))["number__max"]
    made.number = (latest or 0) + 1
    made.save(force_insert=True)
    motion.revision = made
    motion.save(force_insert=True)
    state = row.fitting.state
    assert state is not None
    if not FittingRecord.objects.filter(digest=made.fitting_digest).exists():
        data = {key: value for key, value in state.data.items() if key not in OF_CLIPS}
        record = FittingRecord(digest=made.fitting_digest, data=data)
        FittingRecord.objects.bulk_create([record], ignore_conflicts=True)
    fields = {"newest": made, "work": Rendition.Work.NOTHING, "sentence": "", "retired": False}
    if row.accepted is not None and _the_same(row.accepted, made):
        fields["accepted"] = made
    if latest:
        row.revisions.exclude(pk__in=[made.pk, row.newest_id, row.accepted_id]).delete()
    Rendition.objects.filter(pk=row.pk).update(**fields)


def _the_same(a: Revision, b: Revision) -> bool:
    """Whether two results are the same to the last digit: what was accepted of the one holds for the other."""
    names = ("skeleton_id", "moving")
    return (
        (a.grade, a.frames, a.fps, a.findings) == (b.grade, b.frames, b.fps, json.loads(json.dumps(b.findings)))
        and all(getattr(a.motion, name) == getattr(b.motion, name) for name in names)
        and bytes(a.motion.rotations) == bytes(b.motion.rotations)
        and bytes(a.motion.translations) == bytes(b.motion.translations)
    )


def motion_of(revision: Revision) -> Clip:
    """The motion of a revision, on the skeleton it was made on."""
    motion = revision.motion
    name = revision.rendition.clip.name
    return arrays.clip_value(name, motion.skeleton.value(), revision.fps, revision.frames, motion)


def fitting_of(revision: Revision) -> core.Fitting:
    """The fitting as it was when the revision was made."""
    row = revision.rendition
    data = FittingRecord.objects.get(pk=revision.fitting_digest).data
    target = revision.motion.skeleton.value()
    value = fitting_file.from_json(json.dumps(data), row.character.name, row.fitting.skeleton.value(), target)
    value = with_exceptions(value, revision.exceptions)
    return of_character(value, row.character) if target.names == row.character.skeleton.value().names else value


def delivered(revision: Revision) -> Clip:
    """The motion as it leaves the house: on a root bone where its fitting wants one."""
    clip, fitting = motion_of(revision), fitting_of(revision)
    return rooted(clip, fitting) if wants_root(fitting) else clip
