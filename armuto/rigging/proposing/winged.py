"""Landmarks of a bird that stands on two legs, from its shape.

Legs are followed from the feet up to where they widen to the trunk. The joint that bends back, which looks like a knee
the wrong way round, is the ankle; the knee lies where the leg is lost in feathers. The bones of wings run near their
front edge, in usual shares of how far the wings reach.
"""

from __future__ import annotations

import numpy as np

from armuto.errors import BadInput
from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.rigging.proposing.body_frame import NO_TRUNK, BodyFrame, Found, sections_from
from armuto.rigging.proposing.legs import Leg
from armuto.rigging.proposing.tails import tail_of

FOOT = 0.05  # of the height: what reaches below it is of a foot
WIDENED = 3.0  # times a leg's section: where sections grow to that, the trunk has been reached
ANKLE = (0.35, 0.58, 0.85)  # of how far up a leg is seen: the lowest, the usual and the highest
SHIN = 0.68  # of the way from the ball to the ankle, that the knee lies above the ankle at least
HIP_UP, HIP_BEHIND = 0.4, 0.45  # of the shin's length, from the knee
# Of the way from the trunk to the tip of a wing.
WING = (("elbow", 0.22), ("wrist", 0.54))
EDGE = 0.75  # of a wing's section from behind to its front edge
TRUNK = 0.9  # of the trunk's depth at its thickest, to the side, where wings begin
NECK_WIDENED = 2.2  # times the neck's section
SKULL = 0.02  # of the way from the tip of the beak to the trunk, behind the thickest of the head


def propose_winged(frame: BodyFrame) -> Found:
    """The landmarks of a bird that looks ahead.

    Raises
    ------
    BadInput
        One sentence without a file's name, where the shape is no such body.
    """
    found: Found = {}
    local = frame.local
    legs = np.zeros(len(local), bool)
    for side, sign in (("left", 1.0), ("right", -1.0)):
        own = sign * local[:, 0] > 0.3 * frame.step
        mask = _leg_voxels(frame, own)
        legs |= mask
        _leg(Leg(local[mask], frame.step), side, found)
    middle = ~legs & (np.abs(local[:, 0]) < 1.6 * frame.step)
    if not middle.any():
        raise BadInput(NO_TRUNK)
    core = np.flatnonzero(middle)[int(frame.solid.depth[middle].argmax())]
    half = TRUNK * float(frame.solid.depth[core]) / frame.height
    trunk = local[core]
    for side, sign in (("left", 1.0), ("right", -1.0)):
        _wing(frame, side, sign, ~legs, half, trunk, found)
    _head(frame, ~legs, core, found)
    hips = (found["left hip"][0] + found["right hip"][0]) / 2
    found |= tail_of(frame, ~legs & (np.abs(local[:, 0]) < 2 * half), float(trunk[1] + half), hips)
    return found


def _leg_voxels(frame: BodyFrame, own: BoolArray) -> BoolArray:
    """The voxels ``(N,)`` of the leg on one side, from its foot up to where it widens."""
    low = np.flatnonzero(own & (frame.local[:, 1] < FOOT))
    if not len(low):
        raise BadInput("no two legs stand on the floor; set the landmarks by hand.")
    sections = sections_from(frame, low, own)
    along, area = sections.along, sections.area
    thin = (along > 0.04) & (along < 0.16)
    if not thin.any():
        raise BadInput("its legs cannot be made out; set the landmarks by hand.")
    wide = np.flatnonzero((along > 0.08) & (area > WIDENED * np.median(area[thin])))
    end = along[wide[0]] if len(wide) else along[-1]
    return np.asarray(own & (sections.far < end))


def _leg(leg: Leg, side: str, found: Found) -> None:
    ball, toes = leg.foot
    top = leg.top
    if corner := leg.corners(ball[1] + 0.03, (ANKLE[0] * top, ANKLE[2] * top, 1.0)):
        (ankle,), sure = corner, 0.7
    else:
        ankle, sure = leg.middle(ANKLE[1] * top), 0.4
    # Toes lie about the foot of a bird, where the leg meets the floor.
    ball = leg.middle(ball[1] + 0.02) * [1, 0, 1] + [0, ball[1], 0]
    high = leg.middle(top)
    along = high - ankle
    length = float(np.linalg.norm(along))
    shin = max(length, SHIN * float(np.linalg.norm(ankle - ball)))
    knee = ankle + (along / length if length > 0.02 else np.array([0.0, 0.9, 0.43])) * shin
    found[f"{side} hip"] = knee + np.array([-0.1 * knee[0], HIP_UP * shin, -HIP_BEHIND * shin]), 0.4
    found[f"{side} knee"] = knee, 0.45
    found[f"{side} ankle"] = ankle, sure
    found[f"{side} ball"] = ball, 0.7
    found[f"{side} toes"] = toes, 0.9


def _wing(
    frame: BodyFrame, side: str, sign: float, mask: BoolArray, half: float, trunk: FloatArray, found: Found
) -> None:
    beside = frame.local[mask & (sign * frame.local[:, 0] > half)] * [sign, 1, 1]
    reach = float(beside[:, 0].max()) if len(beside) else half
    if reach < 2.5 * half:
        # Folded wings are one with the trunk.
        for name, up, ahead in (
            ("shoulder", 0.3, 0.8),
            ("elbow", 0.1, -0.6),
            ("wrist", 0.2, 0.5),
            ("wing tip", -0.6, -2),
        ):
            found[f"{side} {name}"] = np.array([sign * half, trunk[1] + up * half, trunk[2] + ahead * half]), 0.1
        return

    def place(share: float) -> FloatArray:
        x = half + share * (reach - half)
        near = beside[np.abs(beside[:, 0] - x) < 1.6 * frame.step]
        near = near if len(near) else beside[[int(np.abs(beside[:, 0] - x).argmin())]]
        front = near[near[:, 2] > np.quantile(near[:, 2], EDGE) - 1.6 * frame.step]
        z = near[:, 2].min() + EDGE * float(np.ptp(near[:, 2]))
        return np.array([sign * x, float(np.median(front[:, 1])), z])

    found[f"{side} shoulder"] = place(0.02), 0.45
    for name, share in WING:
        found[f"{side} {name}"] = place(share), 0.45
    found[f"{side} wing tip"] = place(1.0), 0.8


def _head(frame: BodyFrame, mask: BoolArray, core: int, found: Found) -> None:
    local = frame.local
    above = mask & (np.abs(local[:, 0]) < 0.1) & (local[:, 1] > local[core, 1])
    ahead = above & (local[:, 2] > local[core, 2])
    if not ahead.any():
        raise BadInput("there is no head ahead of its wings; set the landmarks by hand.")
    beak = int(np.flatnonzero(ahead)[int(local[ahead, 2].argmax())])
    narrow = mask & (np.abs(local[:, 0]) < 0.1)
    sections = sections_from(frame, np.array([beak]), narrow)
    along, area = sections.along, sections.area
    way = float(sections.far[core])
    if not np.isfinite(way):
        raise BadInput("its head hangs on nothing; set the landmarks by hand.")
    before = along < 0.85 * way
    if not before.any():
        raise BadInput("its head cannot be made out; set the landmarks by hand.")
    head = int(np.where(before & (along < 0.5 * way), area, 0).argmax())
    behind = before & (along > along[head] + 0.05 * way)
    neck = int(np.flatnonzero(before)[-1])
    if behind.any():
        thin = float(np.quantile(area[behind], 0.25))
        wide = np.flatnonzero(behind & (area > NECK_WIDENED * thin))
        neck = int(wide[0]) if len(wide) else neck
    found["beak"] = local[beak] * [0, 1, 1], 0.8
    found["skull"] = sections.middle(along[head] + SKULL * way) * [0, 1, 1], 0.5
    found["neck"] = sections.middles[neck] * [0, 1, 1], 0.45
