"""How a body stands: the angles by which a posture is told to be a T, an A, splayed or in the middle of an action."""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from armuto.body.orientation import facing_angle
from armuto.body.parts import Assignment
from armuto.body.plans import BodyPlan, plan_of
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import Skeleton
from armuto.kinematics.vectors import cross, length

TWISTED = 3.0  # degrees between hips and shoulders from which on they do not tell where a figure faces
STRIDES = 12.0  # degrees between a leg and the mirrored other, from which on a body is in a step
NEAR_AN_AXIS = 20.0  # degrees within which such a figure is taken to face an axis of its file
UP = np.array([0.0, 1.0, 0.0])
Places = Mapping[str, FloatArray]  # part to where its first bone is


@dataclass(frozen=True)
class Posture:
    """Degrees. What a body does not have is zero.

    lean: of the trunk, from upright or, for bodies that go level, from level. tilt: of hips and shoulders from the
    horizontal. twist: of shoulders against hips. legs_apart: greatest lean of a leg to the side. stride, reach:
    greatest difference of a leg or an arm from the mirrored other. knees, elbows: greatest bend. arms: from hanging
    down, 90 in a T. forward: how far the arms point out of the plane across the body.
    """

    lean: float = 0.0
    tilt: float = 0.0
    twist: float = 0.0
    legs_apart: float = 0.0
    stride: float = 0.0
    reach: float = 0.0
    knees: float = 0.0
    elbows: float = 0.0
    arms: float = 0.0
    forward: float = 0.0
    upright: bool = True
    has_arms: bool = False

    @property
    def stands(self) -> bool:
        """Whether it stands at rest, so that trunk and feet may be taken to be as they are built."""
        return self.legs_stand and self.lean < 15 and self.tilt < 6 and self.twist < 8

    @property
    def legs_stand(self) -> bool:
        """Whether its legs stand, whatever its trunk does, so that its feet are flat."""
        return self.stride < 10 and (not self.upright or (self.knees < 30 and self.legs_apart < 35))

    @property
    def off(self) -> float:
        """How far it is from a posture that figures are made and measured in, in degrees."""
        total = max(0.0, self.lean - 5) + self.tilt + self.twist + 0.7 * self.stride + 0.5 * self.reach
        if self.upright:
            total += 0.8 * max(0.0, self.knees - 14) + max(0.0, self.legs_apart - 7)
        if self.has_arms:
            total += 0.5 * max(0.0, self.elbows - 20) + 0.7 * max(0.0, self.forward - 20)
            total += max(0.0, self.arms - 105)
        return total

    @property
    def words(self) -> str:
        """What it looks like, in a few words."""
        if not self.upright:
            return "stands level on its legs" if self.stands else "is in the middle of a movement"
        if self.off > 35 and not self.stands:
            return "is in the middle of an action"
        out = "stands"
        if self.has_arms:
            if self.reach > 20:
                out = "stands with its arms apart from each other"
            elif self.arms > 72:
                out = "stands in a T"
            elif self.arms > 22:
                out = f"stands in an A, its arms {self.arms:.0f}° from hanging"
            else:
                out = "stands with its arms down"
        if self.legs_apart > 9:
            out += f", its legs splayed by {self.legs_apart:.0f}°"
        if self.lean > 10:
            out += f", leaning by {self.lean:.0f}°"
        return out


def places_of(positions: FloatArray, parts: Assignment) -> dict[str, FloatArray]:
    return {part: positions[bones[0].joint] for part, bones in parts.items() if bones}


def facing_in(
    skeleton: Skeleton, positions: FloatArray, parts: Assignment, moving: bool = False
) -> tuple[float | None, str]:
    """Degrees from +Z to where a skeleton faces in a posture, or None, and the evidence. positions: ``(J, 3)`` of its
    joints.

    Where hips and shoulders disagree, or the body is in the middle of an action, as it is known to be when ``moving``,
    it is the axis of the file that is near.
    """
    degrees, why = facing_angle(skeleton, parts, positions)
    plan = plan_of(parts)
    at = places_of(positions, parts)
    lines = _across(at, plan, "hips"), _across(at, plan, "chest")
    if degrees is None or lines[0] is None or lines[1] is None:
        return degrees, why
    moving = moving or skeleton.file_rest is not None or _strides(at, plan, degrees)
    if _yaw(lines[0], lines[1]) < TWISTED and not moving:
        return degrees, why
    axis = round(degrees / 90) * 90.0
    if abs(degrees - axis) > NEAR_AN_AXIS:
        return degrees, why
    return axis, f"{why}; as it is in the middle of a movement the axis near that is taken, {axis:.0f}°"


def _strides(at: Places, plan: BodyPlan, degrees: float) -> bool:
    """Whether one leg is before the other, as in a step, where hips and shoulders sway."""
    turn = np.radians(degrees)
    return measure(at, plan, np.array([np.sin(turn), 0.0, np.cos(turn)])).stride > STRIDES


def measure(at: Places, plan: BodyPlan, forward: FloatArray) -> Posture:
    """The angles of a posture. at: part to place ``(3,)``. forward: where the body faces, a horizontal unit vector."""
    across = cross(UP, forward)
    upright = plan.trunk == "upright" or (plan.trunk == "any" and _rises(at))
    lean = _lean(at, upright)
    lines = [line for line in (_across(at, plan, "hips"), _across(at, plan, "chest")) if line is not None]
    tilt = max((abs(90 - _angle(line, UP)) for line in lines), default=0.0)
    twist = _yaw(lines[0], lines[1]) if len(lines) == 2 else 0.0
    stride = reach = knees = elbows = spread = hanging = out_of_plane = 0.0
    has_arms = False
    for leg in plan.legs:
        line = _limb(at, [part.name for part in leg])
        if line is None or leg[0].side == "right":
            continue
        other = _limb(at, [part.name.replace("left ", "right ") for part in leg])
        for limb in (line, other):
            if limb is not None:
                knees = max(knees, limb.bend)
                spread = max(spread, abs(90 - _angle(limb.whole, across)))
        if other is not None:
            stride = max(stride, _mirrored(line.whole, other.whole, across), abs(line.bend - other.bend))
    for side in ("left", "right"):
        names = [f"{side} {kind}" for kind in ("upper arm", "lower arm", "hand")]
        arm = _limb(at, names)
        if arm is None:
            continue
        has_arms = True
        elbows = max(elbows, arm.bend)
        hanging += _angle(arm.whole, -UP) / 2
        out_of_plane = max(out_of_plane, abs(90 - _angle(arm.whole, forward)))
        other = _limb(at, [f"right {kind}" for kind in ("upper arm", "lower arm", "hand")])
        if side == "left" and other is not None:
            reach = max(reach, _mirrored(arm.whole, other.whole, across), abs(arm.bend - other.bend))
    return Posture(lean, tilt, twist, spread, stride, reach, knees, elbows, hanging, out_of_plane, upright, has_arms)


@dataclass(frozen=True)
class _Limb:
    whole: FloatArray  # from its first joint to its last
    bend: float  # greatest angle between neighbouring bones


def _limb(at: Places, names: list[str]) -> _Limb | None:
    points = [at[name] for name in names if name in at]
    if len(points) < 2 or length(points[-1] - points[0]) < 1e-9:
        return None
    bones = [b - a for a, b in itertools.pairwise(points)]
    bend = max((_angle(a, b) for a, b in itertools.pairwise(bones)), default=0.0)
    return _Limb(points[-1] - points[0], bend)


def _lean(at: Places, upright: bool) -> float:
    top = next((at[name] for name in ("neck", "head", "chest") if name in at), None)
    if not upright:
        top = at.get("chest", top)
    if top is None or "hips" not in at or length(top - at["hips"]) < 1e-9:
        return 0.0
    angle = _angle(top - at["hips"], UP)
    # A trunk that goes level slopes by its build, up to a third of a right angle either way.
    return angle if upright else max(0.0, abs(90 - angle) - 20)


def _rises(at: Places) -> bool:
    top = next((at[name] for name in ("neck", "chest", "head") if name in at), None)
    return top is not None and "hips" in at and _angle(top - at["hips"], UP) < 40


def _across(at: Places, plan: BodyPlan, holder: str) -> FloatArray | None:
    """From the right to the left of the limbs that hang from the hips or the chest."""
    total = np.zeros(3)
    for part in plan.parts:
        twin = f"right {part.kind}"
        if part.side == "left" and part.name in at and twin in at and _holder(part.name, plan) == holder:
            total = total + at[part.name] - at[twin]
    return total if length(total) > 1e-9 else None


def _holder(name: str, plan: BodyPlan) -> str:
    """The part of the middle that a first or second part of a sided limb hangs from."""
    part = plan.by_name[name]
    above = part.follows or ""
    if above in plan.by_name and plan.by_name[above].side and plan.by_name[above].kind.endswith("shoulder"):
        above = plan.by_name[above].follows or ""
    return above


def _mirrored(left: FloatArray, right: FloatArray, across: FloatArray) -> float:
    return _angle(left, right - 2 * (right @ across) * across)


def _angle(a: FloatArray, b: FloatArray) -> float:
    return float(np.degrees(rotation.angle(rotation.between(a, b))))


def _yaw(a: FloatArray, b: FloatArray) -> float:
    angle = float(np.degrees(np.arctan2(a[0], a[2]) - np.arctan2(b[0], b[2])))
    return abs((angle + 180) % 360 - 180)
