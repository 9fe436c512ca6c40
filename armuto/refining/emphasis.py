"""Emphasis: how far limbs go from their own mean carriage, weaker or stronger.

With m the mean of a joint's rotation against its parent and x(t) = log(m⁻¹ R(t)) its way from there::

    R'(t) = m exp(a · slow(t) + b · (x(t) − slow(t)))

where slow is x through a low pass of zero phase: the carriage, and what is left the gesture (after Bruderlin and
Williams, *Motion signal processing*, SIGGRAPH 1995, of whose bands these are two). Feet that rested are held again.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

import numpy as np
from pydantic.dataclasses import dataclass

from armuto.errors import BadInput
from armuto.kinematics import rotation
from armuto.kinematics.signals import low_pass
from armuto.kinematics.tangent import from_tangent, to_tangent
from armuto.refining.foot_locking import footing, keep_feet, steps_of
from armuto.refining.refined import Body, Refined
from armuto.refining.rigid import GROUND, RigidMotion, carriers_of, moved
from armuto.validation import STRICT, Within

Percent = Annotated[float, Within(0.0, 200.0)]
CARRIAGE = 0.4  # Hz: what is slower is carriage


@dataclass(frozen=True, config=STRICT)
class Emphasis:
    """slow, quick: percent of carriage and gesture. limbs: by name, such as "left arm"; all without. travel: percent of
    the way that the hips go over the ground, which feet do not keep to."""

    kind: Literal["emphasis"] = "emphasis"
    on: bool = True
    slow: Percent = 100.0
    quick: Percent = 100.0
    limbs: tuple[str, ...] = ()
    travel: Percent = 100.0

    def refine(self, before: Refined, body: Body) -> Refined:
        """Raises :class:`BadInput` for a limb that the body has not."""
        clip, joints = before.clip, self._joints(body)
        if clip.frames < 3 or (self.slow == self.quick == self.travel == 100.0):
            return before
        rotations = clip.rotations.copy()
        mean, deviation = to_tangent(rotations[:, joints])
        carriage = low_pass(deviation, CARRIAGE, clip.fps)
        deviation = self.slow / 100 * carriage + self.quick / 100 * (deviation - carriage)
        rotations[:, joints] = from_tangent(mean, deviation)
        made = replace(clip, rotations=rotations)
        ground = footing(body)
        if ground is not None:
            made = keep_feet(made, body, steps_of(clip, ground))
        if self.travel != 100.0:
            path = made.world().positions[:, body.hips]
            way = (self.travel / 100 - 1) * (path - path[:1]) * GROUND
            made = moved(made, RigidMotion(rotation.IDENTITY, np.zeros(3), way), carriers_of(made, body))
        return before.with_clip(made)

    def _joints(self, body: Body) -> list[int]:
        """The joints that are meant: all but those that carry the body, without a choice."""
        if not self.limbs:
            return [joint for joint in range(len(body.skeleton)) if joint not in body.carried]
        out: list[int] = []
        for limb in self.limbs:
            if limb not in body.limbs:
                hint = f"it has {', '.join(body.limbs)}" if body.limbs else "say its parts first"
                raise BadInput(f"There is no limb “{limb}” to emphasise; {hint}.")
            out += body.limbs[limb]
        return sorted(set(out) - {body.hips})
