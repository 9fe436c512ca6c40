"""The cross-section of a body through a landmark: what is cut, which of it is the limb's own, and its middle."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.lazy import lazily
from armuto.rigging.components import welded
from armuto.rigging.landmark_sets import FINGERS, SIDES
from armuto.rigging.landmarks import Landmarks

sparse = lazily("scipy.sparse")
csgraph = lazily("scipy.sparse.csgraph")


@dataclass(frozen=True)
class Section:
    """segments ``(S, 2, 3)`` in metres; own ``(S,)``: whether each belongs to the outline nearest to the landmark;
    middle ``(3,)``: the centre of the area within that outline, or None where nothing is cut. normal ``(3,)``."""

    segments: FloatArray
    own: BoolArray
    middle: FloatArray | None
    normal: FloatArray


def normal_at(landmarks: Landmarks, name: str) -> FloatArray:
    """The direction ``(3,)`` across which a body is cut at a landmark: along the limb it lies in."""
    side, _, rest = name.partition(" ")
    if side in SIDES:
        finger, _, end = rest.partition(" ")
        ends: tuple[str, ...] = tuple(f"{side} {each}" for each in landmarks.landmark_set.along.get(rest, ()))
        if finger in FINGERS and end:
            ends = (f"{side} {finger} root", f"{side} {finger} tip")
        if len(ends) == 2 and all(each in landmarks.points for each in ends):
            along = landmarks.at(ends[1]) - landmarks.at(ends[0])
            if np.linalg.norm(along) > 1e-6:
                return np.asarray(along / np.linalg.norm(along))
    return np.array([0.0, 1.0, 0.0])


def section_at(points: FloatArray, faces: NDArray[np.int64], at: FloatArray, normal: FloatArray) -> Section:
    """The cut of a mesh ``(P, 3)``, ``(T, 3)`` with the plane through a point, across a direction of length 1."""
    height = (points - at) @ normal
    height = np.where(height == 0, 1e-12, height)
    above = height > 0
    cut = faces[np.ptp(above[faces].astype(np.int8), axis=1) > 0]
    if not len(cut):
        return Section(np.zeros((0, 2, 3)), np.zeros(0, bool), None, normal)
    used = np.unique(cut)
    _, same = welded(points[used])
    place = np.zeros(len(points), np.int64)
    place[used] = same
    # The corner that lies on its side alone is turned to the front: both of its edges are cut, and winding is kept.
    alone = np.array([np.flatnonzero(row)[0] for row in _alone(above[cut])])
    turned = np.take_along_axis(cut, (alone[:, None] + np.arange(3)) % 3, axis=1)
    ends, edges = [], []
    for other in (turned[:, 1], turned[:, 2]):
        share = height[turned[:, 0]] / (height[turned[:, 0]] - height[other])
        ends.append(points[turned[:, 0]] + share[:, None] * (points[other] - points[turned[:, 0]]))
        pair = np.sort(np.stack([place[turned[:, 0]], place[other]], axis=1), axis=1)
        edges.append(pair[:, 0] * (place.max() + 1) + pair[:, 1])
    segments = np.stack(ends, axis=1)
    # Walked with the body on the left, whichever side the lone corner is on.
    segments = np.where(above[turned[:, 0]][:, None, None], segments, segments[:, ::-1])
    _, numbers = np.unique(np.concatenate(edges), return_inverse=True)
    first, second = np.split(numbers.reshape(-1), 2)
    count = int(numbers.max()) + 1
    _, labels = csgraph.connected_components(
        sparse.coo_matrix((np.ones(len(first), bool), (first, second)), (count, count)), directed=False
    )
    outlines = labels[first]
    own = outlines == _nearest(segments, outlines, at)
    return Section(segments, own, _middle(segments[own], normal), normal)


def _alone(above: BoolArray) -> BoolArray:
    """Which of three corners has neither of the others on its side ``(T, 3)``."""
    return np.asarray(above == (above.sum(axis=1) == 1)[:, None])


def _nearest(segments: FloatArray, outlines: NDArray[np.int64], at: FloatArray) -> int:
    """The outline that comes nearest to a point."""
    along = segments[:, 1] - segments[:, 0]
    share = np.einsum("sk,sk->s", at - segments[:, 0], along) / np.maximum(np.einsum("sk,sk->s", along, along), 1e-18)
    near = segments[:, 0] + np.clip(share, 0, 1)[:, None] * along
    return int(outlines[int(np.linalg.norm(near - at, axis=1).argmin())])


def _middle(segments: FloatArray, normal: FloatArray) -> FloatArray:
    """The centre of the area within an outline (Green's theorem), or of its box where it encloses none."""
    low, high = segments.min(axis=(0, 1)), segments.max(axis=(0, 1))
    centre = (low + high) / 2
    a, b = segments[:, 0] - centre, segments[:, 1] - centre
    twice = np.cross(a, b) @ normal
    total = float(twice.sum())
    if abs(total) < 0.1 * float(np.abs(twice).sum()):
        return np.asarray(centre)
    middle = centre + (twice[:, None] * (a + b) / 3).sum(axis=0) / total
    return np.asarray(np.clip(middle, low, high))
