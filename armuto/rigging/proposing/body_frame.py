"""A body's solid in axes of its own, and what is read from it there: groups that hang together, sections, distances."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.lazy import lazily
from armuto.rigging.solid import Solid
from armuto.rigging.symmetry import MirrorPlane, mirror_plane

ndimage = lazily("scipy.ndimage")
kernels = lazily("armuto.rigging.kernels")

NO_TRUNK = "no trunk can be made out in it; close its holes, or set the landmarks by hand."
SECTION = 1.5  # voxels: how thick sections are that are taken across a distance
#: Landmarks by name, each in the body's own axes ``(3,)`` and with its confidence.
Found = dict[str, tuple[FloatArray, float]]


@dataclass(frozen=True, eq=False)
class BodyFrame:
    """Voxels in the body's own axes ``local (N, 3)``: x to its left, y up from the floor, z ahead, over its height."""

    solid: Solid
    plane: MirrorPlane
    ahead: FloatArray
    local: FloatArray
    floor: float
    height: float

    def world(self, local: FloatArray) -> FloatArray:
        return np.asarray(
            self.plane.point * [1, 0, 1]
            + local[..., :1] * self.height * self.plane.normal
            + local[..., 2:] * self.height * self.ahead
            + (self.floor + local[..., 1:2] * self.height) * np.array([0, 1.0, 0])
        )

    def turned(self) -> BodyFrame:
        """The same body that looks the other way."""
        plane = MirrorPlane(self.plane.point, -self.plane.normal, self.plane.share)
        return replace(self, plane=plane, ahead=-self.ahead, local=self.local * [-1, 1, -1])

    @property
    def step(self) -> float:
        return self.solid.pitch / self.height


def body_frame(solid: Solid) -> BodyFrame:
    """The frame of a body on its feet: these reach farther ahead of the ankles than behind them."""
    plane = mirror_plane(solid)
    centres = solid.centres
    floor = float(centres[:, 1].min()) - solid.pitch / 2
    height = float(centres[:, 1].max()) + solid.pitch / 2 - floor
    ahead = np.cross(plane.normal, [0, 1.0, 0])
    off = centres - plane.point
    rows = np.stack([off @ plane.normal, centres[:, 1] - floor, off @ ahead], axis=1) / height
    frame = BodyFrame(solid, plane, ahead, rows, floor, height)
    low = rows[rows[:, 1] < 0.03]
    shin = rows[(rows[:, 1] > 0.08) & (rows[:, 1] < 0.2) & (np.abs(rows[:, 0]) < 0.25)]
    if len(shin) and len(low):
        middle = np.median(shin[:, 2])
        if low[:, 2].max() - middle < middle - low[:, 2].min():
            return frame.turned()
    return frame


def connected(solid: Solid, mask: BoolArray) -> tuple[NDArray[np.int64], int]:
    """Which connected group each voxel of a mask is in ``(N,)``, -1 beside it."""
    grid = np.zeros(solid.inside.shape, bool)
    grid[tuple(solid.cells[mask].T)] = True
    labels, count = ndimage.label(grid, np.ones((3, 3, 3)))
    return labels[tuple(solid.cells.T)].astype(np.int64) - 1, int(count)


def section_middle(frame: BodyFrame, mask: BoolArray, height: float) -> FloatArray | None:
    """The middle of what lies at a height ``(3,)``."""
    near = mask & (np.abs(frame.local[:, 1] - height) < 1.6 * frame.step)
    if not near.any():
        return None
    rows = frame.local[near]
    return np.array([rows[:, 0].mean(), height, (rows[:, 2].min() + rows[:, 2].max()) / 2])


def distances_within(solid: Solid, seeds: NDArray[np.int64], mask: BoolArray | None = None) -> FloatArray:
    """How far each voxel is from the nearest of some ``(N,)``, in metres, within a mask; infinite where there is no
    way."""
    neighbours = solid.neighbours
    if mask is not None:
        neighbours = np.where((neighbours >= 0) & mask[neighbours] & mask[:, None], neighbours, -1)
    rows = np.stack([seeds, np.zeros_like(seeds)], axis=1)
    found, far = kernels.empty(len(solid.cells), 1)
    kernels.nearest_sources(
        np.ascontiguousarray(neighbours),
        solid.strides,
        np.ascontiguousarray(rows),
        np.zeros(len(seeds)),
        1e9,
        found,
        far,
    )
    return np.asarray(far[:, 0])


@dataclass(frozen=True, eq=False)
class Sections:
    """Sections of a body across how far it is from some voxels. along ``(S,)``: that distance, area ``(S,)``: voxels,
    evened out, middles ``(S, 3)``; far ``(N,)``: the distance of every voxel, infinite where there is no way. All over
    the height."""

    along: FloatArray
    area: FloatArray
    middles: FloatArray
    far: FloatArray

    def middle(self, distance: float) -> FloatArray:
        """The middle ``(3,)`` at a distance."""
        return np.array([np.interp(distance, self.along, self.middles[:, k]) for k in range(3)])


def middles_of(numbers: NDArray[np.int64], rows: FloatArray) -> tuple[FloatArray, FloatArray]:
    """How many voxels ``(N, 3)`` each numbered section has ``(S,)``, and their middle ``(S, 3)``, zero where there are
    none."""
    area = np.bincount(numbers).astype(float)
    sums = np.stack([np.bincount(numbers, rows[:, k]) for k in range(3)], axis=1)
    return area, sums / np.maximum(area, 1)[:, None]


def sections_from(frame: BodyFrame, seeds: NDArray[np.int64], mask: BoolArray, farthest: float = np.inf) -> Sections:
    """Sections of what is within a mask, as thick as one and a half voxels, up to a distance from some of it."""
    far = distances_within(frame.solid, seeds, mask) / frame.height
    near = np.isfinite(far) & (far < farthest) & mask
    if not near.any():
        return Sections(np.zeros(0), np.zeros(0), np.zeros((0, 3)), far)
    step = SECTION * frame.step
    numbers = np.floor(far[near] / step).astype(int)
    rows = frame.local[near]
    area, middles = middles_of(numbers, rows)
    along = (np.arange(len(area)) + 0.5) * step
    area = ndimage.uniform_filter1d(area, 3, mode="nearest")
    return Sections(np.asarray(along), np.asarray(area), np.asarray(middles), far)
