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
from armuto.plans import BodyPlan, plan_of
from armuto.rotation import FloatArray
from armuto.skeleton import Skeleton
from armuto.stance import StanceRow

FORMAT = 1


@dataclass(frozen=True)
class Fitting:
    """Pairs, stance and measures between a source and a target skeleton.

    target_stance: ``(J, 4)`` local rotations of the target in its stance; the source's stance is its rest pose.
    source_facing, target_facing: degrees from +Z. scale: target's leg length over the source's.
    """

    source: Skeleton
    target: Skeleton
    pairs: tuple[Pair, ...]
    missing: tuple[Missing, ...]
    source_facing: float
    target_facing: float
    target_stance: FloatArray
    scale: float
    rows: tuple[StanceRow, ...] = ()
    notes: tuple[str, ...] = ()

    @property
    def turn(self) -> FloatArray:
        """Quaternion from the source's facing to the target's."""
        return rotation.about([0.0, 1.0, 0.0], np.radians(self.target_facing - self.source_facing))

    @property
    def plan(self) -> BodyPlan:
        """The body plan that the pairs belong to."""
        return plan_of(pair.part for pair in self.pairs)

    def leads(self) -> dict[int, Lead]:
        return leads(self.pairs, self.source, self.source.rest.positions, self.target, self.plan)


def fit(
    source: Skeleton,
    target: Skeleton,
    source_parts: Assignment | None = None,
    target_parts: Assignment | None = None,
    pairs: Sequence[Pair] | None = None,
    target_stance: FloatArray | None = None,
) -> Fitting:
    """Fit a target to a source: pair by name unless pairs are given, face the same way, align the stance.

    Raises ValueError when there is nothing to pair.
    """
    source_parts = pairing.assign(source) if source_parts is None else source_parts
    target_parts = pairing.assign(target) if target_parts is None else target_parts
    plan = plan_of([*source_parts, *target_parts] if pairs is None else [pair.part for pair in pairs])
    found, missing = pairing.pair(source, source_parts, target, target_parts, plan)
    if pairs is not None:
        found = tuple(pairs)
        # Given pairs decide what the parts are.
        source_parts, target_parts = _parts(found, source, "source"), _parts(found, target, "target")
        missing = pairing.pair(source, source_parts, target, target_parts, plan)[1]
    if not any(pair.source for pair in found):
        raise ValueError("no bone of the one could be paired with a bone of the other")
    led = leads(found, source, source.rest.positions, target, plan)
    source_facing, why_source = intake.facing(source, source_parts)
    target_facing, why_target = intake.facing(target, target_parts)
    notes = [f"source: {why_source}", f"target: {why_target}"]
    if source_facing is None or target_facing is None:
        source_facing, target_facing = 0.0, _turned(led, target)
        notes.append(f"the target is turned {target_facing:.1f}° against the source, by where the paired bones lie")
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
        rows,
        tuple(notes),
    )


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
            }
            for pair in fitting.pairs
        ],
        "missing": [{"part": row.part, "side": row.side} for row in fitting.missing],
        "facing": {"source": round(fitting.source_facing, 6), "target": round(fitting.target_facing, 6)},
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
                row["part"], tuple(row["source"]), tuple(row["target"]), float(row["confidence"]), tuple(row["reasons"])
            )
            for row in tree["pairs"]
        )
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
        return fit(source, target, pairs=pairs, target_stance=local)
    except ValueError as problem:
        raise refuse(str(problem)) from None
