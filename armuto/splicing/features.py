"""What poses are compared by: clouds of weighted points over a window of frames, with their velocities.

Points on the ground are complex numbers ``z + i x``, so that a turn about up by an angle φ, counted from +Z towards +X,
is a product with ``exp(i φ)``.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from armuto.kinematics.arrays import BoolArray, FloatArray, IntArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.signals import low_pass
from armuto.refining.foot_locking import Footing, Steps, footing, steps_of
from armuto.refining.refined import Body

ComplexArray = NDArray[np.complex128]

WINDOW = 0.12  # seconds before and after a frame that are compared with it
SHARES = np.array([0.1, 0.2, 0.4, 0.2, 0.1])  # of the places in the window, its ends, halves and middle
AHEAD = 0.1  # seconds: a difference in velocity counts as what it comes to in this time
GAIT = 1.0  # Hz: speed and heading are those of the way without the sway of every step
FINGERS = ("thumb", "index", "middle", "ring", "little")


@dataclass(frozen=True, eq=False)
class FrameFeatures:
    """A clip's frames, ``F`` of them, as they are compared.

    Attributes
    ----------
    ground : ``(F, N)`` complex
        Places in the window about their own centre, and velocities, times the roots of their weights.
    heights : ``(F, N)``
        The same along up.
    centre : ``(F,)`` complex
        The centre of the points in the window.
    size : ``(F,)``
        Sum of squares of ground and heights.
    resting : ``(F, L)``
        Which feet rest: 1 or 0, in the order of `feet`.
    feet : tuple of str
        Limbs, by name.
    way : ``(F,)`` complex
        Velocity over the ground in m/s, without the sway of steps.
    """

    ground: ComplexArray
    heights: FloatArray
    centre: ComplexArray
    size: FloatArray
    resting: FloatArray
    feet: tuple[str, ...]
    way: ComplexArray

    @property
    def frames(self) -> int:
        return len(self.centre)

    def rows(self, frames: IntArray) -> FrameFeatures:
        """Of some frames."""
        ground, centre, way = self.ground[frames], self.centre[frames], self.way[frames]
        return FrameFeatures(
            ground, self.heights[frames], centre, self.size[frames], self.resting[frames], self.feet, way
        )


@dataclass(frozen=True, eq=False)
class PreparedClip:
    """A clip with what joins ask of it, worked out once. positions: of all joints in the world ``(F, J, 3)``. steps:
    where its feet are and when they rest, None for a body of which no foot is known. resting: whether points of feet
    do in each frame, ``(F,)`` by name."""

    clip: Clip
    body: Body
    positions: FloatArray
    features: FrameFeatures
    ground: Footing | None
    steps: Steps | None
    resting: dict[str, BoolArray]

    @property
    def nbytes(self) -> int:
        """The memory that it takes, of its large arrays."""
        motion = self.clip.rotations.nbytes + self.clip.translations.nbytes + self.positions.nbytes
        return motion + self.features.ground.nbytes + self.features.heights.nbytes


def prepare(clip: Clip, body: Body) -> PreparedClip:
    """body: on the clip's skeleton."""
    positions = clip.world().positions
    ground = footing(body)
    steps = steps_of(clip, ground) if ground is not None and clip.frames > 1 else None
    features = _frame_features(clip, body, positions, ground, steps)
    resting = {point.name: np.zeros(clip.frames, bool) for point in (ground.points if ground else ())}
    for contact in steps.contacts if steps else ():
        resting[contact.point][contact.first : contact.last + 1] = True
    return PreparedClip(clip, body, positions, features, ground, steps, resting)


def _frame_features(
    clip: Clip, body: Body, positions: FloatArray, ground_of: Footing | None, steps: Steps | None
) -> FrameFeatures:
    joints, weights = point_weights(body)
    points = positions[:, joints]
    velocity = np.gradient(points, 1 / clip.fps, axis=0) if clip.frames > 1 else np.zeros_like(points)
    window = np.stack([_shifted(points, share * WINDOW * clip.fps) for share in (-1.0, -0.5, 0.0, 0.5, 1.0)], axis=1)
    each = SHARES[:, None] * weights
    centre = np.einsum("kp,fkp->f", each, on_ground(window))
    places = np.sqrt(each) * (on_ground(window) - centre[:, None, None])
    moving = np.sqrt(weights) * AHEAD * on_ground(velocity)
    ground = np.concatenate([places.reshape(clip.frames, -1), moving], axis=1)
    up = (np.sqrt(each) * window[..., 1]).reshape(clip.frames, -1)
    heights = np.concatenate([up, np.sqrt(weights) * AHEAD * velocity[..., 1]], axis=1)
    size = (np.abs(ground) ** 2).sum(axis=1) + (heights**2).sum(axis=1)
    resting, feet = _resting(clip.frames, ground_of, steps)
    hips = on_ground(low_pass(positions[:, body.hips], GAIT, clip.fps))
    way = np.gradient(hips) * clip.fps if clip.frames > 1 else np.zeros(clip.frames, complex)
    return FrameFeatures(ground, heights, centre, size, resting, feet, way)


def on_ground(places: FloatArray) -> ComplexArray:
    """``z + i x`` of places ``(…, 3)``."""
    return np.asarray(places[..., 2] + 1j * places[..., 0])


@lru_cache(maxsize=32)
def point_weights(body: Body) -> tuple[IntArray, FloatArray]:
    """The joints that make a pose, and how much each counts: half the bones that meet in it, all together 1. Fingers
    and bones that are no part of the body count nothing, where parts are known."""
    skeleton = body.skeleton
    length = np.linalg.norm(skeleton.rest_translation, axis=1)
    length[skeleton.parents < 0] = 0.0
    weights = length / 2
    for joint, parent in enumerate(skeleton.parents):
        if parent >= 0:
            weights[parent] += length[joint] / 2
    named = [joint for part, joint in body.joint_of.items() if not any(word in part.lower() for word in FINGERS)]
    if len(named) > 2:
        own = np.zeros(len(skeleton), bool)
        own[named] = True
        weights = np.where(own, weights, 0.0)
    if not weights.any():
        weights = np.ones(len(skeleton))
    joints = np.flatnonzero(weights)
    return joints, weights[joints] / weights.sum()


def _shifted(points: FloatArray, frames: float) -> FloatArray:
    """Points ``(F, P, 3)`` so many frames later. What lies beyond the clip goes on as it went at its end."""
    last = len(points) - 1
    if last < 1:
        return points
    at = np.arange(last + 1) + frames
    before = np.clip(np.floor(at).astype(np.int64), 0, last - 1)
    share = (at - before)[:, None, None]
    return np.asarray(points[before] + (points[before + 1] - points[before]) * share)


def _resting(frames: int, ground: Footing | None, steps: Steps | None) -> tuple[FloatArray, tuple[str, ...]]:
    """Which feet rest, ``(F, L)``: 1 or 0, and the limbs by name."""
    if ground is None:
        return np.zeros((frames, 0)), ()
    limb_of = {point.name: point.limb for point in ground.points}
    feet = tuple(dict.fromkeys(limb_of.values()))
    rests = np.zeros((frames, len(feet)))
    for contact in steps.contacts if steps else ():
        rests[contact.first : contact.last + 1, feet.index(limb_of[contact.point])] = 1.0
    return rests, feet
