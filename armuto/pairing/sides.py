"""Left and right: which of two mirrored limbs is which."""

from __future__ import annotations

import numpy as np

from armuto.body.tree import SkeletonTree
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.vectors import unit
from armuto.pairing.candidates import Body, Names, limb_length

UPSET = -4.0  # a body whose posture scores less does not stand as its plan says


def left_and_right(anatomy: SkeletonTree, names: Names, body: Body) -> dict[str, object]:
    """Which twin is the left one, by which way the body faces and by what the names say.

    Evidence is signed: positive where twin 0 (of limbs that are not swapped) is on the left, that is where the body
    faces along across × up.
    """
    facing = np.cross(body.across, body.up)
    votes = [*_votes_of_limbs(anatomy, body, facing), *_votes_of_trunk(anatomy, body, facing)]
    if body.posture < UPSET:
        # A body that does not stand as its plan says shows little of where it faces.
        votes = [(0.3 * vote, why) for vote, why in votes]
    votes += _vote_of_names(names, body)
    total = sum(vote for vote, _ in votes)
    sign = 1 if total >= 0 else -1
    against = sum(-vote * sign for vote, _ in votes if vote * sign < 0)
    why = [reason for vote, reason in sorted(votes, key=lambda v: -abs(v[0])) if vote * sign > 0.15]
    return {
        "left": sign,
        "forward": facing * sign,
        "side_sure": float(1 / (1 + np.exp(-2.2 * (abs(total) - 0.6 * against) - 0.2))),
        "side_why": " and ".join(why[:2]),
    }


def _votes_of_limbs(anatomy: SkeletonTree, body: Body, facing: FloatArray) -> list[tuple[float, str]]:
    """Where feet point, and on which side of their limbs knees, elbows and thumbs lie."""
    leg = float(np.mean([limb_length(anatomy, limb, 0) for limb in body.limbs.values()]))
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
                bend = _bend(*(anatomy.at[joint] for joint in (required[0], required[1], required[-1])))
                if foot is not None:
                    knees += float(bend @ facing) / (0.04 * leg)
                else:
                    elbows -= float(bend @ facing) / (0.04 * leg)
            if last == "hand" and len(limb.kinds) - 1 in joints:
                thumbs += _thumb(anatomy, joints[len(limb.kinds) - 1], facing)
    return [
        (2.5 * float(np.clip(feet / 2, -1.2, 1.2)), "the feet point forwards"),
        (0.8 * float(np.clip(knees / 2, -1, 1)), "the knees bend forwards"),
        (0.4 * float(np.clip(elbows / 2, -1, 1)), "the elbows bend backwards"),
        (0.8 * float(np.clip(thumbs / 2, -1, 1)), "the thumbs lie in front"),
    ]


def _bend(start: FloatArray, middle: FloatArray, end: FloatArray) -> FloatArray:
    """How far the middle of a limb lies off the line from its start to its end, ``(3,)``."""
    line = unit(end - start)
    return np.asarray((middle - start) - ((middle - start) @ line) * line)


def _votes_of_trunk(anatomy: SkeletonTree, body: Body, facing: FloatArray) -> list[tuple[float, str]]:
    if body.plan.trunk != "upright":
        trunk = anatomy.direction(body.hips, body.chest) @ facing
        return [(3.0 * float(trunk), "the trunk goes forwards from the hips")]
    nod = 0.5 * float(np.clip(_nod(anatomy, body) @ facing / 0.012, -1, 1))
    gaze = 1.2 * float(np.clip(_gaze(anatomy, body, facing), -1, 1))
    return [(nod, "the head is carried in front of the neck"), (gaze, "the eyes lie in front")]


def _vote_of_names(names: Names, body: Body) -> list[tuple[float, str]]:
    by_name, sided = 0.0, 0
    for name, limb in body.limbs.items():
        sign = -1 if name in body.swapped else 1
        for which, line in enumerate((limb.twins.a, limb.twins.b)):
            for joint in line:
                side = names.read[joint].side
                if side:
                    sided += 1
                    by_name += sign * (1 if (side == "left") == (which == 0) else -1)
    return [(1.4 * by_name / sided, "the names say so")] if sided else []


def _gaze(anatomy: SkeletonTree, body: Body, facing: FloatArray) -> float:
    """How far two alike bones without more on them lie to the front of what they hang from, above the chest, as eyes
    do."""
    arms = {joint for limb in body.limbs.values() for joint in (*limb.twins.a, *limb.twins.b)}
    best = 0.0
    for joint in range(len(anatomy.skeleton)):
        if joint in arms or not anatomy.is_above(body.chest, joint):
            continue
        leaves = [c for c in anatomy.skeleton.children[joint] if not anatomy.skeleton.children[c] and c not in arms]
        for n, a in enumerate(leaves):
            for b in leaves[:n]:
                both, difference = anatomy.at[a] + anatomy.at[b] - 2 * anatomy.at[joint], anatomy.at[a] - anatomy.at[b]
                wide = float(np.linalg.norm(difference))
                if wide < 1e-9 or abs(float(difference @ body.across)) < 0.95 * wide:
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
    offset = (anatomy.at[tips[thumb]] - rest) / (max(far) + 1e-9)
    return float(np.clip(offset @ facing / 0.4, -1, 1))
