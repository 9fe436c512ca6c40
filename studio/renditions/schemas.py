"""What the API of renditions takes and answers."""

from datetime import datetime
from typing import Any

from ninja import Schema
from pydantic import Field

from armuto.ensembles import model as core
from studio.ensembles.schemas import CastingMeasuresOut
from studio.fittings.schemas import FindingOut
from studio.platform.described import described
from studio.renditions.models import Revision, RunItem
from studio.renditions.queries import Cell


class CastProp(Schema):
    """A prop as a casting has it. size: over that of the recording."""

    name: str
    size: float
    shapes: list[described(core.Shape)]  # type: ignore[valid-type]


class CastPerformer(Schema):
    name: str
    character_id: int

    @staticmethod
    def resolve_name(row: Any) -> str:
        return str(row.performer.name)


class CastingResultOut(Schema):
    """What a result of a casting is beyond the motions: who plays whom, the props, the measures. first: the frame of
    the ensemble's common time that comes first; space: metres over those of the recording."""

    space: float
    first: int
    props: list[CastProp]
    performers: list[CastPerformer]
    measures: CastingMeasuresOut

    @staticmethod
    def resolve_space(row: Any) -> float:
        return float(row.stage["size"])

    @staticmethod
    def resolve_performers(row: Any) -> Any:
        return row.revision.performers.defer("rotations", "translations").select_related("performer")


class RevisionOut(Schema):
    """One result. clip, character and fitting: what it was made from, as people know it; casting: of one, in place of
    these."""

    id: int
    number: int
    grade: str
    findings: list[FindingOut]
    frames: int
    fps: float
    seconds: float
    made: datetime
    clip_revision: int
    character_revision: int
    fitting_step: int
    casting: CastingResultOut | None = None

    @staticmethod
    def resolve_casting(row: Revision) -> Any:
        return getattr(row, "casting_result", None) if row.casting_digest else None


class CellOf(Schema):
    """Which cell it is, by ids and in words: a clip on a character through a fitting, or a casting of an ensemble."""

    clip_id: int | None
    clip: str
    character_id: int | None
    character: str
    fitting_id: int | None
    casting_id: int | None
    ensemble_id: int | None


class RenditionOut(CellOf):
    """state: as on the board. newest: the result in force; accepted: the one that was accepted, maybe an older one;
    revisions: all that are kept. changed: what has changed since the newest was made. run_id, progress: while it is
    under way."""

    id: int
    state: str
    sentence: str
    note: str
    run_id: int | None
    progress: float
    newest: RevisionOut | None
    accepted_id: int | None
    revisions: list[RevisionOut]
    changed: list[str]


class RenditionIn(Schema):
    clip_id: int
    character_id: int


class SendingBack(Schema):
    note: str


class QueueIn(Schema):
    cells: list[Cell] | None = None
    everything: bool = False


class QueueRow(CellOf):
    """One result that waits for a look. worst: its worst finding in words."""

    id: int
    state: str
    grade: str
    note: str
    rank: float
    worst: str


class Refusal(Schema):
    detail: str


class FittingMark(Schema):
    id: int
    skeleton_id: int
    character_id: int
    pairs: int
    confirmed: int
    sure: bool


class CastingMark(Schema):
    id: int
    ensemble_id: int
    state: int


class BoardOut(Schema):
    """clips, characters: ids of rows and columns. states: one byte a cell, row after row, as base64: the lowest four
    bits are an index into words; then accepted, sent back, retired, with settings of its own. castings: with their
    bytes likewise."""

    clips: list[int]
    characters: list[int]
    words: list[str]
    states: str
    fittings: list[FittingMark]
    castings: list[CastingMark]


class CellsIn(Schema):
    """Cells as ids of clip and character, or as the id of a casting."""

    cells: list[Cell] = Field(max_length=200_000)


class Unfitted(Schema):
    skeleton_id: int
    character_id: int
    sentence: str


class ActionOut(Schema):
    """What an action comes to; see :class:`studio.renditions.services.board.Plan`."""

    action: str
    count: int
    accepted: int
    busy: int
    wrong: int
    stale: int
    proposed: int
    unfitted: list[Unfitted]
    impossible: list[Unfitted]


class TransferIn(CellsIn):
    update: bool = False


class Before(Schema):
    rendition_id: int
    accepted_id: int | None
    note: str
    retired: bool


class Restoring(Schema):
    rows: list[Before]


class RunOut(Schema):
    """through: done or failed, of total. good, look, wrong: the done ones by grade. worked: seconds it ran. left:
    seconds it is expected to take yet, or null before anything is done."""

    id: int
    title: str
    state: str
    total: int
    through: int
    waiting: int
    running: int
    failed: int
    done: int
    good: int
    look: int
    wrong: int
    worked: float
    left: float | None
    created: datetime
    finished: datetime | None


class RunItemOut(Schema):
    """One transfer of a run. grade and the revisions: of what it made, empty before that."""

    id: int
    rendition_id: int
    clip_id: int | None
    clip: str
    character_id: int | None
    character: str
    casting_id: int | None
    state: str
    progress: float
    sentence: str
    seconds: float
    attempts: int
    grade: str
    made_from: str

    @staticmethod
    def resolve_clip_id(row: RunItem) -> int | None:
        return row.rendition.clip_id

    @staticmethod
    def resolve_clip(row: RunItem) -> str:
        return row.rendition.title

    @staticmethod
    def resolve_character_id(row: RunItem) -> int | None:
        return row.rendition.character_id

    @staticmethod
    def resolve_casting_id(row: RunItem) -> int | None:
        return row.rendition.casting_id

    @staticmethod
    def resolve_character(row: RunItem) -> str:
        return row.rendition.performed_by

    @staticmethod
    def resolve_grade(row: RunItem) -> str:
        return row.revision.grade if row.revision else ""

    @staticmethod
    def resolve_made_from(row: RunItem) -> str:
        made = row.revision
        if made is None:
            return ""
        if made.casting_digest:
            return "the casting as it was"
        return (
            f"clip {made.clip_revision}, character {made.character_revision}, step {made.fitting_step} of the fitting"
        )


class FirstIn(Schema):
    cells: list[Cell]
