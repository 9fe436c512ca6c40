"""What a join does to the motion, beside what its clips do in the same frames, and what is wrong with it in words."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from armuto.contacts.model import Contact
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.statistics import percentile
from armuto.kinematics.vectors import lengths
from armuto.refining.foot_locking import bearing, foot_paths
from armuto.refining.measures import BEARS, EDGE
from armuto.splicing.features import on_ground, point_weights
from armuto.splicing.layout import LaidPassage, Transition

AROUND = 0.15  # seconds before and after an overlap that are measured with it
WALKS = 0.3  # m/s from which a body has a heading


@dataclass(frozen=True)
class Measure:
    """joined: of the splice. clips: the worst of both clips in the same frames."""

    joined: float
    clips: float


@dataclass(frozen=True)
class JoinMeasures:
    """Of the joints that make a pose. step: the greatest way of one from a frame to the next, centimetres. velocity:
    its greatest change from a frame to the next, cm/s. jerk: its greatest, m/s³. slide: the speed of points of feet
    that rest and bear them, the 90th of a hundred frames, cm/s. lift: by how much such a point is higher or lower than
    in its clip, centimetres. heading: degrees between the way before and after, besides what was asked for."""

    step: Measure
    velocity: Measure
    jerk: Measure
    slide: Measure
    lift: float
    heading: float


def unevenness(positions: FloatArray, fps: float) -> float:
    """The root mean square of jerk over all joints, m/s³: of two ways from a motion to another the less is the more
    even. positions: ``(F, J, 3)``, at least 4 frames."""
    return float(np.sqrt((np.diff(positions, 3, axis=0) ** 2).sum(axis=-1).mean()) * fps**3)


def measure_join(
    clip: Clip, a: LaidPassage, b: LaidPassage, transition: Transition, contacts: Sequence[Contact]
) -> JoinMeasures:
    """Of a splice, in the frames in which two passages are both seen and those around. contacts: of feet, in frames of
    the splice."""
    first, last = transition.first, transition.last
    margin = max(2, round(AROUND * clip.fps))
    begin, end = max(0, min(first, last) - margin), min(clip.frames - 1, max(first, last) + margin)
    joints, _ = point_weights(a.passage.clip.body)
    joined = clip.cut(begin, end).world().positions[:, joints]
    clips = [_own(each, begin, end)[:, joints] for each in (a, b)]

    def of(order: int) -> Measure:
        unit = 100 if order < 3 else 1
        values = [_greatest(places, order) * clip.fps ** (order - 1 if order < 3 else 3) for places in (joined, *clips)]
        return Measure(values[0] * unit, max(values[1:]) * unit)

    slide, lift = _feet(clip, a, b, transition, contacts)
    return JoinMeasures(of(1), of(2), of(3), slide, lift, _heading(clip, a, b, first, last))


def _own(each: LaidPassage, begin: int, end: int) -> FloatArray:
    """The clip's own places, of those frames that it has."""
    clip = each.passage.clip.clip
    return each.positions(max(begin, -each.shift), min(end, clip.frames - 1 - each.shift))


def _greatest(positions: FloatArray, order: int) -> float:
    if len(positions) <= order:
        return 0.0
    return float(lengths(np.diff(positions, order, axis=0)).max())


def _feet(
    clip: Clip, a: LaidPassage, b: LaidPassage, transition: Transition, contacts: Sequence[Contact]
) -> tuple[Measure, float]:
    """How quickly points of feet that rest go over the ground, and how far they are off the height at which they rest:
    beside the passage that is seen more."""
    ground = a.passage.clip.ground
    begin, end = (
        max(min(transition.first, transition.last) - 1, 0),
        min(max(transition.first, transition.last) + 1, clip.frames - 1),
    )
    if ground is None or end <= begin:
        return Measure(0.0, 0.0), 0.0
    joined = foot_paths(clip.cut(begin, end), ground)
    frames = np.arange(begin, end + 1)
    seen = (frames < transition.middle)[:, None]
    speeds: tuple[list[FloatArray], list[FloatArray]] = [np.zeros(1)], [np.zeros(1)]
    lift = 0.0
    near = [contact for contact in contacts if contact.first <= end and contact.last >= begin]
    for name, path in joined.items():
        bears = bearing(joined, Contact(name, 0, 0), ground) > BEARS
        own = np.where(seen, a.foot_path(name, begin, end), b.foot_path(name, begin, end))
        for contact in near:
            if contact.point != name:
                continue
            rests = bears & (frames >= contact.first + EDGE) & (frames <= contact.last - EDGE)
            lift = max(lift, float(np.max(np.abs(path - own)[:, 1], where=rests, initial=0.0)))
            speeds[0].append(_speed(path)[rests] * clip.fps * 100)
            # Not over the frame in which the one passage takes over from the other.
            speeds[1].extend(
                _speed(each.foot_path(name, begin, end))[rests & part] * clip.fps * 100
                for each, part in ((a, seen[:, 0]), (b, ~seen[:, 0]))
            )
    slide = (percentile(np.concatenate(found), 90) for found in speeds)
    return Measure(*slide), lift * 100


def _speed(path: FloatArray) -> FloatArray:
    """Way over the ground in a frame, ``(F,)``."""
    return np.asarray(np.abs(np.gradient(on_ground(path))))


def _heading(clip: Clip, a: LaidPassage, b: LaidPassage, first: int, last: int) -> float:
    """Between the way of the one before and that of the other after; 0 where either stands."""
    ways = []
    for each, frame in ((a, first), (b, max(last, first))):
        row = int(np.clip(frame + each.shift, 0, each.passage.clip.clip.frames - 1))
        way = each.passage.clip.features.way[row]
        turned = each.motion.place(np.array([[way.imag, 0.0, way.real], [0.0, 0.0, 0.0]]))
        ways.append(on_ground(turned[0] - turned[1]))
    if min(abs(way) for way in ways) < WALKS:
        return 0.0
    return float(np.degrees(np.angle(ways[1] * np.conj(ways[0]))))
