"""Both bodies of a fitting in their stances, set down on the floor."""

from __future__ import annotations

from collections.abc import Mapping

from armuto.kinematics.arrays import FloatArray
from armuto.pairing.joint_mapping import JointDriver, footing
from armuto.retarget.fitting import Fitting


def standing_places(fitting: Fitting, mapping: Mapping[int, JointDriver]) -> tuple[FloatArray, FloatArray]:
    """Joint positions of source and target in their stances, set down until the lowest paired foot joint is as high
    above the floor as the fitting says."""
    source, target = fitting.source_pose.positions, fitting.target_pose.positions
    feet = footing(mapping) or list(mapping)
    if not feet:
        return source, target
    under = _set_down(source, [mapping[joint].source for joint in feet], fitting.floors[0])
    return under, _set_down(target, feet, fitting.floors[1])


def _set_down(positions: FloatArray, feet: list[int], height: float) -> FloatArray:
    out = positions.copy()
    out[:, 1] += height - positions[feet, 1].min()
    return out
