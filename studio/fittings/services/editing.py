"""Changing the pairs of a fitting: what can be asked for, each a step of its history."""

import json
from functools import lru_cache
from typing import Any

from django.db import transaction

from armuto.body.mirror import mirrored
from armuto.body.parts import Assignment
from armuto.body.plans import BodyPlan, plan_of, read_plan
from armuto.errors import BadInput
from armuto.pairing import Pair, assign, editing, trees
from armuto.pairing.editing import Pairing, PairingContext
from armuto.pairing.patterns import read_skeleton
from armuto.retarget import fitting as core
from studio.cast.models import Character
from studio.fittings.models import Fitting
from studio.fittings.services.steps import proposal, step, value_of
from studio.library.models import Skeleton
from studio.patterns.models import Pattern
from studio.patterns.services import plan_named, reading


def pairing_context(row: Fitting, value: core.Fitting | None = None) -> PairingContext:
    """What the pairs of a fitting are made on."""
    value = value or value_of(row)
    source, target = row.skeleton, row.character.skeleton
    return PairingContext(
        value.source, value.target, parts_of(source, value.plan), parts_of(target, value.plan), value.plan
    )


def parts_of(row: Skeleton, plan: BodyPlan) -> Assignment:
    """The parts of a skeleton by a plan: as they are kept, or read anew where another plan is wanted."""
    if row.parts and not plan.own and plan_of(row.parts).name == plan.name:
        return row.assignment()
    return _read_by(row.pk, row.identity, json.dumps(plan.table))


@lru_cache(maxsize=64)
def _read_by(pk: int, identity: str, table: str) -> Assignment:
    return assign(Skeleton.objects.get(pk=pk, identity=identity).value(), read_plan(json.loads(table)))


def edit(row: Fitting, op: str, **arguments: object) -> None:
    """Make one change and keep it as a step.

    What changes nothing is no step. Raises :class:`BadInput` for bones and parts that are not there.
    """
    value = value_of(row)
    context = pairing_context(row, value)
    now = Pairing(value.pairs, value.left_out)
    plan = value.plan
    change = CHANGES.get(op)
    if change is None:
        raise BadInput(f"{op}: there is no such change.")
    _check(context, arguments)
    if op == "plan":
        plan = plan_named(str(arguments["plan"]))
        then, what = _by_plan(row, plan)
    else:
        then, what = change(row, now, context, arguments)
    if then == now and plan == value.plan:
        return
    made = _fit(row, value, then, plan)
    with transaction.atomic():
        step(row, made, what)


def _fit(row: Fitting, value: core.Fitting, now: Pairing, plan: BodyPlan) -> core.Fitting:
    """The fitting with other pairs. Which way the bodies face is told by what they are, not by how they are paired."""
    parts = parts_of(row.skeleton, plan), parts_of(row.character.skeleton, plan)
    return core.fit(
        value.source,
        value.target,
        *parts,
        pairs=now.pairs,
        source_stance=value.source_stance,
        target_stance=value.target_stance,
        left_out=now.left_out,
        plan=plan,
        overrides=value.overrides,
        like=value,
    )


def _check(context: PairingContext, arguments: dict[str, Any]) -> None:
    for which, skeleton in (("source", context.source), ("target", context.target)):
        for name in arguments.get(which) or ():
            if name not in skeleton.index:
                side = "source" if which == "source" else "character"
                raise BadInput(f"{name}: there is no such bone on the {side}; take one of its own.")
    for part in arguments.get("keys") or ():
        if not part.startswith("+") and part not in context.plan.by_name:
            raise BadInput(f"{part}: the body plan has no such part; take one of its names.")


def _listed(names: list[str] | tuple[str, ...]) -> str:
    return ", ".join(names) or "nothing"


def _connect(row: Fitting, now: Pairing, context: PairingContext, arguments: dict[str, Any]) -> tuple[Pairing, str]:
    source, target = arguments.get("source") or [], arguments.get("target") or []
    if len(source) != 1 or len(target) != 1:
        raise BadInput("A thread goes from one bone of the source to one of the character; choose one on each side.")
    then = editing.connect(
        now, context, source[0], target[0], bool(arguments.get("mirror")), bool(arguments.get("add"))
    )
    return then, f"{source[0]} to {target[0]}"


def _set(row: Fitting, now: Pairing, context: PairingContext, arguments: dict[str, Any]) -> tuple[Pairing, str]:
    source, target, keys = arguments.get("source") or [], arguments.get("target") or [], arguments.get("keys") or []
    key = keys[0] if keys else ""
    part = None if not key or key.startswith("+") else key
    if part is None and not (source and target):
        raise BadInput("A pair outside the body plan needs a bone on both sides.")
    if part is None and key:
        now = editing.remove(now, [key])
    moves = arguments.get("moves")
    then = editing.set_pair(now, context, part, source, target, bool(arguments.get("mirror")), moves is not False)
    return then, f"{part or 'extra'}: {_listed(source)} to {_listed(target)}"


def _remove(row: Fitting, now: Pairing, context: PairingContext, arguments: dict[str, Any]) -> tuple[Pairing, str]:
    keys = arguments.get("keys") or []
    return editing.remove(now, keys, bool(arguments.get("mirror"))), f"removed {_listed(keys)}"


def _leave_out(row: Fitting, now: Pairing, context: PairingContext, arguments: dict[str, Any]) -> tuple[Pairing, str]:
    keys = arguments.get("keys") or []
    return editing.leave_out(now, context, keys, bool(arguments.get("mirror"))), f"left out {_listed(keys)}"


def _bring_back(row: Fitting, now: Pairing, context: PairingContext, arguments: dict[str, Any]) -> tuple[Pairing, str]:
    keys = arguments.get("keys") or []
    proposed = core.propose(context.source, context.target, context.source_parts, context.target_parts, context.plan)[0]
    return editing.bring_back(
        now, context, keys, proposed, bool(arguments.get("mirror"))
    ), f"took back that {_listed(keys)} is left out"


def _confirm(row: Fitting, now: Pairing, context: PairingContext, arguments: dict[str, Any]) -> tuple[Pairing, str]:
    keys, above = arguments.get("keys"), float(arguments.get("above") or 0.0)
    if keys is not None and arguments.get("mirror"):
        keys = [*keys, *(mirrored(key) for key in keys)]
    what = f"confirmed {_listed(keys)}" if keys is not None else f"confirmed all from {above * 100:.0f} of 100"
    return editing.confirm(now, keys, above), what


def _swap(row: Fitting, now: Pairing, context: PairingContext, arguments: dict[str, Any]) -> tuple[Pairing, str]:
    keys = arguments.get("keys")
    every = [pair.key for pair in now.pairs if pair.part] if keys is None else keys
    return editing.swap(now, context, every), "swapped left and right" + (f" of {_listed(keys)}" if keys else "")


def _moves(row: Fitting, now: Pairing, context: PairingContext, arguments: dict[str, Any]) -> tuple[Pairing, str]:
    keys, moves = arguments.get("keys") or [], bool(arguments.get("moves"))
    pairs = tuple(
        Pair(p.part, p.source, p.target, p.confidence, p.reasons, p.confirmed, moves) if p.key in keys else p
        for p in now.pairs
    )
    return Pairing(pairs, now.left_out), f"{_listed(keys)}: {'with' if moves else 'without'} translation"


def _clear(row: Fitting, now: Pairing, context: PairingContext, arguments: dict[str, Any]) -> tuple[Pairing, str]:
    return Pairing((), ()), "cleared all pairs"


def _reset(row: Fitting, now: Pairing, context: PairingContext, arguments: dict[str, Any]) -> tuple[Pairing, str]:
    made, how = proposal(row.skeleton, row.character)
    return Pairing(made.pairs, made.left_out), f"back to the proposal, {how}"


def _trees(row: Fitting, now: Pairing, context: PairingContext, arguments: dict[str, Any]) -> tuple[Pairing, str]:
    """Match the two trees directly, without a plan. What is confirmed stays."""
    then = Pairing(tuple(pair for pair in now.pairs if pair.confirmed), now.left_out)
    for pair in trees(context.source, context.target):
        if not then.with_bone("source", pair.source[0]) and not then.with_bone("target", pair.target[0]):
            then = editing.give(then, context, pair)
    return then, "matched the two trees directly"


def _by_plan(row: Fitting, plan: BodyPlan) -> tuple[Pairing, str]:
    source, target = row.skeleton, row.character.skeleton
    found, _, _ = core.propose(source.value(), target.value(), parts_of(source, plan), parts_of(target, plan), plan)
    return Pairing(tuple(found)), f"by the body plan “{plan.name}”"


CHANGES = {
    "connect": _connect,
    "set": _set,
    "remove": _remove,
    "leave out": _leave_out,
    "bring back": _bring_back,
    "confirm": _confirm,
    "swap": _swap,
    "moves": _moves,
    "clear": _clear,
    "reset": _reset,
    "trees": _trees,
    "plan": _connect,
}


def apply_pattern(pattern: Pattern, character_ids: list[int]) -> list[dict[str, Any]]:
    """Fill in the parts of characters by a pattern, and pair their fittings anew by it; pairs that were confirmed
    stay."""
    out = []
    for character in Character.objects.filter(pk__in=character_ids).select_related("skeleton"):
        value = character.skeleton.value()
        read = read_skeleton(value, pattern.value())
        if read is None:
            out.append(
                {"character_id": character.pk, "character": character.name, "fits": False, "score": 0.0, "fittings": 0}
            )
            continue
        parts, _ = reading(character.skeleton)
        parts = {part: bones for part, bones in parts.items() if part not in read.parts}
        taken = {bone.joint for bones in read.parts.values() for bone in bones}
        parts = {part: b for part, b in parts.items() if not any(bone.joint in taken for bone in b)} | read.parts
        with transaction.atomic():
            character.skeleton.keep_parts(parts)
            done = sum(_by_pattern(row, pattern.name) for row in character.fittings.select_related("state", "skeleton"))
        out.append(
            {
                "character_id": character.pk,
                "character": character.name,
                "fits": True,
                "score": read.score,
                "fittings": done,
            }
        )
    return out


def _by_pattern(row: Fitting, name: str) -> bool:
    """Pair a fitting anew by the parts its skeletons now have. False where that changes nothing."""
    value = value_of(row)
    source_parts, _ = reading(row.skeleton)
    context = PairingContext(value.source, value.target, source_parts, row.character.skeleton.assignment(), value.plan)
    proposed, _, plan = core.propose(value.source, value.target, context.source_parts, context.target_parts)
    now = Pairing(tuple(pair for pair in value.pairs if pair.confirmed), value.left_out)
    context = PairingContext(value.source, value.target, source_parts, context.target_parts, plan)
    for pair in proposed:
        taken = any(now.with_bone("target", bone) for bone in pair.target) or (pair.part and now.of(pair.part))
        if not taken and pair.part not in now.left_out:
            now = editing.give(now, context, pair)
    if now.pairs == value.pairs:
        return False
    step(row, _fit(row, value, now, plan), f"by the pattern “{name}”")
    return True
