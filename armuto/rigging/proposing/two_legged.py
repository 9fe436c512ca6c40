"""Landmarks of a two-legged body, from its shape.

They are read from sections: of legs and trunk across the height, of arms across how far it is to the tip of the hand
within the body, so that arms may be raised, lowered or bent. Each landmark lies in the middle of its section. How sure
each is, is how clearly its section stands out.

References
----------
Au, Tai, Chu, Cohen-Or and Lee, *Skeleton extraction by mesh contraction*, SIGGRAPH 2008, and Baran and Popović,
*Automatic rigging and animation of 3D characters*, SIGGRAPH 2007, for the task; sections across geodesic distance are
Reeb's (Biasotti, Giorgi, Spagnuolo and Falcidieno, *Reeb graphs for shape analysis and applications*, 2008).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from armuto.errors import BadInput
from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.lazy import lazily
from armuto.rigging.fingers import hand_end
from armuto.rigging.landmark_sets import SIDES
from armuto.rigging.proposing.body_frame import (
    NO_TRUNK,
    SECTION,
    BodyFrame,
    Found,
    connected,
    distances_within,
    middles_of,
    section_middle,
    sections_from,
)
from armuto.rigging.proposing.hinges import hinge_at

ndimage = lazily("scipy.ndimage")

LEGS = (0.25, 0.62)  # of the height between which legs part
STANDING = 0.06  # of the height: what reaches below it is a foot
NO_ARM = 0.35  # of the height, from the middle of the trunk: what reaches no farther is none
LONGEST_ARM = 0.75  # of the height, from the tip of the hand on
NARROWED = 0.91  # of a hand's section: where it is less, the wrist begins
SHOULDER_ASIDE = 0.1  # of the height, how far shoulders lie to the side on most bodies
HAND, FIST = 0.25, 0.15  # of an arm, where no wrist is to be seen
TIP, PALM, BLUNT = (0.025, 0.045), (0.05, 0.1), 0.75  # of the height, from the tip of a hand; of their sections
KNUCKLES = 0.105  # of the height, nearer than which to its tip a hand is broadest
SHOULDER_UP = 0.007  # of the height, by which a shoulder's joint lies above the middle of the arm there
ARM_JUMP = 2.2  # times an arm's section: where sections grow to that, the trunk has been reached
HEM = 1.5  # times as deep as a little lower, front to back: there a coat or skirt ends, as no thigh does
ABOVE_ANKLE = 0.045  # of the height, by which a shin begins above the ankle
ANKLE, HIP = 0.046, 0.61  # of the height; of the way from ankles to shoulders, where hips are on most bodies
CLEFT = 0.88  # of how deep a trunk is in its middle, against its sides: where thighs are side by side it is less
LOWEST_CLEFT, TRUNK = 0.24, (0.55, 0.66)  # of the height, between which the cleft ends; where all is trunk
DEEP = (3, 97)  # percentiles of what lies at a height, front to back
ASIDE = (0.02, 0.12)  # of the height from the middle, between which a thigh or a trunk is deepest
KNEE, KNEE_SPREAD = 0.47, 0.04  # of the way from ankles to hips
ELBOW, ELBOW_SPREAD = 0.49, 0.03  # of the way from wrist to shoulder
BARE = 0.02  # of the height, by which an arm begins behind the wrist and ends before the trunk
WOBBLE = 0.06  # voxels, by which the middle of a section is off at least
ABOVE_GROIN = 0.048  # of the height, by which the hips' joints lie above the end of the cleft between thighs
TOO_LOW = 0.035  # of the height: a cleft that ends so far below where hips usually are may end at a hem
LOWEST_SHOULDER, HIGHEST_SHOULDER = 0.58, 0.93  # of the height
# Where arms that hang against the body are on most: to the side and up, over the height.
HANGING = (("shoulder", 0.105, 0.81), ("elbow", 0.13, 0.63), ("wrist", 0.14, 0.49), ("hand", 0.145, 0.41))


def propose_two_legged(frame: BodyFrame) -> Found:
    """The landmarks of a two-legged body that stands upright, in a T, an A or nearly so, facing anywhere.

    Raises
    ------
    BadInput
        One sentence without a file's name, where the shape is no such body.
    """
    found: Found = {}
    legs = _Legs.of(frame)
    _arms(frame, legs, found)
    legs.propose(found)
    _head(frame, found)
    if legs.sure < 0.5 and all(found[f"{side} shoulder"][1] < 0.2 for side in SIDES):
        raise BadInput("neither arms nor legs can be made out in it; set the landmarks by hand.")
    return found


@dataclass(frozen=True, eq=False)
class _Legs:
    """Which voxels are of the left and right leg ``(N,)`` below where nothing is between them, and how high that
    is."""

    frame: BodyFrame
    left: BoolArray
    right: BoolArray
    groin: float
    sure: float

    @classmethod
    def of(cls, frame: BodyFrame) -> _Legs:
        x, y, _ = frame.local.T
        # The highest place at which nothing is in the middle: below it something may hang or touch, as boots do.
        narrow = np.abs(x) < 0.6 * frame.step
        rows = np.round(y / frame.step).astype(int)
        count = rows.max() + 2
        in_middle = np.bincount(rows[narrow], minlength=count)
        everywhere = np.bincount(rows, minlength=count)
        heights = np.arange(count) * frame.step
        open_rows = (in_middle == 0) & (everywhere > 0) & (heights > LEGS[0]) & (heights < LEGS[1])
        if open_rows.any():
            groin, sure = float(heights[open_rows].max()) + frame.step / 2, 0.9
        else:
            groin, sure = 0.47, 0.25
        below = y < groin
        labels, _ = connected(frame.solid, below & (np.abs(x) > 0.3 * frame.step))
        standing = np.unique(labels[below & (y < STANDING) & (labels >= 0)])
        legs = np.isin(labels, standing) & (labels >= 0)
        return cls(frame, legs & (x > 0), legs & (x < 0), groin, sure)

    def propose(self, found: Found) -> None:
        shoulders = float(found["left shoulder"][0][1] + found["right shoulder"][0][1]) / 2
        usual = ANKLE + HIP * (shoulders - ANKLE)
        cleft, deeper = self._cleft()
        hips, sure = cleft + ABOVE_GROIN, 0.9
        if cleft <= LOWEST_CLEFT or (deeper > HEM and hips < usual - TOO_LOW):
            hips, sure = usual, 0.4
        middle = section_middle(self.frame, np.abs(self.frame.local[:, 0]) < 0.12, hips - 0.02)
        found["groin"] = np.array([0.0, hips - ABOVE_GROIN, middle[2] if middle is not None else 0.0]), sure
        ankles, ankles_sure = self._ankles()
        for name, mask in (("left", self.left), ("right", self.right)):
            self._leg(name, mask, hips, ankles, found)
            found[f"{name} hip"] = found[f"{name} hip"][0], sure
            found[f"{name} knee"] = found[f"{name} knee"][0], min(sure + 0.1, 0.7)
            found[f"{name} ankle"] = found[f"{name} ankle"][0], ankles_sure

    def _cleft(self) -> tuple[float, float]:
        """How high the cleft between the thighs reaches, before and behind, which touch from farther down on; and how
        many times as deep as a little below the body is a little above."""
        step = self.frame.step
        row, column = (np.round(np.abs(self.frame.local[:, k]) / step).astype(int) for k in (1, 0))
        widest = int(ASIDE[1] / step)
        depth = np.zeros((int(row.max()) + 1, widest))
        np.add.at(depth, (row[column < widest], column[column < widest]), 1.0)
        depth[:, 0] *= 2  # which alone is the same on both sides
        depth = ndimage.uniform_filter1d(depth, 5, axis=0, mode="nearest")
        side = ndimage.uniform_filter1d(depth, 2, axis=1)[:, int(ASIDE[0] / step) :].max(axis=1)
        share = depth[:, :2].mean(axis=1) / np.maximum(side, 1e-9)
        first, last = (int(height / step) for height in TRUNK)
        lower = np.flatnonzero(share[:last] <= CLEFT * np.median(share[first:last]))
        at = int(lower[-1]) if len(lower) else 0
        return at * step, self._deep(at * step + 0.025) / max(self._deep(at * step - 0.025), step)

    def _deep(self, height: float) -> float:
        """How deep the body is at a height, front to back, but for the last of it."""
        x, y, z = self.frame.local.T
        depths = z[(np.abs(x) < ASIDE[1]) & (np.abs(y - height) < 0.01)]
        return float(np.ptp(np.percentile(depths, DEEP))) if len(depths) else 0.0

    def _ankles(self) -> tuple[float, float]:
        """How high the ankles are, from both legs: a little below the narrowest place between foot and calf; where
        trousers hide that, as high as they usually are."""
        rows = self.frame.local[self.left | self.right]
        if len(rows) < 40:
            raise BadInput("no two legs stand on the floor; turn the body upright, or set the landmarks by hand.")
        step = self.frame.step
        area = np.bincount(np.round(rows[:, 1] / step).astype(int)).astype(float)
        heights = np.arange(len(area)) * step
        area = ndimage.uniform_filter1d(area, 3, mode="nearest")
        between = (heights > 0.03) & (heights < 0.45 * self.groin)
        if between.any():
            narrow = float(heights[between][area[between].argmin()])
            calf = area[(heights > narrow) & (heights < 0.6 * self.groin)].max(initial=0.0)
            if calf > 1.25 * area[between].min() and narrow < 0.1:
                return float(np.clip(0.55 * narrow + 0.007, 0.03, 0.055)), 0.8
        return ANKLE, 0.4

    def _leg(self, side: str, mask: BoolArray, hips: float, ankles: float, found: Found) -> None:
        rows, step = self.frame.local[mask], self.frame.step
        sign = 1.0 if side == "left" else -1.0
        if len(rows) < 20:
            raise BadInput("no two legs stand on the floor; turn the body upright, or set the landmarks by hand.")

        def middle(height: float) -> FloatArray:
            distances = np.abs(rows[:, 1] - height)
            near = distances < max(1.6 * step, distances.min() + step)
            return np.array([rows[near, 0].mean(), height, rows[near, 2].mean()])

        ankle, shin = middle(ankles + 0.02), middle(ankles + 0.06)
        ankle[1] = ankles
        if abs(shin[2] - ankle[2]) > 0.01:
            ankle[2] = shin[2]
        # As high as legs can be seen by themselves; from there on as they lead.
        thigh = middle(min(self.groin - 0.05, hips - 0.06))
        along = (hips - thigh[1]) / max(thigh[1] - ankles, 0.05)
        hip = thigh + 0.5 * min(along, 1.0) * (thigh - ankle)
        hip = np.array([sign * np.clip(sign * hip[0], 0.03, 0.12), hips, thigh[2]])
        height = self._knee(rows, ankles, hips)
        share = (height - ankles) / (hips - ankles)
        knee = middle(height) if height < self.groin - 0.03 else ankle + share * (hip - ankle)
        found |= {f"{side} hip": (hip, 0.0), f"{side} knee": (knee, 0.0), f"{side} ankle": (ankle, 0.0)}
        foot = rows[rows[:, 1] < ankles + 0.01]
        foot = foot if len(foot) else rows
        front, back = foot[foot[:, 2].argmax()], foot[foot[:, 2].argmin()]
        ahead = foot[foot[:, 2] > front[2] - 0.02]
        behind = foot[foot[:, 2] < back[2] + 0.02]
        toes = np.array([ahead[:, 0].mean(), min(0.02, ahead[:, 1].mean()), front[2]])
        found[f"{side} toes"] = toes, 0.8
        found[f"{side} heel"] = np.array([behind[:, 0].mean(), 0.0, back[2]]), 0.8
        # Toes are about a third of what lies ahead of the ankle.
        ball = ankle + 0.62 * (toes - ankle)
        found[f"{side} ball"] = np.array([ball[0], 0.015, ball[2]]), 0.6

    def _knee(self, rows: FloatArray, ankles: float, hips: float) -> float:
        """How high a knee is, of voxels of a leg."""
        length, thick = hips - ankles, SECTION * self.frame.step
        rows = rows[(rows[:, 1] > ankles + ABOVE_ANKLE) & (rows[:, 1] < min(self.groin - 0.02, hips - 0.05))]
        numbers = np.round(rows[:, 1] / thick).astype(int)
        area, middles = middles_of(numbers, rows)
        middles = middles[area > 0]
        return hinge_at(
            middles[:, 1],
            middles[:, [0, 2]],
            ankles + KNEE * length,
            KNEE_SPREAD * length,
            WOBBLE * self.frame.step,
        )


def _arms(frame: BodyFrame, legs: _Legs, found: Found) -> None:
    solid, local = frame.solid, frame.local
    above = ~(legs.left | legs.right)
    core = np.array([0.0, 0.5 * (legs.groin + 1.0) * 0.92, 0.0])
    middle = above & (np.abs(local[:, 0]) < 0.02) & (np.abs(local[:, 1] - core[1]) < 0.04)
    seeds = np.flatnonzero(middle)
    if not len(seeds):
        raise BadInput(NO_TRUNK)
    seed = seeds[solid.depth[seeds].argmax()]
    from_core = distances_within(solid, np.array([seed]), above) / frame.height
    for side, sign in (("left", 1.0), ("right", -1.0)):
        own = above & (sign * local[:, 0] > 0.06) & np.isfinite(from_core)
        if not own.any():
            raise BadInput("no arm stands off its trunk; set the landmarks by hand.")
        tip = int(np.where(own, from_core + 0.5 * sign * local[:, 0], -np.inf).argmax())
        separate = above & (sign * local[:, 0] > 0.06) & ~np.isfinite(from_core)
        if from_core[tip] < NO_ARM and separate.any():
            # Nothing leads to an arm that is a piece of its own.
            beyond = np.linalg.norm(local - core, axis=1) + 0.5 * sign * local[:, 0]
            tip = int(np.where(separate, beyond, -np.inf).argmax())
        _arm(frame, side, tip, above & (sign * local[:, 0] > -0.02), found)


def _arm(frame: BodyFrame, side: str, tip: int, mask: BoolArray, found: Found) -> None:
    """Sections of an arm by how far they are from the tip of its hand."""
    sections = sections_from(frame, np.array([tip]), mask, LONGEST_ARM)
    along, area, at = sections.along, sections.area, sections.middle
    # An arm's own thickness: of what lies between hand and elbow on any body.
    arm = float(np.median(area[(along > 0.12) & (along < 0.26)])) if (along > 0.12).any() else float(area.max())
    grown = (along > 0.2) & (area > ARM_JUMP * arm)
    end = int(np.flatnonzero(grown)[0]) if grown.any() else len(along) - 1
    armpit, sure = along[end], 0.8 if grown.any() else 0.3
    thick = np.sqrt(arm * frame.step**2 / SECTION / np.pi)

    # The wrist is the narrowest place behind the hand; what is before the hand's broadest place is fingers, and what
    # is broad farther on is a sleeve.
    span = armpit
    wrist, wrist_sure = (FIST if _is_blunt(along, area) else HAND) * span, 0.4
    before = np.maximum.accumulate(np.where((along > 0.05 * span) & (along < KNUCKLES), area, 0.0))
    between = (along > 0.16 * span) & (along < 0.45 * span) & (area < before)
    if between.any():
        waist = area[between] / before[between]
        if waist.min() < NARROWED:
            # Of places that are as thin, the one next to the hand.
            wrist, wrist_sure = along[between][np.flatnonzero(waist <= 1.08 * waist.min())[0]] - 0.008, 0.8
    inner = at(max(armpit - 0.02, wrist))
    outer = at(max(armpit - 0.10, wrist))
    direction = (inner - outer) / max(float(np.linalg.norm(inner - outer)), 1e-9)
    # A lowered arm touches the trunk with its lower edge first: the more it hangs, the farther on the joint lies.
    lowered = np.arctan2(max(direction[1], 0.0), float(np.hypot(direction[0], direction[2])))
    further = 0.014 + thick * (0.1 + 1.1 * np.tan(min(lowered, np.radians(65.0)))) if grown.any() else 0.0
    # How far within the trunk it lies does not show: it is taken a little nearer to where it is on most, along the arm.
    sideways = np.clip(0.35 * (SHOULDER_ASIDE - abs(float((inner + direction * further)[0]))), -0.015, 0.015)
    further += float(np.clip(-sideways / max(abs(float(direction[0])), 0.4), -0.02, 0.02))
    shoulder = inner + direction * further + np.array([0.0, SHOULDER_UP, 0.0])
    length = armpit + further - wrist
    seen = (along > wrist + BARE) & (along < armpit - BARE) & sections.middles.any(axis=1)
    elbow_at = hinge_at(
        along[seen],
        sections.middles[seen],
        wrist + ELBOW * length,
        ELBOW_SPREAD * length,
        WOBBLE * frame.step,
    )
    if not LOWEST_SHOULDER < shoulder[1] < HIGHEST_SHOULDER:
        # An arm that hangs against the body is one with it.
        sign = 1.0 if side == "left" else -1.0
        for name, x, y in HANGING:
            found[f"{side} {name}"] = np.array([sign * x, y, 0.0]), 0.1
        return
    found[f"{side} shoulder"] = shoulder, sure
    found[f"{side} elbow"] = at(elbow_at), 0.7 * sure + 0.1
    found[f"{side} wrist"] = at(wrist), wrist_sure
    found[f"{side} hand"] = hand_end(frame.local[sections.far < wrist], at(wrist), at(0.6 * wrist)), 0.9


def _is_blunt(along: FloatArray, area: FloatArray) -> bool:
    """Whether a hand is as thick near its tip as farther on: a fist or a stump, which shows no fingers."""
    near, farther = (area[(along > low) & (along < high)] for low, high in (TIP, PALM))
    return bool(len(near) and len(farther) and near.mean() > BLUNT * np.median(farther))


def _head(frame: BodyFrame, found: Found) -> None:
    local = frame.local
    shoulders = (found["left shoulder"][0] + found["right shoulder"][0]) / 2
    column = np.abs(local[:, 0]) < 0.09
    rows = local[column & (local[:, 1] > shoulders[1] - 0.02)]
    if not len(rows):
        raise BadInput("there is no head above its shoulders; set the landmarks by hand.")
    numbers = np.round(rows[:, 1] / frame.step).astype(int)
    count = numbers.max() + 1
    heights = np.arange(count) * frame.step
    area = np.bincount(numbers, minlength=count).astype(float)
    front = np.full(count, -np.inf)
    np.maximum.at(front, numbers, rows[:, 2])
    area = ndimage.uniform_filter1d(area, 3, mode="nearest")
    top = float(heights[area > 0].max())
    between = (heights > shoulders[1] - 0.005) & (heights < shoulders[1] + 0.6 * (top - shoulders[1]))
    narrow, sure = shoulders[1] + 0.3 * (top - shoulders[1]), 0.4
    if between.any():
        lowest = heights[between][area[between].argmin()]
        if area[(heights > lowest) & (heights < top)].max(initial=0.0) > 1.3 * area[between].min():
            narrow, sure = float(lowest), 0.8
    middle = section_middle(frame, column, narrow)
    depth = middle[2] if middle is not None else shoulders[2]
    # The chin is where the front comes forward above the neck.
    above = (heights > narrow) & (heights < narrow + 0.6 * (top - narrow)) & np.isfinite(front)
    chin = narrow + 0.02
    if above.any() and np.isfinite(front[np.abs(heights - narrow).argmin()]):
        neck_front = front[np.abs(heights - narrow).argmin()]
        forward = heights[above][front[above] > neck_front + 0.4 * (front[above].max() - neck_front)]
        if len(forward):
            chin = min(float(forward[0]), narrow + 0.025)
    base = min(narrow - 0.01, shoulders[1] + 0.4 * (narrow - shoulders[1]) + 0.003)
    # What bends lies in the hind half of a neck.
    found["neck"] = np.array([0.0, base, depth - 0.014]), sure
    found["chin"] = np.array([0.0, chin, depth]), sure
    skull = section_middle(frame, column, chin + 0.5 * (top - chin))
    found["crown"] = np.array([0.0, top, skull[2] if skull is not None else depth]), 0.8
