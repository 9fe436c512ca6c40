"""How the second clip of a join is laid onto the first: over which frames, and about what.

With places a and b of the same points in the frames they have in common, on the ground as complex numbers, the pivot's
places p and q, and weights w, the turn about up is that which brings the second nearest with the pivot on the pivot::

    φ = arg Σ w (a − p) (b − q)*
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from armuto.contacts.model import Contact
from armuto.errors import BadInput
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.refining.foot_locking import bearing
from armuto.refining.rigid import GROUND, IDENTITY, UP, RigidMotion
from armuto.splicing.features import PreparedClip, on_ground, point_weights
from armuto.splicing.model import Join

SAME = 0.005  # metres: two that fit so well where they are stay there
SHORTEST, PER_CENTIMETRE, LONGEST = 0.1, 0.045, 0.7  # seconds of overlap: at no distance, for each cm, at most
# Weights of the last three frames that put a path half a frame on. The same from the other side, the shift between both
# is that which makes the squares of the third differences across the gap least; a smooth path is met to fifth order.
HALF_AHEAD = np.array([1.0, -5.0, 10.0]) / 6


@dataclass(frozen=True)
class Overlap:
    """The frames that two clips have in common: from frame out of the first and into of the second on, as many as
    frames. None of them: frame into of the second follows on frame out − 1 of the first. beyond: so many frames more in
    which the second is seen alone, while what the first was off it dies away."""

    out: int
    into: int
    frames: int
    beyond: int = 0


@dataclass(frozen=True, eq=False)
class Alignment:
    """motion: what lays the second clip onto the first. pivot: what is held still, by name. at: where it is in the
    first ``(3,)``."""

    motion: RigidMotion
    pivot: str
    at: FloatArray


def proposed_overlap(distance: float) -> float:
    """Seconds, of poses that are so many centimetres apart."""
    return float(min(SHORTEST + PER_CENTIMETRE * distance, LONGEST))


def overlap_at(
    out: int, into: int, length: int, within_first: tuple[int, int], within_second: tuple[int, int]
) -> Overlap:
    """So many frames around frame out of the first and into of the second, which are one; fewer where there are not as
    many. within: the first and last frame of each that may be used; where they are not these, the second follows."""
    if length < 1 or out < within_first[0] or into > within_second[1]:
        return Overlap(out + 1, into, 0)
    room = min(out - within_first[0], into - within_second[0]), min(within_first[1] - out, within_second[1] - into)
    before = min((length - 1) // 2, room[0])
    after = min(length - 1 - before, room[1])
    before = min(length - 1 - after, room[0])
    return Overlap(out - before, into - before, before + after + 1)


def align(a: PreparedClip, b: PreparedClip, overlap: Overlap, join: Join) -> Alignment:
    """How b, where it was recorded, is laid onto a, where that was recorded.

    Raises :class:`BadInput` for a pivot that the body does not have.
    """
    joints, weights = point_weights(a.body)
    own, other = _overlapping(a, overlap.out, overlap, True), _overlapping(b, overlap.into, overlap, False)
    if join.pivot == "auto" and _apart(own[:, joints], other[:, joints], weights) < SAME:
        # As two pieces of a take: they go on where they were recorded, however far the second goes from there.
        return Alignment(IDENTITY, "body", np.einsum("j,njc->c", weights, own[:, joints]) / len(own))
    name, p, q = _pivot(a, b, overlap, join.pivot, own, other)
    arms = on_ground(own[:, joints] - p), on_ground(other[:, joints] - q)
    turn = rotation.about(UP, float(np.angle((weights * arms[0] * arms[1].conj()).sum())))
    return Alignment(RigidMotion(turn, q * GROUND, (p - q) * GROUND), name, p)


def misfit(a: PreparedClip, b: PreparedClip, overlap: Overlap) -> float:
    """Metres by which both are apart in the frames in common, in the weighted root mean square, once the second is laid
    onto the first as well as it can be."""
    joints, weights = point_weights(a.body)
    own, other = _overlapping(a, overlap.out, overlap, True), _overlapping(b, overlap.into, overlap, False)
    motion = align(a, b, overlap, Join(pivot="body")).motion
    return _apart(own[:, joints], motion.place(other[:, joints]), weights)


def _apart(own: FloatArray, other: FloatArray, weights: FloatArray) -> float:
    return float(np.sqrt((weights * ((own - other) ** 2).sum(axis=-1)).sum() / len(own)))


def align_to_place(b: PreparedClip, overlap: Overlap, place: tuple[float, float], facing: float) -> Alignment:
    """How b is laid with its hips at a place on the floor in the middle of the overlap, and they facing so many degrees
    from +Z towards +X."""
    body, middle = b.body, overlap.into + overlap.frames // 2
    hips = b.clip.cut(middle, middle).world().rotations[0, body.hips]
    turned = rotation.multiply(hips, rotation.inverse(body.skeleton.rest.rotations[body.hips]))
    ahead = rotation.rotate(turned, np.array([0.0, 0.0, 1.0]))
    turn = rotation.about(UP, np.radians(facing) - np.arctan2(ahead[0], ahead[2]))
    at, now = np.array([place[0], 0.0, place[1]]), b.positions[middle, body.hips] * GROUND
    return Alignment(RigidMotion(turn, now, at - now), "place", at)


def _overlapping(clip: PreparedClip, first: int, overlap: Overlap, is_first: bool) -> FloatArray:
    """Places of all joints ``(N, J, 3)`` in the frames in common; where there are none, half a frame beyond the end."""
    if overlap.frames:
        return clip.positions[first : first + overlap.frames]
    rows = np.arange(first - 3, first) if is_first else np.arange(first, first + 3)[::-1]
    places = clip.positions[rows[(rows >= 0) & (rows < clip.clip.frames)]]
    if len(places) < 3:
        return np.asarray((places[-1] + (places[-1] - places[0]) / 2)[None])
    return np.asarray(np.einsum("k,kjc->jc", HALF_AHEAD, places)[None])


def _pivot(
    a: PreparedClip, b: PreparedClip, overlap: Overlap, wanted: str, own: FloatArray, other: FloatArray
) -> tuple[str, FloatArray, FloatArray]:
    """Its name, and where it is in the one and in the other. "body": the middle of all points, about which both come
    nearest to each other."""
    name = "body" if wanted == "auto" else wanted
    if wanted == "auto" or wanted.endswith(" foot"):
        foot = _resting_foot(a, b, overlap, wanted)
        if foot is not None:
            return foot
    if name == "body":
        joints, weights = point_weights(a.body)
        p, q = (np.einsum("j,njc->c", weights, rows[:, joints]) / len(rows) for rows in (own, other))
        return name, p, q
    joint = a.body.hips if name == "hips" else a.body.joint_of.get(name)
    if joint is None:
        raise BadInput(
            f"“{name}” is no part of this body that a join could turn about; name a foot, a hand or the hips."
        )
    return name, own[:, joint].mean(axis=0), other[:, joint].mean(axis=0)


def _resting_foot(
    a: PreparedClip, b: PreparedClip, overlap: Overlap, foot: str
) -> tuple[str, FloatArray, FloatArray] | None:
    """The foot that rests in both for most of the frames in common, and where its points rest."""
    ground = a.ground
    if ground is None or a.steps is None or b.steps is None:
        return None
    # Where the one just follows the other, what counts is the last frame of the one and the first of the other.
    starts = overlap.out if overlap.frames else overlap.out - 1, overlap.into
    rows = [slice(start, start + max(overlap.frames, 1)) for start in starts]
    best: tuple[float, str, FloatArray, FloatArray] | None = None
    for limb in ground.legs:
        name = limb.replace(" leg", " foot")
        if foot not in ("auto", name):
            continue
        total, places = 0.0, [np.zeros(3), np.zeros(3)]
        for point in (point for point in ground.points if point.limb == limb):
            both = a.resting[point.name][rows[0]] & b.resting[point.name][rows[1]]
            weight = both * bearing(a.steps.paths, Contact(point.name, 0, 0), ground)[rows[0]]
            for k, clip in enumerate((a.steps, b.steps)):
                places[k] = places[k] + (clip.paths[point.name][rows[k]] * weight[:, None]).sum(axis=0)
            total += float(weight.sum())
        if total > 0 and (best is None or total > best[0] + 1e-9):
            best = total, name, places[0] / total, places[1] / total
    return None if best is None else best[1:]
