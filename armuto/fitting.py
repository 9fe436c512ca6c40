"""Fitting: everything needed to transfer clips from one source skeleton to one target skeleton, and its JSON form."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np

from armuto import intake, pairing, rotation, stance
from armuto.errors import BadInput
from armuto.leads import Lead, leads
from armuto.pairing import Assignment, Missing, Pair
from armuto.plans import BodyPlan, body_plan, plan_of, read_plan
from armuto.rotation import FloatArray
from armuto.skeleton import Skeleton
from armuto.stance import StanceRow

FORMAT = 1
FEW = 3  # fewer pairs than this are not enough of a body plan to go by


@dataclass(frozen=True)
class Fitting:
    """Pairs, stance and measures between a source and a target skeleton.

    target_stance: ``(J, 4)`` local rotations of the target in its stance; the source's stance is its rest pose.
    source_facing, target_facing: degrees from +Z. scale: target's leg length over the source's. plan: the body plan that the
    pairs belong to. left_out: parts that are not paired on purpose.
    """

    source: Skeleton
    target: Skeleton
    pairs: tuple[Pair, ...]
    missing: tuple[Missing, ...]
    source_facing: float
    target_facing: float
    target_stance: FloatArray
    scale: float
    plan: BodyPlan
    rows: tuple[StanceRow, ...] = ()
    notes: tuple[str, ...] = ()
    left_out: tuple[str, ...] = ()

    @property
    def turn(self) -> FloatArray:
        """Quaternion from the source's facing to the target's."""
        return rotation.about([0.0, 1.0, 0.0], np.radians(self.target_facing - self.source_facing))

    def leads(self) -> dict[int, Lead]:
        return leads(self.pairs, self.source, self.source.rest.positions, self.target, self.plan)


def fit(
    source: Skeleton,
    target: Skeleton,
    source_parts: Assignment | None = None,
    target_parts: Assignment | None = None,
    pairs: Sequence[Pair] | None = None,
    target_stance: FloatArray | None = None,
    left_out: Sequence[str] = (),
    plan: BodyPlan | None = None,
    facing: tuple[float, float] | None = None,
) -> Fitting:
    """Fit a target to a source: pair unless pairs are given, face the same way, align the stance.

    Where the two bodies have different plans the target is read by the source's; where that pairs next to nothing, the two
    trees are matched directly (:mod:`armuto.pairing.matching`). Which way the two face is told by the parts that they were
    read as, by the pairs where no parts are given, or said outright (degrees of source and target). Raises ValueError when
    there is nothing to pair.
    """
    if pairs is None:
        found, missing, plan = propose(source, target, source_parts, target_parts, plan)
        left = set(left_out)
        found = tuple(pair for pair in found if pair.part not in left)
    else:
        found = tuple(pairs)
        plan = plan or plan_of(pair.part for pair in found)
        missing = pairing.pair(source, _parts(found, source, "source"), target, _parts(found, target, "target"), plan)[
            1
        ]
    if pairs is None and not any(pair.source and pair.target for pair in found):
        raise ValueError("no bone of the one could be paired with a bone of the other")
    missing = tuple(row for row in missing if row.part not in left_out)
    led = leads(found, source, source.rest.positions, target, plan)
    source_facing, why_source = intake.facing(source, source_parts or _parts(found, source, "source"))
    target_facing, why_target = intake.facing(target, target_parts or _parts(found, target, "target"))
    notes = [f"source: {why_source}", f"target: {why_target}"]
    if facing is not None:
        source_facing, target_facing = facing
    if source_facing is None or target_facing is None:
        source_facing, target_facing = 0.0, _turned(led, target) if led else 0.0
        notes.append(f"the target is turned {target_facing:.1f}° against the source, by where the paired bones lie")
    if not led:
        # Nothing is paired yet: the target rests.
        local = target.rest_rotation.copy()
        return Fitting(
            source,
            target,
            found,
            missing,
            source_facing,
            target_facing,
            local,
            1.0,
            plan,
            (),
            tuple(notes),
            tuple(left_out),
        )
    turn = rotation.about([0.0, 1.0, 0.0], np.radians(target_facing - source_facing))
    floor = min(float(lead.place[1]) for lead in led.values())
    local, rows = stance.align(target, led, turn, floor, plan)
    return Fitting(
        source,
        target,
        found,
        missing,
        source_facing,
        target_facing,
        local if target_stance is None else target_stance,
        _scale(led, target, plan),
        plan,
        rows,
        tuple(notes),
        tuple(left_out),
    )


def propose(
    source: Skeleton,
    target: Skeleton,
    source_parts: Assignment | None = None,
    target_parts: Assignment | None = None,
    plan: BodyPlan | None = None,
) -> tuple[tuple[Pair, ...], tuple[Missing, ...], BodyPlan]:
    """The pairs that names and shapes propose, what is missing, and the plan they belong to."""
    source_parts = pairing.assign(source, plan) if source_parts is None else source_parts
    target_parts = pairing.assign(target, plan) if target_parts is None else target_parts
    wanted = plan or plan_of(source_parts)
    if plan is None and target_parts and source_parts and plan_of(target_parts) != wanted:
        target_parts = pairing.assign(target, wanted)
    found, missing = pairing.pair(source, source_parts, target, target_parts, wanted)
    if sum(bool(pair.part and pair.source) for pair in found) < FEW and sum(bool(pair.source) for pair in found) < FEW:
        found = pairing.trees(source, target)
    return found, missing, wanted


def _parts(pairs: Sequence[Pair], skeleton: Skeleton, side: str) -> Assignment:
    return {
        pair.part: tuple(pairing.Found(skeleton.index[name], pair.confidence, "given") for name in getattr(pair, side))
        for pair in pairs
        if pair.part and getattr(pair, side)
    }


def _turned(led: dict[int, Lead], target: Skeleton) -> float:
    """Degrees about +Y that bring the source's paired joints closest to the target's (Procrustes in the plane)."""
    there = np.array([lead.place for lead in led.values()])
    here = target.rest.positions[list(led)]
    there, here = there - there.mean(axis=0), here - here.mean(axis=0)
    sine = float((here[:, 0] * there[:, 2] - here[:, 2] * there[:, 0]).sum())
    cosine = float((here[:, 0] * there[:, 0] + here[:, 2] * there[:, 2]).sum())
    return float(np.degrees(np.arctan2(sine, cosine)))


def _scale(led: dict[int, Lead], target: Skeleton, plan: BodyPlan) -> float:
    """Leg length of the target over that of the source; without legs, the length of all paired bones."""
    by_part = {lead.part: lead for lead in led.values() if lead.part}
    there = here = 0.0
    for leg in plan.legs:
        for upper, lower in pairwise(by_part.get(part.name) for part in leg):
            if upper and lower:
                there += float(np.linalg.norm(lower.place - upper.place))
                here += float(np.linalg.norm(target.rest.positions[lower.target] - target.rest.positions[upper.target]))
    if there <= 0 or here <= 0:
        there = here = 0.0
        for joint, lead in led.items():
            above = next((a for a in target.ancestors(joint) if a in led), None)
            if above is not None:
                there += float(np.linalg.norm(lead.place - led[above].place))
                here += float(np.linalg.norm(target.rest.positions[joint] - target.rest.positions[above]))
    return here / there if there > 0 and here > 0 else 1.0


def to_json(fitting: Fitting) -> dict[str, Any]:
    """The fitting as plain data, as documented in docs/cli.md."""
    return {
        "armuto_fitting": FORMAT,
        "pairs": [
            {
                "part": pair.part,
                "source": list(pair.source),
                "target": list(pair.target),
                "confidence": pair.confidence,
                "reasons": list(pair.reasons),
                "confirmed": pair.confirmed,
                "moves": pair.moves,
            }
            for pair in fitting.pairs
        ],
        "left_out": list(fitting.left_out),
        "plan": fitting.plan.table if fitting.plan.own else fitting.plan.name,
        "missing": [{"part": row.part, "side": row.side} for row in fitting.missing],
        "facing": {"source": fitting.source_facing, "target": fitting.target_facing},
        "scale": fitting.scale,
        "stance": {
            "parts": [
                {"part": row.part, "bone": row.bone, "turned": row.turned, "left": row.left} for row in fitting.rows
            ],
            "target": dict(zip(fitting.target.names, fitting.target_stance.tolist(), strict=True)),
        },
        "notes": list(fitting.notes),
    }


def from_json(text: str | bytes, file: str, source: Skeleton, target: Skeleton) -> Fitting:
    """Read a fitting for these two skeletons. Raises :class:`BadInput` when it is damaged or made for others."""

    def refuse(what: str) -> BadInput:
        return BadInput(f"{file}: {what}; make it again with “armuto fit”.")

    try:
        tree = json.loads(text)
    except (ValueError, RecursionError):
        raise refuse("not a fitting, it is not JSON") from None
    if not isinstance(tree, dict) or tree.get("armuto_fitting") != FORMAT:
        raise refuse("not a fitting of this version")
    try:
        pairs = tuple(
            Pair(
                row["part"],
                tuple(row["source"]),
                tuple(row["target"]),
                float(row["confidence"]),
                tuple(row["reasons"]),
                bool(row.get("confirmed", False)),
                bool(row.get("moves", True)),
            )
            for row in tree["pairs"]
        )
        left_out = tuple(str(part) for part in tree.get("left_out", ()))
        facing = (float(tree["facing"]["source"]), float(tree["facing"]["target"]))
        plan = plan_said(tree.get("plan"))
        turns = {str(name): np.array(q, float) for name, q in tree["stance"]["target"].items()}
        if any(q.shape != (4,) or not np.isfinite(q).all() for q in turns.values()):
            raise ValueError
    except (KeyError, TypeError, ValueError):
        raise refuse("the fitting is damaged") from None
    for skeleton, side in ((source, "source"), (target, "target")):
        unknown = [name for pair in pairs for name in getattr(pair, side) if name not in skeleton.index]
        if unknown:
            raise refuse(f"it was made for another {side}, which has a bone “{unknown[0]}”")
    local = target.rest_rotation.copy()
    for name, q in turns.items():
        if name in target.index:
            local[target.index[name]] = rotation.normalised(q)
    try:
        return fit(source, target, pairs=pairs, target_stance=local, left_out=left_out, plan=plan, facing=facing)
    except ValueError as problem:
        raise refuse(str(problem)) from None


def plan_said(said: object) -> BodyPlan | None:
    """A plan by name, or one that comes whole; None where nothing is said. Raises ValueError for a damaged one."""
    if isinstance(said, str):
        try:
            return body_plan(said)
        except FileNotFoundError:
            raise ValueError(f"the body plan “{said}” is not known") from None
    return read_plan(said) if isinstance(said, dict) else None
