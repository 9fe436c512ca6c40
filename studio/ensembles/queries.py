"""What ensembles come to: the recording, and what a casting makes of it, kept while somebody works with it."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import asdict
from functools import lru_cache
from typing import Any

import numpy as np
from django.db.models import Prefetch

from armuto.contacts.model import Contact, ContactSet
from armuto.ensembles import model as core
from armuto.ensembles.casting import Recording, read_recording
from armuto.ensembles.measures import EnsembleMeasures, measure_ensemble
from armuto.ensembles.pipeline import EnsembleResult, perform_ensemble
from armuto.ensembles.prop_motion import PropMotion
from armuto.errors import BadInput
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip as ClipValue
from armuto.retarget.fitting import Fitting as FittingValue
from armuto.retarget.fitting import fit
from studio.ensembles.models import Casting, Ensemble, EnsemblePerformer, PropTrack, Role
from studio.fittings.models import Fitting
from studio.fittings.preview import clip_value, contacts_of
from studio.fittings.services.clip_exceptions import for_clip, of_clip
from studio.fittings.services.steps import proposal, value_of
from studio.library.arrays import unpacked
from studio.library.models import Skeleton as SkeletonRow
from studio.platform.digests import digest

TRACK = "track "  # before the name of a prop's own clip


def value_of_ensemble(row: Ensemble) -> core.Ensemble:
    """The core's value: clips by their numbers. Raises :class:`BadInput` where it is none."""
    performers = [
        {"name": each.name, "clip": str(each.clip_id), "start": each.clip.first + each.shift}
        for each in row.performers.select_related("clip")
    ]
    try:
        return core.from_json({**row.data, "name": row.name, "performers": performers})
    except ValueError as problem:
        raise BadInput(f"{row.name}: {problem}.") from None


def value_of_casting(row: Casting) -> core.Casting:
    """The core's value: characters by their numbers. Raises :class:`BadInput` where it is none."""
    cast = {role.performer.name: str(role.character_id) for role in row.roles.select_related("performer")}
    try:
        return core.casting_from_json({**row.data, "name": row.name, "cast": cast})
    except ValueError as problem:
        raise BadInput(f"{row.name}: {problem}.") from None


def recording_of(row: Ensemble) -> Recording:
    """An ensemble as it was recorded. Raises :class:`~armuto.errors.BadInput` where it cannot be put together."""
    return _recording(row.pk, _digest_of_recording(row))


def performance_of(row: Casting) -> EnsembleResult:
    """What a casting does, through the fittings of its characters."""
    return _performance(row.pk, digest_of_casting(row))


def measures_of(row: Casting) -> EnsembleMeasures:
    return _measures(row.pk, digest_of_casting(row))


def digest_of_casting(row: Casting) -> str:
    """Of everything that a casting's performance is made of."""
    return digests_of_castings([row.pk])[row.pk]


def digests_of_castings(ids: Iterable[int]) -> dict[int, str]:
    """The same of many, in as many questions to the database as of one."""
    people = EnsemblePerformer.objects.select_related("clip__skeleton").defer("clip__skeleton__tree").order_by("pk")
    roles = Role.objects.select_related("character").order_by("pk")
    rows = (
        Casting.objects.filter(pk__in=list(ids))
        .select_related("ensemble")
        .prefetch_related(
            Prefetch("ensemble__performers", people),
            Prefetch("ensemble__tracks", PropTrack.objects.defer("motion")),
            Prefetch("roles", roles),
        )
    )
    pairs = {
        (performer.clip.skeleton_id, role.character_id)
        for row in rows
        for role in row.roles.all()
        for performer in row.ensemble.performers.all()
        if performer.pk == role.performer_id
    }
    fittings = {
        (fitting.skeleton_id, fitting.character_id): fitting
        for fitting in Fitting.objects.filter(
            skeleton_id__in={skeleton for skeleton, _ in pairs}, character_id__in={who for _, who in pairs}
        ).select_related("state")
    }
    return {row.pk: _digest_of_performance(row, fittings) for row in rows}


def _digest_of_recording(row: Ensemble) -> str:
    people = sorted(row.performers.all(), key=lambda each: each.pk)
    return digest(
        row.name,
        row.data,
        [
            (each.name, each.shift, each.clip.digest, each.clip.skeleton.identity, each.clip.skeleton.observed)
            for each in people
        ],
        [(track.name, track.digest) for track in row.tracks.all()],
    )


def _digest_of_performance(row: Casting, fittings: Mapping[tuple[int, int], Fitting]) -> str:
    clips = {performer.pk: performer.clip for performer in row.ensemble.performers.all()}
    roles = list(row.roles.all())
    states = [
        fitting.state if (fitting := fittings.get((clips[role.performer_id].skeleton_id, role.character_id))) else None
        for role in roles
    ]
    return digest(
        _digest_of_recording(row.ensemble),
        row.data,
        [(role.performer_id, role.character.digest) for role in roles],
        [
            state and (state.digest, of_clip(state, clips[role.performer_id].pk))
            for state, role in zip(states, roles, strict=True)
        ],
        [clips[role.performer_id].contacts for role in roles],
    )


def fitting_of(role: Role) -> Fitting | None:
    """The fitting that a character plays a performer through, where it still is there and pairs anything."""
    skeleton = role.performer.clip.skeleton_id
    rows = Fitting.objects.select_related("state", "skeleton", "character__skeleton").exclude(state=None)
    found = rows.filter(skeleton_id=skeleton, character_id=role.character_id).first()
    return found if found and found.state and found.state.data["pairs"] else None


@lru_cache(maxsize=8)
def _recording(pk: int, _: str) -> Recording:
    row = Ensemble.objects.get(pk=pk)
    clips: dict[str, ClipValue] = {TRACK + track.name: track_value(track) for track in row.tracks.all()}
    own: dict[str, FittingValue] = {}
    for each in row.performers.select_related("clip__skeleton"):
        clips[str(each.clip_id)] = clip_value(each.clip)
        own[each.name] = _on_itself(each.clip.skeleton)
    return read_recording(value_of_ensemble(row), clips, own)


def _on_itself(skeleton: SkeletonRow) -> FittingValue:
    value, parts = skeleton.value(), skeleton.assignment()
    return fit(value, value, parts, parts)


@lru_cache(maxsize=8)
def _performance(pk: int, _: str) -> EnsembleResult:
    return perform(Casting.objects.select_related("ensemble").get(pk=pk))


def perform(row: Casting, reached: Callable[[float], None] = lambda _: None) -> EnsembleResult:
    """What a casting does, worked out now. reached: told the share that is done; whatever it raises ends the work."""
    recording = recording_of(row.ensemble)
    fittings: dict[str, FittingValue] = {}
    contacts: dict[str, ContactSet] = {}
    for role in row.roles.select_related("performer__clip__skeleton", "character__skeleton"):
        clip = role.performer.clip
        fitting = fitting_of(role)
        own = for_clip(value_of(fitting), fitting, clip.pk) if fitting else proposal(clip.skeleton, role.character)[0]
        fittings[role.performer.name] = own
        if clip.contacts is not None:
            start = clip.first + role.performer.shift
            contacts[role.performer.name] = _cut(contacts_of(own, clip), recording.first - start, recording.frames)
    for who in recording.clips:
        if who not in fittings:
            raise BadInput(f"{row.name}: nobody plays “{who}” any more; choose a character for it.")
    return perform_ensemble(recording, fittings, value_of_casting(row), contacts, reached)


def _cut(contacts: ContactSet, first: int, frames: int) -> ContactSet:
    """Contacts of a clip in a range of its frames, numbered from its first."""
    rows = [
        Contact(
            row.point, max(row.first - first, 0), min(row.last - first, frames - 1), row.to, row.height, row.by_hand
        )
        for row in contacts.contacts
        if row.first - first < frames and row.last >= first
    ]
    return ContactSet(tuple(rows), contacts.floor)


@lru_cache(maxsize=8)
def _measures(pk: int, key: str) -> EnsembleMeasures:
    return measure_ensemble(_performance(pk, key))


def measures_as_json(result: EnsembleResult, measures: EnsembleMeasures) -> dict[str, Any]:
    """Measures in centimetres and degrees; meetings by their number in the ensemble."""
    meetings = result.recording.meetings
    return {
        "meetings": [
            {
                "number": meetings.index(each.meeting),
                "before": round(each.before * 100, 3),
                "gap": round(each.gap * 100, 3),
                "worst": each.worst,
                "angle": None if each.angle is None else round(each.angle, 2),
                "kept": each.kept,
            }
            for each in measures.meetings
        ],
        "performers": [
            asdict(each) | {"offset": round(each.offset * 100, 2), "lowered": round(each.lowered * 100, 2)}
            for each in measures.performers
        ],
        "pairs": [
            asdict(each) | {"clipping": round(each.clipping * 100, 2), "parts": list(each.parts or ())}
            for each in measures.pairs
        ],
    }


def track_value(track: PropTrack) -> ClipValue:
    """A prop's own motion as a clip of one joint."""
    rows = unpacked(bytes(track.motion), -1, 7)
    return PropMotion(rows[:, :3], rows[:, 3:]).clip(TRACK + track.name, track.fps)


def prop_rows(props: Mapping[str, PropMotion]) -> list[FloatArray]:
    """Of each prop its positions and rotations ``(F, 7)``."""
    return [np.concatenate([motion.positions, motion.rotations], axis=1) for motion in props.values()]
