"""Meetings of a recording: where a hand, a foot or the seat of somebody touches somebody else, or a prop.

Two surfaces meet where they are close and move together, or stop each other: the gap between them and the speed of the
place of the one on the other begin below one threshold and stay below a wider one (hysteresis), for a while. Of all
that a hand is close to at the same time, the nearest counts, and a prop before anybody: of two who hold the same crate,
it is the crate that their hands meet. A part that rests against its own body is a contact of its clip
(:mod:`armuto.contacts.hands`).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from armuto.ensembles.model import Holder, Meeting, Prop
from armuto.ensembles.prop_motion import PropMotion
from armuto.ensembles.surfaces import Nearness, PosedBody, part_to_part, part_to_prop
from armuto.kinematics import rotation
from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.kinematics.signals import bridged, hysteresis, lasting, runs, speed_of
from armuto.kinematics.vectors import lengths

CLOSE, APART = 0.04, 0.085  # of the hips' height between the surfaces
ABOUT = 1.6  # times that of feet and seats, whose surfaces a skeleton alone tells less well
SLOW, QUICK = 0.17, 0.45  # hips' heights per second of the one against the other
SHORTEST = 0.1  # seconds
GAP = 0.1  # seconds of parting that are no end of a meeting
WITHIN = 0.6  # of the hips' height: parts whose middles are farther apart are not looked at more closely
TOUCHING = ("hand",)
TOUCHING_PROPS = ("hand", "foot", "hips")


@dataclass(frozen=True, eq=False)
class _Candidate:
    other: Holder
    near: Nearness
    speed: FloatArray


def find_meetings(
    bodies: Mapping[str, PosedBody],
    props: Sequence[tuple[Prop, PropMotion]],
    fps: float,
    first: int = 0,
) -> tuple[Meeting, ...]:
    """The meetings of a recording, in the order in which they begin.

    Parameters
    ----------
    bodies : mapping of str to PosedBody
        The performers over the frames of the common time, by name.
    props : sequence of (Prop, PropMotion)
    fps : float
    first : int
        The frame of the common time that the first row shows.

    Returns
    -------
    tuple of Meeting
    """
    out: list[Meeting] = []
    for who, body in bodies.items():
        for part in body.surfaces:
            kind = _kind(part)
            busy = np.zeros(len(next(iter(body.positions.values()))), bool)
            if kind in TOUCHING_PROPS:
                out += _meetings_of(Holder(who, part), _things(part, body, props, fps), body.leg, fps, first, busy)
            if kind in TOUCHING:
                out += _meetings_of(Holder(who, part), _others(who, part, bodies, fps), body.leg, fps, first, busy)
    unique: list[Meeting] = []
    for meeting in sorted(out, key=lambda row: (row.first, row.last, row.a.who, row.a.part)):
        twin = {meeting.a, meeting.b}
        if not any({row.a, row.b} == twin and row.last >= meeting.first for row in unique):
            unique.append(meeting)
    return tuple(unique)


def _kind(part: str) -> str:
    return part.removeprefix("left ").removeprefix("right ")


def _others(who: str, part: str, bodies: Mapping[str, PosedBody], fps: float) -> list[_Candidate]:
    body = bodies[who]
    place = body.along(part, 0.5)
    out = []
    for name, other in bodies.items():
        if name == who:
            continue
        for theirs, surface in other.surfaces.items():
            if surface.sole:
                continue
            reach = WITHIN * body.leg + float(np.linalg.norm(surface.end - surface.start)) / 2
            if lengths(other.along(theirs, 0.5) - place).min() > reach:
                continue
            near = part_to_part(body, part, other, theirs)
            offset = body.along(part, near.share) - other.positions[surface.joint]
            local = rotation.rotate(rotation.inverse(other.turn(theirs)), offset)
            out.append(_Candidate(Holder(name, theirs), near, speed_of(local, fps)))
    return out


def _things(part: str, body: PosedBody, props: Sequence[tuple[Prop, PropMotion]], fps: float) -> list[_Candidate]:
    out = []
    for prop, motion in props:
        near = part_to_prop(body, part, prop.shapes, motion.positions, motion.rotations)
        offset = body.along(part, near.share) - motion.positions
        local = rotation.rotate(rotation.inverse(motion.rotations), offset)
        out.append(_Candidate(Holder(prop.name), near, speed_of(local, fps)))
    return out


def _meetings_of(
    holder: Holder, candidates: Sequence[_Candidate], leg: float, fps: float, first: int, busy: BoolArray
) -> list[Meeting]:
    """Of what a part is close to at the same time, the nearest counts. busy: when it meets something already, to which
    what is found is added, in place."""
    if not candidates:
        return []
    wide = leg if _kind(holder.part) in TOUCHING else ABOUT * leg
    begin = np.stack([_touching(row, CLOSE * wide, SLOW * leg) for row in candidates])
    stay = np.stack([_touching(row, APART * wide, QUICK * leg) for row in candidates])
    held = np.stack([hysteresis(*rows) for rows in zip(begin, stay, strict=True)])
    held &= ~busy
    gaps = np.where(held, np.stack([row.near.gap for row in candidates]), np.inf)
    nearest = np.argmin(gaps, axis=0)
    out = []
    for number, candidate in enumerate(candidates):
        own = bridged(held[number] & (nearest == number), GAP * fps)
        for start, stop in runs(lasting(own, SHORTEST * fps)):
            out.append(Meeting(first + start, first + stop, holder, candidate.other))
            busy[start : stop + 1] = True
    return out


def _touching(row: _Candidate, gap: float, speed: float) -> BoolArray:
    return np.asarray((row.near.gap < gap) & (row.speed < speed))
