"""Ground: the floor level and at zero, and the body kept from drifting, by where its feet rest.

*Lean.* A foot that rests stands on the floor. With p the places of heels and toes in their contacts on the floor, each
contact counting once, the plane ``y = a x + b z + c`` through them by least squares, those far from it counting less
(iteratively reweighted, Huber 1964), is the floor; the smallest rotation that brings its normal upright levels it.

*Height.* The floor that contacts are found against is brought to zero.

*Drift.* A foot that rests does not move, so that what it moves by over the ground is the drift of the camera: its
velocity is taken where feet rest, carried evenly in between, summed up, and taken from the way of the body.

*Feet.* What is left of their slide is then held (:func:`armuto.refining.foot_locking.lock_feet`).
"""

from __future__ import annotations

from dataclasses import dataclass as plain_dataclass
from dataclasses import replace
from typing import Annotated, Literal

import numpy as np
from pydantic.dataclasses import dataclass

from armuto.contacts.model import Contact
from armuto.contacts.resting import smoothed
from armuto.errors import BadInput
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray, IntArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.signals import speed_of
from armuto.lazy import lazily
from armuto.refining.foot_locking import Footing, Steps, bearing, footing, lock_feet, steps_of
from armuto.refining.refined import Body, Refined
from armuto.refining.rigid import GROUND, UP, RigidMotion, carriers_of, moved, roots_of
from armuto.refining.smoothest import smoothest
from armuto.validation import STRICT, Within

ndimage = lazily("scipy.ndimage")

Degrees = Annotated[float, Within(-45.0, 45.0)]
Metres = Annotated[float, Within(-100.0, 100.0)]
ROUNDS = 12
LEVELLINGS = 4
SPREAD = 0.7  # of as far as low places, contacts spread that are all there are
UNEVEN = 0.002  # of the leg, that no contact tells the floor's height better
LEVEL = 0.02  # of the leg: so far apart contacts would have to be for their slope to count half
HUBER = 0.005  # of the leg: farther from the plane a contact counts less
AROUND = 0.3  # seconds in which a foot comes down once
LOW = 0.01  # of the leg
QUICK = 1.5  # leg lengths per second
EDGE = 1  # frames at either end of a contact in which a foot still lands or already leaves
FEWEST = 3  # frames of a contact by which it tells anything
BEARS = 0.5
LANDS = 0.1  # seconds at either end of a contact in which it says nothing of drift
DRIFTS = 0.7  # Hz: a drift goes to and fro no quicker
STEEPEST = 12.0  # degrees: what leans more is no floor


@dataclass(frozen=True, config=STRICT)
class Ground:
    """lean: degrees that the floor rises towards +X and towards +Z; measured without. height: metres above zero at
    which it is; measured without. level, drift, feet: whether lean and height, drift, and slide are taken out."""

    kind: Literal["ground"] = "ground"
    on: bool = True
    level: bool = True
    lean: tuple[Degrees, Degrees] | None = None
    height: Metres | None = None
    drift: bool = False
    feet: bool = True

    def refine(self, before: Refined, body: Body) -> Refined:
        """Raises :class:`BadInput` where no foot of the body is known, or none rests."""
        ground = footing(body)
        if ground is None:
            raise BadInput("To find its floor the feet and hips of a body have to be known; say its parts first.")
        clip = before.clip
        if self.level:
            clip = self._levelled(clip, ground)
        if self.drift:
            steps = steps_of(clip, ground)
            way = -drift_of(steps, ground, clip)
            clip = moved(clip, RigidMotion(rotation.IDENTITY, np.zeros(3), way), carriers_of(clip, body))
        if self.feet:
            clip = lock_feet(clip, body, steps_of(clip, ground).contacts)
        return before.with_clip(clip)

    def _levelled(self, clip: Clip, ground: Footing) -> Clip:
        if self.lean is None:
            clip = level(clip, ground)
        else:
            rise = np.tan(np.radians(self.lean))
            clip = moved(
                clip, _upright(rise, clip.cut(0, 0).world().positions[0].mean(axis=0) * GROUND), roots_of(clip)
            )
        height = steps_of(clip, ground).floor if self.height is None else self.height
        down = RigidMotion(rotation.IDENTITY, np.zeros(3), np.array([0.0, -height, 0.0]))
        return moved(clip, down, roots_of(clip))


def level(clip: Clip, ground: Footing) -> Clip:
    """The clip with its floor level. Raises :class:`BadInput` where no foot rests."""
    for _ in range(LEVELLINGS):
        found = _found(clip, ground)
        if found is None:
            raise BadInput("Where feet rest in it does not tell where its floor is; say its lean and height.")
        clip = moved(clip, _upright(found.slope, found.centre), roots_of(clip))
        if found.lean < 1e-4:
            break
    return clip


def _found(clip: Clip, ground: Footing) -> Floor | None:
    """The floor by the contacts on it, or as long as it leans so much that whoever looks near it finds but a few, by
    whatever is low for its time."""
    steps = steps_of(clip, ground)
    roughly = _plane(_low_places(steps, clip.fps, ground), ground)
    if roughly is None or roughly.lean > STEEPEST:
        return None
    closely = floor_of(steps, ground)
    return closely if closely and closely.apart[0] > SPREAD * roughly.apart[0] else roughly


def lean_of(clip: Clip, ground: Footing) -> Floor | None:
    """The floor of a clip, however much it leans; None where no foot rests."""
    first = _found(clip, ground)
    if first is None:
        return None
    upright = _upright(first.slope, first.centre)
    found = _found(moved(clip, upright, roots_of(clip)), ground)
    if found is None:
        return None
    normal = rotation.rotate(rotation.inverse(upright.turn), np.array([-found.slope[0], 1.0, -found.slope[1]]))
    return replace(found, slope=-normal[[0, 2]] / normal[1], centre=upright.back.place(found.centre))


def _upright(slope: FloatArray, pivot: FloatArray) -> RigidMotion:
    """What brings a floor of this slope level."""
    return RigidMotion(rotation.between(np.array([-slope[0], 1.0, -slope[1]]), UP), pivot, np.zeros(3))


@plain_dataclass(frozen=True, eq=False)
class Floor:
    """slope ``(2,)``: how much the floor rises by the metre towards +X and +Z. centre: a place on it. apart: how far
    contacts spread about it, along their longest way and across, in metres. sure: standard error of the lean, in
    degrees."""

    slope: FloatArray
    centre: FloatArray
    apart: tuple[float, float]
    sure: float

    @property
    def lean(self) -> float:
        """Degrees from level."""
        return float(np.degrees(np.arctan(np.hypot(*self.slope))))


def floor_of(steps: Steps, ground: Footing) -> Floor | None:
    """The plane of the floor by the contacts on it; None where feet rest in too few places to tell."""
    return _plane(np.array([place for _, place in _resting_places(steps, ground)]).reshape(-1, 3), ground)


def _plane(places: FloatArray, ground: Footing) -> Floor | None:
    """The plane through places ``(N, 3)``."""
    if len(places) < 3:
        return None
    leg, weight = ground.probes.leg, np.ones(len(places))
    for _ in range(ROUNDS):
        centre = (places * weight[:, None]).sum(axis=0) / weight.sum()
        offsets = places - centre
        # Where feet hardly spread in a direction, its slope is taken to be none rather than anything.
        design = np.vstack([offsets[:, [0, 2]] * np.sqrt(weight)[:, None], np.eye(2) * LEVEL * leg])
        right = np.concatenate([offsets[:, 1] * np.sqrt(weight), np.zeros(2)])
        slope = np.linalg.lstsq(design, right, rcond=None)[0]
        left = np.abs(offsets[:, 1] - offsets[:, [0, 2]] @ slope)
        weight = np.minimum(1.0, HUBER * leg / np.maximum(left, 1e-9))
    spread = np.sqrt(np.maximum(np.linalg.eigvalsh(np.cov(offsets[:, [0, 2]].T)), 0.0))
    error = max(float(np.sqrt((weight * left**2).sum() / max(1.0, weight.sum() - 2))), UNEVEN * leg)
    sure = np.degrees(error / max(float(spread[0]) * np.sqrt(len(places)), 1e-6))
    return Floor(slope, centre, (float(spread[1]), float(spread[0])), float(sure))


def _low_places(steps: Steps, fps: float, ground: Footing) -> FloatArray:
    """Where heels and toes are about as low as they come in the time around, and not quick, ``(N, 3)``."""
    if len(next(iter(steps.paths.values()))) < FEWEST:
        return np.zeros((0, 3))
    out, leg, around = [], ground.probes.leg, 2 * round(AROUND * fps) + 1
    for point in ground.points:
        path = smoothed(steps.paths[point.name], fps)
        low = path[:, 1] < ndimage.minimum_filter1d(path[:, 1], around) + LOW * leg
        out.append(path[low & (speed_of(path, fps) < QUICK * leg)])
    return np.concatenate(out)


def _resting_places(steps: Steps, ground: Footing) -> list[tuple[Contact, FloatArray]]:
    """Where heels and toes rest on the floor: the median place of each contact, while it bears its foot."""
    out = []
    for contact in steps.contacts:
        rows = _borne(contact, steps, ground)
        if contact.height == 0 and len(rows) >= FEWEST:
            out.append((contact, np.median(steps.paths[contact.point][rows], axis=0)))
    return out


def _borne(contact: Contact, steps: Steps, ground: Footing, lands: float = EDGE) -> IntArray:
    """The frames of a contact in which its point bears the foot, but for so many at its ends: a fifth of it at most,
    and none where the clip begins or ends."""
    count = len(steps.paths[contact.point])
    edge = max(EDGE, min(int(lands), (contact.last - contact.first) // 5))
    first = contact.first + (edge if contact.first > 0 else 0)
    last = contact.last - (edge if contact.last < count - 1 else 0)
    rows = np.arange(first, last + 1)
    return np.asarray(rows[bearing(steps.paths, contact, ground)[rows] > BEARS])


def drift_of(steps: Steps, ground: Footing, clip: Clip) -> FloatArray:
    """How far the body has drifted over the ground since the first frame, ``(F, 3)`` in metres; nothing upwards.

    The velocities of points that rest, the mean where several do, are carried on evenly in between
    (:func:`armuto.refining.smoothest.smoothest`) and summed up.
    """
    total, known = np.zeros((clip.frames, 2)), np.zeros(clip.frames)
    for contact in steps.contacts:
        rows = _borne(contact, steps, ground, LANDS * clip.fps)
        if len(rows) >= FEWEST:
            path = steps.paths[contact.point][:, [0, 2]]
            inner = rows[(rows > 0) & (rows < clip.frames - 1)]
            total[inner] += (path[inner + 1] - path[inner - 1]) / 2
            known[inner] += 1
    out = np.zeros((clip.frames, 3))
    if not known.any():
        return out
    per_frame = smoothest(total / np.maximum(known, 1)[:, None], known, DRIFTS / clip.fps)
    out[1:, [0, 2]] = np.cumsum((per_frame[1:] + per_frame[:-1]) / 2, axis=0)
    return out
