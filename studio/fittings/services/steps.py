"""Making fittings, keeping their steps, and going back and forth between them."""

import json
from collections import OrderedDict
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from django.db import transaction

from armuto.body import capsules
from armuto.body.joint_limits import Range, range_from
from armuto.errors import BadInput
from armuto.kinematics.skeleton import Skeleton as SkeletonValue
from armuto.pairing import Pair
from armuto.retarget import fitting as core
from armuto.retarget import fitting_file, settings
from armuto.stance.value import from_json as stance_from
from studio.cast.models import Character
from studio.fittings.models import Fitting, FittingState
from studio.fittings.services import layer_records
from studio.fittings.services.concurrency import Stale, newest_of_author, refuse_conflict, taken_back
from studio.fittings.signals import state_changed
from studio.library.models import Skeleton
from studio.patterns.services import reading
from studio.platform.digests import of_fitting
from studio.platform.optimistic import Conflict
from studio.stances.services import begin, frames_hold

# What is kept of single clips: see clip_exceptions and layer_records.
OF_CLIPS = ("exceptions", "touchups")
CONFIRMED = 0.8  # share of a fitting's pairs that are confirmed, from which on it is proposed for others


def fitting_for(skeleton: Skeleton, character: Character, by_hand: bool = False) -> Fitting:
    """The fitting of a library skeleton on a character; proposed when there is none yet.

    As a confirmed fitting of a character on the same rig has it, else by patterns, names and shape. by_hand: without
    any pair where none can be proposed, for somebody who will pair them; otherwise that raises :class:`BadInput`.
    """
    found = Fitting.objects.filter(skeleton=skeleton, character=character).select_related("state").first()
    if found and (by_hand or (found.state and found.state.data["pairs"])):
        return found
    nothing = f"{character.name}: no bone is paired with one of “{skeleton.name}”; pair them by hand in their fitting."
    if found:
        raise BadInput(nothing)
    try:
        value, how = proposal(skeleton, character)
    except core.NothingToPair:
        if not by_hand:
            raise BadInput(nothing) from None
        value, how = core.fit(skeleton.value(), character.figure(), pairs=()), "to be paired by hand"
    with transaction.atomic():
        row, new = Fitting.objects.get_or_create(skeleton=skeleton, character=character)
        if new:
            step(row, value, how)
    return row


def proposal(skeleton: Skeleton, character: Character) -> tuple[core.Fitting, str]:
    """What is proposed for a character, and by what. Raises NothingToPair where nothing can be."""
    source, target = skeleton.value(), character.figure()
    stances: dict[str, Any] = {
        "source_stance": begin(skeleton, False),
        "target_stance": begin(character.skeleton, True),
    }
    like = _like(skeleton, character)
    if like is not None:
        value = value_of(like)
        why = f"as it is for {like.character.name}, which is on the same rig"
        pairs = [replace(pair, confidence=1.0, confirmed=False, reasons=(why,)) for pair in value.pairs]
        made = core.fit(source, target, pairs=pairs, left_out=value.left_out, plan=value.plan, like=value, **stances)
        return made, f"paired as for {like.character.name}"
    source_parts, by = reading(skeleton)
    target_parts, by_target = reading(character.skeleton)
    left_out = by_target.pattern.left_out if by_target else ()
    names = list(
        dict.fromkeys(f"“{used.pattern.name}” ({used.score * 100:.0f} of 100)" for used in (by, by_target) if used)
    )
    how = f"paired by the pattern{'s'[: len(names) - 1]} {' and '.join(names)}" if names else ""
    made = core.fit(source, target, source_parts, target_parts, left_out=left_out, **stances)
    return made, how or "paired by names and shape"


def can_be_proposed(skeleton: Skeleton, character: Character) -> bool:
    """Whether :func:`proposal` finds anything to pair, without the stances that take most of its time."""
    if _like(skeleton, character) is not None:
        return True
    source_parts, _ = reading(skeleton)
    target_parts, by_target = reading(character.skeleton)
    left_out = by_target.pattern.left_out if by_target else ()
    pairs, _, _ = core.propose(skeleton.value(), character.figure(), source_parts, target_parts)
    return any(pair.source and pair.target and pair.part not in left_out for pair in pairs)


def _like(skeleton: Skeleton, character: Character) -> Fitting | None:
    """A confirmed fitting of the same library skeleton on a character whose bones have the same names and the same
    tree."""
    mine = character.skeleton.value()
    above = {
        name: mine.names[parent] if parent >= 0 else "" for name, parent in zip(mine.names, mine.parents, strict=True)
    }
    rows = Fitting.objects.filter(skeleton=skeleton, character__retired=False).exclude(character=character)
    best, most = None, 0
    for row in rows.exclude(state=None).select_related("state", "character__skeleton", "skeleton"):
        assert row.state is not None
        pairs = row.state.data["pairs"]
        sure = sum(pair.get("confirmed", False) for pair in pairs)
        if not pairs or sure < CONFIRMED * len(pairs) or sure <= most:
            continue
        theirs = row.character.skeleton.value()
        parents = zip(theirs.names, theirs.parents, strict=True)
        same = {name: theirs.names[parent] if parent >= 0 else "" for name, parent in parents}
        if all(name in above and above[name] == same[name] for pair in pairs for name in pair["target"]):
            best, most = row, sure
    return best


def step(
    row: Fitting,
    value: core.Fitting | None,
    change: str,
    contacts: dict[str, Any] | None = None,
    undoes: int | None = None,
    of_clips: Mapping[str, dict[str, Any]] | None = None,
) -> None:
    """Put a new state in force after the present one; what had been undone is forgotten.

    value: None where only what is kept of single clips changes, so that not a digit of the rest does.
    contacts: of clips, by their ids, where they are set with this step. undoes: the number of the step that it takes
    back. of_clips: what is kept of single clips, each kind of :data:`OF_CLIPS` as a whole by their ids, as far as it is
    not what it was.

    Raises :class:`Stale` where the row's state is no longer in force, and :class:`Conflict` where others changed the
    same since the state that the change was made on.
    """
    now = row.state
    number = now.number + 1 if now else 0
    contacts = (now.contacts if now else {}) | (contacts or {})
    if value is not None:
        data = fitting_file.to_json(value)
    else:
        assert now is not None
        data = _without_clips(now.data)
    for kind in OF_CLIPS:
        rows = (of_clips or {}).get(kind, now.data.get(kind, {}) if now else {})
        if rows:
            data[kind] = rows
    refuse_conflict(row, data, contacts)
    with transaction.atomic():
        row.states.filter(number__gte=number).delete()
        made = FittingState.objects.create(
            fitting=row,
            number=number,
            data=data,
            digest=of_fitting(data),
            change=change[:255],
            contacts=contacts,
            author=row.author,
            undoes=undoes,
        )
        _put_in_force(row, made)
    known = _values.get(now.pk) if now else None
    if value is not None or (known is not None and now is not None and known[0] == now.data):
        _keep(made, value if value is not None else known[1])  # type: ignore[index]


def _put_in_force(row: Fitting, state: FittingState) -> None:
    if not Fitting.objects.filter(pk=row.pk, state=row.state).update(state=state):
        raise Stale
    row.state = state
    state_changed.send(Fitting, fitting=row)


_values: OrderedDict[int, tuple[dict[str, Any], core.Fitting]] = OrderedDict()  # states never change once written


def _keep(state: FittingState, value: core.Fitting) -> None:
    _values[state.pk] = (state.data, value)
    while len(_values) > 48:
        _values.popitem(last=False)


def value_of(row: Fitting) -> core.Fitting:
    """The core's value of the fitting's present state."""
    assert row.state is not None
    cached = _values.get(row.state.pk)
    # Told apart by content too: another database, as every test has one, counts its states from one again.
    if cached is not None and row.state.data == cached[0]:
        value = cached[1]
    else:
        text = json.dumps(row.state.data)
        value = fitting_file.from_json(text, row.character.name, row.skeleton.value(), row.character.figure())
    value = of_character(value, row.character)
    _keep(row.state, value)
    return value


def of_character(value: core.Fitting, character: Character) -> core.Fitting:
    """The fitting with what belongs to its character: how thick it is, and its joint limits."""
    ranges = ranges_of_character(character)
    thick = capsules.from_json(character.capsules, value.target)
    same = value.ranges == ranges and capsules.to_json(value.capsules, value.target) == character.capsules
    return value if same else value.with_body(thick, ranges)


def ranges_of_character(character: Character) -> dict[str, Range]:
    """The joint limits that were changed for a character, by part."""
    return {part: range_from(part, row) for part, row in character.limits.items()}


@transaction.atomic
def fit_again(row: Fitting, change: str, was: SkeletonValue) -> list[str]:
    """Keep a fitting for a new version of its character: pairs and stances hold by bone name, alignment is made anew.

    was: the skeleton it had.
    Returns the parts that lost a bone. The history starts over, since earlier steps speak of another skeleton.
    """
    assert row.state is not None
    source, target = row.skeleton.value(), row.character.figure()
    data = row.state.data
    pairs, lost = [], []
    for pair in data["pairs"]:
        there = tuple(name for name in pair["target"] if name in target.index)
        if len(there) < len(pair["target"]):
            lost.append(pair["part"] or pair["target"][0])
        if there:
            flags = pair.get("confirmed", False), pair.get("moves", True)
            pairs.append(
                Pair(pair["part"], tuple(pair["source"]), there, pair["confidence"], tuple(pair["reasons"]), *flags)
            )
    try:
        plan, left_out = fitting_file.plan_from_json(data.get("plan")), data.get("left_out", ())
        stance_data = data["stances"]
        source_stance = stance_from(stance_data["source"], source)
        target_stance = stance_from(stance_data["target"], target)
        if not frames_hold(was, target):
            target_stance = begin(row.character.skeleton, True)
        made = core.fit(
            source,
            target,
            pairs=pairs,
            source_stance=source_stance,
            target_stance=target_stance,
            left_out=left_out,
            plan=plan,
            overrides=fitting_file.overrides_from_json(data["said"]),
        )
        made = replace(made, settings=settings.from_json(data.get("settings", {})))
    except ValueError:
        made = None
    row.state = None
    row.save(update_fields=["state"])
    row.states.all().delete()
    if made is None:
        row.delete()
        return lost
    step(row, made, change, of_clips={kind: data.get(kind, {}) for kind in OF_CLIPS})
    return lost


def undo(row: Fitting) -> bool:
    """Take back the newest step of the row's author, and of nobody else. False where there is none.

    Where others have made steps since, what it changed is changed back in a step of its own. Raises :class:`Conflict`
    where they have changed the same.
    """
    assert row.state is not None
    own, _ = newest_of_author(row)
    if own is None:
        return False
    if own.pk == row.state.pk:
        _put_in_force(row, row.states.get(number=own.number - 1))
    else:
        _take_back(row, own, f"took back: {own.change}")
    return True


def redo(row: Fitting) -> bool:
    """Make the step again that the row's author took back last. False where there is none. Raises :class:`Conflict`."""
    assert row.state is not None
    _, undone = newest_of_author(row)
    if undone is None:
        return False
    if undone.number > row.state.number:
        _put_in_force(row, undone)
    else:
        _take_back(row, undone, undone.change.replace("took back: ", "made again: ", 1))
    return True


def _take_back(row: Fitting, own: FittingState, change: str) -> None:
    assert row.state is not None
    around = taken_back(row.state, row.states.get(number=own.number - 1), own)
    if around is None:
        raise Conflict(f"Somebody else has changed the same since ({own.change}); change it by hand.")
    data, contacts = around
    made = None
    if _without_clips(data) != _without_clips(row.state.data):
        text = json.dumps(data)
        value = fitting_file.from_json(text, row.character.name, row.skeleton.value(), row.character.figure())
        made = of_character(value, row.character)
    of_clips = {kind: data.get(kind, {}) for kind in OF_CLIPS}
    of_clips["touchups"] = layer_records.with_digests(of_clips["touchups"])
    step(row, made, change, contacts, undoes=own.number, of_clips=of_clips)


def _without_clips(data: dict[str, Any]) -> dict[str, Any]:
    return {key: value for key, value in data.items() if key not in OF_CLIPS}
