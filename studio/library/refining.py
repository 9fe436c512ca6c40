"""Refining a clip in the studio: what steps change, what could be done, and what a recipe would make before it is
kept."""

import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from functools import lru_cache
from typing import Any

from armuto import refining
from armuto.body.parts import Assignment
from armuto.errors import BadInput
from armuto.kinematics.clip import Clip as ClipValue
from armuto.refining import Refined, body_of
from armuto.refining.measures import effects
from armuto.refining.proposals import Proposal, loops_of, propose, propose_after
from armuto.refining.residual import Residual, residual_of
from armuto.refining.segmentation import segments
from studio.library.models import Analysis, Clip, KeptRecipe
from studio.library.services import parse_recipe, shortened
from studio.platform.digests import digest

LOOPS = 5
LONG = 6_000  # frames: what measures more of them is left to the worker
LONGEST_RESIDUAL = 20_000  # frames that show how much a cutoff takes off


def trial(row: Clip, recipe: Mapping[str, Any]) -> Refined:
    """The clip as another recipe would have it; nothing is kept. Raises :class:`BadInput` for a recipe that cannot be
    followed."""
    steps = parse_recipe(row.name, recipe)
    try:
        return steps.refine(row.cut(), row.skeleton.assignment(), row.first)
    except BadInput as problem:
        raise BadInput(f"{row.name}: {problem}") from None


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


def proposed(clip: ClipValue, parts: Assignment, first: int) -> list[dict[str, Any]]:
    """What a stretch of a take could be refined by: steps and the reason for each. first: its first frame."""
    return _plain(propose(clip, parts, first))


def _plain(found: Sequence[Proposal]) -> list[dict[str, Any]]:
    return [
        {"step": refining.all_values(refining.Recipe((row.step,)))["steps"][0], "sentence": row.sentence}
        for row in found
    ]


def residual(row: Clip, bone: int) -> Residual:
    """How much of a bone's motion a low pass would take off: of the clip as it comes to be smoothed, or as it is where
    it is not. Raises :class:`BadInput` where that cannot be told."""
    names = row.skeleton.value().names
    if not 0 <= bone < len(names):
        raise BadInput(f"{row.name}: it has no bone {bone}; they are counted from 0 to {len(names) - 1}.")
    found = residual_of(_unsmoothed(row), bone)
    if found is None:
        raise BadInput(f"{row.name}: it is too short to tell its tremble from its motion.")
    return found


def _unsmoothed(row: Clip) -> ClipValue:
    """The clip as it comes to be smoothed."""
    steps = row.steps.active
    before = next((n for n, step in enumerate(steps) if step.kind == "smooth"), len(steps))
    recipe = refining.Recipe(steps[:before])
    clip = recipe.refine(row.cut(), row.skeleton.assignment(), row.first).clip if steps[:before] else row.cut()
    return clip.cut(0, min(clip.frames, LONGEST_RESIDUAL) - 1)


def analysis(row: Clip) -> dict[str, Any]:
    """What each step of a clip's recipe changes, what the clip could be refined by beside, and where it could loop, in
    frames of the take."""
    return _analysis(row.pk, row.motion_key)


def long_analysis(row: Clip) -> tuple[dict[str, Any] | None, bool]:
    """The same of a long clip as far as a worker has it, and whether none is at it yet."""
    motion = digest(row.motion_key)
    held, made = Analysis.objects.get_or_create(clip=row, defaults={"motion": motion})
    if held.motion == motion:
        return held.result, made
    Analysis.objects.filter(pk=held.pk).update(motion=motion, result=None)
    return None, True


def measure(clip_id: int) -> None:
    """Keep what is measured of a long clip, unless it has changed meanwhile. Of what cannot be measured nothing is
    said."""
    row = Clip.objects.select_related("skeleton").filter(pk=clip_id, analysis__result__isnull=True).first()
    if row is None:
        return
    found: dict[str, Any] = {"effects": [], "proposals": [], "loops": [], "cuts": [], "limbs": []}
    try:
        found = json.loads(json.dumps(analysis(row), default=float))
    finally:
        Analysis.objects.filter(clip_id=clip_id, motion=digest(row.motion_key)).update(result=found)


@lru_cache(maxsize=16)
def _analysis(pk: int, motion_key: tuple[Any, ...]) -> dict[str, Any]:
    row = Clip.objects.select_related("skeleton").get(pk=pk)
    parts = row.skeleton.assignment()
    body = body_of(row.skeleton.value(), parts)
    stages = row.steps.stages(row.cut(), parts, row.first)
    now = stages[-1]
    # Where it could loop is asked of what comes before it does.
    looping = next((n for n, step in enumerate(row.steps.active) if step.kind == "loop"), None)
    unlooped = now if looping is None else stages[looping]
    done = {step.kind for step in row.steps.active}
    return {
        "effects": [[asdict(effect) for effect in rows] for rows in effects(row.steps, stages, body)],
        "proposals": [found for found in _plain(propose_after(now, parts)) if found["step"]["kind"] not in done],
        "loops": [
            asdict(found) | {"first": unlooped.take_frame(found.first), "last": unlooped.take_frame(found.last)}
            for found in loops_of(unlooped, body, LOOPS)
        ],
        "cuts": [
            asdict(segment) | {"first": segment.first + row.first, "last": segment.last + row.first}
            for segment in segments(stages[0].clip, body)
        ],
        "limbs": list(body.limbs),
    }
