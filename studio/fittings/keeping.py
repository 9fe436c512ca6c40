"""Making fittings, changing them step by step, and going back and forth between the steps."""

import json
from functools import lru_cache

from django.db import transaction

from armuto import fitting as core
from armuto.errors import BadInput
from armuto.pairing import Pair
from studio.cast.models import Character
from studio.fittings.models import Fitting, FittingState
from studio.library.models import Skeleton


def fitting_for(skeleton: Skeleton, character: Character) -> Fitting:
    """The fitting of a library skeleton on a character; made by name and stance when there is none yet."""
    found = Fitting.objects.filter(skeleton=skeleton, character=character).first()
    if found:
        return found
    try:
        value = core.fit(skeleton.value(), character.skeleton.value())
    except ValueError:
        raise BadInput(
            f"{character.name}: no bone could be paired with “{skeleton.name}” by its name; rename its bones by anatomy."
        ) from None
    with transaction.atomic():
        row, new = Fitting.objects.get_or_create(skeleton=skeleton, character=character)
        if new:
            _step(row, core.to_json(value), "paired by name")
    return row


def _step(row: Fitting, data: dict, change: str) -> None:
    """Put a new state in force after the present one; what had been undone is forgotten."""
    number = row.state.number + 1 if row.state else 0
    row.states.filter(number__gte=number).delete()
    row.state = FittingState.objects.create(fitting=row, number=number, data=data, change=change[:255])
    row.save(update_fields=["state"])


def value_of(row: Fitting) -> core.Fitting:
    """The core's value of the fitting's present state."""
    assert row.state is not None
    return _value(row.state_id)


@lru_cache(maxsize=24)
def _value(state_id: int) -> core.Fitting:
    """States never change once written."""
    state = FittingState.objects.select_related("fitting__skeleton", "fitting__character__skeleton").get(pk=state_id)
    row = state.fitting
    text = json.dumps(state.data)
    return core.from_json(text, row.character.name, row.skeleton.value(), row.character.skeleton.value())


def set_pair(row: Fitting, part: str, source: list[str], target: list[str]) -> None:
    """Give a part other bones, or none. The stance is aligned anew. Raises :class:`BadInput` for unknown names."""
    value = value_of(row)
    plan = value.plan
    if part not in plan.by_name:
        raise BadInput(f"{part}: the body plan has no such part; take one of its names.")
    for names, skeleton in ((source, value.source), (target, value.target)):
        for name in names:
            if name not in skeleton.index:
                raise BadInput(f"{part}: there is no bone “{name}”; take one from the list.")
        if len(names) > 1 and not plan.by_name[part].many:
            raise BadInput(f"{part}: this part has one bone on each side.")

    def without(names: tuple[str, ...], taken: list[str]) -> tuple[str, ...]:
        return tuple(name for name in names if name not in taken)

    pairs = []
    for pair in value.pairs:
        if pair.part == part:
            continue
        # A bone serves one part: given to another, it leaves the pair it was in.
        left, right = without(pair.source, source), without(pair.target, target)
        if right and (left or (pair.part and plan.by_name[pair.part].many)):
            pairs.append(Pair(pair.part, left, right, pair.confidence, pair.reasons))
    if target and (source or plan.by_name[part].many):
        pairs.append(Pair(part, tuple(source), tuple(target), 1.0, ("set by hand",)))
    order = {p.name: n for n, p in enumerate(plan.parts)}
    pairs.sort(key=lambda pair: order.get(pair.part or "", len(order)))
    try:
        made = core.fit(value.source, value.target, pairs=pairs)
    except ValueError:
        raise BadInput(f"{part}: with this nothing would be paired any more; keep at least one pair.") from None
    what = f"{part}: {', '.join(source) or 'nothing'} to {', '.join(target) or 'nothing'}"
    with transaction.atomic():
        _step(row, core.to_json(made), what)


@transaction.atomic
def fit_again(row: Fitting, change: str) -> list[str]:
    """Keep a fitting for a new version of its character: pairs hold by bone name, the stance is aligned anew.

    Returns the parts that lost a bone. The history starts over, since earlier steps speak of another skeleton.
    """
    assert row.state is not None
    source, target = row.skeleton.value(), row.character.skeleton.value()
    pairs, lost = [], []
    for pair in row.state.data["pairs"]:
        there = tuple(name for name in pair["target"] if name in target.index)
        if len(there) < len(pair["target"]):
            lost.append(pair["part"] or pair["target"][0])
        if there:
            pairs.append(Pair(pair["part"], tuple(pair["source"]), there, pair["confidence"], tuple(pair["reasons"])))
    try:
        made = core.fit(source, target, pairs=pairs)
    except ValueError:
        made = None
    row.state = None
    row.save(update_fields=["state"])
    row.states.all().delete()
    if made is None:
        row.delete()
        return lost
    _step(row, core.to_json(made), change)
    return lost


def move(row: Fitting, steps: int) -> bool:
    """Undo (-1) or redo (+1). False when there is nothing in that direction."""
    assert row.state is not None
    found = row.states.filter(number=row.state.number + steps).first()
    if found is None:
        return False
    row.state = found
    row.save(update_fields=["state"])
    return True
