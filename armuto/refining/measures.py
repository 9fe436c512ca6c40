"""What steps of a recipe change, measured before and after each."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip
from armuto.kinematics.statistics import percentile
from armuto.kinematics.vectors import lengths
from armuto.refining.foot_locking import bearing, footing, steps_of
from armuto.refining.gaps import gaps
from armuto.refining.ground import drift_of, lean_of
from armuto.refining.loop import seam_of
from armuto.refining.path import headings, way_of
from armuto.refining.recipe import Recipe
from armuto.refining.refined import Body, Refined
from armuto.refining.smooth import tremble
from armuto.refining.spikes import wrong_frames
from armuto.refining.steady import swimming

EDGE, FEWEST, BEARS = 1, 3, 0.9


@dataclass(frozen=True)
class Effect:
    """A measure before and after a step, as people say it; None where it cannot be told."""

    name: str
    unit: str
    before: float | None
    after: float | None


def length(clip: Clip, body: Body) -> float:
    """Seconds from the first frame to the last."""
    return clip.seconds


def trembles(clip: Clip, body: Body) -> float:
    """Degrees of noise that are usual for a joint."""
    return float(np.degrees(tremble(clip)[0]))


def spikes(clip: Clip, body: Body) -> float:
    """How many single frames of bones are wrong."""
    turned, shifted = wrong_frames(clip)
    return float(turned.sum() + shifted.sum())


def lost(clip: Clip, body: Body) -> float:
    """In how many stretches a bone was lost."""
    return float(len(gaps(clip)))


def lean(clip: Clip, body: Body) -> float | None:
    """Degrees by which the floor leans."""
    ground = footing(body)
    found = lean_of(clip, ground) if ground else None
    return found.lean if found else None


def floor(clip: Clip, body: Body) -> float | None:
    """Centimetres at which the floor is."""
    ground = footing(body)
    steps = steps_of(clip, ground) if ground else None
    return steps.floor * 100 if steps and steps.contacts else None


def drift(clip: Clip, body: Body) -> float | None:
    """Centimetres that the body drifts away at most while feet rest."""
    ground = footing(body)
    return float(lengths(drift_of(steps_of(clip, ground), ground, clip)).max()) * 100 if ground else None


def slide(clip: Clip, body: Body) -> float | None:
    """How fast feet slide while they rest, in cm/s: the 90th of a hundred frames in which a point bears its foot."""
    ground = footing(body)
    if ground is None:
        return None
    steps, out = steps_of(clip, ground), []
    for contact in steps.contacts:
        rows = np.arange(contact.first + EDGE, contact.last + 1 - EDGE)
        rows = rows[bearing(steps.paths, contact, ground)[rows] > BEARS]
        if len(rows) >= FEWEST:
            path = steps.paths[contact.point][:, [0, 2]]
            out.append(lengths(np.gradient(path, axis=0))[rows] * clip.fps * 100)
    return percentile(np.concatenate(out), 90) if out else None


def swim(clip: Clip, body: Body) -> float:
    """By how much of a hundred bones change their length."""
    return swimming(clip, body) * 100


def seam(clip: Clip, body: Body) -> float:
    """Degrees by which the worst bone jumps where the clip begins again."""
    return seam_of(clip, body)


def travel(clip: Clip, body: Body) -> float:
    """Centimetres that the hips go over the ground."""
    path = clip.world().positions[:, body.hips][:, [0, 2]]
    return float(lengths(np.diff(path, axis=0)).sum()) * 100


def turning(clip: Clip, body: Body) -> float:
    """Degrees by which the way over the ground turns from beginning to end, to its left where they are positive."""
    way = way_of(clip, body)
    heading = headings(way, clip.fps)
    return float(np.degrees(heading[-1] - heading[0]))


def pace_of_limbs(clip: Clip, body: Body) -> float:
    """Degrees in a second that bones turn in the mean."""
    if clip.frames < 2:
        return 0.0
    return float(np.degrees(rotation.angle_apart(clip.rotations[1:], clip.rotations[:-1]).mean()) * clip.fps)


Measure = Callable[[Clip, Body], float | None]
LENGTH, SLIDE = ("length", "s", length), ("slide", "cm/s", slide)
MEASURED: dict[str, tuple[tuple[str, str, Measure], ...]] = {
    "pace": (LENGTH,),
    "hold": (LENGTH,),
    "emphasis": (("turning", "°/s", pace_of_limbs), ("travel", "cm", travel)),
    "loop": (("seam", "°", seam), LENGTH),
    "path": (("turn", "°", turning), SLIDE),
    "smooth": (("tremble", "°", trembles),),
    "spikes": (("wrong frames", "", spikes),),
    "gaps": (("lost stretches", "", lost),),
    "ground": (("lean", "°", lean), ("floor", "cm", floor), ("drift", "cm", drift), SLIDE),
    "steady": (("swim", "%", swim),),
}


def effects(recipe: Recipe, stages: list[Refined], body: Body) -> list[tuple[Effect, ...]]:
    """What each step of a recipe changes, in their order; nothing for one that is switched off.

    stages: of the clip, as :meth:`armuto.refining.recipe.Recipe.stages` gives them.
    """
    out: list[tuple[Effect, ...]] = []
    at = 0
    for step in recipe.steps:
        if not step.on:
            out.append(())
            continue
        before, after = stages[at].clip, stages[at + 1].clip
        at += 1
        rows = MEASURED.get(step.kind, ())
        out.append(tuple(Effect(name, unit, of(before, body), of(after, body)) for name, unit, of in rows))
    return out
