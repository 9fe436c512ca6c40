"""Layers of touch-ups: keys on one channel of one bone, and their JSON form.

{"layers": [{"name": "Off the belly", "weight": 0.8, "touchups": [
    {"channel": "rotation", "part": "left upper arm", "keys": [{"time": 1.2, "value": [0, 0, 12]}]},
    {"channel": "place", "part": "right hand", "against": "chest", "keys": [{"time": 0.5, "value": [0, 0.05, 0]}]}]}]}

Times are seconds of the clip as it was recorded, from the first frame of its take, so that a key means the same moment
whatever a recipe makes of the take.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from dataclasses import asdict, field
from itertools import pairwise
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, TypeAdapter
from pydantic.dataclasses import dataclass

from armuto.errors import BadInput
from armuto.validation import STRICT, Numbers3, Numbers4, Within, read

Channel = Literal["rotation", "translation", "place"]
Interpolation = Literal["smooth", "linear", "held"]

Seconds = Annotated[float, Within(-1e6, 1e6)]
Ease = Annotated[float, Within(0.0, 60.0)]
Weight = Annotated[float, Within(0.0, 2.0)]
Amount = Annotated[float, Within(-1000.0, 1000.0)]
Vector = tuple[Amount, Amount, Amount]
EASE = 0.25  # seconds
MOST_LAYERS, MOST_TOUCHUPS, MOST_KEYS = 50, 200, 2000
MOST_KEYS_IN_ALL = 20_000  # of all layers of a clip
LONGEST_NAME = 120


@dataclass(frozen=True, config=STRICT)
class Baseline:
    """The motion under a key when it was set: places ``(N, 3)`` in metres of the touched bone and of those between it
    and the trunk, its rotation, and place and rotation of the hips, all in the world."""

    places: tuple[Numbers3, ...]
    turn: Numbers4
    hips: Numbers3
    hips_turn: Numbers4


@dataclass(frozen=True, config=STRICT)
class Key:
    """An offset at a moment. value: a rotation vector in degrees, or metres. turn: of a place, degrees of a rotation
    vector by which it is turned as well. to_next: how the offset goes from here to the next key."""

    time: Seconds
    value: Vector = (0.0, 0.0, 0.0)
    turn: Vector = (0.0, 0.0, 0.0)
    to_next: Interpolation = "smooth"
    baseline: Baseline | None = None


@dataclass(frozen=True, config=STRICT)
class WeightKey:
    time: Seconds
    value: Weight


def _in_order(keys: Sequence[Any]) -> tuple[Any, ...]:
    if not 0 < len(keys) <= MOST_KEYS:
        raise ValueError(f"a touch-up has 1 to {MOST_KEYS:,} keys")
    out = sorted(keys, key=lambda key: key.time)
    for a, b in pairwise(out):
        if b.time - a.time < 1e-6:
            raise ValueError(f"two keys are at {a.time:g} s")
    return tuple(out)


@dataclass(frozen=True, config=STRICT)
class TouchUp:
    """Keys on one channel of one bone.

    channel: "rotation", an offset in the joint's own frame; "translation", of the hips or a bone above them, in the
    world's axes; "place", of a hand, a foot or the head, which its limb follows. part, number: the bone by its part and
    its place among the part's bones; bone: by its name, where it has no part. against: the part in whose axes, as it
    stands in the stance, a place is moved; the world's without. ease_in, ease_out: seconds before the first and after
    the last key over which it comes and goes; None where it is kept.
    """

    channel: Channel
    keys: Annotated[tuple[Key, ...], AfterValidator(_in_order)]
    part: str = ""
    number: Annotated[int, Within(0, 500)] = 0
    bone: str = ""
    against: str = ""
    ease_in: Ease | None = EASE
    ease_out: Ease | None = EASE

    def __post_init__(self) -> None:
        if not (self.part or self.bone):
            raise ValueError("a touch-up needs a part or a bone")

    @property
    def target(self) -> tuple[str, str, int, str, str]:
        """What it moves: no two touch-ups of a layer have the same."""
        return self.channel, self.part, self.number, "" if self.part else self.bone, self.against

    @property
    def label(self) -> str:
        """Its bone, for people."""
        return f"{self.part}{f' {self.number + 1}' if self.number else ''}" if self.part else self.bone


def _named(name: str) -> str:
    name = " ".join(name.split())
    if not 0 < len(name) <= LONGEST_NAME:
        raise ValueError(f"a layer needs a name of at most {LONGEST_NAME} letters")
    return name


def _few(touchups: tuple[TouchUp, ...]) -> tuple[TouchUp, ...]:
    if len(touchups) > MOST_TOUCHUPS:
        raise ValueError(f"a layer has at most {MOST_TOUCHUPS} touch-ups")
    targets = [touchup.target for touchup in touchups]
    for n, target in enumerate(targets):
        if target in targets[:n]:
            raise ValueError(f"the {touchups[n].channel} of the {touchups[n].label} is touched up twice in one layer")
    return touchups


@dataclass(frozen=True, config=STRICT)
class Layer:
    """Touch-ups under a name.

    weight: 0 to 2, or keys of it. limbs: the limbs it applies to; all without. hold: whether feet and hands that nobody
    touched keep what they rest on. mirrored: whether the clip that its keys were set on was mirrored.
    """

    name: Annotated[str, AfterValidator(_named)]
    touchups: Annotated[tuple[TouchUp, ...], AfterValidator(_few)] = ()
    on: bool = True
    weight: Weight | Annotated[tuple[WeightKey, ...], AfterValidator(_in_order)] = 1.0
    limbs: tuple[str, ...] = ()
    hold: bool = True
    mirrored: bool = False


@dataclass(frozen=True, config=STRICT)
class Layers:
    """All layers of a rendition, in the order in which they are applied."""

    layers: tuple[Layer, ...] = field(default=())

    def __post_init__(self) -> None:
        if len(self.layers) > MOST_LAYERS:
            raise ValueError(f"there are at most {MOST_LAYERS} layers")
        if sum(len(touchup.keys) for layer in self.layers for touchup in layer.touchups) > MOST_KEYS_IN_ALL:
            raise ValueError(f"all layers together have at most {MOST_KEYS_IN_ALL:,} keys")
        names = [layer.name for layer in self.layers]
        if len(set(names)) < len(names):
            raise ValueError("two layers have the same name")

    @property
    def active(self) -> tuple[Layer, ...]:
        """Those that do anything: switched on, and not without weight or touch-ups."""
        return tuple(layer for layer in self.layers if layer.on and layer.touchups and layer.weight != 0.0)

    @property
    def digest(self) -> str:
        """Of what they do, whatever they are called; empty where they do nothing."""
        active = to_json(Layers(self.active))["layers"]
        plain = [{key: value for key, value in row.items() if key != "name"} for row in active]
        return hashlib.sha256(json.dumps(plain, sort_keys=True).encode()).hexdigest() if plain else ""


LAYERS = TypeAdapter(Layers)


def to_json(layers: Layers) -> dict[str, Any]:
    """Only what differs from the defaults, and what every row needs."""
    return {"layers": [_layer_row(layer) for layer in layers.layers]}


def _layer_row(layer: Layer) -> dict[str, Any]:
    usual = Layer("x")
    row: dict[str, Any] = {"name": layer.name, "touchups": [_touchup_row(touchup) for touchup in layer.touchups]}
    values = asdict(layer)
    for name in ("on", "weight", "limbs", "hold", "mirrored"):
        if values[name] != getattr(usual, name):
            row[name] = _plain(values[name])
    return row


def _touchup_row(touchup: TouchUp) -> dict[str, Any]:
    row: dict[str, Any] = {"channel": touchup.channel}
    for name, usual in (("part", ""), ("number", 0), ("bone", ""), ("against", ""), ("ease_in", EASE)):
        if getattr(touchup, name) != usual:
            row[name] = getattr(touchup, name)
    if touchup.ease_out != EASE:
        row["ease_out"] = touchup.ease_out
    row["keys"] = [_key_row(key) for key in touchup.keys]
    return row


def _key_row(key: Key) -> dict[str, Any]:
    row: dict[str, Any] = {"time": key.time, "value": list(key.value)}
    if any(key.turn):
        row["turn"] = list(key.turn)
    if key.to_next != "smooth":
        row["to_next"] = key.to_next
    if key.baseline is not None:
        row["baseline"] = _plain(asdict(key.baseline))
    return row


def _plain(value: Any) -> Any:
    """Lists instead of tuples, as JSON gives them back."""
    if isinstance(value, list | tuple):
        return [_plain(part) for part in value]
    if isinstance(value, dict):
        return {key: _plain(part) for key, part in value.items()}
    return value


def from_json(table: Any) -> Layers:
    """Layers from their JSON form.

    Raises
    ------
    ValueError
        With one sentence that names the value that is wrong by its path.

    Examples
    --------
    >>> from armuto.touchups import from_json
    >>> turn = {"channel": "rotation", "part": "head", "keys": [{"time": 1, "value": [0, 20, 0]}]}
    >>> layers = from_json({"layers": [{"name": "To the clock face", "touchups": [turn]}]})
    >>> layers.layers[0].touchups[0].label, layers.layers[0].touchups[0].ease_in
    ('head', 0.25)
    """
    if not isinstance(table, dict) or not isinstance(table.get("layers"), list):
        raise ValueError("layers of touch-ups are a table with one list, “layers”")
    return read(LAYERS, table, "value")


def from_file(content: bytes, name: str) -> Layers:
    """Layers from their JSON file. Raises :class:`BadInput` with one sentence that names the file."""
    try:
        return from_json(json.loads(content))
    except (ValueError, RecursionError) as problem:
        reason = str(problem)
        if isinstance(problem, json.JSONDecodeError | UnicodeDecodeError | RecursionError):
            reason = "it is no JSON"
        raise BadInput(f"{name}: {reason}; see docs/cli.md for what layers may say.") from None
