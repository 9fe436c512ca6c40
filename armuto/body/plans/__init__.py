"""Body plans: the table of parts a kind of body has, read from the data files beside this one."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import cache, cached_property
from importlib import resources
from typing import Annotated, Any, Literal, Self

from pydantic import BaseModel, Field, TypeAdapter, model_validator

from armuto.choices import BODY_PLANS
from armuto.validation import Within, read

SIDES = ("left", "right")
NAMES = BODY_PLANS
FOOTING = ("foot", "toes")
Positive = Annotated[float, Within(0.0, 1000.0)]


@dataclass(frozen=True)
class Part:
    """One row of a body plan.

    name: "left upper arm". limb: "left arm". side: "left", "right" or "". follows: the part it hangs from. many:
    several bones may share it. travels: its translation is carried over. upright: keeps its own level at rest when
    nothing tells its orientation, as heads and feet do. share: usual length to the limb's next part, as a share of the
    length of the limb's required parts; spread: standard deviation of its natural logarithm.
    """

    name: str
    limb: str
    side: str
    kind: str
    follows: str | None
    required: bool = False
    many: bool = False
    travels: bool = False
    upright: bool = False
    share: float = 1.0
    spread: float = 1.0


@dataclass(frozen=True)
class BodyPlan:
    """trunk: how it lies when the body stands, "upright", "level" or "any". typical_height: in metres.

    spread: standard deviation of the height's natural logarithm. leg_share: of the height, from the top of a leg to its
    foot joint. reach: for limbs that do not stand on the ground, their length against that of the first that does, with
    the spread of its natural logarithm. prior: how much likelier it is than others before anything is seen, as a
    natural logarithm.
    """

    name: str
    parts: tuple[Part, ...]
    trunk: str
    typical_height: float
    spread: float
    leg_share: float
    reach: dict[str, tuple[float, float]]
    prior: float = 0.0
    table: dict[str, Any] = field(default_factory=dict, repr=False, compare=False)

    @property
    def own(self) -> bool:
        """Whether a person made it, rather than it being one that ships."""
        return self.name not in NAMES

    @cached_property
    def by_name(self) -> dict[str, Part]:
        return {part.name: part for part in self.parts}

    @cached_property
    def limbs(self) -> dict[str, tuple[Part, ...]]:
        """Parts of every limb, from the trunk outwards."""
        out: dict[str, tuple[Part, ...]] = {}
        for part in self.parts:
            out[part.limb] = (*out.get(part.limb, ()), part)
        return out

    @cached_property
    def legs(self) -> tuple[tuple[Part, ...], ...]:
        """Of every limb that stands on the ground, the parts from the upper leg to the foot."""
        out = []
        for parts in self.limbs.values():
            kinds = [part.kind for part in parts]
            top = next((n for n, kind in enumerate(kinds) if kind.endswith("upper leg")), None)
            foot = next((n for n, kind in enumerate(kinds) if kind.endswith("foot")), None)
            if top is not None and foot is not None:
                out.append(parts[top : foot + 1])
        return tuple(out)

    @cached_property
    def held_by_chest(self) -> tuple[Part, ...]:
        """The sided parts that branch from the chest, or are next to it where a clavicle is missing."""
        first = [part for part in self.parts if part.side and part.follows == "chest"]
        return tuple(first + [part for part in self.parts if part.follows in {f.name for f in first}])

    @cached_property
    def required(self) -> tuple[str, ...]:
        return tuple(part.name for part in self.parts if part.required)


@cache
def body_plan(name: str = "two-legged") -> BodyPlan:
    """A plan that ships, by name; raises FileNotFoundError for one that does not exist."""
    if name not in NAMES:
        raise FileNotFoundError(name)
    text = resources.files("armuto.body.plans").joinpath(f"{name.replace('-', '_')}.json").read_text("utf-8")
    return read_plan(json.loads(text))


class PartRow(BaseModel):
    """A part of a body plan in its JSON form. part: its kind, of which a sided one stands on both sides."""

    part: Annotated[str, Field(min_length=1)]
    limb: Annotated[str, Field(min_length=1)]
    follows: str | None
    sided: bool = False
    required: bool = False
    many: bool = False
    travels: bool = False
    upright: bool = False
    share: Positive = 1.0
    spread: Positive = 1.0


class Height(BaseModel):
    """See :class:`BodyPlan`."""

    typical: Positive
    spread: Positive
    leg_share: Positive


class PlanTable(BaseModel):
    """The JSON form of a body plan, as the files beside this one have it; see :class:`BodyPlan`."""

    name: Annotated[str, Field(min_length=1)]
    trunk: Literal["upright", "level", "any"]
    height: Height
    parts: list[PartRow]
    reach: dict[str, tuple[Positive, Positive]] = {}
    prior: Annotated[float, Within(-1000.0, 1000.0)] = 0.0

    @model_validator(mode="after")
    def _hangs_together(self) -> Self:
        known = {row.part for row in self.parts}
        if len(known) < len(self.parts):
            raise ValueError("two parts of the body plan have the same name")
        for row in self.parts:
            if row.follows is not None and row.follows not in known:
                raise ValueError(f"“{row.part}” follows “{row.follows}”, which the body plan does not have")
        if "hips" not in known:
            raise ValueError("a body plan needs a part “hips”, from which everything else hangs")
        return self


PLAN_TABLE = TypeAdapter(PlanTable)


def read_plan(table: Mapping[str, Any]) -> BodyPlan:
    """A plan from its table. Raises ValueError, saying what is wrong with the table and where."""
    plan = read(PLAN_TABLE, table, "field")
    sided = {row.part for row in plan.parts if row.sided}
    # Whole limbs of one side before the other, in the order of the table.
    parts = [
        Part(
            f"{side} {row.part}".strip(),
            f"{side} {row.limb}".strip(),
            side,
            row.part,
            f"{side} {row.follows}" if row.follows in sided else row.follows,
            row.required,
            row.many,
            row.travels,
            row.upright,
            row.share,
            row.spread,
        )
        for side in ("", *SIDES)
        for row in plan.parts
        if row.sided == bool(side)
    ]
    height = plan.height
    return BodyPlan(
        plan.name,
        tuple(parts),
        plan.trunk,
        height.typical,
        height.spread,
        height.leg_share,
        plan.reach,
        plan.prior,
        dict(table),
    )


def plan_of(parts: Iterable[str | None]) -> BodyPlan:
    """The likeliest plan that has all these parts; the two-legged one where there is none."""
    wanted = {part for part in parts if part}
    plans = (body_plan(name) for name in NAMES)
    return next((plan for plan in plans if wanted <= plan.by_name.keys()), body_plan())


def is_footing(part: str | None) -> bool:
    """Whether a part, or a kind of part, is one that a body stands on: a foot or toes."""
    return bool(part) and str(part).rpartition(" ")[2] in FOOTING
