"""Finding a body plan in a skeleton: which twins are its limbs, where hips, chest and head are, which side is which.

Every way to give the plan's paired limbs to twins of the skeleton is scored by how well the parts lie on the bones
(:mod:`armuto.pairing.limbs`) and by how the body then stands: what stands on the ground, how its trunk lies, how long its limbs
are against each other. Names only add to these scores, so that a skeleton without a telling name is read by its shape alone.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import permutations

import numpy as np

from armuto.body.lexicon import BoneName, Lexicon
from armuto.body.plans import BodyPlan, Part
from armuto.body.tree import LimbPair, SkeletonTree
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import Skeleton
from armuto.kinematics.vectors import unit
from armuto.pairing import limbs

SAID, DENIED, HELPER = 3.0, -2.0, -2.5  # what a name adds that says the part, says another, or says a helper
# And what one adds that counts on from the bone before, under a limb's word or one that is not known.
COUNTED_LIMB, STRAND = 0.8, -0.8
UPSET = -4.0  # a body whose posture scores less does not stand as its plan says
COUNTED = 3  # bones in a row with one word and different numbers are a limb counted through
LIMB_KINDS = frozenset(
    f"{front}{kind}"
    for front in ("", "front ", "hind ")
    for kind in ("shoulder", "upper arm", "lower arm", "hand", "upper leg", "lower leg", "foot")
) | {"upper wing", "lower wing", "wing hand", "wing shoulder"}
GROUNDED = 5.0  # cost of a wing that ends on the ground
UNUSED = 6.0  # cost of twins that reach the ground as the legs do and are no part of the body
LIKENESS = 4.0  # what twins of one length add
MOST = 8  # twins that are looked at, the longest first


@dataclass(frozen=True)
class Names:
    """What the names of a skeleton say. read and scores: by joint.

    counted: of joints of chains that are counted through under one word, what that adds to their being a part of a limb.
    """

    read: Sequence[BoneName]
    scores: Sequence[Mapping[str, tuple[float, str]]]
    counted: Mapping[int, float] = field(default_factory=dict)

    @staticmethod
    def of(skeleton: Skeleton, names: Sequence[str], words: Lexicon) -> Names:
        """names: of every joint, without what they share."""
        read, counted = _counted_apart(skeleton, [words.read(name) for name in names], words)
        return Names(read, [words.scores(name) for name in read], counted)

    def worth(self, joint: int, kind: str) -> float:
        """What the name of a joint adds to its being this kind of part."""
        by_name = self.scores[joint]
        own = by_name[kind][0] if kind in by_name else 0.0
        if own >= 0.25:
            best = max(score for score, _ in by_name.values())
            return SAID * own - (best - own)
        if self.read[joint].helper:
            return HELPER
        if joint in self.counted and kind in LIMB_KINDS:
            return self.counted[joint]
        return DENIED if any(score > 0.6 for score, _ in by_name.values()) else 0.0

    def table(self, line: Sequence[int], parts: Sequence[Part]) -> FloatArray:
        return np.array([[self.worth(joint, part.kind) for part in parts] for joint in line]).reshape(len(line), -1)


def _counted_apart(
    skeleton: Skeleton, read: Sequence[BoneName], words: Lexicon
) -> tuple[list[BoneName], dict[int, float]]:
    """The names, but of bones that are counted along a limb ("arm0" to "arm3") only the side: such a word names the limb.

    And what being counted adds: for a limb's word, or for one that says nothing, as in capes and hair.
    """
    lines: dict[tuple[object, ...], list[int]] = {}
    for joint, name in enumerate(read):
        if name.words and name.numbers and not name.helper:
            lines.setdefault((name.words, name.side), []).append(joint)
    out, counted = list(read), {}
    for joints in lines.values():
        kinds = set(words.scores(read[joints[0]])) & LIMB_KINDS
        chain = sum(int(skeleton.parents[joint]) in joints for joint in joints) + 1
        if len(joints) < COUNTED or chain < COUNTED:
            continue
        if kinds:
            for joint in joints:
                out[joint] = replace(read[joint], words=())
                counted[joint] = COUNTED_LIMB
        elif not words.scores(read[joints[0]]):
            counted.update(dict.fromkeys(joints, STRAND))
    return out, counted


@dataclass(frozen=True)
class Limb:
    """A limb of the plan on twins: for each, the bones of its parts and how probable each is."""

    kinds: tuple[Part, ...]
    twins: LimbPair
    ways: tuple[limbs.Ways, limbs.Ways]

    def joints(self, which: int) -> dict[int, int]:
        """Part number to joint, on twin 0 or 1."""
        line = (self.twins.a, self.twins.b)[which]
        return {part: line[at] for part, at in self.ways[which].best.items()}

    def sure(self, which: int, part: int) -> float:
        return float(self.ways[which].probability[self.ways[which].best[part], part])


@dataclass(frozen=True)
class Body:
    """A plan found in a skeleton. across: unit vector to the side of twin 0 of every limb that is not ``swapped``.

    up and forward: unit vectors. posture: the part of the score that says how well it stands.
    left: +1 when twin 0 is the left one, else -1; side_sure and side_why: how surely, 0 to 1, and why.
    """

    plan: BodyPlan
    score: float
    hips: int
    chest: int
    limbs: dict[str, Limb]
    swapped: frozenset[str]
    across: FloatArray
    up: FloatArray
    sure: float
    posture: float
    left: int = 1
    forward: FloatArray = field(default_factory=lambda: np.zeros(3))
    side_sure: float = 0.5
    side_why: str = ""

    def twin(self, limb: str, side: str) -> int:
        """Which twin of a limb is on this side."""
        first = (side == "left") == (self.left > 0)
        return int(first == (limb in self.swapped))


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
    sided = _sides(anatomy, names, best)
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
        one, two = (
            limbs.ways(anatomy, [line], parts, [by_name], fans, straight)
            for line, by_name in zip(lines, tables, strict=True)
        )
        each = (one, two)
    if min(way.score for way in each) < -20:
        return None
    return Limb(parts, twins, each)


def _body(anatomy: SkeletonTree, names: Names, plan: BodyPlan, found: dict[str, Limb]) -> Body | None:
    """Score one way to give limbs to twins."""
    places: dict[str, list[int]] = {}
    for limb in found.values():
        places.setdefault(limb.kinds[0].follows or "", []).append(limb.twins.branch)
    if len(places) < 2 and len(found) > 1 and len({limb.kinds[0].follows for limb in found.values()}) > 1:
        return None
    hips_at = places.get("hips", [])
    chest_at = [joint for name, joints in places.items() if name != "hips" for joint in joints]
    if not hips_at:
        return None
    hips = hips_at[0]
    for joint in [*hips_at[1:], *chest_at]:
        common = anatomy.common(hips, joint)
        if common is None:
            return None
        hips = common
    chest = chest_at[0] if chest_at else hips
    for joint in chest_at[1:]:
        common = anatomy.common(chest, joint)
        if common is None:
            return None
        chest = common
    if chest_at and (chest == hips or not anatomy.is_above(hips, chest)):
        return None
    at = anatomy.at
    standing = [limb for limb in found.values() if any(part.kind.endswith("foot") for part in limb.kinds)]
    if not standing:
        return None
    # Where the common joint lies far from the legs, as a joint on the floor does, the legs' own joint is the pelvis.
    leg = float(np.mean([_length(anatomy, limb, k) for limb in standing for k in (0, 1)]))
    own = hips_at[0]
    if own != hips and float(np.linalg.norm(at[own] - at[hips])) > 0.35 * leg:
        hips = own
    across, swapped = _across(anatomy, found, names)
    up = -np.sum([anatomy.direction(*_ends(limb, k)) for limb in standing for k in (0, 1)], axis=0)
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


def _ends(limb: Limb, which: int) -> tuple[int, int]:
    """The first and the last required part of a limb."""
    joints = limb.joints(which)
    required = [joints[n] for n, part in enumerate(limb.kinds) if part.required and n in joints]
    return required[0], required[-1]


def _length(anatomy: SkeletonTree, limb: Limb, which: int) -> float:
    """Length of a limb's required parts; of one that ends early, what it would be with all of them."""
    first, last = _ends(limb, which)
    joints = limb.joints(which)
    required = [n for n, part in enumerate(limb.kinds) if part.required]
    there = [n for n in required if n in joints]
    whole, own = (sum(limb.kinds[n].share for n in parts[:-1]) for parts in (required, there))
    length = float(anatomy.length[anatomy.path(first, last)].sum())
    return length * whole / own if own > 0 else length


def _across(anatomy: SkeletonTree, found: Mapping[str, Limb], names: Names) -> tuple[FloatArray, frozenset[str]]:
    """The direction across the body, and the limbs whose twin 0 is on its far side.

    By where limbs begin, since arms and legs may be crossed. Where the names of all limbs say a side throughout, they tell
    which twins go together, however the trunk is turned.
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


def _off(value: float, wanted: float, spread: float, worst: float = -4.0) -> float:
    return max(worst, -0.5 * ((value - wanted) / spread) ** 2)


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
            # Wings are spread or folded; what ends on the ground that the feet stand on, before or behind them, is a leg.
            _, tilt = _level(anatomy, [*standing, limb], across, up)
            score -= GROUNDED * float(np.clip((55.0 - tilt) / 30.0, 0.0, 1.0))
        low = min(lowest[name]) - floor
        score += _off(min(low / leg, 0.3), 0.3, 0.1, -8.0)
        if name in plan.reach:
            share, spread = plan.reach[name]
            mine = float(np.mean([_length(anatomy, limb, k) for k in (0, 1)]))
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


def _sides(anatomy: SkeletonTree, names: Names, body: Body) -> dict[str, object]:
    """Which twin is the left one, by which way the body faces and by what the names say.

    Evidence is signed: positive where twin 0 (of limbs that are not swapped) is on the left, that is where the body faces along
    across × up.
    """
    facing = np.cross(body.across, body.up)
    leg = float(np.mean([_length(anatomy, limb, 0) for limb in body.limbs.values()]))
    votes: list[tuple[float, str]] = []
    feet, knees, elbows, thumbs = 0.0, 0.0, 0.0, 0.0
    for limb in body.limbs.values():
        last = limb.kinds[-1].kind
        foot = next((n for n, part in enumerate(limb.kinds) if part.kind.endswith("foot")), None)
        for which in (0, 1):
            joints = limb.joints(which)
            required = [joints[n] for n, part in enumerate(limb.kinds) if part.required and n in joints]
            if foot is not None and foot in joints:
                beyond = _beyond(anatomy, joints[foot])
                if beyond is not None:
                    feet += float((beyond - anatomy.at[joints[foot]]) @ facing) / (0.12 * leg)
            if len(required) >= 3 and body.plan.trunk == "upright":
                a, m, b = (anatomy.at[joint] for joint in (required[0], required[1], required[-1]))
                line = unit(b - a)
                bend = (m - a) - ((m - a) @ line) * line
                if foot is not None:
                    knees += float(bend @ facing) / (0.04 * leg)
                else:
                    elbows -= float(bend @ facing) / (0.04 * leg)
            if last == "hand" and len(limb.kinds) - 1 in joints:
                thumbs += _thumb(anatomy, joints[len(limb.kinds) - 1], facing)
    votes.append((2.5 * float(np.clip(feet / 2, -1.2, 1.2)), "the feet point forwards"))
    votes.append((0.8 * float(np.clip(knees / 2, -1, 1)), "the knees bend forwards"))
    votes.append((0.4 * float(np.clip(elbows / 2, -1, 1)), "the elbows bend backwards"))
    votes.append((0.8 * float(np.clip(thumbs / 2, -1, 1)), "the thumbs lie in front"))
    if body.plan.trunk != "upright":
        trunk = anatomy.direction(body.hips, body.chest) @ facing
        votes.append((3.0 * float(trunk), "the trunk goes forwards from the hips"))
    else:
        nod = 0.5 * float(np.clip(_nod(anatomy, body) @ facing / 0.012, -1, 1))
        votes.append((nod, "the head is carried in front of the neck"))
        votes.append((1.2 * float(np.clip(_gaze(anatomy, body, facing), -1, 1)), "the eyes lie in front"))
    if body.posture < UPSET:
        # A body that does not stand as its plan says shows little of where it faces.
        votes = [(0.3 * vote, why) for vote, why in votes]
    by_name, heard = 0.0, 0
    for name, limb in body.limbs.items():
        sign = -1 if name in body.swapped else 1
        for which in (0, 1):
            for joint in (limb.twins.a, limb.twins.b)[which]:
                side = names.read[joint].side
                if side:
                    heard += 1
                    by_name += sign * (1 if (side == "left") == (which == 0) else -1)
    if heard:
        votes.append((1.4 * by_name / heard, "the names say so"))
    total = sum(vote for vote, _ in votes)
    sign = 1 if total >= 0 else -1
    against = sum(-vote * sign for vote, _ in votes if vote * sign < 0)
    why = [reason for vote, reason in sorted(votes, key=lambda v: -abs(v[0])) if vote * sign > 0.15]
    forward = facing * sign
    return {
        "left": sign,
        "forward": forward,
        "side_sure": float(1 / (1 + np.exp(-2.2 * (abs(total) - 0.6 * against) - 0.2))),
        "side_why": " and ".join(why[:2]),
    }


def _gaze(anatomy: SkeletonTree, body: Body, facing: FloatArray) -> float:
    """How far two alike bones without more on them lie to the front of what they hang from, above the chest, as eyes do."""
    arms = {joint for limb in body.limbs.values() for joint in (*limb.twins.a, *limb.twins.b)}
    best = 0.0
    for joint in range(len(anatomy.skeleton)):
        if joint in arms or not anatomy.is_above(body.chest, joint):
            continue
        leaves = [c for c in anatomy.skeleton.children[joint] if not anatomy.skeleton.children[c] and c not in arms]
        for n, a in enumerate(leaves):
            for b in leaves[:n]:
                both, apart = anatomy.at[a] + anatomy.at[b] - 2 * anatomy.at[joint], anatomy.at[a] - anatomy.at[b]
                wide = float(np.linalg.norm(apart))
                if wide < 1e-9 or abs(float(apart @ body.across)) < 0.95 * wide:
                    continue
                ahead, high = float(both @ facing), float(both @ body.up)
                if abs(ahead) > 0.5 * abs(high) and abs(ahead) > 0.3 * wide and abs(ahead) > abs(best):
                    best = ahead
    return best / (0.02 * anatomy.size)


def _nod(anatomy: SkeletonTree, body: Body) -> FloatArray:
    """How far the last solid bone above the chest lies before the first, against the body's size."""
    arms = {joint for limb in body.limbs.values() for joint in (*limb.twins.a, *limb.twins.b)}
    line = [body.chest]
    while True:
        steps = [c for c in anatomy.skeleton.children[line[-1]] if c not in arms]
        if len(line) > 1 and sum(bool(anatomy.skeleton.children[c]) for c in steps) > 1:
            break  # this is the head: what leads on from it is hair, ears or a hat
        steps = [c for c in steps if (anatomy.at[c] - anatomy.at[line[-1]]) @ body.up > 0.8 * anatomy.length[c]]
        if not steps:
            break
        line.append(max(steps, key=lambda c: anatomy.under[c]))
    solid = [joint for joint in line[1:] if anatomy.skeleton.children[joint]] or line[1:]
    if len(solid) < 2:
        return np.zeros(3)
    return np.asarray((anatomy.at[solid[-1]] - anatomy.at[solid[0]]) / anatomy.size)


def _beyond(anatomy: SkeletonTree, foot: int) -> FloatArray | None:
    """A point of the foot beyond its joint: that of its furthest bone or end."""
    line = anatomy.line(foot)
    if len(line) > 1:
        return np.asarray(anatomy.at[line[1]])
    ends = np.flatnonzero(anatomy.skeleton.end_parents == foot)
    if len(ends):
        turned = rotation.rotate(anatomy.skeleton.rest.rotations[foot], anatomy.skeleton.end_offsets[ends[0]])
        return np.asarray(anatomy.at[foot] + turned)
    return None


def _thumb(anatomy: SkeletonTree, hand: int, facing: FloatArray) -> float:
    """-1 to 1: how far the finger that ends nearest to the wrist lies in front of the others."""
    starts = [c for c in anatomy.skeleton.children[hand] if anatomy.skeleton.children[c]]
    if len(starts) < 2:
        return 0.0
    tips = [anatomy.line(c)[-1] for c in starts]
    far = [float(np.linalg.norm(anatomy.at[tip] - anatomy.at[hand])) for tip in tips]
    thumb, *others = np.argsort(far)
    if len(starts) == 2 and far[thumb] > 0.85 * far[others[0]]:
        return 0.0  # two fingers alike: neither is a thumb
    rest = np.mean([anatomy.at[tip] for n, tip in enumerate(tips) if n != thumb], axis=0)
    away = (anatomy.at[tips[thumb]] - rest) / (max(far) + 1e-9)
    return float(np.clip(away @ facing / 0.4, -1, 1))
