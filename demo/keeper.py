"""The keeper: a tall, thin figure from the tower clock, in a long coat and a nightcap, with a beard and spectacles.

Metres, +Y up, resting in a T; two spine bones; joints named by the joints of the body, with a namespace before them.
"""

import numpy as np

from armuto.kinematics.skeleton import Skeleton
from demo import rigging
from demo.rigging import Garment, Limbs, sided
from demo.solids import Field, blend, capsule, cut, ellipsoid, ring

NAME = "keeper"
MATERIALS = {
    "coat": ((0.075, 0.135, 0.105), 0.0, 0.85),
    "waistcoat": ((0.42, 0.12, 0.09), 0.0, 0.85),
    "trousers": ((0.16, 0.145, 0.125), 0.0, 0.9),
    "shoes": ((0.04, 0.035, 0.035), 0.0, 0.5),
    "face": ((0.7, 0.5, 0.39), 0.0, 0.7),
    "beard": ((0.78, 0.77, 0.73), 0.0, 0.95),
    "linen": ((0.82, 0.78, 0.68), 0.0, 0.9),
    "brass": ((0.72, 0.46, 0.12), 0.85, 0.35),
    "eyes": ((0.03, 0.025, 0.02), 0.0, 0.25),
}
MIDDLE = {
    "pelvis": (0, 1.06, 0.0),
    "spine_lower": (0, 1.17, -0.005),
    "spine_upper": (0, 1.35, -0.012),
    "neck": (0, 1.60, -0.008),
    "skull": (0, 1.69, 0.008),
}
LIMBS = Limbs(
    clavicle=(0.03, 1.545, 0.0),
    shoulder=(0.165, 1.545, -0.015),
    upper=0.325,
    fore=0.295,
    lowered=0,
    hip=(0.085, 1.02, 0.0),
    knee=(0.088, 0.55, 0.008),
    ankle=(0.09, 0.1, -0.015),
    toe=(0.1, 0.029, 0.14),
)
RADII = {"pelvis": 0.11, "spine_lower": 0.11, "spine_upper": 0.12, "neck": 0.05, "skull": 0.1, "clavicle": 0.06}
RADII |= {"humerus": 0.05, "ulna": 0.042, "wrist": 0.04, "femur": 0.07, "tibia": 0.055}
NAMES = {
    "pelvis": "Hip", "spine_lower": "LowerBack", "spine_upper": "UpperBack", "neck": "Neck", "skull": "Head",
    "clavicle": "Collar", "humerus": "Shoulder", "ulna": "Elbow", "wrist": "Wrist",
    "femur": "Hip", "tibia": "Knee", "ankle": "Ankle", "toe": "Toe",
}  # fmt: skip


def called(name: str) -> str:
    kind, _, side = name.partition(".")
    return f"tower:{ {'L': 'Left', 'R': 'Right', '': ''}[side] }{NAMES[kind]}"


def skeleton() -> Skeleton:
    return rigging.skeleton(rigging.places(MIDDLE, LIMBS))


def meshes(body: Skeleton):
    return rigging.meshes(body, garments(body), rigging.reaches(body, RADII, head=0.24))


def garments(body: Skeleton) -> list[Garment]:
    at = {name: body.rest.positions[joint] for name, joint in body.index.items()}
    trunk = ("pelvis", "spine_lower", "spine_upper")
    arms, legs = sided("clavicle", "humerus", "ulna"), sided("femur", "tibia")
    return [
        Garment("trousers", _trousers(at), (-0.22, 0.06, -0.16), (0.22, 1.15, 0.16), "trousers", ("pelvis", *legs)),
        Garment(
            "shoes", _shoes(at), (-0.2, -0.01, -0.13), (0.2, 0.2, 0.27), "shoes", sided("tibia", "ankle", "toe"), 0.0105
        ),
        Garment(
            "coat", _coat(at), (-0.86, 0.5, -0.26), (0.86, 1.68, 0.26), "coat", (*trunk, *arms, *legs), 0.0135, 0.04
        ),
        Garment("waistcoat", _waistcoat(), (-0.13, 1.0, -0.02), (0.13, 1.58, 0.2), "waistcoat", trunk, 0.011, 0.04),
        Garment("head", _head(), (-0.17, 1.56, -0.15), (0.17, 1.97, 0.22), "face", ("neck", "skull"), 0.0105),
        Garment("hands", _hands(at), (-1.02, 1.44, -0.12), (1.02, 1.64, 0.16), "face", sided("wrist"), 0.008),
        Garment("beard", _beard(), (-0.14, 1.48, 0.0), (0.14, 1.8, 0.22), "beard", ("skull",), 0.0095),
        Garment("nightcap", _nightcap(), (-0.2, 1.78, -0.34), (0.2, 2.12, 0.2), "linen", ("skull",), 0.0105),
        Garment("spectacles", _spectacles(), (-0.13, 1.76, 0.0), (0.13, 1.87, 0.2), "brass", ("skull",), 0.0055),
        Garment("eyes", _eyes(), (-0.08, 1.78, 0.08), (0.08, 1.85, 0.18), "eyes", ("skull",), 0.005),
        Garment("buttons", _buttons(), (-0.05, 1.05, 0.08), (0.05, 1.52, 0.24), "brass", trunk, 0.006),
    ]


def _trousers(at) -> Field:
    legs = [
        blend(
            0.04,
            capsule(at[f"femur.{s}"], at[f"tibia.{s}"], 0.078, 0.058),
            capsule(at[f"tibia.{s}"], at[f"ankle.{s}"] + [0, 0.03, 0], 0.058, 0.052),
        )
        for s in "LR"
    ]
    return blend(0.04, ellipsoid(at["pelvis"] + [0, 0.0, 0], (0.145, 0.1, 0.105)), *legs)


def _shoes(at) -> Field:
    out = []
    for s in "LR":
        ankle, toe = at[f"ankle.{s}"], at[f"toe.{s}"]
        ahead = np.array([toe[0] - ankle[0], 0, toe[2] - ankle[2]])
        ahead /= np.linalg.norm(ahead)
        low = np.array([ankle[0], 0.038, ankle[2]])
        foot = blend(
            0.035,
            capsule(low - 0.04 * ahead, low + 0.09 * ahead, 0.046, 0.045),
            ellipsoid(low + 0.165 * ahead + [0, -0.002, 0], (0.05, 0.042, 0.095)),
            capsule(ankle + [0, -0.03, 0], ankle + [0, 0.04, 0.0], 0.046, 0.048),
        )
        out.append(cut(foot, (0, 1, 0), 0.002, 0.012))
    return blend(0.004, *out)


def _coat(at) -> Field:
    body = blend(
        0.09, ellipsoid((0, 1.13, -0.005), (0.155, 0.17, 0.12)), ellipsoid((0, 1.4, -0.005), (0.165, 0.2, 0.118))
    )
    yoke = capsule(at["humerus.L"] + [-0.02, -0.005, 0], at["humerus.R"] + [0.02, -0.005, 0], 0.068)
    tails = cut(ellipsoid((0, 1.0, -0.01), (0.2, 0.52, 0.155)), (0, 1, 0), 0.6, 0.03)
    tails = cut(tails, (0, -1, 0), -1.14, 0.06)
    collar = capsule((0, 1.55, -0.015), (0, 1.61, -0.012), 0.076, 0.066)
    sleeves = []
    for s in "LR":
        shoulder, elbow, wrist = at[f"humerus.{s}"], at[f"ulna.{s}"], at[f"wrist.{s}"]
        cuff = wrist - 0.025 * (wrist - elbow) / np.linalg.norm(wrist - elbow)
        sleeves.append(blend(0.03, capsule(shoulder, elbow, 0.066, 0.051), capsule(elbow, cuff, 0.051, 0.057)))
    return blend(0.03, blend(0.06, body, yoke, tails), collar, *sleeves)


def _waistcoat() -> Field:
    front = blend(
        0.08, ellipsoid((0, 1.15, 0.05), (0.078, 0.17, 0.083)), ellipsoid((0, 1.38, 0.045), (0.062, 0.19, 0.083))
    )
    return cut(front, (0, 1, 0), 1.02, 0.02)


def _head() -> Field:
    skull = ellipsoid((0, 1.825, 0.012), (0.099, 0.128, 0.115))
    jaw = ellipsoid((0, 1.735, 0.035), (0.074, 0.075, 0.08))
    nose = capsule((0, 1.81, 0.118), (0, 1.765, 0.152), 0.015, 0.022)
    ears = [ellipsoid((x, 1.795, 0.0), (0.016, 0.036, 0.024)) for x in (0.101, -0.101)]
    return blend(0.016, blend(0.05, skull, jaw, capsule((0, 1.58, -0.008), (0, 1.72, 0.01), 0.05)), nose, *ears)


def _beard() -> Field:
    chin = blend(
        0.05, ellipsoid((0, 1.7, 0.09), (0.072, 0.062, 0.05)), capsule((0, 1.69, 0.1), (0, 1.54, 0.135), 0.052, 0.018)
    )
    moustache = [capsule((x * 0.2, 1.748, 0.135), (x, 1.728, 0.112), 0.017, 0.009) for x in (0.06, -0.06)]
    sides = [capsule((x, 1.79, 0.02), (x * 0.86, 1.71, 0.07), 0.018, 0.03) for x in (0.09, -0.09)]
    brows = [capsule((x * 0.4, 1.848, 0.122), (x * 1.35, 1.852, 0.105), 0.011, 0.008) for x in (0.045, -0.045)]
    return blend(0.02, chin, *moustache, *sides, *brows)


def _nightcap() -> Field:
    crown = cut(ellipsoid((0, 1.885, -0.002), (0.117, 0.115, 0.132)), (0, 1, 0), 1.865, 0.012)
    tail = blend(
        0.03,
        capsule((0, 1.96, -0.03), (0.01, 2.02, -0.14), 0.075, 0.045),
        capsule((0.01, 2.02, -0.14), (0.02, 1.93, -0.25), 0.045, 0.02),
    )
    brim = ring((0, 1.87, 0.0), (0, 1, -0.05), 0.113, 0.019)
    return blend(0.02, blend(0.06, crown, tail), brim, ellipsoid((0.02, 1.905, -0.268), (0.034, 0.034, 0.034)))


def _spectacles() -> Field:
    rims = [ring((x, 1.812, 0.138), (x * 0.6, 0.05, 1), 0.031, 0.0042) for x in (0.042, -0.042)]
    arms = [capsule((x * 1.75, 1.815, 0.125), (x * 2.4, 1.812, 0.01), 0.0042) for x in (0.042, -0.042)]
    return blend(0.004, *rims, *arms, capsule((0.012, 1.818, 0.146), (-0.012, 1.818, 0.146), 0.0042))


def _eyes() -> Field:
    return blend(0.001, *(ellipsoid((x, 1.812, 0.119), (0.0115, 0.0145, 0.009)) for x in (0.041, -0.041)))


def _buttons() -> Field:
    front = _waistcoat()
    spots = []
    for y in (1.1, 1.175, 1.25, 1.325, 1.4, 1.475):
        line = np.stack([np.zeros(300), np.full(300, y), np.linspace(0.06, 0.24, 300)], axis=1)
        spots.append(ellipsoid((0, y, line[np.argmin(np.abs(front(line))), 2]), (0.0125, 0.0125, 0.009)))
    return blend(0.001, *spots)


def _hands(at) -> Field:
    out = []
    for s, sign in (("L", 1), ("R", -1)):
        wrist = at[f"wrist.{s}"]
        x = np.array([sign, 0.0, 0.0])
        palm = ellipsoid(wrist + 0.05 * x, (0.05, 0.018, 0.04))
        fingers = [
            capsule(
                wrist + 0.085 * x + [0, 0, z],
                wrist + (0.17 - 2.2 * abs(z - 0.006) ** 1.4) * x + [0, -0.006, 1.2 * z],
                0.0125,
                0.0095,
            )
            for z in (0.032, 0.011, -0.01, -0.03)
        ]
        thumb = capsule(wrist + 0.025 * x + [0, -0.003, 0.03], wrist + 0.075 * x + [0, -0.012, 0.075], 0.0145, 0.0105)
        stem = capsule(wrist - 0.035 * x, wrist + 0.03 * x, 0.032, 0.028)
        out.append(blend(0.014, blend(0.025, palm, stem), *fingers, thumb))
    return blend(0.003, *out)
