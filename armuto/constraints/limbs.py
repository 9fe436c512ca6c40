"""The limbs of the target that reach for something: which joints they turn at, and which way they bend when
straight."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from types import MappingProxyType

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.kinematics.ik import SOFT, fabrik, two_bones
from armuto.kinematics.vectors import cross, lengths
from armuto.kinematics.world_motion import WorldMotion
from armuto.retarget.context import RetargetContext

HINGE = ("upper leg", "upper arm", "upper wing")
SOFT_ARM = 0.1
ENDS = ("foot", "hand", "wing hand")


@dataclass(frozen=True)
class LimbChain:
    """name: of the plan's limb. joints: of the target, from the one it swings at to its end; two bones where there are
    three.

    hinge ``(3,)``: the axis it bends about, in the frame of its first joint. soft: share of
    its length over which it stretches ever more slowly; arms need not reach to the last millimetre.
    """

    name: str
    joints: tuple[int, ...]
    hinge: FloatArray
    soft: float = SOFT


@lru_cache(maxsize=32)
def limb_chains(context: RetargetContext) -> Mapping[str, LimbChain]:
    """Legs, arms and wings that are paired from the joint they swing at to their foot or hand."""
    fitting, first = context.fitting, context.first_drivers
    out: dict[str, LimbChain] = {}
    pose = fitting.target_pose
    for name, parts in fitting.plan.limbs.items():
        kinds = [part.kind for part in parts]
        top = next((n for n, kind in enumerate(kinds) if kind.endswith(HINGE)), None)
        end = next((n for n, kind in enumerate(kinds) if kind.endswith(ENDS)), None)
        if top is None or end is None or end - top < 2:
            continue
        run = [first.get(part.name) for part in parts[top : end + 1]]
        if run[0] is None or run[-1] is None:
            continue
        chain = [driver for driver in run if driver is not None]
        joints = tuple(driver.target for driver in chain)
        if len(joints) < 3 or any(a not in fitting.target.ancestors(b) for a, b in pairwise(joints)):
            continue
        at = pose.positions[list(joints)]
        if np.any(np.linalg.norm(np.diff(at, axis=0), axis=1) < 1e-6):
            continue
        way = _bends_to(at, kinds[top], fitting.forward)
        hinge = rotation.rotate(rotation.inverse(pose.rotations[joints[0]]), way)
        soft = SOFT if kinds[top].endswith("leg") else SOFT_ARM
        out[name] = LimbChain(name, joints, hinge, soft)
    return MappingProxyType(out)


def _bends_to(at: FloatArray, kind: str, forward: FloatArray) -> FloatArray:
    """The axis a limb bends about in its stance; where that shows none, its kind's: knees go ahead, elbows back."""
    upper, lower = at[1] - at[0], at[2] - at[1]
    normal = cross(upper, lower)
    if np.linalg.norm(normal) > 0.05 * np.linalg.norm(upper) * np.linalg.norm(lower):
        return np.asarray(normal / np.linalg.norm(normal))
    way = forward if kind.endswith("leg") and not kind.startswith("front") else -forward
    normal = cross(way, upper)
    if np.linalg.norm(normal) < 1e-6:
        normal = cross(way, np.array([0.0, -1.0, 0.0]))
    return np.asarray(normal / np.linalg.norm(normal))


def reach(motion: WorldMotion, limb: LimbChain, goal: FloatArray, frames: BoolArray, swivel: float = 0.0) -> None:
    """Bring the limb's end to ``goal (F, 3)`` in these frames, a mask ``(F,)``; what the end carries keeps its
    rotation."""
    if not np.any(frames):
        return
    chain = limb.joints
    at = [motion.positions[joint][frames] for joint in chain]
    if len(chain) == 3:
        hinge = rotation.rotate(motion.rotations[chain[0]][frames], np.broadcast_to(limb.hinge, at[0].shape))
        turns = list(two_bones(at[0], at[1], at[2], goal[frames], hinge, swivel, limb.soft))
    else:
        made = fabrik(at, goal[frames])
        turns = turns_between(at, made)
    turn_chain(motion, chain, turns, frames)


def turns_between(old: list[FloatArray], new: list[FloatArray]) -> list[FloatArray]:
    """The smallest world turns of the bones of a chain that bring its joints from their old places to new ones."""
    bones = zip(pairwise(old), pairwise(new), strict=True)
    return [rotation.between_each(b - a, d - c) for (a, b), (c, d) in bones]


def turn_chain(motion: WorldMotion, chain: tuple[int, ...], turns: list[FloatArray], frames: BoolArray) -> None:
    """Turn the bones of a chain in the world, each with what it carries up to the next, and move what hangs from them
    along."""
    place = motion.positions[chain[0]][frames]
    for (joint, outer), q in zip(pairwise(chain), turns, strict=True):
        old = motion.positions[joint][frames]
        onward = place + rotation.rotate(q, motion.positions[outer][frames] - old)
        for carried in motion.between(joint, outer):
            motion.rotations[carried][frames] = rotation.multiply(q, motion.rotations[carried][frames])
            motion.positions[carried][frames] = place + rotation.rotate(q, motion.positions[carried][frames] - old)
        place = onward
    by = place - motion.positions[chain[-1]][frames]
    for carried in motion.below(chain[-1]):
        motion.positions[carried][frames] += by


def full_length(motion: WorldMotion, limb: LimbChain) -> FloatArray:
    """Length of the limb when it is straight, ``(F,)``."""
    at = [motion.positions[joint] for joint in limb.joints]
    return np.asarray(np.sum([lengths(b - a) for a, b in pairwise(at)], axis=0))
