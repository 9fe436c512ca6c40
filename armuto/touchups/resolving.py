"""Which joints of a character the touch-ups of layers mean, and what their values are there."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import pairwise

import numpy as np

from armuto.body.mirror import mirror_joints, mirrored
from armuto.body.parts import PartBone
from armuto.constraints.limbs import LimbChain, limb_chains
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.ik import SOFT
from armuto.kinematics.vectors import cross
from armuto.retarget.context import RetargetContext
from armuto.touchups.model import Layer, Layers, TouchUp

UP = np.array([0.0, 1.0, 0.0])
HEAD = "head"


@dataclass(frozen=True, eq=False)
class PlacedTouchUp:
    """A touch-up on a joint of a character.

    values, turns: of its keys ``(K, 3)``: metres or radians as :class:`~armuto.touchups.model.Key` has them, and
    radians. chain: what follows where it moves a place. against: the joint in whose axes it does, -1 for the world's;
    stance: how that one is turned in the stance ``(4,)``. limb: of the body plan, empty where it has none.
    """

    layer: Layer
    touchup: TouchUp
    joint: int
    limb: str
    values: FloatArray
    turns: FloatArray
    chain: LimbChain | None = None
    against: int = -1
    stance: FloatArray | None = None

    @property
    def times(self) -> FloatArray:
        return np.array([key.time for key in self.touchup.keys])


def place(
    layers: Layers, context: RetargetContext, is_mirrored: bool = False, across: FloatArray | None = None
) -> tuple[tuple[PlacedTouchUp, ...], tuple[str, ...]]:
    """Active touch-ups in the order of their layers, and a sentence for each that cannot be placed on this character.

    is_mirrored: whether the clip is. across ``(3,)``: the normal of the plane it was mirrored in, in the world.
    """
    found: list[PlacedTouchUp] = []
    lost: list[str] = []
    for layer in layers.active:
        for touchup in layer.touchups:
            swap = layer.mirrored != is_mirrored
            row = _resolve(layer, touchup, context, swap, across)
            if isinstance(row, str):
                lost.append(f"{layer.name}: {row}")
            elif not layer.limbs or (mirrored(row.limb) if swap else row.limb) in layer.limbs:
                found.append(row)
    return tuple(found), tuple(lost)


def _resolve(
    layer: Layer, touchup: TouchUp, context: RetargetContext, swap: bool, across: FloatArray | None
) -> PlacedTouchUp | str:
    joint = joint_of(touchup, context)
    if joint is None:
        consequence = "what it says is kept and does nothing here"
        return f"this character has no {touchup.label} that is paired; {consequence}."
    values = np.array([key.value for key in touchup.keys], dtype=float)
    turns = np.radians([key.turn for key in touchup.keys])
    against = -1
    if touchup.against:
        against = context.first_joints.get(mirrored(touchup.against) if swap else touchup.against, -1)
        if against < 0:
            return f"this character has no {touchup.against} for the {touchup.label} to be moved with; it is kept."
    if touchup.channel == "rotation":
        values = np.radians(values)
    if swap:
        twin = twins(context).get(joint, joint)
        if touchup.channel == "rotation":
            values = anatomical_to_local(
                local_to_anatomical(values, joint, context), twin, context, not is_sided(twin, context)
            )
        else:
            normal = side_of(context) if against >= 0 or across is None else across
            values, turns = reflected(values, normal), -reflected(turns, normal)
        joint = twin
    chain = None
    if touchup.channel == "place":
        chain = chain_to(joint, context)
        if chain is None:
            return f"the {touchup.label} ends no limb that could follow it; it is kept and does nothing here."
    elif touchup.channel == "translation" and joint not in movable(context):
        return f"only the hips and what is above them can be moved, not the {touchup.label}; turn it, or move its end."
    stance = context.fitting.target_pose.rotations[against] if against >= 0 else None
    return PlacedTouchUp(layer, touchup, joint, limb_of(joint, context), values, turns, chain, against, stance)


def joint_of(touchup: TouchUp, context: RetargetContext) -> int | None:
    """The joint that a touch-up means: by its part where it has one, else by its name."""
    if touchup.part:
        joints = joints_of_parts(context).get(touchup.part, ())
        return joints[touchup.number] if touchup.number < len(joints) else None
    return context.fitting.target.index.get(touchup.bone)


@lru_cache(maxsize=32)
def joints_of_parts(context: RetargetContext) -> dict[str, tuple[int, ...]]:
    """The paired joints of every part, from the trunk outwards."""
    out: dict[str, list[int]] = {}
    for joint in sorted(context.mapping):
        out.setdefault(context.mapping[joint].part or "", []).append(joint)
    return {part: tuple(joints) for part, joints in out.items() if part}


def name_of(joint: int, context: RetargetContext) -> tuple[str, int, str]:
    """How a touch-up names a joint: its part and number there where it is paired; and its bone."""
    for part, joints in joints_of_parts(context).items():
        if joint in joints:
            return part, joints.index(joint), context.fitting.target.names[joint]
    return "", 0, context.fitting.target.names[joint]


def limb_of(joint: int, context: RetargetContext) -> str:
    """The limb of a joint, or of the nearest above it that is paired."""
    target, parts = context.fitting.target, context.fitting.plan.by_name
    while joint >= 0:
        driver = context.mapping.get(joint)
        if driver is not None and driver.part in parts:
            return parts[driver.part].limb
        joint = int(target.parents[joint])
    return ""


def movable(context: RetargetContext) -> frozenset[int]:
    """The joints that can be moved against what they hang from: what carries the body, and all above."""
    target = context.fitting.target
    carriers = [*context.carriers, *([] if context.hips is None else [context.hips])] or [0]
    return frozenset({above for joint in carriers for above in (joint, *target.ancestors(joint))})


@lru_cache(maxsize=32)
def _chains(context: RetargetContext) -> dict[int, LimbChain]:
    """By the joint at their end: limbs, and the spine up to the head."""
    out = {chain.joints[-1]: replace(chain, soft=SOFT) for chain in limb_chains(context).values()}
    head = context.first_joints.get(HEAD)
    if head is not None and context.hips is not None and context.hips in context.fitting.target.ancestors(head):
        target, at = context.fitting.target, context.fitting.target_pose.positions
        spine = [joint for joint in target.ancestors(head) if context.hips in target.ancestors(joint)]
        run = [*sorted(spine), head]
        run = [a for a, b in pairwise(run) if np.linalg.norm(at[b] - at[a]) > 1e-6] + [head]
        if len(run) > 1:
            out[head] = LimbChain(HEAD, tuple(run), np.zeros(3))
    return out


def chain_to(joint: int, context: RetargetContext) -> LimbChain | None:
    """The limb that follows when this joint is moved to a place."""
    return _chains(context).get(joint)


@lru_cache(maxsize=32)
def twins(context: RetargetContext) -> dict[int, int]:
    """The joint on the other side for every joint that has one."""
    parts = {
        part: tuple(PartBone(joint, 1.0, "paired") for joint in joints)
        for part, joints in joints_of_parts(context).items()
    }
    return mirror_joints(context.fitting.target, parts)


def is_sided(joint: int, context: RetargetContext) -> bool:
    """Whether a joint belongs to a limb of the left or the right."""
    limb = limb_of(joint, context)
    return mirrored(limb) != limb


def side_of(context: RetargetContext) -> FloatArray:
    """Where the left of the character lies in its stance ``(3,)``."""
    return cross(UP, context.fitting.forward)


def reflected(vectors: FloatArray, normal: FloatArray) -> FloatArray:
    """Vectors ``(K, 3)`` seen in a mirror with this normal."""
    return np.asarray(vectors - 2 * (vectors @ normal)[:, None] * normal)


def local_to_anatomical(values: FloatArray, joint: int, context: RetargetContext) -> FloatArray:
    """Rotation vectors in a joint's own frame as bend, side and twist ``(K, 3)``: about the axes of its joint frame,
    or, where it has none, about those of the body in its stance: its left, ahead and up."""
    axes, reference = _axes(joint, context)
    world = rotation.rotate(np.broadcast_to(reference, (len(values), 4)), values)
    return np.asarray(world @ axes.T)


def anatomical_to_local(
    values: FloatArray, joint: int, context: RetargetContext, other_way: bool = False
) -> FloatArray:
    """The inverse on this joint. other_way: as seen in a mirror, for a joint of the middle; joints of the sides have
    axes that are each other's mirror images already."""
    axes, reference = _axes(joint, context)
    turned = values * np.array([1.0, -1.0, -1.0]) if other_way else values
    back = np.broadcast_to(rotation.inverse(reference), (len(values), 4))
    return rotation.rotate(back, np.ascontiguousarray(turned @ axes))


def _axes(joint: int, context: RetargetContext) -> tuple[FloatArray, FloatArray]:
    """Three axes ``(3, 3)`` in the world of a reference, and how the joint is turned there ``(4,)``."""
    frames = context.fitting.joint_frames
    frame = next((frame for frame in frames.frames if frame.joint == joint), None)
    if frame is not None:
        return _square(frame.axes), frames.reference[joint]
    left = side_of(context)
    sign = -1.0 if mirrored(limb_of(joint, context)).startswith("left") else 1.0
    axes = np.stack([left, sign * context.fitting.forward, sign * UP])
    return axes, context.fitting.target_pose.rotations[joint]


def _square(axes: FloatArray) -> FloatArray:
    """The nearest axes at right angles, of which two keep their handedness (Schönemann 1966)."""
    u, _, v = np.linalg.svd(axes)
    return np.asarray(u @ v)


def heading_across(facing: FloatArray) -> FloatArray:
    """The normal ``(3,)`` of the upright plane along which a body faces."""
    level = cross(UP, facing)
    size = float(np.linalg.norm(level))
    return level / size if size > 1e-6 else np.array([1.0, 0.0, 0.0])
