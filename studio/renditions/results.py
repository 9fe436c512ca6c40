"""Revisions of renditions: made, kept, read again."""

import json
import time
from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass, field
from typing import Any

from django.db.models import Max

from armuto.constraints.root_bone import rooted, wants_root
from armuto.kinematics.clip import Clip
from armuto.kinematics.skeleton import Skeleton
from armuto.quality.findings import find, grade, rank
from armuto.retarget import fitting as core
from armuto.retarget import fitting_file
from armuto.touchups import to_json
from studio.cast.models import Character
from studio.fittings.models import FittingState
from studio.fittings.preview import clip_value
from studio.fittings.services import layer_records
from studio.fittings.services.clip_exceptions import digest_of, of_clip, with_exceptions
from studio.fittings.services.retargeting import retarget
from studio.fittings.services.spliced import parts_digest
from studio.fittings.services.steps import OF_CLIPS, of_character, value_of
from studio.library import arrays
from studio.renditions.models import CastingResult, FittingRecord, PerformerMotion, Rendition, Revision, RevisionMotion


class Stopped(Exception):
    """Whoever asked for a result does not want it any more."""


@dataclass(frozen=True)
class Made:
    """A result that is not kept yet. parts: rows that belong to its revision; states: of the fittings it was made
    through."""

    revision: Revision
    parts: list[RevisionMotion | CastingResult | PerformerMotion]
    states: list[FittingState] = field(default_factory=list)


def compute(row: Rendition, reached: Callable[[float], bool]) -> Made:
    """What the clip looks like on the character now, not yet kept.

    reached: told the share that is done, 0 to 1; where it returns False, :class:`Stopped` is raised. Raises
    :class:`~armuto.errors.BadInput` where it cannot be performed.
    """
    begun = time.perf_counter()
    assert row.clip is not None and row.character is not None and row.fitting is not None
    assert row.fitting.state is not None
    own = of_clip(row.fitting.state, row.clip.pk)
    value = with_exceptions(value_of(row.fitting), own)
    clip = clip_value(row.clip)
    layers = layer_records.of_clip(row.fitting.state, row.clip.pk)
    touchups = layer_records.touchups_of(row.fitting.state, row.clip)
    done = retarget(row.fitting, value, row.clip, touchups=touchups)
    if not reached(0.6):
        raise Stopped
    found = find(clip, done.clip, value, done.contacts, done.trace)
    made = Revision(
        rendition=row,
        clip_digest=row.clip.digest,
        character_digest=row.character.digest,
        fitting_digest=row.fitting.state.digest,
        exceptions=own,
        exceptions_digest=digest_of(own),
        touchups=to_json(layers) if layers.layers else {},
        touchups_digest=layers.digest,
        parts_digest=parts_digest(row.clip.pk, row.character.pk),
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
    motion = RevisionMotion(skeleton_id=row.character.skeleton_id, **packed_motion(done.clip))
    return Made(made, [motion], [row.fitting.state])


def packed_motion(clip: Clip) -> dict[str, Any]:
    """A clip's motion in the fields of a row that keeps it."""
    return {
        "rotations": arrays.packed(clip.rotations),
        "moving": clip.moving.tolist(),
        "translations": arrays.packed(clip.translations),
    }


def keep(result: Made) -> None:
    """Put a result in force as its rendition's newest, within the caller's transaction.

    The one before it stays, to be compared with, and so does the accepted one; older ones go.
    """
    made = result.revision
    row = made.rendition
    latest = row.revisions.aggregate(Max("number"))["number__max"]
    made.number = (latest or 0) + 1
    made.save(force_insert=True)
    for part in result.parts:
        part.revision = made
        part.save(force_insert=True)
    for state in result.states:
        if not FittingRecord.objects.filter(digest=state.digest).exists():
            data = {key: value for key, value in state.data.items() if key not in OF_CLIPS}
            record = FittingRecord(digest=state.digest, data=data)
            FittingRecord.objects.bulk_create([record], ignore_conflicts=True)
    fields = {"newest": made, "work": Rendition.Work.NOTHING, "sentence": "", "retired": False}
    if row.accepted is not None and _the_same(row.accepted, made):
        fields["accepted"] = made
    if latest:
        row.revisions.exclude(pk__in=[made.pk, row.newest_id, row.accepted_id]).delete()
    Rendition.objects.filter(pk=row.pk).update(**fields)


def _the_same(a: Revision, b: Revision) -> bool:
    """Whether two results are the same to the last digit: what was accepted of the one holds for the other."""
    return (
        (a.grade, a.frames, a.fps, a.findings) == (b.grade, b.frames, b.fps, json.loads(json.dumps(b.findings)))
        and [_contents(motion) for motion in _motions(a)] == [_contents(motion) for motion in _motions(b)]
        and _props(a) == _props(b)
    )


def _motions(made: Revision) -> list[RevisionMotion | PerformerMotion]:
    return list(made.performers.all()) or [made.motion]


def _contents(motion: RevisionMotion | PerformerMotion) -> tuple[Any, ...]:
    return motion.skeleton_id, motion.moving, bytes(motion.rotations), bytes(motion.translations)


def _props(made: Revision) -> tuple[Any, ...]:
    about = CastingResult.objects.filter(revision=made).first()
    return (about.props, bytes(about.tracks)) if about else ()


def other_bones(made: Revision) -> str:
    """Why a result cannot be shown or written: somebody has other bones now. Empty where nobody has."""
    row = made.rendition
    figures = [(part.character, part.skeleton_id) for part in made.performers.select_related("character")]
    for character, skeleton in figures or [(row.transferred[1], made.motion.skeleton_id)]:
        if skeleton != character.skeleton_id:
            return of_other_bones(row.title, character)
    return ""


def of_other_bones(title: str, character: Character) -> str:
    return (
        f"{title}: it was made for an earlier version of {character.name}, with other bones; bring it up to date first."
    )


def motion_of(revision: Revision) -> Clip:
    """The motion of a revision, on the skeleton it was made on."""
    motion = revision.motion
    name = revision.rendition.title
    return arrays.clip_value(name, motion.skeleton.value(), revision.fps, revision.frames, motion)


def fitting_of(revision: Revision) -> core.Fitting:
    """The fitting as it was when the revision was made."""
    row = revision.rendition
    assert row.fitting is not None and row.character is not None
    source, target = row.fitting.skeleton.value(), revision.motion.skeleton.value()
    return fitting_record_value(revision.fitting_digest, revision.exceptions, row.character, source, target)


def fitting_record_value(
    digest: str, exceptions: Mapping[str, Any], character: Character, source: Skeleton, target: Skeleton
) -> core.Fitting:
    """A fitting as it was recorded, between these skeletons."""
    data = FittingRecord.objects.get(pk=digest).data
    value = fitting_file.from_json(json.dumps(data), character.name, source, target)
    value = with_exceptions(value, exceptions)
    return of_character(value, character) if target.names == character.skeleton.value().names else value


def delivered(revision: Revision) -> Clip:
    """The motion as it leaves the house: on a root bone where its fitting wants one."""
    clip, fitting = motion_of(revision), fitting_of(revision)
    return rooted(clip, fitting) if wants_root(fitting) else clip
