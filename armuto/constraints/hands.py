"""Hands that keep their place: against the world, to each other where they carry something, or on a part of the body."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from armuto.constraints.feet import places_of
from armuto.constraints.limbs import Limb, reach
from armuto.contacts.model import Contact
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.curves import spells
from armuto.kinematics.vectors import lengths
from armuto.kinematics.world_motion import Moving

EASE = 0.5  # seconds before and after
BRIDGE = 1.0  # seconds between what a hand keeps: up to there it goes from one to the next without a return


@dataclass(frozen=True)
class Wanted:
    """What hands are to keep on the target, by the hand's part.

    paths: the source's, over the ground by the stride. carried: the same in the body's size. on: where a hand is on a part, by
    hand and part. apart: from paths to the target's hands through rotations alone. frames: which of the clip the rows are.
    moved: metres in the world ``(F, 3)`` by which a hand's place is moved, by limb. seam: the last frame of a clip
    that loops.
    """

    paths: Mapping[str, FloatArray]
    carried: Mapping[str, FloatArray]
    on: Mapping[tuple[str, str], FloatArray]
    apart: Mapping[str, FloatArray]
    frames: FloatArray
    moved: Mapping[str, FloatArray]
    seam: int | None = None


def hold(
    moving: Moving,
    arms: Mapping[str, Limb],
    hands: Mapping[str, tuple[str, int]],
    contacts: Sequence[Contact],
    wanted: Wanted,
    strengths: Mapping[str, float],
    swivels: Mapping[str, float],
) -> dict[str, FloatArray]:
    """Bring hands to what they keep their place to. hands: part and joint by limb. strengths: by what is kept to, "floor",
    "other hand" and "body". Returns by limb how far a hand falls short ``(F,)`` in metres."""
    frames = wanted.frames
    by_point = {part: (limb, joint) for limb, (part, joint) in hands.items()}
    own = [one for one in contacts if one.point in by_point]
    still = [one for one in own if not one.to]
    places = dict(zip(map(id, still), places_of(still, wanted.apart, frames, wanted.seam), strict=True))
    ease = EASE * moving.fps

    def away(contact: Contact, limb: str, joint: int, part: slice) -> tuple[FloatArray, float]:
        """How far a hand is from where a contact wants it ``(F, 3)``, and how firmly it is wanted."""
        now = moving.positions[joint][part]
        if not contact.to:
            place = places[id(contact)]
            goal = wanted.paths[contact.point][part] + np.array([place[0], 0.0, place[1]])
            return goal - now, strengths["floor"]
        if contact.to in by_point and {contact.point, contact.to} <= wanted.carried.keys():
            one, two = (
                (contact.point, contact.to) if by_point[contact.point][0] == limb else (contact.to, contact.point)
            )
            middle = (now + moving.positions[by_point[two][1]][part]) / 2
            half = (wanted.carried[one][part] - wanted.carried[two][part]) / 2
            return middle + half - now, strengths["other hand"]
        if (contact.point, contact.to) in wanted.on:
            return wanted.on[contact.point, contact.to][part] - now, strengths["body"]
        return np.zeros_like(now), 0.0

    moves = {}
    for limb, (_, joint) in hands.items():
        by, firm = np.zeros((moving.frames, 3)), np.zeros(moving.frames)
        # What a hand keeps, and what keeps to it.
        mine = [one for one in own if by_point[one.point][0] == limb or by_point.get(one.to, ("",))[0] == limb]
        for spell in spells([(one.first, one.last) for one in mine], ease, BRIDGE * moving.fps, wanted.seam):
            part, w = spell.weight(frames)
            for number, share in spell.shares(frames[part], ease):
                off, strength = away(mine[number], limb, joint, part)
                by[part] += (w * share * strength)[:, None] * off
            firm[part] += w
        if limb in wanted.moved:
            by += firm[:, None] * wanted.moved[limb]
        moves[limb] = by, firm
    short = {}
    for limb, (by, firm) in moves.items():
        if limb not in arms:
            continue
        goal = moving.positions[arms[limb].joints[-1]] + by
        reach(moving, arms[limb], goal, lengths(by) > 1e-7, swivels.get(limb, 0.0))
        short[limb] = lengths(goal - moving.positions[arms[limb].joints[-1]]) * firm
    return short
