"""Placement: the whole clip stood elsewhere, its first frame at a place, facing where it is wanted."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic.dataclasses import dataclass

from armuto.body.orientation import facing_angle
from armuto.errors import BadInput
from armuto.kinematics import rotation
from armuto.refining.refined import Body, Refined
from armuto.refining.rigid import RigidMotion, moved, roots_of
from armuto.validation import STRICT, Within

Metres = Annotated[float, Within(-10_000.0, 10_000.0)]
Degrees = Annotated[float, Within(-360.0, 360.0)]


@dataclass(frozen=True, config=STRICT)
class Placement:
    """at: metres along +X and +Z to where the hips of the first frame stand. facing: degrees from +Z towards +X."""

    kind: Literal["placement"] = "placement"
    on: bool = True
    at: tuple[Metres, Metres] = (0.0, 0.0)
    facing: Degrees = 0.0

    def refine(self, before: Refined, body: Body) -> Refined:
        """A rigid motion of everything: heights stay, and so does how every foot stands. Raises :class:`BadInput` for a
        body of which nobody knows where it faces."""
        clip, skeleton = before.clip, body.skeleton
        first = clip.cut(0, 0).world().positions[0]
        now, _ = facing_angle(skeleton, body.parts, first)
        if now is None or "hips" not in body.joint_of:
            raise BadInput("To stand a clip elsewhere its hips, left and right have to be known; say its parts first.")
        turn = rotation.about([0.0, 1.0, 0.0], np.radians(self.facing - now))
        start = first[body.joint_of["hips"]] * [1.0, 0.0, 1.0]
        goal = np.array([self.at[0], 0.0, self.at[1]])
        return before.with_clip(moved(clip, RigidMotion(turn, start, goal - start), roots_of(clip)))
