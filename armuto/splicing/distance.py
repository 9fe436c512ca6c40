"""How far every frame of a clip is from every frame of another.

Poses are clouds of points with weights w, over a window of frames. With points a of the one and b of the other on the
ground as complex numbers about their centres, heights h, and the turn about up φ and shift over the ground that lay the
second best onto the first, in closed form (Kovar, Gleicher and Pighin, *Motion graphs*, SIGGRAPH 2002, section 3.1)::

    S = Σ w a b*,   φ = arg S,   D² = Σ w |a|² + Σ w |b|² − 2 |S| + Σ w (h_a − h_b)²

S and Σ w h_a h_b of all frames against all are two matrix products; nothing loops over pairs. To D come what feet do,
the change of heading and the change of speed, in metres too.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from armuto.body.mirror import mirrored
from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.splicing.features import ComplexArray, FrameFeatures

PER_FOOT = 0.04  # metres, for a foot that rests in the one and moves in the other
PER_TURN = 0.06  # metres, for a quarter turn between the ways of both
PER_SPEED = 0.08  # metres, for each m/s between them
ROWS = 256  # frames worked with at once
WALKS = 0.4  # m/s from which a way counts in full


@dataclass(frozen=True, eq=False)
class Costs:
    """Of frames against frames, ``(F, G)`` each. All but turn in metres.

    pose: D, with velocities. feet: what rests against what moves. heading, speed: what changes of the way. turn:
    radians about up by which the second is laid onto the first. refused: where the body would go from the one foot to
    the other.
    """

    pose: FloatArray
    feet: FloatArray
    heading: FloatArray
    speed: FloatArray
    turn: FloatArray
    refused: BoolArray

    @property
    def total(self) -> FloatArray:
        """All together; infinite where refused."""
        out = self.pose + self.feet + self.heading + self.speed
        out[self.refused] = np.inf
        return out


def distance(a: FrameFeatures, b: FrameFeatures) -> Costs:
    """What it costs to go from every frame of a to every frame of b, which are of one body."""
    correlation = a.ground @ b.ground.conj().T
    pose = _pose(a, b, correlation)
    turn = np.angle(correlation)
    speed = np.abs(np.abs(a.way)[:, None] - np.abs(b.way)[None])
    speed *= PER_SPEED
    return Costs(pose, _feet(a, b), _heading(a, b, correlation), speed, turn, _refused(a, b))


def total_distance(a: FrameFeatures, b: FrameFeatures) -> FloatArray:
    """The sum of the costs ``(F, G)``, as :attr:`Costs.total`. Rows are worked with some at a time, so that what
    they need stays
    near the processor and little memory is taken beside the result."""
    total = np.empty((a.frames, b.frames))
    for first in range(0, a.frames, ROWS):
        rows = a.rows(np.arange(first, min(first + ROWS, a.frames)))
        correlation = rows.ground @ b.ground.conj().T
        part = _pose(rows, b, correlation)
        part += _heading(rows, b, correlation)
        part += _feet(rows, b)
        part += PER_SPEED * np.abs(np.abs(rows.way)[:, None] - np.abs(b.way)[None])
        part[_refused(rows, b)] = np.inf
        total[first : first + ROWS] = part
    return total


def _pose(a: FrameFeatures, b: FrameFeatures, correlation: ComplexArray) -> FloatArray:
    squared = np.abs(correlation)
    squared += a.heights @ b.heights.T
    squared *= -2.0
    squared += a.size[:, None]
    squared += b.size[None]
    return np.asarray(np.sqrt(np.maximum(squared, 0.0, out=squared), out=squared))


def _feet(a: FrameFeatures, b: FrameFeatures) -> FloatArray:
    """A foot that rests at one end alone: r (1 − s) + (1 − r) s of all feet, as two products."""
    out: FloatArray = a.resting @ (1 - b.resting).T + (1 - a.resting) @ b.resting.T
    return out * PER_FOOT


def _heading(a: FrameFeatures, b: FrameFeatures, correlation: ComplexArray) -> FloatArray:
    """The angle between both ways once the second is laid onto the first. Who hardly goes has no heading."""
    ways: ComplexArray = a.way[:, None] * b.way.conj()[None]
    ways *= correlation.conj()
    angle: FloatArray = np.abs(np.angle(ways))
    goes = [np.minimum(np.abs(features.way) / WALKS, 1.0) for features in (a, b)]
    angle *= goes[0][:, None] * goes[1][None] * (PER_TURN / (np.pi / 2))
    return angle


def _refused(a: FrameFeatures, b: FrameFeatures) -> BoolArray:
    """Where a foot alone rests in the one, and its mirror alone in the other."""
    out = np.zeros((a.frames, b.frames), bool)
    for row, limb in enumerate(a.feet):
        other = mirrored(limb)
        if other == limb or other not in a.feet:
            continue
        column = a.feet.index(other)
        own, opposite = a.resting > 0.5, b.resting > 0.5
        out |= (own[:, row] & ~own[:, column])[:, None] & (opposite[:, column] & ~opposite[:, row])[None]
    return out
