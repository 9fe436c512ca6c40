"""Feet that stand, a frame at a time: what :mod:`armuto.constraints.feet` does for a clip, without what comes later.

A point of the foot rests where it is slow and close to the floor, with a stricter value to begin with and a looser one
to end with. With d as there, it keeps the D that it has when it comes to rest, so that nothing jumps then, rather than
the mean of the d that are still to come. After a contact its correction eases out.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from armuto.body.estimation import RESTING_HEIGHT, RESTING_SPEED
from armuto.constraints.feet import EASE, FAR, MOST_NEAR, NEAR, Footplant, bearing
from armuto.constraints.limbs import LimbChain
from armuto.contacts.points import Point, target_paths
from armuto.contacts.resting import END_HEIGHT, END_SPEED
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.curves import smooth_at
from armuto.kinematics.world_motion import WorldMotion

WINDOW = 0.1  # seconds in which speed is measured
SETTLE = 0.06  # seconds in which a contact takes hold
FAINT = 0.25  # weight of a contact under which its correction is gone
FIRM = 0.999  # weight of a contact by which a foot keeps its height, at most
FLOOR = 1.0  # seconds in which the floor follows feet that rest lower or higher


@dataclass
class _PointState:
    """rests: whether it touches the floor; begins: whether it has just come to. weight: how much its contact counts,
    eased in and out over time by its phase. place ``(2,)``: D of its contact."""

    rests: bool = False
    begins: bool = False
    phase: float = 0.0
    place: FloatArray = field(default_factory=lambda: np.zeros(2))
    track: deque[tuple[float, FloatArray]] = field(default_factory=deque)

    @property
    def weight(self) -> float:
        return smooth_at(self.phase)

    def speed(self, time: float, at: FloatArray) -> float:
        """In m/s over the last moments; without a bound before there are any."""
        self.track.append((time, at))
        while len(self.track) > 2 and time - self.track[0][0] > WINDOW:
            self.track.popleft()
        then, before = self.track[0]
        return float(np.linalg.norm(at - before)) / (time - then) if time > then else np.inf


class LiveFootplants:
    """The legs of a character that performs a stream. points: of its feet. legs: by limb. leg: the source's, in
    metres. scale: the target's size by axis ``(3,)``. strengths: 0 to 1 by limb."""

    def __init__(
        self,
        points: Sequence[Point],
        legs: Mapping[str, LimbChain],
        leg: float,
        scale: FloatArray,
        strengths: Mapping[str, float],
    ) -> None:
        self.legs, self.leg, self.scale, self.strengths = legs, leg, scale, strengths
        self.points = {
            name: [point for point in points if point.limb == name and point.is_foot]
            for name in legs
            if strengths[name] > 0
        }
        self.states = {point.name: _PointState() for own in self.points.values() for point in own}
        self.floor: float | None = None

    def plants(
        self, motion: WorldMotion, source: Mapping[str, FloatArray], paths: Mapping[str, FloatArray], time: float
    ) -> list[Footplant]:
        """What every leg has to do in one frame. source: points on the source ``(3,)`` by name, in metres; paths: the
        same in the target's size and facing. time: in seconds."""
        self._find_contacts(source, time)
        out = []
        for name, own in self.points.items():
            if not own:
                continue
            by, firm = self._correction(motion, own, paths)
            hock = all(point.kind != "heel" for point in own)
            strength = self.strengths[name]
            firmness = np.array([firm * strength])
            out.append(Footplant(self.legs[name], (by * strength)[None], firmness, own[0].target if hock else None))
        return out

    def _find_contacts(self, source: Mapping[str, FloatArray], time: float) -> None:
        """Which points rest now, and where the floor is."""
        if self.floor is None:
            lowest = min((float(source[name][1]) for name in self.states), default=0.0)
            # Whoever steps before a stage stands; a floor that is nearly where it should be is there.
            self.floor = 0.0 if abs(lowest) < RESTING_HEIGHT * self.leg else lowest
        for name, state in self.states.items():
            passed = time - state.track[-1][0] if state.track else 0.0
            speed = state.speed(time, source[name]) / self.leg
            above = float(source[name][1]) - self.floor
            most_speed, most_height = (END_SPEED, END_HEIGHT) if state.rests else (RESTING_SPEED, RESTING_HEIGHT)
            rests = speed < most_speed and above < most_height * self.leg
            state.begins, state.rests = rests and not state.rests, rests
            if rests and (above < 0 or speed < RESTING_SPEED):
                self.floor += above * (1 - float(np.exp(-passed / FLOOR)))
            if not state.begins:
                step = passed / (SETTLE if rests else -EASE)
                state.phase = min(max(state.phase + step, 0.0), 1.0)

    def _correction(
        self, motion: WorldMotion, own: Sequence[Point], paths: Mapping[str, FloatArray]
    ) -> tuple[FloatArray, float]:
        """The correction e of one foot ``(3,)``, and how firmly it stands."""
        assert self.floor is not None
        floor, leg = self.floor * float(self.scale[1]), self.leg * float(self.scale[1])
        at = {name: place[0] for name, place in target_paths(motion, own).items()}
        deviations = {name: place - paths[name] for name, place in at.items()}
        heights = {name: float(paths[name][1]) for name in at}
        ground, weight = self._on_the_ground(deviations, heights, leg)
        # Upwards D is 0; near the floor a foot that does not stand is as high as the source's.
        up, total, free = 0.0, 0.0, 1.0
        for name in at:
            state = self.states[name]
            if state.begins:
                # Where it comes to rest is where it is shown, and would be if the correction held it already.
                state.place = deviations[name][[0, 2]] + ground / max(weight, FAINT)
            near = MOST_NEAR * (1 - smooth_at(((heights[name] - floor) / leg - NEAR) / (FAR - NEAR)))
            near = max(near, min(state.weight, FIRM))
            share = near / (1 - near)
            up -= share * float(deviations[name][1])
            total += share
            free *= 1 - near
        up *= (1 - free) / max(total, 1e-12)
        # No point goes deeper than the source's does.
        deep = (min(heights[name], floor) - (float(place[1]) + up) for name, place in at.items())
        up += max(0.0, *deep)
        return np.array([ground[0], up, ground[1]]), weight

    def _on_the_ground(
        self, deviations: Mapping[str, FloatArray], heights: Mapping[str, float], leg: float
    ) -> tuple[FloatArray, float]:
        """The correction over the ground ``(2,)`` of one foot's contacts, and how much they count."""
        lowest = min(heights.values())
        total, by, most = 0.0, np.zeros(2), 0.0
        for name, deviation in deviations.items():
            state = self.states[name]
            if state.weight <= 0:
                continue
            share = state.weight * float(bearing(np.array(heights[name] - lowest), leg))
            by += share * (state.place - deviation[[0, 2]])
            total += share
            most = max(most, state.weight)
        return (most * by / total, most) if total > 1e-9 else (np.zeros(2), 0.0)
