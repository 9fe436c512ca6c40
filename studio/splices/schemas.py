"""What the API of splices takes and answers."""

from datetime import datetime

from ninja import Schema
from pydantic import Field

from armuto.splicing.model import Splice
from studio.platform.described import described
from studio.platform.fields import Id


class SpliceSummary(Schema):
    """A splice in a list. parts: the names of its spans' clips. outdated: those that have changed since it was
    made. problem: why it could not be made of what they are now, or empty."""

    id: int
    clip_id: int
    name: str
    parts: list[str]
    outdated: list[str]
    problem: str
    created: datetime


class SplicePart(Schema):
    """A clip that a splice is made of. key: by which its spans name it. frames: at the frame rate of the splice. own:
    whether it is on the skeleton of the splice, or performed by it."""

    key: str
    id: int
    name: str
    frames: int
    seconds: float
    revision: int
    own: bool


class SpliceCandidate(Schema):
    """Where two clips meet. out, into: frames. Costs in centimetres, cost null where the place is refused. turn:
    degrees by which the second is turned about up."""

    out: int
    into: int
    cost: float | None
    pose: float
    feet: float
    heading: float
    speed: float
    turn: float
    words: list[str]


class JoinMeasure(Schema):
    joined: float
    clips: float


class JoinMeasuresOut(Schema):
    """Of a join, beside its clips. step: cm from a frame to the next; velocity: change in cm/s; jerk: m/s³; slide: of
    resting feet in cm/s; lift: of resting feet in cm; heading: degrees."""

    step: JoinMeasure
    velocity: JoinMeasure
    jerk: JoinMeasure
    slide: JoinMeasure
    lift: float
    heading: float


class MadeJoinOut(Schema):
    """A join as it was made. number: of the splice's joins, null for the seam of a span that is repeated. first, last:
    frames of the splice in which both are seen, last before first where the one just follows the other. place: of the
    pivot, in metres."""

    number: int | None
    span: int
    first: int
    last: int
    middle: int
    blend: str
    pivot: str
    place: list[float]
    turn: float
    candidate: SpliceCandidate
    measures: JoinMeasuresOut


class PassageOut(Schema):
    """One time through a span: frames of the splice in which it is seen, and frame t + shift of the clip in frame t.
    first, last: frames of the clip without overlaps."""

    span: int
    begin: int
    end: int
    shift: int
    first: int
    last: int


class SplicedOut(Schema):
    """What is made of a splice. findings: what is wrong with its joins."""

    frames: int
    fps: float
    passages: list[PassageOut]
    joins: list[MadeJoinOut]
    findings: list[str]


class SpliceOut(SpliceSummary):
    """splice: spans and joins. made: what comes of them. lock_version: what ``If-Match`` says of a change."""

    splice: described(Splice)  # type: ignore[valid-type]
    made: SplicedOut | None
    clips: list[SplicePart]
    pivots: list[str]
    lock_version: int


class SpliceTrialOut(Schema):
    """made: of the splice that is tried. positions: of all joints and end sites as base64 of float32 ``(frames, points,
    3)`` in metres, from frame begin on."""

    made: SplicedOut
    points: int
    begin: int
    positions: str


class SpliceIn(Schema):
    """Clips by number, in their order. name: of the splice; its clips' names without."""

    clips: list[Id] = Field(max_length=60)
    name: str = ""


class SpliceChange(Schema):
    splice: described(Splice, optional=True)  # type: ignore[valid-type]


class SpliceTrialIn(SpliceChange):
    """around: the number of a join; of long splices only what is near to it is answered."""

    around: Id | None = None


class SpliceProposal(Schema):
    """joins: the numbers of those that are to be placed anew."""

    splice: described(Splice, optional=True)  # type: ignore[valid-type]
    joins: list[Id] = Field(max_length=60)


class SplicePlaced(Schema):
    splice: described(Splice)  # type: ignore[valid-type]
