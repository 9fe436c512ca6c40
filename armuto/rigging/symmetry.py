"""The plane in which a body mirrors itself, found from its solid: upright, wherever it stands and faces."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from armuto.kinematics.arrays import FloatArray
from armuto.lazy import lazily
from armuto.rigging.solid import Solid

kernels = lazily("armuto.rigging.kernels")

LOOKED_AT = 6_000  # voxels that are mirrored
COARSE, FINE = 3.0, 0.25  # degrees between planes that are tried
SHIFTS = 9  # places of each that are tried, two voxels apart
LOWER = 0.45  # of the height, below which legs are
WAYS, APART = 4, 20.0  # how many ways a plane may face are looked at closely, and degrees between two of them
WIDER = 0.02  # share of mirrored voxels by which a plane has to be better, if it lies along the body's broad side


@dataclass(frozen=True)
class MirrorPlane:
    """An upright plane through ``point (3,)`` with ``normal (3,)`` to the body's one side; share: of its voxels that
    have one opposite, 0 to 1, those of its legs twice."""

    point: FloatArray
    normal: FloatArray
    share: float

    def mirrored(self, points: FloatArray) -> FloatArray:
        """Points ``(..., 3)`` on the other side."""
        return np.asarray(points - 2 * ((points - self.point) @ self.normal)[..., None] * self.normal)

    def height(self, points: FloatArray) -> FloatArray:
        """How far points ``(..., 3)`` lie to the side the normal shows to."""
        return np.asarray((points - self.point) @ self.normal)


def mirror_plane(solid: Solid, seed: int = 0) -> MirrorPlane:
    """The upright plane in which most of the solid mirrors itself."""
    rng = np.random.default_rng(seed)
    centres = solid.centres
    if len(centres) > LOOKED_AT:
        centres = centres[rng.choice(len(centres), LOOKED_AT, replace=False)]
    middle = solid.centres.mean(axis=0)

    places = np.ascontiguousarray((centres - solid.corner) / solid.pitch)
    origin = (middle - solid.corner) / solid.pitch
    inside = np.ascontiguousarray(solid.inside)

    # Legs count twice: arms may be held as they like, and a body that raises one is still the same on both sides.
    low, high = float(solid.centres[:, 1].min()), float(solid.centres[:, 1].max())
    lower = np.ascontiguousarray(places[centres[:, 1] < low + LOWER * (high - low)])

    def share(degrees: float, shift: float) -> float:
        normal = np.array([np.cos(np.radians(degrees)), np.sin(np.radians(degrees))])
        off = float(origin[[0, 2]] @ normal) + shift / solid.pitch
        shares = [
            float(kernels.count_mirrored(rows, normal, off, inside)) / max(len(rows), 1) for rows in (places, lower)
        ]
        return sum(shares) / 2

    def breadth(degrees: float) -> float:
        normal = np.array([np.cos(np.radians(degrees)), 0.0, np.sin(np.radians(degrees))])
        return float(np.ptp(centres @ normal))

    shifts = (np.arange(SHIFTS) - SHIFTS // 2) * 2 * solid.pitch
    tried = sorted((share(angle, shift), angle, shift) for angle in np.arange(0, 180, COARSE) for shift in shifts)
    # What is coarsely tried may miss the best of the planes that face one way: the best few ways are looked at closely.
    ways: list[tuple[float, float, float]] = []
    while tried and len(ways) < WAYS:
        way = tried.pop()
        ways.append(_closest(share, way, solid.pitch))
        tried = [row for row in tried if abs((row[1] - way[1] + 90) % 180 - 90) > APART]
    # A thin figure is nearly the same from before and behind: then its broad side is to the left and right.
    near = [row for row in ways if row[0] > max(ways)[0] - WIDER]
    broadest = max(breadth(row[1]) for row in near)
    best = max(near, key=lambda row: (round(breadth(row[1]) / broadest, 1), row[0]))
    normal = np.array([np.cos(np.radians(best[1])), 0.0, np.sin(np.radians(best[1]))])
    return MirrorPlane(middle + best[2] * normal, normal, best[0])


def _closest(
    share: Callable[[float, float], float], way: tuple[float, float, float], pitch: float
) -> tuple[float, float, float]:
    """The best share, angle and shift about those of a plane that was tried coarsely."""
    for step in (COARSE / 3, FINE):
        angles = way[1] + np.arange(-3, 4) * step
        moves = way[2] + np.arange(-2, 3) * pitch * step / COARSE
        way = max((share(angle, shift), angle, shift) for angle in angles for shift in moves)
    return way
