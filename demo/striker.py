"""The striker: the brass automaton that beats the hours, with a dial in its chest. Its maker numbered the bones and
named none.

Millimetres with Z up, under a node that turns and scales it; arms nearly down at rest; three spine bones.
"""

import numpy as np

from armuto.intake.detection import upright
from armuto.kinematics.skeleton import Skeleton
from demo import rigging
from demo.rigging import Garment, Limbs, sided
from demo.solids import Field, blend, capsule, cut, disc, ellipsoid, ring

NAME = "striker"
WORKSHOP = (0.001, upright("+Z"))
MATERIALS = {
    "brass": ((0.66, 0.4, 0.095), 0.9, 0.38),
    "copper": ((0.55, 0.2, 0.1), 0.9, 0.42),
    "iron": ((0.09, 0.095, 0.105), 0.7, 0.5),
    "dial": ((0.88, 0.84, 0.74), 0.0, 0.6),
    "eyes": ((0.55, 0.75, 0.72), 0.0, 0.3),
}
MIDDLE = {
    "pelvis": (0, 0.96, 0.0),
    "spine_lower": (0, 1.05, -0.004),
    "spine_middle": (0, 1.15, -0.006),
    "spine_upper": (0, 1.26, -0.01),
    "neck": (0, 1.47, -0.006),
    "skull": (0, 1.54, 0.006),
}
LIMBS = Limbs(
    clavicle=(0.03, 1.41, 0.0),
    shoulder=(0.2, 1.4, -0.01),
    upper=0.3,
    fore=0.28,
    lowered=72,
    hip=(0.1, 0.92, 0.0),
    knee=(0.105, 0.5, 0.01),
    ankle=(0.108, 0.09, -0.014),
    toe=(0.115, 0.026, 0.125),
)
RADII = {"pelvis": 0.12, "spine_lower": 0.09, "spine_middle": 0.11, "spine_upper": 0.15, "neck": 0.04, "skull": 0.1}
RADII |= {"clavicle": 0.06, "humerus": 0.05, "ulna": 0.045, "wrist": 0.04, "femur": 0.065, "tibia": 0.05}


def called(name: str) -> str:
    return f"{list(skeleton().names).index(name) + 1:03d}"


def skeleton() -> Skeleton:
    return rigging.skeleton(rigging.places(MIDDLE, LIMBS))


def meshes(body: Skeleton):
    return rigging.meshes(body, garments(body), rigging.reaches(body, RADII))


def garments(body: Skeleton) -> list[Garment]:
    at = {name: body.rest.positions[joint] for name, joint in body.index.items()}
    trunk = rigging.TRUNK
    arms = sided("clavicle", "humerus", "ulna", "wrist")
    legs = sided("femur", "tibia", "ankle", "toe")
    return [
        Garment("shell", _shell(at), (-0.24, 0.82, -0.22), (0.24, 1.5, 0.24), "brass", (*trunk, *sided("clavicle")), 0.011, 0.012),
        Garment("limbs", _limbs(at), (-0.46, 0.08, -0.16), (0.46, 1.5, 0.16), "brass", ("pelvis", *arms, *legs), 0.0105, 0.006),
        Garment("joints", _joints(at), (-0.46, 0.02, -0.16), (0.46, 1.5, 0.16), "copper", ("pelvis", "spine_upper", *arms, *legs), 0.009, 0.012),
        Garment("feet", _feet(at), (-0.22, -0.01, -0.13), (0.22, 0.16, 0.26), "iron", sided("tibia", "ankle", "toe"), 0.0095, 0.012),
        Garment("hands", _hands(at), (-0.46, 0.55, -0.12), (0.46, 0.88, 0.16), "iron", sided("ulna", "wrist"), 0.0075, 0.01),
        Garment("head", _head(), (-0.16, 1.42, -0.16), (0.16, 1.86, 0.18), "brass", ("neck", "skull"), 0.0095, 0.012),
        Garment("band", _band(), (-0.16, 1.55, -0.16), (0.16, 1.9, 0.17), "copper", ("skull",), 0.0075),
        Garment("dial", disc((0, 1.24, 0.158), (0, 0.05, 1), 0.105, 0.012, 0.006), (-0.13, 1.1, 0.12), (0.13, 1.38, 0.2), "dial", ("spine_upper",), 0.0075),
        Garment("hands of the dial", _pointers(), (-0.13, 1.1, 0.14), (0.13, 1.38, 0.21), "iron", ("spine_upper",), 0.0045),
        Garment("rim", ring((0, 1.24, 0.16), (0, 0.05, 1), 0.108, 0.0115), (-0.14, 1.09, 0.12), (0.14, 1.39, 0.21), "copper", ("spine_upper",), 0.0075),
        Garment("eyes", _eyes(), (-0.09, 1.6, 0.07), (0.09, 1.72, 0.16), "eyes", ("skull",), 0.006),
    ]  # fmt: skip


def _shell(at) -> Field:
    drum = blend(
        0.03, ellipsoid((0, 1.255, 0.0), (0.19, 0.185, 0.16)), capsule((-0.1, 1.38, -0.01), (0.1, 1.38, -0.01), 0.07)
    )
    waist = capsule((0, 1.03, 0), (0, 1.12, 0), 0.075, 0.085)
    seat = ellipsoid((0, 0.95, 0), (0.165, 0.085, 0.115))
    collar = capsule((0, 1.44, -0.006), (0, 1.475, -0.004), 0.06, 0.05)
    return blend(0.025, drum, blend(0.03, waist, seat), collar)


def _limbs(at) -> Field:
    out = []
    for s in "LR":
        for a, b, thick in (
            ("humerus", "ulna", 0.046),
            ("ulna", "wrist", 0.042),
            ("femur", "tibia", 0.064),
            ("tibia", "ankle", 0.05),
        ):
            start, end = at[f"{a}.{s}"], at[f"{b}.{s}"]
            out.append(capsule(start * 0.82 + end * 0.18, start * 0.2 + end * 0.8, thick, thick * 0.86))
    return blend(0.002, *out)


def _joints(at) -> Field:
    out = []
    for s in "LR":
        for name, size in (
            ("humerus", 0.066),
            ("ulna", 0.047),
            ("wrist", 0.036),
            ("femur", 0.072),
            ("tibia", 0.057),
            ("ankle", 0.046),
        ):
            out.append(ellipsoid(at[f"{name}.{s}"], (size, size, size)))
    return blend(0.002, *out)


def _feet(at) -> Field:
    out = []
    for s in "LR":
        ankle, toe = at[f"ankle.{s}"], at[f"toe.{s}"]
        ahead = np.array([toe[0] - ankle[0], 0, toe[2] - ankle[2]])
        ahead /= np.linalg.norm(ahead)
        low = np.array([ankle[0], 0.036, ankle[2]])
        foot = blend(
            0.03,
            capsule(low - 0.05 * ahead, low + 0.06 * ahead, 0.052, 0.05),
            ellipsoid(low + 0.135 * ahead, (0.058, 0.045, 0.08)),
            capsule(ankle + [0, -0.015, 0], ankle, 0.045, 0.045),
        )
        out.append(cut(foot, (0, 1, 0), 0.002, 0.01))
    return blend(0.003, *out)


def _hands(at) -> Field:
    out = []
    for s, sign in (("L", 1), ("R", -1)):
        wrist = at[f"wrist.{s}"]
        along = wrist - at[f"ulna.{s}"]
        along /= np.linalg.norm(along)
        ahead = np.array([0, 0, 1.0])
        up = np.cross(ahead, along) * sign
        palm = ellipsoid(wrist + 0.055 * along, (0.05, 0.022, 0.043), np.stack([along, up, ahead], axis=1))
        fingers = [
            capsule(wrist + 0.08 * along + z * ahead, wrist + (0.15 - 0.3 * abs(z)) * along + 1.1 * z * ahead - 0.02 * up, 0.0145, 0.0115)
            for z in (0.031, 0.01, -0.011, -0.031)
        ]  # fmt: skip
        thumb = capsule(
            wrist + 0.03 * along + 0.03 * ahead, wrist + 0.08 * along + 0.068 * ahead - 0.01 * up, 0.0165, 0.0125
        )
        out.append(blend(0.012, blend(0.02, palm, capsule(wrist, wrist + 0.03 * along, 0.034, 0.03)), *fingers, thumb))
    return blend(0.002, *out)


def _head() -> Field:
    dome = ellipsoid((0, 1.66, 0.004), (0.112, 0.125, 0.115))
    chin = cut(capsule((0, 1.58, 0.012), (0, 1.62, 0.008), 0.094, 0.1), (0, 1, 0), 1.52, 0.02)
    nose = capsule((0, 1.655, 0.112), (0, 1.625, 0.13), 0.012, 0.02)
    return blend(0.015, blend(0.04, dome, chin), nose, capsule((0, 1.46, -0.004), (0, 1.56, 0.0), 0.042))


def _band() -> Field:
    bell = cut(ellipsoid((0, 1.795, 0.0), (0.062, 0.05, 0.062)), (0, 1, 0), 1.785, 0.006)
    return blend(
        0.004,
        ring((0, 1.7, 0.004), (0, 1, 0), 0.109, 0.0085),
        bell,
        ellipsoid((0, 1.85, 0.0), (0.013, 0.013, 0.013)),
    )


def _pointers() -> Field:
    hands = [
        capsule((0, 1.24, 0.176), (0.042, 1.282, 0.176), 0.0065, 0.003),
        capsule((0, 1.24, 0.178), (-0.02, 1.325, 0.178), 0.005, 0.0025),
    ]
    marks = [
        ellipsoid(
            (0.085 * np.sin(a), 1.24 + 0.085 * np.cos(a), 0.17 - 0.05 * 0.085 * np.cos(a)), (0.0055, 0.0055, 0.006)
        )
        for a in np.arange(12) * np.pi / 6
    ]
    return blend(0.001, *hands, *marks, ellipsoid((0, 1.24, 0.178), (0.01, 0.01, 0.007)))


def _eyes() -> Field:
    return blend(
        0.001, *(disc((x, 1.672, 0.112), (0.28 * np.sign(x), 0.02, 1), 0.026, 0.008, 0.005) for x in (0.045, -0.045))
    )
