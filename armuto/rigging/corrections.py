"""Weights corrected by hand: a region of the surface follows a bone more or less."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import Skeleton
from armuto.lazy import lazily
from armuto.rigging.components import welded
from armuto.rigging.definition import WeightCorrection
from armuto.rigging.landmarks import twin_of
from armuto.rigging.symmetry import MirrorPlane

sparse = lazily("scipy.sparse")
csgraph = lazily("scipy.sparse.csgraph")


def region_of(points: FloatArray, faces: NDArray[np.int64], at: FloatArray, radius: float) -> FloatArray:
    """How much of a correction each point takes ``(P,)``: 1 in its middle, falling smoothly to 0 at its radius, which
    is measured along the edges of the surface from the point nearest to at."""
    first, same = welded(points)
    corners = same[faces]
    edges = np.concatenate([corners[:, [0, 1]], corners[:, [1, 2]], corners[:, [2, 0]]])
    far = np.linalg.norm(points[first[edges[:, 0]]] - points[first[edges[:, 1]]], axis=1)
    near = (far > 0) & (np.linalg.norm(points[first[edges[:, 0]]] - at, axis=1) < radius + far)
    link = sparse.coo_matrix((far[near], (edges[near, 0], edges[near, 1])), (len(first), len(first))).tocsr()
    # An edge that two triangles share is listed twice, and is as long as once.
    link = link.maximum(link.T)
    used = np.unique(corners)
    start = used[int(np.linalg.norm(points[first[used]] - at, axis=1).argmin())]
    reached = csgraph.dijkstra(link, directed=False, indices=start, limit=radius)
    share = np.clip(1 - reached / radius, 0, 1)
    return np.asarray((share * share * (3 - 2 * share))[same])


def corrected(
    weights: FloatArray,
    points: FloatArray,
    faces: NDArray[np.int64],
    skeleton: Skeleton,
    corrections: Sequence[WeightCorrection],
    plane: MirrorPlane,
) -> FloatArray:
    """Weights ``(P, J)`` with corrections, in their order. One for a bone that the skeleton has not is passed over:
    it comes back with the bone."""
    out = weights.copy()
    for row in corrections:
        sides = [(row.bone, np.array(row.at))]
        if row.mirrored:
            sides.append((twin_of(row.bone), plane.mirrored(np.array(row.at))))
        for bone, at in sides:
            joint = skeleton.index.get(bone)
            if joint is not None:
                _add(out, joint, int(skeleton.parents[joint]), row.amount * region_of(points, faces, at, row.radius))
    return out


def _add(weights: FloatArray, joint: int, parent: int, amount: FloatArray) -> None:
    """Give a joint more or less of points, and the others what is left in their proportions; where there are none, what
    a joint loses goes to its parent."""
    rows = np.flatnonzero(amount)
    before = weights[rows, joint]
    now = np.clip(before + amount[rows], 0, 1)
    others = 1 - before
    alone = others < 1e-6
    scale = np.where(alone, 0.0, (1 - now) / np.maximum(others, 1e-6))
    weights[rows] *= scale[:, None]
    weights[rows, joint] = now
    heir = parent if parent >= 0 else joint
    weights[rows[alone], heir] += (1 - now)[alone] if heir != joint else 0.0
    if heir == joint:
        weights[rows[alone], joint] = 1.0
