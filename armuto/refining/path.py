"""Path: the way over the ground straightened, or bent to another turn.

Let θ(t) be where the way goes, smoothed over a stride (Whittaker 1923), counting the more the quicker it is, s(t) how
far it has come and S the whole. With a share a of its own turns taken out and an angle β to turn by, ::

    θ'(t) = θ(t) − a (θ(t) − θ(0)) + β s(t)/S

every frame is turned about up by θ' − θ where the smoothed way is, and carried along the way that its turned steps
make. Feet that rested are held at rest.
"""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic.dataclasses import dataclass

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.signals import low_pass
from armuto.refining.foot_locking import footing, lock_feet, steps_of
from armuto.refining.refined import Body, Refined
from armuto.refining.rigid import GROUND, RigidMotion, carriers_of, moved
from armuto.refining.smoothest import smoothest
from armuto.validation import STRICT, Within

STRIDE = 0.4  # Hz: what turns no quicker is the way's, what does the body's own sway
STANDS = 0.02  # metres: a way no longer than that goes nowhere


@dataclass(frozen=True, config=STRICT)
class Path:
    """straight: percent of its own turns that are taken out. turn: degrees by which it turns altogether, to its left
    where they are positive."""

    kind: Literal["path"] = "path"
    on: bool = True
    straight: Annotated[float, Within(0.0, 100.0)] = 0.0
    turn: Annotated[float, Within(-720.0, 720.0)] = 0.0

    def refine(self, before: Refined, body: Body) -> Refined:
        """A clip that stays where it is is left as it is."""
        clip = before.clip
        if clip.frames < 4 or (self.straight == 0 and self.turn == 0):
            return before
        way = way_of(clip, body)
        steps = np.diff(way, axis=0)
        gone = np.concatenate([[0.0], np.cumsum(np.hypot(steps[:, 0], steps[:, 2]))])
        if gone[-1] < STANDS:
            return before
        heading = headings(way, clip.fps)
        by = -self.straight / 100 * (heading - heading[0]) + np.radians(self.turn) * gone / gone[-1]
        made = bent(clip, body, way, by)
        ground = footing(body)
        if ground is not None:
            made = lock_feet(made, body, steps_of(clip, ground).contacts, turned=by)
        return before.with_clip(made)


def bent(clip: Clip, body: Body, way: FloatArray, by: FloatArray) -> Clip:
    """The clip with every frame turned about up by so many radians ``(F,)`` where its way over the ground ``(F, 3)``
    is, and carried along the way that its turned steps make. Feet are not held."""
    turns = rotation.about([0.0, 1.0, 0.0], by)
    between = rotation.slerp(turns[:-1], turns[1:], 0.5)
    places = way[0] + np.concatenate(
        [np.zeros((1, 3)), np.cumsum(rotation.rotate(between, np.diff(way, axis=0)), axis=0)]
    )
    return moved(clip, RigidMotion(turns, way, places - way), carriers_of(clip, body))


def way_of(clip: Clip, body: Body) -> FloatArray:
    """The way of the hips over the ground, without what goes to and fro with every stride ``(F, 3)``."""
    return np.asarray(low_pass(clip.world().positions[:, body.hips], STRIDE, clip.fps) * GROUND)


def headings(way: FloatArray, fps: float) -> FloatArray:
    """Where a way ``(F, 3)`` goes, ``(F,)`` in radians from +Z towards +X, run on beyond whole turns; 0 where it goes
    nowhere."""
    if len(way) < 2 or float(np.ptp(way, axis=0).max()) < STANDS:
        return np.zeros(len(way))
    steps = np.gradient(way, axis=0)
    speed = np.hypot(steps[:, 0], steps[:, 2])
    angle = np.arctan2(steps[:, 0], steps[:, 2])
    # What hardly goes on goes nowhere in particular: it takes the angle of what is quicker around it.
    quick = speed > 0.1 * speed.max()
    rows = np.flatnonzero(quick)
    run_on = np.interp(np.arange(len(way)), rows, np.unwrap(angle[rows]))
    return np.asarray(smoothest(run_on[:, None], np.where(quick, (speed / speed.max()) ** 2, 1e-6), STRIDE / fps)[:, 0])
