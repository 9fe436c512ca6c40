"""What a hand does to a figure, as keys of a layer: a joint turned in the world, an end brought to a place."""

from __future__ import annotations

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.world_motion import WorldMotion
from armuto.retarget.context import RetargetContext
from armuto.touchups.applying import over_time, weight_of
from armuto.touchups.editing import channel_of, layer_named, offset_at, refusing, set_key, touchup_on, vector_of
from armuto.touchups.model import Layer, Layers, TouchUp
from armuto.touchups.resolving import joint_of, place

LEAST_WEIGHT = 0.05  # of a layer, from which on a hand on the figure moves it as far as the hand goes


def _weight(layer: Layer, time: float) -> float:
    weight = float(weight_of(layer, np.array([time]))[0])
    return weight if weight >= LEAST_WEIGHT else 1.0


@refusing
def turned(
    layers: Layers,
    name: str,
    joint: int,
    context: RetargetContext,
    motion: WorldMotion,
    time: float,
    near: float,
    by: FloatArray,
) -> Layers:
    """A joint turned by ``by (4,)`` in the world from how it is, by a key at that moment.

    motion: one frame of what the layers make of the clip. A place's end is turned by its own key; any other joint by an
    offset in its own frame: with R as it is and what later layers add, L, the new offset v solves
    R exp(v) L = by · R_now.
    """
    layer = layer_named(layers, name)
    held = next((row for row in layer.touchups if row.channel == "place" and joint_of(row, context) == joint), None)
    weight = _weight(layer, time)
    if held is not None:
        _, now = offset_at(held, time)
        vector = _in_axes(held, context, motion, rotation.vector(by[None]))
        old = rotation.from_vector(np.radians([now]) * weight)
        new = np.degrees(rotation.vector(rotation.multiply(rotation.from_vector(vector), old)))[0] / weight
        return set_key(layers, name, held, time, near, turn=vector_of(new))
    touchup = touchup_on(joint, "rotation", context)
    rows, _ = place(layers, context)
    own = rotation.IDENTITY
    later = rotation.IDENTITY
    passed = False
    for row in rows:
        if row.joint != joint or row.touchup.channel != "rotation":
            continue
        offset = over_time(row, np.array([time]))[0][0, :3] * float(weight_of(row.layer, np.array([time]))[0])
        q = rotation.from_vector(offset[None])[0]
        if row.layer.name == name:
            own, passed = q, True
        elif passed or _is_after(layers, row.layer.name, name):
            later = rotation.multiply(later, q)
    under = rotation.multiply(
        motion.rotations[joint, 0], rotation.inverse(rotation.multiply(own, later))
    )  # R, with everything that turns the joint before
    local = rotation.multiply(rotation.multiply(rotation.inverse(under), by), under)
    new = rotation.multiply(local, own)
    value = np.degrees(rotation.vector(new[None]))[0] / weight
    return set_key(layers, name, touchup, time, near, value=vector_of(value))


def _is_after(layers: Layers, name: str, other: str) -> bool:
    names = [layer.name for layer in layers.layers]
    return names.index(name) > names.index(other)


@refusing
def moved(
    layers: Layers,
    name: str,
    joint: int,
    context: RetargetContext,
    motion: WorldMotion,
    time: float,
    near: float,
    by: FloatArray,
    against: str = "",
) -> Layers:
    """A joint moved by ``by (3,)`` metres in the world from where it is, by a key at that moment. motion: one frame of
    what the layers make of the clip. against: the part whose axes a new touch-up of a place has."""
    layer = layer_named(layers, name)
    channel = channel_of(joint, context)
    same = [row for row in layer.touchups if row.channel == channel and joint_of(row, context) == joint]
    touchup = same[0] if same else touchup_on(joint, channel, context, against if channel == "place" else "")
    weight = _weight(layer, time)
    now = offset_at(touchup, time)[0] if same else (0.0, 0.0, 0.0)
    value = np.array(now) + _in_axes(touchup, context, motion, by[None])[0] / weight
    return set_key(layers, name, touchup, time, near, value=vector_of(value))


def _in_axes(touchup: TouchUp, context: RetargetContext, motion: WorldMotion, vectors: FloatArray) -> FloatArray:
    """World vectors ``(K, 3)`` in the axes that a touch-up of a place is meant in."""
    against = context.first_joints.get(touchup.against, -1) if touchup.against else -1
    if against < 0:
        return vectors
    stance = context.fitting.target_pose.rotations[against]
    axes = rotation.multiply(motion.rotations[against, 0], rotation.inverse(stance))
    return rotation.rotate(rotation.inverse(axes)[None], vectors)
