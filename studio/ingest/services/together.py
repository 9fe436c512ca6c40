"""Performers that came in one file: taken apart on the way in, and put together again as an ensemble."""

from base64 import b64encode
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import Any

import numpy as np
from django.db import transaction
from django.db.models import Count, Q

from armuto.ensembles.model import MOST_PERFORMERS
from armuto.ensembles.splitting import (
    GroundPath,
    SplitFile,
    beside,
    may_hold_several,
    named_alike,
    read_split,
)
from armuto.formats import Document
from armuto.intake.detection import NOTHING, ImportOptions
from armuto.kinematics.clip import Clip as ClipValue
from studio.ingest.models import IntakeEnsemble, IntakeFile, IntakeRow
from studio.ingest.signals import recorded_together
from studio.library.arrays import packed
from studio.platform import reader

LOOKED_AT = (
    40  # clips of the same length that came last, among which one is looked for that was recorded beside another
)


@dataclass(frozen=True)
class RecordedTogether:
    """Performers in the order of their files, the unit and up axis that they share, and the tracks of their props."""

    performers: list[Document]
    unit: float
    up: str
    tracks: list[dict[str, Any]]


def performers_in(
    document: Document, data: bytes, file: str, goes_to: str, files: Mapping[str, bytes] | None = None
) -> tuple[SplitFile, ...]:
    """The performers and things of a file that holds several; nothing where it is for the cast, or holds one."""
    if goes_to == "cast" or not document.clips or not may_hold_several(document.skeleton):
        return ()
    return reader.split(data, file, files)


def read_together(parts: Sequence[SplitFile], options: ImportOptions = NOTHING) -> RecordedTogether:
    """The parts read in the unit and with the up axis of the first. Raises :class:`~armuto.errors.BadInput`."""
    found = read_split(parts, options, reader.read)
    performers = list(found.performers.values())
    tracks = [track_of(name, row.clips[0]) for name, row in found.things.items() if row.clips]
    frame = performers[0].skeleton.file_frame
    return RecordedTogether(performers, frame.unit, frame.up, tracks)


def track_of(name: str, clip: ClipValue) -> dict[str, Any]:
    world = clip.world_by_joint()
    rows = np.concatenate([world.positions[0], world.rotations[0]], axis=1)
    return {"name": name[:120], "fps": clip.fps, "rows": b64encode(packed(rows)).decode()}


def find_beside(file: IntakeFile) -> None:
    """Files that tell by name, length and where their bodies are that they were recorded side by side with this one are
    put together with it; not those of which a person says that they stand alone."""
    now = IntakeFile.objects.filter(pk=file.pk, state=IntakeFile.State.READY).select_related("together").first()
    if now is None or (now.together is not None and not now.together.by_name):
        return
    mine, others = _perhaps_beside(now)
    rows = [] if mine is None else [mine, *others]
    paths = [GroundPath(_stem(row.file), row.frames, row.fps, np.array(row.ground_path)) for row in rows]
    group = next((each for each in beside(paths) if 0 in dict(each.members)), None)
    if group is None and now.together is None:
        return  # as most files are, of which nothing has to be written
    with transaction.atomic():
        if group is None:
            IntakeFile.objects.filter(pk=now.pk).update(together=None, performer="")
        else:
            files = [rows[number].file for number, _ in group.members]
            found = next((each.together for each in files if each.together is not None), None)
            ensemble = found or IntakeEnsemble(by_name=True)
            ensemble.name = group.name[:255]
            ensemble.save()
            for member, (_, performer) in zip(files, group.members, strict=True):
                IntakeFile.objects.filter(pk=member.pk).update(together=ensemble, performer=performer[:120])
        forget_lonely()


def _perhaps_beside(file: IntakeFile) -> tuple[IntakeRow | None, list[IntakeRow]]:
    """The clip of a file that holds one, and clips of other such files that are as long and called like it but for one
    word: of those that came last, and none where they are more than perform together, since then they are a series."""
    own = list(file.rows.defer("plate")[:2])
    if len(own) != 1 or file.kind != IntakeFile.Kind.MOTION or file.told.get("alone") or not own[0].ground_path:
        return None, []
    rows = (
        IntakeRow.objects.filter(frames=own[0].frames, file__state=IntakeFile.State.READY, number=0)
        .filter(Q(file__together=None) | Q(file__together__by_name=True))
        .exclude(file=file)
    )
    # Names first, and nothing else of the rows: in an archive of hundreds this is asked for each of them.
    stem = _stem(file)
    latest = rows.order_by("-pk").values_list("pk", "file__path")[:LOOKED_AT]
    alike = [pk for pk, path in latest if named_alike(stem, PurePosixPath(path).stem)]
    if not 0 < len(alike) < MOST_PERFORMERS:
        return own[0], []
    found = [
        row
        for row in IntakeRow.objects.filter(pk__in=alike)
        .order_by("-pk")
        .select_related("file__together")
        .defer("plate")
        if row.ground_path and not row.found.get("several") and not row.file.told.get("alone")
    ]
    return own[0], found


def _stem(file: IntakeFile) -> str:
    return PurePosixPath(file.path).stem


def forget_lonely() -> None:
    """Recordings that were found by name and of which fewer than two files are left go, unless one has come in."""
    rows = IntakeEnsemble.objects.filter(by_name=True, members={}).annotate(count=Count("files"))
    rows.filter(count__lt=2).delete()


def join(file: IntakeFile, clips: Sequence[int]) -> None:
    """Remember that a performer's file has become these clips; the last one makes the ensemble."""
    if file.together_id is None or not clips:
        return
    with transaction.atomic():
        row = IntakeEnsemble.objects.filter(pk=file.together_id).first()
        if row is None:
            return
        row.members[file.performer] = clips[0]
        row.save(update_fields=["members"])
    complete(file.together_id)


def complete(pk: int | None = None) -> None:
    """Make the ensembles of whose files none waits in the intake any more; those of which nobody came in are
    forgotten."""
    rows = IntakeEnsemble.objects.filter(files=None)
    for row in rows if pk is None else rows.filter(pk=pk):
        with transaction.atomic():
            if not IntakeEnsemble.objects.filter(pk=row.pk).delete()[0]:
                continue  # somebody else did it
            if len(row.members) > row.by_name:
                tell(row.name, row.members, row.tracks)


def tell(name: str, members: Mapping[str, int], tracks: Sequence[Mapping[str, Any]]) -> None:
    recorded_together.send(IntakeEnsemble, name=name, members=dict(members), tracks=list(tracks))
