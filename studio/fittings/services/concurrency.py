"""Several people at one fitting: nothing that was answered with success is lost, and nobody undoes what another did.

A change is computed from the state that is in force, without holding a lock, and written only if that state is still in
force by then (compare and swap); else it is computed anew. Who says on which state a change was made (``If-Match``) is
refused where others have changed the same things since. What a change touches is told by comparing two states.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any, TypeVar

from studio.fittings.models import Fitting, FittingState
from studio.platform.optimistic import Conflict

T = TypeVar("T")
Data = dict[str, Any]
#: A thing in a fitting that somebody can change by itself: its kind, and which of them.
Aspect = tuple[str, ...]
ATTEMPTS = 40


class Stale(Conflict):
    """The state that a change was computed from is no longer in force."""

    def __init__(self) -> None:
        super().__init__("This fitting was changed by somebody else meanwhile; try again.")


def change_fitting(fetch: Callable[[], Fitting], work: Callable[[Fitting], T]) -> tuple[Fitting, T]:
    """Do work on a fitting until it was written on the state it was computed from. Returns the fitting, and the result.

    fetch: the fitting as it is now. work: computes, and calls :func:`studio.fittings.services.steps.step`.
    """
    for _ in range(ATTEMPTS):
        row = fetch()
        before = row.state
        try:
            done = work(row)
        except Stale:
            continue
        if row.state == before:
            _refuse_void(row, fetch, work)
        return row, done
    raise Conflict("This fitting is being changed too quickly to keep up with; try again.")


class _Rehearsed(Exception):
    """A change was only tried; aspects: what it would touch."""

    def __init__(self, aspects: set[Aspect]) -> None:
        self.aspects = aspects


def _refuse_void(row: Fitting, fetch: Callable[[], Fitting], work: Callable[[Fitting], Any]) -> None:
    """Raises :class:`Conflict` where a change came to nothing because others changed its things since."""
    base = row.base
    if base is None or row.state is None or base.pk == row.state.pk:
        return
    trial = fetch()
    trial.state, trial.base, trial.rehearsal = base, None, True
    try:
        work(trial)
    except _Rehearsed as would:
        _refuse_shared(row, base, would.aspects)


def refuse_conflict(row: Fitting, data: Data, contacts: Data) -> None:
    """Raises :class:`Conflict` where a new state changes what others changed since the one that it was made on."""
    base, now = row.base, row.state
    is_late = base is not None and now is not None and base.pk != now.pk
    if now is None or not (row.rehearsal or is_late):
        return
    aspects = touched(now.data, now.contacts, data, contacts)
    if row.rehearsal:
        raise _Rehearsed(aspects)
    assert base is not None
    _refuse_shared(row, base, aspects)


def _refuse_shared(row: Fitting, base: FittingState, aspects: set[Aspect]) -> None:
    now = row.state
    assert now is not None
    both = aspects & touched(base.data, base.contacts, now.data, now.contacts)
    if both:
        what = f"{described(both)} since ({now.change})"
        raise Conflict(f"Somebody else has changed {what}; look at it, then apply yours again.")


def touched(data: Data, contacts: Data, later: Data, later_contacts: Data) -> set[Aspect]:
    """What differs between two states of a fitting."""
    before, after = dict(_aspects(data, contacts)), dict(_aspects(later, later_contacts))
    return {aspect for aspect in before.keys() | after.keys() if before.get(aspect) != after.get(aspect)}


def described(aspects: set[Aspect]) -> str:
    """Some of what is touched, in words."""
    words = {
        "pair": "the pair “{}”",
        "left out": "whether “{}” is left out",
        "plan": "the body plan",
        "said": "the measures",
        "stance": "the stance of the {}",
        "turned": "how “{1}” is turned",
        "setting": "the setting “{}”",
        "exception": "the setting “{1}” for a clip alone",
        "layer": "the touch-ups “{1}”",
        "contacts": "the contacts of a clip",
    }
    listed = sorted({words[kind].format(*names) for kind, *names in aspects})
    return listed[0] if len(listed) == 1 else f"{listed[0]} and {len(listed) - 1} more"


def newest_of_author(row: Fitting) -> tuple[FittingState | None, FittingState | None]:
    """The newest step of the row's author that can be taken back, and the one that can be made again.

    Steps of which nobody said whose they are belong to everybody. The second is the state after the present one where
    the author made it, else the author's newest step that took another one back; None where something new was done
    since.
    """
    now = row.state
    assert now is not None
    states = list(row.states.filter(number__lte=now.number + 1).order_by("-number").defer("data", "contacts"))

    def is_own(state: FittingState) -> bool:
        return state.author in ("", row.author)

    later = next((state for state in states if state.number > now.number and is_own(state)), None)
    kinds = {state.number: state.undoes for state in states}
    cancelled: set[int] = set()
    undone = None
    for state in states:
        if state.number > now.number or state.number == 0 or state.number in cancelled:
            continue
        if state.undoes is not None:
            cancelled.add(state.undoes)
            # What takes back a taking back is a step made again, and no more to be had.
            if is_own(state) and undone is None and kinds.get(state.undoes) is None:
                undone = state
        elif is_own(state):
            return state, later or (undone if undone is not None and undone.number > state.number else None)
    return None, later or undone


def taken_back(now: FittingState, before: FittingState, own: FittingState) -> tuple[Data, Data] | None:
    """A state without what one of its steps did, whatever others did since: its data, and its contacts.

    before, own: the states around that step. None where others have changed the same things since.
    """
    aspects = touched(before.data, before.contacts, own.data, own.contacts)
    if aspects & touched(own.data, own.contacts, now.data, now.contacts):
        return None
    values = dict(_aspects(now.data, now.contacts))
    earlier = dict(_aspects(before.data, before.contacts))
    for aspect in aspects:
        values.pop(aspect, None)
        if aspect in earlier:
            values[aspect] = earlier[aspect]
    return _assembled(now.data, values)


def _aspects(data: Data, contacts: Data) -> Iterator[tuple[Aspect, Any]]:
    """All things in a state that can be changed by themselves, each with its value."""
    for pair in data["pairs"]:
        yield ("pair", _key(pair)), pair
    for part in data.get("left_out", ()):
        yield ("left out", part), True
    yield ("plan",), data.get("plan")
    for name, value in data["said"].items():
        yield ("said", name), value
    for side, stance in data["stances"].items():
        if side in ("source", "target"):
            yield ("stance", side), {key: value for key, value in stance.items() if key != "turned"}
            for bone, q in stance["turned"].items():
                yield ("turned", side, bone), q
    for name, value in data.get("settings", {}).items():
        yield ("setting", name), value
    for clip, table in data.get("exceptions", {}).items():
        for name, value in table.items():
            yield ("exception", clip, name), value
    for clip, table in data.get("touchups", {}).items():
        for name, record in table["layers"]:
            yield ("layer", clip, name), record
    for clip, rows in contacts.items():
        yield ("contacts", clip), rows


def _key(pair: Data) -> str:
    """Of a pair outside the body plan, its bones of the target."""
    return str(pair["part"] or "+" + ",".join(pair["target"]))


def _assembled(data: Data, values: dict[Aspect, Any]) -> tuple[Data, Data]:
    """The data of a state, and its contacts, put together from its aspects again."""
    of_kind: dict[str, dict[tuple[str, ...], Any]] = {}
    for (kind, *names), value in values.items():
        of_kind.setdefault(kind, {})[tuple(names)] = value
    stances = {
        side: stance | {"turned": {bone: q for (which, bone), q in of_kind.get("turned", {}).items() if which == side}}
        for (side,), stance in of_kind["stance"].items()
    }
    order = {_key(pair): n for n, pair in enumerate(data["pairs"])}
    pairs = of_kind.get("pair", {})
    made = data | {
        "pairs": [pairs[key] for key in sorted(pairs, key=lambda key: order.get(key[0], len(order)))],
        "left_out": [part for (part,) in of_kind.get("left out", {})],
        "plan": of_kind["plan"][()],
        "said": {name: value for (name,), value in of_kind["said"].items()},
        "stances": data["stances"] | stances,
        "settings": {name: value for (name,), value in of_kind.get("setting", {}).items()},
    }
    made.pop("exceptions", None)
    tables: dict[str, dict[str, Any]] = {}
    for (clip, name), value in of_kind.get("exception", {}).items():
        tables.setdefault(clip, {})[name] = value
    if tables:
        made["exceptions"] = tables
    made.pop("touchups", None)
    layers: dict[str, dict[str, str]] = {}
    for (clip, name), record in of_kind.get("layer", {}).items():
        layers.setdefault(clip, {})[name] = record
    if layers:
        made["touchups"] = {clip: {"layers": _ordered(rows, data, clip), "digest": ""} for clip, rows in layers.items()}
    return made, {clip: rows for (clip,), rows in of_kind.get("contacts", {}).items()}


def _ordered(records: dict[str, str], data: Data, clip: str) -> list[list[str]]:
    """Layers of a clip with their names, in the order that a state has; others last."""
    order = [name for name, _ in data.get("touchups", {}).get(clip, {}).get("layers", ())]
    names = sorted(records, key=lambda name: order.index(name) if name in order else len(order))
    return [[name, records[name]] for name in names]
