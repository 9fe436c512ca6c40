"""The fox from the hunting clock: four-legged, low on the leg, with a great brush of a tail.

Centimetres, +Y up, standing; anatomical names, two neck bones, three trunk bones, five in the tail.
"""

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.skeleton import Skeleton
from demo import rigging
from demo.rigging import Garment, sided
from demo.solids import Field, blend, capsule, ellipsoid, ring

NAME = "fox"
WORKSHOP = (0.01, rotation.IDENTITY)
MATERIALS = {
    "coat": ((0.52, 0.17, 0.035), 0.0, 0.9),
    "bib": ((0.82, 0.76, 0.66), 0.0, 0.95),
    "socks": ((0.05, 0.035, 0.03), 0.0, 0.85),
    "eyes": ((0.02, 0.015, 0.012), 0.0, 0.2),
    "brass": ((0.72, 0.46, 0.12), 0.85, 0.35),
}
MIDDLE = {
    "pelvis": (None, (0, 0.345, -0.2)),
    "lumbar": ("pelvis", (0, 0.36, -0.09)),
    "thorax": ("lumbar", (0, 0.36, 0.08)),
    "neck_1": ("thorax", (0, 0.395, 0.17)),
    "neck_2": ("neck_1", (0, 0.445, 0.22)),
    "skull": ("neck_2", (0, 0.485, 0.255)),
    "tail_1": ("pelvis", (0, 0.35, -0.255)),
    "tail_2": ("tail_1", (0, 0.33, -0.33)),
    "tail_3": ("tail_2", (0, 0.315, -0.41)),
    "tail_4": ("tail_3", (0, 0.315, -0.49)),
    "tail_5": ("tail_4", (0, 0.33, -0.56)),
}
SIDED = {
    "ear": ("skull", (0.034, 0.54, 0.25)),
    "scapula": ("thorax", (0.035, 0.375, 0.105)),
    "humerus": ("scapula", (0.052, 0.285, 0.17)),
    "radius": ("humerus", (0.055, 0.215, 0.095)),
    "carpus": ("radius", (0.055, 0.085, 0.105)),
    "foretoes": ("carpus", (0.055, 0.022, 0.125)),
    "femur": ("pelvis", (0.042, 0.325, -0.2)),
    "tibia": ("femur", (0.055, 0.215, -0.14)),
    "tarsus": ("tibia", (0.055, 0.11, -0.24)),
    "toes": ("tarsus", (0.055, 0.022, -0.215)),
}
RADII = {
    "pelvis": 0.07, "lumbar": 0.068, "thorax": 0.075, "neck": 0.05, "skull": 0.06, "tail": 0.04, "ear": 0.02, "scapula": 0.045,
    "humerus": 0.035, "radius": 0.022, "carpus": 0.018, "foretoes": 0.018, "femur": 0.045, "tibia": 0.026, "tarsus": 0.018,
    "toes": 0.018,
}  # fmt: skip
TIPS = {"skull": (0, 0.465, 0.39), "tail_5": (0, 0.35, -0.63)}
for _side, _sign in (("L", 1), ("R", -1)):
    TIPS |= {
        f"ear.{_side}": (_sign * 0.05, 0.605, 0.242),
        f"foretoes.{_side}": (_sign * 0.055, 0.012, 0.17),
        f"toes.{_side}": (_sign * 0.055, 0.012, -0.165),
    }


def skeleton() -> Skeleton:
    return rigging.skeleton(rigging.mirrored(MIDDLE, SIDED))


def meshes(body: Skeleton):
    return rigging.meshes(body, garments(body), rigging.simple_reaches(body, RADII, TIPS))


def garments(body: Skeleton) -> list[Garment]:
    at = {name: body.rest.positions[joint] for name, joint in body.index.items()}
    trunk = ("pelvis", "lumbar", "thorax", "neck_1", "neck_2")
    legs = sided("scapula", "humerus", "radius", "femur", "tibia")
    tail = tuple(f"tail_{n}" for n in range(1, 6))
    feet = sided("radius", "carpus", "foretoes", "tibia", "tarsus", "toes")
    coat_joints = (*trunk, "skull", *legs, "tail_1", *sided("ear", "carpus", "tarsus"))
    return [
        Garment("coat", _coat(at), (-0.16, 0.08, -0.34), (0.16, 0.64, 0.42), "coat", coat_joints, 0.0085, 0.02),
        Garment("tail", _tail(at), (-0.09, 0.24, -0.62), (0.09, 0.42, -0.22), "coat", ("pelvis", *tail), 0.009, 0.03),
        Garment("tip", _tip(at), (-0.07, 0.25, -0.68), (0.07, 0.42, -0.53), "bib", tail[3:], 0.0075, 0.03),
        Garment("bib", _bib(at), (-0.08, 0.24, 0.08), (0.08, 0.5, 0.41), "bib", (*trunk[2:], "skull"), 0.0075, 0.02),
        Garment("socks", _socks(at), (-0.1, -0.01, -0.3), (0.1, 0.16, 0.21), "socks", feet, 0.0065, 0.012),
        Garment(
            "dark", _dark(at), (-0.08, 0.44, 0.2), (0.08, 0.62, 0.42), "socks", ("skull", *sided("ear")), 0.0055, 0.01
        ),
        Garment("eyes", _eyes(), (-0.06, 0.48, 0.27), (0.06, 0.54, 0.34), "eyes", ("skull",), 0.004),
        Garment("collar", _collar(at), (-0.09, 0.34, 0.12), (0.09, 0.5, 0.26), "brass", trunk[2:], 0.006, 0.02),
    ]


def _coat(at) -> Field:
    body = blend(
        0.05,
        ellipsoid((0, 0.345, -0.17), (0.072, 0.078, 0.1)),
        ellipsoid((0, 0.345, -0.04), (0.066, 0.072, 0.13)),
        ellipsoid((0, 0.335, 0.09), (0.076, 0.092, 0.115)),
    )
    neck = blend(
        0.03, capsule((0, 0.36, 0.12), at["neck_2"], 0.07, 0.052), capsule(at["neck_2"], at["skull"], 0.052, 0.05)
    )
    head = blend(
        0.025,
        ellipsoid((0, 0.5, 0.265), (0.062, 0.054, 0.06)),
        capsule((0, 0.488, 0.3), (0, 0.47, 0.375), 0.034, 0.015),
        *(ellipsoid((x, 0.478, 0.275), (0.034, 0.03, 0.036)) for x in (0.04, -0.04)),
    )
    out = []
    for s, sign in (("L", 1), ("R", -1)):
        fore = blend(
            0.03,
            capsule(at[f"scapula.{s}"] - [sign * 0.012, 0.02, 0], at[f"humerus.{s}"], 0.046, 0.04),
            capsule(at[f"humerus.{s}"], at[f"radius.{s}"], 0.038, 0.028),
            capsule(at[f"radius.{s}"], at[f"carpus.{s}"] + [0, 0.03, 0], 0.027, 0.018),
        )
        hind = blend(
            0.03,
            capsule(at[f"femur.{s}"] - [sign * 0.006, 0, 0], at[f"tibia.{s}"], 0.058, 0.034),
            capsule(at[f"tibia.{s}"], at[f"tarsus.{s}"] + [0, 0.02, 0.015], 0.033, 0.018),
        )
        ear = blend(0.02, capsule(at[f"ear.{s}"] - [0, 0.012, 0], TIPS[f"ear.{s}"], 0.026, 0.006))
        out += [fore, hind, ear]
    return blend(0.022, blend(0.04, body, neck), head, capsule((0, 0.35, -0.22), at["tail_1"], 0.04, 0.028), *out)


def _tail(at) -> Field:
    thick = (0.028, 0.036, 0.046, 0.052, 0.046)
    joints = [at[f"tail_{n}"] for n in range(1, 6)]
    runs = [capsule(a, b, r, q) for a, b, r, q in zip(joints, joints[1:], thick, thick[1:], strict=False)]
    return blend(0.03, *runs)


def _tip(at) -> Field:
    return blend(0.02, capsule(at["tail_5"] + [0, 0, 0.005], TIPS["tail_5"], 0.0475, 0.009))


def _bib(at) -> Field:
    chest = ellipsoid((0, 0.312, 0.125), (0.055, 0.075, 0.085))
    throat = capsule((0, 0.355, 0.178), (0, 0.44, 0.268), 0.046, 0.034)
    jaw = capsule((0, 0.462, 0.295), (0, 0.455, 0.366), 0.026, 0.0125)
    cheeks = [ellipsoid((x, 0.47, 0.285), (0.026, 0.024, 0.03)) for x in (0.043, -0.043)]
    return blend(0.025, chest, throat, jaw, *cheeks)


def _socks(at) -> Field:
    out = []
    for s in "LR":
        carpus, toes = at[f"carpus.{s}"], at[f"foretoes.{s}"]
        out.append(
            blend(
                0.015,
                capsule(carpus + [0, 0.045, -0.002], carpus, 0.0195, 0.0185),
                capsule(carpus, toes, 0.0185, 0.018),
                ellipsoid(toes + [0, -0.003, 0.016], (0.024, 0.0195, 0.034)),
            )
        )
        tarsus, toes = at[f"tarsus.{s}"], at[f"toes.{s}"]
        out.append(
            blend(
                0.015,
                capsule(tarsus + [0, 0.012, 0.008], tarsus, 0.0195, 0.0185),
                capsule(tarsus, toes, 0.0185, 0.018),
                ellipsoid(toes + [0, -0.003, 0.018], (0.024, 0.0195, 0.036)),
            )
        )
    return blend(0.002, *out)


def _dark(at) -> Field:
    nose = ellipsoid((0, 0.476, 0.388), (0.0125, 0.0105, 0.0105))
    tips = []
    for s, sign in (("L", 1), ("R", -1)):
        tip = np.array(TIPS[f"ear.{s}"])
        tips.append(capsule(tip + [-sign * 0.006, -0.024, 0.0], tip + [0, 0.002, 0], 0.0155, 0.007))
    return blend(0.001, nose, *tips)


def _eyes() -> Field:
    return blend(0.001, *(ellipsoid((x, 0.512, 0.311), (0.0085, 0.0105, 0.0085)) for x in (0.033, -0.033)))


def _collar(at) -> Field:
    along = at["neck_2"] - at["thorax"]
    middle = at["neck_1"] * 0.45 + at["neck_2"] * 0.55
    tag = ellipsoid(middle + [0, -0.045, 0.045], (0.014, 0.017, 0.007))
    return blend(0.006, ring(middle, along, 0.056, 0.0085), tag)
