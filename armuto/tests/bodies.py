"""Generated bodies whose parts are known: two-legged ones of any build, bones, rest pose and naming, and disguised
animals.

A body is built as world positions with the part of every bone beside it, posed, turned, given arbitrary joint frames,
and named last, so that names, structure and shape vary independently of each other.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np
from scipy.spatial.transform import Rotation

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.pose import local_rotations
from armuto.kinematics.skeleton import Skeleton

Truth = dict[str, tuple[int, ...]]  # part name to joint numbers
FINGERS = ("thumb", "index", "middle", "ring", "little")


@dataclass
class Draft:
    """Bones while a body is being built. key: what the bone is, such as "left upper arm" or "left index 2"."""

    keys: list[str] = field(default_factory=list)
    parents: list[int] = field(default_factory=list)
    at: list[FloatArray] = field(default_factory=list)
    parts: list[str | None] = field(default_factory=list)

    def add(self, key: str, parent: int, at: FloatArray, part: str | None = None) -> int:
        self.keys.append(key)
        self.parents.append(parent)
        self.at.append(np.array(at, float))
        self.parts.append(part)
        return len(self.keys) - 1

    def below(self, joint: int) -> list[int]:
        found = {joint}
        for other, parent in enumerate(self.parents):
            if parent in found:
                found.add(other)
        return sorted(found)

    def turn(self, joint: int, q: FloatArray) -> None:
        """Turn everything below a joint about it."""
        centre = self.at[joint]
        for other in self.below(joint)[1:]:
            self.at[other] = centre + rotation.rotate(q, self.at[other] - centre)


def _about(axis: tuple[float, float, float], degrees: float) -> FloatArray:
    return rotation.about(list(axis), np.radians(degrees))


def _chain(d: Draft, keys: list[str], parent: int, points: list[FloatArray], part: str) -> int:
    for key, at in zip(keys, points, strict=True):
        parent = d.add(key, parent, at, part)
    return parent


def _twists(d: Draft, rng: np.random.Generator, joint: int, end: int, key: str) -> None:
    """One to three leaves along a bone, as rigs have for the twist of skin."""
    count = int(rng.integers(1, 4))
    for n in range(count):
        d.add(f"{key} twist {n + 1}", joint, d.at[joint] + (d.at[end] - d.at[joint]) * (n + 1) / (count + 1))


def two_legged(
    rng: np.random.Generator,
    hands: bool | None = None,
    change: Callable[[Draft, np.random.Generator], None] | None = None,
) -> tuple[Skeleton, Truth, list[str]]:
    """A body, the joints of its parts, and what every bone is in plain words. Names are numbers until :func:`named`.

    change: what is done to the finished draft.
    """
    d = Draft()
    chance = rng.random
    size = float(rng.uniform(0.5, 2.4))
    vary = lambda value, share=0.15: value * float(np.exp(rng.normal(0, share)))  # noqa: E731
    leg, trunk, arm = vary(0.5, 0.12), vary(0.30, 0.12), vary(0.33, 0.12)
    head, neck_length = vary(0.12, 0.25), vary(0.06, 0.2)
    hips_height = leg + 0.04
    parent = -1
    for n in range(int(rng.choice([0, 1, 2, 3], p=[0.45, 0.4, 0.1, 0.05]))):
        parent = d.add(f"root {n + 1}", parent, np.array([0, 0, 0.0]), "root")
    hips = d.add("hips", parent, np.array([0, hips_height, 0.0]), "hips")
    spine_count = int(rng.integers(1, 8))
    cuts = (
        np.sort(rng.uniform(0.1, 0.9, spine_count))
        if chance() < 0.5
        else np.arange(1, spine_count + 1) / (spine_count + 1)
    )
    chest_at = hips_height + trunk * 0.75
    heights = hips_height + 0.02 + (chest_at - hips_height) * cuts / cuts[-1]
    bow = lambda share: 0.02 * np.sin(np.pi * share)  # noqa: E731
    spine = hips
    for n, height in enumerate(heights):
        last = n == spine_count - 1
        share = (height - hips_height) / (trunk * 0.75)
        spine = d.add(f"spine {n + 1}", spine, np.array([0, height, -bow(share)]), "chest" if last else "spine")
    chest = spine
    shoulders = hips_height + trunk
    neck = chest
    neck_count = int(rng.choice([1, 2, 3, 4, 5, 6], p=[0.5, 0.2, 0.1, 0.1, 0.05, 0.05]))
    for n in range(neck_count):
        up = shoulders + 0.02 + neck_length * n / neck_count
        neck = d.add(f"neck {n + 1}", neck, np.array([0, up, -0.01 + 0.015 * n / neck_count]), "neck")
    skull = d.add("head", neck, np.array([0, shoulders + 0.02 + neck_length, 0.012]), "head")
    ends = chance() < 0.4
    if ends:
        d.add("head end", skull, d.at[skull] + [0, head, 0])
    if chance() < 0.35:
        for side, sign in (("left", 1), ("right", -1)):
            d.add(f"{side} eye", skull, d.at[skull] + [sign * head * 0.27, head * 0.45, head * 0.6], f"{side} eye")
    if chance() < 0.3:
        d.add("jaw", skull, d.at[skull] + [0, head * 0.05, head * 0.25], "jaw")
    clavicles, toes, zero = chance() < 0.8, chance() < 0.8, chance() < 0.2
    palms, twists = chance() < 0.35, chance() < 0.3
    fingers = int(rng.integers(2, 6)) if (chance() < 0.75 if hands is None else hands) else 0
    upper = arm * float(rng.uniform(0.46, 0.55))
    thigh = leg * float(rng.uniform(0.46, 0.55))
    width, hip_width = vary(0.105), vary(0.055)
    down, swing = float(rng.choice([0.0, 45.0, 85.0]) + rng.uniform(-8, 8)), float(rng.uniform(-8, 8))
    if chance() < 0.15:  # a splayed zero pose
        down, splay = float(rng.uniform(-20, 30)), float(rng.uniform(8, 28))
    else:
        splay = float(rng.uniform(0, 6))
    roll, knee, elbow = float(rng.uniform(-60, 30)), float(rng.uniform(0, 9)), float(rng.uniform(0, 12))
    order = [("left", 1), ("right", -1)]
    if chance() < 0.5:
        order.reverse()
    lanky = {side: float(rng.normal(1, 0.01)) for side, _ in order}
    for side, s in order:
        # the leg
        at = np.array([s * hip_width, hips_height - 0.02, 0.0])
        above = d.add(f"{side} hip", hips, at) if zero else hips
        first = d.add(f"{side} upper leg", above, at, f"{side} upper leg")
        lower = d.add(f"{side} lower leg", first, at - [0, thigh, 0], f"{side} lower leg")
        foot = d.add(f"{side} foot", lower, at - [0, leg - 0.045, 0.0], f"{side} foot")
        ball = d.at[foot] + [s * 0.004, -0.03, 0.075]
        if toes:
            tip = d.add(f"{side} toes", foot, ball, f"{side} toes")
            if ends:
                d.add(f"{side} toes end", tip, ball + [0, -0.004, 0.035])
        d.turn(lower, _about((1, 0, 0), knee))
        d.turn(first, _about((1, 0, 0), -knee / 2))
        d.turn(first, _about((0, 0, 1), s * splay))
        # the arm, laid out along the side in a T
        joint = chest
        shoulder = np.array([s * width, shoulders, -0.01])
        inner = np.array([s * 0.02, shoulders - 0.005, 0.01])
        if clavicles:
            joint = d.add(f"{side} shoulder", joint, inner, f"{side} shoulder")
        if zero and chance() < 0.5:
            joint = d.add(f"{side} shoulder pivot", joint, shoulder)
        top = d.add(f"{side} upper arm", joint, shoulder, f"{side} upper arm")
        middle = d.add(f"{side} lower arm", top, shoulder + [s * upper, 0, 0], f"{side} lower arm")
        hand = d.add(f"{side} hand", middle, shoulder + [s * arm * lanky[side], 0, 0], f"{side} hand")
        _hand(d, rng, side, s, hand, arm * 0.34, fingers, palms, ends)
        if twists:
            _twists(d, rng, top, middle, f"{side} upper arm")
            _twists(d, rng, middle, hand, f"{side} lower arm")
            if chance() < 0.5:
                _twists(d, rng, first, lower, f"{side} upper leg")
        d.turn(middle, _about((0, 1, 0), -s * elbow))
        d.turn(top, _about((1, 0, 0), roll))
        d.turn(top, _about((0, 1, 0), s * swing))
        d.turn(top, _about((0, 0, 1), -s * down))
    _extras(d, rng, hips, chest, skull, leg)
    if change is not None:
        change(d, rng)
    return built(d, rng, size)


def _hand(
    d: Draft, rng: np.random.Generator, side: str, s: int, hand: int, size: float, fingers: int, palms: bool, ends: bool
) -> None:
    """thumb: diverging forwards from near the wrist; others side by side at the end of the palm."""
    if fingers == 0:
        if ends:
            d.add(f"{side} hand end", hand, d.at[hand] + [s * size * 0.6, 0, 0])
        return
    for number, finger in enumerate(FINGERS[:fingers]):
        length = size * (0.5, 0.46, 0.5, 0.47, 0.36)[number]
        if finger == "thumb":
            way = np.array([s * 0.7, -0.25, 0.66])
            points = [
                d.at[hand] + np.array([s * 0.16, -0.05, 0.2]) * size + way * length * share for share in (0, 0.42, 0.75)
            ]
            labels = ("metacarpal", "proximal", "distal")
            count = 3
        else:
            across = 0.21 - 0.14 * (number - 1)
            way = np.array([s, -0.02, 0.06 * (2.5 - number)])
            base = d.at[hand] + np.array([s * 0.52, 0, across]) * size
            points = [base + way * length * share for share in (0, 0.45, 0.75)]
            labels = ("proximal", "intermediate", "distal")
            count = 3
        joint = hand
        if palms and finger != "thumb":
            joint = d.add(f"{side} {finger} palm", joint, d.at[hand] + np.array([s * 0.12, 0, across * 0.5]) * size)
        for n in range(count):
            joint = d.add(f"{side} {finger} {n + 1}", joint, points[n], f"{side} {finger} {labels[n]}")
        if ends:
            d.add(f"{side} {finger} end", joint, points[-1] + way * length * 0.25)


def _extras(d: Draft, rng: np.random.Generator, hips: int, chest: int, skull: int, leg: float) -> None:
    """Accessories, props and controls that stand about in real files."""
    chance = rng.random
    if chance() < 0.15:
        at, joint = d.at[hips] + [0, 0.02, -0.05], hips
        for n in range(int(rng.integers(2, 7))):
            joint = d.add(f"tail {n + 1}", joint, at)
            at = at + [0, -0.05, -0.05]
    if chance() < 0.12:
        for side, s in (("left", 1), ("right", -1)):
            at, joint = d.at[chest] + [s * 0.08, 0.06, -0.07], chest
            for n in range(int(rng.integers(2, 5))):
                joint = d.add(f"{side} cape {n + 1}", joint, at)
                at = at + [s * 0.01, -0.12, -0.02]
    if chance() < 0.15:
        at, joint = d.at[skull] + [0, 0.08, -0.08], skull
        for n in range(int(rng.integers(1, 5))):
            joint = d.add(f"hair {n + 1}", joint, at)
            at = at + [0, -0.06, -0.01]
    for side in ("left", "right"):
        if chance() < 0.12:
            hand = d.keys.index(f"{side} hand")
            d.add(f"{side} prop", hand, d.at[hand] + [0, -0.03, 0.03])
    if chance() < 0.15 and d.parents[0] == -1 and d.keys[0].startswith("root"):
        for side in ("left", "right"):
            d.add(f"{side} foot control", 0, d.at[d.keys.index(f"{side} foot")])
            d.add(f"{side} hand control", 0, d.at[d.keys.index(f"{side} hand")])


def built(d: Draft, rng: np.random.Generator, size: float) -> tuple[Skeleton, Truth, list[str]]:
    """The draft as a skeleton, parents first, in arbitrary joint frames, facing any way."""
    order = _depth_first(d.parents)
    place = {old: new for new, old in enumerate(order)}
    turn = rotation.about([0, 1, 0], rng.uniform(0, 2 * np.pi))
    at = rotation.rotate(turn, np.array([d.at[old] for old in order]) * size)
    parents = np.array([place[d.parents[old]] if d.parents[old] >= 0 else -1 for old in order])
    count = len(order)
    frames = Rotation.random(count, rng=rng).as_quat() if rng.random() < 0.6 else np.tile(rotation.IDENTITY, (count, 1))
    offsets = at.copy()
    for joint, parent in enumerate(parents):
        if parent >= 0:
            offsets[joint] = rotation.rotate(rotation.inverse(frames[parent]), at[joint] - at[parent])
    plain = Skeleton(tuple(str(n) for n in range(count)), parents, offsets, frames)
    skeleton = replace(plain, rest_rotation=local_rotations(plain, frames[None])[0])
    truth: Truth = {}
    for new, old in enumerate(order):
        part = d.parts[old]
        if part:
            truth[part] = (*truth.get(part, ()), new)
    return skeleton, truth, [d.keys[old] for old in order]


def _depth_first(parents: list[int]) -> list[int]:
    children: dict[int, list[int]] = {}
    for joint, parent in enumerate(parents):
        children.setdefault(parent, []).append(joint)
    out: list[int] = []
    stack = children[-1][::-1]
    while stack:
        joint = stack.pop()
        out.append(joint)
        stack.extend(children.get(joint, [])[::-1])
    return out


# How people name bones, in several languages; of each word one is picked for a whole body.
