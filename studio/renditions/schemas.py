"""What the API of renditions takes and answers."""

from datetime import datetime

from ninja import Schema
from pydantic import Field

from studio.fittings.schemas import FindingOut
from studio.renditions.models import RunItem


class RevisionOut(Schema):
    """One result. clip, character and fitting: what it was made from, as people know it."""

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


class RenditionOut(Schema):
    """state: as on the board. newest: the result in force; accepted: the one that was accepted, maybe an older one;
    revisions: all that are kept. changed: what has changed since the newest was made. run_id, progress: while it is
    under way."""

    id: int
    clip_id: int
    clip: str
    character_id: int
    character: str
    fitting_id: int
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
    cells: list[tuple[int, int]] | None = None
    everything: bool = False


class QueueRow(Schema):
    """One result that waits for a look. worst: its worst finding in words."""

    id: int
    clip_id: int
    clip: str
    character_id: int
    character: str
    fitting_id: int
    state: str
    grade: str
    note: str
    rank: float
    worst: str


class Refusal(Schema):
    detail: str


Pair = tuple[int, int]


class FittingMark(Schema):
    id: int
    skeleton_id: int
    character_id: int
    pairs: int
    confirmed: int
    sure: bool


class BoardOut(Schema):
    """clips, characters: ids of rows and columns. states: one byte a cell, row after row, as base64: the lowest four
    bits are an index into words; then accepted, sent back, retired, with settings of its own."""

    clips: list[int]
    characters: list[int]
    words: list[str]
    states: str
    fittings: list[FittingMark]


class CellsIn(Schema):
    """Cells as ids of clip and character."""

    cells: list[Pair] = Field(max_length=200_000)


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
    clip_id: int
    clip: str
    character_id: int
    character: str
    state: str
    progress: float
    sentence: str
    seconds: float
    attempts: int
    grade: str
    made_from: str

    @staticmethod
    def resolve_clip_id(row: RunItem) -> int:
        return row.rendition.clip_id

    @staticmethod
    def resolve_clip(row: RunItem) -> str:
        return row.rendition.clip.name

    @staticmethod
    def resolve_character_id(row: RunItem) -> int:
        return row.rendition.character_id

    @staticmethod
    def resolve_character(row: RunItem) -> str:
        return row.rendition.character.name

    @staticmethod
    def resolve_grade(row: RunItem) -> str:
        return row.revision.grade if row.revision else ""

    @staticmethod
    def resolve_made_from(row: RunItem) -> str:
        made = row.revision
        if made is None:
            return ""
        return (
            f"clip {made.clip_revision}, character {made.character_revision}, step {made.fitting_step} of the fitting"
        )


class FirstIn(Schema):
    cells: list[tuple[int, int]]
