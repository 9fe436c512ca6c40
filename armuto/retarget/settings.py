"""What a person may choose about a transfer, with defaults that leave most clips good untouched."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, fields, replace
from typing import Any

import numpy as np

MODES = ("keep", "in place", "root")
PLACES = ("recorded", "origin", "given")
PATHS = ("scaled", "absolute")
LIMITS = ("off", "soft", "hard")
RELATIONS = ("floor", "other hand", "body")


@dataclass(frozen=True)
class RotationInfluence:
    """How much a bone follows: 0 stays as in the stance against its parent, 1 as the source turns; more exaggerates.

    shift: the same for its translation, where the source has one. offset: degrees added throughout, as a rotation
    vector in the body's own axes as it stands in its stance: to its left, up, ahead.
    """

    turn: float = 1.0
    shift: float = 1.0
    offset: tuple[float, float, float] = (0.0, 0.0, 0.0)


@dataclass(frozen=True)
class Travel:
    """Where travel over the ground goes.

    mode: "keep", "in place" or "root" (onto a root bone). sideways, up, ahead: which of it is meant, heading too where
    said. driver: the part that travel is read from. smoothing: seconds over which its heading is. place: where the
    first frame stands, "recorded", at the "origin" or "given" by at: metres to the left and ahead, and degrees from +Z.
    """

    mode: str = "keep"
    sideways: bool = True
    up: bool = False
    ahead: bool = True
    heading: bool = False
    lead: str = "hips"
    smoothing: float = 0.5
    place: str = "recorded"
    at: tuple[float, float, float] = (0.0, 0.0, 0.0)


@dataclass(frozen=True)
class Settings:
    """All choices of a transfer.

    hold: 0 to 1, how firmly feet keep their contacts, by limb where holds says otherwise. hands: the same for what
    hands keep their place to, one of RELATIONS. moved: metres to the left, up and ahead by which the place that a hand
    keeps is moved, by limb. bends: degrees by which a limb's elbow or knee is turned about the line from its root to
    its end, by limb. spread: degrees by which arms are spread, or tucked where negative. clear: 0 to 1, how much of the
    arms' clipping through the body is taken away. stride, height: ratios of steps and of heights; the size of the
    fitting where None. path: "scaled" by the stride, or "absolute", just where the source's is. follow: by bone, part
    or limb, of which the nearest counts. twist: share that bones for twist take of the turn that their place gives
    them. forearm: share of the turn of a hand about the forearm that the forearm itself makes. thigh: how much of the
    turn of a thigh or upper arm about itself its bones for twist leave out next to the trunk. limits: "off", "soft" or
    "hard". grades: by kind of finding, from which size on it is worth a look, and from which it is wrong.
    """

    hold: float = 1.0
    holds: Mapping[str, float] = field(default_factory=dict)
    hands: Mapping[str, float] = field(default_factory=dict)
    moved: Mapping[str, tuple[float, float, float]] = field(default_factory=dict)
    bends: Mapping[str, float] = field(default_factory=dict)
    spread: float = 0.0
    clear: float = 1.0
    stride: float | None = None
    height: float | None = None
    path: str = "scaled"
    follow: Mapping[str, RotationInfluence] = field(default_factory=dict)
    twist: float = 1.0
    forearm: float = 0.0
    thigh: float = 0.0
    travel: Travel = Travel()
    limits: str = "off"
    grades: Mapping[str, tuple[float, float]] = field(default_factory=dict)

    def holding(self, limb: str) -> float:
        return self.holds.get(limb, self.hold)

    def keeping(self, relation: str) -> float:
        return self.hands.get(relation, 1.0)


PLAIN = Settings()
ROTATIONS_ALONE = Settings(hold=0.0, hands=dict.fromkeys(RELATIONS, 0.0), clear=0.0, limits="off")


def to_json(settings: Settings) -> dict[str, Any]:
    """Only what differs from the defaults, so that a file says what was chosen."""
    data = asdict(settings)
    usual = asdict(PLAIN)
    return {name: value for name, value in data.items() if value != usual[name]}


def from_json(table: Any) -> Settings:
    """Raises ValueError, saying what is wrong, for anything but a table of settings within their ranges."""
    if not isinstance(table, Mapping):
        raise ValueError("the settings are damaged")
    unknown = set(table) - {field.name for field in fields(Settings)}
    if unknown:
        raise ValueError(f"there is no setting “{sorted(unknown)[0]}”")
    try:
        made = replace(PLAIN, **{name: _read(name, value) for name, value in table.items()})
    except (TypeError, KeyError, AttributeError, IndexError):
        raise ValueError("the settings are damaged") from None
    return made


def _read(name: str, value: Any) -> Any:
    if name in ("hold", "clear"):
        return _number(name, value, 0.0, 1.0)
    if name in ("twist", "forearm", "thigh"):
        return _number(name, value, 0.0, 1.0)
    if name == "spread":
        return _number(name, value, -90.0, 90.0)
    if name in ("stride", "height"):
        return None if value is None else _number(name, value, 0.01, 100.0)
    if name == "path":
        return _one_of(name, value, PATHS)
    if name == "limits":
        return _one_of(name, value, LIMITS)
    if name == "holds":
        return {str(limb): _number(str(limb), share, 0.0, 1.0) for limb, share in value.items()}
    if name == "bends":
        return {str(limb): _number(str(limb), degrees, -180.0, 180.0) for limb, degrees in value.items()}
    if name == "hands":
        return {_one_of(name, key, RELATIONS): _number(str(key), share, 0.0, 1.0) for key, share in value.items()}
    if name == "moved":
        return {str(limb): _three(str(limb), place, 2.0) for limb, place in value.items()}
    if name == "follow":
        return {str(key): _influence(str(key), row) for key, row in value.items()}
    if name == "travel":
        return _travel(value)
    return {str(kind): _thresholds(str(kind), pair) for kind, pair in value.items()}


def _influence(key: str, row: Mapping[str, Any]) -> RotationInfluence:
    return RotationInfluence(
        _number(key, row.get("turn", 1.0), 0.0, 2.0),
        _number(key, row.get("shift", 1.0), 0.0, 2.0),
        _three(key, row.get("offset", (0.0, 0.0, 0.0)), 180.0),
    )


def _travel(row: Mapping[str, Any]) -> Travel:
    usual = Travel()
    switches = {name: bool(row.get(name, getattr(usual, name))) for name in ("sideways", "up", "ahead", "heading")}
    return Travel(
        mode=_one_of("travel", row.get("mode", usual.mode), MODES),
        lead=str(row.get("lead", usual.lead)),
        smoothing=_number("smoothing", row.get("smoothing", usual.smoothing), 0.0, 10.0),
        place=_one_of("place", row.get("place", usual.place), PLACES),
        at=_three("place", row.get("at", usual.at), 10000.0),
        **switches,
    )


def _thresholds(kind: str, pair: Any) -> tuple[float, float]:
    look, wrong = (_number(kind, value, 0.0, 100000.0) for value in pair)
    if look > wrong:
        raise ValueError(f"{kind}: what is worth a look cannot be more than what is wrong")
    return look, wrong


def _number(name: str, value: Any, least: float, most: float) -> float:
    number = float(value) if not isinstance(value, bool) else np.nan
    if not least <= number <= most:
        raise ValueError(f"{name}: {value} is not from {least:g} to {most:g}")
    return number


def _one_of(name: str, value: Any, allowed: tuple[str, ...]) -> str:
    if value not in allowed:
        raise ValueError(f"{name}: “{value}” is not one of {', '.join(allowed)}")
    return str(value)


def _three(name: str, values: Any, most: float) -> tuple[float, float, float]:
    a, b, c = (_number(name, value, -most, most) for value in values)
    return a, b, c
