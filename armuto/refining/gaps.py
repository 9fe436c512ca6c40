"""Gaps: stretches in which a track stands still to the last digit while the body moves, bridged.

A joint that was lost keeps its last value until it is found again, somewhere else. Over the stretch its rotation vector
(:mod:`armuto.kinematics.tangent`) or translation is put together from two guesses. One leaves and arrives at its own
speeds, by a cubic of Hermite's. The other looks at what it does in other frames of the clip in which the rest of the
body is posed and moves alike (kernel regression: Nadaraya 1964, Watson 1964), shifted so that both ends are met; it
counts as far as there are such frames, which there are in whatever is done more than once.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass as plain_dataclass
from dataclasses import replace
from typing import Annotated, Literal

import numpy as np
from pydantic.dataclasses import dataclass

from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.curves import smooth
from armuto.kinematics.signals import runs
from armuto.kinematics.tangent import from_tangent, to_tangent
from armuto.lazy import lazily
from armuto.refining.refined import Body, Refined
from armuto.validation import STRICT, Within

distance = lazily("scipy.spatial.distance")

SAME = 1e-6  # radians or metres between two frames
SHORTEST = 3  # frames that stand still
AROUND = 0.15  # seconds before and after it, by which its speed is told
JUMP = 1.5  # so many times as far as it then goes between two frames a track jumps where it is found again
FAR = (float(np.radians(2.0)), 0.01)  # radians and metres that it jumps at least
AHEAD = 0.1  # seconds by which a difference in velocity counts as one in pose
ALIKE = 1.0  # so many times as far apart as two frames that follow each other poses are alike
NEAREST = 6  # frames of which a guess is made


@dataclass(frozen=True, config=STRICT)
class Gaps:
    """longest: seconds; what stands still for longer is meant to."""

    kind: Literal["gaps"] = "gaps"
    on: bool = True
    longest: Annotated[float, Within(0.05, 10.0)] = 1.5

    def refine(self, before: Refined, body: Body) -> Refined:
        clip = before.clip
        mean, vectors = to_tangent(clip.rotations)
        found = _gaps(vectors, clip, self.longest)
        if not found:
            return before
        rotations, translations = clip.rotations.copy(), clip.translations.copy()
        lost = np.zeros(vectors.shape[:2], bool)
        for gap in found:
            if gap.turns:
                lost[gap.first : gap.last + 1, gap.column] = True
        for gap in found:
            track = vectors[:, gap.column] if gap.turns else clip.translations[:, gap.column]
            made = _bridge(track, gap, clip.fps)
            guess, trust = _alike(track, vectors, lost, gap, clip.fps)
            made = made + trust[:, None] * (guess - made)
            rows = slice(gap.first, gap.last + 1)
            if gap.turns:
                rotations[rows, gap.column] = from_tangent(mean[gap.column], made)
            else:
                translations[rows, gap.column] = made
        return before.with_clip(replace(clip, rotations=rotations, translations=translations))


@plain_dataclass(frozen=True)
class Gap:
    """first, last: the frames that are to be made anew. turns: of a joint's rotation, whose number column is, or else
    of a column of translations."""

    turns: bool
    column: int
    first: int
    last: int


def gaps(clip: Clip, longest: float = Gaps.longest) -> list[Gap]:
    """Where tracks were lost and found again."""
    return _gaps(to_tangent(clip.rotations)[1], clip, longest)


def _gaps(vectors: FloatArray, clip: Clip, longest: float) -> list[Gap]:
    out = []
    for turns, tracks in ((True, vectors), (False, clip.translations)):
        if not tracks.shape[1] or clip.frames < SHORTEST + 4:
            continue
        steps = np.sqrt(np.sum(np.diff(tracks, axis=0) ** 2, axis=-1))
        for column in np.flatnonzero((steps <= SAME).any(axis=0) & (steps > SAME).any(axis=0)):
            for first, last in _stretches(steps[:, column], clip.fps, longest, FAR[0 if turns else 1]):
                out.append(Gap(turns, int(column), first, last))
    return out


def _stretches(steps: FloatArray, fps: float, longest: float, far: float) -> Iterator[tuple[int, int]]:
    still: BoolArray = steps <= SAME
    for begin, end in runs(still):
        # Frames begin + 1 to end + 1 repeat frame begin; the one after has been found again.
        first, last = begin + 1, end + 1
        after = steps[end + 2 : end + 3]
        if last - first + 1 < SHORTEST or (last - first + 1) / fps > longest or begin == 0 or not len(after):
            continue
        # What stands still on purpose sets out from where it stands, no faster than it then goes on.
        if steps[end + 1] > max(far, JUMP * float(after[0])):
            yield first, last


def _bridge(track: FloatArray, gap: Gap, fps: float) -> FloatArray:
    """A track ``(F, 3)`` over a gap, from one side to the other at the speeds it has there."""
    a, b = gap.first - 1, gap.last + 1
    near = max(1, round(AROUND * fps / 2))
    begin, end = max(0, a - near), min(len(track) - 1, b + near)
    slopes = (track[a] - track[begin]) / max(1, a - begin), (track[end] - track[b]) / max(1, end - b)
    length = b - a
    s = (np.arange(gap.first, gap.last + 1) - a)[:, None] / length
    return np.asarray(
        (1 + 2 * s) * (1 - s) ** 2 * track[a]
        + s * (1 - s) ** 2 * length * slopes[0]
        + s * s * (3 - 2 * s) * track[b]
        + s * s * (s - 1) * length * slopes[1]
    )


def _alike(
    track: FloatArray, vectors: FloatArray, lost: BoolArray, gap: Gap, fps: float
) -> tuple[FloatArray, FloatArray]:
    """What a track ``(F, 3)`` is over a gap by other frames of the clip, and how far that is to be trusted, 0 to 1, by
    frame. vectors ``(F, J, 3)``: of all joints; lost ``(F, J)``: where they are not known."""
    rows = np.arange(gap.first - 1, gap.last + 2)
    own = np.zeros(lost.shape[1], bool)
    own[gap.column] = gap.turns
    known = ~own & ~lost[rows].any(axis=0)
    # Frames that may be looked at: not in a gap of the track, nor next to this one, where it is only nearly alike.
    complete: BoolArray = np.logical_not(lost[:, own | known].any(axis=1))
    complete[max(0, gap.first - NEAREST) : gap.last + NEAREST + 1] = False
    if known.sum() < 3 or complete.sum() < NEAREST:
        return track[rows[1:-1]], np.zeros(len(rows) - 2)
    posed = vectors[:, known].reshape(len(vectors), -1)
    features = np.concatenate([posed, AHEAD * fps * np.asarray(np.gradient(posed, axis=0))], axis=1)
    distances = np.asarray(distance.cdist(features[rows], features[complete]))
    usual = float(np.median(np.linalg.norm(np.diff(features, axis=0), axis=1))) * ALIKE + 1e-9
    nearest = np.argpartition(distances, NEAREST - 1, axis=1)[:, :NEAREST]
    near = np.take_along_axis(distances, nearest, axis=1)
    weight = np.exp(-0.5 * (near / np.maximum(near.min(axis=1, keepdims=True), 0.5 * usual)) ** 2)
    values = track[complete][nearest]
    guess = (values * weight[..., None]).sum(axis=1) / weight.sum(axis=1)[:, None]
    # Both ends are met, and what was off there is carried evenly from the one to the other.
    off, share = track[rows[[0, -1]]] - guess[[0, -1]], smooth(np.linspace(0, 1, len(rows)))[:, None]
    guess = guess + off[0] * (1 - share) + off[1] * share
    trust = 1 / (1 + (near.min(axis=1) / (4 * usual)) ** 4)
    return guess[1:-1], np.full(len(rows) - 2, float(trust.min()))
