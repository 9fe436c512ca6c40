"""What the API of the call sheet takes and answers."""

from datetime import date
from typing import Literal

from ninja import Schema

from studio.platform.fields import Count, Id

State = Literal["missing", "to choose", "in work", "done"]


class WantedFields(Schema):
    """A wanted motion in words. awaited: names of characters who are not in the cast. clip_ids: clips chosen for it."""

    motion: str
    character_ids: list[Id] = []
    awaited: list[str] = []
    mood: str = ""
    prop: str = ""
    variants: Count = 1
    due: date | None = None
    note: str = ""
    clip_ids: list[Id] = []


class WantedChange(Schema):
    """What is to be changed of a wanted motion; what is left out stays."""

    motion: str | None = None
    character_ids: list[Id] | None = None
    awaited: list[str] | None = None
    mood: str | None = None
    prop: str | None = None
    variants: Count | None = None
    due: date | None = None
    note: str | None = None
    clip_ids: list[Id] | None = None


class WantedCell(Schema):
    """What there is of a wanted motion for a character: clips chosen that its body can perform, results of them, how
    many of these are accepted, and how many further clips would fit."""

    character_id: int
    state: State
    chosen: int
    made: int
    accepted: int
    fits: int


class WantedOut(WantedFields):
    """state: of the character who is furthest behind. words, motions: how its words are understood, as words of names
    and as what moves. fits: clips of the library that fit and are not chosen."""

    id: int
    lock_version: int
    words: list[str]
    motions: list[str]
    fits: int
    state: State
    cells: list[WantedCell]


class CallSheetOut(Schema):
    """unmeasured: clips that can be found by their words alone as yet."""

    rows: list[WantedOut]
    unmeasured: int


class WantedIn(Schema):
    rows: list[WantedFields]


class TableIn(Schema):
    """Rows as they are copied from a spreadsheet."""

    text: str


class WantedStep(Schema):
    """A change of a row, by which it can be taken back: its fields before and after, none where it was not there."""

    id: Id
    was: WantedFields | None = None
    now: WantedFields | None = None


class WantedMade(Schema):
    """Rows that were added, the steps by which that is taken back, and what could not be taken as it was."""

    steps: list[WantedStep]
    problems: list[str] = []


class WantedRestoring(Schema):
    steps: list[WantedStep]


class MatchOut(Schema):
    """See :class:`armuto.retrieval.Match`."""

    kind: Literal["word", "motion", "implied"]
    asked: str
    degree: float
    found: str


class CandidateOut(Schema):
    """A clip that could be taken. score: from 0 to 1. character_ids: of the row's characters, who have its body."""

    clip_id: int
    score: float
    fits: bool
    chosen: bool
    matches: list[MatchOut]
    character_ids: list[int]
