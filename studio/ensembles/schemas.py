"""What the API of ensembles takes and answers."""

from datetime import datetime

from ninja import Schema
from pydantic import Field

from armuto.ensembles import model as core
from studio.platform.described import described
from studio.platform.fields import Id


class CastingSummary(Schema):
    """cast: the characters' numbers by performer."""

    id: int
    name: str
    cast: dict[str, int]


class EnsembleSummary(Schema):
    """An ensemble in a list."""

    id: int
    name: str
    performers: list[str]
    props: list[str]
    clip_ids: list[int]
    castings: list[CastingSummary]
    created: datetime


class PerformerOut(Schema):
    """Somebody in an ensemble. start: the frame of the common time that shows the clip's first. shift: by how many
    frames the take is shown later than the others'. frames: of the clip."""

    name: str
    clip_id: int
    clip: str
    skeleton_id: int
    start: int
    shift: int
    frames: int


class EnsembleOut(EnsembleSummary):
    """first, last: the frames of the common time that all have, between those that are said. things, meetings: props
    and meetings as the core has them. found: whether the meetings are as they were found. problem: why it cannot be put
    together, or empty. lock_version: what ``If-Match`` says of a change."""

    fps: float
    first: int
    last: int
    said_first: int | None
    said_last: int | None
    people: list[PerformerOut]
    things: list[described(core.Prop)]  # type: ignore[valid-type]
    meetings: list[described(core.Meeting)]  # type: ignore[valid-type]
    found: bool
    problem: str
    lock_version: int


class EnsembleIn(Schema):
    """Clips that were recorded in one space. name: of the ensemble; what their names have in common without."""

    clips: list[Id] = Field(min_length=1, max_length=core.MOST_PERFORMERS)
    name: str = ""


class PerformerChange(Schema):
    """name: a new one. shift: frames by which the take is shown later."""

    name: str | None = None
    shift: int | None = None


class EnsembleChange(Schema):
    """What is left out stays. performers: by their names. find_meetings: forget what was set by hand, and find them."""

    name: str | None = None
    performers: dict[str, PerformerChange] | None = None
    props: list[described(core.Prop, optional=True)] | None = None  # type: ignore[valid-type]
    meetings: list[described(core.Meeting, optional=True)] | None = None  # type: ignore[valid-type]
    find_meetings: bool | None = None
    range: tuple[int, int] | None = None
    whole: bool | None = None


class CastingIn(Schema):
    """cast: the characters' numbers by performer. name: of the casting; the characters' names without."""

    cast: dict[str, Id]
    name: str = ""


class CastingChange(Schema):
    """What is left out stays. space: null for the mean of the performers' sizes, where space_said is true."""

    name: str | None = None
    cast: dict[str, Id] | None = None
    space: float | None = None
    space_said: bool | None = None
    sizes: dict[str, float] | None = None
    placements: dict[str, list[described(core.PlacementKey, optional=True)]] | None = None  # type: ignore[valid-type]
    ease: float | None = None


class CastingOut(CastingSummary):
    """space: what was said, space_used: what it comes to. sizes_used: of props. lock_version: what ``If-Match`` says of
    a change. problem: why it cannot be performed, or empty."""

    space: float | None
    space_used: float
    sizes: dict[str, float]
    sizes_used: dict[str, float]
    placements: dict[str, list[described(core.PlacementKey)]]  # type: ignore[valid-type]
    ease: float
    problem: str
    lock_version: int


class MeetingMeasuresOut(Schema):
    """Of the ensemble's meeting with this number. before, gap: cm; worst: frame; angle: degrees."""

    number: int
    before: float
    gap: float
    worst: int
    angle: float | None
    kept: bool


class PerformerMeasuresOut(Schema):
    """offset, lowered: cm; lean: degrees."""

    name: str
    offset: float
    lowered: float
    lean: float


class PairMeasuresOut(Schema):
    """facing: degrees; clipping: cm, of these parts in this frame."""

    first: str
    second: str
    facing: float
    clipping: float
    parts: list[str]
    frame: int


class CastingMeasuresOut(Schema):
    meetings: list[MeetingMeasuresOut]
    performers: list[PerformerMeasuresOut]
    pairs: list[PairMeasuresOut]
