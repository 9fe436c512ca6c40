"""Loops over triangles and voxels that NumPy has no words for, compiled once and kept."""

from __future__ import annotations

import heapq

import numpy as np
from numba import njit, types

from armuto.kinematics.arrays import FloatArray

_points = types.Array(types.float64, 2, "C", readonly=True)
_indices = types.Array(types.int64, 2, "C", readonly=True)


@njit(types.void(_points, _indices, types.boolean[:, :, ::1]), cache=True)
def mark_triangles(points, faces, marked):  # type: ignore[no-untyped-def]
    """Mark the voxels ``(X, Y, Z)`` through which triangles pass. points ``(P, 3)``: in voxels from the grid's corner;
    a triangle is sampled at less than half a voxel's distance."""
    for t in range(faces.shape[0]):
        a, b, c = faces[t, 0], faces[t, 1], faces[t, 2]
        longest = 0.0
        for k in range(3):
            longest = max(
                longest,
                abs(points[a, k] - points[b, k]),
                abs(points[b, k] - points[c, k]),
                abs(points[c, k] - points[a, k]),
            )
        steps = int(longest * 2.5) + 1
        for i in range(steps + 1):
            u = i / steps
            for j in range(steps + 1 - i):
                v = j / steps
                w = 1.0 - u - v
                x = int(w * points[a, 0] + u * points[b, 0] + v * points[c, 0])
                y = int(w * points[a, 1] + u * points[b, 1] + v * points[c, 1])
                z = int(w * points[a, 2] + u * points[b, 2] + v * points[c, 2])
                marked[x, y, z] = True


@njit(types.boolean(types.int64[::1], types.float64[::1], types.int64, types.float64), cache=True)
def _is_shorter(sources, shortest, source, distance):  # type: ignore[no-untyped-def]
    """Whether a way from a source is shorter than any before, of those of which there is room to keep how long they
    are; if so, it is kept."""
    for k in range(sources.shape[0]):
        if sources[k] == source:
            if shortest[k] <= distance:
                return False
            shortest[k] = distance
            return True
        if sources[k] < 0:
            sources[k], shortest[k] = source, distance
            return True
    return True


@njit(
    types.void(
        types.Array(types.int64, 2, "C", readonly=True),
        types.Array(types.float64, 1, "C", readonly=True),
        types.Array(types.int64, 2, "C", readonly=True),
        types.Array(types.float64, 1, "C", readonly=True),
        types.float64,
        types.int64[:, ::1],
        types.float64[:, ::1],
    ),
    cache=True,
)
def nearest_sources(neighbours, steps, seeds, offsets, times, found, far):  # type: ignore[no-untyped-def]
    """Dijkstra's algorithm from many sources at once, where each cell keeps its nearest few of them.

    neighbours ``(N, 26)``: cells beside each, -1 for none. steps ``(26,)``: how far these are. seeds ``(S, 2)``: cell
    and source, offsets ``(S,)``: with how much distance they begin. times: a source that is so many times as far as the
    nearest, and two steps, is not kept. found, far ``(N, K)``: filled with the sources of
    each cell, nearest first, and their distances; -1 and infinity where there are fewer.
    """
    most = found.shape[1]
    counts = np.zeros(found.shape[0], np.int64)
    # The shortest ways that are in the heap already, of some sources of each cell: longer ones are not put in.
    queued = np.full((found.shape[0], 2 * most), -1, np.int64)
    shortest = np.empty(queued.shape, np.float64)
    slack = 2.0 * steps.max()
    heap = [(offsets[0], seeds[0, 0], seeds[0, 1])]
    for s in range(1, seeds.shape[0]):
        heapq.heappush(heap, (offsets[s], seeds[s, 0], seeds[s, 1]))
    while len(heap) > 0:
        distance, cell, source = heapq.heappop(heap)
        count = counts[cell]
        if count == most or (count > 0 and distance > times * far[cell, 0] + slack):
            continue
        known = False
        for k in range(count):
            if found[cell, k] == source:
                known = True
                break
        if known:
            continue
        found[cell, count] = source
        far[cell, count] = distance
        counts[cell] = count + 1
        for n in range(26):
            other = neighbours[cell, n]
            if other < 0 or counts[other] == most:
                continue
            if counts[other] > 0 and distance + steps[n] > times * far[other, 0] + slack:
                continue
            known = False
            for k in range(counts[other]):
                if found[other, k] == source:
                    known = True
                    break
            if known:
                continue
            if _is_shorter(queued[other], shortest[other], source, distance + steps[n]):
                heapq.heappush(heap, (distance + steps[n], other, source))


@njit(
    types.int64(
        types.Array(types.int64, 2, "C", readonly=True),
        types.Array(types.int64, 1, "C", readonly=True),
        types.Array(types.float64, 1, "C", readonly=True),
        types.int64[::1],
        types.int64[::1],
        types.float64[::1],
    ),
    cache=True,
)
def merge_tree(neighbours, order, height, parent, peaks, levels):  # type: ignore[no-untyped-def]
    """Where the branches below the peaks of a height join, walked from the highest cell down.

    neighbours ``(N, 26)``: cells beside each, -1 for none. order: cells with a height, highest first. parent ``(N,)``:
    -1 everywhere. peaks, levels ``(N,)``: filled with the peak of each branch that joins a higher one, and the height
    at which it does. Returns how many there are.
    """
    count = 0
    for place in range(order.shape[0]):
        cell = order[place]
        keep = -1
        for n in range(26):
            other = neighbours[cell, n]
            if other < 0 or parent[other] < 0:
                continue
            while parent[other] != other:
                parent[other] = parent[parent[other]]
                other = parent[other]
            if keep < 0:
                keep = other
            elif other != keep:
                lower = other
                if height[other] > height[keep]:
                    lower, keep = keep, other
                peaks[count] = lower
                levels[count] = height[cell]
                count += 1
                parent[lower] = keep
        parent[cell] = cell if keep < 0 else keep
    return count


def empty(cells: int, most: int) -> tuple[np.ndarray, FloatArray]:
    """Room for :func:`nearest_sources`."""
    return np.full((cells, most), -1, np.int64), np.full((cells, most), np.inf)


@njit(
    types.int64(
        types.Array(types.float64, 2, "C", readonly=True),
        types.Array(types.float64, 1, "C", readonly=True),
        types.float64,
        types.Array(types.bool_, 3, "C", readonly=True),
    ),
    cache=True,
)
def count_mirrored(points, normal, shift, inside):  # type: ignore[no-untyped-def]
    """How many points ``(P, 3)`` lie within a solid when they are mirrored in a plane.

    points are in voxels from the corner of the grid inside ``(X, Y, Z)``. The plane is upright, with a ``normal (2,)``
    along the grid's first and last axis, and lies shift voxels from the origin.
    """
    count = 0
    for p in range(points.shape[0]):
        off = 2.0 * (points[p, 0] * normal[0] + points[p, 2] * normal[1] - shift)
        x = int(np.floor(points[p, 0] - off * normal[0]))
        y = int(points[p, 1])
        z = int(np.floor(points[p, 2] - off * normal[1]))
        if 0 <= x < inside.shape[0] and 0 <= z < inside.shape[2] and inside[x, y, z]:
            count += 1
    return count
