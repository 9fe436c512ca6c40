"""How much larger the target is than the source: in its steps, its heights, its body and its hands."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from armuto.body.plans import SIDES
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.curves import moving_average
from armuto.pairing.joint_mapping import JointDriver
from armuto.retarget.fitting import Fitting

FINGERS = ("middle", "ring", "index")  # by which a hand's length is told, the first there is
STRIDE = 0.6  # seconds over which a path is told from the sway along it


@dataclass(frozen=True)
class ScaleRatios:
    """Target over source. stride: of places over the ground, height: of heights, body: of what the body itself
    spans."""

    stride: float
    height: float
    body: float

    @property
    def uniform(self) -> bool:
        return self.stride == self.body and self.height == self.body

    def of_places(self) -> FloatArray:
        """By axis, ``(3,)``."""
        return np.array([self.stride, self.height, self.stride])


def scale_ratios(fitting: Fitting) -> ScaleRatios:
    settings, body = fitting.settings, fitting.scale
    stride = body if settings.stride is None else settings.stride
    height = body if settings.height is None else settings.height
    return ScaleRatios(1.0 if settings.path == "absolute" else stride, height, body)


def scale_path(offset: FloatArray, ratios: ScaleRatios, fps: float) -> FloatArray:
    """A carrier's way from where it stands ``(F, 3)``, in the target's size: its path by the stride, its sway by the
    body."""
    if ratios.uniform:
        return offset * ratios.body
    out = offset * ratios.body
    out[:, 1] = offset[:, 1] * ratios.height
    if ratios.stride != ratios.body:
        path = moving_average(offset[:, [0, 2]], round(STRIDE * fps))
        out[:, [0, 2]] += (ratios.stride - ratios.body) * path
    return out


def hand_scale(fitting: Fitting, drivers: Mapping[str, JointDriver]) -> float:
    """How much larger the target's hands and forearms are than the source's: the geometric mean of the ratios of their
    lengths.

    A hand is as long as the way to the first joint of its longest fingers. Of the body's size where neither is known.
    drivers: of the first joint of every part.
    """
    at, ratios = fitting.target_pose.positions, []
    for side in SIDES:
        hand = drivers.get(f"{side} hand")
        for end in (drivers.get(f"{side} lower arm"), knuckle(drivers, side)):
            if hand is not None and end is not None:
                source = np.linalg.norm(end.place - hand.place)
                target = np.linalg.norm(at[end.target] - at[hand.target])
                if min(source, target) > 1e-3 * max(fitting.scale, 1e-3):
                    ratios.append(float(np.log(target / source)))
    return float(np.exp(np.mean(ratios))) if ratios else fitting.scale


def knuckle(drivers: Mapping[str, JointDriver], side: str) -> JointDriver | None:
    """The driver of the first joint of the finger by which a hand's length is told; None where it has none."""
    return next((drivers[name] for kind in FINGERS if (name := f"{side} {kind} proximal") in drivers), None)


def width_ratio(fitting: Fitting, drivers: Mapping[str, JointDriver], kind: str) -> float:
    """How much wider the target is than the source between its shoulders or its hips. kind: "upper arm" or "upper
    leg"."""
    left, right = drivers.get(f"left {kind}"), drivers.get(f"right {kind}")
    if left is None or right is None:
        return fitting.scale
    at = fitting.target_pose.positions
    source = float(np.linalg.norm(left.place - right.place))
    target = float(np.linalg.norm(at[left.target] - at[right.target]))
    return target / source if source > 1e-6 and target > 1e-6 else fitting.scale
