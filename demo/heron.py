"""The heron from the weather clock: long neck, long legs with heels that look like backward knees, great grey wings.

Metres, +Y up, wings half lowered at rest; six neck bones where the roof's library has four.
"""

import numpy as np

from armuto.kinematics.skeleton import Skeleton
from demo import rigging
from demo.rigging import Garment, sided
from demo.solids import Field, blend, capsule, ellipsoid

NAME = "heron"
MATERIALS = {
    "feathers": ((0.29, 0.345, 0.4), 0.0, 0.9),
    "pinions": ((0.095, 0.11, 0.14), 0.0, 0.85),
    "white": ((0.83, 0.81, 0.75), 0.0, 0.95),
    "crest": ((0.05, 0.055, 0.07), 0.0, 0.85),
    "bill": ((0.76, 0.46, 0.1), 0.0, 0.5),
    "legs": ((0.42, 0.33, 0.2), 0.0, 0.7),
    "eyes": ((0.02, 0.018, 0.015), 0.0, 0.2),
}
MIDDLE = {
    "hips": (None, (0, 0.585, -0.06)),
    "spine": ("hips", (0, 0.605, 0.015)),
    "chest": ("spine", (0, 0.63, 0.085)),
    "neck_1": ("chest", (0, 0.675, 0.15)),
    "neck_2": ("neck_1", (0, 0.735, 0.185)),
    "neck_3": ("neck_2", (0, 0.80, 0.185)),
    "neck_4": ("neck_3", (0, 0.865, 0.165)),
    "neck_5": ("neck_4", (0, 0.93, 0.155)),
    "neck_6": ("neck_5", (0, 0.99, 0.165)),
    "head": ("neck_6", (0, 1.035, 0.19)),
    "tail_1": ("hips", (0, 0.56, -0.14)),
    "tail_2": ("tail_1", (0, 0.525, -0.235)),
}
DROOP = np.radians(24.0)


def _wing(x: float, z: float) -> tuple[float, float, float]:
    return (0.055 + x * np.cos(DROOP), 0.665 - x * np.sin(DROOP), z)


SIDED = {
    "wing_upper": ("chest", _wing(0.0, 0.05)),
    "wing_lower": ("wing_upper", _wing(0.17, -0.015)),
    "wing_hand": ("wing_lower", _wing(0.40, 0.05)),
    "wing_finger": ("wing_hand", _wing(0.58, -0.005)),
    "thigh": ("hips", (0.05, 0.55, -0.045)),
    "shin": ("thigh", (0.062, 0.475, 0.04)),
    "tarsus": ("shin", (0.062, 0.285, -0.055)),
    "toes": ("tarsus", (0.062, 0.016, -0.002)),
}
RADII = {
    "hips": 0.07, "spine": 0.075, "chest": 0.07, "neck": 0.03, "head": 0.035, "tail": 0.03, "wing_upper": 0.035, "wing_lower": 0.03,
    "wing_hand": 0.022, "wing_finger": 0.02, "thigh": 0.04, "shin": 0.02, "tarsus": 0.012, "toes": 0.012,
}  # fmt: skip
TIPS = {"head": (0, 1.02, 0.4), "tail_2": (0, 0.49, -0.34)}
for _side, _sign in (("L", 1), ("R", -1)):
    _x, _y, _z = _wing(0.82, -0.07)
    TIPS |= {f"wing_finger.{_side}": (_sign * _x, _y, _z), f"toes.{_side}": (_sign * 0.066, 0.006, 0.1)}


def called(name: str) -> str:
    kind, _, side = name.partition(".")
    return f"{kind}_{side.lower()}" if side else kind


def skeleton() -> Skeleton:
    return rigging.skeleton(rigging.mirrored(MIDDLE, SIDED))


def meshes(body: Skeleton):
    return rigging.meshes(body, garments(body), rigging.simple_reaches(body, RADII, TIPS))


def garments(body: Skeleton) -> list[Garment]:
    at = {name: body.rest.positions[joint] for name, joint in body.index.items()}
    trunk, neck = ("hips", "spine", "chest"), tuple(f"neck_{n}" for n in range(1, 7))
    wing = sided("wing_upper", "wing_lower", "wing_hand", "wing_finger")
    body_joints = (*trunk, "neck_1", "tail_1", "tail_2", *sided("thigh", "shin", "wing_upper"))
    return [
        Garment("body", _body(at), (-0.13, 0.4, -0.38), (0.13, 0.78, 0.22), "feathers", body_joints, 0.0085, 0.02),
        Garment(
            "neck",
            _neck(at),
            (-0.07, 0.58, 0.04),
            (0.07, 1.11, 0.29),
            "white",
            (*trunk[2:], *neck, "head"),
            0.0075,
            0.016,
        ),
        Garment("wings", _arms(at), (-0.9, 0.25, -0.2), (0.9, 0.74, 0.14), "feathers", ("chest", *wing), 0.0105, 0.02),
        Garment("pinions", _pinions(at), (-0.95, 0.2, -0.36), (0.95, 0.74, 0.06), "pinions", wing, 0.009, 0.02),
        Garment("crest", _crest(), (-0.04, 0.97, 0.0), (0.04, 1.1, 0.26), "crest", ("neck_6", "head"), 0.006, 0.012),
        Garment("bill", _bill(), (-0.03, 0.98, 0.2), (0.03, 1.08, 0.43), "bill", ("head",), 0.005),
        Garment(
            "legs",
            _legs(at),
            (-0.12, -0.01, -0.15),
            (0.12, 0.5, 0.13),
            "legs",
            sided("shin", "tarsus", "toes"),
            0.0055,
            0.01,
        ),
        Garment("eyes", _eyes(), (-0.05, 1.02, 0.19), (0.05, 1.07, 0.25), "eyes", ("head",), 0.0035),
    ]


def _body(at) -> Field:
    trunk = blend(
        0.05,
        ellipsoid((0, 0.6, 0.02), (0.082, 0.085, 0.13)),
        ellipsoid((0, 0.575, -0.08), (0.066, 0.062, 0.1)),
    )
    tail = blend(
        0.03, capsule(at["tail_1"], at["tail_2"], 0.036, 0.03), capsule(at["tail_2"], TIPS["tail_2"], 0.03, 0.016)
    )
    thighs = [
        blend(0.02, capsule(at[f"thigh.{s}"], at[f"shin.{s}"], 0.044, 0.03), capsule(at[f"shin.{s}"], at[f"shin.{s}"] * 0.7 + at[f"tarsus.{s}"] * 0.3, 0.03, 0.015))
        for s in "LR"
    ]  # fmt: skip
    return blend(0.03, trunk, tail, *thighs)


def _neck(at) -> Field:
    thick = (0.058, 0.044, 0.034, 0.029, 0.026, 0.025, 0.026)
    joints = [np.array([0, 0.63, 0.11]), *(at[f"neck_{n}"] for n in range(1, 7))]
    runs = [capsule(a, b, r, q) for a, b, r, q in zip(joints, joints[1:], thick, thick[1:], strict=False)]
    breast = ellipsoid((0, 0.615, 0.11), (0.05, 0.065, 0.06))
    head = blend(
        0.02, ellipsoid((0, 1.042, 0.2), (0.033, 0.033, 0.05)), capsule(at["neck_6"], at["head"], 0.026, 0.029)
    )
    return blend(0.025, breast, *runs, head)


def _feather(a, b, wide: float, thin: float) -> Field:
    """A flat blade from a to b, lying in the plane of the wing."""
    a, b = np.asarray(a, float), np.asarray(b, float)
    along = b - a
    length = float(np.linalg.norm(along))
    x = along / length
    up = np.array([np.sign(a[0]) * np.sin(DROOP), np.cos(DROOP), 0.0])
    up = up - x * (x @ up)
    up /= np.linalg.norm(up)
    frame = np.stack([x, up, np.cross(x, up)], axis=1)
    return ellipsoid((a + b) / 2, (length * 0.54, thin, wide), frame)


def _arms(at) -> Field:
    out = []
    for s, sign in (("L", 1), ("R", -1)):
        upper, lower, hand, finger = (at[f"wing_{part}.{s}"] for part in ("upper", "lower", "hand", "finger"))
        bones = blend(
            0.03,
            capsule(upper - [sign * 0.02, 0, 0], lower, 0.036, 0.028),
            capsule(lower, hand, 0.028, 0.021),
            capsule(hand, finger, 0.021, 0.016),
            capsule(finger, finger * 0.5 + np.array(TIPS[f"wing_finger.{s}"]) * 0.5, 0.016, 0.009),
        )
        coverts = [
            _feather(p + [0, 0, 0.0], p + [sign * 0.015, -0.005, -reach], 0.062, 0.0125)
            for p, reach in (
                (upper * 0.7 + lower * 0.3, 0.13), (upper * 0.25 + lower * 0.75, 0.14), (lower * 0.75 + hand * 0.25, 0.15),
                (lower * 0.35 + hand * 0.65, 0.15), (hand * 0.9 + finger * 0.1, 0.13), (hand * 0.4 + finger * 0.6, 0.1),
            )
        ]  # fmt: skip
        out.append(blend(0.03, bones, *coverts))
    return blend(0.002, *out)


def _pinions(at) -> Field:
    out = []
    for s, sign in (("L", 1), ("R", -1)):
        upper, lower, hand, finger = (at[f"wing_{part}.{s}"] for part in ("upper", "lower", "hand", "finger"))
        tip = np.array(TIPS[f"wing_finger.{s}"])
        roots = [
            (upper * 0.6 + lower * 0.4, (0.0, -0.25)), (upper * 0.1 + lower * 0.9, (0.01, -0.27)), (lower * 0.7 + hand * 0.3, (0.02, -0.28)),
            (lower * 0.4 + hand * 0.6, (0.03, -0.28)), (lower * 0.1 + hand * 0.9, (0.05, -0.27)), (hand * 0.7 + finger * 0.3, (0.08, -0.25)),
            (hand * 0.35 + finger * 0.65, (0.12, -0.225)), (finger, (0.165, -0.19)), (finger * 0.75 + tip * 0.25, (0.2, -0.13)),
        ]  # fmt: skip
        blades = []
        for root, (out_by, back) in roots:
            end = root + [sign * out_by * np.cos(DROOP), -out_by * np.sin(DROOP), back]
            blades.append(_feather(root + [0, -0.004, -0.01], end, 0.034, 0.0095))
        out.append(blend(0.012, *blades))
    return blend(0.001, *out)


def _crest() -> Field:
    stripe = capsule((0, 1.068, 0.235), (0, 1.06, 0.165), 0.014, 0.017)
    plumes = [capsule((0, 1.058, 0.165), (x, 1.03, 0.05), 0.0125, 0.004) for x in (0.008, -0.008)]
    return blend(0.012, stripe, *plumes)


def _bill() -> Field:
    return blend(0.008, capsule((0, 1.04, 0.235), (0, 1.018, 0.405), 0.0165, 0.004))


def _legs(at) -> Field:
    out = []
    for s, sign in (("L", 1), ("R", -1)):
        shin, tarsus, toes = at[f"shin.{s}"], at[f"tarsus.{s}"], at[f"toes.{s}"]
        upper = shin * 0.75 + tarsus * 0.25
        floor = toes * [1, 0, 1] + [0, 0.009, 0]
        claws = [
            capsule(toes, floor + [x * sign, 0, z], 0.0105, 0.0075)
            for x, z in ((0.0, 0.1), (0.045, 0.075), (-0.04, 0.08), (0.0, -0.055))
        ]
        out.append(blend(0.012, capsule(upper, tarsus, 0.014, 0.0125), capsule(tarsus, toes, 0.0125, 0.011), *claws))
    return blend(0.002, *out)


def _eyes() -> Field:
    return blend(0.001, *(ellipsoid((x, 1.05, 0.222), (0.006, 0.0085, 0.0085)) for x in (0.029, -0.029)))
