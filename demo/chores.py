"""The clips of the hall: what the figures do between midnight and six."""

import numpy as np

from armuto import rotation
from armuto.rotation import FloatArray
from armuto.skeleton import Clip
from demo.curves import eased, rotated, smooth, turn
from demo.hall import ANKLE, BALL, FPS, HEEL, ArmCurve, FootCurve, HandCurve, Performance, perform, stood

TAU = 2 * np.pi


def clips() -> list[Clip]:
    return [walk(), bow(), wind_the_key(), wave_the_lantern()]


def _at(seconds: float) -> FloatArray:
    return np.arange(round(seconds * FPS) + 1) / FPS


def _stepping(at: FloatArray, cycle: float, stride: float, phase: float, x: float) -> FootCurve:
    """One foot of a steady walk: heel strike, roll to flat, heel off about the ball, swing to the next place.

    While it carries weight, the point it turns about keeps its place on the floor to the last digit.
    """
    turns = at / cycle + phase
    number, phi = np.floor(turns), turns % 1.0
    flat, off, swing = 0.12, 0.38, 0.62
    strike_pitch, push_pitch = 18.0, -42.0
    yaw = np.full_like(at, 6.0 * np.sign(x))
    heading = turn(y=yaw)
    # Where this foot's ball stands in cycle n, so that the body at constant speed passes over it in mid stance.
    middle = (flat + off) / 2
    centre = (number - phase + middle) * stride
    pitch = np.select(
        [phi < flat, phi < off, phi < swing],
        [strike_pitch * (1 - smooth(phi / flat)), 0 * phi, push_pitch * smooth((phi - off) / (swing - off) * 0.5) * 2],
        0.0,
    )
    ground = np.stack([np.full_like(at, x), np.zeros_like(at), centre], axis=-1)
    foot = rotated(heading, [0, 0, 1])
    flat_ankle = ground - foot * 0.05 + [0, ANKLE, 0]

    def about(point: FloatArray, angle: FloatArray, ankle: FloatArray) -> FloatArray:
        """The ankle when the foot has turned by pitch about one of its own points that stays where it was flat."""
        tilted = turn_foot(angle)
        return ankle + rotated(heading, point) - rotated(tilted, point)

    def turn_foot(angle: FloatArray) -> FloatArray:
        return rotation.multiply(heading, turn(x=-angle))

    heel_down = about(HEEL, pitch, flat_ankle)
    ball_down = about(BALL, pitch, flat_ankle)
    standing = np.where((phi < flat)[:, None], heel_down, ball_down)
    # Swing: from toe-off here to the strike pose one stride on.
    s = (phi - swing) / (1 - swing)
    leave = about(BALL, np.full_like(at, push_pitch), flat_ankle)
    arrive = about(HEEL, np.full_like(at, strike_pitch), flat_ankle) + [0, 0, stride]
    along = 0.62 * smooth(s) + 0.38 * np.clip(s, 0, 1)
    swinging = leave + (arrive - leave) * along[:, None]
    swinging[:, 1] += 0.055 * np.sin(np.pi * np.clip(s, 0, 1)) ** 2 - 0.02 * np.sin(TAU * np.clip(s, 0, 1)) ** 2
    moving = phi >= swing
    swing_pitch = push_pitch + (strike_pitch - push_pitch) * smooth(s * 1.15)
    pitch = np.where(moving, swing_pitch, pitch)
    ankle = np.where(moving[:, None], swinging, standing)
    bent = np.where(moving, -push_pitch * (1 - smooth(s * 2.2)) * 0.9, np.maximum(-pitch, 0.0))
    return FootCurve(ankle, pitch, yaw, bent)


def walk() -> Clip:
    """Four and a half strides across the hall at 1.2 m/s."""
    cycle, stride = 1.1, 1.3
    at = _at(cycle * 4.5)
    phi = at / cycle
    left, right = _stepping(at, cycle, stride, 0.0, 0.075), _stepping(at, cycle, stride, 0.5, -0.075)
    # Lowest in double support, highest over the standing leg; towards the leg that carries.
    height = 0.877 - 0.02 * np.cos(2 * TAU * (phi - 0.06))
    sway = 0.027 * np.sin(TAU * (phi - 0.02))
    hips = np.stack([sway, height, stride * phi + 0.012 * np.sin(2 * TAU * (phi - 0.2))], axis=-1)
    twist, roll = 6.5 * np.cos(TAU * (phi + 0.03)), 3.5 * np.sin(TAU * (phi - 0.02))
    pelvis = turn(x=3.0 + 1.0 * np.cos(2 * TAU * phi), y=-twist, z=roll)
    chest_twist = 1.0 * twist + 5.5 * np.cos(TAU * (phi - 0.02))
    local = {
        "Spine": turn(x=1.0, y=chest_twist * 0.45, z=-roll * 0.6),
        "Chest": turn(x=1.0 + 0.8 * np.cos(2 * TAU * (phi - 0.1)), y=chest_twist * 0.55, z=-roll * 0.6),
        "Neck": turn(x=-2.0, y=-(chest_twist - twist) * 0.5, z=roll * 0.1),
        "Head": turn(x=-2.0 - 1.2 * np.cos(2 * TAU * (phi - 0.16)), y=-(chest_twist - twist) * 0.5),
    }

    def arm(sign: int) -> ArmCurve:
        swing = -sign * np.cos(TAU * (phi - 0.03))
        late = -sign * np.cos(TAU * (phi - 0.10))
        later = -sign * np.cos(TAU * (phi - 0.16))
        return ArmCurve(78 + 1.5 * late, 4 + 21 * swing, 20 + 13 * late, turn(y=-sign * (4 + 7 * later), z=-sign * 4))

    local |= {
        f"{s}Collar": turn(y=-g * 3 * np.cos(TAU * phi) * -g, z=-g * 3.0) for s, g in (("Left", 1), ("Right", -1))
    }
    arms = {"Left": arm(1), "Right": arm(-1)}
    return perform(Performance("walk", hips, pelvis, {"Left": left, "Right": right}, arms, local))


def _hanging(at: FloatArray, sign: int, breath: FloatArray) -> ArmCurve:
    return ArmCurve(77 - 0.6 * breath, 3 + 0.5 * breath, 16 + 0.8 * breath, turn(y=-sign * 6 + 0 * at, z=-sign * 3))


def bow() -> Clip:
    """A bow to the empty hall: a breath in, the right hand to the heart, down, a hold, and up again."""
    at = _at(4.2)
    breath = np.sin(TAU * at / 2.8)
    down = eased(at, (0.55, 0), (0.8, -0.08), (1.55, 1.0), (2.35, 1.03), (3.35, -0.03), (3.75, 0))
    late = eased(at, (0.65, 0), (0.9, -0.1), (1.75, 1.0), (2.45, 1.0), (3.5, -0.05), (3.9, 0))
    early = eased(at, (0.5, 0), (1.35, 1.0), (2.3, 1.0), (3.1, 0.0), (3.3, 0))
    shift = eased(at, (0.3, 0), (0.9, 0.02), (2.6, 0.02), (3.8, 0))
    hips = np.stack([shift, 0.908 - 0.028 * early + 0.002 * breath, -0.012 - 0.135 * down], axis=-1)
    pelvis = turn(x=24 * down, y=2 * early, z=100 * shift * 0.6)
    local = {
        "Spine": turn(x=15 * down + 0.4 * breath, z=-60 * shift * 0.5),
        "Chest": turn(x=13 * late + 0.7 * breath, y=-4 * early, z=-60 * shift * 0.5),
        "Neck": turn(x=10 * late - 2),
        "Head": turn(x=13 * late - 1),
        "RightCollar": turn(y=8 * early, z=2 + 3 * early),
        "LeftCollar": turn(z=-2 - 2 * down),
    }
    start = np.array([-0.245, 0.905, 0.06])
    # The right hand travels out and in to the heart, and rides on the bowing chest.
    heart = rotated(turn(x=44 * down), [-0.045, 0.33, 0.185]) + hips
    wide = np.array([-0.40, 1.12, 0.26])
    blend, arc = early[:, None], np.sin(np.pi * np.clip(early, 0, 1))[:, None]
    goal = start * (1 - blend) + heart * blend + (wide - (start + [0.0, 1.25, 0.18]) / 2) * arc * 0.35
    elbow = np.tile([-0.75, -0.55, -0.5], (len(at), 1)) + blend * [-0.25, 0.25, 0.4]
    wrist = turn(y=6 + 22 * early, x=20 * early, z=3 + 4 * early)
    arms = {
        "Right": HandCurve(goal, elbow, wrist),
        "Left": ArmCurve(77 - 5 * late, 3 + 21 * late, 16 + 9 * late, turn(y=-6 - 6 * late, z=-3 + 0 * at)),
    }
    feet = {"Left": stood(at, 0.10, 0.015, 9), "Right": stood(at, -0.10, -0.015, -9)}
    return perform(Performance("bow", hips, pelvis, feet, arms, local))


def wind_the_key() -> Clip:
    """Winding the great clock: both hands on the key, three pulls with the weight behind them, and the grip renewed."""
    pull, back, pulls, lead = 1.05, 0.6, 3, 0.75
    at = _at(lead + pulls * (pull + back) + 0.7)
    grips = [lead + k * (pull + back) for k in range(pulls)]
    turned, hold, effort = [(0.35, 0.0)], [(0.1, 0.35), (lead - 0.12, 1.0)], [(lead - 0.1, 0.0)]
    for start in grips:
        turned += [(start, 0.0), (start + pull, 1.0), (start + pull + 0.1, 1.0)]
        hold += [(start, 1.0), (start + pull, 1.0), (start + pull + 0.22, 0.0), (start + pull + back - 0.14, 0.15)]
        effort += [
            (start + 0.02, 0.0),
            (start + pull * 0.5, 1.0),
            (start + pull, 0.55),
            (start + pull + back - 0.08, 0.0),
        ]
    hold += [(grips[-1] + pull + back + 0.1, 0.3)]
    turned += [(grips[-1] + pull + back, 0.0)]
    angle = np.radians(28 - 112 * eased(at, *turned))
    held, work = eased(at, *hold), np.clip(eased(at, *effort), 0, 1)
    late = np.interp(at - 0.09, at, work)
    lean = eased(at, *[(t + 0.04, v) for t, v in turned])
    key, radius = np.array([0.0, 1.14, 0.545]), 0.165
    hips = np.stack(
        [-0.035 + 0.055 * lean, 0.885 - 0.028 * work + 0.004 * np.sin(TAU * at / 2.1), 0.0 + 0.02 * work], axis=-1
    )
    pelvis = turn(x=5 + 3 * work, y=-5 + 9 * lean, z=-1.5 + 3.0 * lean)
    local = {
        "Spine": turn(x=4 + 4 * late, y=-3 + 5 * lean, z=1 - 4 * lean),
        "Chest": turn(x=4 + 4 * late, y=-3 + 6 * lean, z=3 - 7 * lean),
        "Neck": turn(x=-3 - 2 * late, y=4 - 8 * lean),
        "Head": turn(x=4 - 3 * late, y=3 - 7 * lean, z=-2 + 4 * lean),
        "LeftCollar": turn(y=-9 - 3 * work, z=2 + 4 * np.sin(angle)),
        "RightCollar": turn(y=9 + 3 * work, z=-2 + 4 * np.sin(angle)),
    }
    arms: dict[str, HandCurve | ArmCurve] = {}
    for side, sign in (("Left", 1), ("Right", -1)):
        rim = np.stack([sign * radius * np.cos(angle), sign * radius * np.sin(angle), 0 * at], axis=-1)
        away = (1 - held)[:, None] * np.array([sign * 0.035, -0.01, -0.085])
        goal = key + rim + away - [0, 0, 0.085]
        elbow = np.tile([sign * 0.34, -0.95, -0.35], (len(at), 1))
        wrist = turn(z=sign * 14 - np.degrees(angle) * 0.25, y=-sign * (8 + 10 * held), x=-np.degrees(angle) * 0.35)
        arms[side] = HandCurve(goal, elbow, wrist)
    feet = {"Left": stood(at, 0.15, 0.075, 8), "Right": stood(at, -0.14, -0.115, -22)}
    return perform(Performance("wind the key", hips, pelvis, feet, arms, local))


def wave_the_lantern() -> Clip:
    """A lantern held high and swung to and fro for the next hall to see."""
    at = _at(5.0)
    up = eased(at, (0.35, 0), (0.55, -0.03), (1.25, 1.0), (3.85, 1.0), (4.65, 0.0))
    early = eased(at, (0.25, 0), (1.1, 1.0), (3.7, 1.0), (4.5, 0.0))
    inside = smooth((at - 1.05) / 0.5) * smooth((4.0 - at) / 0.5)
    beat = TAU * (at - 1.2) / 0.86
    swing, late, later = (np.sin(beat - lag) * inside for lag in (0.0, 0.45, 0.9))
    hips = np.stack([-0.03 * early - 0.016 * late, 0.903 - 0.008 * early - 0.005 * swing**2, -0.012 + 0 * at], axis=-1)
    pelvis = turn(x=-1 * up, y=-3 * early - 1.5 * late, z=-3.0 * early - 1.2 * late)
    local = {
        "Spine": turn(x=-2.5 * up, y=1 * late, z=4.0 * up + 2.2 * swing),
        "Chest": turn(x=-3.5 * up, y=-4 * up + 3 * swing, z=4.5 * up + 3.0 * swing),
        "Neck": turn(x=-5 * up, y=-7 * early, z=-3.5 * up - 2 * late),
        "Head": turn(x=-7 * up, y=-8 * early - 3 * late, z=-3 * up - 2 * late),
        "RightCollar": turn(y=3 * up, z=-(20 + 3 * swing) * up),
        "LeftCollar": turn(z=-2 + 2 * up),
    }
    rest = np.array([-0.255, 0.90, 0.055])
    beside = np.array([-0.47, 1.25, 0.24])
    high = np.stack([-0.27 + 0.235 * swing, 1.83 - 0.055 * swing**2, 0.17 + 0.035 * late], axis=-1)
    share = up[:, None]
    goal = (
        rest * (1 - share) ** 2 + 2 * beside * share * (1 - share) + high * share**2 + (hips - [0, 0.903, -0.012]) * 0.8
    )
    elbow = np.tile([-0.55, -0.45, -0.75], (len(at), 1)) + share * [-0.35, 0.25, 0.35]
    wrist = turn(z=3 - 12 * up + 14 * later, y=6 + 6 * up, x=8 * late)
    breath = np.sin(TAU * at / 2.5)
    arms = {"Right": HandCurve(goal, elbow, wrist), "Left": _hanging(at, 1, breath + 5 * up - 3 * late)}
    feet = {"Left": stood(at, 0.115, 0.0, 12), "Right": stood(at, -0.115, 0.0, -12)}
    return perform(Performance("wave the lantern", hips, pelvis, feet, arms, local))
