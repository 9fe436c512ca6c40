"""The body of a mesh as a solid of voxels: what lies inside, however the surface is closed, doubled or torn."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from armuto.kinematics.arrays import BoolArray, FloatArray, IntArray
from armuto.lazy import lazily

ndimage = lazily("scipy.ndimage")
spatial = lazily("scipy.spatial")
kernels = lazily("armuto.rigging.kernels")

FINENESS = 128  # voxels along the longest side
MOST_CELLS = 300_000  # within a body: several times what one has, and a seventh of a cube
MARGIN = 2  # empty voxels around everything
TORN = 0.6  # a filled body that is smaller than this share of what its surface encloses to all sides has holes
STEPS = np.array([(x, y, z) for x in (-1, 0, 1) for y in (-1, 0, 1) for z in (-1, 0, 1) if (x, y, z) != (0, 0, 0)])


@dataclass(frozen=True, eq=False)
class Solid:
    """Voxels of which the body is made.

    inside: ``(X, Y, Z)``. corner ``(3,)``: where the grid begins, in metres. pitch: a voxel's side. torn: whether the
    surface had holes through which nothing could be filled, so that the inside is what it encloses to all sides.
    """

    inside: BoolArray
    corner: FloatArray
    pitch: float
    torn: bool = False

    @cached_property
    def cells(self) -> IntArray:
        """Grid places of the voxels inside ``(N, 3)``."""
        return np.argwhere(self.inside)

    @cached_property
    def numbers(self) -> NDArray[np.int64]:
        """Which of :attr:`cells` each place of the grid is ``(X, Y, Z)``, -1 outside."""
        out = np.full(self.inside.shape, -1, np.int64)
        out[tuple(self.cells.T)] = np.arange(len(self.cells))
        return out

    @cached_property
    def centres(self) -> FloatArray:
        """Middles of the voxels inside ``(N, 3)``, in metres."""
        return self.corner + (self.cells + 0.5) * self.pitch

    @cached_property
    def depth(self) -> FloatArray:
        """How far each voxel inside lies from the surface ``(N,)``, in metres (Euclidean distance transform)."""
        whole = ndimage.distance_transform_edt(self.inside) * self.pitch
        return np.asarray(whole[tuple(self.cells.T)])

    @cached_property
    def neighbours(self) -> NDArray[np.int64]:
        """The 26 cells beside each ``(N, 26)``, -1 where there is none."""
        beside = self.cells[:, None] + STEPS[None]
        return np.ascontiguousarray(self.numbers[beside[..., 0], beside[..., 1], beside[..., 2]])

    @cached_property
    def strides(self) -> FloatArray:
        """How far each of the 26 is, in metres."""
        return np.asarray(np.linalg.norm(STEPS, axis=1) * self.pitch)

    @cached_property
    def tree(self) -> object:
        return spatial.cKDTree(self.centres)

    def cell_of(self, points: FloatArray) -> NDArray[np.int64]:
        """The voxel in which each point ``(P, 3)`` lies, or the nearest one inside."""
        places = np.floor((points - self.corner) / self.pitch).astype(np.int64)
        within = np.all((places >= 0) & (places < self.inside.shape), axis=1)
        out = np.full(len(points), -1, np.int64)
        out[within] = self.numbers[tuple(places[within].T)]
        missing = np.flatnonzero(out < 0)
        if len(missing):
            out[missing] = self.tree.query(points[missing])[1]  # type: ignore[attr-defined]
        return out


def solid_of(points: FloatArray, faces: NDArray[np.int64], fineness: int = FINENESS) -> Solid:
    """The solid of a mesh ``(P, 3)``, ``(T, 3)``; at least one triangle. What is stouter than any body, as a cube, is
    made of larger voxels, since time and memory go by their number."""
    used = points[np.unique(faces)]
    low, high = used.min(axis=0), used.max(axis=0)
    pitch = float(max((high - low).max() / fineness, 1e-6))
    shape = tuple((np.ceil((high - low) / pitch).astype(int) + 1 + 2 * MARGIN).tolist())
    corner = low - MARGIN * pitch
    marked = np.zeros(shape, bool)
    kernels.mark_triangles(
        np.ascontiguousarray((points - corner) / pitch), np.ascontiguousarray(faces, np.int64), marked
    )
    filled = ndimage.binary_fill_holes(marked)
    enclosed = marked | _enclosed(marked)
    torn = bool(filled.sum() < TORN * enclosed.sum())
    if torn:
        # A voxel more or less along an edge of a hole is no body part.
        filled = marked | ndimage.binary_opening(enclosed, iterations=1)
    count = int(filled.sum())
    if count > MOST_CELLS:
        return solid_of(points, faces, int(fineness * (MOST_CELLS / count) ** (1 / 3)))
    return Solid(filled, corner, pitch, torn)


def _enclosed(marked: BoolArray) -> BoolArray:
    """Voxels from which the surface is met in at least five of the six directions of the axes (Nooruddin and Turk,
    *Simplification and repair of polygonal models using volumetric techniques*, 2003, count parity instead, which
    doubled faces mislead)."""
    hits = np.zeros(marked.shape, np.int8)
    for axis in range(3):
        hits += np.maximum.accumulate(marked, axis=axis)
        hits += np.flip(np.maximum.accumulate(np.flip(marked, axis), axis=axis), axis)
    return hits >= 5
