"""Plates: the picture of a clip, its poses inked one after another along its path, as plain strokes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from armuto.body.parts import Assignment
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.skeleton import Skeleton

FEWEST, MOST = 8, 14
STEP = 0.42  # of body height, between poses of a clip that stays where it is
LONGEST, ROOM = 4.5, 0.8  # of body height, and of the width of a pose between two, for paths that are drawn shorter
OBLIQUE = np.radians(38.0)
APART = 0.62  # of the width of a pose, the least distance between two


@dataclass(frozen=True)
class Plate:
    """strokes: ``(P, S, 4)`` per pose and stroke x0, y0, x1, y1 in metres, y up. sides: per stroke "left", "right" or
    "".

    fine: per stroke, whether it belongs to a finger. heads: ``(P, H, 3)`` middle and radius of the head, where it is
    known. frames: ``(P,)`` the frames of the poses. width and height: of everything drawn, in metres; floor is at y =
    0.
    """

    strokes: FloatArray
    sides: tuple[str, ...]
    fine: tuple[bool, ...]
    heads: FloatArray
    frames: tuple[int, ...]
    width: float
    height: float


def plate(clip: Clip, parts: Assignment) -> Plate:
    """Choose poses where the motion changes most, look from the side that shows most of it, and lay them out.

    Poses are spread so that equal amounts of joint movement lie between them. A clip that travels is drawn along its
    path; one that stays is fanned out from left to right in the order of time.
    """
    world = clip.world()
    points = np.concatenate([world.positions, world.ends], axis=1)
    points = points - [0, points[..., 1].min(), 0]
    frames = _telling_frames(points)
    ahead = _view(points, frames)
    frames = _with_room(points, frames, ahead)
    across = points[frames] @ ahead
    size = float(np.ptp(points[..., 1])) or 1.0
    centre = across.mean(axis=1, keepdims=True)
    path = float(np.ptp(centre))
    # Long bodies need more room than tall ones.
    step = max(STEP * size, APART * float(np.median(np.ptp(across, axis=1))))
    if path < step * (len(frames) - 1) * 0.6:
        across = across - centre + step * np.arange(len(frames))[:, None]
    elif path > LONGEST * size:
        # A way this long would leave bodies too small to tell: it is drawn shorter, with few poses.
        frames = _telling_frames(points, FEWEST + 1)
        across = points[frames] @ ahead
        centre = across.mean(axis=1, keepdims=True)
        room = max(LONGEST * size, ROOM * float(np.median(np.ptp(across, axis=1))) * (len(frames) - 1))
        shorter = min(1.0, room / path)
        across = across - centre * (1 - shorter)
        if (centre[-1] < centre[0]).all():
            across = -across
    elif (centre[-1] < centre[0]).all():
        across = -across
    flat = np.stack([across, points[frames][..., 1]], axis=-1)
    skeleton = clip.skeleton
    tails = np.concatenate([np.arange(len(skeleton)), len(skeleton) + np.arange(len(skeleton.end_parents))])
    heads = np.concatenate([skeleton.parents, skeleton.end_parents])
    # A bone that only carries travel is no part of the body's picture.
    carriers = [bone.joint for bone in parts.get("root", ())]
    drawn = (heads >= 0) & ~np.isin(heads, carriers)
    side = _sides(clip, parts)
    strokes = np.concatenate([flat[:, heads[drawn]], flat[:, tails[drawn]]], axis=-1)
    low = float(flat[..., 0].min()) if not strokes.size else float(strokes[..., 0::2].min())
    strokes[..., 0::2] -= low
    rings = _heads(flat, skeleton, parts, size)
    rings[..., 0] -= low
    owners = np.where(tails < len(skeleton), tails, heads)[drawn]
    hands = {bone.joint for part, bones in parts.items() if part.endswith(" hand") for bone in bones}
    return Plate(
        strokes,
        tuple(side[joint] for joint in owners),
        tuple(bool(hands.intersection(skeleton.ancestors(joint))) for joint in owners),
        rings,
        tuple(int(f) for f in frames),
        float(strokes[..., 0::2].max(initial=0.0)),
        max(float(strokes[..., 1::2].max(initial=0.0)), float((rings[..., 1] + rings[..., 2]).max(initial=0.0))),
    )


def _telling_frames(points: FloatArray, count: int | None = None) -> FloatArray:
    """Frames with equal amounts of movement between them, by the summed way of all joints; more for more movement."""
    ways = np.linalg.norm(np.diff(points, axis=0), axis=2).mean(axis=1)
    # A jump out of calibration is one step, however far; it must not use up the poses.
    moving = ways[ways > 0]
    ways = np.minimum(ways, 6 * float(np.median(moving)) if len(moving) else 0.0)
    total = np.concatenate([[0.0], np.cumsum(ways)])
    size = float(np.ptp(points[..., 1])) or 1.0
    count = count or int(np.clip(round(total[-1] / size * 3), FEWEST, MOST))
    if total[-1] < 1e-6:
        return np.unique(np.linspace(0, len(points) - 1, FEWEST).astype(int))
    distances = np.linspace(0, total[-1], count)
    frames = np.searchsorted(total, distances - 1e-9).clip(0, len(points) - 1)
    frames[-1] = len(points) - 1  # what ends in stillness is shown to its end
    return np.unique(frames)


def _with_room(points: FloatArray, frames: FloatArray, ahead: FloatArray) -> FloatArray:
    """Fewer frames, down to eight, where poses along a path would lie on top of each other."""
    across = points[frames] @ ahead
    path, width = float(np.ptp(across.mean(axis=1))), float(np.median(np.ptp(across, axis=1)))
    room = int(path / (APART * width)) + 1 if width > 0 else len(frames)
    count = int(np.clip(room, min(FEWEST, len(frames)), len(frames)))
    return frames if count == len(frames) else _telling_frames(points, count)


def _view(points: FloatArray, frames: FloatArray) -> FloatArray:
    """The level direction along which most can be seen: of the path where there is one, else of the movement about
    it."""
    centre = points.mean(axis=1)
    path = centre[-1] - centre[0]
    path[1] = 0
    if np.linalg.norm(path) > 0.5 * np.ptp(points[frames] - centre[frames][:, None], axis=1)[:, 1].max():
        ahead = path / np.linalg.norm(path)
        across = np.array([ahead[2], 0.0, -ahead[0]])
        wide, deep = (float(np.median(np.ptp(points[frames] @ way, axis=1))) for way in (across, ahead))
        # Spread wings would be seen edge on: those are looked at from ahead of the side.
        angle = OBLIQUE if wide > 1.3 * deep else 0.0
        return np.asarray(np.cos(angle) * ahead + np.sin(angle) * across)
    moving = points[frames] - points[frames].mean(axis=0)
    if np.abs(moving).max() < 1e-6:
        # A body that stands still is looked at where it is widest.
        moving = points[frames] - centre[frames][:, None]
    level = moving[..., [0, 2]].reshape(-1, 2)
    _, vectors = np.linalg.eigh(level.T @ level)
    x, z = vectors[:, -1]
    return np.array([x, 0.0, z]) * (1.0 if x + z >= 0 else -1.0)


def _heads(flat: FloatArray, skeleton: Skeleton, parts: Assignment, size: float) -> FloatArray:
    """``(P, H, 3)``: a ring between the head joint and the end of the head; above it where the file has no end of
    it."""
    if "head" not in parts:
        return np.zeros((len(flat), 0, 3))
    joint = parts["head"][0].joint
    ends = np.flatnonzero(skeleton.end_parents == joint)
    start = flat[:, joint]
    if len(ends):
        way = flat[:, len(skeleton) + ends[0]] - start
    else:
        above = int(skeleton.parents[joint])
        way = start - flat[:, above] if above >= 0 else np.tile([0.0, 0.1 * size], (len(flat), 1))
    true = 0.11 * size if not len(ends) else float(np.linalg.norm(skeleton.end_offsets[ends[0]]))
    length = np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-9)
    middle = start + way / length * np.minimum(length, true) * 0.55
    radius = np.full((len(flat), 1), min(true * 0.48, 0.075 * size))
    return np.concatenate([middle, radius], axis=1)[:, None]


def _sides(clip: Clip, parts: Assignment) -> list[str]:
    """Left, right or neither for every joint; bones outside the plan take the side of the bone above."""
    out = [""] * len(clip.skeleton)
    named = {bone.joint: part.split()[0] for part, bones in parts.items() for bone in bones}
    for joint, parent in enumerate(clip.skeleton.parents):
        word = named.get(joint)
        out[joint] = word if word in ("left", "right") else ("" if word or parent < 0 else out[parent])
    return out
