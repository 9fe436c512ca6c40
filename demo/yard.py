"""The yard's library: four-legged motions in BVH, in inches, with Z up, as an older system writes them."""

import numpy as np

from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from demo import beasts
from demo.beasts import Pose, Step, standing, striding
from demo.curves import eased, smooth, turn
from demo.gaits import TAU, times

ROWS = [
    ("Hips", None, (0, 0.50, -0.30)),
    ("Spine1", "Hips", (0, 0.52, -0.14)),
    ("Spine2", "Spine1", (0, 0.53, 0.02)),
    ("Chest", "Spine2", (0, 0.515, 0.16)),
    ("Neck1", "Chest", (0, 0.555, 0.26)),
    ("Neck2", "Neck1", (0, 0.63, 0.335)),
    ("Head", "Neck2", (0, 0.70, 0.40)),
    ("Tail1", "Hips", (0, 0.495, -0.37)),
    ("Tail2", "Tail1", (0, 0.465, -0.47)),
    ("Tail3", "Tail2", (0, 0.42, -0.56)),
    ("Tail4", "Tail3", (0, 0.375, -0.64)),
    (".Ear", "Head", (0.045, 0.765, 0.40)),
    (".FrontShoulder", "Chest", (0.05, 0.53, 0.17)),
    (".FrontUpperLeg", ".FrontShoulder", (0.08, 0.405, 0.265)),
    (".FrontLowerLeg", ".FrontUpperLeg", (0.085, 0.305, 0.155)),
    (".FrontFoot", ".FrontLowerLeg", (0.085, 0.125, 0.175)),
    (".FrontToes", ".FrontFoot", (0.085, 0.03, 0.20)),
    (".HindUpperLeg", "Hips", (0.065, 0.475, -0.30)),
    (".HindLowerLeg", ".HindUpperLeg", (0.08, 0.315, -0.215)),
    (".HindFoot", ".HindLowerLeg", (0.08, 0.165, -0.365)),
    (".HindToes", ".HindFoot", (0.08, 0.03, -0.325)),
]
ENDS = {
    "Head": (0, 0.675, 0.57), "Tail4": (0, 0.34, -0.71), ".Ear": (0.07, 0.84, 0.385),
    ".FrontToes": (0.085, 0.0, 0.26), ".HindToes": (0.08, 0.0, -0.265),
}  # fmt: skip
TREE = beasts.body(ROWS, ENDS)
HOME = {name: TREE.rest.positions[TREE.index[name]] for name in TREE.names}
LEGS = [f"{side}{leg}" for leg in ("Front", "Hind") for side in ("Left", "Right")]
BENDS = {f"{leg}UpperLeg": -1 if "Front" in leg else 1 for leg in LEGS}  # elbows back, knees ahead


def clips() -> list[Clip]:
    return [pad(), trot(), gallop(), sniff(), shake(), sit()]


def _perform(pose: Pose) -> Clip:
    return beasts.perform(TREE, pose, BENDS)


def _tail(at: FloatArray, sway: FloatArray | float, raised: FloatArray | float, wave: float = 0.6) -> dict:
    """A tail that follows in a wave: sideways by ``sway (degrees at the first bone)``, raised by ``raised``."""
    sway = np.zeros_like(at) + sway
    out = {}
    for n in range(4):
        late = np.interp(at - n * wave * 0.13, at, sway)
        out[f"Tail{n + 1}"] = turn(x=(np.zeros_like(at) + raised) * (1.0 if n == 0 else 0.55), y=late)
    return out


def _gait(
    name: str, cycle: float, stride: float, cycles: float, phases: dict[str, float], duty: float, lift: float,
    low: float, bounce: float, beats: int, pitch: float, bend: float, nod: float, sway: float,
) -> Clip:  # fmt: skip
    """phases: when each leg lands. beats: how often the trunk rises per cycle. pitch and bend: of the trunk, in
    degrees."""
    at = times(cycle * cycles)
    phi = at / cycle
    legs = {}
    for leg in LEGS:
        front = "Front" in leg
        tip = (-10.0, 40.0, 50.0) if front else (-10.0, 36.0, 48.0)
        home = HOME[f"{leg}Toes"] + [0, 0, 0.055 if front else 0.02]
        legs[f"{leg}UpperLeg"] = striding(at, home, cycle, stride, -phases[leg] % 1.0, duty, lift, tip)
    rise = np.cos(beats * TAU * (phi - 0.5 * duty - 0.25 / beats * 2))
    hips = np.stack(
        [0.006 * sway * np.sin(TAU * phi), HOME["Hips"][1] - low + bounce * rise, HOME["Hips"][2] + stride * phi], -1
    )
    rock, arch = pitch * np.sin(TAU * (phi - 0.12)), bend * np.sin(TAU * (phi + 0.02))
    side = sway * np.sin(TAU * phi)
    local = {
        "Spine1": turn(x=arch, y=-0.4 * side),
        "Spine2": turn(x=arch, y=-0.5 * side),
        "Chest": turn(x=-0.7 * rock - 0.9 * arch, y=-0.4 * side),
        "Neck1": turn(x=nod * np.sin(beats * TAU * (phi - 0.08)) - 0.4 * arch, y=0.25 * side),
        "Neck2": turn(x=0.5 * nod * np.sin(beats * TAU * (phi - 0.14)), y=0.25 * side),
        "Head": turn(x=-1.2 * nod * np.sin(beats * TAU * (phi - 0.12)), y=0.2 * side),
        **_tail(at, 1.6 * side, 4 + 6 * np.sin(beats * TAU * (phi - 0.2))),
    }
    for leg in LEGS[:2]:
        swing = np.sin(TAU * (phi - phases[leg] - duty / 2 + 0.5))
        local[f"{leg}Shoulder"] = turn(x=-11 * min(1.0, stride) * -swing)
    ears = turn(x=-6 + 5 * np.cos(beats * TAU * (phi - 0.3)))
    local |= {"LeftEar": ears, "RightEar": ears}
    return _perform(Pose(name, hips, turn(x=rock, y=side, z=0.5 * side), legs, local))


def pad() -> Clip:
    phases = {"LeftHind": 0.0, "LeftFront": 0.25, "RightHind": 0.5, "RightFront": 0.75}
    return _gait("pad", 1.0, 0.62, 3.5, phases, 0.62, 0.055, 0.012, 0.006, 2, 1.2, 1.0, 3.0, 4.0)


def trot() -> Clip:
    phases = {"LeftHind": 0.0, "RightFront": 0.0, "RightHind": 0.5, "LeftFront": 0.5}
    return _gait("trot", 0.58, 0.92, 6, phases, 0.44, 0.07, 0.012, 0.014, 2, 0.8, 0.8, 2.0, 2.5)


def gallop() -> Clip:
    phases = {"LeftHind": 0.0, "RightHind": 0.1, "LeftFront": 0.44, "RightFront": 0.56}
    return _gait("gallop", 0.48, 1.62, 7, phases, 0.27, 0.075, 0.0, 0.022, 1, 3.5, 4.5, 5.0, 1.5)


def _stood(at: FloatArray) -> dict[str, Step]:
    return {f"{leg}UpperLeg": standing(at, HOME[f"{leg}Toes"]) for leg in LEGS}


def sniff() -> Clip:
    """Nose to the floor, along the foot of the great clock and back, quick little breaths, then a listening look up."""
    at = times(5.4)
    down = eased(at, (0.4, 0), (1.2, 1.0), (3.9, 1.0), (4.6, -0.12), (5.1, 0))
    over = eased(at, (1.2, -1), (2.3, 0.9), (3.6, -0.8), (4.4, 0.2)) * np.clip(down, 0, 1)
    late = np.interp(at - 0.12, at, over)
    breath = np.sin(TAU * at / 0.27) * smooth((at - 1.1) / 0.3) * smooth((3.9 - at) / 0.3)
    hips = np.tile(HOME["Hips"], (len(at), 1)) + np.stack([0.012 * late, -0.012 * down, 0.02 * down], axis=-1)
    local = {
        "Spine1": turn(x=3 * down),
        "Spine2": turn(x=4 * down, y=2 * late),
        "Chest": turn(x=9 * down, y=5 * late),
        "Neck1": turn(x=34 * down, y=11 * late),
        "Neck2": turn(x=22 * down + 1.0 * breath, y=9 * over),
        "Head": turn(x=-16 * down + 2.2 * breath, y=5 * over, z=-6 * late),
        **_tail(at, 5 * np.sin(TAU * at / 1.1), 9 * down + 3),
    }
    for side, sign in (("Left", 1), ("Right", -1)):
        local[f"{side}Ear"] = turn(x=-10 * np.clip(down, 0, 1) + 16 * np.clip(-8 * down, 0, 1), y=sign * 6 * over)
        local[f"{side}FrontShoulder"] = turn(x=-7 * down)
    return _perform(Pose("sniff", hips, turn(x=5 * down), _stood(at), local))


def shake() -> Clip:
    """Shaking off the dust: it starts at the head, runs down the back and leaves by the tail."""
    at = times(3.4)

    def wave(lag: float, size: float) -> FloatArray:
        t = at - lag
        return size * smooth((t - 0.6) / 0.35) * smooth((2.1 - t) / 0.7) * np.sin(TAU * 4.4 * (t - 0.6))

    brace = smooth((at - 0.3) / 0.4) * smooth((3.0 - at) / 0.6)
    hips = np.tile(HOME["Hips"], (len(at), 1)) + np.stack([0 * at, -0.03 * brace, 0 * at], axis=-1)
    local = {
        "Spine1": turn(z=wave(0.30, -9)),
        "Spine2": turn(z=wave(0.24, -10)),
        "Chest": turn(z=wave(0.18, -10), x=3 * brace),
        "Neck1": turn(z=wave(0.1, 16), x=8 * brace),
        "Neck2": turn(z=wave(0.05, 18), x=6 * brace),
        "Head": turn(z=wave(0.0, 24), x=-6 * brace),
        "Tail1": turn(z=wave(0.42, 14), x=12 * brace),
        "Tail2": turn(y=wave(0.5, 20), x=4 * brace),
        "Tail3": turn(y=wave(0.57, 22)),
        "Tail4": turn(y=wave(0.64, 22)),
    }
    for side in ("Left", "Right"):
        local[f"{side}Ear"] = turn(z=wave(-0.04, 30))
    return _perform(Pose("shake", hips, turn(z=wave(0.36, 10)), _stood(at), local))


def sit() -> Clip:
    """Sitting down to wait for the night to end: the hind legs fold, the back rises, the tail comes round the feet."""
    at = times(3.6)
    down = eased(at, (0.5, 0), (1.7, 1.02), (2.0, 1.0))
    late = eased(at, (0.8, 0), (2.3, 1.0))
    hips = np.tile(HOME["Hips"], (len(at), 1)) + np.stack([0 * at, -0.315 * down, 0.085 * down], axis=-1)
    pelvis = turn(x=-38 * down)
    local = {
        "Spine1": turn(x=-4 * down),
        "Spine2": turn(x=4 * down),
        "Chest": turn(x=17 * down),
        "Neck1": turn(x=4 * down),
        "Neck2": turn(x=8 * late),
        "Head": turn(x=12 * late, y=6 * np.sin(TAU * at / 3.1) * late),
        "Tail1": turn(x=44 * down, y=20 * late),
        "Tail2": turn(x=8 * down, y=34 * late),
        "Tail3": turn(x=12 * down, y=38 * late),
        "Tail4": turn(x=6 * down, y=36 * late),
        "LeftFrontShoulder": turn(x=-8 * down),
        "RightFrontShoulder": turn(x=-8 * down),
    }
    legs = _stood(at)
    for side, sign in (("Left", 1), ("Right", -1)):
        there = np.clip(down, 0, 1)
        toes = np.tile(HOME[f"{side}HindToes"], (len(at), 1)) + np.stack(
            [sign * 0.03 * there, 0 * at, 0.2 * there], axis=-1
        )
        toes[:, 1] += 0.03 * np.sin(np.pi * there) ** 2
        legs[f"{side}HindUpperLeg"] = Step(toes, -58 * down, 0 * at)
        front = np.tile(HOME[f"{side}FrontToes"], (len(at), 1))
        legs[f"{side}FrontUpperLeg"] = Step(front, 6 * down, 0 * at)
    return _perform(Pose("sit", hips, pelvis, legs, local))
