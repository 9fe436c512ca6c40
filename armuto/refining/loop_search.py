"""Where a clip could loop: pairs of frames between which pose, velocity, contacts and heading change least.

Poses are compared as places of joints about the hips, turned about up to where the hips face, so that travel does not
count (the distance of Kovar, Gleicher and Pighin, *Motion graphs*, SIGGRAPH 2002, with velocities beside it).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.lazy import lazily
from armuto.refining.foot_locking import footing, steps_of
from armuto.refining.refined import Body
from armuto.refining.rigid import GROUND, UP

distance = lazily("scipy.spatial.distance")

SHORTEST = 0.35  # seconds
MOST = 600  # frames that are compared with one another; longer clips are looked at every so many frames, then nearby
AHEAD = 0.15  # seconds by which a difference in velocity counts as one in place
PER_CONTACT = 0.01  # of the body's height, that a foot which rests at the one end alone counts
PER_TURN = 0.03  # of the body's height, that a quarter turn between both ends counts
MOVES = 4.0  # so many times as far as its ends are apart a loop goes from its first pose


@dataclass(frozen=True)
class LoopCandidate:
    """first, last: frames of the clip. What changes from the one to the other: pose in degrees, of the joint that
    turns most, and in centimetres in the mean of all joints; velocity in cm/s; feet: how many rest at one end alone;
    heading in degrees. cost: all together, for the order."""

    first: int
    last: int
    pose: float
    apart: float
    velocity: float
    feet: int
    heading: float
    cost: float


def loop_candidates(clip: Clip, body: Body, count: int = 5) -> list[LoopCandidate]:
    """The best pairs of frames, none near to a better one; none where nothing repeats itself."""
    shortest = max(4, round(SHORTEST * clip.fps))
    if clip.frames <= shortest + 2:
        return []
    places, velocity, heading, resting = found = (*_features(clip, body), _resting(clip, body))
    size = float(np.ptp(body.skeleton.rest.positions, axis=0).max()) or 1.0
    step = max(1, -(-clip.frames // MOST))
    rows = np.arange(0, clip.frames, step)
    pose = _distances(places[rows])
    cost = pose + AHEAD * _distances(velocity[rows])
    cost += PER_CONTACT * size * distance.cdist(resting[rows], resting[rows], "cityblock")
    turned = np.abs(np.angle(np.exp(1j * (heading[rows][:, None] - heading[rows][None]))))
    cost += PER_TURN * size * turned / (np.pi / 2)
    spans = rows[None] - rows[:, None]
    farthest = np.maximum.accumulate(np.triu(pose), axis=1)
    cost[(spans < shortest) | (farthest < MOVES * pose) | (farthest < 0.02 * size)] = np.inf
    out: list[LoopCandidate] = []
    near = max(2, round(0.1 * clip.fps / step))
    while len(out) < count:
        a, b = np.unravel_index(int(np.argmin(cost)), cost.shape)
        if not np.isfinite(cost[a, b]):
            break
        out.append(_measured(clip, body, found, int(rows[a]), int(rows[b]), float(cost[a, b]) / size))
        # What begins a little later and ends a little later is the same loop.
        length = spans[a, b]
        cost[(np.abs(spans - length) <= near * step) & (np.abs(rows - rows[a])[:, None] <= length)] = np.inf
    return out


def _features(clip: Clip, body: Body) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Places and velocities of the joints about the hips as these face, ``(F, J · 3)`` in metres over the root of J;
    and the heading ``(F,)`` in radians."""
    world = clip.world()
    hips = world.positions[:, body.hips]
    turns = rotation.multiply(world.rotations[:, body.hips], rotation.inverse(world.rotations[0, body.hips]))
    _, facing = rotation.swing_and_twist(turns, UP)
    back = rotation.inverse(facing)[:, None]
    relative = rotation.rotate(back, world.positions - (hips * GROUND)[:, None])
    moving = rotation.rotate(back, np.gradient(world.positions, 1 / clip.fps, axis=0))
    heading = 2 * np.arctan2(facing[:, 1], facing[:, 3])
    scale = 1 / np.sqrt(len(body.skeleton))
    return relative.reshape(clip.frames, -1) * scale, moving.reshape(clip.frames, -1) * scale, heading


def _distances(rows: FloatArray) -> FloatArray:
    return np.asarray(distance.cdist(rows, rows))


def _resting(clip: Clip, body: Body) -> FloatArray:
    """Which heels and toes rest, ``(F, P)``: 1 or 0."""
    ground = footing(body)
    if ground is None:
        return np.zeros((clip.frames, 1))
    names = [point.name for point in ground.points]
    out = np.zeros((clip.frames, len(names)))
    for contact in steps_of(clip, ground).contacts:
        out[contact.first : contact.last + 1, names.index(contact.point)] = 1.0
    return out


def _measured(
    clip: Clip, body: Body, found: tuple[FloatArray, ...], first: int, last: int, cost: float
) -> LoopCandidate:
    places, velocity, heading, resting = found
    turn = rotation.angle_apart(clip.rotations[first], clip.rotations[last])
    turn[list(body.carried)] = 0.0  # the body's own heading is carried on
    angle = np.angle(np.exp(1j * (heading[last] - heading[first])))
    return LoopCandidate(
        first,
        last,
        float(np.degrees(turn.max())),
        float(np.linalg.norm(places[last] - places[first])) * 100,
        float(np.linalg.norm(velocity[last] - velocity[first])) * 100,
        int(np.abs(resting[last] - resting[first]).sum()),
        float(np.degrees(angle)),
        cost,
    )
