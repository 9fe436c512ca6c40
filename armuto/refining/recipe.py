"""A recipe: the steps of a clip in their order, each switched on or off, and its JSON form.

{"steps": [{"kind": "mirror"}, {"kind": "pace", "percent": 80, "on": false}]}
"""

from __future__ import annotations

import hashlib
import json
from dataclasses import asdict
from typing import Annotated, Any

from pydantic import Field, TypeAdapter
from pydantic.dataclasses import dataclass

from armuto.body.parts import Assignment
from armuto.errors import BadInput
from armuto.kinematics.clip import Clip
from armuto.refining.backwards import Backwards
from armuto.refining.emphasis import Emphasis
from armuto.refining.gaps import Gaps
from armuto.refining.ground import Ground
from armuto.refining.hold import Hold
from armuto.refining.loop import Loop
from armuto.refining.mirror import Mirror
from armuto.refining.pace import Pace
from armuto.refining.path import Path
from armuto.refining.placement import Placement
from armuto.refining.refined import Refined, body_of
from armuto.refining.smooth import Smooth
from armuto.refining.spikes import Spikes
from armuto.refining.steady import Steady
from armuto.validation import STRICT, read

Step = Pace | Hold | Backwards | Emphasis | Mirror | Placement | Path | Loop | Smooth | Spikes | Gaps | Ground | Steady
STEP: TypeAdapter[Step] = TypeAdapter(Annotated[Step, Field(discriminator="kind")])
MOST = 100  # steps


@dataclass(frozen=True, config=STRICT)
class Recipe:
    """Steps, done one after another on what the one before has left."""

    steps: tuple[Annotated[Step, Field(discriminator="kind")], ...] = ()

    def refine(self, clip: Clip, parts: Assignment, first: int = 0) -> Refined:
        """The clip as its recipe has it.

        Parameters
        ----------
        clip : Clip
            The take, or the stretch of it that the clip is, of ``F`` frames.
        parts : Assignment
            What its bones were read as.
        first : int
            The frame of the take with which the stretch begins.

        Returns
        -------
        Refined
            The clip, and which frame of the take each of its frames shows.

        Raises
        ------
        BadInput
            Where a step cannot do without what is not known of the body, or the clip would become too long.
        """
        return self.stages(clip, parts, first)[-1]

    def stages(self, clip: Clip, parts: Assignment, first: int = 0) -> list[Refined]:
        """The clip as it is before the first step, and as each step leaves it that is switched on."""
        body, out = body_of(clip.skeleton, parts), [Refined.of_take(clip, first)]
        for step in self.active:
            out.append(step.refine(out[-1], body))
        return out

    @property
    def active(self) -> tuple[Step, ...]:
        """The steps that are switched on."""
        return tuple(step for step in self.steps if step.on)

    @property
    def digest(self) -> str:
        """Of what is done, whatever else is switched off."""
        done = to_json(Recipe(self.active))["steps"]
        return hashlib.sha256(json.dumps(done, sort_keys=True).encode()).hexdigest()


def to_json(recipe: Recipe) -> dict[str, Any]:
    """Only what differs from the defaults, and the kind of each step."""
    rows = []
    for step, values in zip(recipe.steps, all_values(recipe)["steps"], strict=True):
        usual = asdict(type(step)())
        rows.append({name: value for name, value in values.items() if name == "kind" or value != usual[name]})
    return {"steps": rows}


def all_values(recipe: Recipe) -> dict[str, Any]:
    """What :func:`to_json` says, with the defaults as well."""
    return {"steps": [asdict(step) for step in recipe.steps]}


def from_json(table: Any) -> Recipe:
    """Raises ValueError with one sentence that names the step and the value that are wrong."""
    rows = table.get("steps") if isinstance(table, dict) else None
    if not isinstance(rows, list) or set(table) != {"steps"}:
        raise ValueError("a recipe is a table with one list, “steps”")
    if len(rows) > MOST:
        raise ValueError(f"a recipe has at most {MOST} steps")
    steps = []
    for number, row in enumerate(rows, 1):
        try:
            steps.append(read(STEP, row, "value"))
        except ValueError as problem:
            raise ValueError(f"step {number}: {problem}") from None
    return Recipe(tuple(steps))


def from_file(content: bytes, name: str) -> Recipe:
    """A recipe from its JSON file. Raises :class:`BadInput` with one sentence that names the file."""
    try:
        return from_json(json.loads(content))
    except ValueError as problem:
        reason = "it is no JSON" if isinstance(problem, json.JSONDecodeError | UnicodeDecodeError) else str(problem)
        raise BadInput(f"{name}: {reason}; see docs/cli.md for what a recipe may say.") from None
