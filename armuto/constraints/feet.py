"""Feet that stand: every contact of the source holds one place on the target, and the pelvis is lowered where legs are
too short.

Of a point of the foot, with p_S its path on the source in the target's size and facing, and p_T its path on the
target::

    d(t) = p_T(t) − p_S(t)

In a contact the point follows the source's own path, moved by a constant D: what the source's foot does while it
stands, the target's does too, and nothing else. On the ground D is the mean of d over the contact; upwards D is 0,
since both stand on the same floor. The correction of the foot is then e(t) = D − d(t), which is nothing where the
bodies are built alike. Contacts of heel and toes that overlap get the same e (least squares), so that a foot rolls from
one to the other without a jolt. Before and after a contact e eases in and out; near the floor the height follows the
source's throughout.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from armuto.constraints.limbs import LimbChain, full_length, reach, turn_chain, turns_between
from armuto.contacts.model import Contact
from armuto.contacts.points import Point, target_paths
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.curves import blend_intervals, envelope, smooth
from armuto.kinematics.ik import SOFT, fabrik
from armuto.kinematics.vectors import lengths
from armuto.kinematics.world_motion import WorldMotion

EASE = 0.25  # seconds before and after a contact
BRIDGE = 1.0  # seconds between contacts of a foot: up to there it goes from one place to the next without a return
NEAR, FAR = 0.08, 0.35  # of the leg: within the first the height follows the source's, beyond the second not at all
MOST_NEAR = 0.9  # how much of it outside contacts
SAMPLES = 12  # frames of a contact by which its place is told
GIVE = 0.25  # seconds over which the pelvis is lowered
DEEPEST = 0.15  # of the leg: further down the hips do not give way
TIE = 10.0
LIFTED = 0.01  # of the leg: so much higher than the other, heel or toes count half


@dataclass(frozen=True)
class Footplant:
    """What a leg has to do: by how much its end is moved, ``(F, 3)``, how firmly ``(F,)``, and whether it stands on a
    hock."""

    limb: LimbChain
    by: FloatArray
    firm: FloatArray
    end: int | None


@dataclass(frozen=True)
class FootTracks:
    """The source in the target's size and facing. paths: of its points ``(F, 3)`` by name. floor: its height. leg: its
    length."""

    paths: Mapping[str, FloatArray]
    floor: float
    leg: float


@lru_cache(maxsize=65536)
def samples(first: int, last: int) -> tuple[int, ...]:
    """The frames by which the place of a contact from first to last is told."""
    count = min(SAMPLES, last - first + 1)
    return tuple(sorted({round(f) for f in np.linspace(first, last, count)}))


def footplants(
    motion: WorldMotion,
    points: Sequence[Point],
    legs: Mapping[str, LimbChain],
    contacts: Sequence[Contact],
    source: FootTracks,
    strengths: Mapping[str, float],
    moved: bool = True,
) -> list[Footplant]:
    """What every leg has to do. strengths: 0 to 1 by limb. moved: whether a contact rests near where the foot comes to
    be, or else where the source's does."""
    out = []
    for name, limb in legs.items():
        strength = strengths[name]
        own = [point for point in points if point.limb == name and point.is_foot]
        if strength <= 0 or not own:
            continue
        by, firm = _corrections(motion, own, contacts, source, moved)
        hock = all(point.kind != "heel" for point in own)
        out.append(Footplant(limb, by * strength, firm * strength, own[0].target if hock else None))
    return out


def bearing(above: FloatArray, leg: float) -> FloatArray:
    """How much a point bears its foot, 1 to 0, that is so far above the lowest of the foot: half at LIFTED."""
    return np.asarray(1 / (1 + (above / (LIFTED * leg)) ** 4))


def _corrections(
    motion: WorldMotion, points: Sequence[Point], contacts: Sequence[Contact], source: FootTracks, moved: bool
) -> tuple[FloatArray, FloatArray]:
    """The correction e of one foot ``(F, 3)``, and its weight ``(F,)``."""
    frames, count = motion.numbers, motion.frames
    at = target_paths(motion, points)
    deviations = {name: place - source.paths[name] for name, place in at.items()}
    own = [contact for contact in contacts if contact.point in at]
    places = places_of(own, deviations, frames, motion.loop) if moved else [np.zeros(2)] * len(own)
    ease = EASE * motion.fps
    # Of heel and toes the lower one counts: a heel that is about to leave the floor does not pull at toes that stand.
    lowest = np.min([path[:, 1] for path in (source.paths[name] for name in at)], axis=0)
    firmness = [bearing(source.paths[contact.point][:, 1] - lowest, source.leg) for contact in own]
    by, weight, firm = np.zeros((count, 3)), np.zeros(count), np.zeros(count)
    for interval in blend_intervals(
        [(contact.first, contact.last) for contact in own], ease, BRIDGE * motion.fps, motion.loop
    ):
        part, w = interval.weight(frames)
        for number, share in interval.shares(frames[part], ease, [values[part] for values in firmness]):
            deviation = deviations[own[number].point][part]
            place = places[number]
            by[part] += (w * share)[:, None] * (np.array([place[0], 0.0, place[1]]) - deviation)
        weight[part] += w
        part, w = replace(interval, before=ease, after=ease).weight(frames)
        firm[part] = np.maximum(firm[part], w)
    # Near the floor, a foot that does not stand is as high as the source's.
    up, up_weight, up_free = np.zeros(count), np.zeros(count), np.ones(count)
    for name in at:
        high = (source.paths[name][:, 1] - source.floor) / source.leg
        near = MOST_NEAR * (1 - smooth((high - NEAR) / (FAR - NEAR)))
        share = near / (1 - near)
        up -= share * deviations[name][:, 1]
        up_weight += share
        up_free *= 1 - near
    by[:, 1] += (1 - weight) * (1 - up_free) * up / np.maximum(up_weight, 1e-12)
    # No point goes deeper than the source's does.
    deep = np.zeros(count)
    for name, place in at.items():
        lowest = np.minimum(source.paths[name][:, 1], source.floor)
        deep = np.maximum(deep, lowest - (place[:, 1] + by[:, 1]))
    by[:, 1] += envelope(np.where(deep > 1e-6, deep, 0.0), round(0.05 * motion.fps))
    return by, firm


def places_of(
    contacts: Sequence[Contact], deviations: Mapping[str, FloatArray], frames: FloatArray, loop: int | None = None
) -> list[FloatArray]:
    """D of every contact on the ground ``(2,)``: near the mean of d, and such that overlapping contacts of one foot
    agree.

    loop: the last frame of a clip that loops, where contacts go on in its first frame.
    """
    count = len(contacts)
    if not count:
        return []
    row_of = {int(frame): row for row, frame in enumerate(frames)}

    def mean(name: str, numbers: Sequence[int]) -> FloatArray | None:
        rows = [row_of[frame] for frame in numbers if frame in row_of]
        return deviations[name][rows][:, [0, 2]].mean(axis=0) if rows else None

    out: list[FloatArray] = [np.zeros(2)] * count
    for group in _overlapping(contacts, loop):
        rows, right = [], []
        for k, number in enumerate(group):
            contact = contacts[number]
            usual = mean(contact.point, samples(contact.first, contact.last))
            line = np.zeros(len(group))
            line[k] = 1.0
            rows.append(line)
            right.append(np.zeros(2) if usual is None else usual)
        for k, number in enumerate(group):
            for m, other in enumerate(group[k + 1 :], k + 1):
                contact, later = contacts[number], contacts[other]
                if (
                    contact.point == later.point
                    and 0 in (contact.first, later.first)
                    and loop in (contact.last, later.last)
                ):
                    line = np.zeros(len(group))
                    line[k], line[m] = TIE, -TIE
                    rows.append(line)
                    right.append(np.zeros(2))
                    continue
                first, last = max(contact.first, later.first), min(contact.last, later.last)
                if first > last or contact.point == later.point:
                    continue
                shared = samples(first, last)
                a, b = mean(contact.point, shared), mean(later.point, shared)
                if a is None or b is None:
                    continue
                line = np.zeros(len(group))
                line[k], line[m] = TIE, -TIE
                rows.append(line)
                right.append(TIE * (a - b))
        solved = np.array(right) if len(rows) == 1 else np.linalg.lstsq(np.array(rows), np.array(right), rcond=None)[0]
        for k, number in enumerate(group):
            out[number] = solved[k]
    return out


def _overlapping(contacts: Sequence[Contact], loop: int | None = None) -> list[list[int]]:
    """Numbers of contacts in groups that overlap in time, or go on from the end of a loop into its beginning."""
    order = sorted(range(len(contacts)), key=lambda n: contacts[n].first)
    groups: list[list[int]] = []
    until = -1
    for number in order:
        contact = contacts[number]
        if groups and contact.first <= until:
            groups[-1].append(number)
        else:
            groups.append([number])
            until = -1
        until = max(until, contact.last)
    if loop is not None and len(groups) > 1 and until == loop and contacts[groups[0][0]].first == 0:
        groups[0] += groups.pop()
    return groups


def contacts_in_range(
    contacts: Sequence[Contact], limb_of: Mapping[str, str], first: int, last: int, loop: int | None
) -> tuple[tuple[Contact, ...], set[int]]:
    """The contacts that reach into the frames first to last, with all that tell their places; and the frames by which
    they do.

    limb_of: the limb of every point's name.
    """
    chosen: list[Contact] = []
    frames: set[int] = set()
    shifts = (0,) if loop is None else (0, -loop, loop)
    for limb in set(limb_of.values()):
        own = [contact for contact in contacts if limb_of.get(contact.point) == limb]
        for group in _overlapping(own, loop):
            if not any(own[n].last + by >= first and own[n].first + by <= last for n in group for by in shifts):
                continue
            for k, n in enumerate(group):
                chosen.append(own[n])
                frames.update(samples(own[n].first, own[n].last))
                for m in group[k + 1 :]:
                    shared = max(own[n].first, own[m].first), min(own[n].last, own[m].last)
                    if shared[0] <= shared[1]:
                        frames.update(samples(*shared))
    return tuple(sorted(chosen, key=lambda contact: (contact.first, contact.point))), frames


def lower_pelvis(motion: WorldMotion, plants: Sequence[Footplant], leg: float) -> FloatArray:
    """Metres by which the body is lowered ``(F,)`` so that every leg reaches its contact, softly over time."""
    lowered = np.zeros(motion.frames)
    for plant in plants:
        root, end = (motion.positions[plant.limb.joints[k]] for k in (0, -1))
        goal = end + plant.by
        longest = full_length(motion, plant.limb)
        now = lengths(end - root)
        allowed = np.maximum(now, longest * (1 - SOFT))
        reach = root - goal
        level = np.hypot(reach[:, 0], reach[:, 2])
        short = lengths(reach) > allowed
        down = reach[:, 1] - np.sqrt(np.maximum(allowed**2 - level**2, 0.0))
        down = np.where(short, np.clip(down, 0.0, DEEPEST * leg), 0.0) * plant.firm
        lowered = np.maximum(lowered, down)
    return envelope(lowered, round(GIVE * motion.fps))


def plant(
    motion: WorldMotion, plants: Sequence[Footplant], lowered: FloatArray, swivels: Mapping[str, float]
) -> dict[str, FloatArray]:
    """Bring every leg to its contacts, the body having been lowered. Returns by limb how far it falls short ``(F,)``,
    in m."""
    short = {}
    for plant in plants:
        limb = plant.limb
        goal = motion.positions[limb.joints[-1]] + plant.by
        goal[:, 1] += lowered
        frames = (lengths(plant.by) > 1e-7) | (lowered > 1e-7)
        reach(motion, limb, goal, frames, swivels.get(limb.name, 0.0))
        error = lengths(goal - motion.positions[limb.joints[-1]])
        if plant.end is not None and len(limb.joints) == 3:
            error = _with_hock(motion, plant, goal, error)
        short[limb.name] = error * plant.firm
    return short


def _with_hock(motion: WorldMotion, plant: Footplant, goal: FloatArray, error: FloatArray) -> FloatArray:
    """A leg that stands on its toes stretches at the hock, too, where its upper bones fall short."""
    foot, end = plant.limb.joints[-1], plant.end
    assert end is not None
    frames = error > 1e-4
    if end == foot or end not in motion.below(foot) or not np.any(frames):
        return error
    chain = (*plant.limb.joints, end)
    at = [motion.positions[joint][frames] for joint in chain]
    direction = at[-1] + goal[frames] - at[-2]
    made = fabrik(at, direction)
    turn_chain(motion, chain, turns_between(at, made), frames)
    out = error.copy()
    out[frames] = lengths(direction - motion.positions[end][frames])
    return out
