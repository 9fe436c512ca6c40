"""Knuckles and tips of fingers, from the shape of a hand.

A hand is looked at as a solid of its own, fine enough for its fingers. How far each voxel is from the wrist within the
hand rises along every finger to its tip: tips are the maxima of that distance, and how far it falls between one and the
next tells a finger from a bump (persistence; Edelsbrunner, Letscher and Zomorodian, 2002).
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from armuto.errors import BadInput
from armuto.kinematics.arrays import FloatArray
from armuto.lazy import lazily
from armuto.rigging.landmark_sets import FINGERS, SIDES
from armuto.rigging.landmarks import Landmark, Landmarks
from armuto.rigging.solid import Solid, solid_of

kernels = lazily("armuto.rigging.kernels")

FINENESS = 72  # voxels along the longest side of a hand
REACH = 1.7  # times the length of the hand, about its middle, in which its surface lies
BUMP = 0.12  # of the hand's length: what stands out by less is a finger only where a person says how many there are
LEAST = 0.025  # of the hand's length: what stands out by less is none
MOST = 4  # branches that join a longer one
SHORTEST = 0.45  # of the hand's length that a finger has from its knuckle on
KNUCKLE = 0.35  # of a finger's free length, by which its knuckle lies before where it is free
APART = 0.72  # of the others' way from the wrist, up to which a finger that begins nearer is the thumb
ALIKE = 0.03  # of the way from hand to hand, within which they mirror each other
UNSEEN = 0.2  # confidence of a finger that the shape does not show


Named = tuple[FloatArray, FloatArray, float]  # root, tip, confidence


@dataclass(frozen=True)
class Finger:
    """tip, middle ``(3,)``: of what is free of the hand; free: by how much it stands out; hand: how long that is."""

    tip: FloatArray
    middle: FloatArray
    free: float
    hand: float

    def root(self, along: FloatArray) -> FloatArray:
        """The knuckle ``(3,)``: as far behind the tip as fingers are long, in the direction of what is free of it, or
        along the hand ``(3,)`` where next to nothing is."""
        way = self.tip - self.middle
        share = float(np.clip(self.free / (BUMP * self.hand) - 0.5, 0, 1))
        own = way / max(float(np.linalg.norm(way)), 1e-9)
        back = share * own + (1 - share) * along
        return np.asarray(self.tip - back / np.linalg.norm(back) * max((1 + KNUCKLE) * self.free, SHORTEST * self.hand))


def with_fingers(
    landmarks: Landmarks, points: FloatArray, faces: NDArray[np.int64], count: int | None = None
) -> Landmarks:
    """Landmarks with those of fingers in place of such that there were. count: of each hand, 0 to 5; as many as its
    shape shows where nothing is said. Raises :class:`BadInput` for a body without hands."""
    if not landmarks.landmark_set.fingers:
        raise BadInput("a body of this kind has no hands with fingers; leave their number out.")
    kept = {name: row for name, row in landmarks.points.items() if not any(f" {finger} " in name for finger in FINGERS)}
    hands = {side: _hand(landmarks, side, points, faces, count) for side in SIDES}
    if count is None and len(hands["left"]) != len(hands["right"]) and _mirrored(landmarks):
        # Hands that mirror each other have the same fingers: as many as the one shows that shows more.
        rich, poor = sorted(SIDES, key=lambda side: -len(hands[side]))
        plane = landmarks.plane
        hands[poor] = {
            name: (plane.mirrored(root), plane.mirrored(end), sure) for name, (root, end, sure) in hands[rich].items()
        }
    for side, fingers in hands.items():
        for finger, (root, end, sure) in fingers.items():
            kept[f"{side} {finger} root"] = _landmark(root, sure)
            kept[f"{side} {finger} tip"] = _landmark(end, sure)
    return replace(landmarks, points=kept)


def _hand(
    landmarks: Landmarks, side: str, points: FloatArray, faces: NDArray[np.int64], count: int | None
) -> dict[str, Named]:
    """Fingers of a hand by name; such as are usual where its shape shows fewer than there are to be."""
    wrist, tip = landmarks.at(f"{side} wrist"), landmarks.at(f"{side} hand")
    length = float(np.linalg.norm(tip - wrist))
    found = fingers_of(points, faces, wrist, tip) if count != 0 and length > 1e-6 else []
    if count is None:
        found = [row for row in found if row.free > BUMP * length]
    named = _named(found[:count], landmarks, side)
    for finger in (*FINGERS[1:], FINGERS[0])[: 0 if count is None else 5]:
        if len(named) < (count or 0) and finger not in named:
            named[finger] = _guessed(finger, landmarks, side)
    return named


def _mirrored(landmarks: Landmarks) -> bool:
    """Whether both hands lie in each other's mirror."""
    pairs = [(landmarks.at(f"left {name}"), landmarks.at(f"right {name}")) for name in ("wrist", "hand")]
    length = float(np.linalg.norm(pairs[0][0] - pairs[1][0]))
    return all(float(np.linalg.norm(landmarks.plane.mirrored(a) - b)) < ALIKE * length for a, b in pairs)


def fingers_of(points: FloatArray, faces: NDArray[np.int64], wrist: FloatArray, tip: FloatArray) -> list[Finger]:
    """Fingers of a hand from its wrist to its far end, those that stand out most first; at most five."""
    length = float(np.linalg.norm(tip - wrist))
    along = (tip - wrist) / length
    middles = points[faces].mean(axis=1)
    near = (np.linalg.norm(middles - (wrist + tip) / 2, axis=1) < REACH * length / 2 + 0.3 * length) & (
        (middles - wrist) @ along > -0.05 * length
    )
    if near.sum() < 20:
        return []
    solid = solid_of(points, faces[near], FINENESS)
    far = _from_wrist(solid, wrist, along, length)
    return sorted(_branches(solid, far, length), key=lambda row: -row.free)[:5]


def _from_wrist(solid: Solid, wrist: FloatArray, along: FloatArray, length: float) -> FloatArray:
    """How far each voxel is from the wrist within the hand ``(N,)``; infinite in what does not touch it."""
    height = (solid.centres - wrist) @ along
    seeds = np.flatnonzero((height < 0.1 * length) & (np.linalg.norm(solid.centres - wrist, axis=1) < 0.6 * length))
    found, far = kernels.empty(len(solid.cells), 1)
    if len(seeds):
        rows = np.ascontiguousarray(np.stack([seeds, np.zeros(len(seeds), np.int64)], axis=1), np.int64)
        kernels.nearest_sources(solid.neighbours, solid.strides, rows, np.zeros(len(seeds)), np.inf, found, far)
    return np.asarray(np.where(found[:, 0] < 0, np.inf, far[:, 0]))


def _branches(solid: Solid, far: FloatArray, length: float) -> list[Finger]:
    """What stands out of a hand, each as far as it is free of the others."""
    finite = np.flatnonzero(np.isfinite(far))
    order = np.ascontiguousarray(finite[np.argsort(-far[finite], kind="stable")])
    if not len(order):
        return []
    peaks, levels = np.empty(len(far), np.int64), np.empty(len(far))
    parent = np.full(len(far), -1, np.int64)
    count = kernels.merge_tree(solid.neighbours, order, far, parent, peaks, levels)
    free = far[peaks[:count]] - levels[:count]
    chosen = np.flatnonzero(free > LEAST * length)
    chosen = chosen[np.argsort(-free[chosen], kind="stable")][:MOST]
    out = [_finger(solid, far, int(peaks[n]), float(levels[n]), length) for n in chosen]
    if out:
        # The longest of all joins none: it is free as far as the one that is freest.
        top = int(order[0])
        out.append(_finger(solid, far, top, float(far[top] - free[chosen].max()), length))
    return out


def _finger(solid: Solid, far: FloatArray, peak: int, level: float, length: float) -> Finger:
    """The finger that ends in a voxel, free from a distance on."""
    seen, waiting = {peak}, [peak]
    while waiting:
        for other in solid.neighbours[waiting.pop()].tolist():
            if other >= 0 and other not in seen and level < far[other] < np.inf:
                seen.add(other)
                waiting.append(other)
    cells = np.array(sorted(seen))
    free = float(far[peak]) - level
    tip = solid.centres[cells[far[cells] > far[peak] - max(0.12 * free, 2 * solid.pitch)]].mean(axis=0)
    return Finger(tip, solid.centres[cells].mean(axis=0), free, length)


def _named(found: list[Finger], landmarks: Landmarks, side: str) -> dict[str, Named]:
    """Fingers by name: the thumb where one begins clearly nearer to the wrist, and the others from its side on."""
    if not found:
        return {}
    wrist, along, across = _axes(landmarks, side)
    roots = [row.root(along) for row in found]
    begins = np.array([(root - wrist) @ along for root in roots])
    rest = list(range(len(found)))
    order: dict[str, int] = {}
    if len(found) > 1:
        first = int(begins.argmin())
        if begins[first] < APART * float(np.median(np.delete(begins, first))):
            order["thumb"] = first
            rest.remove(first)
            # Whichever way the palm looks, the index is beside the thumb.
            sideways = found[first].tip - np.mean([found[n].tip for n in rest], axis=0)
            sideways = sideways - (sideways @ along) * along
            if np.linalg.norm(sideways) > 1e-9:
                across = sideways / np.linalg.norm(sideways)
    rest.sort(key=lambda n: -float(found[n].tip @ across))
    order |= dict(zip(FINGERS[1:], rest, strict=False))
    return {
        finger: (roots[n], found[n].tip, round(float(np.clip(found[n].free / (0.4 * found[n].hand), 0, 1)), 2))
        for finger, n in order.items()
    }


def _axes(landmarks: Landmarks, side: str) -> tuple[FloatArray, FloatArray, FloatArray]:
    """A hand's wrist, where it points, and where its thumb is if its palm looks down or to the body."""
    wrist, tip = landmarks.at(f"{side} wrist"), landmarks.at(f"{side} hand")
    along = (tip - wrist) / max(float(np.linalg.norm(tip - wrist)), 1e-9)
    ahead = np.array(landmarks.ahead)
    across = ahead - (ahead @ along) * along
    return wrist, along, across / max(float(np.linalg.norm(across)), 1e-9)


def _guessed(finger: str, landmarks: Landmarks, side: str) -> Named:
    """A finger by the usual proportions of a hand."""
    wrist, along, across = _axes(landmarks, side)
    length = float(np.linalg.norm(landmarks.at(f"{side} hand") - wrist))
    if finger == "thumb":
        root = wrist + length * (0.15 * along + 0.18 * across)
        return root, root + length * (0.3 * along + 0.25 * across), UNSEEN
    place = {"index": 0.16, "middle": 0.05, "ring": -0.06, "little": -0.17}[finger]
    reach = {"index": 0.94, "middle": 1.0, "ring": 0.95, "little": 0.82}[finger]
    root = wrist + length * ((1 - SHORTEST) * along + place * across)
    return root, wrist + length * (reach * along + place * across), UNSEEN


def hand_end(rows: FloatArray, wrist: FloatArray, palm: FloatArray) -> FloatArray:
    """As far from the wrist as the hand ``(N, 3)`` reaches, straight on through its palm: whichever finger is the
    longest, it is no more of the hand than the others."""
    way = palm - wrist
    way = way / max(float(np.linalg.norm(way)), 1e-9)
    return np.asarray(wrist + float(((rows - wrist) @ way).max(initial=0.0)) * way)


def _landmark(at: FloatArray, confidence: float) -> Landmark:
    x, y, z = at.tolist()
    return Landmark((x, y, z), confidence)
