"""How well other bodies meet: gaps and angles against the recording, how far paths were moved, and who clips whom."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from itertools import combinations

import numpy as np

from armuto.ensembles.casting import Actor
from armuto.ensembles.constraints import Constraint
from armuto.ensembles.model import Meeting
from armuto.ensembles.pipeline import EnsembleResult
from armuto.ensembles.surfaces import PosedBody, depth_between
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.vectors import lengths

CLIPPING = 0.005  # metres deeper than recorded from which on parts clip
MEETS = 0.01, 8.0  # metres and degrees within which a meeting is kept


@dataclass(frozen=True)
class MeetingMeasures:
    """Of one meeting, over its frames. before, gap: by how much the two sides miss each other against the recording at
    most, in metres, where everyone is transferred alone and now; worst: the frame of the latter. angle: by how much
    they are turned against each other more or less than recorded at most, in degrees; None where no limb ends there."""

    meeting: Meeting
    before: float
    gap: float
    worst: int
    angle: float | None

    @property
    def kept(self) -> bool:
        return self.gap <= MEETS[0] and (self.angle or 0.0) <= MEETS[1]


@dataclass(frozen=True)
class PerformerMeasures:
    """Of one performer: by how much the path over the ground was moved at most, and the hips lowered, in metres; and by
    how much the trunk leans, in degrees."""

    name: str
    offset: float
    lowered: float
    lean: float


@dataclass(frozen=True)
class PairMeasures:
    """Of two performers. facing: by how much they face each other otherwise than recorded at most, in degrees.
    clipping: how much deeper they are in each other than recorded at most, in metres; parts, frame: where."""

    first: str
    second: str
    facing: float
    clipping: float
    parts: tuple[str, str] | None = None
    frame: int = 0


@dataclass(frozen=True)
class EnsembleMeasures:
    meetings: tuple[MeetingMeasures, ...]
    performers: tuple[PerformerMeasures, ...]
    pairs: tuple[PairMeasures, ...]


def measure_ensemble(result: EnsembleResult) -> EnsembleMeasures:
    """All measures of a casting. Frames are those of the common time."""
    bodies = {name: actor.body() for name, actor in result.actors.items()}
    return EnsembleMeasures(
        tuple(_meeting(row, result) for row in result.constraints),
        tuple(_performer(actor) for actor in result.actors.values()),
        tuple(_pair(first, second, result, bodies) for first, second in combinations(result.actors, 2)),
    )


def _meeting(row: Constraint, result: EnsembleResult) -> MeetingMeasures:
    span = slice(row.first, row.last + 1)
    before = lengths(row.gap(result.transferred, result.natural_props))[span]
    gap = lengths(row.gap(result.actors, result.props))[span]
    worst = int(np.argmax(gap))
    angles = _angles(row, result)
    return MeetingMeasures(
        row.meeting,
        float(before.max()),
        float(gap[worst]),
        result.recording.first + row.first + worst,
        None if angles is None else float(np.degrees(angles[span].max())),
    )


def _angles(row: Constraint, result: EnsembleResult) -> FloatArray | None:
    """Radians ``(F,)`` by which the two sides are turned against each other otherwise than recorded."""
    if row.a.chain is None:
        return None
    stage = result.stage.turn
    first = _turned(row.a.actor.name, row.a.part, result.actors)
    first_recorded = row.a.actor.source.turn(row.a.part)
    if row.b is None:
        now, before = result.props[row.meeting.b.who], result.natural_props[row.meeting.b.who]
        expected = rotation.multiply(np.broadcast_to(stage, first_recorded.shape), first_recorded)
        expected = rotation.multiply(rotation.multiply(now.rotations, rotation.inverse(before.rotations)), expected)
        return rotation.angle_apart(first, expected)
    if row.b.chain is None:
        return None
    second = _turned(row.b.actor.name, row.b.part, result.actors)
    between = rotation.multiply(row.b.actor.source.turn(row.b.part), rotation.inverse(first_recorded))
    expected = rotation.multiply(
        rotation.multiply(stage, between), np.broadcast_to(rotation.inverse(stage), between.shape)
    )
    return rotation.angle_apart(rotation.multiply(second, rotation.inverse(first)), expected)


def _turned(name: str, part: str, actors: Mapping[str, Actor]) -> FloatArray:
    """How a part is turned from the source's stance, on the stage ``(F, 4)``."""
    actor = actors[name]
    turns = actor.body(part).turn(part)
    return rotation.multiply(turns, np.broadcast_to(actor.fitting.turn, turns.shape))


def _performer(actor: Actor) -> PerformerMeasures:
    by = actor.displacement
    return PerformerMeasures(
        actor.name,
        float(np.hypot(by.shift[:, 0], by.shift[:, 2]).max()),
        float(max(-by.shift[:, 1].min(), 0.0)),
        float(np.degrees(lengths(by.lean).max())),
    )


def _pair(first: str, second: str, result: EnsembleResult, bodies: Mapping[str, PosedBody]) -> PairMeasures:
    actors, recorded = result.actors, result.recording.bodies
    facing = 0.0
    if all("hips" in bodies[name].surfaces for name in (first, second)):
        now = _heading(_turned(second, "hips", actors)) - _heading(_turned(first, "hips", actors))
        was = _heading(actors[second].source.turn("hips")) - _heading(actors[first].source.turn("hips"))
        facing = float(np.degrees(np.abs(_wrapped(now - was)).max()))
    worst: tuple[float, tuple[str, str] | None, int] = (0.0, None, 0)
    for part, surface in bodies[first].surfaces.items():
        for other, theirs in bodies[second].surfaces.items():
            if surface.sole or theirs.sole or other not in recorded[second].surfaces:
                continue
            own, met = bodies[first], bodies[second]
            far = lengths(own.along(part, 0.5) - met.along(other, 0.5)).min()
            if far > sum(float(np.linalg.norm(s.end - s.start)) / 2 + s.radius for s in (surface, theirs)):
                continue
            depth = depth_between(own, part, met, other)
            before = depth_between(actors[first].source, part, actors[second].source, other) * result.space
            more = depth - np.maximum(before, 0.0)
            frame = int(np.argmax(more))
            if more[frame] > max(worst[0], CLIPPING):
                worst = float(more[frame]), (part, other), result.recording.first + frame
    return PairMeasures(first, second, facing, *worst)


def _heading(turns: FloatArray) -> FloatArray:
    ahead = rotation.rotate(turns, np.broadcast_to([0.0, 0.0, 1.0], (len(turns), 3)))
    return np.arctan2(ahead[:, 0], ahead[:, 2])


def _wrapped(angles: FloatArray) -> FloatArray:
    return np.asarray((angles + np.pi) % (2 * np.pi) - np.pi)
