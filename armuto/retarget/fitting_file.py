"""The JSON form of a fitting."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import asdict, replace
from typing import Any

import numpy as np

from armuto.body import joint_limits
from armuto.body.capsules import Capsule
from armuto.body.plans import BodyPlan, body_plan, read_plan
from armuto.errors import BadInput
from armuto.kinematics import observed
from armuto.kinematics.skeleton import Skeleton
from armuto.pairing import Pair
from armuto.retarget import settings
from armuto.retarget.fitting import Fitting, FittingOverrides, fit
from armuto.stance import value
from armuto.stance.measures import MEASURES

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
        overrides = overrides_from_json(tree["said"])
        facing = (float(tree["facing"]["source"]), float(tree["facing"]["target"]))
        plan = plan_from_json(tree.get("plan"))
        stances = tree["stances"]
        # What was known of the two when the fitting was made still holds for it.
        known = tree.get("observed", {})
        source, target = _as_observed(source, known.get("source", {})), _as_observed(target, known.get("target", {}))
        source_stance = value.from_json(stances["source"], source)
        target_stance = value.from_json(stances["target"], target)
        chosen = settings.from_json(tree.get("settings", {}))
        ranges = {str(part): joint_limits.range_from(str(part), row) for part, row in tree.get("limits", {}).items()}
    except (KeyError, TypeError, ValueError, AttributeError):
        raise refuse("the fitting is damaged") from None
    for skeleton, side in ((source, "source"), (target, "target")):
        unknown = [name for pair in pairs for name in getattr(pair, side) if name not in skeleton.index]
        if unknown:
            raise refuse(f"it was made for another {side}, which has a bone “{unknown[0]}”")
    try:
        made = fit(
            source,
            target,
            pairs=pairs,
            source_stance=source_stance,
            target_stance=target_stance,
            left_out=left_out,
            plan=plan,
            overrides=overrides,
            facing=facing,
        )
    except ValueError as problem:
        raise refuse(str(problem)) from None
    return replace(made, settings=chosen, capsules=capsules or {}, ranges=ranges)


def _as_observed(skeleton: Skeleton, table: Any) -> Skeleton:
    """The skeleton with what a fitting's file says was known of it; itself where that is the same."""
    seen = observed.from_json(table, skeleton.index)
    same = observed.to_json(seen, skeleton.names) == observed.to_json(skeleton.observed, skeleton.names)
    return skeleton if same else replace(skeleton, observed=seen)


def overrides_from_json(table: Any) -> FittingOverrides:
    """What was said about facing, floor and size, from plain data. Raises ValueError or TypeError where it is
    damaged."""
    numbers = [
        None if table.get(name) is None else float(table[name])
        for name in ("source_facing", "target_facing", "source_floor", "target_floor")
    ]
    size = table.get("size", "legs")
    if size not in MEASURES:
        size = float(size)
        if not 0 < size < 1000:
            raise ValueError("the size is not a ratio")
    if not all(number is None or np.isfinite(number) for number in numbers):
        raise ValueError("a measure is not a number")
    return FittingOverrides(numbers[0], numbers[1], numbers[2], numbers[3], size, bool(table.get("hinges", True)))


def plan_from_json(plan_or_name: object) -> BodyPlan | None:
    """A plan by name, or one that comes whole; None where nothing is said. Raises ValueError for a damaged one."""
    if isinstance(plan_or_name, str):
        try:
            return body_plan(plan_or_name)
        except FileNotFoundError:
            raise ValueError(f"the body plan “{plan_or_name}” is not known") from None
    return read_plan(plan_or_name) if isinstance(plan_or_name, dict) else None
