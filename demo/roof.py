"""The roof's library: what the birds of the weather clock do. One .glb with five motions, metres, wings spread at
rest."""

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from demo import beasts
from demo.beasts import Pose, Step, standing
from demo.curves import eased, smooth, turn
from demo.gaits import TAU, times

ROWS = [
    ("Hips", None, (0, 0.60, -0.07)),
    ("Spine", "Hips", (0, 0.635, 0.01)),
    ("Chest", "Spine", (0, 0.665, 0.09)),
    ("Neck1", "Chest", (0, 0.72, 0.165)),
    ("Neck2", "Neck1", (0, 0.80, 0.195)),
    ("Neck3", "Neck2", (0, 0.88, 0.185)),
    ("Neck4", "Neck3", (0, 0.955, 0.18)),
    ("Head", "Neck4", (0, 1.02, 0.205)),
    ("Tail1", "Hips", (0, 0.575, -0.16)),
    ("Tail2", "Tail1", (0, 0.55, -0.26)),
    (".WingUpper", "Chest", (0.06, 0.705, 0.06)),
    (".WingLower", ".WingUpper", (0.25, 0.715, 0.0)),
    (".WingHand", ".WingLower", (0.50, 0.72, 0.075)),
    (".WingTip", ".WingHand", (0.70, 0.715, 0.015)),
    (".UpperLeg", "Hips", (0.055, 0.565, -0.05)),
    (".LowerLeg", ".UpperLeg", (0.07, 0.485, 0.045)),
    (".Foot", ".LowerLeg", (0.07, 0.275, -0.065)),
    (".Toes", ".Foot", (0.07, 0.022, -0.005)),
]
ENDS = {
    "Head": (0, 1.0, 0.40), "Tail2": (0, 0.52, -0.37), ".WingTip": (0.95, 0.705, -0.07), ".Toes": (0.075, 0.0, 0.11),
}  # fmt: skip
TREE = beasts.body(ROWS, ENDS)
HOME = {name: TREE.rest.positions[TREE.index[name]] for name in TREE.names}
BENDS = {"LeftUpperLeg": 1, "RightUpperLeg": 1}
SIDES = (("Left", 1), ("Right", -1))


def clips() -> list[Clip]:
    return [flap(), glide(), land(), hop(), preen()]


def _perform(pose: Pose) -> Clip:
    return beasts.perform(TREE, pose, BENDS)


def _wings(at: FloatArray, fold, up, twist=0.0, spread=0.0) -> dict[str, FloatArray]:
    """fold: 0 spread to 1 laid against the body. up: degrees of the upper wing; the outer wing follows later and
    further."""
    fold, up, twist, spread = (np.zeros_like(at) + v for v in (fold, up, twist, spread))
    late, later = (np.interp(at - lag, at, up) for lag in (0.045, 0.085))
    f = smooth(fold)
    out = {}
    for side, sign in SIDES:
        # The upper wing folds back and down, the lower wing ahead along it, the hand back again.
        upper = rotation.multiply(turn(z=sign * (up * (1 - f) - 38 * f)), turn(y=sign * (74 * f - spread), x=-twist))
        out[f"{side}WingUpper"] = upper
        out[f"{side}WingLower"] = rotation.multiply(
            turn(y=-sign * (132 * f - 0.3 * spread)), turn(z=sign * 0.35 * (late - up) * (1 - f))
        )
        out[f"{side}WingHand"] = rotation.multiply(
            turn(y=sign * 128 * f), turn(z=sign * 0.9 * (later - late) * (1 - f))
        )
        out[f"{side}WingTip"] = turn(y=sign * 12 * f, z=sign * 0.7 * (later - late) * (1 - f))
    return out


def _neck(at: FloatArray, *bends, head=0.0, yaw=0.0) -> dict[str, FloatArray]:
    """Forward bends of the four neck bones and of the head in degrees; yaw is shared among them."""
    out = {
        f"Neck{n}": turn(x=np.zeros_like(at) + bend, y=np.zeros_like(at) + 0.2 * yaw) for n, bend in enumerate(bends, 1)
    }
    return out | {"Head": turn(x=np.zeros_like(at) + head, y=np.zeros_like(at) + 0.2 * yaw)}


def _trailing(at: FloatArray, hips: FloatArray, swing: FloatArray | float = 0.0) -> dict[str, Step]:
    """Legs laid back along the tail in flight; swing 1 hangs them below the body."""
    share = smooth(np.zeros_like(at) + swing)
    legs = {}
    for side, sign in SIDES:
        back = np.array([sign * 0.055, -0.13, -0.6])
        below = np.array([sign * 0.075, -0.53, 0.13])
        place = back * (1 - share[:, None]) + below * share[:, None] + np.sin(np.pi * share)[:, None] * [0, -0.03, 0]
        legs[f"{side}UpperLeg"] = Step(hips + place, 74 - 78 * share, 70 * (1 - share) - 20 * share)
    return legs


def flap() -> Clip:
    """Slow, deep wing beats across the roofs, the neck drawn in, the legs trailing."""
    beat, beats = 0.5, 6
    at = times(beat * beats)
    phi = at / beat
    up = 6 + 34 * np.cos(TAU * phi)
    # The wing draws in a little on its way up.
    fold = 0.26 * np.clip(np.sin(TAU * (phi + 0.02)) * -1, 0, 1) ** 1.5
    hips = np.stack([0 * at, 1.62 - 0.05 * np.cos(TAU * (phi - 0.16)), 3.2 * at + 0.02 * np.sin(TAU * phi)], axis=-1)
    nod = np.cos(TAU * (phi - 0.2))
    local = _wings(at, fold, up, twist=-9 * np.sin(TAU * phi), spread=6) | _neck(
        at, -32, -46, 18 + nod, 64 + nod, head=30 - 2 * nod
    )
    local |= {"Tail1": turn(x=4 * nod), "Tail2": turn(x=3 * nod), "Chest": turn(x=1.5 * nod)}
    return _perform(Pose("flap", hips, turn(x=14 - 2.0 * nod), _trailing(at, hips), local))


def glide() -> Clip:
    """Wings held out, feeling the air; a long line down, a little to the left and back."""
    at = times(3.2)
    feel = np.sin(TAU * at / 1.3)
    bank = eased(at, (0.3, 0), (1.2, 1), (1.9, 0.2), (2.7, -0.5), (3.1, 0))
    hips = np.stack([0.22 * smooth(at / 3.2) * bank, 1.75 - 0.22 * at, 3.0 * at], axis=-1)
    local = _wings(at, 0.03 + 0.03 * feel, 9 + 2.5 * feel, twist=2 * feel, spread=4) | _neck(
        at, -32, -46, 18, 64, head=30, yaw=9 * bank
    )
    local |= {"Tail1": turn(x=-3 + feel, z=-8 * bank), "Tail2": turn(x=-2, z=-5 * bank)}
    return _perform(Pose("glide", hips, turn(x=12 + feel, y=4 * bank, z=-13 * bank), _trailing(at, hips), local))


def land() -> Clip:
    """Down to the parapet: the wings catch the air, the legs come forward, the knees take the weight, the wings
    fold."""
    at = times(4.2)
    down = eased(at, (0.0, 0.0), (1.9, 1.0))
    flare = eased(at, (0.5, 0), (1.5, 1.0), (1.95, 0.8), (2.5, 0.0))
    legs_down = eased(at, (0.6, 0), (1.5, 1.0))
    touch = 1.9
    sink = eased(at, (touch - 0.12, 0), (touch + 0.22, 1.0), (touch + 0.8, -0.08), (touch + 1.2, 0.0))
    place = np.array([0.0, HOME["Hips"][1], 3.1])
    far = np.array([0.0, 1.5, 0.0])
    pace = eased(at, (-0.4, -0.28), (0.9, 0.55), (1.9, 1.0))
    hips = np.stack(
        [0 * at, far[1] + (place[1] + 0.02 - far[1]) * down - 0.1 * sink, far[2] + (place[2] - far[2]) * pace], axis=-1
    )
    beat = np.cos(TAU * (at - 1.1) / 0.42) * smooth((at - 0.9) / 0.25) * smooth((2.15 - at) / 0.3)
    fold = eased(at, (2.15, 0.04), (3.05, 1.0))
    local = _wings(at, fold, 8 + 24 * flare + 26 * beat, twist=24 * flare, spread=10 * flare)
    out = eased(at, (1.0, 0), (2.0, 1.0))
    local |= _neck(at, -32 + 30 * out, -46 + 46 * out, 18 - 16 * out, 64 - 62 * out, head=30 - 26 * out + 6 * sink)
    local |= {"Tail1": turn(x=-26 * flare + 6 * sink), "Tail2": turn(x=-16 * flare)}
    pelvis = turn(x=12 - 12 * out - 34 * flare + 9 * sink)
    flying = _trailing(at, hips, legs_down)
    stood = smooth((at - touch + 0.22) / 0.22)[:, None]
    legs = {}
    for side, _ in SIDES:
        key, ground = f"{side}UpperLeg", standing(at, HOME[f"{side}Toes"] - [0, 0, HOME["Hips"][2]] + [0, 0, place[2]])
        air, s = flying[key], stood[:, 0]
        legs[key] = Step(air.toes * (1 - stood) + ground.toes * stood, air.foot * (1 - s), air.curl * (1 - s))
    return _perform(Pose("land", hips, pelvis, legs, local))


def hop() -> Clip:
    """Three hops along the parapet on both feet, wings folded, the neck working against the jolt."""
    period, hops, length = 0.62, 3, 0.34
    at = times(0.6 + hops * period + 0.7)
    t = (at - 0.6) / period
    number = np.clip(np.floor(t), 0, hops - 1)
    s = np.clip(t - number, 0, 1)
    on = (t >= 0) & (t < hops)
    fly = np.clip((s - 0.34) / 0.4, 0, 1) * on
    gone = np.where(t >= hops, hops, np.where(on, number + smooth(fly), 0))
    jump = np.where(on, np.sin(np.pi * fly), 0.0)
    crouch = np.where(
        on,
        np.sin(np.pi * np.clip(s / 0.34, 0, 1)) ** 2 + 0.8 * np.sin(np.pi * np.clip((s - 0.74) / 0.26, 0, 1)) ** 2,
        0.0,
    )
    ahead = length * np.interp(at + 0.03, at, gone)
    hips = np.stack([0 * at, HOME["Hips"][1] - 0.085 * crouch + 0.075 * jump, HOME["Hips"][2] + ahead], axis=-1)
    late = np.interp(at - 0.07, at, crouch)
    local = _wings(at, 1.0 - 0.16 * jump, 0.0) | _neck(
        at, 14 * late, -12 * late, -8 * late, 6 * late, head=-6 * late + 4 * jump
    )
    local |= {"Tail1": turn(x=-10 * jump + 8 * late), "Tail2": turn(x=-6 * jump)}
    legs = {}
    for side, _ in SIDES:
        toes = HOME[f"{side}Toes"] + np.stack([0 * at, 0.07 * jump, length * gone], axis=-1)
        lean = 16 * np.where(on, smooth((s - 0.2) / 0.14) * (1 - smooth((s - 0.45) / 0.2)), 0.0) - 12 * crouch
        legs[f"{side}UpperLeg"] = Step(toes, lean, 34 * jump)
    return _perform(Pose("hop", hips, turn(x=7 * crouch - 4 * jump), legs, local))


def preen() -> Clip:
    """The bill through the feathers under the left wing, stroke by stroke, then a shake of the neck."""
    at = times(6.0)
    turned = eased(at, (0.5, 0), (1.5, 1.0), (4.2, 1.0), (5.1, 0.0))
    stroke = np.sin(TAU * (at - 1.5) / 0.58) * smooth((at - 1.5) / 0.3) * smooth((4.2 - at) / 0.3)
    shake = np.sin(TAU * 5 * at) * smooth((at - 5.0) / 0.2) * smooth((5.7 - at) / 0.3)
    hips = np.tile(HOME["Hips"], (len(at), 1)) + np.stack([-0.012 * turned, -0.01 * turned, 0 * at], axis=-1)
    local = _wings(at, 1.0 - 0.0 * at, 0.0)
    lifted = rotation.multiply(turn(z=16 * turned), local["LeftWingUpper"])
    local["LeftWingUpper"] = lifted
    local |= {
        "Neck1": turn(x=-10 * turned, y=20 * turned),
        "Neck2": turn(x=6 * turned, y=34 * turned, z=0 * at),
        "Neck3": turn(x=34 * turned + 2 * stroke, y=38 * turned),
        "Neck4": turn(x=52 * turned + 4 * stroke, y=22 * turned, z=14 * shake),
        "Head": turn(x=48 * turned + 7 * stroke, y=10 * turned + 4 * stroke, z=22 * shake),
        "Chest": turn(y=5 * turned, z=-4 * turned),
        "Tail1": turn(y=6 * shake),
    }
    legs = {f"{side}UpperLeg": standing(at, HOME[f"{side}Toes"]) for side, _ in SIDES}
    return _perform(Pose("preen", hips, turn(z=2 * turned), legs, local))
