"""A skeleton as it is drafted: joints in the world, each with a frame along its bone and about what it bends.

Frames: +Y of every joint points along its bone, to the next joint. A limb bends about +X, and a positive turn bends it
the way it bends by nature: knees back, elbows, hands and fingers towards the palm and ahead, ankles of animals ahead.
Trunk, neck, head and feet have +X to the body's left, so that a positive turn bends them forwards. A limb that is quite
straight is bent by a hundredth of its length, so that it is known which way it bends.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import Skeleton
from armuto.rigging.landmark_sets import SIDES
from armuto.rigging.landmarks import Landmarks

BENT = 0.01  # of a limb's length, by which a straight one is bent
CHEST = 0.7  # of the way from hips to neck, where the highest bone of the spine begins
UP = np.array([0.0, 1.0, 0.0])


@dataclass(frozen=True)
class SkeletonOptions:
    """spine, neck, tail: how many bones; of a tail where there is one. twists: extra bones along each limb's upper and
    lower half. toes: whether feet bend. root: whether a bone on the floor carries everything.
    """

    spine: int = 3
    neck: int = 1
    tail: int = 4
    twists: int = 0
    toes: bool = True
    root: bool = True


class SkeletonDraft:
    """Joints with their world places and frames, parents first."""

    def __init__(self) -> None:
        self.names: list[str] = []
        self.parents: list[int] = []
        self.at: list[FloatArray] = []
        self.turned: list[FloatArray] = []
        self.ends: list[tuple[int, FloatArray]] = []

    def add(self, name: str, parent: int, at: FloatArray, along: FloatArray, bend_axis: FloatArray) -> int:
        """A joint whose bone points along a direction and bends about another one."""
        self.names.append(name)
        self.parents.append(parent)
        self.at.append(np.asarray(at, float))
        self.turned.append(framed(along, bend_axis))
        return len(self.names) - 1

    def root(self, landmarks: Landmarks, hips: FloatArray, bend_axis: FloatArray, *lowest: str) -> int:
        """A bone on the floor below the hips; lowest: the landmarks that stand on it."""
        floor = min(float(landmarks.at(f"{side} {name}")[1]) for side in SIDES for name in lowest)
        return self.add("root", -1, np.array([hips[0], floor, hips[2]]), UP, bend_axis)

    def trunk(
        self, parent: int, hips: FloatArray, neck: FloatArray, bend_axis: FloatArray, count: int
    ) -> tuple[int, int]:
        """Hips and spine, of so many bones; the joints of the hips and the chest."""
        pelvis = self.add("hips", parent, hips, neck - hips, bend_axis)
        count = max(count, 1)
        shares = np.linspace(0.2, CHEST, count) if count > 1 else np.array([0.45])
        chest = pelvis
        for number, share in enumerate(shares, 1):
            name = "chest" if number == count else f"spine {number}"
            chest = self.add(name, chest, hips + share * (neck - hips), neck - hips, bend_axis)
        return pelvis, chest

    def head(
        self, chest: int, neck: FloatArray, head: FloatArray, end: FloatArray, bend_axis: FloatArray, count: int
    ) -> None:
        """A neck of so many bones and the head on it."""
        above = chest
        for number in range(max(count, 1)):
            at = neck + number / max(count, 1) * (head - neck)
            above = self.add("neck" if number == 0 else f"neck {number + 1}", above, at, head - neck, bend_axis)
        skull = self.add("head", above, head, end - head, bend_axis)
        self.ends.append((skull, end))

    def tail(self, parent: int, places: Sequence[FloatArray], bend_axis: FloatArray, count: int) -> None:
        """A tail of so many bones along a line of at least two places."""
        line = np.array(places)
        far = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
        shares = np.linspace(0, far[-1], max(count, 1) + 1)
        points = np.stack([np.interp(shares, far, line[:, k]) for k in range(3)], axis=1)
        for number in range(max(count, 1)):
            along = points[number + 1] - points[number]
            parent = self.add(f"tail {number + 1}" if count > 1 else "tail", parent, points[number], along, bend_axis)
        self.ends.append((parent, points[-1]))

    def limb(
        self, parent: int, side: str, names: Sequence[str], places: Sequence[FloatArray], abouts: Sequence[FloatArray]
    ) -> list[int]:
        """Bones one after the other, from each place to the next, each about an axis of its own; the last place is
        where the last one ends. The joints of all."""
        joints = []
        for name, at, end, bend_axis in zip(names, places, places[1:], abouts, strict=False):
            parent = self.add(f"{side} {name}", parent, at, end - at, bend_axis)
            joints.append(parent)
        self.ends.append((parent, places[len(names)]))
        return joints

    def twists(self, name: str, joint: int, end: FloatArray, bend_axis: FloatArray, count: int) -> None:
        """So many bones along another one, to its end."""
        start = self.at[joint]
        for number in range(1, count + 1):
            at = start + number / (count + 1) * (end - start)
            self.add(f"{name} twist {number}" if count > 1 else f"{name} twist", joint, at, end - start, bend_axis)

    def built(self) -> Skeleton:
        at, turned = np.array(self.at), np.array(self.turned)
        parents = np.array(self.parents)
        above = np.maximum(parents, 0)
        back = rotation.inverse(turned[above])
        rooted = (parents < 0)[:, None]
        places = np.where(rooted, at, rotation.rotate(back, at - at[above]))
        turns = np.where(rooted, turned, rotation.multiply(back, turned))
        ends = [rotation.rotate(rotation.inverse(turned[joint]), end - at[joint]) for joint, end in self.ends]
        return Skeleton(
            tuple(self.names),
            parents,
            places,
            turns,
            np.array([joint for joint, _ in self.ends], np.int64),
            np.array(ends).reshape(-1, 3),
        )


def unit(v: FloatArray) -> FloatArray:
    return np.asarray(v / max(float(np.linalg.norm(v)), 1e-12))


def framed(along: FloatArray, bend_axis: FloatArray) -> FloatArray:
    """The rotation ``(4,)`` of a frame with +Y along a direction and +X as near to another as that allows."""
    y = unit(along)
    x = bend_axis - (bend_axis @ y) * y
    if np.linalg.norm(x) < 1e-6:
        x = np.cross(y, [0.0, 0.0, 1.0] if abs(y[2]) < 0.9 else [1.0, 0.0, 0.0])
    x = unit(x)
    return rotation.from_matrix(np.stack([x, y, np.cross(x, y)], axis=1))


def bent(start: FloatArray, middle: FloatArray, end: FloatArray, towards: FloatArray) -> FloatArray:
    """The middle of a limb, moved so far towards a side that it is known which way the limb bends."""
    line = end - start
    length = float(np.linalg.norm(line))
    out = towards - (towards @ unit(line)) * unit(line)
    if length < 1e-9 or np.linalg.norm(out) < 1e-6:
        return middle
    out = unit(out)
    share = np.clip(float((middle - start) @ line) / length**2, 0.0, 1.0)
    bulge = float((middle - start - share * line) @ out)
    return np.asarray(middle + max(BENT * length - bulge, 0.0) * out)


def hips_of(landmarks: Landmarks) -> FloatArray:
    """The middle of both hips ``(3,)``, in the plane in which the body mirrors itself, whatever they differ by."""
    middle = (landmarks.at("left hip") + landmarks.at("right hip")) / 2
    return np.asarray(middle - landmarks.plane.height(middle) * np.array(landmarks.side))
