"""The join of two assignments on the part: which bones of one skeleton go with which of another."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from armuto.body.parts import Assignment, PartBone
from armuto.body.plans import SIDES, BodyPlan, Part, plan_of
from armuto.kinematics.skeleton import Skeleton
from armuto.pairing.extras import as_rows, extras
from armuto.pairing.hands import FINGERS

MITTEN = 0.85  # how surely at most many fingers go with one chain


@dataclass(frozen=True)
class Pair:
    """One correspondence inside a fitting.

    part: the part's name, or None for bones outside the body plan. source and target: bone names from the trunk
    outwards, any number on either side; source is empty where bones of a part that may have many only exist on the
    target and follow the bend between their neighbours. confirmed: a person has said that it is right. moves:
    translations of the source are carried over too, where it has any.
    """

    part: str | None
    source: tuple[str, ...]
    target: tuple[str, ...]
    confidence: float
    reasons: tuple[str, ...]
    confirmed: bool = False
    moves: bool = True

    @property
    def key(self) -> str:
        """What names this pair among the pairs of a fitting: its part, or its first bone on the target."""
        return self.part or f"+{(self.target or self.source)[0]}"


@dataclass(frozen=True)
class Missing:
    """A required part without a pair, and which side lacks a bone for it: "source", "target" or "both"."""

    part: str
    side: str


def pair(
    source: Skeleton, source_parts: Assignment, target: Skeleton, target_parts: Assignment, plan: BodyPlan | None = None
) -> tuple[tuple[Pair, ...], tuple[Missing, ...]]:
    """Join two assignments on the part.

    Parameters
    ----------
    source, target : Skeleton
    source_parts, target_parts : Assignment
        As :func:`armuto.pairing.assign` gives them.
    plan : BodyPlan, optional
        The likeliest one that has the parts, where none is given.

    Returns
    -------
    pairs : tuple of Pair
        In the order of the plan; bones outside the plan that both have alike come last.
    missing : tuple of Missing
        Required parts that one of the two, or both, have no bone for.
    """
    plan = plan or plan_of([*source_parts, *target_parts])
    source_parts, target_parts = _mittens(source_parts, target_parts)
    pairs, missing = [], []
    for part in plan.parts:
        left, right = source_parts.get(part.name, ()), target_parts.get(part.name, ())
        if right and (left or part.many):
            pairs.append(_joined(part, source, left, target, right))
        elif part.required:
            side = "both" if not left and not right else ("target" if left else "source")
            missing.append(Missing(part.name, side))
    return (*pairs, *_outside(source, source_parts, target, target_parts)), tuple(missing)


def _mittens(source_parts: Assignment, target_parts: Assignment) -> tuple[Assignment, Assignment]:
    """Where a hand of one body has one chain for all its fingers, those of the other side by side as its
    counterpart."""
    source_parts, target_parts = dict(source_parts), dict(target_parts)
    for side in SIDES:
        for own, other in ((source_parts, target_parts), (target_parts, source_parts)):
            mine, theirs = ([f for f in FINGERS[1:] if f"{side} {f} proximal" in parts] for parts in (own, other))
            if len(mine) != 1 or len(theirs) < 2:
                continue
            for bone in ("proximal", "intermediate", "distal"):
                rows = [other[f"{side} {f} {bone}"] for f in theirs if f"{side} {f} {bone}" in other]
                for f in theirs:
                    other.pop(f"{side} {f} {bone}", None)
                if rows:
                    why = "one of several fingers side by side, for the one chain of the other hand"
                    other[f"{side} {mine[0]} {bone}"] = tuple(
                        PartBone(found.joint, min(found.confidence, MITTEN), f"{found.reason}; {why}")
                        for row in rows
                        for found in row
                    )
    return source_parts, target_parts


def _joined(
    part: Part, source: Skeleton, left: Sequence[PartBone], target: Skeleton, right: Sequence[PartBone]
) -> Pair:
    if left:
        reasons = tuple(
            f"{side}: {bone.reason}" for side, bones in (("source", left), ("target", right)) for bone in bones
        )
        confidence = min(bone.confidence for bone in (*left, *right))
    else:
        reasons = ("the source has no bone for it; these follow the bend between their neighbours",)
        confidence = min(bone.confidence for bone in right)
    if left and len(left) != len(right):
        how = "side by side" if part.limb.split()[-1] in FINGERS else "spread along the length of the limb"
        reasons += (f"{len(left)} on {len(right)} bones, {how}",)
    return Pair(
        part.name,
        tuple(source.names[bone.joint] for bone in left),
        tuple(target.names[bone.joint] for bone in right),
        round(confidence, 3),
        reasons,
    )


def _outside(source: Skeleton, source_parts: Assignment, target: Skeleton, target_parts: Assignment) -> Iterable[Pair]:
    """Bones outside the plan that are called the same on both sides, or hang at the same place and are alike."""
    taken_left = {bone.joint for bones in source_parts.values() for bone in bones}
    taken_right = {bone.joint for bones in target_parts.values() for bone in bones}
    known = {name: joint for joint, name in enumerate(source.names) if joint not in taken_left}
    for joint, name in enumerate(target.names):
        if joint not in taken_right and name in known:
            taken_left.add(known[name])
            taken_right.add(joint)
            yield Pair(None, (name,), (name,), 0.7, ("both sides call it the same",))
    for match in extras(source, source_parts, target, target_parts):
        for ups, downs in as_rows(match):
            if taken_left.isdisjoint(ups) and taken_right.isdisjoint(downs):
                left, right = (tuple(sk.names[j] for j in row) for sk, row in ((source, ups), (target, downs)))
                yield Pair(None, left, right, match.confidence, (match.reason,))
