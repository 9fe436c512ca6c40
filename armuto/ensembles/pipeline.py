"""An ensemble performed by other bodies: the one door, for previews, for runs and for the shell."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from armuto.contacts.model import ContactSet
from armuto.ensembles.casting import (
    Actor,
    Recording,
    Stage,
    cast_actor,
    performed_clip,
    placement_of,
    space_of,
    stage_of_recording,
)
from armuto.ensembles.constraints import Constraint
from armuto.ensembles.model import Casting, Prop
from armuto.ensembles.prop_motion import PropMotion
from armuto.ensembles.solver import EnsembleSolver
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.retarget.fitting import Fitting

TRANSFERS = 0.2  # of the work: everybody's transfer alone


@dataclass(frozen=True, eq=False)
class EnsembleResult:
    """What a casting does, on its stage.

    space: metres of the stage over those of the recording. stage: where the recording lies on it. clips: by performer.
    props: their motion, and sizes over those of the recording, by name. constraints: the meetings; actors, transferred:
    the performers as they come out, and as their transfers alone had them.
    """

    recording: Recording
    space: float
    stage: Stage
    clips: Mapping[str, Clip]
    props: Mapping[str, PropMotion]
    natural_props: Mapping[str, PropMotion]
    sizes: Mapping[str, float]
    constraints: tuple[Constraint, ...]
    actors: Mapping[str, Actor]
    transferred: Mapping[str, Actor]


def perform_ensemble(
    recording: Recording,
    fittings: Mapping[str, Fitting],
    casting: Casting | None = None,
    contacts: Mapping[str, ContactSet] | None = None,
    reached: Callable[[float], None] = lambda _: None,
) -> EnsembleResult:
    """An ensemble on other bodies.

    Parameters
    ----------
    recording : Recording
    fittings : mapping of str to Fitting
        By performer: from its skeleton to the character that plays it.
    casting : Casting, optional
        What is chosen: the factor of the space, sizes of props, where performers are placed otherwise.
    contacts : mapping of str to ContactSet, optional
        Of performers' clips, in frames of the recording, where they are known; else they are looked for.
    reached : callable, optional
        Told the share that is done, 0 to 1; whatever it raises ends the work.

    Returns
    -------
    EnsembleResult
        Everybody and everything in one space, so that what met still meets.
    """
    space = space_of(casting, fittings)
    alone = len(fittings) == 1
    frames, fps = recording.frames, recording.fps
    transferred: dict[str, Actor] = {}
    for number, (name, clip) in enumerate(recording.clips.items()):
        reached(TRANSFERS * number / len(recording.clips))
        keys = casting.placements.get(name, ()) if casting is not None else ()
        ease = casting.ease if casting is not None else 0.0
        placement = placement_of(keys, recording.first, frames, fps, ease) if keys else None
        known = None if contacts is None else contacts.get(name)
        transferred[name] = cast_actor(name, clip, fittings[name], space, alone, placement, known)
    stage = stage_of_recording(list(transferred.values()), space)
    sizes = {prop.name: size_of(prop, recording, transferred, casting) for prop in recording.ensemble.props}
    natural = {name: on_stage(motion, stage, sizes[name]) for name, motion in recording.props.items()}
    solver = EnsembleSolver(recording, transferred, natural, stage, sizes)
    solver.solve(lambda share: reached(TRANSFERS + (1 - TRANSFERS) * share))
    return EnsembleResult(
        recording,
        space,
        stage,
        {name: performed_clip(actor) for name, actor in solver.actors.items()},
        solver.props,
        natural,
        sizes,
        tuple(solver.constraints),
        solver.actors,
        transferred,
    )


def size_of(prop: Prop, recording: Recording, actors: Mapping[str, Actor], casting: Casting | None = None) -> float:
    """A prop's size in a casting over that in the recording: as was said, else by those who meet it."""
    if casting is not None and prop.name in casting.sizes:
        return casting.sizes[prop.name]
    if prop.scaling == "kept":
        return 1.0
    own = {meeting.a.who for meeting in recording.meetings if meeting.b.who == prop.name} or set(actors)
    contexts = [actors[name].context for name in own]
    ratios = {
        "body": [context.fitting.scale for context in contexts],
        "hands": [context.hand_scale for context in contexts],
        "steps": [context.ratios.height for context in contexts],
    }[prop.scaling]
    # What nobody moves is to be reached by all: the tallest can stoop, within limits, and the smallest cannot grow.
    fixed = prop.anchored or not (prop.carried or prop.recorded)
    return float((np.min(ratios) + np.mean(ratios)) / 2 if fixed else np.mean(ratios))


def on_stage(motion: PropMotion, stage: Stage, size: float) -> PropMotion:
    """A prop's recorded motion on the stage: over the ground with the space, upwards with its own size, so that what
    stands on the floor stays on it."""
    scaled: FloatArray = motion.positions * np.array([stage.size, size, stage.size])
    positions = stage.direction(scaled) + stage.shift
    return PropMotion(
        positions, rotation.multiply(np.broadcast_to(stage.turn, motion.rotations.shape), motion.rotations)
    )
