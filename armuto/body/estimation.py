"""Reading hinges, soles, palms and floors from motion and from meshes.

*Hinges.* The forearm's direction in the frame of the upper arm runs along a circle while the elbow bends, whatever the
shoulder and the hand do. The plane of that circle is fitted by principal axes (the direction in which the directions
vary least); how long the arc is and how flat tells how certain it is. O'Brien et al. 2000 and Gamage & Lasenby 2002
find joints from motion by the same idea.

*Soles.* The lowest points of the skin of a foot, by its own vertices at rest.

*Palms.* How far the skin of a hand extends square to the plane of its fingers' first joints.

*Floor.* Where feet rest, the lowest foot joint is as high above the floor as the body's sole is thick. One clip alone
shows the sum of both: its floor is then taken to be at the file's zero. Several clips of a skeleton show its sole, and
so where the floor of each lies.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from armuto.body.parts import Assignment
from armuto.body.plans import SIDES, BodyPlan, is_footing, plan_of
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.observed import Hinge, Observed
from armuto.kinematics.pose import Pose
from armuto.kinematics.signals import speed_of
from armuto.kinematics.skeleton import Skeleton
from armuto.kinematics.statistics import median, percentile
from armuto.kinematics.vectors import unit

# A foot rests that is slower than this many leg lengths per second, and no higher over the floor than this many of
# them.
RESTING_SPEED, RESTING_HEIGHT = 0.2, 0.04
HIGHEST_SOLE = 0.16  # of the length from hips to the lowest foot joint
HINGES = {
    "upper arm": ("lower arm", "hand"),
    "upper leg": ("lower leg", "foot"),
    "front upper leg": ("front lower leg", "front foot"),
    "hind upper leg": ("hind lower leg", "hind foot"),
    "upper wing": ("lower wing", "wing hand"),
}
SHORT, LONG = 6.0, 20.0  # degrees of arc: the one tells nothing of its circle, the other all
FLATNESS = 0.2  # of the arc's extent: so far off its plane it is no arc any more
FEWEST = 12  # frames of all clips together
MOST = 1500
OWN = 0.5  # share of a vertex's weight from which on it belongs to a foot
LOWEST = 0.25  # of the height of a foot's skin: what lies lower belongs to the sole
FLAT = 1e-3  # metres: a hand thinner than that is a card, and has no palm
KEPT = 12  # points of a sole for each joint


def of_motion(skeleton: Skeleton, parts: Assignment, clips: Sequence[Clip]) -> Observed:
    """What clips on a skeleton, in our own space, show of its hinges and soles."""
    long = [clip for clip in clips if clip.frames >= 3]
    if not parts or not long:
        return Observed()
    step = max(1, sum(clip.frames for clip in long) // MOST)
    hinged = _hinged(parts, plan_of(parts))
    seen: dict[int, list[tuple[FloatArray, FloatArray]]] = {joint: [] for joint in hinged}
    heights = []
    for clip in long:
        world = clip.world()
        for joint, (lower, end) in hinged.items():
            seen[joint].append(
                (_directions(world, joint, lower, end, step), _directions(world, lower, lower, joint, step))
            )
        heights.append(_resting(world.positions, parts, clip.fps))
    hinges = {}
    for joint, (lower, end) in hinged.items():
        onward, backward = (np.concatenate(rows) for rows in zip(*seen[joint], strict=True))
        hinge = hinge_of(onward, unit(skeleton.rest_translation[lower]))
        if hinge is not None:
            # Seen from the second bone, the first turns the other way about the same axis.
            second = hinge_of(backward, -unit(skeleton.rest_translation[end]))
            if second is not None:
                hinge = replace(hinge, second_axis=-second.axis, second_certainty=second.certainty)
            hinges[joint] = hinge
    return Observed(hinges, {}, *sole_of_clips(heights, leg_length(skeleton, parts)))


def _directions(world: Pose, frame: int, start: int, end: int, step: int) -> FloatArray:
    """The unit direction ``(N, 3)`` from one joint to another in a joint's frame, at every step-th frame of a clip."""
    directions = (world.positions[:, end] - world.positions[:, start])[::step]
    length = np.linalg.norm(directions, axis=1, keepdims=True)
    return rotation.rotate(rotation.inverse(world.rotations[::step, frame]), directions / np.maximum(length, 1e-9))


def leg_length(skeleton: Skeleton, parts: Assignment) -> float:
    """Metres along the longest leg from the hip to the foot joint; 0 where none is known."""
    at, longest = skeleton.rest.positions, 0.0
    for leg in plan_of(parts).legs:
        joints = [bone.joint for part in leg for bone in parts.get(part.name, ())]
        longest = max(longest, float(np.linalg.norm(np.diff(at[joints], axis=0), axis=1).sum()))
    return longest


def sole_of_clips(heights: Sequence[float | None], leg: float) -> tuple[float | None, int]:
    """The height of the lowest foot joint above the floor, from how high feet rest in several clips, and how many show
    it.

    The lower median: feet rest more often on something that is higher than the floor (a rung, a stair, a stage) than on
    something lower. Heights that no sole has are left out.
    """
    soles = sorted(height for height in heights if height is not None and 0 <= height <= HIGHEST_SOLE * leg)
    return (soles[(len(soles) - 1) // 2], len(soles)) if soles else (None, 0)


def _hinged(parts: Assignment, plan: BodyPlan) -> dict[int, tuple[int, int]]:
    """The joints of limbs that bend about one axis, with the next two joints along them."""
    out = {}
    for part in plan.parts:
        below = HINGES.get(part.kind)
        names = [part.name, *(f"{part.side} {kind}" for kind in below)] if below else []
        if names and all(name in parts for name in names):
            first, second, third = (parts[name][0].joint for name in names)
            out[first] = second, third
    return out


def hinge_of(directions: FloatArray, onward: FloatArray) -> Hinge | None:
    """The hinge about which unit directions ``(N, 3)`` of a limb's second bone turn in the frame of its first; None
    where nothing turns. onward: unit vector along the first bone."""
    if len(directions) < FEWEST:
        return None
    middle = directions.mean(axis=0)
    spread, axes = np.linalg.eigh(np.cov(directions.T))
    axis = axes[:, 0]
    if float(np.linalg.norm(middle)) < 0.1:
        return None
    bent = middle / np.linalg.norm(middle)
    # Turning about the axis brings the straight limb towards where it is bent to.
    if float(np.cross(onward, bent) @ axis) < 0:
        axis = -axis
    along = float((directions @ axis).mean())
    first, second = bent - (bent @ axis) * axis, np.cross(axis, bent)
    angles = np.degrees(np.arctan2(directions @ second, directions @ first))
    span = percentile(angles, 97) - percentile(angles, 3)
    off, extent = np.sqrt(max(spread[0], 0.0)), np.sqrt(max(spread[2], 1e-12))
    long = float(np.clip((span - SHORT) / (LONG - SHORT), 0.0, 1.0))
    flat = float(np.clip(1.0 - (off / extent) / FLATNESS, 0.0, 1.0))
    certainty = long * long * (3 - 2 * long) * flat
    return Hinge(axis, along, bent, certainty, span) if certainty > 0.05 else None


def ground(clip: Clip, parts: Assignment) -> dict[str, float | None]:
    """Where the floor of a clip is and why, as :func:`ground_of` says it."""
    seen, rest, joints = clip.skeleton.observed, clip.skeleton.rest, _feet(parts)
    feet = _resting(clip.world().positions, parts, clip.fps)
    low = lowest_of(seen.soles, rest.rotations, rest.positions)
    if low is None or not joints:
        return ground_of(feet, seen.sole, seen.sole_clips)
    return ground_of(feet, float(rest.positions[joints, 1].min() - low), 0)


def ground_of(feet: float | None, sole: float | None, clips: int) -> dict[str, float | None]:
    """Where the floor of a clip is, in metres, and why: None for what cannot be told.

    feet: how high the lowest foot joint is while it rests. sole: how much of that is the body's sole; floor: the rest.
    clips: how many clips show the sole, 0 where a mesh does. Where a single clip shows it, its floor is only taken to
    be at zero.
    """
    return {"feet": feet, "sole": sole, "floor": None if feet is None or sole is None else feet - sole, "clips": clips}


def _feet(parts: Assignment) -> list[int]:
    """The first joint of every foot and of all toes."""
    return [bones[0].joint for name, bones in parts.items() if is_footing(name) and bones]


def _resting(positions: FloatArray, parts: Assignment, fps: float) -> float | None:
    """How high the lowest foot joint is while it rests, in metres; None where no foot rests for long enough."""
    feet, hips = _feet(parts), parts.get("hips")
    return resting_height(positions[:, feet], positions[:, hips[0].joint], fps) if feet and hips else None


def resting_height(feet: FloatArray, hips: FloatArray, fps: float) -> float | None:
    """The height of foot joints ``(F, J, 3)`` while the lowest of them rests, in the median of what lies near the
    floor."""
    if len(feet) < 3:
        return None
    heights = feet[..., 1]
    leg = percentile(hips[:, 1] - heights.min(axis=1), 95)
    if leg <= 0:
        return None
    slow = np.stack([speed_of(feet[:, n], fps) for n in range(feet.shape[1])], axis=1) < RESTING_SPEED * leg
    # The lowest joint of a resting foot: toes, or the ankle where there are none.
    lowest = np.argmin(np.where(slow, heights, np.inf), axis=1)
    rows = np.flatnonzero(slow.any(axis=1))
    if len(rows) < max(3, round(0.1 * fps)):
        return None
    resting = heights[rows, lowest[rows]]
    base = percentile(resting, 10)
    return median(resting[resting < base + RESTING_HEIGHT * leg])


def soles_of(skeleton: Skeleton, parts: Assignment, points: FloatArray, weights: FloatArray) -> dict[int, FloatArray]:
    """The lowest points of the skin of every foot and its toes. points ``(V, 3)`` at rest in metres, weights ``(V,
    J)``.

    Each point is kept in the frame of the joint that moves it most: ``(K, 3)``, spread over the sole.
    """
    out: dict[int, FloatArray] = {}
    if not len(points):
        return out
    total = np.maximum(weights.sum(axis=1), 1e-9)
    for side in SIDES:
        feet = [
            bone.joint
            for name, bones in parts.items()
            if name.startswith(f"{side} ") and is_footing(name)
            for bone in bones
        ]
        # What moves the skin of a foot, and the bone of the foot or of its toes that carries it.
        carriers = {
            joint: carrier
            for joint in range(len(skeleton))
            if (carrier := joint if joint in feet else skeleton.above(joint, feet)) is not None
        }
        below = list(carriers)
        own = weights[:, below].sum(axis=1) >= OWN * total
        if not own.any():
            continue
        skin, shares = points[own], weights[own]
        ankles = skeleton.rest.positions[feet]
        low = skin[:, 1] < skin[:, 1].min() + LOWEST * max(float(ankles[:, 1].max() - skin[:, 1].min()), 1e-4)
        skin, shares = skin[low], shares[low]
        holder = np.array(below)[np.argmax(shares[:, below], axis=1)]
        for joint in sorted(set(holder.tolist())):
            carrier = carriers[joint]
            offsets = skin[holder == joint] - skeleton.rest.positions[carrier]
            local = rotation.rotate(rotation.inverse(skeleton.rest.rotations[carrier]), offsets)
            out[carrier] = np.concatenate([out[carrier], local]) if carrier in out else local
    return {joint: _spread(skeleton, joint, local) for joint, local in out.items()}


def palms_of(skeleton: Skeleton, parts: Assignment, points: FloatArray, weights: FloatArray) -> dict[int, FloatArray]:
    """Half the thickness of the palms, as a vector ``(3,)`` square to each in its joint's frame, in metres.

    points ``(V, 3)`` at rest in metres, weights ``(V, J)``. A hand of a single chain shows no plane, and none is given
    for it.
    """
    out: dict[int, FloatArray] = {}
    total, at = np.maximum(weights.sum(axis=1), 1e-9), skeleton.rest.positions
    for side in SIDES:
        first = [
            parts[name][0].joint
            for kind in (
                "thumb metacarpal",
                *(f"{finger} proximal" for finger in ("index", "middle", "ring", "little")),
            )
            if (name := f"{side} {kind}") in parts
        ]
        if f"{side} hand" not in parts or len(first) < 2:
            continue
        hand = parts[f"{side} hand"][0].joint
        ways = at[first] - at[hand]
        normal = np.cross(ways.mean(axis=0), at[first[0]] - at[first[-1]])
        skin = points[weights[:, hand] >= OWN * total]
        if not normal.any() or len(skin) < FEWEST:
            continue
        low, high = np.percentile((skin - at[hand]) @ unit(normal), [5, 95])
        if high - low < FLAT:
            continue
        out[hand] = rotation.rotate(rotation.inverse(skeleton.rest.rotations[hand]), unit(normal) * (high - low) / 2)
    return out


def _spread(skeleton: Skeleton, joint: int, local: FloatArray) -> FloatArray:
    """At most KEPT points: the lowest at rest, and low ones far out in a ring of directions, which any tilt stands
    on."""
    world = rotation.rotate(skeleton.rest.rotations[joint], local)
    flat = world[:, [0, 2]] - world[:, [0, 2]].mean(axis=0)
    spread_out = {int(np.argmin(world[:, 1]))}
    for angle in np.linspace(0, 2 * np.pi, KEPT - 1, endpoint=False):
        # Far out in this direction, and low.
        score = flat @ np.array([np.cos(angle), np.sin(angle)]) - world[:, 1]
        spread_out.add(int(np.argmax(score)))
    return np.ascontiguousarray(local[sorted(spread_out)])


def lowest_of(soles: Mapping[int, FloatArray], rotations: FloatArray, positions: FloatArray) -> FloatArray | None:
    """Height ``(...)`` of the lowest point of all soles of a body; None where it has none.

    rotations ``(J, ..., 4)`` and positions ``(J, ..., 3)`` in the world, joint first.
    """
    heights = [
        (positions[joint][..., None, :] + rotation.rotate(rotations[joint][..., None, :], points))[..., 1].min(axis=-1)
        for joint, points in soles.items()
    ]
    return np.asarray(np.min(heights, axis=0)) if heights else None
