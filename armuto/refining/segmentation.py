"""Motion segmentation: where a long take falls apart, at rests, at turns, and where walking becomes running.

The hips' way over the ground, smoothed over a stride, has a speed v. With l the length of a leg and g gravity, who is
slower than a tenth of √(g l) stands, and who is faster than √(g l / 2) runs: at a Froude number of a half walking gives
way to running (Alexander, *Optimization and gaits in the locomotion of vertebrates*, Physiol. Rev. 69, 1989). Stretches
of going are parted again where the way turns by more than 60 degrees within a second.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.signals import bridged, lasting, runs
from armuto.refining.foot_locking import footing
from armuto.refining.path import headings, way_of
from armuto.refining.refined import Body

LONG = 8.0  # seconds: a shorter clip is one stretch
SHORTEST = 0.8  # seconds
GRAVITY = 9.81
STANDS, RUNS = 0.1, 0.5**0.5  # of √(g l)
TURNS = 60.0  # degrees within a second


@dataclass(frozen=True)
class Segment:
    """Frames first to last of a clip, and what is done in them: "stands", "goes", "runs"."""

    first: int
    last: int
    what: str


def segments(clip: Clip, body: Body) -> list[Segment]:
    """The stretches of a clip in the order of time; none of one that is short, or does one thing alone."""
    ground = footing(body)
    if clip.seconds < LONG or ground is None:
        return []
    way = way_of(clip, body)
    speed = np.linalg.norm(np.gradient(way, 1 / clip.fps, axis=0), axis=1) / np.sqrt(GRAVITY * ground.probes.leg)
    shortest = SHORTEST * clip.fps
    still = lasting(bridged(speed < STANDS, shortest / 2), shortest)
    quick = lasting(bridged((speed > RUNS) & ~still, shortest / 2), shortest)
    going = ~still & ~quick
    turns = _turning(way, clip.fps) & ~still
    edges = {0, clip.frames}
    for held in (still, quick, going):
        for first, last in runs(held):
            edges |= {first, last + 1}
    for first, last in runs(turns):
        edges.add((first + last) // 2)
    out: list[Segment] = []
    for first, stop in pairwise(sorted(edges)):
        middle = (first + stop) // 2
        what = "stands" if still[middle] else "runs" if quick[middle] else "goes"
        if out and (stop - first < shortest or out[-1].last - out[-1].first + 1 < shortest):
            # What is too short to be anything belongs to what comes before it.
            out[-1] = Segment(out[-1].first, stop - 1, out[-1].what)
        else:
            out.append(Segment(first, stop - 1, what))
    return out if len(out) > 1 else []


def _turning(way: FloatArray, fps: float) -> BoolArray:
    """Where a way turns by more than TURNS within a second, ``(F,)``."""
    heading, half = headings(way, fps), max(1, round(fps / 2))
    later = np.concatenate([heading[half:], np.full(half, heading[-1])])
    earlier = np.concatenate([np.full(half, heading[0]), heading[:-half]])
    return np.asarray(np.abs(later - earlier) > np.radians(TURNS))
