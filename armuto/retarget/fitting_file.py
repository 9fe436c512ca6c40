"""The JSON form of a fitting."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import asdict, replace
from typing import Any, Literal

from pydantic import BaseModel, TypeAdapter

from armuto.body.capsules import Capsule
from armuto.body.joint_limits import Range
from armuto.body.plans import BodyPlan, body_plan, read_plan
from armuto.errors import BadInput
from armuto.kinematics import observed
from armuto.kinematics.observed import ObservedFile
from armuto.kinematics.skeleton import Skeleton
from armuto.pairing import Pair
from armuto.retarget import settings
from armuto.retarget.fitting import Fitting, FittingOverrides, fit
from armuto.retarget.settings import PLAIN, Settings
from armuto.stance import value
from armuto.stance.value import StanceFile
from armuto.text import shown
from armuto.validation import Number, read

FORMAT = 2
KEPT = ("part", "bone", "turned", "left", "roll", "own")  # of what is left between the stances, in the fitting's file


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
        "floors": {"source": fitting.floors[0], "target": fitting.floors[1]},
        "sizes": {"legs": fitting.sizes.legs, "arms": fitting.sizes.arms, "spine": fitting.sizes.spine},
        "scale": fitting.scale,
        "said": asdict(fitting.overrides),
        "observed": {
            side: observed.to_json(skeleton.observed, skeleton.names)
            for side, skeleton in (("source", fitting.source), ("target", fitting.target))
        },
        "stances": {
            "source": value.to_json(fitting.source_stance, fitting.source),
            "target": value.to_json(fitting.target_stance, fitting.target),
            "parts": [{key: getattr(row, key) for key in KEPT} for row in fitting.rows],
        },
        "notes": list(fitting.notes),
        "settings": settings.to_json(fitting.settings),
        "limits": {part: allowed.to_json() for part, allowed in fitting.ranges.items()},
    }


class PairRow(BaseModel):
    """See :class:`armuto.pairing.Pair`."""

    part: str | None
    source: tuple[str, ...]
    target: tuple[str, ...]
    confidence: Number
    reasons: tuple[str, ...]
    confirmed: bool = False
    moves: bool = True

    def pair(self) -> Pair:
        return Pair(self.part, self.source, self.target, self.confidence, self.reasons, self.confirmed, self.moves)


class Facing(BaseModel):
    """Degrees about up from +Z."""

    source: Number
    target: Number


class Stances(BaseModel):
    source: StanceFile
    target: StanceFile


class Observations(BaseModel):
    source: ObservedFile = ObservedFile()
    target: ObservedFile = ObservedFile()


class FittingFile(BaseModel):
    """The JSON form of a fitting, as documented in docs/cli.md.

    What else stands in a file follows from this, or is a note for people.
    """

    armuto_fitting: Literal[2]
    pairs: list[PairRow]
    left_out: tuple[str, ...] = ()
    plan: str | dict[str, Any] | None = None
    facing: Facing
    said: FittingOverrides
    observed: Observations = Observations()
    stances: Stances
    settings: Settings = PLAIN
    limits: dict[str, Range] = {}


FITTING_FILE = TypeAdapter(FittingFile)
OVERRIDES = TypeAdapter(FittingOverrides)


def from_json(
    text: str | bytes, file: str, source: Skeleton, target: Skeleton, capsules: Mapping[int, Capsule] | None = None
) -> Fitting:
    """Read a fitting for these two skeletons. Raises :class:`BadInput` when it is damaged or made for others.

    capsules: how thick the target is, where its mesh told.
    """

    def refuse(what: str) -> BadInput:
        return BadInput(f"{file}: {what}; make it again with “armuto fit”.")

    try:
        tree = json.loads(text)
    except (ValueError, RecursionError):
        raise refuse("not a fitting, it is not JSON") from None
    if not isinstance(tree, dict) or tree.get("armuto_fitting") != FORMAT:
        raise refuse("not a fitting of this version")
    try:
        made = read(FITTING_FILE, tree, "field")
        plan = plan_from_json(made.plan)
    except ValueError as problem:
        raise refuse(f"the fitting is damaged: {problem}") from None
    pairs = tuple(row.pair() for row in made.pairs)
    # What was known of the two when the fitting was made still holds for it.
    source, target = _as_observed(source, made.observed.source), _as_observed(target, made.observed.target)
    for skeleton, side in ((source, "source"), (target, "target")):
        unknown = [name for pair in pairs for name in getattr(pair, side) if name not in skeleton.index]
        if unknown:
            raise refuse(f"it was made for another {side}, which has a bone “{shown(unknown[0])}”")
    try:
        fitting = fit(
            source,
            target,
            pairs=pairs,
            source_stance=made.stances.source.stance(source),
            target_stance=made.stances.target.stance(target),
            left_out=made.left_out,
            plan=plan,
            overrides=made.said,
            facing=(made.facing.source, made.facing.target),
        )
    except ValueError as problem:
        raise refuse(str(problem)) from None
    return replace(fitting, settings=made.settings, capsules=capsules or {}, ranges=made.limits)


def _as_observed(skeleton: Skeleton, file: ObservedFile) -> Skeleton:
    """The skeleton with what a fitting's file says was known of it; itself where that is the same."""
    seen = file.observed(skeleton.index)
    same = observed.to_json(seen, skeleton.names) == observed.to_json(skeleton.observed, skeleton.names)
    return skeleton if same else replace(skeleton, observed=seen)


def overrides_from_json(table: Any) -> FittingOverrides:
    """What was said about facing, floor and size, from plain data. Raises ValueError, saying where it is damaged."""
    return read(OVERRIDES, table, "field")


def plan_from_json(plan_or_name: object) -> BodyPlan | None:
    """A plan by name, or one that comes whole; None where nothing is said. Raises ValueError for a damaged one."""
    if isinstance(plan_or_name, str):
        try:
            return body_plan(plan_or_name)
        except FileNotFoundError:
            raise ValueError(f"the body plan “{plan_or_name}” is not known") from None
    return read_plan(plan_or_name) if isinstance(plan_or_name, dict) else None
