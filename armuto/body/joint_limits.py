"""How far joints may bend, per part of the body: a table for each body plan, and what was changed for a character."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from functools import cache
from importlib import resources
from typing import Any

from armuto.body.plans import BodyPlan


@dataclass(frozen=True)
class Range:
    """Degrees: bend, back to ahead; side, in (or down) to out (or up); twist, in to out."""

    bend: tuple[float, float]
    side: tuple[float, float]
    twist: tuple[float, float]

    def to_json(self) -> dict[str, list[float]]:
        return {name: list(pair) for name, pair in asdict(self).items()}


def range_from(part: str, row: Any) -> Range:
    """Raises ValueError, saying what is wrong."""
    try:
        pairs = [tuple(float(v) for v in row[name]) for name in ("bend", "side", "twist")]
    except (TypeError, KeyError, ValueError):
        raise ValueError(f"the joint limits of the {part} are damaged") from None
    for pair in pairs:
        if len(pair) != 2 or not -180 <= pair[0] <= 0 <= pair[1] <= 180:
            raise ValueError(f"the joint limits of the {part} must go from -180–0 to 0–180 degrees")
    bend, side, twist = pairs
    return Range((bend[0], bend[1]), (side[0], side[1]), (twist[0], twist[1]))


@cache
def defaults(plan: str) -> Mapping[str, Range]:
    """The ranges of a plan's kinds of parts; none for plans that a person made."""
    table = json.loads(resources.files("armuto.body.plans").joinpath("limits.json").read_text("utf-8"))
    return {kind: range_from(kind, row) for kind, row in table.get(plan, {}).items()}


def ranges_of(plan: BodyPlan, own: Mapping[str, Range]) -> dict[str, Range]:
    """The range of every part: as it was changed for the character, else its plan's."""
    usual = defaults(plan.name)
    out = {}
    for part in plan.parts:
        found = own.get(part.name) or usual.get(part.kind)
        if found is not None:
            out[part.name] = found
    return out
