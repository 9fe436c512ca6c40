"""What the API of fittings takes and answers."""

from datetime import datetime
from typing import Literal

from ninja import Field, Schema

from armuto.retarget.settings import Settings
from studio.platform.described import described
from studio.platform.fields import Id
from studio.stances.models import Stance


class FindingOut(Schema):
    """frames: first and last, where it is worst; spans: everywhere. size and source: the measure on the rendition and
    on its source, in unit. mend: the control by which it can be mended."""

    kind: str
    part: str
    frames: list[int]
    size: float
    source: float
    unit: str
    text: str
    grade: str
    mend: str
    spans: list[list[int]]


class PairOut(Schema):
    """key: names the pair in changes: its part, or "+" and its first bone. crosses: what is wrong with sides or
    order."""

    key: str
    part: str | None
    source: list[str]
    target: list[str]
    confidence: float
    reasons: list[str]
    confirmed: bool
    moves: bool
    crosses: str


class MissingOut(Schema):
    """side: which side lacks a bone: source, target or both."""

    part: str
    side: str


class StanceRowOut(Schema):
    """Degrees the part was turned from its rest, and degrees still left to the source: in direction, and in roll about
    the bone where it shows. own: the direction is the body's own build, not taken from the source. way, wanted: the two
    directions. hinge: how sure it is about which axis the limb bends, 0 to 1, and over how many degrees of motion that
    was seen."""

    part: str
    bone: str
    limb: str
    turned: float
    left: float
    roll: float | None
    own: bool
    way: list[float]
    wanted: list[float]
    hinge: list[float] | None


class StanceOut(Schema):
    """The stance of one side. how: what it was made of. aligned: it follows the other side. turned: bones turned by
    hand."""

    name: str
    how: str
    aligned: bool
    turned: list[str]


class StancesOut(Schema):
    source: StanceOut
    target: StanceOut


class MeasuresOut(Schema):
    """Facing in degrees from +Z, and height of the lowest foot joint above the floor in metres, of both; with said, a
    person said it. legs, arms, spine: lengths of the character over those of the source. size: the ratio the hips move
    by; by: which measure that is, or nothing for a number that was typed. hinges: whether rolls are taken from how
    limbs bend in motion."""

    source_facing: float
    target_facing: float
    source_facing_said: bool
    target_facing_said: bool
    source_floor: float
    target_floor: float
    source_floor_said: bool
    target_floor_said: bool
    legs: float | None
    arms: float | None
    spine: float | None
    size: float
    by: str | None
    hinges: bool
    why: list[str]


class PartOut(Schema):
    """A row of the body plan. source and target: bones that were read as it, by their names."""

    name: str
    limb: str
    side: str
    required: bool
    many: bool
    source: list[str]
    target: list[str]


class FittingSummary(Schema):
    id: int
    skeleton_id: int
    skeleton: str
    character_id: int
    character: str
    pairs: int
    missing: int
    created: datetime


class ExceptionOut(Schema):
    """names: of settings that are said otherwise for a clip. settings: all of the clip's, with those of its fitting."""

    names: list[str]
    settings: described(Settings)  # type: ignore[valid-type]


class FittingOut(Schema):
    """revision: names the present state. facing: degrees the target is turned against the source. how: what the present
    state came of. settings: what is chosen about the transfer, as the core's settings are. exceptions: what is said
    otherwise for single clips, by their ids. pose: where one was asked
    for, its float32 rotations ``(joints, 4)`` and translations ``(joints, 3)`` for the character's own nodes, in
    base64, so that the figure moves with the answer. standing: what "standing" gives, too.
    """

    id: int
    skeleton_id: int
    character_id: int
    revision: int
    pairs: list[PairOut]
    missing: list[MissingOut]
    stances: StancesOut
    stance: list[StanceRowOut]
    measures: MeasuresOut
    parts: list[PartOut]
    plan: str
    left_out: list[str]
    how: str
    settings: described(Settings)  # type: ignore[valid-type]
    exceptions: dict[str, ExceptionOut]
    pose: str | None = None
    standing: str | None = None
    undo: str | None
    redo: str | None


class FittingIn(Schema):
    clip_id: int
    character_id: int


class EditIn(Schema):
    """One change. source, target: bone names. keys: parts or keys of pairs. mirror: the other side of the body follows.
    above: least confidence of what is confirmed. plan: the body plan to pair by. clip_id and frame: of the pose that is
    wanted with the answer.
    """

    op: Literal[
        "connect",
        "set",
        "remove",
        "leave out",
        "bring back",
        "confirm",
        "swap",
        "moves",
        "clear",
        "reset",
        "trees",
        "plan",
    ]
    source: list[str] | None = None
    target: list[str] | None = None
    keys: list[str] | None = None
    mirror: bool = False
    add: bool = False
    above: float | None = None
    moves: bool | None = None
    plan: str | None = None
    clip_id: int | None = None
    frame: int | None = None


class FollowsOut(Schema):
    """kind: paired, resampled, twist share, left out, missing, not in the plan. still: its source does not move in the
    clip."""

    bone: str
    kind: str
    text: str
    still: bool


Which = Literal["source", "target"]


class OfferOut(Schema):
    """A posture that a stance can be taken from. kind: names it in changes. how: what the body looks like in it."""

    kind: str
    name: str
    how: str


class KeptOut(Schema):
    """A stance that is kept for its skeleton. origin: where it was made."""

    id: int
    name: str
    how: str
    origin: str
    lock_version: int

    @staticmethod
    def resolve_how(row: Stance) -> str:
        return str(row.data["how"])


class OffersOut(Schema):
    """arms: whether it can be stood in a T or an A. straight: whether it can be stood straight."""

    offers: list[OfferOut]
    kept: list[KeptOut]
    arms: bool
    straight: bool


class SidesOut(Schema):
    source: OffersOut
    target: OffersOut


class StanceEdit(Schema):
    """One change to a stance or a measure of one side.

    kind: what "make" makes it of. clip_id, first, last: frames of a clip. degrees: of an A, of a turn, or a facing.
    bone, limb: what is turned, aligned or reset, nothing meaning all. axis: in the world. from_side: which is copied
    onto the other. height: metres from the floor to the lowest foot joint. by, ratio: the size; by: "motion" or "rest"
    for hinges. show_clip_id, show_frame: of the pose that is wanted with the answer.
    """

    op: Literal["make", "align", "mirror", "turn", "reset", "name", "facing", "floor", "size", "hinges"]
    side: Which = "target"
    kind: str | None = None
    clip_id: int | None = None
    first: int | None = None
    last: int | None = None
    degrees: float | None = None
    stance_id: int | None = None
    bone: str | None = None
    limb: str | None = None
    axis: list[float] | None = None
    mirror: bool = False
    from_side: Literal["left", "right"] | None = None
    name: str | None = None
    height: float | None = None
    by: str | None = None
    ratio: float | None = None
    show_clip_id: int | None = None
    show_frame: int | None = None


class TrialOut(Schema):
    """What a change would look like: a pose as in :class:`FittingOut`, both bodies in their stances, and what would be
    left."""

    pose: str | None
    standing: str
    stance: list[StanceRowOut]


class KeepIn(Schema):
    side: Which
    name: str


class RenameIn(Schema):
    name: str


class SettingsIn(Schema):
    """settings: what is to change, by name; null brings back the default, for single rows of a table too. clip_id,
    frame: of the pose that is wanted with the answer. alone: it is said for that clip alone, as an exception, of which
    null takes back what was said."""

    settings: described(Settings, partial=True)  # type: ignore[valid-type]
    clip_id: int | None = None
    frame: int | None = None
    alone: bool = False


class ClipsIn(Schema):
    """Ids of clips."""

    clips: list[Id] = Field(max_length=100_000)


class TakenBack(Schema):
    """revision: of the fitting now. exceptions: ids of the clips of which it says something otherwise."""

    revision: int
    exceptions: list[int]


class PoseOut(Schema):
    """A pose as in :class:`FittingOut`."""

    pose: str | None


class PointOut(Schema):
    """A place that can touch something. foot: whether it is one of a foot."""

    name: str
    limb: str
    side: str
    foot: bool


class ContactOut(Schema):
    """A point rests from frame first to last. to: against what of the body, nothing for the world."""

    point: str
    first: int
    last: int
    to: str = ""


class ContactsOut(Schema):
    """by_hand: whether a person set them. floor: its height in the source, in metres. shifting: bones of the character
    that move against their parents in this clip."""

    points: list[PointOut]
    contacts: list[ContactOut]
    by_hand: bool
    floor: float
    shifting: list[str]


class ContactsIn(Schema):
    """contacts: all of the clip's, or null for those that are found."""

    contacts: list[ContactOut] | None
    clip_id: int | None = None
    frame: int | None = None


class KindOut(Schema):
    """The worst of one kind beyond the source's: through rotations alone, and as the transfer is now; what the source
    has there; and from where on it is worth a look, and wrong."""

    kind: str
    unit: str
    before: float
    after: float
    source: float
    look: float
    wrong: float


class ClipMeasuresOut(Schema):
    """short: centimetres by which limbs fall short of their contacts, by limb. lowered: centimetres by which the body
    gives way. hits: frames in which a joint is held back by its limits, by part. turned_out: radians by which arms are
    turned out."""

    grade: str
    findings: list[FindingOut]
    kinds: list[KindOut]
    short: dict[str, float]
    lowered: float
    hits: dict[str, int]
    turned_out: float
    fitting_revision: int


class MeasureIn(Schema):
    settings: described(Settings, partial=True) | None = None  # type: ignore[valid-type]
