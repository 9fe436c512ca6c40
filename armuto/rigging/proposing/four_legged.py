"""Landmarks of a body that stands on four legs, from its shape.

Legs are what stands on the floor by itself up to the belly, where those in front and those behind grow together. Their
middles tell where they bend: hind legs back at the ankle, which is the highest joint that can be seen. What lies within
the trunk, shoulders, elbows, hips and knees, is told by the belly and the back above it. Head and tail are what reaches
farthest, along sections across how far it is to their ends.
"""

from __future__ import annotations

import numpy as np

from armuto.errors import BadInput
from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.rigging.landmark_sets import SIDES
from armuto.rigging.proposing.body_frame import (
    NO_TRUNK,
    BodyFrame,
    Found,
    connected,
    sections_from,
)
from armuto.rigging.proposing.legs import Leg
from armuto.rigging.proposing.tails import tail_of

STANDING = 0.06  # of the height: what reaches below it is a foot
BELLY = (0.12, 0.8)  # of the height, between which legs grow together
HIGHER = 0.06  # of the height, by which the end with the head is higher than the other
# Over the height of the back: how far shoulders are above the elbows and ahead of them, of the way to the back.
SHOULDER_UP, SHOULDER_AHEAD = 0.33, 0.15
WRIST = 0.34  # of the way from the front toes to the elbow
HIP_UP, HIP_AHEAD = 0.52, 0.09  # of the way from the knee to the back; of the back's height, ahead of the ankle
HIP_BEHIND = 0.14  # of the back's height, behind a knee that is seen
KNEE_AHEAD = 0.25  # of the back's height, ahead of the ankle
ANKLE, KNEE = (0.2, 0.36, 0.5), (0.42, 0.56, 0.68)  # of the back's height: the lowest, the usual and the highest
ELBOW = (0.44, 0.68)
WITHIN = 0.04  # of the back's height, by which joints lie deeper in a bend than its middles show
BROAD = 0.4  # of the back's height from front to back: what is broader is no leg any more
NECK_UP, NECK_BEHIND = 0.93, 0.04  # of the back's height, where the neck's lowest bone begins, behind the shoulders
SKULL = 0.47  # of the way from the nose to the neck


def propose_four_legged(frame: BodyFrame) -> tuple[BodyFrame, Found]:
    """The landmarks of a body on four legs that looks ahead, and its frame, turned to where its head is.

    Raises
    ------
    BadInput
        One sentence without a file's name, where the shape is no such body.
    """
    belly, legs = legs_of(frame)
    if _looks_back(frame, belly, legs):
        frame = frame.turned()
        belly, legs = legs_of(frame)
    found: Found = {}
    local = frame.local
    own = np.zeros(len(local), bool)
    for mask in legs.values():
        own |= mask
    front, hind = ends_of(frame, legs)
    between = ~own & (local[:, 2] > hind + 0.25 * (front - hind)) & (local[:, 2] < front - 0.25 * (front - hind))
    if not between.any():
        raise BadInput(NO_TRUNK)
    back = _top(local[between], frame.step)
    for side in SIDES:
        _front_leg(_leg(frame, legs[side, "front"], back), side, belly, back, found)
        _hind_leg(_leg(frame, legs[side, "hind"], back), side, back, found)
    hips = (found["left hip"][0] + found["right hip"][0]) / 2
    _head(frame, ~own & (local[:, 1] > 0.8 * belly), back, found)
    found |= tail_of(frame, ~own, back, hips)
    return frame, found


def _leg(frame: BodyFrame, mask: BoolArray, back: float) -> Leg:
    """A leg as far up as it is one: parts of a belly that hangs lower than where legs meet are not."""
    rows, step = frame.local[mask], frame.step
    numbers = np.round(rows[:, 1] / step).astype(int)
    low, high = np.full(numbers.max() + 1, np.inf), np.full(numbers.max() + 1, -np.inf)
    np.minimum.at(low, numbers, rows[:, 2])
    np.maximum.at(high, numbers, rows[:, 2])
    broad = np.flatnonzero(high - low > BROAD * back)
    broad = broad[broad * step > ANKLE[0] * back]
    return Leg(rows[numbers < broad[0]] if len(broad) else rows, step)


def _top(rows: FloatArray, step: float) -> float:
    """How high the back is: the median of the highest voxels from end to end."""
    numbers = np.round(rows[:, 2] / step).astype(int)
    numbers -= numbers.min()
    top = np.full(numbers.max() + 1, -np.inf)
    np.maximum.at(top, numbers, rows[:, 1])
    return float(np.median(top[np.isfinite(top)]))


def legs_of(frame: BodyFrame) -> tuple[float, dict[tuple[str, str], BoolArray]]:
    """How high the belly is, and which voxels ``(N,)`` are of the legs below it, by side and end. Raises
    :class:`BadInput` where four legs cannot be told."""
    heights = np.arange(*BELLY, frame.step)
    # What stands apart only grows together the higher it is cut.
    low, high, found = -1, len(heights), None
    while high - low > 1:
        middle = (low + high) // 2
        legs = _legs_below(frame, float(heights[middle]))
        if legs is None:
            high = middle
        else:
            low, found = middle, legs
    if found is None:
        raise BadInput("no four legs stand on the floor; set the landmarks by hand.")
    return float(heights[low]), found


def ends_of(frame: BodyFrame, legs: dict[tuple[str, str], BoolArray]) -> tuple[float, float]:
    """How far ahead the front legs stand, and the hind ones."""
    front, hind = (
        float(np.median(np.concatenate([frame.local[legs[side, end], 2] for side in SIDES])))
        for end in ("front", "hind")
    )
    return front, hind


def _legs_below(frame: BodyFrame, height: float) -> dict[tuple[str, str], BoolArray] | None:
    """The legs below a height, where two stand apart on either side."""
    x, y, z = frame.local.T
    legs: dict[tuple[str, str], BoolArray] = {}
    for side, sign in (("left", 1.0), ("right", -1.0)):
        below = (y < height) & (sign * x > 0.3 * frame.step)
        labels, count = connected(frame.solid, below)
        standing = np.unique(labels[below & (y < STANDING)])
        sizes = np.bincount(labels[below], minlength=count)
        two = sorted(standing, key=lambda label: -sizes[label])[:2]
        # A hair that touches the floor is no leg.
        if len(two) < 2 or sizes[two[1]] < 0.25 * sizes[two[0]]:
            return None
        first, second = (labels == label for label in two)
        front, hind = (first, second) if z[first].mean() > z[second].mean() else (second, first)
        if z[front].min() < z[hind].mean():
            return None
        legs[side, "front"], legs[side, "hind"] = front, hind
    return legs


def _looks_back(frame: BodyFrame, belly: float, legs: dict[tuple[str, str], BoolArray]) -> bool:
    """Whether the head is at the end that is taken for the hind one: heads are higher than tails, or as high and
    thicker."""
    _, y, z = frame.local.T
    front = float(z[legs["left", "front"] | legs["right", "front"]].max())
    hind = float(z[legs["left", "hind"] | legs["right", "hind"]].min())
    ahead, behind = (y > belly) & (z > front), (y > belly) & (z < hind)
    if not (ahead.any() and behind.any()):
        return bool(behind.any())
    higher = float(y[ahead].max() - y[behind].max())
    if abs(higher) > HIGHER:
        return higher < 0
    return int(behind.sum()) > int(ahead.sum())


def _front_leg(leg: Leg, side: str, belly: float, back: float, found: Found) -> None:
    ball, toes = leg.foot
    # A belly that lies higher than the elbows leaves them to be seen, as where the legs bend back.
    if bent := leg.corners(ball[1] + 0.1 * back, (ELBOW[0] * back, ELBOW[1] * back, 1.0)):
        (elbow,), sure = bent, 0.7
        elbow[1] += WITHIN * back
    else:
        elbow, sure = leg.middle(belly - leg.step), 0.6
        elbow[1] = min(belly + 0.02 * back, ELBOW[1] * back)
    wrist = leg.middle(ball[1] + WRIST * (elbow[1] - ball[1]))
    shoulder = np.array([0.95 * elbow[0], elbow[1] + SHOULDER_UP * (back - elbow[1]), elbow[2] + SHOULDER_AHEAD * back])
    found[f"{side} shoulder"] = shoulder, 0.5
    found[f"{side} elbow"] = elbow, sure
    found[f"{side} wrist"] = wrist, 0.6
    found[f"{side} front ball"] = ball, 0.7
    found[f"{side} front toes"] = toes, 0.9


def _hind_leg(leg: Leg, side: str, back: float, found: Found) -> None:
    ball, toes = leg.foot
    low, ankles = ball[1] + 0.05 * back, (ANKLE[0] * back, ANKLE[2] * back, 1.0)
    knee, knee_sure = np.zeros(3), 0.0
    if both := leg.corners(low, ankles, (KNEE[0] * back, KNEE[2] * back, -1.0)):
        (ankle, knee), sure, knee_sure = both, 0.8, 0.7
        knee += np.array([0.0, 0.2, 0.6]) * WITHIN * back
    elif lower := leg.corners(low, ankles):
        (ankle,), sure = lower, 0.7
    else:
        ankle, sure = leg.middle(ANKLE[1] * back), 0.4
    if not knee_sure:
        knee, knee_sure = np.array([ankle[0], KNEE[1] * back, ankle[2] + KNEE_AHEAD * back]), 0.5
    behind = knee[2] - HIP_BEHIND * back if knee_sure > 0.5 else ankle[2] + HIP_AHEAD * back
    hip = np.array([0.85 * ankle[0], knee[1] + HIP_UP * (back - knee[1]), behind])
    found[f"{side} hip"] = hip, 0.5
    found[f"{side} knee"] = knee, knee_sure
    found[f"{side} ankle"] = ankle, sure
    found[f"{side} hind ball"] = ball, 0.7
    found[f"{side} hind toes"] = toes, 0.9


def _head(frame: BodyFrame, mask: BoolArray, back: float, found: Found) -> None:
    local = frame.local
    shoulders = (found["left shoulder"][0] + found["right shoulder"][0]) / 2
    ahead = mask & (local[:, 2] > shoulders[2]) & (np.abs(local[:, 0]) < 0.2)
    if not ahead.any():
        raise BadInput("there is no head ahead of its front legs; set the landmarks by hand.")
    rows = np.flatnonzero(ahead)
    nose = local[rows[int(local[rows, 2].argmax())]]
    neck = np.array([0.0, NECK_UP * back, shoulders[2] - NECK_BEHIND * back])
    tip = np.flatnonzero(ahead & (local[:, 2] > nose[2] - 1.5 * frame.step))
    sections = sections_from(frame, tip, mask)
    # As far as the neck reaches within the body.
    near = np.flatnonzero(mask)[int(np.linalg.norm(local[mask] - neck, axis=1).argmin())]
    way = float(sections.far[near])
    if not np.isfinite(way) or way <= 0:
        way = float(np.linalg.norm(nose - neck))
    found["nose"] = np.array([0.0, *local[tip, 1:].mean(axis=0)]), 0.8
    found["skull"] = sections.middle(SKULL * way) * [0, 1, 1], 0.5
    found["neck"] = neck, 0.5
