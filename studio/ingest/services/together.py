"""Performers that came in one file: taken apart on the way in, and put together again as an ensemble."""

from base64 import b64encode
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from django.db import transaction

from armuto.ensembles.splitting import SplitFile, may_hold_several, read_split
from armuto.formats import Document
from armuto.intake.detection import NOTHING, ImportOptions
from armuto.kinematics.clip import Clip as ClipValue
from studio.ingest.models import IntakeEnsemble, IntakeFile
from studio.ingest.signals import recorded_together
from studio.library.arrays import packed
from studio.platform import reader


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
            if row.members:
                tell(row.name, row.members, row.tracks)


def tell(name: str, members: Mapping[str, int], tracks: Sequence[Mapping[str, Any]]) -> None:
    recorded_together.send(IntakeEnsemble, name=name, members=dict(members), tracks=list(tracks))
