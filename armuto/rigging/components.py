"""The pieces of which a mesh is made: what hangs together, and what goes along with one bone as a whole."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from armuto.kinematics.arrays import FloatArray
from armuto.lazy import lazily

sparse = lazily("scipy.sparse")
csgraph = lazily("scipy.sparse.csgraph")

WELDED = 1e-6  # of the longest side: corners that are no farther apart are one
SMALLEST = 3  # points of a piece: fewer make no triangle
OWN = 0.95  # of a piece's points that follow one bone more than any other, from which on it is proposed to be rigid


def welded(points: FloatArray) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Corners in one place as one: the first of each ``(U,)``, and which of these each point is ``(P,)``. Surfaces are
    cut where their texture is."""
    size = max(float(np.ptp(points, axis=0).max()), 1e-12)
    cells = np.round(points / (WELDED * size)).astype(np.int64)
    if len(cells):
        cells -= cells.min(axis=0)
    _, first, same = np.unique(row_keys(cells), return_index=True, return_inverse=True)
    return first, same


def row_keys(rows: NDArray[np.int64]) -> NDArray[np.int64]:
    """A number for each row ``(N, K)`` of numbers from 0 on, in the order of the rows and alike for rows that are
    alike: many times as fast to sort. Their ranges multiplied have to stay below 2⁶³."""
    keys = np.zeros(len(rows), np.int64)
    for column in rows.T:
        keys = keys * (int(column.max(initial=0)) + 1) + column
    return keys


def edges_of(faces: NDArray[np.int64]) -> NDArray[np.int64]:
    """Edges ``(E, 2)`` of triangles ``(T, 3)``, each once, however many share it."""
    edges = np.sort(np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]]), axis=1)
    _, first = np.unique(row_keys(edges), return_index=True)
    return np.asarray(edges[first])


def components_of(points: FloatArray, faces: NDArray[np.int64]) -> NDArray[np.int64]:
    """Which piece each point belongs to ``(P,)``, counted from 0 by size, largest first: pieces share no corner. A
    point without a triangle is a piece of its own."""
    first, same = welded(points)
    edges = same[np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]]])]
    link = sparse.coo_matrix((np.ones(len(edges), bool), (edges[:, 0], edges[:, 1])), (len(first), len(first)))
    _, labels = csgraph.connected_components(link, directed=False)
    labels = labels[same]
    counts = np.bincount(labels)
    rank = np.empty(len(counts), np.int64)
    rank[np.argsort(-counts, kind="stable")] = np.arange(len(counts))
    return np.asarray(rank[labels])


def rigid_joints(components: NDArray[np.int64], weights: FloatArray) -> dict[int, int]:
    """Pieces that are proposed to follow one joint as they are, by their number, with that joint: nearly all of their
    points follow it more than any other."""
    out = {}
    top = weights.argmax(axis=1)
    for number in range(int(components.max(initial=-1)) + 1):
        own = top[components == number]
        if len(own) < SMALLEST:
            continue
        joint = int(np.bincount(own).argmax())
        if np.mean(own == joint) >= OWN:
            out[number] = joint
    return out


def with_rigid(weights: FloatArray, components: NDArray[np.int64], rigid: dict[int, int]) -> FloatArray:
    """Weights ``(P, J)`` with pieces that follow one joint."""
    out = weights.copy()
    for number, joint in rigid.items():
        rows = components == number
        out[rows] = 0.0
        out[rows, joint] = 1.0
    return out
