"""What a clip could be refined by, with what was measured of it: nothing is done unasked.

Each is measured on what those before it would leave, so that they can be taken together, in their order.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from armuto.body.parts import Assignment
from armuto.errors import BadInput
from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip
from armuto.refining import measures
from armuto.refining.foot_locking import footing, steps_of
from armuto.refining.gaps import Gaps, gaps
from armuto.refining.ground import Ground, lean_of
from armuto.refining.loop import Loop
from armuto.refining.loop_search import LoopCandidate, loop_candidates
from armuto.refining.recipe import Step
from armuto.refining.refined import Body, Refined, body_of
from armuto.refining.smooth import Smooth, tremble
from armuto.refining.spikes import Spikes
from armuto.refining.steady import Steady

SPIKE = np.radians(15.0)  # a frame that is off by less is quick rather than wrong
TREMBLES = (np.radians(0.12), 0.001)  # radians and metres of noise
LEANS, SURE = 0.6, 3.0  # degrees, and so many times as much as the lean may be off
HIGH, DRIFTS, SLIDES, OFF = 1.0, 5.0, 4.0, 3.0  # cm, cm, cm/s, and cm by which holding feet moves a joint
SWIMS = 0.5  # percent
SEAM, COST = 12.0, 0.03  # degrees, and of the body's height: a loop that costs more is none


@dataclass(frozen=True)
class Proposal:
    """A step, and in a sentence why."""

    step: Step
    sentence: str


def propose(clip: Clip, parts: Assignment, first: int = 0) -> list[Proposal]:
    """What a clip could be refined by.

    Parameters
    ----------
    clip : Clip
        The take, or the stretch of it that the clip is.
    parts : Assignment
        What its bones were read as.
    first : int
        The frame of the take with which the stretch begins.
    """
    return propose_after(Refined.of_take(clip, first), parts)


def propose_after(now: Refined, parts: Assignment) -> list[Proposal]:
    """What a clip could be refined by beside what was done to it."""
    body, out = body_of(now.clip.skeleton, parts), []
    for proposed in PROPOSED:
        for found in proposed(now, body):
            out.append(found)
            if not isinstance(found.step, Loop):
                try:
                    now = found.step.refine(now, body)
                except BadInput:
                    out.pop()
    return out


def _spikes(now: Refined, body: Body) -> Iterator[Proposal]:
    mended = Spikes().refine(now, body).clip
    off = rotation.angle_apart(mended.rotations, now.clip.rotations) > SPIKE
    if off.any():
        worst = body.skeleton.names[int(off.sum(axis=0).argmax())]
        count = int(off.sum())
        frames = f"A single frame of {worst} is" if count == 1 else f"{count} single frames, most of {worst}, are"
        yield Proposal(Spikes(), f"{frames} wrong: mend them.")


def _gaps(now: Refined, body: Body) -> Iterator[Proposal]:
    found = gaps(now.clip)
    if found:
        longest = max(gap.last - gap.first + 1 for gap in found)
        single = f"A bone stands still for {longest} frames"
        several = f"Bones stand still in {len(found)} stretches, the longest of {longest} frames,"
        yield Proposal(Gaps(), f"{single if len(found) == 1 else several} while the body moves: bridge them.")


def _smooth(now: Refined, body: Body) -> Iterator[Proposal]:
    turns, ways = tremble(now.clip)
    if turns > TREMBLES[0]:
        yield Proposal(Smooth(), f"It trembles by {np.degrees(turns):.1f}°: smooth it.")
    elif ways > TREMBLES[1]:
        yield Proposal(Smooth(), f"It trembles by {ways * 1000:.0f} mm: smooth it.")


def _ground(now: Refined, body: Body) -> Iterator[Proposal]:
    ground = footing(body)
    if ground is None:
        return
    clip, reasons = now.clip, []
    found = lean_of(clip, ground)
    leans = found is not None and found.lean > LEANS and found.lean > SURE * found.sure
    height = steps_of(clip, ground).floor * 100 if found is not None else 0.0
    if leans and found is not None:
        reasons.append(f"the floor leans by {found.lean:.1f}°")
        height = 0.0  # told once it is level
    if abs(height) > HIGH:
        reasons.append(f"the floor is {abs(height):.1f} cm too {'high' if height > 0 else 'low'}")
    level = leans or abs(height) > HIGH
    try:
        levelled = Ground(level=level, feet=False).refine(now, body)
    except BadInput:
        return
    drifts = measures.drift(levelled.clip, body) or 0.0
    if drifts > DRIFTS:
        reasons.append(f"it drifts by {drifts:.0f} cm while feet rest")
    slides, off = measures.slide(levelled.clip, body) or 0.0, 0.0
    if slides > SLIDES and drifts <= DRIFTS:
        locked = Ground(level=False).refine(levelled, body).clip
        off = float(np.abs(locked.world().positions - levelled.clip.world().positions).max()) * 100
    if off > OFF:
        reasons.append(f"feet slide by {slides:.1f} cm/s while they rest")
    if reasons:
        step = Ground(level=level, drift=drifts > DRIFTS, feet=drifts > DRIFTS or off > OFF)
        sentence = ", and ".join([", ".join(reasons[:-1]), reasons[-1]] if reasons[:-1] else reasons)
        yield Proposal(step, f"{sentence[0].upper()}{sentence[1:]}: put it right.")


def _steady(now: Refined, body: Body) -> Iterator[Proposal]:
    swims = measures.swim(now.clip, body)
    if swims > SWIMS:
        yield Proposal(Steady(), f"Bones change their length by {swims:.1f} %: keep them steady.")


def _loop(now: Refined, body: Body) -> Iterator[Proposal]:
    for found in loops_of(now, body, 1):
        a, b = now.take_frame(found.first), now.take_frame(found.last)
        yield Proposal(
            Loop(first=a, last=b),
            f"It could loop from frame {a:.0f} to {b:.0f}, whose poses are {found.pose:.1f}° apart.",
        )


def loops_of(now: Refined, body: Body, count: int = 5) -> list[LoopCandidate]:
    """Where it could loop without much ado."""
    return [found for found in loop_candidates(now.clip, body, count) if found.pose <= SEAM and found.cost <= COST]


PROPOSED: tuple[Callable[[Refined, Body], Iterator[Proposal]], ...] = (_spikes, _gaps, _smooth, _steady, _ground, _loop)
