"""Leaps whose body falls as bodies do: clips that tell the unit, with the truth known."""

from functools import cache

import numpy as np
from scipy.interpolate import BPoly

from armuto.intake.free_fall import GRAVITY, centre_of_mass
from armuto.kinematics.clip import Clip
from armuto.pairing import assign
from demo.curves import eased, turn
from demo.hall import ANKLE, ArmCurve, FootCurve, Performance, perform

STANDS, LEAVES = 0.88, 0.93  # metres: the centre of the body as it stands and as it takes off on its toes
PUSH = 0.26  # seconds
REST = 0.45


@cache
def leap(flights: tuple[float, ...], seed: int, fps: float = 30.0, ahead: float = 0.0) -> Clip:
    """A body of the hall that leaps so many times, each so many seconds in the air and so many metres ahead.

    What its segments weigh differs by a tenth from what is usual, by the seed, as it does among people.
    """
    rng = np.random.default_rng(seed)
    knots, states, leaps, now = [0.0], [(STANDS, 0.0, 0.0)], [], REST
    for seconds in flights:
        speed = GRAVITY * seconds / 2
        low = LEAVES - speed * PUSH * 0.42
        for after, state in ((0.0, (STANDS, 0, 0)), (0.4, (low, 0, 0)), (PUSH, (LEAVES, speed, -GRAVITY))):
            now += after
            knots.append(now)
            states.append(state)
        leaps.append((now, now + seconds))
        for after, state in ((seconds, (LEAVES, -speed, -GRAVITY)), (PUSH, (low, 0, 0)), (0.5, (STANDS, 0, 0))):
            now += after
            knots.append(now)
            states.append(state)
        now += REST
    at = np.arange(round(now * fps)) / fps
    level = BPoly.from_derivatives(knots, [list(state) for state in states])(np.minimum(at, knots[-1]))
    # How far ahead it is: even in the air, and eased on the ground.
    way = np.zeros_like(at)
    lift, air = np.zeros_like(at), np.zeros_like(at)
    for leaves, lands in leaps:
        share = np.clip((at - leaves) / (lands - leaves), 0, 1)
        way += ahead * share
        flies = (at >= leaves) & (at <= lands)
        air[flies] = np.sin(np.pi * share[flies])
        lift[flies] = level[flies] - LEAVES + 0.1 * air[flies]
        lift += 0.07 * _bump(at, leaves, 0.12) + 0.07 * _bump(at, lands, 0.06)
    centre = np.stack([np.zeros_like(at), level, way], axis=1)
    swing = np.zeros_like(at)
    for leaves, lands in leaps:
        keys = (leaves - 0.7, 0), (leaves - PUSH, -1), (leaves + 0.1, 1.2), (lands + 0.2, -0.3), (lands + 0.7, 0)
        swing += eased(at, *keys)
    pitch = -40 * np.clip(lift / 0.07, 0, 1)
    hips = centre + [0.0, 0.0, -0.02]
    weighed = 1 + 0.1 * rng.standard_normal(3)
    for _ in range(6):
        feet = {
            side: FootCurve(np.stack([np.full_like(at, x), ANKLE + lift, way], axis=1), pitch, 0 * at, 0 * at)
            for side, x in (("Left", 0.1), ("Right", -0.1))
        }
        arm = ArmCurve(74 + 0 * swing, 40 * swing, 24 + 0 * swing, turn(x=0 * swing))
        clip = perform(Performance("leap", hips, turn(x=6 - 6 * air), feet, {"Left": arm, "Right": arm}))
        hips = hips + centre - _centre(clip, weighed)
    return Clip(clip.name, clip.skeleton, fps, clip.rotations, clip.moving, clip.translations)


def _bump(at: np.ndarray, when: float, width: float) -> np.ndarray:
    return np.asarray(np.exp(-(((at - when) / width) ** 2)))


def _centre(clip: Clip, weighed: np.ndarray) -> np.ndarray:
    """Where its mass has its centre, when trunk, arms and legs weigh more or less than is usual."""
    positions, parts = clip.world().positions, assign(clip.skeleton)
    usual = centre_of_mass(positions, parts)
    assert usual is not None
    chest, hands, knees = (
        np.mean([positions[:, parts[name][0].joint] for name in names], axis=0)
        for names in (("chest",), ("left lower arm", "right lower arm"), ("left lower leg", "right lower leg"))
    )
    shares = np.array([0.5, 0.1, 0.4]) * (weighed - 1)
    return np.asarray((usual + shares[0] * chest + shares[1] * hands + shares[2] * knees) / (1 + shares.sum()))
