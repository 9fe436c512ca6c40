"""Steady gaits on two legs: walking, running, creeping, carrying, pushing, as one set of curves with a few measures."""

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from demo.curves import rotated, smooth, turn
from demo.hall import ANKLE, BALL, FPS, HEEL, ArmCurve, FootCurve, HandCurve, Performance, perform

TAU = 2 * np.pi


@dataclass(frozen=True)
class Gait:
    """cycle: seconds for two steps. stride: metres for two steps. flat, off, swing: shares of the cycle at which a foot
    lies flat, begins to roll off, and leaves the ground. Angles in degrees, lengths in metres.

    arms: angles of the hanging arms: lowered, swung at rest, swing, bent, bend with the swing.
    """

    name: str
    cycle: float = 1.1
    stride: float = 1.3
    cycles: float = 4.5
    flat: float = 0.12
    off: float = 0.38
    swing: float = 0.62
    strike: float = 18.0
    push: float = -42.0
    lift: float = 0.055
    width: float = 0.075
    toes_out: float = 6.0
    height: float = 0.877
    bounce: float = 0.02
    highest: float = 0.31  # of the step's half cycle, when the hips are highest
    sway: float = 0.027
    lean: float = 3.0
    bend: tuple[float, float] = (1.0, 1.0)  # spine and chest, forwards
    head: float = -2.0
    twist: float = 6.5
    counter: float = 5.5
    roll: float = 3.5
    arms: tuple[float, float, float, float, float] = (78, 4, 21, 20, 13)
    curl: float = 0.35
    hands: Callable[["Phases"], dict[str, HandCurve | ArmCurve]] | None = field(default=None, compare=False)


@dataclass(frozen=True)
class Phases:
    """What the hands of a gait can be hung on: times, phase, and where pelvis and trunk are."""

    at: FloatArray
    phi: FloatArray
    hips: FloatArray
    chest: FloatArray


def times(seconds: float) -> FloatArray:
    return np.arange(round(seconds * FPS) + 1) / FPS


def stepping(gait: Gait, at: FloatArray, phase: float, x: float) -> FootCurve:
    """One foot of a steady gait: heel strike, roll to flat, heel off about the ball, swing to the next place.

    While it carries weight, the point it turns about keeps its place on the floor to the last digit.
    """
    turns = at / gait.cycle + phase
    number, phi = np.floor(turns), turns % 1.0
    flat, off, swing, strike, push, stride = gait.flat, gait.off, gait.swing, gait.strike, gait.push, gait.stride
    yaw = np.full_like(at, gait.toes_out * np.sign(x))
    heading = turn(y=yaw)
    # Where this foot's ball stands in cycle n, so that the body at constant speed passes over it in mid stance.
    centre = (number - phase + (flat + off) / 2) * stride
    pitch = np.select(
        [phi < flat, phi < off, phi < swing],
        [strike * (1 - smooth(phi / flat)), 0 * phi, push * smooth((phi - off) / (swing - off) * 0.5) * 2],
        0.0,
    )
    ground = np.stack([np.full_like(at, x), np.zeros_like(at), centre], axis=-1)
    flat_ankle = ground - rotated(heading, [0, 0, 1]) * 0.05 + [0, ANKLE, 0]

    def about(point: FloatArray, angle: FloatArray, ankle: FloatArray) -> FloatArray:
        """The ankle when the foot has turned by pitch about one of its own points that stays where it was flat."""
        return ankle + rotated(heading, point) - rotated(rotation.multiply(heading, turn(x=-angle)), point)

    standing = np.where((phi < flat)[:, None], about(HEEL, pitch, flat_ankle), about(BALL, pitch, flat_ankle))
    # Swing: from toe-off here to the strike pose one stride on.
    s = (phi - swing) / (1 - swing)
    leave = about(BALL, np.full_like(at, push), flat_ankle)
    arrive = about(HEEL, np.full_like(at, strike), flat_ankle) + [0, 0, stride]
    along = 0.62 * smooth(s) + 0.38 * np.clip(s, 0, 1)
    swinging = leave + (arrive - leave) * along[:, None]
    swinging[:, 1] += gait.lift * np.sin(np.pi * np.clip(s, 0, 1)) ** 2 - 0.02 * np.sin(TAU * np.clip(s, 0, 1)) ** 2
    moving = phi >= swing
    swing_pitch = push + (strike - push) * smooth(s * 1.15)
    bent = np.where(moving, -push * (1 - smooth(s * 2.2)) * 0.9, np.maximum(-pitch, 0.0))
    ankle = np.where(moving[:, None], swinging, standing)
    return FootCurve(ankle, np.where(moving, swing_pitch, pitch), yaw, bent)


def go(gait: Gait) -> Clip:
    """The gait as a clip, straight ahead along +Z."""
    at = times(gait.cycle * gait.cycles)
    phi = at / gait.cycle
    feet = {
        "Left": stepping(gait, at, 0.0, gait.width),
        "Right": stepping(gait, at, 0.5, -gait.width),
    }
    # Lowest in double support, highest over the standing leg (or in the air); towards the leg that carries.
    height = gait.height + gait.bounce * np.cos(2 * TAU * (phi - gait.highest))
    sway = gait.sway * np.sin(TAU * (phi - 0.02))
    hips = np.stack([sway, height, gait.stride * phi + 0.012 * np.sin(2 * TAU * (phi - 0.2))], axis=-1)
    twist, roll = gait.twist * np.cos(TAU * (phi + 0.03)), gait.roll * np.sin(TAU * (phi - 0.02))
    pelvis = turn(x=gait.lean + 1.0 * np.cos(2 * TAU * phi), y=-twist, z=roll)
    chest_twist = 1.0 * twist + gait.counter * np.cos(TAU * (phi - 0.02))
    spine, chest = gait.bend
    local = {
        "Spine": turn(x=spine, y=chest_twist * 0.45, z=-roll * 0.6),
        "Chest": turn(x=chest + 0.8 * np.cos(2 * TAU * (phi - 0.1)), y=chest_twist * 0.55, z=-roll * 0.6),
        "Neck": turn(x=gait.head, y=-(chest_twist - twist) * 0.5, z=roll * 0.1),
        "Head": turn(x=gait.head - 1.2 * np.cos(2 * TAU * (phi - 0.16)), y=-(chest_twist - twist) * 0.5),
    }
    local |= {
        f"{s}Collar": turn(y=-g * 3 * np.cos(TAU * phi) * -g, z=-g * 3.0) for s, g in (("Left", 1), ("Right", -1))
    }

    def hanging(sign: int) -> ArmCurve:
        lowered, rest, swing, bent, more = gait.arms
        now, late, later = (-sign * np.cos(TAU * (phi - lag)) for lag in (0.03, 0.10, 0.16))
        wrist = turn(y=-sign * (4 + 7 * later * swing / 21), z=-sign * 4)
        return ArmCurve(lowered + 1.5 * late, rest + swing * now, bent + more * late, wrist)

    arms: dict[str, HandCurve | ArmCurve] = {"Left": hanging(1), "Right": hanging(-1)}
    if gait.hands:
        trunk = rotation.multiply(rotation.multiply(pelvis, local["Spine"]), local["Chest"])
        arms |= gait.hands(Phases(at, phi, hips, trunk))
    return perform(Performance(gait.name, hips, pelvis, feet, arms, local, {"Left": gait.curl, "Right": gait.curl}))


def carried(spread: float, up: float, ahead: float, world: float = 0.0) -> Callable[[Phases], dict]:
    """Both hands on the sides of something held before the body, which follows the trunk a little later and softer."""

    def hands(p: Phases) -> dict[str, HandCurve | ArmCurve]:
        late = 0.006 * np.cos(2 * TAU * (p.phi - 0.42))
        middle = p.hips + np.stack([0 * late, up + late, ahead + 0 * late], axis=-1)
        middle[:, 0] *= 0.6
        middle[:, 1] = p.hips[:, 1].mean() + (p.hips[:, 1] - p.hips[:, 1].mean()) * 0.6 + up + late
        out: dict[str, HandCurve | ArmCurve] = {}
        for side, sign in (("Left", 1), ("Right", -1)):
            goal = middle + [sign * spread, 0, 0]
            elbow = np.tile([sign * 0.55, -0.8, -0.35], (len(p.at), 1))
            # Fingers ahead and a little inwards, palms against the sides.
            facing = rotation.multiply(turn(y=sign * (-78 + world)), turn(x=-90 + 0 * p.at))
            out[side] = HandCurve(goal, elbow, world=np.broadcast_to(facing, (len(p.at), 4)))
        return out

    return hands


def held_rail(spread: float, up: float, ahead: float) -> Callable[[Phases], dict]:
    """Both hands on a rail that is pushed at a steady height and speed."""

    def hands(p: Phases) -> dict[str, HandCurve | ArmCurve]:
        out: dict[str, HandCurve | ArmCurve] = {}
        steady = np.polyval(np.polyfit(p.at, p.hips[:, 2], 1), p.at)
        for side, sign in (("Left", 1), ("Right", -1)):
            goal = np.stack([np.full_like(p.at, sign * spread), np.full_like(p.at, up), steady + ahead], axis=-1)
            elbow = np.tile([sign * 0.7, -0.75, -0.2], (len(p.at), 1))
            facing = rotation.multiply(turn(y=sign * -80 + 0 * p.at), turn(z=sign * 38 + 0 * p.at))
            out[side] = HandCurve(goal, elbow, world=facing)
        return out

    return hands
