"""Changing the pairs of a fitting: pure functions from pairs to pairs, on one side of the body or on both at once."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, replace

from armuto.body.mirror import mirror_joints, mirrored
from armuto.body.parts import Assignment
from armuto.body.plans import BodyPlan
from armuto.kinematics.skeleton import Skeleton
from armuto.pairing import Pair

BY_HAND = "set by hand"
MIRRORED = f"mirror of what was {BY_HAND} on the other side"


@dataclass(frozen=True)
class PairingContext:
    """What pairs are made on: two skeletons, their parts as they were read, and the plan."""

    source: Skeleton
    target: Skeleton
    source_parts: Assignment
    target_parts: Assignment
    plan: BodyPlan

    def side(self, which: str) -> tuple[Skeleton, Assignment]:
        return (self.source, self.source_parts) if which == "source" else (self.target, self.target_parts)

    def part_of(self, which: str, bone: str) -> str | None:
        """The part that a bone was read as, if the plan has it."""
        skeleton, parts = self.side(which)
        joint = skeleton.index[bone]
        part = next((part for part, bones in parts.items() if any(bone.joint == joint for bone in bones)), None)
        return part if part in self.plan.by_name else None

    def twin(self, which: str, bone: str) -> str | None:
        skeleton, parts = self.side(which)
        other = mirror_joints(skeleton, parts).get(skeleton.index[bone])
        return None if other is None else skeleton.names[other]

    def ordered(self, which: str, bones: Iterable[str]) -> tuple[str, ...]:
        """Bones from the trunk outwards, each once."""
        index = self.side(which)[0].index
        return tuple(sorted(dict.fromkeys(bones), key=lambda bone: index[bone]))


@dataclass(frozen=True)
class Pairing:
    """The pairs of a fitting and the parts that are left out on purpose."""

    pairs: tuple[Pair, ...]
    left_out: tuple[str, ...] = ()

    def of(self, key: str) -> Pair | None:
        return next((pair for pair in self.pairs if pair.key == key), None)

    def with_bone(self, which: str, bone: str) -> Pair | None:
        return next((pair for pair in self.pairs if bone in getattr(pair, which)), None)


def give(now: Pairing, context: PairingContext, pair: Pair) -> Pairing:
    """Put a pair in place of whatever has its part, and take its bones out of every other pair: a bone serves one
    part."""
    others = []
    for present in now.pairs:
        if present.key == pair.key or (pair.part and present.part == pair.part):
            continue
        source = tuple(bone for bone in present.source if bone not in pair.source)
        target = tuple(bone for bone in present.target if bone not in pair.target)
        many = present.part in context.plan.by_name and context.plan.by_name[present.part or ""].many
        if target and (source or (many and not present.source)):
            others.append(replace(present, source=source, target=target))
    left_out = tuple(part for part in now.left_out if part != pair.part)
    return _in_order(Pairing((*others, pair), left_out), context)


def set_pair(
    now: Pairing,
    context: PairingContext,
    part: str | None,
    source: Sequence[str],
    target: Sequence[str],
    mirror: bool,
    moves: bool = True,
) -> Pairing:
    """Give a part these bones, or make a pair outside the plan; with nothing on one side it is removed."""
    for own, ups, downs, why in _both_sides(context, part, source, target, mirror):
        if downs and (ups or (own and context.plan.by_name[own].many)):
            pair = Pair(own, context.ordered("source", ups), context.ordered("target", downs), 1.0, (why,), True, moves)
            now = give(now, context, pair)
        elif own:
            now = remove(now, [own])
    return now


def connect(
    now: Pairing, context: PairingContext, source: str, target: str, mirror: bool, add: bool = False
) -> Pairing:
    """Draw a thread from a bone to a bone.

    The pair keeps the part of the source's pair, else of the target's, else the part that either bone was read as.
    Parts that may have many bones, and any pair with ``add``, take the bone in beside those they have; others have it
    instead.
    """
    jobs = [(source, target)]
    if mirror:
        other = (context.twin("source", source), context.twin("target", target))
        if all(other) and other != (source, target):
            jobs.append((str(other[0]), str(other[1])))
    for n, (a, b) in enumerate(jobs):
        up, down = now.with_bone("source", a), now.with_bone("target", b)
        if up is not None and up == down:
            # The thread is there: drawing it again says that it is right.
            now = give(now, context, replace(up, confirmed=True))
            continue
        connected = up or down
        part = connected.part if connected else _free_part(now, context, a, b)
        many = part is not None and context.plan.by_name[part].many
        sources, targets = {a}, {b}
        if connected and (many or add):
            sources |= set(connected.source)
            targets |= set(connected.target)
        elif up and down is None and len(up.source) > 1:
            sources = set(up.source)
        if connected and connected.part is None:
            now = remove(now, [connected.key])
        why = BY_HAND if n == 0 else MIRRORED
        pair = Pair(
            part,
            context.ordered("source", sources),
            context.ordered("target", targets),
            1.0,
            (why,),
            True,
            connected.moves if connected else True,
        )
        now = give(now, context, pair)
    return now


def _free_part(now: Pairing, context: PairingContext, source: str, target: str) -> str | None:
    for which, bone in (("source", source), ("target", target)):
        part = context.part_of(which, bone)
        if part and (now.of(part) is None or context.plan.by_name[part].many):
            return part
    return None


def _both_sides(
    context: PairingContext, part: str | None, source: Sequence[str], target: Sequence[str], mirror: bool
) -> Iterable[tuple[str | None, list[str], list[str], str]]:
    yield part, list(source), list(target), BY_HAND
    if not mirror or (part is not None and mirrored(part) == part):
        return
    ups, downs = [context.twin("source", bone) for bone in source], [context.twin("target", bone) for bone in target]
    if None in ups or None in downs or (ups == list(source) and downs == list(target)):
        return
    other = mirrored(part) if part else None
    if part is None or other in context.plan.by_name:
        yield (
            other,
            [str(bone) for bone in ups],
            [str(bone) for bone in downs],
            f"mirror of what was {BY_HAND} on the other side",
        )


def _with_mirror(keys: Collection[str], mirror: bool) -> set[str]:
    return set(keys) | ({mirrored(key) for key in keys} if mirror else set())


def remove(now: Pairing, keys: Collection[str], mirror: bool = False) -> Pairing:
    gone = _with_mirror(keys, mirror)
    return Pairing(tuple(pair for pair in now.pairs if pair.key not in gone), now.left_out)


def leave_out(now: Pairing, context: PairingContext, parts: Collection[str], mirror: bool = False) -> Pairing:
    """Leave parts out on purpose: they have no pair and are not missing."""
    out = [part for part in _with_mirror(parts, mirror) if part in context.plan.by_name]
    others = remove(now, out)
    order = list(context.plan.by_name)
    return Pairing(others.pairs, tuple(sorted({*now.left_out, *out}, key=order.index)))


def bring_back(
    now: Pairing, context: PairingContext, parts: Collection[str], proposed: Iterable[Pair], mirror: bool = False
) -> Pairing:
    """Take back that parts were left out; they get what is proposed for them, as far as its bones are free."""
    restored = _with_mirror(parts, mirror)
    now = Pairing(now.pairs, tuple(part for part in now.left_out if part not in restored))
    for pair in proposed:
        free = not any(now.with_bone("source", bone) for bone in pair.source) and not any(
            now.with_bone("target", bone) for bone in pair.target
        )
        if pair.part in restored and now.of(pair.key) is None and free:
            now = give(now, context, pair)
    return now


def confirm(now: Pairing, keys: Collection[str] | None = None, above: float = 0.0) -> Pairing:
    """Confirm pairs by key, or all that are at least so sure."""
    return Pairing(
        tuple(
            replace(pair, confirmed=True) if (keys is None or pair.key in keys) and pair.confidence >= above else pair
            for pair in now.pairs
        ),
        now.left_out,
    )


def swap(now: Pairing, context: PairingContext, keys: Collection[str]) -> Pairing:
    """Exchange the target bones of left and right for these parts and their mirrors."""
    swapped = {key for key in _with_mirror(keys, True) if mirrored(key) != key}
    by = {pair.part: pair for pair in now.pairs if pair.part in swapped}
    others = [pair for pair in now.pairs if pair.part not in by]
    for part, pair in by.items():
        other = by.get(mirrored(part or ""))
        if other is not None:
            others.append(
                replace(pair, target=other.target, confidence=1.0, confirmed=True, reasons=("sides swapped by hand",))
            )
        else:
            others.append(replace(pair, part=mirrored(part or "")))
    return _in_order(Pairing(tuple(others), now.left_out), context)


def _in_order(now: Pairing, context: PairingContext) -> Pairing:
    order = {part: n for n, part in enumerate(context.plan.by_name)}
    index = context.target.index

    def place(pair: Pair) -> tuple[int, int]:
        return order.get(pair.part or "", len(order)), index[pair.target[0]] if pair.target else 0

    return Pairing(tuple(sorted(now.pairs, key=place)), now.left_out)
