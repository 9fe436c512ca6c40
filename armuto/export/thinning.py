"""Fewer keys: those are kept between which motion can be interpolated within a bound."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray, IntArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.keys import Keys

ROUNDS = 7  # of drawing the bounds of single joints closer, before every key is kept
SHARE = 0.6  # of the bound on places that one joint's rotation may use up by itself


@dataclass(frozen=True)
class Bound:
    """How far thinned motion may be from what it was: degrees of any joint's own rotation, metres of any joint's
    place."""

    degrees: float = 0.5
    metres: float = 0.002


def thin(clip: Clip, bound: Bound) -> Keys:
    """Keep as few keys as a bound allows, each channel by itself.

    A stretch of frames is split where interpolation between its ends is furthest off, until nowhere it is off by more
    than the joint's own bound (Ramer 1972, Douglas and Peucker 1973, on the sphere of unit quaternions). That starts
    from the bound's degrees, and from what a turn of the joint moves the furthest joint below it; then the error of
    places in the world is measured on every frame, and the bounds of the joints are drawn closer until it holds. Where
    they would have to vanish, every key is kept. Slerp and line are what glTF's LINEAR interpolation means.
    """
    places, world = clip.all_translations(), clip.world().positions
    turns = [_Turns(clip.rotations[:, joint]) for joint in range(len(clip.skeleton))]
    moves = [_Places(places[:, joint]) for joint in range(len(clip.skeleton))]
    reach = np.maximum(_reach(clip), 1e-6)
    own = np.minimum(bound.degrees, np.degrees(bound.metres * SHARE / reach))
    tight = 1.0
    for _ in range(ROUNDS):
        made = _measured(
            clip,
            world,
            tuple(_kept(channel, limit * tight) for channel, limit in zip(turns, own, strict=True)),
            tuple(_kept(channel, bound.metres * SHARE * tight) for channel in moves),
        )
        if made.degrees <= bound.degrees and made.metres <= bound.metres:
            return made
        tight *= 0.8 * min(1.0, bound.metres / max(made.metres, 1e-12), bound.degrees / max(made.degrees, 1e-12))
    every = tuple(np.arange(clip.frames) for _ in turns)
    return _measured(clip, world, every, every)


def at_keys(clip: Clip, keys: Keys) -> Clip:
    """The clip as whoever interpolates between its keys sees it, on every frame."""
    return _interpolated(clip, keys.rotations, keys.translations)


def _interpolated(clip: Clip, turns: tuple[IntArray, ...], moves: tuple[IntArray, ...]) -> Clip:
    places = clip.all_translations()
    rotations = np.stack([_Turns(clip.rotations[:, j]).through(at) for j, at in enumerate(turns)], axis=1)
    translations = np.stack([_Places(places[:, j]).through(at) for j, at in enumerate(moves)], axis=1)
    return Clip(clip.name, clip.skeleton, clip.fps, rotations, np.arange(len(clip.skeleton)), translations)


def _measured(clip: Clip, world: FloatArray, turns: tuple[IntArray, ...], moves: tuple[IntArray, ...]) -> Keys:
    made = _interpolated(clip, turns, moves)
    return Keys(
        turns,
        moves,
        float(_apart(clip.rotations, made.rotations).max()),
        float(np.linalg.norm(made.world().positions - world, axis=-1).max()),
        sum(len(at) for at in (*turns, *moves)),
        2 * clip.frames * len(turns),
    )


def _reach(clip: Clip) -> FloatArray:
    """Metres ``(J,)`` from each joint to the furthest joint or end below it, along the bones."""
    skeleton = clip.skeleton
    out = np.zeros(len(skeleton))
    for parent, offset in zip(skeleton.end_parents, skeleton.end_offsets, strict=True):
        out[parent] = max(out[parent], float(np.linalg.norm(offset)))
    lengths = np.linalg.norm(clip.all_translations(), axis=-1).max(axis=0)
    for joint in range(len(skeleton) - 1, -1, -1):
        parent = int(skeleton.parents[joint])
        if parent >= 0:
            out[parent] = max(out[parent], out[joint] + float(lengths[joint]))
    return out


def _apart(a: FloatArray, b: FloatArray) -> FloatArray:
    """Degrees between rotations."""
    return np.degrees(rotation.angle(rotation.against(a, b)))


class _Turns:
    """Rotations ``(F, 4)`` of one joint, with slerp between keys."""

    def __init__(self, values: FloatArray) -> None:
        self.values = values

    def still(self) -> bool:
        return bool(np.abs(self.values - self.values[0]).max() < 1e-7)

    def off(self, first: int, last: int) -> FloatArray:
        """How far the frames between two are from what lies between these, in degrees."""
        made = rotation.slerp(self.values[first][None], self.values[last][None], _shares(first, last))
        return _apart(self.values[first + 1 : last], made)

    def through(self, keys: IntArray) -> FloatArray:
        if len(keys) == 1:
            return np.broadcast_to(self.values[keys[0]], self.values.shape).copy()
        start, share = _stretches(len(self.values), keys)
        return rotation.slerp(self.values[keys[start]], self.values[keys[start + 1]], share)


class _Places:
    """Translations ``(F, 3)`` of one joint, with lines between keys."""

    def __init__(self, values: FloatArray) -> None:
        self.values = values

    def still(self) -> bool:
        return bool(np.abs(self.values - self.values[0]).max() < 1e-9)

    def off(self, first: int, last: int) -> FloatArray:
        """How far the frames between two are from the line between these, in metres."""
        made = self.values[first] + (self.values[last] - self.values[first]) * _shares(first, last)[:, None]
        return np.asarray(np.linalg.norm(self.values[first + 1 : last] - made, axis=-1))

    def through(self, keys: IntArray) -> FloatArray:
        if len(keys) == 1:
            return np.broadcast_to(self.values[keys[0]], self.values.shape).copy()
        start, share = _stretches(len(self.values), keys)
        way = self.values[keys[start + 1]] - self.values[keys[start]]
        return np.asarray(self.values[keys[start]] + way * share[:, None])


def _shares(first: int, last: int) -> FloatArray:
    return np.arange(1, last - first) / (last - first)


def _stretches(frames: int, keys: IntArray) -> tuple[IntArray, FloatArray]:
    """For every frame the key before it, and how much of the way to the next one it is."""
    at = np.arange(frames)
    start = np.minimum(np.searchsorted(keys, at, side="right") - 1, len(keys) - 2)
    return start, (at - keys[start]) / (keys[start + 1] - keys[start])


def _kept(channel: _Turns | _Places, bound: float) -> IntArray:
    """The frames of one channel between which nothing is off by more than the bound."""
    last = len(channel.values) - 1
    if channel.still():
        return np.array([0])
    keyed = {0, last}
    unsure = [(0, last)]
    while unsure:
        first, last = unsure.pop()
        if last - first < 2:
            continue
        far = channel.off(first, last)
        worst = int(far.argmax())
        if far[worst] > bound:
            middle = first + 1 + worst
            keyed.add(middle)
            unsure += [(first, middle), (middle, last)]
    return np.array(sorted(keyed))
