"""How thick a body is: a capsule for every bone that carries skin, estimated from its mesh, and how deep points lie in
them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import Skeleton
from armuto.kinematics.statistics import percentile
from armuto.kinematics.vectors import lengths

OWN = 0.5  # share of a vertex's weight from which on it is the bone's own
FEWEST = 8
THICK = 60  # of a hundred of a bone's vertices lie within its capsule's radius


@dataclass(frozen=True)
class Capsule:
    """From start to end ``(3,)`` in the frame of its joint, with a radius; all in metres."""

    start: FloatArray
    end: FloatArray
    radius: float

    def to_json(self) -> list[float]:
        return [round(float(v), 5) for v in (*self.start, *self.end, self.radius)]


Capsules = Mapping[int, Capsule]


def from_json(table: Any, skeleton: Skeleton) -> dict[int, Capsule]:
    """Capsules by bone name as numbers; those of bones the skeleton does not have are passed over."""
    out = {}
    for name, row in table.items():
        values = np.array(row, float)
        if values.shape != (7,) or not np.isfinite(values).all():
            raise ValueError("a capsule needs seven numbers")
        if name in skeleton.index:
            out[skeleton.index[name]] = Capsule(values[:3], values[3:6], float(values[6]))
    return out


def to_json(capsules: Capsules, skeleton: Skeleton) -> dict[str, list[float]]:
    return {skeleton.names[joint]: capsule.to_json() for joint, capsule in sorted(capsules.items())}


def estimate(skeleton: Skeleton, points: FloatArray, weights: FloatArray) -> dict[int, Capsule]:
    """Capsules from the skin: points ``(V, 3)`` at rest in metres, weights ``(V, J)`` by joint of the skeleton.

    A bone's capsule lies along it, through the middle of the vertices that are its own, as thick as THICK of a hundred
    of them are away; bones with fewer than FEWEST get none.
    """
    rest = skeleton.rest
    total = np.maximum(weights.sum(axis=1), 1e-9)
    owner = np.where(weights.max(axis=1, initial=0.0) >= OWN * total, weights.argmax(axis=1), -1)
    out = {}
    for joint in range(len(skeleton)):
        own = points[owner == joint]
        if len(own) < FEWEST:
            continue
        local = rotation.rotate(rotation.inverse(rest.rotations[joint]), own - rest.positions[joint])
        along = _along(skeleton, joint, local, owner)
        length = float(np.linalg.norm(along))
        if length < 1e-5:
            continue
        axis = along / length
        off = local - (local @ axis)[:, None] * axis
        middle = (off.max(axis=0) + off.min(axis=0)) / 2
        radius = percentile(lengths(off - middle), THICK)
        reach = local @ axis
        low, high = float(reach.min()) + radius, float(reach.max()) - radius
        if low > high:
            low = high = (low + high) / 2
        out[joint] = Capsule(middle + low * axis, middle + high * axis, radius)
    return out


def _along(skeleton: Skeleton, joint: int, local: FloatArray, owner: FloatArray) -> FloatArray:
    """Where a bone leads: to the child that owns most vertices, else to the farthest of its own."""
    children = [child for child in skeleton.children[joint] if np.linalg.norm(skeleton.rest_translation[child]) > 1e-5]
    if children:
        counts = [int((owner == child).sum()) for child in children]
        if max(counts) > 0:
            return np.asarray(skeleton.rest_translation[children[int(np.argmax(counts))]])
        return np.asarray(np.mean(skeleton.rest_translation[children], axis=0))
    return np.asarray(local[np.argmax(np.linalg.norm(local, axis=1))])


def deepest(
    points: FloatArray, radii: FloatArray, starts: FloatArray, ends: FloatArray, thick: Sequence[float]
) -> tuple[FloatArray, FloatArray, FloatArray]:
    """How deep balls lie in capsules at most, which way is out there, and where the deepest ball is.

    points: ``(P, F, 3)`` with radii ``(P,)``; starts, ends: ``(C, F, 3)``. Returns depth ``(F,)`` in metres, negative
    outside, the way out ``(F, 3)``, a unit vector, and the place ``(F, 3)``.
    """
    balls, lines = points.swapaxes(0, 1), (starts.swapaxes(0, 1), ends.swapaxes(0, 1))
    depth, way, place = rotation.kernels.deepest(balls, radii, *lines, np.asarray(thick, dtype=float))
    return depth, way, place
