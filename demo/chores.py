"""The clips of the hall: what the figures do between midnight and six."""

from dataclasses import replace

import numpy as np
from scipy.spatial.transform import Rotation

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from demo.curves import eased, rotated, smooth, turn
from demo.gaits import TAU, Gait, carried, go, held_rail, times
from demo.hall import ANKLE, ArmCurve, FootCurve, HandCurve, Performance, perform, stood
from demo.handover import handover

WALK = Gait("walk")


def clips() -> list[Clip]:
    """All clips of the hall, on its body in a T."""
    return [
        *(go(gait) for gait in gaits()),
        bow(),
        wind_the_key(),
        wave_the_lantern(),
        sweep(),
        climb_the_ladder(),
        sit_down(),
        stand_up(),
        look_around(),
        handover("giver"),
        handover("receiver"),
    ]


def gaits() -> list[Gait]:
    return [
        WALK,
        Gait(
            "walk tired", cycle=1.5, stride=0.92, cycles=3.5, flat=0.16, off=0.42, swing=0.66, strike=9, push=-30, lift=0.025,
            height=0.868, bounce=0.014, sway=0.036, lean=7, bend=(7, 9), head=9, twist=4, counter=3, roll=4.5,
            arms=(80, 10, 9, 12, 4), curl=0.25,
        ),
        Gait(
            "walk proud", cycle=1.16, stride=1.36, cycles=4, strike=22, lift=0.075, height=0.874, bounce=0.024, lean=-1,
            bend=(-4, -7), head=2, twist=8, counter=8, arms=(74, 0, 30, 14, 16), curl=0.5,
        ),
        Gait(
            "creep", cycle=1.9, stride=0.86, cycles=3, flat=0.2, off=0.5, swing=0.66, strike=0, push=-34, lift=0.13,
            height=0.79, bounce=0.016, sway=0.045, lean=16, bend=(8, 4), head=-11, twist=3, counter=4, roll=3,
            arms=(58, 30, 10, 78, 8), curl=0.1,
        ),
        Gait(
            "run", cycle=0.72, stride=1.9, cycles=6, flat=0.07, off=0.17, swing=0.36, strike=6, push=-52, lift=0.2, width=0.05,
            toes_out=3, height=0.855, bounce=0.036, highest=0.49, sway=0.012, lean=9, bend=(2, 1), head=-5, twist=9, counter=11,
            roll=3, arms=(74, 6, 38, 82, 14), curl=0.7,
        ),
        Gait(
            "carry the crate", cycle=1.22, stride=1.02, cycles=4, strike=12, push=-36, lift=0.045, height=0.868, bounce=0.013,
            sway=0.034, lean=-2, bend=(-4, -3), head=4, twist=3, counter=1, hands=carried(0.235, 0.2, 0.36), curl=0.12,
            width=0.09,
        ),
        Gait(
            "push the cart", cycle=1.34, stride=1.0, cycles=3.5, flat=0.1, off=0.34, swing=0.64, strike=8, push=-46,
            height=0.835, bounce=0.012, sway=0.03, lean=17, bend=(9, 7), head=-12, twist=4, counter=1, curl=0.8,
            hands=held_rail(0.235, 0.98, 0.56),
        ),
    ]  # fmt: skip


def _hanging(at: FloatArray, sign: int, breath: FloatArray) -> ArmCurve:
    return ArmCurve(77 - 0.6 * breath, 3 + 0.5 * breath, 16 + 0.8 * breath, turn(y=-sign * 6 + 0 * at, z=-sign * 3))


def bow() -> Clip:
    """A bow to the empty hall: a breath in, the right hand to the heart, down, a hold, and up again."""
    at = times(4.2)
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
    at = times(lead + pulls * (pull + back) + 0.7)
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
    curl = {"Left": 0.25 + 0.6 * held, "Right": 0.25 + 0.6 * held}
    return perform(Performance("wind the key", hips, pelvis, feet, arms, local, curl))


def wave_the_lantern() -> Clip:
    """A lantern held high and swung to and fro for the next hall to see."""
    at = times(5.0)
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
    curl = {"Right": 0.85 + 0 * at, "Left": 0.3 + 0 * at}
    return perform(Performance("wave the lantern", hips, pelvis, feet, arms, local, curl))


def sweep() -> Clip:
    """Sweeping the floor between the cases: three strokes from right to left, and a step of the broom back each
    time."""
    period, strokes, lead = 1.15, 3, 0.6
    at = times(lead + strokes * period + 0.8)
    keys = [(0.2, 0.0), (lead, -1.0)]
    lifted = [(lead - 0.05, 0.0)]
    for k in range(strokes):
        start = lead + k * period
        keys += [(start + 0.62, 1.0), (start + period, -1.0 if k < strokes - 1 else 0.2)]
        lifted += [(start + 0.66, 0.0), (start + 0.88, 1.0), (start + period - 0.04, 0.0)]
    stroke, high = eased(at, *keys), eased(at, *lifted)
    late, later = (np.interp(at - lag, at, stroke) for lag in (0.07, 0.13))
    hips = np.stack([0.035 * stroke, 0.866 - 0.012 * np.abs(stroke), 0.02 + 0.012 * late], axis=-1)
    pelvis = turn(x=11, y=9 * stroke, z=-2.5 * stroke)
    local = {
        "Spine": turn(x=9, y=7 * late, z=2 * stroke),
        "Chest": turn(x=8, y=9 * later, z=2 * stroke),
        "Neck": turn(x=6, y=-6 * late),
        "Head": turn(x=10, y=-8 * late),
        "LeftCollar": turn(y=-8, z=-4 + 0 * at),
        "RightCollar": turn(y=8, z=4 + 0 * at),
    }
    # The stick leans from the upper (right) hand to the lower (left) hand and on to the broom at the floor.
    lower = np.stack([0.10 + 0.17 * late, 0.845 + 0.05 * high, 0.44 - 0.03 * stroke**2], axis=-1)
    upper = np.stack([-0.13 + 0.07 * stroke, 1.165 + 0.02 * high, 0.235 + 0 * at], axis=-1)
    along = lower - upper
    grip = _gripping(along)
    arms = {
        "Left": HandCurve(lower, np.tile([0.75, -0.55, -0.3], (len(at), 1)), world=grip["Left"]),
        "Right": HandCurve(upper, np.tile([-0.85, -0.3, -0.35], (len(at), 1)), world=grip["Right"]),
    }
    feet = {"Left": stood(at, 0.15, 0.13, 16), "Right": stood(at, -0.14, -0.12, -26)}
    return perform(Performance("sweep", hips, pelvis, feet, arms, local, {"Left": 0.9, "Right": 0.9}))


def _gripping(stick: FloatArray) -> dict[str, FloatArray]:
    """World turns of both hands around a stick: thumbs towards its upper end, palms towards the middle of the body."""
    up = -stick / np.linalg.norm(stick, axis=-1, keepdims=True)
    out = {}
    for side, sign in (("Left", 1), ("Right", -1)):
        palm = np.tile([-sign * 0.9, 0.0, 0.25], (len(up), 1))
        palm -= up * np.sum(palm * up, axis=-1, keepdims=True)
        palm /= np.linalg.norm(palm, axis=-1, keepdims=True)
        # At rest the thumb points along +Z and the palm down.
        frame = np.stack([np.cross(-palm, up), -palm, up], axis=-1)
        out[side] = Rotation.from_matrix(frame).as_quat()
    return out


def climb_the_ladder() -> Clip:
    """Up the ladder to the dial: a hand and the other foot at a time, each rung under the ball of a foot."""
    rung, cycles = 0.27, 2.5
    at = times(7.2)
    up = cycles * smooth_ramp(at, 0.5, 6.6)

    def climbed(ahead: float, quick: float) -> tuple[FloatArray, FloatArray]:
        """Height climbed in steps of two rungs, and how far each step is under way, 0 to 1."""
        number, share = np.floor(up + ahead), (up + ahead) % 1.0
        step = smooth((share - (1 - quick)) / quick)
        return 2 * rung * (number + step - ahead), np.sin(np.pi * step)

    (left, moving_left), (right, moving_right) = climbed(0.0, 0.46), climbed(0.5, 0.46)
    (hand_right, reach_right), (hand_left, reach_left) = climbed(0.12, 0.4), climbed(0.62, 0.4)
    swing = np.sin(TAU * up)
    hips = np.stack(
        [0.028 * swing, 0.93 + 2 * rung * (up - 0.23), -0.035 - 0.012 * (moving_left + moving_right)], axis=-1
    )
    pelvis = turn(x=7, y=-5 * swing, z=5 * swing)
    local = {
        "Spine": turn(x=4, y=4 * swing, z=-5 * swing),
        "Chest": turn(x=2, y=4 * swing, z=-4 * swing),
        "Neck": turn(x=-9 + 0 * at),
        "Head": turn(x=-13, y=3 * swing),
        "LeftCollar": turn(z=9 + 6 * reach_left),
        "RightCollar": turn(z=-9 - 6 * reach_right),
    }
    arms: dict[str, HandCurve | ArmCurve] = {}
    for side, sign, height, reach in (("Left", 1, hand_left, reach_left), ("Right", -1, hand_right, reach_right)):
        goal = np.stack([np.full_like(at, sign * 0.17), 1.77 + height, 0.285 - 0.06 * reach], axis=-1)
        elbow = np.tile([sign * 0.7, -0.8, -0.25], (len(at), 1))
        facing = rotation.multiply(turn(y=sign * -86 + 0 * at), turn(z=sign * 62 + 0 * at))
        arms[side] = HandCurve(goal, elbow, world=facing)
    feet = {}
    for side, sign, height, moving in (("Left", 1, left, moving_left), ("Right", -1, right, moving_right)):
        pitch = 9 - 26 * moving
        ankle = np.stack([np.full_like(at, sign * 0.1), ANKLE + 0.4 + height, 0.125 - 0.1 * moving], axis=-1)
        feet[side] = FootCurve(ankle, pitch, np.full_like(at, sign * 9.0), 0 * at)
    curl = {"Left": 0.85 - 0.5 * reach_left, "Right": 0.85 - 0.5 * reach_right}
    return perform(Performance("climb the ladder", hips, pelvis, feet, arms, local, curl))


def smooth_ramp(at: FloatArray, start: float, stop: float) -> FloatArray:
    """0 to 1 between two times, at a steady pace with a soft start and a soft stop."""
    t = np.clip((at - start) / (stop - start), 0, 1)
    soft = 0.22
    total = 1 - soft
    begin, end = t**2 / (2 * soft), 1 - (1 - t) ** 2 / (2 * soft * total)
    return np.where(t < soft, begin / total, np.where(t > 1 - soft, end, (t - soft / 2) / total))


def _seat(at: FloatArray, down: FloatArray, lean: FloatArray, name: str) -> Clip:
    """Between standing and sitting on a bench 45 cm high. down: 0 standing to 1 sitting; lean: trunk forwards,
    degrees."""
    breath = np.sin(TAU * at / 2.9)
    hips = np.stack([0 * at, 0.905 - 0.375 * down + 0.002 * breath, -0.01 - 0.325 * down], axis=-1)
    pelvis = turn(x=0.62 * lean - 9 * down)
    local = {
        "Spine": turn(x=0.3 * lean + 5 * down + 0.4 * breath),
        "Chest": turn(x=0.16 * lean + 3 * down + 0.6 * breath),
        "Neck": turn(x=-0.28 * lean - 2 + 2 * down),
        "Head": turn(x=-0.32 * lean + 3 * down),
    }
    rest, knee = np.array([0.255, 0.88, 0.04]), np.array([0.15, 0.605, 0.055])
    share = smooth(down)[:, None]
    arms: dict[str, HandCurve | ArmCurve] = {}
    for side, sign in (("Left", 1), ("Right", -1)):
        path = rest * (1 - share) + knee * share + np.sin(np.pi * share) * [0.02, -0.02, 0.1]
        goal = path * [sign, 1, 1] + [0, 0, 0] + np.stack([0 * at, 0.002 * breath, 0.0016 * lean * (1 - down)], axis=-1)
        elbow = np.tile([sign * 0.8, -0.4, -0.75], (len(at), 1))
        ahead = rotation.multiply(turn(y=sign * (-12 - 66 * smooth(down))), turn(z=-sign * (74 - 60 * smooth(down))))
        arms[side] = HandCurve(goal, elbow, world=ahead)
    feet = {"Left": stood(at, 0.115, 0.02, 11), "Right": stood(at, -0.115, -0.01, -13)}
    return perform(Performance(name, hips, pelvis, feet, arms, local, {"Left": 0.2, "Right": 0.2}))


def sit_down() -> Clip:
    """Sitting down on a bench at the end of a round: the trunk leans out, the hips go back, the weight settles."""
    at = times(3.6)
    down = eased(at, (0.5, 0), (1.0, 0.16), (1.75, 0.97), (2.0, 1.0))
    lean = eased(at, (0.35, 0), (1.15, 46), (1.9, 30), (2.7, -4), (3.2, 0))
    return _seat(at, down, lean, "sit down")


def stand_up() -> Clip:
    """Up from the bench: feet under, the trunk well forward, then hips and trunk together."""
    at = times(3.4)
    down = eased(at, (0.95, 1.0), (1.2, 0.97), (2.15, 0.06), (2.5, 0.0))
    lean = eased(at, (0.35, 0), (1.15, 50), (1.45, 47), (2.45, -2), (2.9, 0))
    return _seat(at, down, lean, "stand up")


def look_around() -> Clip:
    """Listening in the dark hall: the eyes lead, then the head, the shoulders, and the weight follows."""
    at = times(5.6)
    keys = ((0.4, 0), (1.1, 62), (1.9, 58), (2.9, -60), (3.8, -64), (4.9, 0))
    eyes = eased(at, *keys)
    late, later, last = (np.interp(at - lag, at, eyes) for lag in (0.09, 0.2, 0.32))
    breath = np.sin(TAU * at / 2.6)
    up = eased(at, (0.4, 0), (1.2, 1), (2.0, 0.3), (3.0, 1), (3.9, 0.6), (4.9, 0))
    hips = np.stack([0.0006 * last, 0.902 - 0.012 * up + 0.002 * breath, -0.01 - 0.006 * up], axis=-1)
    pelvis = turn(y=0.16 * last, z=0.03 * last)
    local = {
        "Spine": turn(x=3 * up + 0.4 * breath, y=0.12 * last, z=-0.02 * last),
        "Chest": turn(x=3 * up + 0.7 * breath, y=0.16 * later, z=-0.03 * later),
        "Neck": turn(x=4 * up, y=0.25 * late),
        "Head": turn(x=-5 * up, y=0.44 * eyes, z=-0.06 * late),
        "LeftCollar": turn(z=3 * up),
        "RightCollar": turn(z=-3 * up),
    }
    arms: dict[str, HandCurve | ArmCurve] = {}
    for side, sign in (("Left", 1), ("Right", -1)):
        hang = _hanging(at, sign, breath)
        arms[side] = replace(
            hang, lowered=hang.lowered - 5 * up, swung=hang.swung + sign * 0.1 * last, bent=hang.bent + 12 * up
        )
    feet = {"Left": stood(at, 0.11, 0.02, 14), "Right": stood(at, -0.11, -0.02, -14)}
    return perform(Performance("look around", hips, pelvis, feet, arms, local, {"Left": 0.15, "Right": 0.2}))
