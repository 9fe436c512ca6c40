"""How far joints may bend, per part of the body: a table for each body plan, and what was changed for a character."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import asdict
from functools import cache
from importlib import resources
from typing import Annotated, Any

from pydantic import AfterValidator, TypeAdapter
from pydantic.dataclasses import dataclass

from armuto.body.plans import BodyPlan
from armuto.validation import read


def _around_zero(pair: tuple[float, float]) -> tuple[float, float]:
    if not -180 <= pair[0] <= 0 <= pair[1] <= 180:
        raise ValueError("joint limits go from -180–0 to 0–180 degrees")
    return pair


Degrees = Annotated[tuple[float, float], AfterValidator(_around_zero)]


@dataclass(frozen=True)
class Range:
    """Degrees: bend, back to ahead; side, in (or down) to out (or up); twist, in to out."""

    bend: Degrees
    side: Degrees
    twist: Degrees

    def to_json(self) -> dict[str, list[float]]:
        return {name: list(pair) for name, pair in asdict(self).items()}


RANGE = TypeAdapter(Range)


def range_from(part: str, row: Any) -> Range:
    """Raises ValueError, saying what is wrong."""
    try:
        return read(RANGE, row, "axis")
    except ValueError as problem:
        raise ValueError(f"the joint limits of the {part} are damaged: {problem}") from None


@cache
def defaults(plan: str) -> Mapping[str, Range]:
    """The ranges of a plan's kinds of parts; none for plans that a person made."""
    table = json.loads(resources.files("armuto.body.plans").joinpath("limits.json").read_text("utf-8"))
    return {kind: range_from(kind, row) for kind, row in table.get(plan, {}).items()}


def ranges_of(plan: BodyPlan, changed: Mapping[str, Range]) -> dict[str, Range]:
    """The range of every part: as it was changed for the character, else its plan's."""
    usual = defaults(plan.name)
    out = {}
    for part in plan.parts:
        limit = changed.get(part.name) or usual.get(part.kind)
        if limit is not None:
            out[part.name] = limit
    return out
