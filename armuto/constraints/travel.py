"""Travel over the ground: kept, taken out, or put on a root bone; and where the first frame stands."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.curves import moving_average
from armuto.kinematics.vectors import lengths
from armuto.kinematics.world_motion import WorldMotion
from armuto.retarget.settings import Travel


@dataclass(frozen=True)
class Path:
    """Travel of a body: places ``(F, 3)`` in metres, of which the height is that of the leading part, and heading
    ``(F,)`` in radians from +Z, without jumps."""

    places: FloatArray
    heading: FloatArray


def path_of(places: FloatArray, turns: FloatArray, ahead: FloatArray, fps: float, smoothing: float) -> Path:
    """Travel of a part: its places ``(F, 3)``, and where its turns ``(F, 4)`` point what faced ahead ``(3,)`` in the
    stance.

    Heading is smoothed as a direction, so that a body that turns round does not make it jump. While it looks straight
    up or down, it heads where it last did.
    """
    looks = rotation.rotate(turns, np.broadcast_to(ahead, places.shape))[:, [0, 2]]
    clear = lengths(looks) > 0.15
    if clear.any() and not clear.all():
        known = np.flatnonzero(clear)
        looks = looks[
            known[np.clip(np.searchsorted(known, np.arange(len(looks)), side="right") - 1, 0, len(known) - 1)]
        ]
    looks = moving_average(looks / np.maximum(lengths(looks), 1e-9)[:, None], round(smoothing * fps))
    return Path(places, np.unwrap(np.arctan2(looks[:, 0], looks[:, 1])))


def chosen(path: Path, travel: Travel) -> tuple[FloatArray, FloatArray]:
    """The part of travel that is meant: shifts ``(F, 3)`` and turns ``(F,)`` in radians, each against the first
    frame."""
    offset = path.places - path.places[0]
    ahead = np.array([np.sin(path.heading[0]), 0.0, np.cos(path.heading[0])])
    left = np.array([ahead[2], 0.0, -ahead[0]])
    shift = np.zeros_like(offset)
    for axis, meant in ((left, travel.sideways), (np.array([0.0, 1.0, 0.0]), travel.up), (ahead, travel.ahead)):
        if meant:
            shift += (offset @ axis)[:, None] * axis
    turn = path.heading - path.heading[0] if travel.heading else np.zeros(len(offset))
    return shift, turn


def moved(motion: WorldMotion, pivot: FloatArray, turn: FloatArray, shift: FloatArray) -> None:
    """Turn the whole body by ``turn (F,)`` about the upright through ``about (F, 3)``, then shift it ``(F, 3)``."""
    turning = bool(np.any(turn))
    q = rotation.about([0.0, 1.0, 0.0], turn)
    for joint in range(len(motion.skeleton)):
        if turning:
            motion.rotations[joint] = rotation.multiply(q, motion.rotations[joint])
            motion.positions[joint] = pivot + rotation.rotate(q, motion.positions[joint] - pivot)
        motion.positions[joint] += shift


def take_out(motion: WorldMotion, path: Path, travel: Travel) -> None:
    """Leave the body where its first frame is, as far as its travel is meant."""
    shift, turn = chosen(path, travel)
    moved(motion, path.places, -turn, -shift)


def place(motion: WorldMotion, path: Path, travel: Travel, first: int = 0) -> None:
    """Stand the first frame where it is wanted, facing there, and all else with it. first: the row of the first
    frame."""
    if travel.place == "recorded":
        return
    x, z, degrees = travel.at if travel.place == "given" else (0.0, 0.0, 0.0)
    start = path.places[first] * [1.0, 0.0, 1.0]
    turn = np.full(motion.frames, np.radians(degrees) - path.heading[first])
    pivot = np.broadcast_to(start, (motion.frames, 3))
    moved(motion, pivot, turn, np.array([x, 0.0, z]) - pivot)


def carried(path: Path, travel: Travel) -> tuple[FloatArray, FloatArray]:
    """Where a root bone is that carries the travel that is meant: places ``(F, 3)`` and headings ``(F, 4)``."""
    shift, turn = chosen(path, travel)
    heading = path.heading[0] if travel.heading else 0.0
    return path.places[0] * [1.0, 0.0, 1.0] + shift, rotation.about([0.0, 1.0, 0.0], turn + heading)


def on_root(motion: WorldMotion, root: int, path: Path, travel: Travel, rest: FloatArray) -> None:
    """Let the root bone carry the travel that is meant, and leave every other bone where it is in the world.

    rest ``(4,)``: the root's rotation in the stance, which it keeps but for its heading.
    """
    motion.positions[root], heading = carried(path, travel)
    motion.rotations[root] = rotation.multiply(heading, rest)
