"""Refining a clip in the studio: what steps change, what could be done, and what a recipe would make before it is
kept."""

from collections.abc import Mapping
from dataclasses import asdict
from functools import lru_cache
from typing import Any

from armuto import refining
from armuto.body.plans import plan_of
from armuto.errors import BadInput
from armuto.refining import Refined, body_of
from armuto.refining.measures import effects
from armuto.refining.proposals import loops_of, propose_after
from armuto.refining.segmentation import segments
from studio.library.models import Clip, KeptRecipe
from studio.library.services import parse_recipe, shortened

LOOPS = 5


def trial(row: Clip, recipe: Mapping[str, Any]) -> Refined:
    """The clip as another recipe would have it; nothing is kept. Raises :class:`BadInput` for a recipe that cannot be
    followed."""
    try:
        return parse_recipe(row.name, recipe).refine(row.cut(), row.skeleton.assignment(), row.first)
    except BadInput as problem:
        text = str(problem)
        raise BadInput(text if text.startswith(row.name) else f"{row.name}: {text}") from None


def keep_recipe(name: str, recipe: Mapping[str, Any], replace: bool) -> KeptRecipe:
    """Keep a recipe under a name. Raises :class:`BadInput` for what is no recipe, for no name, and for one that another
    recipe has unless that gives way."""
    name = shortened(name)
    if not name:
        raise BadInput("A recipe needs a name to be kept under; type one.")
    steps = refining.to_json(parse_recipe(name, recipe))
    if not steps["steps"]:
        raise BadInput(f"{name}: there is no step in it to keep; add one first.")
    row = KeptRecipe.objects.filter(name=name).first()
    if row and not replace:
        raise BadInput(f"{name}: another recipe is kept under this name; choose one that is free.")
    row = row or KeptRecipe(name=name)
    row.recipe = steps
    row.save()
    return row


def analysis(row: Clip) -> dict[str, Any]:
    """What each step of a clip's recipe changes, what the clip could be refined by beside, and where it could loop, in
    frames of the take."""
    return _analysis(row.pk, row.motion_key, row.lock_version)


@lru_cache(maxsize=16)
def _analysis(pk: int, motion_key: tuple[Any, ...], lock_version: int) -> dict[str, Any]:
    row = Clip.objects.select_related("skeleton").get(pk=pk)
    parts = row.skeleton.assignment()
    body = body_of(row.skeleton.value(), parts)
    stages = row.steps.stages(row.cut(), parts, row.first)
    now = stages[-1]
    # Where it could loop is asked of what comes before it does.
    looping = next((n for n, step in enumerate(row.steps.done) if step.kind == "loop"), None)
    unlooped = now if looping is None else stages[looping]
    plan = plan_of(parts) if parts else None
    done = {step.kind for step in row.steps.done}
    return {
        "effects": [[asdict(effect) for effect in rows] for rows in effects(row.steps, stages, body)],
        "proposals": [
            {"step": refining.all_values(refining.Recipe((found.step,)))["steps"][0], "sentence": found.sentence}
            for found in propose_after(now, parts)
            if found.step.kind not in done
        ],
        "loops": [
            asdict(found) | {"first": unlooped.take_frame(found.first), "last": unlooped.take_frame(found.last)}
            for found in loops_of(unlooped, body, LOOPS)
        ],
        "cuts": [
            asdict(segment) | {"first": segment.first + row.first, "last": segment.last + row.first}
            for segment in segments(stages[0].clip, body)
        ],
        "limbs": [
            limb for limb, own in (plan.limbs.items() if plan else ()) if any(parts.get(part.name) for part in own)
        ],
    }
