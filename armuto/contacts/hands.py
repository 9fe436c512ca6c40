"""What hands keep their place to: each other where they carry something between them, or a part of the body."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from armuto.contacts.model import Contact
from armuto.kinematics import rotation
from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.kinematics.signals import hysteresis, lasting, runs, speed_of
from armuto.kinematics.vectors import dot, lengths

CARRIED, LETTING_GO = 0.12, 0.3  # arm lengths per second between the hands
TOGETHER = 1.1  # of the arm: hands farther apart carry nothing
AHEAD = 0.2  # of the arm: so far before the chest hands are that carry something
BENT = np.radians(25.0)
RESTING, LEAVING = 0.12, 0.3  # arm lengths per second against the part a hand rests on
CLOSE = {
    "hips": 1.5,
    "spine": 1.5,
    "chest": 1.5,
    "head": 1.3,
    "upper leg": 0.9,
}  # of half the width between the shoulders
BENT_TO_REST = np.radians(40.0)
SHORTEST, SHORTEST_CARRIED = 0.4, 1.0  # seconds


@dataclass(frozen=True)
class HandTracks:
    """What hands are told by: world positions ``(F, 3)`` and rotations ``(F, 4)`` of the source's parts, by part.

    elbows: how far each arm is bent, radians ``(F,)``. arm, width: metres. ahead: where the chest faces, ``(F, 3)``.
    """

    positions: Mapping[str, FloatArray]
    rotations: Mapping[str, FloatArray]
    elbows: Mapping[str, FloatArray]
    arm: float
    width: float
    ahead: FloatArray
    fps: float


def find_hand_contacts(tracks: HandTracks, hands: Mapping[str, str]) -> tuple[Contact, ...]:
    """Where hands keep their place to each other or to the body. hands: the part of each hand by its limb."""
    out: list[Contact] = []
    busy = np.zeros(0, bool)
    names = list(hands.values())
    if len(names) == 2 and "chest" in tracks.positions:
        found = _carrying(tracks, names)
        busy = found
        out += [Contact(names[0], first, last, names[1]) for first, last in runs(found)]
    for limb, hand in hands.items():
        out += _on_the_body(tracks, limb, hand, busy)
    return tuple(out)


def _carrying(tracks: HandTracks, names: Sequence[str]) -> BoolArray:
    first, second = (tracks.positions[name] for name in names)
    chest, turn = tracks.positions["chest"], rotation.inverse(tracks.rotations["chest"])
    between = rotation.rotate(turn, first - second)
    fast = speed_of(between, tracks.fps) / tracks.arm
    near = lengths(first - second) < TOGETHER * tracks.arm
    before = np.minimum(*(dot(at - chest, tracks.ahead) for at in (first, second))) > AHEAD * tracks.arm
    bent = np.minimum(*(angle for angle in tracks.elbows.values())) > BENT if len(tracks.elbows) == 2 else near
    able = near & before & bent
    return lasting(hysteresis((fast < CARRIED) & able, (fast < LETTING_GO) & able), SHORTEST_CARRIED * tracks.fps)


def _on_the_body(tracks: HandTracks, limb: str, hand: str, busy: BoolArray) -> list[Contact]:
    at = tracks.positions[hand]
    parts = [part for part in tracks.positions if part.removeprefix("left ").removeprefix("right ") in CLOSE]
    if not parts or limb not in tracks.elbows:
        return []
    able = tracks.elbows[limb] > BENT_TO_REST
    if len(busy):
        able &= ~busy
    if not able.any():
        return []
    far = []
    for part in parts:
        kind = part.removeprefix("left ").removeprefix("right ")
        far.append(lengths(at - _nearest_on(tracks, part, at)) / (CLOSE[kind] * tracks.width / 2))
    where = np.argmin(far, axis=0)
    able &= np.min(far, axis=0) < 1.0
    if not able.any():
        return []
    slow = np.full(len(at), np.inf)
    for number in np.unique(where[able]):
        part, nearest = parts[number], where == number
        local = rotation.rotate(rotation.inverse(tracks.rotations[part]), at - tracks.positions[part])
        slow[nearest] = speed_of(local, tracks.fps)[nearest] / tracks.arm
    resting = lasting(hysteresis((slow < RESTING) & able, (slow < LEAVING) & able), SHORTEST * tracks.fps)
    return [
        Contact(hand, first, last, parts[int(np.bincount(where[first : last + 1]).argmax())])
        for first, last in runs(resting)
    ]


def _nearest_on(tracks: HandTracks, part: str, at: FloatArray) -> FloatArray:
    """The nearest point on the line along a part to the next one of the trunk or leg."""
    start = tracks.positions[part]
    side = part.split()[0]
    onward = {"hips": "chest", "spine": "chest", "chest": "neck", "head": "head"}.get(part, f"{side} lower leg")
    end = tracks.positions.get(onward, start)
    line = end - start
    share = np.clip(dot(at - start, line) / np.maximum(dot(line, line), 1e-12), 0, 1)
    return np.asarray(start + share[:, None] * line)
