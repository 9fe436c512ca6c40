"""A skeleton from landmarks: how many bones, where their joints lie, and how their frames are turned.

Frames: +Y of every joint points along its bone, to the next joint. A limb bends about +X, and a positive turn bends it
the way it bends by nature: knees back, elbows, hands and fingers towards the palm and ahead. Trunk, neck, head and feet
have +X to the body's left, so that a positive turn bends them forwards. A limb that is quite straight is bent by a
hundredth of its length, so that it is known which way it bends.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import Skeleton
from armuto.rigging.landmarks import FINGERS, SIDES, Landmarks

BENT = 0.01  # of a limb's length, by which a straight one is bent
CHEST = 0.7  # of the way from hips to neck, where the highest bone of the spine begins
FINGER_JOINTS = (0.45, 0.75)  # of a finger's length, where it bends


@dataclass(frozen=True)
class SkeletonOptions:
    """spine, neck: how many bones, 1 to 6. twists: extra bones along each limb's upper and lower half, 0 to 3. toes:
    whether feet bend. root: whether a bone on the floor carries everything. names: other names for bones, by ours.
    """

    spine: int = 3
    neck: int = 1
    twists: int = 0
    toes: bool = True
    root: bool = True
    names: Mapping[str, str] | None = None


class _Draft:
    """Joints with their world places and frames, parents first."""

    def __init__(self) -> None:
        self.names: list[str] = []
        self.parents: list[int] = []
        self.at: list[FloatArray] = []
        self.turned: list[FloatArray] = []
        self.ends: list[tuple[int, FloatArray]] = []

    def add(self, name: str, parent: int, at: FloatArray, along: FloatArray, about: FloatArray) -> int:
        """A joint whose bone points along a direction and bends about another one."""
        self.names.append(name)
        self.parents.append(parent)
        self.at.append(np.asarray(at, float))
        self.turned.append(_framed(along, about))
        return len(self.names) - 1

    def built(self, names: Mapping[str, str]) -> Skeleton:
        at, turned = np.array(self.at), np.array(self.turned)
        parents = np.array(self.parents)
        above = np.maximum(parents, 0)
        back = rotation.inverse(turned[above])
        rooted = (parents < 0)[:, None]
        places = np.where(rooted, at, rotation.rotate(back, at - at[above]))
        turns = np.where(rooted, turned, rotation.multiply(back, turned))
        ends = [rotation.rotate(rotation.inverse(turned[joint]), end - at[joint]) for joint, end in self.ends]
        return Skeleton(
            tuple(names.get(name, name) for name in self.names),
            parents,
            places,
            turns,
            np.array([joint for joint, _ in self.ends], np.int64),
            np.array(ends).reshape(-1, 3),
        )


def _unit(v: FloatArray) -> FloatArray:
    return np.asarray(v / max(float(np.linalg.norm(v)), 1e-12))


def _framed(along: FloatArray, about: FloatArray) -> FloatArray:
    """The rotation ``(4,)`` of a frame with +Y along a direction and +X as near to another as that allows."""
    y = _unit(along)
    x = about - (about @ y) * y
    if np.linalg.norm(x) < 1e-6:
        x = np.cross(y, [0.0, 0.0, 1.0] if abs(y[2]) < 0.9 else [1.0, 0.0, 0.0])
    x = _unit(x)
    return rotation.from_matrix(np.stack([x, y, np.cross(x, y)], axis=1))


def skeleton_from(landmarks: Landmarks, options: SkeletonOptions | None = None) -> Skeleton:
    """The skeleton of a two-legged body, in metres with +Y up. Fingers are those of which a root and a tip are set."""
    options = options or SkeletonOptions()
    left, ahead = np.array(landmarks.side), np.array(landmarks.ahead)
    up = np.array([0.0, 1.0, 0.0])
    draft = _Draft()
    hips = (landmarks.at("left hip") + landmarks.at("right hip")) / 2
    neck, head, crown = landmarks.at("neck"), landmarks.at("chin"), landmarks.at("crown")
    # Of the plane in which the body mirrors itself, whatever its two hips differ by.
    hips = hips - landmarks.plane.height(hips) * left + 0.012 * (crown - hips)[1] * up
    parent = -1
    if options.root:
        floor = min(float(landmarks.at(f"{side} heel")[1]) for side in SIDES)
        parent = draft.add("root", -1, np.array([hips[0], floor, hips[2]]), up, left)
    pelvis = draft.add("hips", parent, hips, neck - hips, left)
    count = max(options.spine, 1)
    shares = np.linspace(0.2, CHEST, count) if count > 1 else np.array([0.45])
    chest = pelvis
    for number, share in enumerate(shares, 1):
        name = "chest" if number == count else f"spine {number}"
        chest = draft.add(name, chest, hips + share * (neck - hips), neck - hips, left)
    above = chest
    for number in range(max(options.neck, 1)):
        at = neck + number / max(options.neck, 1) * (head - neck)
        above = draft.add("neck" if number == 0 else f"neck {number + 1}", above, at, head - neck, left)
    skull = draft.add("head", above, head, crown - head, left)
    draft.ends.append((skull, crown))
    for side in SIDES:
        _arm(draft, landmarks, side, chest, neck, ahead, options)
        _leg(draft, landmarks, side, pelvis, left, ahead, options)
    return draft.built(options.names or {})


def _bent(start: FloatArray, middle: FloatArray, end: FloatArray, towards: FloatArray) -> FloatArray:
    """The middle of a limb, moved so far towards a side that it is known which way the limb bends."""
    line = end - start
    length = float(np.linalg.norm(line))
    out = towards - (towards @ _unit(line)) * _unit(line)
    if length < 1e-9 or np.linalg.norm(out) < 1e-6:
        return middle
    out = _unit(out)
    share = np.clip(float((middle - start) @ line) / length**2, 0.0, 1.0)
    bulge = float((middle - start - share * line) @ out)
    return np.asarray(middle + max(BENT * length - bulge, 0.0) * out)


def _twists(
    draft: _Draft, name: str, parent: int, start: FloatArray, end: FloatArray, about: FloatArray, n: int
) -> None:
    for number in range(1, n + 1):
        at = start + number / (n + 1) * (end - start)
        draft.add(f"{name} twist {number}" if n > 1 else f"{name} twist", parent, at, end - start, about)


def _arm(
    draft: _Draft,
    landmarks: Landmarks,
    side: str,
    chest: int,
    neck: FloatArray,
    ahead: FloatArray,
    options: SkeletonOptions,
) -> None:
    shoulder, elbow, wrist, tip = (landmarks.at(f"{side} {name}") for name in ("shoulder", "elbow", "wrist", "hand"))
    elbow = _bent(shoulder, elbow, wrist, -ahead)
    begin = neck + 0.2 * (shoulder - neck)
    begin[1] = max(float(shoulder[1]), float(begin[1]) - 0.5 * abs(float(neck[1] - shoulder[1])))
    collar = draft.add(f"{side} shoulder", chest, begin, shoulder - begin, np.cross(shoulder - begin, ahead))
    about = np.cross(wrist - shoulder, ahead)
    upper = draft.add(f"{side} upper arm", collar, shoulder, elbow - shoulder, about)
    lower = draft.add(f"{side} lower arm", upper, elbow, wrist - elbow, about)
    along = tip - wrist
    # The palm looks down where arms are raised, and to the body where they hang.
    inwards = _unit(landmarks.at("chin") - wrist) * [1, 0, 1]
    down = np.array([0.0, -1.0, 0.0])
    lowered = abs(float(_unit(along)[1]))
    palm = (1 - lowered) * down + lowered * inwards
    curl = np.cross(along, palm)
    hand = draft.add(f"{side} hand", lower, wrist, along, curl)
    found = False
    for finger in FINGERS:
        names = [f"{side} {finger} {end}" for end in ("root", "tip")]
        if not all(name in landmarks.points for name in names):
            continue
        found = True
        root, end = (landmarks.at(name) for name in names)
        above = hand
        for number, share in enumerate((0.0, *FINGER_JOINTS), 1):
            above = draft.add(f"{side} {finger} {number}", above, root + share * (end - root), end - root, curl)
        draft.ends.append((above, end))
    if not found:
        draft.ends.append((hand, tip))
    _twists(draft, f"{side} upper arm", upper, shoulder, elbow, about, options.twists)
    _twists(draft, f"{side} lower arm", lower, elbow, wrist, about, options.twists)


def _leg(
    draft: _Draft,
    landmarks: Landmarks,
    side: str,
    pelvis: int,
    left: FloatArray,
    ahead: FloatArray,
    options: SkeletonOptions,
) -> None:
    hip, knee, ankle = (landmarks.at(f"{side} {name}") for name in ("hip", "knee", "ankle"))
    ball, toes = (landmarks.at(f"{side} {name}") for name in ("ball", "toes"))
    knee = _bent(hip, knee, ankle, ahead)
    upper = draft.add(f"{side} upper leg", pelvis, hip, knee - hip, left)
    lower = draft.add(f"{side} lower leg", upper, knee, ankle - knee, left)
    if options.toes:
        foot = draft.add(f"{side} foot", lower, ankle, ball - ankle, left)
        tip = draft.add(f"{side} toes", foot, ball, toes - ball, left)
        draft.ends.append((tip, toes))
    else:
        foot = draft.add(f"{side} foot", lower, ankle, toes - ankle, left)
        draft.ends.append((foot, toes))
    _twists(draft, f"{side} upper leg", upper, hip, knee, left, options.twists)
    _twists(draft, f"{side} lower leg", lower, knee, ankle, left, options.twists)
