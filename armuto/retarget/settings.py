"""What a person may choose about a transfer, with defaults that leave most clips good untouched."""

from collections.abc import Mapping
from dataclasses import asdict, field
from typing import Annotated, Any, Literal, get_args

from pydantic import AfterValidator, TypeAdapter
from pydantic.dataclasses import dataclass

from armuto.validation import STRICT, Within, read

Mode = Literal["keep", "in place", "root"]
Place = Literal["recorded", "origin", "given"]
Relation = Literal["floor", "other hand", "body"]
RELATIONS: tuple[Relation, ...] = get_args(Relation)

Share = Annotated[float, Within(0.0, 1.0)]
Ratio = Annotated[float, Within(0.01, 100.0)]
Influence = Annotated[float, Within(0.0, 2.0)]
Degrees = Annotated[float, Within(-180.0, 180.0)]
Shift = Annotated[float, Within(-2.0, 2.0)]
Coordinate = Annotated[float, Within(-10_000.0, 10_000.0)]
Spread = Annotated[float, Within(-90.0, 90.0)]
Smoothing = Annotated[float, Within(0.0, 10.0)]
Threshold = Annotated[float, Within(0.0, 100_000.0)]


def _in_order(pair: tuple[float, float]) -> tuple[float, float]:
    if pair[0] > pair[1]:
        raise ValueError("what is worth a look cannot be more than what is wrong")
    return pair


Thresholds = Annotated[tuple[Threshold, Threshold], AfterValidator(_in_order)]


@dataclass(frozen=True, config=STRICT)
class RotationInfluence:
    """How much a bone follows: 0 stays as in the stance against its parent, 1 as the source turns; more exaggerates.

    shift: the same for its translation, where the source has one. offset: degrees added throughout, as a rotation
    vector in the body's own axes as it stands in its stance: to its left, up, ahead.
    """

    turn: Influence = 1.0
    shift: Influence = 1.0
    offset: tuple[Degrees, Degrees, Degrees] = (0.0, 0.0, 0.0)


@dataclass(frozen=True, config=STRICT)
class Travel:
    """Where travel over the ground goes.

    mode: "keep", "in place" or "root" (onto a root bone). sideways, up, ahead: which of it is meant, heading too where
    said. driver: the part that travel is read from. smoothing: seconds over which its heading is. place: where the
    first frame stands, "recorded", at the "origin" or "given" by at: metres to the left and ahead, and degrees from +Z.
    """

    mode: Mode = "keep"
    sideways: bool = True
    up: bool = False
    ahead: bool = True
    heading: bool = False
    lead: str = "hips"
    smoothing: Smoothing = 0.5
    place: Place = "recorded"
    at: tuple[Coordinate, Coordinate, Coordinate] = (0.0, 0.0, 0.0)


@dataclass(frozen=True, config=STRICT)
class Settings:
    """All choices of a transfer.

    hold: 0 to 1, how firmly feet keep their contacts, by limb where holds says otherwise. hands: the same for what
    hands keep their place to, by relation. moved: metres to the left, up and ahead by which the place that a hand keeps
    is moved, by limb. bends: degrees by which a limb's elbow or knee is turned about the line from its root to
    its end, by limb. spread: degrees by which arms are spread, or tucked where negative. clear: 0 to 1, how much of the
    arms' clipping through the body is taken away. stride, height: ratios of steps and of heights; the size of the
    fitting where None. path: "scaled" by the stride, or "absolute", just where the source's is. follow: by bone, part
    or limb, of which the nearest counts. twist: share that bones for twist take of the turn that their place gives
    them. forearm: share of the turn of a hand about the forearm that the forearm itself makes. thigh: how much of the
    turn of a thigh or upper arm about itself its bones for twist leave out next to the trunk. limits: "off", "soft" or
    "hard". grades: by kind of finding, from which size on it is worth a look, and from which it is wrong.
    """

    hold: Share = 1.0
    holds: Mapping[str, Share] = field(default_factory=dict)
    hands: Mapping[Relation, Share] = field(default_factory=dict)
    moved: Mapping[str, tuple[Shift, Shift, Shift]] = field(default_factory=dict)
    bends: Mapping[str, Degrees] = field(default_factory=dict)
    spread: Spread = 0.0
    clear: Share = 1.0
    stride: Ratio | None = None
    height: Ratio | None = None
    path: Literal["scaled", "absolute"] = "scaled"
    follow: Mapping[str, RotationInfluence] = field(default_factory=dict)
    twist: Share = 1.0
    forearm: Share = 0.0
    thigh: Share = 0.0
    travel: Travel = Travel()
    limits: Literal["off", "soft", "hard"] = "off"
    grades: Mapping[str, Annotated[tuple[Threshold, Threshold], AfterValidator(_in_order)]] = field(
        default_factory=dict
    )

    def holding(self, limb: str) -> float:
        return self.holds.get(limb, self.hold)

    def keeping(self, relation: Relation) -> float:
        return self.hands.get(relation, 1.0)

    @property
    def constrained(self) -> bool:
        """Whether anything is to be done after rotations alone."""
        keeps = any(self.keeping(relation) for relation in RELATIONS)
        holds = self.hold or any(self.holds.values())
        return bool(keeps or holds or self.bends or self.spread or self.clear or self.limits != "off")


SETTINGS = TypeAdapter(Settings)
PLAIN = Settings()
ROTATIONS_ALONE = Settings(hold=0.0, hands=dict.fromkeys(RELATIONS, 0.0), clear=0.0, limits="off")


def to_json(settings: Settings) -> dict[str, Any]:
    """Only what differs from the defaults, so that a file says what was chosen."""
    data = asdict(settings)
    usual = asdict(PLAIN)
    return {name: value for name, value in data.items() if value != usual[name]}


def from_json(table: Any) -> Settings:
    """Raises ValueError, saying what is wrong, for anything but a table of settings within their ranges."""
    return read(SETTINGS, table, "setting")
