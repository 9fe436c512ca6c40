"""Body plans: the table of parts a kind of body has, read from the data files beside this one."""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import cache, cached_property
from importlib import resources

SIDES = ("left", "right")


@dataclass(frozen=True)
class Part:
    """One row of a body plan.

    name: "left upper arm". limb: "left arm". side: "left", "right" or "". follows: the part it hangs from. many: several
    bones may share it. travels: its translation is carried over. upright: keeps its own level at rest when nothing
    tells its orientation, as heads and feet do.
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


@dataclass(frozen=True)
class BodyPlan:
    name: str
    parts: tuple[Part, ...]

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
    def required(self) -> tuple[str, ...]:
        return tuple(part.name for part in self.parts if part.required)


@cache
def body_plan(name: str = "two-legged") -> BodyPlan:
    """A plan by name; raises FileNotFoundError for one that does not exist."""
    text = resources.files("armuto.plans").joinpath(f"{name.replace('-', '_')}.json").read_text("utf-8")
    table = json.loads(text)
    sided = {row["part"] for row in table["parts"] if row.get("sided")}
    parts = []
    # Whole limbs of one side before the other, in the order of the table.
    for side in ("", *SIDES):
        for row in table["parts"]:
            if bool(side) != bool(row.get("sided")):
                continue
            follows = row["follows"]
            parts.append(
                Part(
                    f"{side} {row['part']}".strip(),
                    f"{side} {row['limb']}".strip(),
                    side,
                    row["part"],
                    f"{side} {follows}" if follows in sided else follows,
                    *(bool(row.get(key)) for key in ("required", "many", "travels", "upright")),
                )
            )
    return BodyPlan(table["name"], tuple(parts))
