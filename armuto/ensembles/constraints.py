"""What the meetings of a recording ask of those who perform it: which places are to be how far from each other, and how
much that counts from frame to frame."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from armuto.constraints.limbs import LimbChain
from armuto.ensembles.casting import Actor, Recording, Stage
from armuto.ensembles.model import Meeting
from armuto.ensembles.prop_motion import PropMotion
from armuto.ensembles.surfaces import part_to_part, part_to_place, part_to_prop
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.curves import blend_intervals
from armuto.kinematics.vectors import lengths

EASE, LONGEST_EASE = 0.5, 1.5  # seconds over which a limb goes to what it meets, and back
GENTLE = 1.0  # metres per second squared: so gently, if the longest ease allows it
BRIDGE = 1.0  # seconds between meetings of a limb: up to there it goes from one to the next without a return


@dataclass(frozen=True, eq=False)
class Side:
    """One side of a meeting that a performer takes. share, out ``(3,)``: the place on the part (:mod:`.surfaces`), out
    in the axes of the target's stance. chain: the limb that brings it there, if any. weight ``(F,)``: how much it
    counts."""

    actor: Actor
    part: str
    share: float
    out: FloatArray
    chain: LimbChain | None
    weight: FloatArray

    def place(self, actor: Actor) -> FloatArray:
        """Where it is ``(F, 3)``. actor: the performer, as it moves by now."""
        return actor.body(self.part).place(self.part, self.share, self.out)


@dataclass(frozen=True, eq=False)
class Constraint:
    """A meeting in a casting.

    first, last: its rows. away ``(F, 3)``: the way from a to b that is wanted, on the stage. b: None where it is a
    prop's, and place ``(3,)``: where on it.
    """

    meeting: Meeting
    first: int
    last: int
    a: Side
    b: Side | None
    place: FloatArray
    away: FloatArray

    @property
    def sides(self) -> tuple[Side, ...]:
        return (self.a,) if self.b is None else (self.a, self.b)

    def held(self, values: FloatArray) -> FloatArray:
        """Values ``(F, 3)`` that before and after the meeting stay as they are where it begins and ends."""
        return values[np.clip(np.arange(len(values)), self.first, self.last)]

    def gap(self, actors: Mapping[str, Actor], props: Mapping[str, PropMotion]) -> FloatArray:
        """By how much the two sides miss each other ``(F, 3)``, in metres: nearer or farther than recorded."""
        a = self.a.place(actors[self.a.actor.name])
        if self.b is None:
            return np.asarray(props[self.meeting.b.who].place(self.place) - a - self.away)
        return np.asarray(self.b.place(actors[self.b.actor.name]) - a - self.away)


def constraints_of(
    recording: Recording,
    actors: Mapping[str, Actor],
    props: Mapping[str, PropMotion],
    stage: Stage,
    sizes: Mapping[str, float],
) -> list[Constraint]:
    """What every meeting of the recording asks of these performers; those that a body has no part for are left out.
    props, sizes: of the props as they are before anything gives way."""
    rows: list[tuple[Meeting, int, int]] = []
    for meeting in recording.meetings:
        first, last = max(meeting.first, recording.first), min(meeting.last, recording.last)
        known = (
            meeting.a.part in actors[meeting.a.who].surfaces
            and meeting.a.part in recording.bodies[meeting.a.who].surfaces
        )
        if meeting.b.who in actors:
            known = known and meeting.b.part in actors[meeting.b.who].surfaces
        if first <= last and known:
            rows.append((meeting, first - recording.first, last - recording.first))
    nothing = np.zeros(recording.frames)
    out = [_constraint(row, recording, actors, stage, sizes, nothing) for row in rows]
    weights = _weights(out, natural_gaps(out, actors, props), recording)
    return [
        replace(row, a=replace(row.a, weight=own[0]), b=None if row.b is None else replace(row.b, weight=own[1]))
        for row, own in zip(out, weights, strict=True)
    ]


def _constraint(
    row: tuple[Meeting, int, int],
    recording: Recording,
    actors: Mapping[str, Actor],
    stage: Stage,
    sizes: Mapping[str, float],
    weight: FloatArray,
) -> Constraint:
    meeting, first, last = row
    actor, span = actors[meeting.a.who], slice(first, last + 1)
    body, part = actor.source, meeting.a.part
    b, place = None, np.zeros(3)
    touching = False
    if meeting.b.who in actors:
        other = actors[meeting.b.who]
        near = part_to_part(body, part, other.source, meeting.b.part)
        assert near.other_share is not None and near.other_out is not None
        share, out = float(near.other_share[span].mean()), _mean_way(near.other_out[span])
        to = other.source.place(meeting.b.part, share, out)
        turned = rotation.rotate(other.fitting.turn, out)
        b = Side(other, meeting.b.part, share, turned, other.chain_of(meeting.b.part), weight)
    else:
        prop, motion = recording.prop(meeting.b.who), recording.props[meeting.b.who]
        if touching := meeting.b.part in prop.handles:
            local = np.array(prop.handles[meeting.b.part])
            near = part_to_place(body, part, motion.place(local))
        else:
            near = part_to_prop(body, part, prop.shapes, motion.positions, motion.rotations)
            assert near.place is not None
            local = near.place[span].mean(axis=0)
        to, place = motion.place(local), local * sizes[prop.name]
    share, out = float(near.share[span].mean()), _mean_way(near.out[span])
    a = Side(actor, part, share, rotation.rotate(actor.fitting.turn, out), actor.chain_of(part), weight)
    # What is taken by its handle is in the hand, however far from it a thing of another build was in the recording.
    offset = np.zeros_like(to) if touching else stage.direction(stage.size * (to - body.place(part, share, out)))
    return Constraint(meeting, first, last, a, b, place, offset)


def _mean_way(ways: FloatArray) -> FloatArray:
    mean = ways.mean(axis=0)
    size = float(np.linalg.norm(mean))
    return np.asarray(mean / size) if size > 1e-6 else np.array([0.0, -1.0, 0.0])


def natural_gaps(
    rows: Sequence[Constraint], actors: Mapping[str, Actor], props: Mapping[str, PropMotion]
) -> list[float]:
    """By how much the two sides of each meeting miss each other where it begins and ends, at most, in metres."""
    return [float(lengths(row.gap(actors, props))[[row.first, row.last]].max()) for row in rows]


def _weights(rows: Sequence[Constraint], gaps: Sequence[float], recording: Recording) -> FloatArray:
    """How much each meeting counts for either of its sides over time, ``(M, 2, F)``: a limb eases into what it meets
    and out of it, the longer the farther that is, and goes from one meeting to the next."""
    fps, frames = recording.fps, np.arange(recording.frames, dtype=float)
    out = np.zeros((len(rows), 2, recording.frames))
    own: dict[tuple[str, str], list[tuple[int, int]]] = {}
    for number, row in enumerate(rows):
        for k, side in enumerate(row.sides):
            limb = side.actor.plan_limbs.get(side.part, side.part)
            own.setdefault((side.actor.name, limb), []).append((number, k))
    for members in own.values():
        stretches = [(rows[number].first, rows[number].last) for number, _ in members]
        # A smoothstep of fifth degree over a time T accelerates by 5.77 times its way over T² at most.
        ease = float(np.sqrt(5.77 * max(gaps[number] for number, _ in members) / GENTLE))
        ease = min(max(ease, EASE), LONGEST_EASE) * fps
        for interval in blend_intervals(stretches, ease, BRIDGE * fps):
            part, weight = interval.weight(frames)
            for member, share in interval.shares(frames[part], ease):
                number, k = members[member]
                out[number, k, part] = weight * share * rows[number].meeting.strength
    return out
