"""The smallest touch-up that ends a finding: for what clips, goes into the floor, or does not reach.

Each kind has a direction in which it is undone: an arm is turned out about the axis by which it leaves the body
quickest, a foot is raised, the hips go towards a foot that falls short. How far is found by halving (to a tenth of
the unit below), each time with everything measured anew, so that what is proposed is what comes out.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from armuto.constraints import arms
from armuto.constraints.limbs import limb_chains
from armuto.contacts.model import ContactSet
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.vectors import cross
from armuto.kinematics.world_motion import WorldMotion
from armuto.pipeline import RetargetResult, retarget
from armuto.quality.comparison import Comparison, Measurement, compare
from armuto.quality.feet import floor, reach
from armuto.quality.findings import THRESHOLDS, beyond
from armuto.quality.measures import clipping
from armuto.retarget.context import RetargetContext, context_of
from armuto.retarget.fitting import Fitting
from armuto.touchups import Layers, editing, posing
from armuto.touchups.applying import TouchUps

MEASURED: Mapping[str, Callable[[Comparison], Iterator[Measurement]]] = {
    "clipping": clipping,
    "floor": floor,
    "reach": reach,
}
ROUNDS = 6
FURTHEST: Mapping[str, float] = {"clipping": 60.0, "floor": 0.25, "reach": 0.25}  # degrees, metres
UP = np.array([0.0, 1.0, 0.0])
LAYER = "Mended"


@dataclass(frozen=True, eq=False)
class ProposedTouchUp:
    """A change that ends a finding, or leaves least of it.

    joint: of the target. kind: whether it is turned about an axis ``(3,)`` of the world by degrees, or moved along it
    by metres; size: by how many. frames: those in which it is set, first and last. before, after: what is measured,
    in cm.
    """

    joint: int
    kind: Literal["turn", "move"]
    axis: FloatArray
    size: float
    frames: tuple[int, int]
    before: float
    after: float


def propose_touchup(
    clip: Clip,
    fitting: Fitting,
    contacts: ContactSet,
    touchups: TouchUps,
    kind: str,
    part: str,
    frame: int,
) -> ProposedTouchUp | None:
    """The smallest offset over ``touchups`` that ends a finding of a kind and a part at a frame.

    None where the kind has no such offset, or nothing of the kind is measured of the part any more.
    """
    context = context_of(fitting)
    if kind not in MEASURED:
        return None
    done = retarget(clip, fitting, contacts, touchups=touchups)
    whole = WorldMotion.of_clip(done.clip)
    motion = _frame(whole, frame)
    before = _measured(clip, fitting, contacts, done, kind, part)
    way = _way(kind, part, motion, context)
    if before is None or way is None or beyond(before) <= 0:
        return None
    joint, axis, action = way
    frames = max(0, min(before.first, frame)), min(clip.frames - 1, max(before.last, frame))
    enough = THRESHOLDS[kind][0] * 0.5

    def left(size: float) -> float:
        layers = _with(touchups, joint, action, axis, size, frames, whole, context)
        mended = retarget(clip, fitting, contacts, touchups=replace(touchups, layers=layers))
        found = _measured(clip, fitting, contacts, mended, kind, part)
        return 0.0 if found is None else beyond(found)

    low, high = 0.0, FURTHEST[kind]
    best = left(high)
    if best > enough and best > 0.5 * beyond(before):
        return None
    for _ in range(ROUNDS):
        middle = (low + high) / 2
        size = left(middle)
        if size <= max(enough, best + 0.05):
            high, best = middle, min(best, size) if size > enough else size
        else:
            low = middle
    return ProposedTouchUp(joint, action, axis, high, frames, beyond(before), left(high))


def _measured(
    clip: Clip, fitting: Fitting, contacts: ContactSet, done: RetargetResult, kind: str, part: str
) -> Measurement | None:
    """The worst of a kind and a part."""
    compared = compare(clip, done.clip, fitting, contacts, done.trace)
    rows = [row for row in MEASURED[kind](compared) if row.part == part]
    return max(rows, key=beyond, default=None)


def _way(
    kind: str, part: str, motion: WorldMotion, context: RetargetContext
) -> tuple[int, FloatArray, Literal["turn", "move"]] | None:
    """The joint that mends a finding, and the axis about or along which it does."""
    chains = limb_chains(context)
    if kind == "clipping":
        if part not in chains:
            return None
        volume = arms.body_volume(context, {part: chains[part]})
        _, out, place = arms.penetration(motion, volume, part)
        shoulder = chains[part].joints[0]
        axis = cross(place[0] - motion.positions[shoulder, 0], out[0])
        size = float(np.linalg.norm(axis))
        return None if size < 1e-9 else (shoulder, axis / size, "turn")
    chain = next(
        (chain for limb, chain in chains.items() if limb.split()[0] == part.split()[0] and "leg" in limb), None
    )
    if chain is None:
        return None
    if kind == "floor":
        return chain.joints[-1], UP, "move"
    if context.hips is None:
        return None
    offset = motion.positions[chain.joints[-1], 0] - motion.positions[chain.joints[0], 0]
    return context.hips, offset / max(float(np.linalg.norm(offset)), 1e-9), "move"


def _with(
    touchups: TouchUps,
    joint: int,
    kind: Literal["turn", "move"],
    axis: FloatArray,
    size: float,
    frames: tuple[int, int],
    motion: WorldMotion,
    context: RetargetContext,
) -> Layers:
    """Layers with a proposed one on top."""
    name = editing.free_name(touchups.layers, LAYER)
    layers = editing.with_layer(touchups.layers, name, mirrored=touchups.mirrored)
    for frame in sorted(set(frames)):
        time, now = float(touchups.times[frame]), _frame(motion, frame)
        if kind == "turn":
            by = rotation.about(axis, np.radians(size))
            layers = posing.turned(layers, name, joint, context, now, time, 1e-4, by)
        else:
            layers = posing.moved(layers, name, joint, context, now, time, 1e-4, size * axis)
    return layers


def _frame(motion: WorldMotion, frame: int) -> WorldMotion:
    rows = slice(frame, frame + 1)
    return replace(
        motion,
        rotations=motion.rotations[:, rows],
        positions=motion.positions[:, rows],
        numbers=motion.numbers[rows],
        loop=None,
    )
