"""Where two clips meet best: separated minima of their distance, each with what it costs."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from armuto.kinematics.arrays import FloatArray, IntArray
from armuto.lazy import lazily
from armuto.splicing.distance import distance, total_distance
from armuto.splicing.features import FrameFeatures

ndimage = lazily("scipy.ndimage")
MOST = 1500  # frames compared with as many at once; longer clips are looked at every so many frames, then nearby
APART = 0.2  # seconds between candidates
COUNT = 6
BAD = 0.35  # metres: poses farther apart do not meet


@dataclass(frozen=True)
class Candidate:
    """A frame of the first clip and the frame of the second that follows best.

    pose: centimetres in the root mean square of all points, with their velocities. feet, heading, speed: what they
    cost, in centimetres. cost: all together. turn: degrees by which the second is turned about up. words: what a person
    should know of it.
    """

    out: int
    into: int
    cost: float
    pose: float
    feet: float
    heading: float
    speed: float
    turn: float
    words: tuple[str, ...] = ()


def candidates(
    a: FrameFeatures,
    b: FrameFeatures,
    fps: float,
    out: tuple[int, int] | None = None,
    into: tuple[int, int] | None = None,
    count: int = COUNT,
) -> list[Candidate]:
    """The best places to go from the one clip to the other, the best first.

    Parameters
    ----------
    a, b : FrameFeatures
        Of ``F`` and ``G`` frames, of one body.
    fps : float
        Frames per second of both.
    out, into : (int, int), optional
        The frames of a and of b that are wanted, both included; by default the last half of a and the first of b.
    count : int

    Returns
    -------
    list of Candidate
        At least 0.2 s from each other in one of both clips; none where every place is refused.

    Raises
    ------
    ValueError
        For a range outside the clips.

    Notes
    -----
    Minima over a square of 0.2 s of the distance of all frames against all. Beyond 1,500 frames a coarse pass over
    every n-th frame comes first, and each of its minima is looked for again in all frames around it.
    """
    rows, columns = _wanted(out or (a.frames // 2, a.frames - 1), a), _wanted(into or (0, (b.frames - 1) // 2), b)
    step = max(1, -(-max(len(rows), len(columns)) // MOST))
    coarse = total_distance(a.rows(rows[::step]), b.rows(columns[::step]))
    spacing = max(1, round(APART * fps / step))
    chosen = []
    for row, column in minima(coarse, spacing, count):
        chosen.append(_nearby(a, b, rows, columns, row * step, column * step, step))
    return sorted((candidate_at(a, b, i, j) for i, j in dict.fromkeys(chosen)), key=lambda candidate: candidate.cost)


def candidate_at(a: FrameFeatures, b: FrameFeatures, out: int, into: int) -> Candidate:
    """What it costs to go from a frame of a to a frame of b, whether or not it is a good place."""
    first, second = a.rows(np.array([out])), b.rows(np.array([into]))
    costs = distance(first, second)
    pose, feet, heading, speed = (
        float(value[0, 0]) * 100 for value in (costs.pose, costs.feet, costs.heading, costs.speed)
    )
    total = float("inf") if costs.refused[0, 0] else pose + feet + heading + speed
    turn = float(np.degrees(costs.turn[0, 0]))
    words = tuple(_words(first, second, pose, bool(costs.refused[0, 0])))
    return Candidate(out, into, total, pose, feet, heading, speed, turn, words)


def minima(cost: FloatArray, spacing: int, count: int) -> list[tuple[int, int]]:
    """Rows and columns of the least local minima of a matrix, each at least so many rows or columns from a lesser."""
    least = cost == ndimage.minimum_filter(cost, size=2 * spacing + 1, mode="nearest")
    rows, columns = np.nonzero(least & np.isfinite(cost))
    order = np.argsort(cost[rows, columns], kind="stable")
    found: list[tuple[int, int]] = []
    for n in order:
        row, column = int(rows[n]), int(columns[n])
        if all(max(abs(row - i), abs(column - j)) >= spacing for i, j in found):
            found.append((row, column))
        if len(found) == count:
            break
    return found


def cost_map(a: FrameFeatures, b: FrameFeatures, most: int = 400) -> tuple[FloatArray, IntArray, IntArray]:
    """The distance in metres of frames of the whole clips against each other, of at most so many on each side, infinite
    where refused, and the numbers of these frames."""
    rows, columns = (np.unique(np.linspace(0, n - 1, min(n, most)).round().astype(int)) for n in (a.frames, b.frames))
    return total_distance(a.rows(rows), b.rows(columns)), rows, columns


def _wanted(frames: tuple[int, int], features: FrameFeatures) -> IntArray:
    first, last = frames
    if not 0 <= first <= last < features.frames:
        raise ValueError(f"frames {first} to {last} are not within 0 to {features.frames - 1}")
    return np.arange(first, last + 1)


def _nearby(
    a: FrameFeatures, b: FrameFeatures, rows: IntArray, columns: IntArray, row: int, column: int, step: int
) -> tuple[int, int]:
    """The least place in all frames around one that a coarse pass has found."""
    near = rows[max(0, row - step) : row + step + 1], columns[max(0, column - step) : column + step + 1]
    cost = total_distance(a.rows(near[0]), b.rows(near[1]))
    i, j = np.unravel_index(int(np.argmin(cost)), cost.shape)
    return int(near[0][i]), int(near[1][j])


def _words(a: FrameFeatures, b: FrameFeatures, pose: float, refused: bool) -> list[str]:
    own, other = a.resting[0] > 0.5, b.resting[0] > 0.5
    out = []
    if refused:
        out.append("the body would go from one foot to the other")
    both = [a.feet[n].replace(" leg", " foot") for n in np.flatnonzero(own & other)]
    if both:
        out.append(f"{' and '.join(both)} {'rests' if len(both) == 1 else 'rest'} in both")
    for n in np.flatnonzero(own != other):
        where = "first" if own[n] else "second"
        out.append(f"{a.feet[n].replace(' leg', ' foot')} rests in the {where} alone")
    speeds = [abs(features.way[0]) for features in (a, b)]
    if abs(speeds[0] - speeds[1]) > 0.25:
        out.append(f"{'slower' if speeds[1] < speeds[0] else 'quicker'} by {abs(speeds[1] - speeds[0]):.1f} m/s")
    if pose > BAD * 100:
        out.append("the poses are far apart")
    return out
