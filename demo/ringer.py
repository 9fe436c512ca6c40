"""The bellringer: a child-sized figure with a big head, in a tunic shaped like a bell.

Made in a workshop that works in centimetres with Z up, under a node that turns and scales it; resting in a shallow A;
three spine bones, no collar bones.
"""

import numpy as np

from armuto.intake.detection import upright
from armuto.kinematics.skeleton import Skeleton
from demo import rigging
from demo.rigging import Garment, Limbs, sided
from demo.solids import Field, blend, capsule, cut, ellipsoid, ring

NAME = "bellringer"
WORKSHOP = (0.01, upright("+Z"))
MATERIALS = {
    "tunic": ((0.55, 0.27, 0.045), 0.0, 0.85),
    "hose": ((0.3, 0.075, 0.055), 0.0, 0.9),
    "shoes": ((0.09, 0.055, 0.04), 0.0, 0.6),
    "face": ((0.78, 0.56, 0.42), 0.0, 0.7),
    "hair": ((0.16, 0.075, 0.035), 0.0, 0.9),
    "cap": ((0.3, 0.075, 0.055), 0.0, 0.85),
    "brass": ((0.72, 0.46, 0.12), 0.85, 0.35),
    "eyes": ((0.03, 0.025, 0.02), 0.0, 0.25),
}
MIDDLE = {
    "pelvis": (0, 0.465, 0.0),
    "spine_lower": (0, 0.52, -0.003),
    "spine_middle": (0, 0.58, -0.004),
    "spine_upper": (0, 0.645, -0.008),
    "neck": (0, 0.755, -0.004),
    "skull": (0, 0.79, 0.004),
}
LIMBS = Limbs(
    clavicle=(0.02, 0.73, 0.0),
    shoulder=(0.105, 0.72, -0.008),
    upper=0.155,
    fore=0.14,
    lowered=28,
    hip=(0.052, 0.445, 0.0),
    knee=(0.056, 0.25, 0.006),
    ankle=(0.058, 0.062, -0.008),
    toe=(0.064, 0.018, 0.066),
)
RADII = {"pelvis": 0.09, "spine_lower": 0.09, "spine_middle": 0.09, "spine_upper": 0.09, "neck": 0.035, "skull": 0.13}
RADII |= {"clavicle": 0.05, "humerus": 0.042, "ulna": 0.036, "wrist": 0.03, "femur": 0.055, "tibia": 0.042}
NAMES = {
    "pelvis": "pelvis", "spine_lower": "waist", "spine_middle": "ribs", "spine_upper": "chest", "neck": "neck", "skull": "head",
    "clavicle": "shoulder", "humerus": "upper_arm", "ulna": "forearm", "wrist": "hand",
    "femur": "thigh", "tibia": "shin", "ankle": "foot", "toe": "toes",
}  # fmt: skip


def called(name: str) -> str:
    kind, _, side = name.partition(".")
    return f"{ {'L': 'l_', 'R': 'r_', '': ''}[side] }{NAMES[kind]}"


def skeleton() -> Skeleton:
    return rigging.skeleton(rigging.places(MIDDLE, LIMBS))


def meshes(body: Skeleton):
    return rigging.meshes(body, garments(body), rigging.reaches(body, RADII, head=0.22))


def garments(body: Skeleton) -> list[Garment]:
    at = {name: body.rest.positions[joint] for name, joint in body.index.items()}
    arms = sided("clavicle", "humerus", "ulna")
    return [
        Garment(
            "hose",
            _hose(at),
            (-0.14, 0.03, -0.1),
            (0.14, 0.53, 0.1),
            "hose",
            ("pelvis", *sided("femur", "tibia")),
            0.009,
            0.014,
        ),
        Garment(
            "shoes",
            _shoes(at),
            (-0.12, -0.01, -0.08),
            (0.12, 0.13, 0.17),
            "shoes",
            sided("tibia", "ankle", "toe"),
            0.0075,
            0.014,
        ),
        Garment(
            "tunic",
            _tunic(at),
            (-0.45, 0.28, -0.18),
            (0.45, 0.79, 0.18),
            "tunic",
            (*rigging.TRUNK, *arms, *sided("femur")),
            0.009,
            0.024,
        ),
        Garment("head", _head(), (-0.17, 0.73, -0.15), (0.17, 1.06, 0.18), "face", ("neck", "skull"), 0.0085, 0.016),
        Garment("hands", _hands(at), (-0.48, 0.5, -0.08), (0.48, 0.68, 0.1), "face", sided("wrist"), 0.006),
        Garment("hair", _hair(), (-0.17, 0.82, -0.17), (0.17, 1.07, 0.15), "hair", ("skull",), 0.0085),
        Garment("cap", _cap(), (-0.16, 0.97, -0.15), (0.16, 1.14, 0.14), "cap", ("skull",), 0.0075),
        Garment("bell", _bell(), (-0.05, 1.1, -0.06), (0.05, 1.2, 0.05), "brass", ("skull",), 0.005),
        Garment("eyes", _eyes(), (-0.08, 0.86, 0.08), (0.08, 0.95, 0.17), "eyes", ("skull",), 0.005),
        Garment(
            "hem", _hem(), (-0.18, 0.27, -0.17), (0.18, 0.36, 0.17), "brass", ("pelvis", *sided("femur")), 0.0065, 0.024
        ),
    ]


def _hose(at) -> Field:
    legs = [
        blend(
            0.03,
            capsule(at[f"femur.{s}"], at[f"tibia.{s}"], 0.053, 0.042),
            capsule(at[f"tibia.{s}"], at[f"ankle.{s}"] + [0, 0.012, 0], 0.042, 0.036),
        )
        for s in "LR"
    ]
    return blend(0.03, ellipsoid(at["pelvis"], (0.092, 0.06, 0.075)), *legs)


def _shoes(at) -> Field:
    out = []
    for s in "LR":
        ankle, toe = at[f"ankle.{s}"], at[f"toe.{s}"]
        ahead = np.array([toe[0] - ankle[0], 0, toe[2] - ankle[2]])
        ahead /= np.linalg.norm(ahead)
        low = np.array([ankle[0], 0.028, ankle[2]])
        foot = blend(
            0.025,
            capsule(low - 0.022 * ahead, low + 0.035 * ahead, 0.037, 0.036),
            ellipsoid(low + 0.075 * ahead, (0.041, 0.034, 0.056)),
            capsule(ankle + [0, -0.012, 0], ankle + [0, 0.035, 0.0], 0.037, 0.041),
        )
        out.append(cut(foot, (0, 1, 0), 0.002, 0.008))
    return blend(0.003, *out)


def _tunic(at) -> Field:
    body = blend(
        0.06, ellipsoid((0, 0.66, 0.0), (0.105, 0.095, 0.085)), ellipsoid((0, 0.55, 0.006), (0.115, 0.12, 0.1))
    )
    skirt = cut(ellipsoid((0, 0.45, 0.0), (0.158, 0.25, 0.138)), (0, 1, 0), 0.315, 0.02)
    skirt = cut(skirt, (0, -1, 0), -0.55, 0.04)
    yoke = capsule(at["humerus.L"] + [-0.02, -0.01, 0], at["humerus.R"] + [0.02, -0.01, 0], 0.05)
    sleeves = []
    for s in "LR":
        shoulder, elbow, wrist = at[f"humerus.{s}"], at[f"ulna.{s}"], at[f"wrist.{s}"]
        cuff = wrist - 0.012 * (wrist - elbow) / np.linalg.norm(wrist - elbow)
        sleeves.append(blend(0.02, capsule(shoulder, elbow, 0.049, 0.042), capsule(elbow, cuff, 0.042, 0.047)))
    return blend(
        0.025, blend(0.05, body, skirt, yoke), capsule((0, 0.735, -0.008), (0, 0.762, -0.005), 0.052, 0.046), *sleeves
    )


def _head() -> Field:
    skull = ellipsoid((0, 0.905, 0.005), (0.128, 0.13, 0.122))
    cheeks = blend(0.03, *(ellipsoid((x, 0.86, 0.075), (0.046, 0.04, 0.04)) for x in (0.05, -0.05)))
    nose = ellipsoid((0, 0.88, 0.128), (0.019, 0.017, 0.018))
    ears = [ellipsoid((x, 0.885, -0.005), (0.016, 0.03, 0.022)) for x in (0.13, -0.13)]
    neck = capsule((0, 0.745, -0.004), (0, 0.81, 0.0), 0.037)
    return blend(0.014, blend(0.05, skull, cheeks, neck), nose, *ears)


def _hair() -> Field:
    mop = cut(ellipsoid((0, 0.922, -0.008), (0.137, 0.13, 0.13)), (0, -0.55, 1), -0.452, 0.02)
    locks = [capsule((x, 0.985, 0.085), (x * 1.5, 0.955, 0.104), 0.024, 0.012) for x in (0.02, -0.025, 0.062, -0.066)]
    return blend(0.02, mop, *locks)


def _cap() -> Field:
    crown = cut(ellipsoid((0, 0.985, -0.012), (0.125, 0.125, 0.12)), (0, 1, 0), 1.0, 0.01)
    return blend(0.015, crown, ring((0, 1.0, -0.01), (0, 1, 0), 0.122, 0.013))


def _bell() -> Field:
    cup = cut(ellipsoid((0, 1.125, -0.01), (0.034, 0.042, 0.034)), (0, 1, 0), 1.115, 0.004)
    return blend(
        0.006,
        cup,
        ring((0, 1.118, -0.01), (0, 1, 0), 0.032, 0.006),
        ellipsoid((0, 1.172, -0.01), (0.011, 0.011, 0.011)),
    )


def _eyes() -> Field:
    return blend(0.001, *(ellipsoid((x, 0.905, 0.12), (0.015, 0.02, 0.012)) for x in (0.044, -0.044)))


def _hem() -> Field:
    # The hem follows the oval of the skirt.
    def field(p):
        q = p * np.array([1.0, 1.0, 0.158 / 0.138])
        return ring((0, 0.322, 0), (0, 1, 0), 0.137, 0.0105)(q)

    return field


def _hands(at) -> Field:
    out = []
    for s, sign in (("L", 1), ("R", -1)):
        wrist = at[f"wrist.{s}"]
        along = wrist - at[f"ulna.{s}"]
        along /= np.linalg.norm(along)
        ahead = np.array([0, 0, 1.0])
        up = np.cross(ahead, along) * sign
        palm = ellipsoid(wrist + 0.032 * along, (0.034, 0.018, 0.031), np.stack([along, up, ahead], axis=1))
        fingers = [
            capsule(
                wrist + 0.05 * along + z * ahead,
                wrist + (0.088 - 0.3 * abs(z)) * along + 1.15 * z * ahead - 0.006 * up,
                0.012,
                0.01,
            )
            for z in (0.021, 0.0, -0.021)
        ]
        thumb = capsule(wrist + 0.016 * along + 0.02 * ahead, wrist + 0.045 * along + 0.045 * ahead, 0.012, 0.01)
        out.append(
            blend(
                0.012,
                blend(0.02, palm, capsule(wrist - 0.02 * along, wrist + 0.016 * along, 0.027, 0.024)),
                *fingers,
                thumb,
            )
        )
    return blend(0.002, *out)
