"""Bringing the end of a limb to a place: two bones by the law of cosines, longer limbs by FABRIK.

All functions work on whole clips: positions ``(F, 3)``; they give world turns ``(F, 4)`` to apply to what the bones
carry.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.vectors import cross, lengths

SOFT = 0.03  # of the limb's length: from so close to its full length on, a limb stretches ever more slowly
ROUNDS = 12
CLOSE = 1e-4  # of the limb's length


def softened(now: FloatArray, distance: FloatArray, longest: FloatArray | float, share: float = SOFT) -> FloatArray:
    """The distance ``(F,)`` from root to end that a limb makes of the one wanted, so that it never snaps straight.

    now: the distance it has. Up to a share below the longest (or what it has, where that is more) it makes what is
    wanted; beyond it nears the longest as 1 − e^−x does. A limb from which nothing more is wanted than it has is left
    alone.
    """
    room = np.maximum(longest - now, 0.0)
    soft = np.minimum(room, share * longest)
    firm = now + room - soft
    over = np.maximum(distance - firm, 0.0)
    bent = soft * (1.0 - np.exp(-over / np.where(soft > 0, soft, 1.0)))
    return np.asarray(np.where(distance > firm, firm + bent, distance))


def two_bones(
    root: FloatArray,
    middle: FloatArray,
    end: FloatArray,
    goal: FloatArray,
    hinge: FloatArray,
    swivel: float = 0.0,
    soft: float = SOFT,
) -> tuple[FloatArray, FloatArray]:
    """World turns of the upper and the lower bone that bring the end of a limb to a goal, or as near as it is long.

    Parameters
    ----------
    root, middle, end : array (F, 3)
        Where the joints are, in metres.
    goal : array (F, 3)
    hinge : array (F, 3)
        The axis that the limb bends about where it is straight; else it bends about the normal of the plane it lies in.
    swivel : float
        Radians about the line from root to goal by which the bend is turned afterwards.
    soft : float
        Share of its length over which the limb stretches ever more slowly.

    Returns
    -------
    upper, lower : array (F, 4)
        Quaternions in the world, ``(x, y, z, w)``.

    Notes
    -----
    The law of cosines gives the bend; then all of the limb swings by the smallest turn that points it at
    the goal, so that its bend keeps its direction.

    Examples
    --------
    >>> import numpy as np
    >>> from armuto.kinematics import rotation
    >>> from armuto.kinematics.ik import two_bones
    >>> root, middle, end = (np.array([[0.0, y, 0.0]]) for y in (2.0, 1.0, 0.0))
    >>> goal = np.array([[0.0, 1.0, 0.0]])
    >>> upper, lower = two_bones(root, middle, end, goal, np.array([[1.0, 0.0, 0.0]]))
    >>> knee = root + rotation.rotate(upper, middle - root)
    >>> np.allclose(knee + rotation.rotate(lower, end - middle), goal)
    True
    """
    upper, lower, to_goal = middle - root, end - middle, goal - root
    a, b = lengths(upper), lengths(lower)
    now = lengths(end - root)
    distance = softened(now, lengths(to_goal), a + b, soft)
    distance = np.maximum(distance, np.abs(a - b) + 1e-6 * (a + b))
    normal = cross(upper, lower) + hinge * (1e-3 * a * b)[:, None]
    normal = normal / np.maximum(lengths(normal), 1e-12)[:, None]
    opened = _inner(a, b, distance) - _inner(a, b, now)
    # Opening the joint turns the lower bone back about the normal by which it was bent.
    bend = rotation.about_each(normal, -opened)
    reached = middle + rotation.rotate(bend, lower)
    swing = rotation.between_each(reached - root, to_goal)
    if swivel:
        axis = to_goal / np.maximum(lengths(to_goal), 1e-12)[:, None]
        swing = rotation.multiply(rotation.about_each(axis, np.full(len(axis), swivel)), swing)
    return swing, rotation.multiply(swing, bend)


def _inner(a: FloatArray, b: FloatArray, distance: FloatArray) -> FloatArray:
    """Angle between the two bones at the joint they share, when their far ends are so far apart."""
    return np.asarray(np.arccos(np.clip((a * a + b * b - distance * distance) / (2 * a * b), -1.0, 1.0)))


def fabrik(places: Sequence[FloatArray], goal: FloatArray) -> list[FloatArray]:
    """Places ``(F, 3)`` of a limb's joints, from the root outwards, with the last as near to the goal as the limb is
    long.

    Aristidou and Lasenby 2011 (FABRIK), begun at the pose the limb is in, so that its bends keep their directions.
    """
    bones = [lengths(b - a) for a, b in pairwise(places)]
    total = np.sum(bones, axis=0)
    to_goal = goal - places[0]
    far = softened(lengths(places[-1] - places[0]), lengths(to_goal), total)
    goal = places[0] + to_goal * (far / np.maximum(lengths(to_goal), 1e-12))[:, None]
    out = [np.array(place) for place in places]
    for _ in range(ROUNDS):
        if np.all(lengths(out[-1] - goal) < CLOSE * total):
            break
        out[-1] = goal
        for k in range(len(out) - 2, -1, -1):
            out[k] = out[k + 1] + _along(out[k] - out[k + 1], bones[k])
        out[0] = places[0]
        for k in range(1, len(out)):
            out[k] = out[k - 1] + _along(out[k] - out[k - 1], bones[k - 1])
    return out


def _along(direction: FloatArray, length: FloatArray) -> FloatArray:
    return np.asarray(direction * (length / np.maximum(lengths(direction), 1e-12))[:, None])
