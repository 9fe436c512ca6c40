"""Intake: what a file does not say — its unit, which way is up, which way the body faces — detected with the evidence.

Nothing here changes motion by itself: :func:`file_frame` proposes how the file's space relates to ours, and the caller
may overrule each part of it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from armuto.body.parts import Assignment
from armuto.body.plans import BodyPlan, plan_of
from armuto.choices import UNITS, UP_AXES, unit_name
from armuto.intake.free_fall import Fall, free_fall
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.skeleton import FileFrame, Skeleton

# How common each unit is where the format leaves it open, and where it prescribes metres.
_OPEN = {"cm": 0.50, "m": 0.28, "mm": 0.06, "inch": 0.10, "foot": 0.03, "dm": 0.03}
_OWN = 0.012  # how common units without a name are
_IMPLAUSIBLE = 0.72  # more unlikely than that is a height for which another unit is thought of
_UNBOUND = 6.0  # more than that no fall tells against a unit
_SPREAD = 0.05  # of the unit's natural logarithm, that the fastest fall may be off
_CLEARLY, _CLEAR = 3.0, 0.14  # standard errors, and of the natural logarithm, that a unit and a fall have to be apart
_METRES = {"m": 0.90, "cm": 0.06, "mm": 0.02, "inch": 0.01, "foot": 0.005, "dm": 0.005}


@dataclass(frozen=True)
class ImportOptions:
    """What a person says about a file, overruling what would be detected. unit: a key of UNITS, or how many metres it
    is. height: metres that it is tall at rest, mesh and all, which says the unit, too. up: one of UP_AXES.

    turned: degrees about up by which everything is turned on the way in, positive from +Z towards +X. bound: the figure
    rests in the pose in which its mesh was bound, instead of that of its nodes.
    """

    unit: str | float | None = None
    up: str | None = None
    turned: float = 0.0
    bound: bool = False
    height: float | None = None


NOTHING = ImportOptions()


def _axis(name: str) -> FloatArray:
    return np.asarray(np.eye(3)["XYZ".index(name[1])] * (1 if name[0] == "+" else -1))


def _centre(positions: FloatArray, parts: Assignment, *names: str) -> FloatArray | None:
    joints = [bone.joint for name in names for bone in parts.get(name, ())]
    return np.asarray(positions[..., joints, :].mean(axis=-2)) if joints else None


def _sampled(clip: Clip | None, skeleton: Skeleton, count: int = 24) -> FloatArray:
    """Joint positions ``(N, J, 3)`` at a few frames spread over the clip, or at rest without one."""
    if clip is None:
        return skeleton.rest.positions[None]
    frames = np.unique(np.linspace(0, clip.frames - 1, min(count, clip.frames)).astype(int))
    sample = Clip(clip.name, skeleton, clip.fps, clip.rotations[frames], clip.moving, clip.translations[frames])
    return sample.world().positions


def detect_up(skeleton: Skeleton, parts: Assignment, clip: Clip | None, declared: bool) -> tuple[str, str]:
    """The axis that points up in a skeleton read in its file's own axes, and the evidence in words.

    Where trunk and feet are known, the direction from the feet to the trunk (to the head, where the trunk stands
    upright), at rest and in motion. Without names, the direction in which the lowest point of the body keeps its height
    best, since bodies stand on floors. declared: the format prescribes +Y, so only strong evidence overrules it.
    """
    plan = plan_of(parts)
    upright = plan.trunk == "upright"
    feet = {part.name for leg in plan.legs for part in leg[1:] if part.name in parts}
    over = [name for name in (("head", "neck", "chest") if upright else ("chest", "spine", "hips")) if name in parts]
    top = over[:1] if upright else over
    votes = dict.fromkeys(UP_AXES, 0.0)
    votes["+Y"] += 1.2 if declared else 0.25
    votes["+Z"] += 0.15
    why = "no evidence in the motion, so the usual +Y"
    moved = _sampled(clip, skeleton)
    if top and feet:
        # A rest pose that was taken from the motion says nothing that the motion does not.
        at_rest = skeleton.rest.positions[None]
        for positions, weight in ((at_rest, 1.0 if skeleton.file_rest is None else 0.0), (moved, 1.0)):
            upper, lower = _centre(positions, parts, *top), _centre(positions, parts, *feet)
            assert upper is not None and lower is not None
            line = (upper - lower).mean(axis=0)
            length = float(np.linalg.norm(line))
            if length > 1e-9:
                for axis in UP_AXES:
                    votes[axis] += weight * float(line @ _axis(axis)) / length
        why = f"the {'head' if upright else 'trunk'} lies that way from the feet"
        if len(moved) > 1:
            # Whoever lies or crawls throughout has the floor below; where the rest pose tells nothing, that counts for
            # more.
            steady = _steadiness(moved)
            for axis in UP_AXES:
                votes[axis] += (0.5 if skeleton.file_rest is None else 1.5) * steady[axis]
            if skeleton.file_rest is not None and max(steady, key=lambda axis: steady[axis]) == max(
                votes, key=lambda axis: votes[axis]
            ):
                why += " throughout the motion, and the lowest points keep their height along it"
    else:
        rest, steady = skeleton.rest.positions, _steadiness(moved)
        size = float(np.ptp(moved, axis=(0, 1)).max()) or 1.0
        for axis in UP_AXES:
            extent = float(np.ptp(rest @ _axis(axis))) / (float(np.ptp(rest, axis=0).max()) or 1.0)
            above = float((rest[0] - rest.mean(axis=0)) @ _axis(axis)) / size
            votes[axis] += 0.6 * steady[axis] + 0.5 * extent + 0.3 * above
        why = "the body's lowest point keeps its height along it" if len(moved) > 1 else "the body is longest along it"
    best = max(votes, key=lambda axis: votes[axis])
    return best, f"up is {best}: {why}"


def _steadiness(moved: FloatArray) -> dict[str, float]:
    """For each axis how well the lowest point of a body keeps its height along it, 0 to 1. moved: ``(N, J, 3)``."""
    if len(moved) < 2:
        return dict.fromkeys(UP_AXES, 0.0)
    return {axis: float(np.exp(-value / 0.02)) for axis, value in unsteadiness(moved).items()}


def unsteadiness(moved: FloatArray) -> dict[str, float]:
    """For each axis the standard deviation of the height of a body's lowest point, in the body's size. moved: ``(N, J,
    3)``."""
    size = float(np.median(np.linalg.norm(np.ptp(moved, axis=1), axis=1))) or 1.0
    return {axis: float((moved @ _axis(axis)).min(axis=1).std()) / size for axis in UP_AXES}


def upright(up: str) -> FloatArray:
    """The quarter or half turn ``(4,)`` that brings an axis to +Y: about X for ±Z, about Z for ±X."""
    quarter = np.pi / 2
    about = {"+Y": ("X", 0.0), "-Y": ("X", np.pi), "+Z": ("X", -quarter), "-Z": ("X", quarter)}
    about |= {"+X": ("Z", quarter), "-X": ("Z", -quarter)}
    axis, angle = about[up]
    return rotation.about(np.eye(3)["XYZ".index(axis)], angle)


def body_size(
    skeleton: Skeleton, parts: Assignment, up: FloatArray, bounds: FloatArray | None = None
) -> tuple[float, str]:
    """Standing height in the skeleton's unit, and how it was measured: by leg length where legs are known."""
    plan = plan_of(parts)
    legs = []
    for leg in plan.legs:
        if all(part.name in parts for part in leg):
            points = skeleton.rest.positions[[parts[part.name][0].joint for part in leg]]
            legs.append(float(np.linalg.norm(np.diff(points, axis=0), axis=1).sum()))
    if legs and max(legs) > 0:
        # Drillis & Contini 1966 for two legs: 0.245 + 0.246 of standing height, less the depth of the joint.
        return max(legs) / plan.leg_share, "leg length"
    return extent(skeleton, up, bounds), "height at rest"


def extent(skeleton: Skeleton, up: FloatArray, bounds: FloatArray | None = None) -> float:
    """How tall it is at rest, in the skeleton's unit: its meshes by their bounds ``(2, 3)``, or its joints and end
    sites."""
    points = np.concatenate([skeleton.rest.positions, skeleton.rest.ends])
    along = float(np.ptp((points if bounds is None else bounds) @ up))
    return along or float(np.ptp(points, axis=0).max())


def detect_unit(size: float, metres_declared: bool, plan: BodyPlan, fall: Fall | None = None) -> tuple[float, str]:
    """How many metres the unit is in which a body of this size and plan is most plausible, and the evidence in words.

    fall: how fast it falls where it is in free flight, which tells the unit as well. Where no unit of a name makes it
    plausible, it is proposed to be a unit of its own, by which it falls as bodies do, or else is of its plan's height.
    """
    if size <= 0:
        return UNITS["m" if metres_declared else "cm"], "the body has no extent, so the usual unit"

    def unlikely(metres: float) -> float:
        return _penalty(np.log(size * metres / plan.typical_height) / plan.spread)

    def score(unit: str) -> float:
        prior, metres = np.log((_METRES if metres_declared else _OPEN)[unit]), UNITS[unit]
        # Figures that are drawn rather than recorded may fall as they please.
        falls = min(_UNBOUND, _penalty(np.log(metres / fall.metres) / max(fall.spread, _SPREAD))) if fall else 0.0
        return float(prior - unlikely(metres) - falls)

    best = max(UNITS, key=score)
    metres, seen = UNITS[best], ""
    if fall:
        times = "once" if fall.flights == 1 else f"{fall.flights} times"
        seen = f"; it is seen in free flight {times}, where it falls by {fall.acceleration * metres:.1f} m/s²"
    why = f"the unit is {best}: a body of {size:.4g} is then {size * metres:.2f} m tall{seen}"
    if metres_declared or plan.trunk != "upright":
        return metres, why
    alone = fall.metres if fall else plan.typical_height / size
    height = round(size * alone, 2)
    implausible = unlikely(metres) > _IMPLAUSIBLE
    if implausible and height > 0 and np.log(_OWN) - unlikely(alone) > score(best):
        by = f"which falls by {fall.acceleration * alone:.2f} m/s² where it flies" if fall else "the usual height"
        return height / size, (
            f"the unit is one of its own: in {best} a body of {size:.4g} would be {size * metres:.2f} m tall; it is "
            f"taken to be {height:.2f} m, {by}, until its height is said"
        )
    if fall and abs(np.log(metres / fall.metres)) > max(_CLEARLY * fall.spread, _CLEAR):
        why += f", as one of {height:.2f} m does not: say its height if that is right"
    return metres, why


def _penalty(deviations: float) -> float:
    """How unlikely it is to be so many standard deviations off, as a natural logarithm."""
    off = abs(deviations)
    # Clock figures come small and tall: past three deviations the penalty grows only linearly.
    return float(off * off / 2 if off < 3 else 3 * off - 4.5)


def file_frame(
    skeleton: Skeleton,
    parts: Assignment,
    clips: Sequence[Clip],
    bounds: FloatArray | None = None,
    metres_declared: bool = False,
    options: ImportOptions = NOTHING,
    note: str = "",
) -> FileFrame:
    """Propose the file's unit and up axis, or take what was told. The skeleton is in its file's own space.

    metres_declared: the format prescribes metres and +Y up, and files that break the rule are the exception. note: one
    more sentence of evidence, on how the skeleton rests.
    """
    up = options.up
    clip = max(clips, key=lambda c: c.frames, default=None)
    evidence = []
    if up is None:
        up, why = detect_up(skeleton, parts, clip, metres_declared)
        evidence.append(why)
    else:
        evidence.append(f"up is {up}: as told")
    metres, why = _unit(skeleton, parts, clips, bounds, metres_declared, options, _axis(up))
    evidence.append(why)
    turn = upright(up)
    if options.turned:
        turn = rotation.multiply(rotation.about([0.0, 1.0, 0.0], np.radians(options.turned)), turn)
        evidence.append(f"turned by {options.turned:g}° about up: as told")
    if note:
        evidence.append(note)
    q = (float(turn[0]), float(turn[1]), float(turn[2]), float(turn[3]))
    return FileFrame(metres, q, up, options.turned, tuple(evidence))


def _unit(
    skeleton: Skeleton,
    parts: Assignment,
    clips: Sequence[Clip],
    bounds: FloatArray | None,
    metres_declared: bool,
    options: ImportOptions,
    up: FloatArray,
) -> tuple[float, str]:
    """How many metres the file's unit is, as told or detected, and the evidence."""
    if options.unit is not None:
        metres = UNITS[options.unit] if isinstance(options.unit, str) else options.unit
        return metres, f"the unit is {unit_name(metres)}: as told"
    if options.height is not None:
        tall = extent(skeleton, up, bounds)
        metres = options.height / tall if tall > 0 else 1.0
        return metres, f"the unit is {unit_name(metres)}: it is {options.height:.2f} m tall at rest, as told"
    size, how = body_size(skeleton, parts, up, bounds)
    plan = plan_of(parts)
    fall = free_fall(clips, parts, up, size) if plan.trunk == "upright" else None
    metres, why = detect_unit(size, metres_declared, plan, fall)
    return metres, f"{why} (by {how})"
