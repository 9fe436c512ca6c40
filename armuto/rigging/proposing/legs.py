"""Legs as they are seen in a body's solid, and where their middles bend."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np

from armuto.kinematics.arrays import FloatArray

BENT = 0.2  # ahead for each length upwards, by which a leg's direction changes where it is seen to bend


@dataclass(frozen=True, eq=False)
class Leg:
    """rows ``(V, 3)``: its voxels as far up as it is seen by itself, in the body's own axes; step: a voxel's side."""

    rows: FloatArray
    step: float

    def middle(self, height: float) -> FloatArray:
        """The middle of the section at a height ``(3,)``, or of the nearest there is."""
        distances = np.abs(self.rows[:, 1] - height)
        near = distances < max(1.6 * self.step, float(distances.min()) + self.step)
        low, high = self.rows[near].min(axis=0), self.rows[near].max(axis=0)
        return np.array([(low[0] + high[0]) / 2, height, (low[2] + high[2]) / 2])

    def corners(self, below: float, *bends: tuple[float, float, float]) -> list[FloatArray] | None:
        """Where the leg bends: the corners of the line that lies nearest to its middles from some height on.

        bends: for each the heights between which it is looked for, and 1.0 where the leg leads farther ahead above it
        or -1.0 where it leads farther back. None where there is no such line.
        """
        heights = np.arange(below, self.top, self.step)
        places = np.array([self.middle(height)[2] for height in heights])
        tried = [
            heights[(heights > lowest) & (heights < min(highest, self.top - 3 * self.step))]
            for lowest, highest, _ in bends
        ]
        signs = np.array([sign for _, _, sign in bends])
        best, found = np.inf, None
        for corners in itertools.product(*tried):
            lines = np.stack([np.ones(len(heights)), heights, *(np.maximum(heights - at, 0) for at in corners)], axis=1)
            line, _, _, _ = np.linalg.lstsq(lines, places, rcond=None)
            off = float(np.square(lines @ line - places).sum())
            if off < best and (signs * line[2:] > BENT).all():
                best, found = off, corners
        return None if found is None else [self.middle(float(at)) for at in found]

    @property
    def top(self) -> float:
        return float(self.rows[:, 1].max()) - 1.5 * self.step

    @property
    def foot(self) -> tuple[FloatArray, FloatArray]:
        """The ball and the tips of the toes."""
        low = self.rows[self.rows[:, 1] < self.rows[:, 1].min() + 4 * self.step]
        tip = low[low[:, 2] > low[:, 2].max() - 2 * self.step].mean(axis=0)
        back = float(low[:, 2].min())
        ball = np.array([tip[0], tip[1], back + 0.45 * (tip[2] - back)])
        return ball, np.array([tip[0], float(low[:, 1].min()) + 1.5 * self.step, low[:, 2].max()])
