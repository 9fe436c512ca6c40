"""The surfaces of props: the nearest place on them, and which way is out there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from armuto.ensembles.model import Shape
from armuto.ensembles.prop_meshes import nearest_on_mesh, triangles_of
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.vectors import lengths


@dataclass(frozen=True, eq=False)
class Surface:
    """Nearest places on shapes. places, normals ``(F, 3)``: the latter out of the prop. distance ``(F,)``: metres from
    there, negative inside."""

    places: FloatArray
    normals: FloatArray
    distance: FloatArray


def nearest(shapes: Sequence[Shape], points: FloatArray, size: float = 1.0) -> Surface:
    """The nearest place on any of the shapes.

    Parameters
    ----------
    shapes : sequence of Shape
    points : array (F, 3)
        In the frame of the prop, in metres.
    size : float
        Times which the prop is larger than its shapes say.

    Returns
    -------
    Surface
        In the frame of the prop.
    """
    rows = [_on_shape(shape, points / size) for shape in shapes]
    distance = np.stack([row.distance for row in rows])
    best = np.argmin(distance, axis=0)
    frames = np.arange(len(points))
    places = np.stack([row.places for row in rows])[best, frames]
    normals = np.stack([row.normals for row in rows])[best, frames]
    return Surface(places * size, normals, distance[best, frames] * size)


def lowest(shapes: Sequence[Shape], rotations: FloatArray, size: float = 1.0) -> FloatArray:
    """How far the lowest place of the shapes is above the prop's origin ``(F,)``, mostly negative, where it is turned
    by rotations ``(F, 4)``."""
    out = np.full(len(rotations), np.inf)
    for shape in shapes:
        turned = rotation.multiply(rotations, turn_of(shape))
        axes = rotation.to_matrix(turned)[:, 1]  # how much of each own axis is up, (F, 3)
        half = np.array(shape.size) / 2
        if shape.kind == "box":
            down = np.abs(axes) @ half
        elif shape.kind == "mesh":
            down = -(axes @ triangles_of(shape).points.T).min(axis=1)
        elif shape.kind == "cylinder":
            down = np.abs(axes[:, 1]) * half[1] + half[0] * np.hypot(axes[:, 0], axes[:, 2])
        else:
            down = np.abs(axes[:, [0, 2]]) @ half[[0, 2]]
        middle = rotation.rotate(rotations, np.broadcast_to(np.array(shape.at), (len(rotations), 3)))[:, 1]
        out = np.minimum(out, middle - down)
    return out * size


def turn_of(shape: Shape) -> FloatArray:
    """How a shape is turned in its prop, a quaternion ``(4,)``."""
    return rotation.from_vector(np.radians(np.array(shape.turn)))


def _on_shape(shape: Shape, points: FloatArray) -> Surface:
    turn, at = turn_of(shape), np.array(shape.at)
    back = np.broadcast_to(rotation.inverse(turn), (len(points), 4))
    local = rotation.rotate(back, points - at)
    half = np.array(shape.size) / 2
    if shape.kind == "box":
        places, normals, distance = _on_box(half, local)
    elif shape.kind == "cylinder":
        places, normals, distance = _on_cylinder(half, local)
    elif shape.kind == "mesh":
        places, normals, distance = nearest_on_mesh(shape, local)
    else:
        places = np.clip(local, [-half[0], 0.0, -half[2]], [half[0], 0.0, half[2]])
        normals = np.broadcast_to([0.0, 1.0, 0.0], local.shape)
        beside = lengths((local - places) * [1.0, 0.0, 1.0])
        distance = np.where(beside > 0, lengths(local - places), local[:, 1])
    turns = np.broadcast_to(turn, (len(points), 4))
    return Surface(at + rotation.rotate(turns, places), rotation.rotate(turns, np.ascontiguousarray(normals)), distance)


def _on_box(half: FloatArray, local: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Quilez, *Distance functions*: outside by what lies beyond each face, inside by the nearest of them."""
    clipped = np.clip(local, -half, half)
    away = local - clipped
    beyond = lengths(away)
    room = half - np.abs(clipped)
    face = np.argmin(room, axis=1)
    frames = np.arange(len(local))
    sign = np.where(local[frames, face] < 0, -1.0, 1.0)
    onto = clipped.copy()
    onto[frames, face] = sign * half[face]
    square = np.zeros_like(local)
    square[frames, face] = sign
    outside = beyond > 1e-9
    places = np.where(outside[:, None], clipped, onto)
    normals = np.where(outside[:, None], away / np.maximum(beyond, 1e-12)[:, None], square)
    return places, normals, np.where(outside, beyond, -room[frames, face])


def _on_cylinder(half: FloatArray, local: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
    """A cylinder is a box in the plane through its axis and the point."""
    around = np.hypot(local[:, 0], local[:, 2])
    safe = np.maximum(around, 1e-12)
    out = np.stack([local[:, 0] / safe, np.zeros(len(local)), local[:, 2] / safe], axis=1)
    out[around < 1e-12] = [1.0, 0.0, 0.0]
    flat = np.stack([around, local[:, 1], np.zeros(len(local))], axis=1)
    places, normals, distance = _on_box(np.array([half[0], half[1], np.inf]), flat)
    upright = np.array([0.0, 1.0, 0.0])
    return (
        places[:, :1] * out + places[:, 1:2] * upright,
        normals[:, :1] * out + normals[:, 1:2] * upright,
        distance,
    )
