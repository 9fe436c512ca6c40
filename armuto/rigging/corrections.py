"""Weights corrected by hand: a region of the surface follows a bone more or less."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import Skeleton
from armuto.lazy import lazily
from armuto.rigging.components import edges_of, welded
from armuto.rigging.definition import WeightCorrection
from armuto.rigging.landmarks import twin_of
from armuto.rigging.symmetry import MirrorPlane

sparse = lazily("scipy.sparse")
csgraph = lazily("scipy.sparse.csgraph")


@dataclass(frozen=True, eq=False)
class SurfaceGraph:
    """Edges of a surface with their lengths. corners ``(U, 3)``: in metres, one for all points in one place; same
    ``(P,)``: which of them each point is; used: those of triangles; links: a sparse matrix ``(U, U)``."""

    corners: FloatArray
    same: NDArray[np.int64]
    used: NDArray[np.int64]
    links: Any

    @classmethod
    def of(cls, points: FloatArray, faces: NDArray[np.int64]) -> SurfaceGraph:
        """The graph of a mesh ``(P, 3)``, ``(T, 3)``."""
        first, same = welded(points)
        triangles, corners = same[faces], points[first]
        edges = edges_of(triangles)
        length = np.linalg.norm(corners[edges[:, 0]] - corners[edges[:, 1]], axis=1)
        edges, length = edges[length > 0], length[length > 0]
        links = sparse.coo_matrix((length, (edges[:, 0], edges[:, 1])), (len(first), len(first))).tocsr()
        return cls(corners, same, np.unique(triangles), links + links.T)

    def region(self, at: FloatArray, radius: float) -> FloatArray:
        """How much of a correction each point takes ``(P,)``: 1 in its middle, falling smoothly to 0 at its radius,
        which is measured along edges from the corner nearest to a place ``(3,)``."""
        start = self.used[int(np.linalg.norm(self.corners[self.used] - at, axis=1).argmin())]
        reached = csgraph.dijkstra(self.links, indices=start, limit=radius)
        share = np.clip(1 - reached / radius, 0, 1)
        return np.asarray((share * share * (3 - 2 * share))[self.same])


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
    if not corrections:
        return weights
    out, graph = weights.copy(), SurfaceGraph.of(points, faces)
    for row in corrections:
        sides = [(row.bone, np.array(row.at))]
        if row.mirrored:
            sides.append((twin_of(row.bone), plane.mirrored(np.array(row.at))))
        for bone, at in sides:
            joint = skeleton.index.get(bone)
            if joint is not None:
                _add(out, joint, int(skeleton.parents[joint]), row.amount * graph.region(at, row.radius))
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
