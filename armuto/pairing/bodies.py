"""Finding a body plan in a skeleton: which twins are its limbs, where hips, chest and head are, which side is which.

Every way to give the plan's paired limbs to twins of the skeleton is scored by how well the parts lie on the bones
(:mod:`armuto.pairing.limbs`) and by how the body then stands: what stands on the ground, how its trunk lies, how long
its limbs are against each other. Names only add to these scores, so that a skeleton without a telling name is read by
its shape alone.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import permutations

import numpy as np

from armuto.body.plans import BodyPlan, Part
from armuto.body.tree import LimbPair, SkeletonTree
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.vectors import unit
from armuto.pairing import limbs
from armuto.pairing.candidates import Body, Limb, Names, limb_length, required_ends
from armuto.pairing.sides import left_and_right

GROUNDED = 5.0  # cost of a wing that ends on the ground
UNUSED = 6.0  # cost of twins that reach the ground as the legs do and are no part of the body
LIKENESS = 4.0  # what twins of one length add
MOST = 8  # twins that are looked at, the longest first


def find(anatomy: SkeletonTree, names: Names, plan: BodyPlan) -> Body | None:
    """The plan in the skeleton, or None where its required limbs are not there."""
    groups = _paired_limbs(plan)
    required = [name for name, parts in groups.items() if any(part.required for part in parts)]
    twins = sorted(anatomy.limb_pairs, key=lambda t: -anatomy.reach[t.a[0]])[:MOST]
    if not required or len(twins) < len(required):
        return None
    fits: dict[tuple[str, int], Limb] = {}
    for name in groups:
        for number, pair in enumerate(twins):
            found = _fit(anatomy, names, groups[name], pair, plan)
            if found is not None:
                fits[name, number] = found
    bodies = []
    for chosen in permutations(range(len(twins)), len(required)):
        if all((name, number) in fits for name, number in zip(required, chosen, strict=True)):
            body = _body(anatomy, names, plan, {n: fits[n, k] for n, k in zip(required, chosen, strict=True)})
            if body is not None:
                bodies.append(body)
    if not bodies:
        return None
    bodies.sort(key=lambda body: -body.score)
    margin = bodies[0].score - bodies[1].score if len(bodies) > 1 else 10.0
    best = bodies[0]
    sided = left_and_right(anatomy, names, best)
    return Body(**{**vars(best), **sided, "sure": float(1 / (1 + np.exp(-margin)))})


def _paired_limbs(plan: BodyPlan) -> dict[str, tuple[Part, ...]]:
    """Sided limbs that hang from the trunk, by name without side, with the parts of their left one."""
    trunk = {part.name for part in plan.parts if not part.side}
    return {
        parts[0].limb.removeprefix("left "): parts
        for parts in plan.limbs.values()
        if parts[0].side == "left" and parts[0].follows in trunk and any(part.required for part in parts)
    }


def _fit(anatomy: SkeletonTree, names: Names, parts: tuple[Part, ...], twins: LimbPair, plan: BodyPlan) -> Limb | None:
    last = parts[-1].name
    fans, straight = sum(part.follows == last for part in plan.parts) >= 2, plan.trunk == "upright"
    lines, tables = (twins.a, twins.b), [names.table(line, parts) for line in (twins.a, twins.b)]
    if len(twins.a) == len(twins.b):
        both = limbs.ways(anatomy, lines, parts, tables, fans, straight)
        each = (both, both)
    else:
        first, second = (
            limbs.ways(anatomy, [line], parts, [by_name], fans, straight)
            for line, by_name in zip(lines, tables, strict=True)
        )
        each = (first, second)
    if min(way.score for way in each) < -20:
        return None
    return Limb(parts, twins, each)


def _body(anatomy: SkeletonTree, names: Names, plan: BodyPlan, found: dict[str, Limb]) -> Body | None:
    """Score one way to give limbs to twins."""
    trunk = _trunk(anatomy, found)
    standing = [limb for limb in found.values() if any(part.kind.endswith("foot") for part in limb.kinds)]
    if trunk is None or not standing:
        return None
    hips, own, chest = trunk
    # Where the common joint lies far from the legs, as a joint on the floor does, the legs' own joint is the pelvis.
    leg = float(np.mean([limb_length(anatomy, limb, k) for limb in standing for k in (0, 1)]))
    if own != hips and float(np.linalg.norm(anatomy.at[own] - anatomy.at[hips])) > 0.35 * leg:
        hips = own
    across, swapped = _across(anatomy, found, names)
    up = -np.sum([anatomy.direction(*required_ends(limb, k)) for limb in standing for k in (0, 1)], axis=0)
    up = unit(up - (up @ across) * across)
    if not up.any():
        return None
    up, tilt = _level(anatomy, standing, across, up)
    score = sum(limb.ways[k].score for limb in found.values() for k in (0, 1))
    score += LIKENESS * sum(limb.twins.likeness for limb in found.values())
    posture = _stance(anatomy, plan, found, standing, across, up, leg, hips, chest)
    posture += _off(tilt, 0.0, 15.0, -8.0)
    score += posture
    score += names.worth(hips, "hips") * 0.7 + _trunk_names(anatomy, names, plan, hips, chest)
    return Body(plan, float(score) + plan.prior, hips, chest, found, swapped, across, up, 1.0, posture)


def _trunk(anatomy: SkeletonTree, found: Mapping[str, Limb]) -> tuple[int, int, int] | None:
    """The joint that all limbs have in common, the one the legs hang from, and the chest; None where they make no
    trunk."""
    places: dict[str, list[int]] = {}
    for limb in found.values():
        places.setdefault(limb.kinds[0].follows or "", []).append(limb.twins.branch)
    if len(places) < 2 and len(found) > 1 and len({limb.kinds[0].follows for limb in found.values()}) > 1:
        return None
    hips_at = places.get("hips", [])
    chest_at = [joint for name, joints in places.items() if name != "hips" for joint in joints]
    if not hips_at:
        return None
    hips = _common(anatomy, [*hips_at, *chest_at])
    chest = _common(anatomy, chest_at) if chest_at else hips
    if hips is None or chest is None or (chest_at and (chest == hips or not anatomy.is_above(hips, chest))):
        return None
    return hips, hips_at[0], chest


def _common(anatomy: SkeletonTree, joints: Sequence[int]) -> int | None:
    """The nearest joint that all of these hang from or are."""
    shared: int | None = joints[0]
    for joint in joints[1:]:
        if shared is not None:
            shared = anatomy.common(shared, joint)
    return shared


def _across(anatomy: SkeletonTree, found: Mapping[str, Limb], names: Names) -> tuple[FloatArray, frozenset[str]]:
    """The direction across the body, and the limbs whose twin 0 is on its far side.

    By where limbs begin, since arms and legs may be crossed. Where the names of all limbs say a side throughout, they
    tell which twins go together, however the trunk is turned.
    """
    ways = {}
    for name, limb in found.items():
        a, b = limb.joints(0), limb.joints(1)
        both = sorted(a.keys() & b.keys())
        first = next((n for n in both if limb.kinds[n].required), both[0])
        ways[name] = anatomy.at[a[first]] - anatomy.at[b[first]]
    sides = {name: _named_side(names, limb) for name, limb in found.items()}
    longest = max(ways, key=lambda name: float(np.linalg.norm(ways[name])))
    if all(sides.values()):
        swapped = frozenset(name for name in ways if sides[name] != sides[longest])
    else:
        swapped = frozenset(name for name, way in ways.items() if float(way @ ways[longest]) < 0)
    return unit(np.sum([-way if name in swapped else way for name, way in ways.items()], axis=0)), swapped


def _named_side(names: Names, limb: Limb) -> int:
    """1 where the names of a limb say that twin 0 is the left one, -1 the right one, 0 where they do not agree."""
    by_name = [
        1 if (names.read[joint].side == "left") == (which == 0) else -1
        for which in (0, 1)
        for joint in limb.joints(which).values()
        if names.read[joint].side
    ]
    clear = len(by_name) >= len(limb.joints(0)) + len(limb.joints(1)) - 2 and abs(sum(by_name)) == len(by_name) > 0
    return by_name[0] if clear else 0


def _level(
    anatomy: SkeletonTree, standing: Sequence[Limb], across: FloatArray, up: FloatArray
) -> tuple[FloatArray, float]:
    """Up as the ground under four feet or more has it, and degrees between that and the way the legs go."""
    height = anatomy.at @ up
    middles = []
    for limb in standing:
        feet = [min(line, key=lambda joint: float(height[joint])) for line in (limb.twins.a, limb.twins.b)]
        middles.append(anatomy.at[feet].mean(axis=0))
    if len(middles) < 2:
        return up, 0.0
    along = max((b - a for n, b in enumerate(middles) for a in middles[:n]), key=lambda way: float(np.linalg.norm(way)))
    normal = unit(np.cross(across, along))
    normal = normal if float(normal @ up) >= 0 else -normal
    tilt = float(np.degrees(np.arccos(np.clip(normal @ up, -1.0, 1.0))))
    return (normal if tilt < 35 else up), tilt


def _off(value: float, expected: float, spread: float, worst: float = -4.0) -> float:
    return max(worst, -0.5 * ((value - expected) / spread) ** 2)


def _stance(
    anatomy: SkeletonTree,
    plan: BodyPlan,
    found: Mapping[str, Limb],
    standing: Sequence[Limb],
    across: FloatArray,
    up: FloatArray,
    leg: float,
    hips: int,
    chest: int,
) -> float:
    """How well the body stands: feet level and lowest, the trunk as the plan has it, limbs of usual length."""
    height = anatomy.at @ up
    lowest = {
        name: [float(height[list(line)].min()) for line in (limb.twins.a, limb.twins.b)] for name, limb in found.items()
    }
    feet = [low for name, limb in found.items() if limb in standing for low in lowest[name]]
    floor = min(feet)
    score = sum(_off(foot - floor, 0.0, 0.12 * leg) for foot in feet)
    used = {joint for limb in found.values() for joint in (*limb.twins.a, *limb.twins.b)}
    for twins in anatomy.limb_pairs:
        ends = [float(height[list(line)].min()) - floor for line in (twins.a, twins.b)]
        if not used & {*twins.a, *twins.b} and max(ends) < 0.3 * leg:
            score -= UNUSED
    for name, limb in found.items():
        if limb in standing:
            continue
        if plan.trunk != "upright":
            # Wings are spread or folded; what ends on the ground that the feet stand on, before or behind them, is a
            # leg.
            _, tilt = _level(anatomy, [*standing, limb], across, up)
            score -= GROUNDED * float(np.clip((55.0 - tilt) / 30.0, 0.0, 1.0))
        low = min(lowest[name]) - floor
        score += _off(min(low / leg, 0.3), 0.3, 0.1, -8.0)
        if name in plan.reach:
            share, spread = plan.reach[name]
            mine = float(np.mean([limb_length(anatomy, limb, k) for k in (0, 1)]))
            score += _off(float(np.log(max(mine, 1e-9) / (share * leg))), 0.0, spread)
    trunk = anatomy.at[chest] - anatomy.at[hips]
    length = float(np.linalg.norm(trunk))
    if length > 0:
        lean = float(trunk @ up) / length
        if plan.trunk == "upright":
            score += _off(lean, 1.0, 0.25, -8.0)
        elif plan.trunk == "level":
            score += _off(lean, 0.0, 0.3, -8.0)
        score += _off(float(np.log(length / (0.5 * leg))), 0.0, 0.6)
    return score


def _trunk_names(anatomy: SkeletonTree, names: Names, plan: BodyPlan, hips: int, chest: int) -> float:
    """What the names from the hips to the chest add; bones there that are called a limb speak against it."""
    run = anatomy.path(hips, chest) if anatomy.is_above(hips, chest) else []
    worth = [max(names.worth(joint, "spine"), -1.5) for joint in run]
    return float(np.mean(worth)) if worth else 0.0
