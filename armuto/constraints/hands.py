"""Hands that keep their place: against the world, to each other where they carry something, or on a part of the
body."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from armuto.constraints.feet import places_of
from armuto.constraints.limbs import LimbChain, reach
from armuto.contacts.model import Contact
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.curves import blend_intervals
from armuto.kinematics.vectors import lengths
from armuto.kinematics.world_motion import WorldMotion

EASE = 0.5  # seconds before and after
BRIDGE = 1.0  # seconds between what a hand keeps: up to there it goes from one to the next without a return


@dataclass(frozen=True)
class HandTargets:
    """What hands are to keep on the target, by the hand's part, each ``(F, 3)`` in metres.

    paths: the source's, over the ground by the stride. carried: the same in the hands' size. on_body: where a hand is
    on a part, by hand and part. offsets: from paths to the target's hands through rotations alone. shifts: by how much
    a hand's place is moved, by limb.
    """

    paths: Mapping[str, FloatArray]
    carried: Mapping[str, FloatArray]
    on_body: Mapping[tuple[str, str], FloatArray]
    offsets: Mapping[str, FloatArray]
    shifts: Mapping[str, FloatArray]


def hold(
    motion: WorldMotion,
    arms: Mapping[str, LimbChain],
    hands: Mapping[str, tuple[str, int]],
    contacts: Sequence[Contact],
    targets: HandTargets,
    strengths: Mapping[str, float],
    swivels: Mapping[str, float],
) -> dict[str, FloatArray]:
    """Bring hands to what they keep their place to. hands: part and joint by limb. strengths: by what is kept to,
    "floor", "other hand" and "body". Returns by limb how far a hand falls short ``(F,)`` in metres."""
    by_part = {part: (limb, joint) for limb, (part, joint) in hands.items()}
    contacts = [contact for contact in contacts if contact.point in by_part]
    fixed = [contact for contact in contacts if not contact.to]
    places = dict(zip(map(id, fixed), places_of(fixed, targets.offsets, motion.numbers, motion.loop), strict=True))

    def correction(contact: Contact, limb: str, joint: int, part: slice) -> tuple[FloatArray, float]:
        """How far a hand is from where a contact wants it ``(F, 3)``, and how firmly it is wanted."""
        now = motion.positions[joint][part]
        if not contact.to:
            place = places[id(contact)]
            goal = targets.paths[contact.point][part] + np.array([place[0], 0.0, place[1]])
            return goal - now, strengths["floor"]
        if contact.to in by_part and {contact.point, contact.to} <= targets.carried.keys():
            own, other = contact.point, contact.to
            if by_part[own][0] != limb:
                own, other = other, own
            middle = (now + motion.positions[by_part[other][1]][part]) / 2
            half = (targets.carried[own][part] - targets.carried[other][part]) / 2
            return middle + half - now, strengths["other hand"]
        if (contact.point, contact.to) in targets.on_body:
            return targets.on_body[contact.point, contact.to][part] - now, strengths["body"]
        return np.zeros_like(now), 0.0

    corrections = {}
    for limb, (_, joint) in hands.items():
        by, weight = np.zeros((motion.frames, 3)), np.zeros(motion.frames)
        # What a hand keeps, and what keeps to it.
        own = [
            contact
            for contact in contacts
            if by_part[contact.point][0] == limb or by_part.get(contact.to, ("",))[0] == limb
        ]
        stretches = [(contact.first, contact.last) for contact in own]
        for interval in blend_intervals(stretches, EASE * motion.fps, BRIDGE * motion.fps, motion.loop):
            part, w = interval.weight(motion.numbers)
            for number, share in interval.shares(motion.numbers[part], EASE * motion.fps):
                shift, strength = correction(own[number], limb, joint, part)
                by[part] += (w * share * strength)[:, None] * shift
            weight[part] += w
        if limb in targets.shifts:
            by += weight[:, None] * targets.shifts[limb]
        corrections[limb] = by, weight
    short = {}
    for limb, (by, weight) in corrections.items():
        if limb not in arms:
            continue
        end = arms[limb].joints[-1]
        goal = motion.positions[end] + by
        reach(motion, arms[limb], goal, lengths(by) > 1e-7, swivels.get(limb, 0.0))
        short[limb] = lengths(goal - motion.positions[end]) * weight
    return short
