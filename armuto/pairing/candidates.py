"""Candidates for a body: what names say of its bones, limbs laid on twin lines, and the body they make."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from armuto.body.lexicon import BoneName, Lexicon
from armuto.body.plans import BodyPlan, Part
from armuto.body.tree import LimbPair, SkeletonTree
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import Skeleton
from armuto.pairing import limbs

SAID, DENIED, HELPER = 3.0, -2.0, -2.5  # what a name adds that says the part, says another, or says a helper
# And what one adds that counts on from the bone before, under a limb's word or one that is not known.
COUNTED_LIMB, STRAND = 0.8, -0.8
COUNTED = 3  # bones in a row with one word and different numbers are a limb counted through
LIMB_KINDS = frozenset(
    f"{front}{kind}"
    for front in ("", "front ", "hind ")
    for kind in ("shoulder", "upper arm", "lower arm", "hand", "upper leg", "lower leg", "foot")
) | {"upper wing", "lower wing", "wing hand", "wing shoulder"}


@dataclass(frozen=True)
class Names:
    """What the names of a skeleton say. read and scores: by joint.

    counted: of joints of chains that are counted through under one word, what that adds to their being a part of a
    limb.
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
    """The names, but of bones that are counted along a limb ("arm0" to "arm3") only the side: such a word names the
    limb.

    And what being counted adds: for a limb's word, or for one that says nothing, as in capes and hair.
    """
    lines: dict[tuple[object, ...], list[int]] = {}
    for joint, name in enumerate(read):
        if name.words and name.numbers and not name.helper:
            lines.setdefault((name.words, name.side), []).append(joint)
    out, counted = list(read), {}
    for joints in lines.values():
        kinds = set(words.scores(read[joints[0]])) & LIMB_KINDS
        among = set(joints)
        chain = sum(parent in among for parent in skeleton.parents[joints].tolist()) + 1
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


def required_ends(limb: Limb, which: int) -> tuple[int, int]:
    """The first and the last required part of a limb."""
    joints = limb.joints(which)
    required = [joints[n] for n, part in enumerate(limb.kinds) if part.required and n in joints]
    return required[0], required[-1]


def limb_length(anatomy: SkeletonTree, limb: Limb, which: int) -> float:
    """Length of a limb's required parts; of one that ends early, what it would be with all of them."""
    first, last = required_ends(limb, which)
    joints = limb.joints(which)
    required = [n for n, part in enumerate(limb.kinds) if part.required]
    present = [n for n in required if n in joints]
    whole, own = (sum(limb.kinds[n].share for n in parts[:-1]) for parts in (required, present))
    length = float(anatomy.length[anatomy.path(first, last)].sum())
    return length * whole / own if own > 0 else length
