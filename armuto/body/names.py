"""Reading a skeleton by its names alone.

Every bone is scored against the lexicon for every part, and each limb is assigned at once, as the chain of bones from
the trunk outwards with the largest total score in which the parts keep their order (dynamic programming over the tree).
That is what tells "LeftShoulder, LeftArm" from "LeftCollar, LeftShoulder".
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Sequence
from functools import lru_cache

import numpy as np

from armuto.body.lexicon import PIECE, BoneName, Lexicon, lexicon_for
from armuto.body.parts import Assignment, PartBone
from armuto.body.plans import SIDES, BodyPlan, Part
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import Skeleton

FINGERS = ("thumb", "index", "middle", "ring", "little")
REQUIRED_BONUS = 0.5  # a required part is worth more than the nicer reading of one name
BETWEEN_CONFIDENCE = 0.6
SPACE = re.compile(r"[:|/]")  # between a namespace and a name


def by_name(skeleton: Skeleton, plan: BodyPlan, words: Lexicon, read: Sequence[BoneName]) -> Assignment:
    """Give each part of the plan the bones whose names say so. Parts not found are absent."""
    out: Assignment = {}
    fingers = {f"{side} {finger}" for side in SIDES for finger in FINGERS}
    for limb, parts in plan.limbs.items():
        if limb not in fingers and limb not in ("root", "trunk", "neck"):
            out |= _limb(skeleton, read, words, parts, parts[0].side)
    out |= _trunk(skeleton, read, words, out, plan)
    for side in SIDES:
        for finger in FINGERS:
            if f"{side} {finger}" in plan.limbs:
                out |= _finger(skeleton, read, words, plan.limbs[f"{side} {finger}"], side, finger, out)
    return {part.name: out[part.name] for part in plan.parts if part.name in out}


def read_names(names: Sequence[str]) -> tuple[BoneName, ...]:
    """The names of a skeleton's bones taken apart, in the language that most of them are in."""
    return _read(tuple(names))


@lru_cache(maxsize=128)
def _read(names: tuple[str, ...]) -> tuple[BoneName, ...]:
    heads = without_prefix(names)
    words = lexicon_for(heads)
    return tuple(words.read(name) for name in heads)


def without_prefix(names: Sequence[str]) -> list[str]:
    """Names without the namespace or the first word that most of them share ("hall:Hips", "Keeper_Hips",
    "keeperHips")."""
    heads = [SPACE.split(name)[-1] or name for name in names]
    first = [match[0] if (match := PIECE.match(head)) else "" for head in heads]
    shared, count = Counter(first).most_common(1)[0] if first else ("", 0)
    if shared and not shared.isdigit() and len(names) > 4 and count > 0.8 * len(names):
        heads = [head[len(shared) :].lstrip("_-. ") or head if head.startswith(shared) else head for head in heads]
    return heads


def _scores(read: Sequence[BoneName], words: Lexicon, kinds: Sequence[str], side: str) -> FloatArray:
    """``(B, P)``: how surely each bone of this side names each kind of part."""
    out = np.zeros((len(read), len(kinds)))
    for joint, name in enumerate(read):
        if name.side == side and not any(finger in name.words for finger in FINGERS):
            out[joint] = [words.score(name, kind)[0] for kind in kinds]
    return out


def _best_chain(
    skeleton: Skeleton, scores: FloatArray, many: Sequence[bool], bonus: Sequence[float]
) -> list[tuple[int, int]]:
    """``(joint, column)`` of the chain with the largest total, joints downwards and columns in order.

    Dynamic programming down the tree: every joint knows the best end of a chain above it for each column, so that long
    chains of joints cost no more than their length. Of equals, the nearest joint and then the first column goes on.
    """
    columns = scores.shape[1]
    total = np.where(scores > 0, scores + np.array(bonus), -np.inf)
    scored: list[bool] = np.any(scores > 0, axis=1).tolist()
    came: dict[tuple[int, int], tuple[int, int]] = {}
    best_above: list[list[tuple[float, int, int]]] = []  # of every joint, for each column: total, joint, -column
    for joint, parent in enumerate(skeleton.parents.tolist()):
        inherited = best_above[parent] if parent >= 0 else [(-np.inf, -1, -c) for c in range(columns)]
        if parent >= 0 and scored[parent]:
            inherited = [max(row, (float(total[parent, c]), parent, -c)) for c, row in enumerate(inherited)]
        best_above.append(inherited)
        for column in range(columns) if scored[joint] else ():
            if not np.isfinite(total[joint, column]):
                continue
            gain, a, c = max(inherited[: column + many[column]], default=(-np.inf, -1, 0))
            if a >= 0 and np.isfinite(gain):
                c = -c
                # Extra bones of a part that may have many count less than its first, so that no score is made by
                # length.
                total[joint, column] += gain - (bonus[column] if c == column else 0.0)
                came[joint, column] = (a, c)
    if not np.isfinite(total).any():
        return []
    at = tuple(int(v) for v in np.unravel_index(int(np.argmax(total)), total.shape))
    chain = [(at[0], at[1])]
    while chain[-1] in came:
        chain.append(came[chain[-1]])
    return chain[::-1]


def _found(read: Sequence[BoneName], words: Lexicon, joint: int, kind: str, kinds: Iterable[str]) -> PartBone:
    """The confidence is the name's score, lowered when another part is nearly as good a reading of it."""
    score, phrase = words.score(read[joint], kind)
    second = max((words.score(read[joint], other)[0] for other in kinds if other != kind), default=0.0)
    margin = min(1.0, max(0.0, score - second) / 0.3)
    side = f", side “{read[joint].side}”" if read[joint].side else ""
    return PartBone(joint, score * (0.75 + 0.25 * margin), f"its name says “{phrase}”{side}")


def _limb(
    skeleton: Skeleton,
    read: Sequence[BoneName],
    words: Lexicon,
    parts: Sequence[Part],
    side: str,
) -> Assignment:
    kinds = [part.kind for part in parts]
    scores = _scores(read, words, kinds, side)
    bonus = [REQUIRED_BONUS * part.required for part in parts]
    out: Assignment = {}
    for joint, c in _best_chain(skeleton, scores, [part.many for part in parts], bonus):
        out[parts[c].name] = (*out.get(parts[c].name, ()), _found(read, words, joint, kinds[c], kinds))
    return out


def _trunk(
    skeleton: Skeleton, read: Sequence[BoneName], words: Lexicon, found: Assignment, plan: BodyPlan
) -> Assignment:
    """Root, hips, spine, chest, neck and head. The chest is the last trunk bone above which arms or front legs
    branch."""
    named = _named_trunk(skeleton, read, words, {bone.joint for bones in found.values() for bone in bones})
    out: Assignment = {}
    if named["hips"]:
        out["hips"] = (named["hips"][0],)
        out |= _root(skeleton, read, words, named["hips"][0].joint)
    spine = sorted(named["spine"], key=lambda bone: bone.joint)
    neck = sorted(named["neck"], key=lambda bone: bone.joint)
    if spine:
        last, why = _chest(skeleton, spine, found, plan)
        chest = spine[last]
        out["chest"] = (PartBone(chest.joint, chest.confidence, f"{chest.reason}, and {why}"),)
        if spine[:last]:
            out["spine"] = tuple(spine[:last])
        neck = [*spine[last + 1 :], *neck]
    if neck:
        out["neck"] = tuple(neck)
    if named["head"]:
        out["head"] = (named["head"][0],)
    return out


def _named_trunk(
    skeleton: Skeleton, read: Sequence[BoneName], words: Lexicon, taken: set[int]
) -> dict[str, list[PartBone]]:
    """Bones of the trunk by kind: those whose names say so, and those without a telling name that lie between them."""
    kinds = ["hips", "spine", "neck", "head"]
    scores = _scores(read, words, kinds, "")
    scores[list(taken)] = 0
    chain = _best_chain(skeleton, scores, [False, True, True, False], [REQUIRED_BONUS, 0.0, 0.0, REQUIRED_BONUS])
    named: dict[str, list[PartBone]] = {kind: [] for kind in kinds}
    for joint, column in chain:
        named[kinds[column]].append(_found(read, words, joint, kinds[column], kinds))
    if not named["hips"]:
        return named
    hips, chosen = named["hips"][0].joint, {joint for joint, _ in chain}
    for joint in reversed(skeleton.ancestors(chain[-1][0])):
        inside = joint != hips and hips in skeleton.ancestors(joint)
        if inside and joint not in chosen and joint not in taken and not read[joint].helper:
            below_neck = any(bone.joint in skeleton.ancestors(joint) for bone in named["neck"])
            named["neck" if below_neck else "spine"].append(
                PartBone(joint, BETWEEN_CONFIDENCE, "it lies between named bones of the trunk")
            )
    return named


def _chest(skeleton: Skeleton, spine: Sequence[PartBone], found: Assignment, plan: BodyPlan) -> tuple[int, str]:
    """Which bone of the spine is the chest, and why."""
    arms = [found[part.name][0].joint for part in plan.held_by_chest if part.name in found]
    holding = [n for n, bone in enumerate(spine) if arms and all(bone.joint in skeleton.ancestors(arm) for arm in arms)]
    if not holding:
        return len(spine) - 1, "it is the last bone of the trunk"
    limbs = {"four-legged": "front legs", "winged": "wings"}.get(plan.name, "arms")
    return holding[-1], f"the {limbs} branch from it"


def _root(skeleton: Skeleton, read: Sequence[BoneName], words: Lexicon, hips: int) -> Assignment:
    above = skeleton.ancestors(hips)
    for joint in above:
        score, phrase = words.score(read[joint], "root")
        if score > 0.3:
            return {"root": (PartBone(joint, score, f"its name says “{phrase}”, above the hips"),)}
    if above:
        return {"root": (PartBone(above[0], 0.5, "it lies directly above the hips"),)}
    return {}


def _finger(
    skeleton: Skeleton,
    read: Sequence[BoneName],
    words: Lexicon,
    parts: Sequence[Part],
    side: str,
    finger: str,
    found: Assignment,
) -> Assignment:
    hand = found.get(f"{side} hand")
    bones = [
        joint
        for joint, name in enumerate(read)
        if name.side == side
        and words.score(name, finger)[0] > 0
        and (not hand or hand[0].joint in skeleton.ancestors(joint))
        and "toe" not in name.words
    ]
    if not bones:
        return {}
    # The finger is the longest line of such bones; a palm bone before four others is not one of its three.
    deepest = max(bones, key=lambda joint: sum(other in skeleton.ancestors(joint) for other in bones))
    line = [joint for joint in bones if joint == deepest or joint in skeleton.ancestors(deepest)]
    if words.score(read[line[0]], "palm")[0] > 0 and finger != "thumb":
        line = line[1:]
    return {
        part.name: (PartBone(joint, words.score(read[joint], finger)[0], f"its name says “{finger}”, bone {n} of it"),)
        for n, (part, joint) in enumerate(zip(parts, line, strict=False), 1)
    }
