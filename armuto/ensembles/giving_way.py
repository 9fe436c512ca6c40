"""Bodies that give way: how far they come nearer, crouch and lean for their limbs to reach what they meet."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise

import numpy as np

from armuto.constraints.displacement import BodyDisplacement, trunk_joints
from armuto.constraints.limbs import full_length
from armuto.ensembles.casting import Actor
from armuto.ensembles.constraints import Side
from armuto.kinematics import rotation
from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.kinematics.curves import moving_average, smooth
from armuto.kinematics.signals import runs
from armuto.kinematics.vectors import lengths
from armuto.lazy import lazily

ndimage = lazily("scipy.ndimage")

SPARE = 0.06  # of a limb's length that is left when bodies have come near enough
STRAIGHT = 0.985  # of its length up to which a limb is stretched that the transfer alone stretches as far
SHORTEST_REACH = 0.4  # of a limb's length: nearer to its root than this, a body steps back
COSTS = np.array([1.0, 4.0, 1.0, 0.35, 0.35, 0.35])  # of a metre along X, Y, Z, and of a radian of leaning
DAMPING = 0.02
MOST_LEAN, MOST_CROUCH = np.radians(60.0), 0.45  # radians; of the hips' height
STAY = 2.0  # seconds before the first and after the last meeting that a body stays where it has come to
LEANING = 1.4  # seconds in which it leans or crouches, and stands up again
WAY_BACK, PACE = 1.0, 0.25  # seconds at least, and metres per second at most, in which it goes back


class BodyState:
    """What a performer gives way by: shift and lean ``(F, 6)``, on the stage."""

    def __init__(self, actor: Actor) -> None:
        self.actor = actor
        motion = actor.motion
        self.by = np.zeros((motion.frames, 6))
        self.before = np.concatenate([actor.displacement.shift, actor.displacement.lean], axis=1)
        trunk = trunk_joints(actor.context)
        hips = actor.context.hips if actor.context.hips is not None else 0
        self.base = motion.positions[trunk[0] if trunk else hips]
        self.trunk = set(motion.below(trunk[0])) if trunk else set()
        self.leg = float(actor.context.standing[1][hips][1])

    def at(self, positions: FloatArray, joint: int) -> FloatArray:
        """Where a place that goes along with a joint comes to be."""
        if joint in self.trunk:
            positions = self.base + rotation.rotate(rotation.from_vector(self.by[:, 3:]), positions - self.base)
        return np.asarray(positions + self.by[:, :3])

    def give(self, own: Sequence[tuple[SidePlace, FloatArray]]) -> bool:
        """A step towards what is to be met ``(F, 3)`` by each of the places; whether any was needed."""
        frames = len(self.by)
        left, right = np.zeros((frames, 6, 6)), np.zeros((frames, 6))
        needed, rises = False, np.zeros(frames, bool)
        for place, goal in own:
            missing = place.side.weight[:, None] * place.missing(goal)
            if not np.any(lengths(missing) > 1e-5):
                continue
            needed = True
            jacobian = np.zeros((frames, 3, 6))
            jacobian[:, range(3), range(3)] = 1.0
            if place.root in self.trunk:
                jacobian[:, :, 3:] = -skew(place.root_at() - self.by[:, :3] - self.base)
            weight = place.side.weight[:, None, None]
            left += weight * np.einsum("fki,fkj->fij", jacobian, jacobian)
            right += np.einsum("fki,fk->fi", jacobian, missing)
            if place.root not in self.trunk:
                rises |= place.side.weight > 0
        if not needed:
            return False
        left[:, range(6), range(6)] += DAMPING * COSTS + 1e-9
        self.by += np.linalg.solve(left, right[..., None])[..., 0]
        whole = self.before + self.by
        lowest = -MOST_CROUCH * self.leg
        whole[:, 1] = np.where(rises, whole[:, 1], np.clip(whole[:, 1], lowest, np.maximum(self.before[:, 1], 0.0)))
        whole[:, 3:] *= np.minimum(1.0, MOST_LEAN / np.maximum(lengths(whole[:, 3:]), 1e-9))[:, None]
        self.by = whole - self.before
        return True


class SidePlace:
    """A side of a meeting while everything gives way."""

    def __init__(self, side: Side, actor: Actor, state: BodyState) -> None:
        self.side, self.state = side, state
        motion = actor.motion
        self.site = side.place(actor)
        chain = side.chain
        self.joint = actor.surfaces[side.part].joint
        self.root = self.joint if chain is None else chain.joints[0]
        self.root_place = motion.positions[self.root]
        self.longest = self.shortest = np.zeros(motion.frames)
        if chain is not None:
            now = lengths(motion.positions[chain.joints[-1]] - self.root_place)
            full = full_length(motion, chain)
            self.end = motion.positions[chain.joints[-1]]
            self.longest = np.maximum(np.minimum(now, STRAIGHT * full), (1 - SPARE) * full)
            self.shortest = np.minimum(now, SHORTEST_REACH * full)

    def ease(self, goal: FloatArray) -> None:
        """Let the limb fall short of a goal ``(F, 3)`` as far as the meeting does not count yet, or no longer."""
        if self.side.chain is None:
            return
        far, free = lengths(goal + (self.end - self.site) - self.root_at()), 1 - self.side.weight
        self.longest = self.longest + free * np.maximum(far - self.longest, 0.0)
        self.shortest = self.shortest - free * np.maximum(self.shortest - far, 0.0)

    def root_at(self) -> FloatArray:
        return self.state.at(self.root_place, self.root)

    def at(self) -> FloatArray:
        """Where the place is by now, the limb as it is."""
        return self.state.at(self.site, self.joint)

    def missing(self, goal: FloatArray) -> FloatArray:
        """By how much the body has to move ``(F, 3)`` for the place to get to its goal."""
        if self.side.chain is None:
            return goal - self.at()
        offset = goal + (self.end - self.site) - self.root_at()
        far = lengths(offset)
        over = np.maximum(far - self.longest, 0.0) - np.maximum(self.shortest - far, 0.0)
        return np.asarray(offset * (over / np.maximum(far, 1e-9))[:, None])

    def within_reach(self, now: FloatArray | None, offset: FloatArray) -> FloatArray:
        """The nearest to a point ``(F, 3)`` that can be had, where ``offset`` leads from the place to it: to the one
        that is there by now, or to the one that the limb as it is would have."""
        if self.side.chain is None or now is None:
            return np.asarray(self.at() + offset)
        return np.asarray(now - self.missing(now - offset))


def skew(v: FloatArray) -> FloatArray:
    out = np.zeros((len(v), 3, 3))
    out[:, 0, 1], out[:, 0, 2] = -v[:, 2], v[:, 1]
    out[:, 1, 0], out[:, 1, 2] = v[:, 2], -v[:, 0]
    out[:, 2, 0], out[:, 2, 1] = -v[:, 1], v[:, 0]
    return out


def displacement_over_time(state: BodyState, active: BoolArray, width: float, fps: float) -> BodyDisplacement:
    """What a body gives way by, as it goes on between meetings and beyond them, smoothed: over the ground it stays
    where it has come to for a while, and it stands up again at once."""
    by, frames = state.by, len(state.by)
    if not active.any() or not np.any(np.abs(by) > 1e-7):
        return BodyDisplacement.none(frames)
    back = max(WAY_BACK, float(lengths(by[:, :3] * [1.0, 0.0, 1.0])[active].max()) / PACE) * fps
    # A little longer than it is needed, so that smoothing takes nothing of it.
    by, active = _held_longer(by, active, round(width * fps))
    curve = _extended(by, active, LEANING * fps, 0.0)
    curve[:, [0, 2]] = _extended(by[:, [0, 2]], active, back, STAY * fps)
    curve = _smoothed(curve, round(width * fps))
    return replace(BodyDisplacement.none(frames), shift=curve[:, :3], lean=curve[:, 3:])


def _smoothed(curve: FloatArray, width: int) -> FloatArray:
    """Shift and lean ``(F, 6)`` smoothed over so many frames on either side: crouching as deep as it was at its
    deepest, which lasts longer for that, so that what was within reach still is."""
    out = moving_average(curve, width)
    if width < 1:
        return out
    span = 2 * width + 1
    deep = ndimage.minimum_filter1d(np.minimum(curve[:, 1], 0.0), span, mode="nearest")
    high = ndimage.maximum_filter1d(np.maximum(curve[:, 1], 0.0), span, mode="nearest")
    out[:, 1] = moving_average((deep + high)[:, None], width)[:, 0]
    return out


def _held_longer(by: FloatArray, active: BoolArray, more: int) -> tuple[FloatArray, BoolArray]:
    """Values ``(F, N)`` and where they count ``(F,)``, gone on for so many frames where nothing else follows soon."""
    by, active = by.copy(), active.copy()
    stretches = runs(active)
    ends = [-10 * more - 1, *(last for _, last in stretches)]
    starts = [*(first for first, _ in stretches), len(active) + 10 * more]
    for (first, last), before, after in zip(stretches, ends[:-1], starts[1:], strict=True):
        if first - before > 4 * more:
            frames = slice(max(first - more, 0), first)
            by[frames], active[frames] = by[first], True
        if after - last > 4 * more:
            frames = slice(last + 1, last + 1 + more)
            by[frames], active[frames] = by[last], True
    return by, active


def _extended(by: FloatArray, active: BoolArray, ease: float, stay: float) -> FloatArray:
    """Values ``(F, N)`` of active frames, gone on before, between and after them: to nothing over so many frames, or as
    they are where the clip ends within these and ``stay`` more; between two stretches that are near, from the one to
    the next."""
    frames = len(by)
    out = np.where(active[:, None], by, 0.0)
    numbers = np.arange(frames, dtype=float)
    stretches = runs(active)
    first, last = stretches[0][0], stretches[-1][1]
    keeps = stay > 0 and first <= stay + ease
    out[:first] = by[first] * (1.0 if keeps else smooth(1 + (numbers[:first] - first) / ease)[:, None])
    keeps = stay > 0 and frames - 1 - last <= stay + ease
    out[last + 1 :] = by[last] * (1.0 if keeps else smooth(1 + (last - numbers[last + 1 :]) / ease)[:, None])
    for (_, end), (start, _) in pairwise(stretches):
        between = numbers[end + 1 : start]
        if start - end <= 2 * ease:
            share = smooth((between - end) / (start - end))[:, None]
            out[end + 1 : start] = by[end] + share * (by[start] - by[end])
        else:
            down, up = smooth(1 + (end - between) / ease), smooth(1 + (between - start) / ease)
            out[end + 1 : start] = down[:, None] * by[end] + up[:, None] * by[start]
    return out
