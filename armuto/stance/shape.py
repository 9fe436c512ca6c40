"""What a posture shows of a body: for every paired joint its direction, and what tells its roll.

Seen on points alone — where the joints are — so that the same is read of two bodies whose joint frames have nothing in
common:

- a *frame* where several bones hang from one: hips and chest by the line through their sided bones and the bone of the
  trunk that follows, a hand by its fingers (forward to the middle of their first joints, across from the first to the
  last);
- a *bend* where a limb is clearly bent: the way its next bone turns off;
- for a straight arm or leg the way it *would* bend: an elbow forward, a knee to where the toes do not point.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from armuto.body.plans import BodyPlan, Part, is_footing
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.observed import Hinge
from armuto.kinematics.skeleton import Skeleton
from armuto.kinematics.vectors import cross, length, unit
from armuto.stance.posture import Posture, measure

COINCIDENT = 1e-5  # metres within which two joints lie on one place
ALIKE = 4.0  # degrees within which two limbs are bent by as much
SLIGHT, CARRIED = 18.0, 11.0  # degrees: of all the bend of an arm, and of what of it goes aside, that may be its build
SURE = 0.5  # certainty from which on a hinge stands for what the limb's own bend would tell
CLEARLY = 60.0  # degrees of bend at which two hinges are compared
STRAIGHT, BENT = 5.0, 12.0  # degrees: below the one a bend tells nothing, from the other on it tells all
FLAT = 0.04  # of the length from hips to the lowest foot joint
SPLAYED = 10.0  # degrees from upright, from which on a foot is taken to lean to the side with its leg
HINGED = ("upper arm", "upper leg", "upper wing", "proximal")  # bones whose next joint bends about one axis alone
HINGES = {"upper arm": 1.0, "upper leg": -1.0}  # the way a straight limb would bend, forward or backward


def square(v: FloatArray, to: FloatArray) -> FloatArray:
    """What of ``v`` is square to the unit vector ``to``."""
    return np.asarray(v - float(v @ to) * to)


@dataclass(frozen=True)
class Limbs:
    """Which paired joints follow which on the target, and what parts they are: the same for both bodies.

    next: for every paired joint the nearest paired joints below it. parts: what they are. joints: by part, its first
    joint.
    """

    next: Mapping[int, list[int]]
    parts: Mapping[int, Part | None]
    joints: Mapping[str, int]
    plan: BodyPlan

    def kind(self, joint: int) -> str:
        part = self.parts[joint]
        return part.kind if part else ""


def limbs_of(skeleton: Skeleton, parts: Mapping[int, str | None], plan: BodyPlan) -> Limbs:
    """parts: the paired joints of a skeleton, with the part each is, or None for a pair outside the plan."""
    below: dict[int, list[int]] = {joint: [] for joint in parts}
    for joint in parts:
        above = skeleton.above(joint, parts)
        if above is not None:
            below[above].append(joint)
    rows = {joint: plan.by_name.get(name or "") for joint, name in parts.items()}
    first: dict[str, int] = {}
    for joint in sorted(parts):
        name = parts[joint]
        if name:
            first.setdefault(name, joint)
    return Limbs(below, rows, first, plan)


@dataclass(frozen=True)
class Shape:
    """A body's points at its paired joints. at: by joint. tips: where a joint without a paired one below it ends, if
    known.

    forward: where the body faces, a horizontal unit vector. hinges: about which limbs turn, where motion has shown it,
    by the limb's first joint and in the world. rolled: see :class:`armuto.stance.value.Stance`.
    """

    limbs: Limbs
    at: Mapping[int, FloatArray]
    forward: FloatArray
    tips: Mapping[int, FloatArray] = field(default_factory=dict)
    hinges: Mapping[int, Hinge] = field(default_factory=dict)
    rolled: bool = False

    def direction(self, joint: int) -> FloatArray | None:
        """To the next paired joint, or forward along its frame."""
        if joint not in self._directions:
            self._directions[joint] = self._direction(joint)
        return self._directions[joint]

    @cached_property
    def _directions(self) -> dict[int, FloatArray | None]:
        """Those that were asked for; a body does not change."""
        return {}

    def _direction(self, joint: int) -> FloatArray | None:
        below = self.limbs.next[joint]
        if len(below) == 1:
            v = self._onward(joint, below[0]) - self.at[joint]
        elif below:
            framed = self.frame(joint)
            return framed[0] if framed is not None else None
        else:
            return None
        return unit(v) if float(v @ v) > 1e-18 else None

    def frame(self, joint: int) -> tuple[FloatArray, FloatArray] | None:
        """Two directions that are fixed in the bone, the first to be met exactly, the second as well as possible."""
        below = self.limbs.next[joint]
        if len(below) < 2:
            return None
        sided = [(a, b) for a in below for b in below if self._mirrored(a, b)]
        return self._frame_of_sides(joint, sided) if sided else self._frame_of_fingers(joint)

    def _frame_of_sides(self, joint: int, sided: list[tuple[int, int]]) -> tuple[FloatArray, FloatArray] | None:
        """Of hips or a chest: across by the bones that have sides, onward by the bone of the trunk."""
        at, parts, below = self.at, self.limbs.parts, self.limbs.next[joint]
        across = unit(sum((at[a] - at[b] for a, b in sided), np.zeros(3)))
        middle = [c for c in below if (part := parts[c]) and not part.side and part.limb in ("trunk", "neck")]
        middle = middle or [c for c in below if (part := parts[c]) and not part.side]
        if middle:
            onward = self._onward(joint, middle[0]) - at[joint]
        else:
            onward = sum((at[a] + at[b] for a, b in sided), np.zeros(3)) / (2 * len(sided)) - at[joint]
        onward = square(onward, across)
        return (unit(onward), across) if float(onward @ onward) > 1e-18 and across.any() else None

    def _frame_of_fingers(self, joint: int) -> tuple[FloatArray, FloatArray] | None:
        """Of a hand: onward along its long fingers, across from the first to the last."""
        at, parts = self.at, self.limbs.parts
        fingers = [c for c in self.limbs.next[joint] if parts[c] is not None]
        if len(fingers) < 2:
            return None
        order = {part.name: n for n, part in enumerate(self.limbs.plan.parts)}
        fingers.sort(key=lambda c: order[parts[c].name])  # type: ignore[union-attr]
        long = [c for c in fingers if self.limbs.kind(c).split()[0] != "thumb"]
        ways = {c: unit(at[c] - at[joint]) for c in fingers}
        if len({parts[c].name for c in long}) > 1:  # type: ignore[union-attr]
            onward, across = sum((ways[c] for c in long), np.zeros(3)), at[long[0]] - at[long[-1]]
        elif len(long) > 1:
            # One chain stands for all these fingers: the thumb tells across, if there is one.
            onward = sum((ways[c] for c in long), np.zeros(3))
            palm = sum((at[c] for c in long), np.zeros(3)) / len(long)
            across = at[fingers[0]] - palm if fingers[0] not in long else np.zeros(3)
        else:
            onward, across = ways[long[0] if long else fingers[0]], at[fingers[0]] - at[fingers[-1]]
        onward = unit(onward)
        across = square(across, onward)
        return (onward, unit(across)) if float(across @ across) > 1e-18 and onward.any() else None

    def _onward(self, joint: int, below: int) -> FloatArray:
        """Where the bone to ``below`` leads; past it, where that lies on the joint's own place, as a branch's may."""
        while len(self.limbs.next[below]) == 1 and float(np.abs(self.at[below] - self.at[joint]).max()) < COINCIDENT:
            below = self.limbs.next[below][0]
        return self.at[below]

    def _mirrored(self, a: int, b: int) -> bool:
        first, other = self.limbs.parts[a], self.limbs.parts[b]
        return bool(first and other and first.side == "left" and other.side == "right" and first.kind == other.kind)

    def bend(self, joint: int) -> tuple[FloatArray, float] | None:
        """The way a limb bends at its next joint, square to the bone, and how far it can be relied upon, 0 to 1."""
        below = self.limbs.next[joint]
        if not self.limbs.kind(joint).endswith(HINGED) or len(below) != 1 or len(self.limbs.next[below[0]]) == 0:
            return None
        d, onward = self.direction(joint), self.direction(below[0])
        if d is None or onward is None:
            return None
        off = square(onward, d)
        size = length(off)
        degrees = self.bent_by(joint)
        share = min(max((degrees - STRAIGHT) / (BENT - STRAIGHT), 0.0), 1.0)
        trust = share * share * (3 - 2 * share)
        expected = self.expected(joint)
        if expected is None:
            return (off / size, trust) if trust > 0 else None
        if trust <= 0:
            return expected, 0.0
        return unit((1 - trust) * expected + trust * off / size), trust

    def bent_by(self, joint: int) -> float:
        """Degrees by which a limb is bent at its next joint; 0 where it has none."""
        below = self.limbs.next[joint]
        d, onward = self.direction(joint), self.direction(below[0]) if len(below) == 1 else None
        if d is None or onward is None:
            return 0.0
        return math.degrees(math.atan2(length(square(onward, d)), float(onward @ d)))

    def may_be_carried(self, joint: int) -> bool:
        """Whether an arm's bend is so slight that it may be how the arm is built (its carrying angle), and not its
        hinge's."""
        d, onward, expected = self.direction(joint), self.direction(self.limbs.next[joint][0]), self.expected(joint)
        if d is None or onward is None or expected is None or HINGES.get(self.limbs.kind(joint)) != 1.0:
            return False
        aside = math.degrees(abs(math.asin(float(np.clip(onward @ cross(d, expected), -1.0, 1.0)))))
        return self.bent_by(joint) < SLIGHT and aside < CARRIED

    def expected(self, joint: int) -> FloatArray | None:
        """The way a straight arm or leg would bend, square to the bone; None where that cannot be said."""
        sign, d = HINGES.get(self.limbs.kind(joint)), self.direction(joint)
        part = self.limbs.parts[joint]
        if sign is None or d is None or part is None:
            return None
        way = self.forward
        if sign < 0:
            foot, toes = (self.limbs.joints.get(f"{part.side} {kind}", -1) for kind in ("foot", "toes"))
            if foot in self.at and toes in self.at:
                way = unit(self.at[toes] - self.at[foot])
        aside = square(way, d)
        return unit(aside) * sign if float(aside @ aside) > 0.2 else None

    def flat(self, foot: int, leaning: bool = False) -> tuple[FloatArray, FloatArray] | None:
        """Along the floor and up, of a foot that stands on it; None for one that does not.

        leaning: it leans to the side as its leg does, as feet do when legs are spread wide.
        """
        below, hips = self.limbs.next[foot], self.limbs.joints.get("hips")
        if len(below) != 1 or hips is None or not self.posture.legs_stand:
            return None
        ankle, toes = self.at[foot], self.at[below[0]]
        if abs(float(toes[1]) - self.floor) > FLAT * float(self.at[hips][1] - self.floor) or ankle[1] <= toes[1]:
            return None
        lean = self._lean_of_leg(foot) if leaning else rotation.IDENTITY
        line = rotation.rotate(rotation.inverse(lean), toes - ankle) * np.array([1.0, 0.0, 1.0])
        if float(line @ line) < 1e-12:
            return None
        return rotation.rotate(lean, unit(line)), rotation.rotate(lean, np.array([0.0, 1.0, 0.0]))

    def _lean_of_leg(self, foot: int) -> FloatArray:
        """The rotation to the side that a foot's leg is spread by."""
        part = self.limbs.parts[foot]
        top = self.limbs.joints.get(f"{part.side} upper leg", -1) if part else -1
        if top not in self.at:
            return rotation.IDENTITY
        line = square(self.at[top] - self.at[foot], self.forward)
        return rotation.between(np.array([0.0, 1.0, 0.0]), unit(line))

    def sole(self, foot: int) -> tuple[FloatArray, FloatArray] | None:
        """Along the toes from their joint to their tip, and towards the ankle; None where the tip is not known."""
        below = self.limbs.next[foot]
        tip = self.tips.get(below[0]) if len(below) == 1 else None
        if tip is None:
            return None
        line, heel = tip - self.at[below[0]], self.at[foot] - self.at[below[0]]
        if length(line) < 0.15 * length(heel):
            return None
        along = unit(line)
        up = square(heel, along)
        return (along, unit(up)) if float(up @ up) > 1e-18 else None

    @cached_property
    def floor(self) -> float:
        """The height of its lowest foot joint, or of its lowest joint where it has no feet."""
        feet = [joint for joint in self.at if is_footing(self.limbs.kind(joint))]
        return min((float(self.at[joint][1]) for joint in feet or self.at), default=0.0)

    @cached_property
    def posture(self) -> Posture:
        return measure(
            {name: self.at[joint] for name, joint in self.limbs.joints.items()}, self.limbs.plan, self.forward
        )

    def roll_marker(self, joint: int) -> FloatArray | None:
        """Where a feather on the bone points: the way its limb bends, or across the hand. A trunk shows its roll by
        itself."""
        bend, hinge, along = self.bend(joint), self.hinges.get(joint), self.direction(joint)
        if hinge is not None and along is not None and hinge.certainty >= SURE:
            return hinge.flexed(along, CLEARLY)
        if bend is not None:
            return bend[0]
        framed = self.frame(joint) if self.limbs.kind(joint).endswith("hand") else None
        return None if framed is None else framed[1]


def bends(own: Shape, other: Shape, joint: int) -> tuple[FloatArray, FloatArray, float] | None:
    """Two directions square to a limb's first bone, on either body, that are to be met by a roll about it; and how far
    they can be relied upon, 0 to 1. None where nothing shows them.

    Where motion has shown both hinges, the ways the two bend about them. Where it has shown the one's and the other is
    bent, the way the one bends when it is bent as far. Else the bends themselves, or how a straight limb would bend:
    both bodies' when neither shows more. Between straight arms that is relied upon only where one of them was rolled by
    it: else they are carried alike.
    """
    found = own.bend(joint), other.bend(joint)
    if found[0] is None or found[1] is None:
        return None
    shapes = own, other
    onward = [way for shape in shapes if (way := shape.direction(joint)) is not None]
    degrees = [shape.bent_by(joint) for shape in shapes]
    hinges = [shape.hinges.get(joint) for shape in shapes]
    marks, trust = [found[0][0], found[1][0]], [found[0][1], found[1][1]]
    if hinges[0] is not None and hinges[1] is not None:
        ways = [hinge.flexed(way, CLEARLY) for hinge, way in zip(hinges, onward, strict=True) if hinge is not None]
        if ways[0] is not None and ways[1] is not None:
            return ways[0], ways[1], min(hinges[0].certainty, hinges[1].certainty)
    if abs(degrees[0] - degrees[1]) > ALIKE:
        for n, shape in enumerate(shapes):
            if (expected := _carried_as(shape, joint)) is not None:
                marks[n], trust[n] = expected, 0.0
    for n, hinge in enumerate(hinges):
        if hinge is None or max(trust) <= 0:
            continue
        # Bent as far as the other limb is; or clearly, beside one that is straight.
        way = hinge.flexed(onward[n], degrees[1 - n] if trust[1 - n] > 0 else CLEARLY)
        if way is not None:
            # Both the other's bend and this hinge must be sure: what is left is told as if nothing had moved.
            marks[n] = unit(hinge.certainty * way + (1 - hinge.certainty) * marks[n])
            trust[n] = max(trust[n], hinge.certainty)
    if max(trust) <= 0 and any(shape.rolled for shape in shapes) and HINGES.get(own.limbs.kind(joint)) == 1.0:
        return marks[0], marks[1], 1.0
    return marks[0], marks[1], max(trust)


def _carried_as(shape: Shape, joint: int) -> FloatArray | None:
    """The way a limb is expected to bend, where it may just be carried bent and no motion says surely how it bends."""
    hinge, expected = shape.hinges.get(joint), shape.expected(joint)
    unsure = hinge is None or hinge.certainty < SURE
    return expected if unsure and expected is not None and shape.may_be_carried(joint) else None


def is_toes(part: str | None) -> bool:
    """Of toes alone it is asked where they end."""
    return bool(part and part.endswith("toes"))


def tips_of(
    skeleton: Skeleton, positions: FloatArray, ends: FloatArray, joints: Mapping[int, int]
) -> dict[int, FloatArray]:
    """Where toes end: key to joint becomes key to place. By end sites, else by a bone below."""
    out = {}
    for key, joint in joints.items():
        sites = np.flatnonzero(skeleton.end_parents == joint)
        beyond = [ends[n] for n in sites] or [positions[child] for child in skeleton.children[joint]]
        if beyond:
            out[key] = max(beyond, key=lambda place: length(place - positions[joint]))
    return out


def turn_between(current: tuple[FloatArray, FloatArray], desired: tuple[FloatArray, FloatArray]) -> FloatArray:
    """The rotation ``(4,)`` that brings a frame's first direction onto the other's exactly, the second as near as it
    goes."""
    q = rotation.between(current[0], desired[0])
    return rotation.multiply(roll_to(desired[0], rotation.rotate(q, current[1]), desired[1]), q)


def roll_angle(axis: FloatArray, current: FloatArray, desired: FloatArray) -> float:
    """Radians about ``axis`` that bring ``current`` to ``desired``, seen along it."""
    a, b = square(current, axis), square(desired, axis)
    return math.atan2(float(cross(a, b) @ axis), float(a @ b))


def roll_to(axis: FloatArray, current: FloatArray, desired: FloatArray) -> FloatArray:
    return rotation.about(axis, roll_angle(axis, current, desired))


def soles(
    first: Shape, other: Shape, foot: int
) -> tuple[tuple[FloatArray, FloatArray], tuple[FloatArray, FloatArray]] | None:
    """The same of a foot on both bodies: how it stands on the floor, or else how its toes lie."""
    leaning = max(first.posture.legs_apart, other.posture.legs_apart) > SPLAYED
    for frames in ((first.flat(foot, leaning), other.flat(foot, leaning)), (first.sole(foot), other.sole(foot))):
        if frames[0] is not None and frames[1] is not None:
            return frames[0], frames[1]
    return None
