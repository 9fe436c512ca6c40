"""The plane in which a body mirrors itself, found from its solid: upright, wherever it stands and faces."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from armuto.kinematics.arrays import FloatArray
from armuto.lazy import lazily
from armuto.rigging.solid import Solid

kernels = lazily("armuto.rigging.kernels")

LOOKED_AT = 6_000  # voxels that are mirrored
COARSE, FINE = 3.0, 0.25  # degrees between planes that are tried
SHIFTS = 9  # places of each that are tried, two voxels apart
WIDER = 0.02  # share of mirrored voxels by which a plane has to be better, if it lies along the body's broad side


@dataclass(frozen=True)
class MirrorPlane:
    """An upright plane through ``point (3,)`` with ``normal (3,)`` to the body's one side; share: of its voxels that
    have one opposite, 0 to 1."""

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

    def share(degrees: float, shift: float) -> float:
        normal = np.array([np.cos(np.radians(degrees)), np.sin(np.radians(degrees))])
        off = float(origin[[0, 2]] @ normal) + shift / solid.pitch
        return float(kernels.count_mirrored(places, normal, off, inside)) / len(centres)

    def breadth(degrees: float) -> float:
        normal = np.array([np.cos(np.radians(degrees)), 0.0, np.sin(np.radians(degrees))])
        return float(np.ptp(centres @ normal))

    shifts = (np.arange(SHIFTS) - SHIFTS // 2) * 2 * solid.pitch
    tried = [(share(angle, shift), angle, shift) for angle in np.arange(0, 180, COARSE) for shift in shifts]
    best = max(tried)
    # A thin figure is nearly the same from before and behind: then its broad side is to the left and right.
    near = [row for row in tried if row[0] > best[0] - WIDER]
    best = max(near, key=lambda row: (round(breadth(row[1]) / max(map(breadth, (r[1] for r in near))), 1), row[0]))
    for step in (COARSE / 3, FINE):
        angles = best[1] + np.arange(-3, 4) * step
        moves = best[2] + np.arange(-2, 3) * solid.pitch * step / COARSE
        best = max((share(angle, shift), angle, shift) for angle in angles for shift in moves)
    normal = np.array([np.cos(np.radians(best[1])), 0.0, np.sin(np.radians(best[1]))])
    return MirrorPlane(middle + best[2] * normal, normal, best[0])
