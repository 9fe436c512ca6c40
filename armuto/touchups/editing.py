"""Changes people make to layers: pure functions from layers to layers, each of which raises :class:`BadInput` with one
sentence where it cannot be done."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from functools import wraps
from typing import Any, Literal, ParamSpec, TypeVar

import numpy as np
from pydantic import ValidationError

from armuto.body.mirror import mirrored
from armuto.errors import BadInput
from armuto.kinematics.arrays import FloatArray
from armuto.retarget.context import RetargetContext
from armuto.touchups.applying import over_time
from armuto.touchups.model import Channel, Interpolation, Key, Layer, Layers, TouchUp, Vector, WeightKey
from armuto.touchups.resolving import (
    PlacedTouchUp,
    anatomical_to_local,
    chain_to,
    heading_across,
    is_sided,
    joint_of,
    local_to_anatomical,
    movable,
    name_of,
    place,
    reflected,
    side_of,
    twins,
)
from armuto.validation import sentence

DIGITS = 4
Space = Literal["world", "part"]


def layer_named(layers: Layers, name: str) -> Layer:
    """Raises :class:`BadInput` where there is none."""
    for layer in layers.layers:
        if layer.name == name:
            return layer
    raise BadInput(f"There is no layer “{name}”; it was renamed or removed meanwhile.")


P = ParamSpec("P")
R = TypeVar("R")


def refusing(change: Callable[P, R]) -> Callable[P, R]:
    """A change that says in one sentence what its model does not allow. Raises :class:`BadInput`."""

    @wraps(change)
    def refused(*args: P.args, **kwargs: P.kwargs) -> R:
        try:
            return change(*args, **kwargs)
        except ValidationError as problem:
            text = sentence(problem, "value")
            raise BadInput(f"{text[:1].upper()}{text[1:]}.") from None

    return refused


@refusing
def with_layer(layers: Layers, name: str, /, **changes: Any) -> Layers:
    """A layer changed, or added at the end where there is none of this name."""
    old = next((layer for layer in layers.layers if layer.name == name), None)
    if old is None:
        return Layers((*layers.layers, Layer(**({"name": name} | changes))))
    return _put(layers, old, replace(old, **changes))


@refusing
def set_weight_key(layers: Layers, name: str, time: float, near: float, value: float) -> Layers:
    """The weight of a layer at a moment, in place of a key within ``near`` seconds; between keys it goes from one to
    the other. The first makes keys of a weight that was the same throughout."""
    layer = layer_named(layers, name)
    keys = layer.weight if isinstance(layer.weight, tuple) else ()
    kept = tuple(key for key in keys if abs(key.time - time) > near)
    made = tuple(sorted((*kept, WeightKey(time, value)), key=lambda key: key.time))
    return _put(layers, layer, replace(layer, weight=made))


def _weight_keys(layer: Layer, numbers: Iterable[int]) -> tuple[list[WeightKey], list[WeightKey]]:
    """Keys of a layer's weight by their numbers, and its others. Raises :class:`BadInput` for one that there is not."""
    keys = layer.weight if isinstance(layer.weight, tuple) else ()
    chosen = set(numbers)
    if not chosen <= set(range(len(keys))):
        raise BadInput(f"The weight of “{layer.name}” has no such key; it was moved or removed meanwhile.")
    return [key for n, key in enumerate(keys) if n in chosen], [key for n, key in enumerate(keys) if n not in chosen]


def _with_weight_keys(layers: Layers, layer: Layer, kept: Iterable[WeightKey], made: Sequence[WeightKey]) -> Layers:
    """The weight of a layer by keys, those made in place of those that lie at the same moment."""
    others = (key for key in kept if all(abs(key.time - other.time) > 1e-4 for other in made))
    return _put(layers, layer, replace(layer, weight=(*others, *made)))


@refusing
def shifted_weight_keys(layers: Layers, name: str, numbers: Iterable[int], moment: Callable[[float], float]) -> Layers:
    """Keys of a layer's weight at other moments. Those that come to lie on others take their place."""
    layer = layer_named(layers, name)
    moved, kept = _weight_keys(layer, numbers)
    made = [replace(key, time=moment(key.time)) for key in moved]
    return _with_weight_keys(layers, layer, kept, made) if made else layers


@refusing
def copied_weight_keys(layers: Layers, name: str, numbers: Iterable[int], by: float) -> Layers:
    """Keys of a layer's weight set once more, so many seconds later."""
    layer = layer_named(layers, name)
    copied, kept = _weight_keys(layer, numbers)
    made = [replace(key, time=round(key.time + by, 6)) for key in copied]
    return _with_weight_keys(layers, layer, (*kept, *copied), made) if made else layers


def without_weight_keys(layers: Layers, name: str, numbers: Iterable[int]) -> Layers:
    """Keys of a layer's weight removed. With the last of them it is throughout what the first of those was."""
    layer = layer_named(layers, name)
    gone, kept = _weight_keys(layer, numbers)
    return _put(layers, layer, replace(layer, weight=tuple(kept) or gone[0].value)) if gone else layers


def without_layer(layers: Layers, name: str) -> Layers:
    gone = layer_named(layers, name)
    return Layers(tuple(layer for layer in layers.layers if layer is not gone))


def in_order(layers: Layers, names: Sequence[str]) -> Layers:
    """Layers in the order of their names; those that are not named come last, as they stand."""
    rank = {name: n for n, name in enumerate(names)}
    return Layers(tuple(sorted(layers.layers, key=lambda layer: rank.get(layer.name, len(rank)))))


def free_name(layers: Layers, wanted: str) -> str:
    """A name that no layer has yet."""
    names = {layer.name for layer in layers.layers}
    numbered = (f"{wanted} {n}" for n in range(2, len(names) + 3))
    return wanted if wanted not in names else next(name for name in numbered if name not in names)


def _put(layers: Layers, old: Layer, new: Layer) -> Layers:
    return Layers(tuple(new if layer is old else layer for layer in layers.layers))


def channel_of(joint: int, context: RetargetContext) -> Channel:
    """What dragging a joint means: the body moved, or the end of a limb brought to a place. Raises :class:`BadInput`
    for a joint that can only be turned."""
    if chain_to(joint, context) is not None:
        return "place"
    if joint in movable(context):
        return "translation"
    part, _, bone = name_of(joint, context)
    raise BadInput(f"The {part or bone} cannot be moved to a place; turn it, or move the end of its limb.")


def touchup_on(joint: int, channel: Channel, context: RetargetContext, against: str = "") -> TouchUp:
    """A touch-up of a joint with one key that does nothing."""
    part, number, bone = name_of(joint, context)
    return TouchUp(channel, (Key(0.0),), part, number, "" if part else bone, against)


def index_of(layer: Layer, touchup: TouchUp) -> int | None:
    """Where a layer has a touch-up of the same bone, channel and axes."""
    return next((n for n, row in enumerate(layer.touchups) if row.target == touchup.target), None)


@refusing
def set_key(
    layers: Layers,
    name: str,
    touchup: TouchUp,
    time: float,
    near: float,
    value: Vector | None = None,
    turn: Vector | None = None,
    to_next: Interpolation | None = None,
) -> Layers:
    """A key of a layer set, in place of one that lies within ``near`` seconds.

    touchup: says which, by its bone, channel and axes. What is not said is as it is at that moment already.
    """
    layer = layer_named(layers, name)
    at = index_of(layer, touchup)
    if at is None:
        key = Key(time, value or (0.0, 0.0, 0.0), turn or (0.0, 0.0, 0.0), to_next or "smooth")
        return _put(layers, layer, replace(layer, touchups=(*layer.touchups, replace(touchup, keys=(key,)))))
    now = layer.touchups[at]
    present = next((key for key in now.keys if abs(key.time - time) <= near), None)
    offset, turned = offset_at(now, time)
    base = present or Key(time, offset, turned, _way_at(now, time))
    key = replace(
        base,
        value=base.value if value is None else value,
        turn=base.turn if turn is None else turn,
        to_next=to_next or base.to_next,
        baseline=None,
    )
    keys = tuple(sorted((*(row for row in now.keys if row is not present), key), key=lambda row: row.time))
    return _with_keys(layers, layer, at, keys)


def _way_at(touchup: TouchUp, time: float) -> Interpolation:
    """How the curve goes on at a moment, so that a key put there does not change it more than it must."""
    before = [key for key in touchup.keys if key.time <= time]
    return before[-1].to_next if before else "smooth"


def offset_at(touchup: TouchUp, time: float) -> tuple[Vector, Vector]:
    """Value and turn of a touch-up at a moment, in the units of its keys."""
    values = np.array([key.value for key in touchup.keys], dtype=float)
    turns = np.array([key.turn for key in touchup.keys], dtype=float)
    row = PlacedTouchUp(Layer("x"), touchup, 0, "", values, turns)
    now = over_time(row, np.array([time]))[0][0]
    return vector_of(now[:3]), vector_of(now[3:])


def vector_of(values: FloatArray) -> Vector:
    x, y, z = (round(float(value), DIGITS) + 0.0 for value in values)
    return x, y, z


def _with_keys(layers: Layers, layer: Layer, at: int, keys: tuple[Key, ...]) -> Layers:
    """A touch-up with other keys; gone where it has none left."""
    rows = list(layer.touchups)
    if keys:
        rows[at] = replace(rows[at], keys=keys)
    else:
        del rows[at]
    return _put(layers, layer, replace(layer, touchups=tuple(rows)))


Chosen = Sequence[tuple[int, int]]


def _chosen(layer: Layer, chosen: Chosen) -> dict[int, set[int]]:
    """Chosen keys by touch-up. Raises :class:`BadInput` for one that there is not."""
    out: dict[int, set[int]] = {}
    for touchup, key in chosen:
        if not (0 <= touchup < len(layer.touchups) and 0 <= key < len(layer.touchups[touchup].keys)):
            raise BadInput(f"“{layer.name}” has no such key; it was moved or removed meanwhile.")
        out.setdefault(touchup, set()).add(key)
    return out


def without_keys(layers: Layers, name: str, chosen: Chosen) -> Layers:
    """Keys removed, each by the numbers of its touch-up and of the key there; a touch-up without keys goes too."""
    layer = layer_named(layers, name)
    gone = _chosen(layer, chosen)
    rows = []
    for n, touchup in enumerate(layer.touchups):
        keys = tuple(key for k, key in enumerate(touchup.keys) if k not in gone.get(n, ()))
        if keys:
            rows.append(replace(touchup, keys=keys))
    return _put(layers, layer, replace(layer, touchups=tuple(rows)))


@refusing
def shifted_keys(layers: Layers, name: str, chosen: Chosen, moment: Callable[[float], float]) -> Layers:
    """Keys at other moments. Those that come to lie on others take their place."""
    layer = layer_named(layers, name)
    moved = _chosen(layer, chosen)
    rows = list(layer.touchups)
    for n, numbers in moved.items():
        keys = [replace(rows[n].keys[k], time=moment(rows[n].keys[k].time), baseline=None) for k in sorted(numbers)]
        rows[n] = replace(rows[n], keys=_joined(rows[n], keys, numbers))
    return _put(layers, layer, replace(layer, touchups=tuple(rows)))


def _joined(touchup: TouchUp, keys: Sequence[Key], left_out: Iterable[int] = ()) -> tuple[Key, ...]:
    """The keys of a touch-up but those left out, and others, which win where two lie at the same moment."""
    gone = set(left_out)
    kept = [
        key
        for k, key in enumerate(touchup.keys)
        if k not in gone and all(abs(key.time - other.time) > 1e-4 for other in keys)
    ]
    return tuple(sorted((*kept, *keys), key=lambda key: key.time))


@refusing
def copied_keys(layers: Layers, name: str, chosen: Chosen, by: float) -> Layers:
    """Keys set once more, so many seconds later."""
    layer = layer_named(layers, name)
    rows = list(layer.touchups)
    for n, numbers in _chosen(layer, chosen).items():
        keys = [replace(rows[n].keys[k], time=rows[n].keys[k].time + by, baseline=None) for k in sorted(numbers)]
        rows[n] = replace(rows[n], keys=_joined(rows[n], keys))
    return _put(layers, layer, replace(layer, touchups=tuple(rows)))


@refusing
def ways_changed(layers: Layers, name: str, chosen: Chosen, to_next: Interpolation) -> Layers:
    """Keys from which the curve goes on otherwise to the next."""
    layer = layer_named(layers, name)
    rows = list(layer.touchups)
    for n, numbers in _chosen(layer, chosen).items():
        keys = (replace(key, to_next=to_next) if k in numbers else key for k, key in enumerate(rows[n].keys))
        rows[n] = replace(rows[n], keys=tuple(keys))
    return _put(layers, layer, replace(layer, touchups=tuple(rows)))


@refusing
def eased(
    layers: Layers,
    name: str,
    number: int,
    ease_in: float | Literal["same"] | None,
    ease_out: float | Literal["same"] | None,
) -> Layers:
    """A touch-up with other eases in seconds, None where it is kept there, or the same as they are."""
    layer = layer_named(layers, name)
    if not 0 <= number < len(layer.touchups):
        raise BadInput(f"“{layer.name}” has no such touch-up; it was removed meanwhile.")
    rows = list(layer.touchups)
    now = rows[number]
    rows[number] = replace(
        now,
        ease_in=now.ease_in if ease_in == "same" else ease_in,
        ease_out=now.ease_out if ease_out == "same" else ease_out,
    )
    return _put(layers, layer, replace(layer, touchups=tuple(rows)))


@refusing
def mirrored_keys(
    layers: Layers, name: str, chosen: Chosen, context: RetargetContext, facing: FloatArray | None = None
) -> Layers:
    """Keys on the other side of the body as well, in the same layer; those of the middle are exchanged.

    facing ``(3,)``: where the body faces in the world, for what is moved in its axes; that of the stance without.
    """
    layer = layer_named(layers, name)
    rows = list(layer.touchups)
    for n, numbers in _chosen(layer, chosen).items():
        touchup = layer.touchups[n]
        joint = joint_of(touchup, context)
        if joint is None:
            raise BadInput(f"This character has no {touchup.label} that is paired; there is nothing to mirror it to.")
        twin = twins(context).get(joint, joint)
        keys = [touchup.keys[k] for k in sorted(numbers)]
        values, turns = (np.array([getattr(key, what) for key in keys], dtype=float) for what in ("value", "turn"))
        if touchup.channel == "rotation":
            anatomical = local_to_anatomical(values, joint, context)
            values = anatomical_to_local(anatomical, twin, context, not is_sided(twin, context))
        else:
            normal = side_of(context) if touchup.against or facing is None else heading_across(facing)
            values, turns = reflected(values, normal), -reflected(turns, normal)
        made = [
            replace(key, value=vector_of(value), turn=vector_of(turn), baseline=None)
            for key, value, turn in zip(keys, values, turns, strict=True)
        ]
        other = replace(
            touchup_on(twin, touchup.channel, context, mirrored(touchup.against)),
            ease_in=touchup.ease_in,
            ease_out=touchup.ease_out,
        )
        at = next((k for k, row in enumerate(rows) if row.target == other.target), None)
        if at is None:
            rows.append(replace(other, keys=tuple(made)))
        else:
            rows[at] = replace(rows[at], keys=_joined(rows[at], made))
    return _put(layers, layer, replace(layer, touchups=tuple(rows)))


@refusing
def as_shown(
    layers: Layers, name: str, is_mirrored: bool, context: RetargetContext, across: FloatArray | None = None
) -> Layers:
    """A layer as it is meant on the clip that is shown: on the other sides where that is mirrored and its keys were set
    when it was not, or the other way round. across ``(3,)``: the normal of the plane it was mirrored in."""
    layer = layer_named(layers, name)
    if layer.mirrored == is_mirrored:
        return layers
    rows = []
    for touchup in layer.touchups:
        joint = joint_of(touchup, context)
        found, _ = place(Layers((Layer("x", (touchup,), mirrored=not is_mirrored),)), context, is_mirrored, across)
        if joint is None or not found:
            raise BadInput(
                f"This character has no {touchup.label} on the other side; change “{name}” on the clip as it was."
            )
        scale = np.degrees if touchup.channel == "rotation" else np.asarray
        keys = tuple(
            replace(key, value=vector_of(value), turn=vector_of(turn), baseline=None)
            for key, value, turn in zip(touchup.keys, scale(found[0].values), np.degrees(found[0].turns), strict=True)
        )
        other = touchup_on(found[0].joint, touchup.channel, context, mirrored(touchup.against))
        rows.append(replace(other, keys=keys, ease_in=touchup.ease_in, ease_out=touchup.ease_out))
    limbs = tuple(mirrored(limb) for limb in layer.limbs)
    return _put(layers, layer, replace(layer, touchups=tuple(rows), limbs=limbs, mirrored=is_mirrored))
