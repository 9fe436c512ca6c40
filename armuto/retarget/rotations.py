"""World rotations of the target from those of the source: rotations alone.

For each paired joint, with world rotations of source S and target T at frame t and in the stance::

    R_T(t) = D(t) · R_T(stance),   D(t) = C · R_S(t) · R_S(stance)⁻¹ · C⁻¹

C turns the source's facing to the target's. A joint driven by two source joints takes the D between theirs. Unpaired
joints keep their stance against their parent.
"""

from __future__ import annotations

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.pose import Pose
from armuto.retarget.context import RetargetContext


def world_rotations(source: Pose, context: RetargetContext) -> FloatArray:
    """World rotations of the target ``(J, F, 4)``, joint first, from the source's world pose."""
    fitting, mapping = context.fitting, context.mapping
    target, stance = fitting.target, fitting.target_pose
    turns = _world_turns(source.rotations, context)
    _along_the_trunk(turns, source, context)
    world = np.empty((len(target), len(source.rotations), 4))
    for joints in target.levels:
        free = np.array([joint for joint in joints if joint not in mapping], np.int64)
        firm = np.array([joint for joint in joints if joint in mapping], np.int64)
        if len(firm):
            world[firm] = rotation.multiply(turns[firm], stance.rotations[firm][:, None])
        if len(free):
            local, above = fitting.target_stance.rotations[free][:, None], target.parents[free]
            world[free] = rotation.multiply(world[above], local) if above[0] >= 0 else local
    return world


def _along_the_trunk(turns: FloatArray, source: Pose, context: RetargetContext) -> None:
    """Let one bone between hips and neck stand for several: the trunk as a whole goes where the source's goes.

    With w(t) where the source's neck lies from its hips, turned as from its stance, the chest is turned by the smallest
    rotation that brings the target's neck into line with it; hips, and its turn about itself, stay as they are. In
    place.
    """
    trunk = _trunk(context)
    if trunk is None:
        return
    (hips, chest, neck), ends = trunk
    fitting = context.fitting
    there = rotation.rotate(fitting.turn, source.positions[:, ends[1]] - source.positions[:, ends[0]])
    rest = rotation.rotate(
        fitting.turn, fitting.source_pose.positions[ends[1]] - fitting.source_pose.positions[ends[0]]
    )
    at = fitting.target_pose.positions
    own = at[neck] - at[hips]
    wanted = rotation.rotate(
        rotation.between_each(np.broadcast_to(rest, there.shape), there), np.broadcast_to(own, there.shape)
    )
    wanted = wanted / np.linalg.norm(wanted, axis=1, keepdims=True)
    foot = rotation.rotate(turns[hips], np.broadcast_to(at[chest] - at[hips], there.shape))
    bone = rotation.rotate(turns[chest], np.broadcast_to(at[neck] - at[chest], there.shape))
    # Where a bone of this length from the chest's place meets the line that is wanted.
    along = np.sum(wanted * foot, axis=1)
    room = along**2 - np.sum(foot**2, axis=1) + np.sum(bone**2, axis=1)
    goal = (along + np.sqrt(np.maximum(room, 0.0)))[:, None] * wanted - foot
    turns[chest] = rotation.multiply(rotation.between_each(bone, goal), turns[chest])


def _trunk(context: RetargetContext) -> tuple[tuple[int, int, int], tuple[int, int]] | None:
    """Hips, chest, neck of a target with one bone for a trunk that the source has several for; the source's hips,
    neck."""
    fitting, first = context.fitting, context.first_drivers
    top = next((name for name in ("neck", "head") if name in first), None)
    if top is None or "hips" not in first or "chest" not in first or "spine" in first:
        return None
    hips, chest, neck = (first[name] for name in ("hips", "chest", top))
    source, target = fitting.source, fitting.target
    run = source.ancestors(chest.source)
    if hips.source not in run or chest.target not in target.ancestors(neck.target) or chest.share > 0:
        return None
    between = [
        joint for joint in run[: run.index(hips.source)] if np.linalg.norm(source.rest_translation[joint]) > 1e-6
    ]
    return ((hips.target, chest.target, neck.target), (hips.source, neck.source)) if between else None


def _world_turns(rotations: FloatArray, context: RetargetContext) -> FloatArray:
    """D(t) of every driven target joint, ``(J, F, 4)``; rows of other joints are unused."""
    fitting, mapping = context.fitting, context.mapping
    stance, turn = fitting.source_pose.rotations, fitting.turn
    back = rotation.multiply(rotation.inverse(stance), rotation.inverse(turn))
    joints, drivers = list(mapping), list(mapping.values())

    def turned(rows: list[int]) -> FloatArray:
        there = np.ascontiguousarray(np.moveaxis(rotations[:, rows], 1, 0))
        return rotation.multiply(rotation.multiply(turn, there), back[rows][:, None])

    out = np.empty((len(fitting.target), len(rotations), 4))
    out[joints] = turned([driver.source for driver in drivers])
    for driver in drivers:
        if driver.among:
            out[driver.target] = rotation.mean(turned(list(driver.among)))
    between = [driver for driver in drivers if driver.share > 0]
    if between:
        rows = [driver.target for driver in between]
        shares = np.array([driver.share for driver in between])[:, None]
        out[rows] = rotation.slerp(out[rows], turned([driver.blend_source for driver in between]), shares)
    return out
