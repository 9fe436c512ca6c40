"""The porter: a stocky figure from the harbour clock, in a coat with brass buttons and a key in his back.

Metres, +Y up, resting in an A; three spine bones; joints framed along their bones, as a rigger would.
"""

import numpy as np
from scipy.spatial.transform import Rotation

from armuto.kinematics.skeleton import Skeleton
from demo import rigging
from demo.rigging import Garment, Limbs, sided
from demo.solids import Field, blend, capsule, cut, disc, ellipsoid, ring

NAME = "porter"

MATERIALS = {
    "coat": ((0.205, 0.285, 0.345), 0.0, 0.85),
    "trousers": ((0.115, 0.125, 0.15), 0.0, 0.9),
    "boots": ((0.075, 0.05, 0.04), 0.0, 0.55),
    "face": ((0.74, 0.52, 0.37), 0.0, 0.7),
    "moustache": ((0.27, 0.13, 0.065), 0.0, 0.9),
    "brass": ((0.72, 0.46, 0.12), 0.85, 0.35),
    "eyes": ((0.03, 0.025, 0.02), 0.0, 0.25),
    "dial": ((0.88, 0.84, 0.74), 0.0, 0.6),
}

MIDDLE = {
    "pelvis": (0, 0.80, 0.0),
    "spine_lower": (0, 0.885, -0.005),
    "spine_middle": (0, 0.985, -0.005),
    "spine_upper": (0, 1.085, -0.012),
    "neck": (0, 1.265, -0.005),
    "skull": (0, 1.335, 0.005),
}
LIMBS = Limbs(
    clavicle=(0.035, 1.225, 0.0),
    shoulder=(0.19, 1.215, -0.015),
    upper=0.285,
    fore=0.265,
    lowered=42,
    hip=(0.098, 0.765, 0.0),
    knee=(0.108, 0.425, 0.008),
    ankle=(0.112, 0.092, -0.012),
    toe=(0.122, 0.025, 0.115),
    fingers={
        "thumb": ((0.03, -0.004, 0.036), (0.058, -0.008, 0.058)),
        "index": ((0.088, 0.0, 0.034), (0.118, -0.008, 0.037)),
        "middle": ((0.09, 0.0, 0.0), (0.122, -0.008, 0.0)),
        "ring": ((0.086, 0.0, -0.034), (0.114, -0.008, -0.037)),
    },
)
RADII = {"pelvis": 0.15, "spine_lower": 0.16, "spine_middle": 0.165, "spine_upper": 0.15, "neck": 0.06, "skull": 0.12}
RADII |= {"thumb_1": 0.02, "thumb_2": 0.017, "index_1": 0.0185, "index_2": 0.016, "middle_1": 0.0185, "middle_2": 0.016}
RADII |= {"ring_1": 0.0185, "ring_2": 0.016}
RADII |= {"clavicle": 0.085, "humerus": 0.068, "ulna": 0.055, "wrist": 0.05, "femur": 0.085, "tibia": 0.065}


def skeleton() -> Skeleton:
    return rigging.skeleton(rigging.places(MIDDLE, LIMBS))


def garments(body: Skeleton) -> list[Garment]:
    at = {name: body.rest.positions[joint] for name, joint in body.index.items()}
    trunk = rigging.TRUNK
    arms, legs, feet = sided("clavicle", "humerus", "ulna"), sided("femur", "tibia"), sided("tibia", "ankle", "toe")
    return [
        Garment("trousers", _trousers(at), (-0.3, 0.05, -0.2), (0.3, 0.95, 0.2), "trousers", ("pelvis", *legs)),
        Garment("boots", _boots(at), (-0.24, -0.01, -0.15), (0.24, 0.24, 0.26), "boots", feet, 0.012),
        Garment(
            "coat",
            _coat(at),
            (-0.75, 0.5, -0.32),
            (0.75, 1.36, 0.36),
            "coat",
            (*trunk, *arms, "femur.L", "femur.R"),
            softness=0.03,
        ),
        Garment("head", _head(at), (-0.2, 1.22, -0.17), (0.2, 1.64, 0.22), "face", ("neck", "skull"), 0.0115),
        Garment("hands", _hands(at), (-0.9, 0.6, -0.2), (0.9, 0.98, 0.2), "face", _hand_joints(), 0.0085, 0.009),
        Garment("moustache", _moustache(at), (-0.14, 1.34, 0.05), (0.14, 1.46, 0.22), "moustache", ("skull",), 0.007),
        Garment("cap", _cap(at), (-0.2, 1.48, -0.22), (0.2, 1.68, 0.26), "coat", ("skull",), 0.0105),
        Garment("band", _band(at), (-0.2, 1.5, -0.2), (0.2, 1.62, 0.24), "brass", ("skull",), 0.008),
        Garment("eyes", _eyes(at), (-0.1, 1.4, 0.05), (0.1, 1.52, 0.2), "eyes", ("skull",), 0.006),
        Garment("buttons", _buttons(at), (-0.12, 0.75, 0.05), (0.12, 1.2, 0.32), "brass", trunk, 0.0065),
        Garment("key", _key(at), (-0.14, 1.0, -0.42), (0.14, 1.28, -0.1), "brass", ("spine_upper",), 0.008),
        Garment("cuffs", _cuffs(at), (-0.75, 0.75, -0.15), (0.75, 1.0, 0.15), "brass", ("ulna.L", "ulna.R"), 0.0085),
    ]


def _hand_joints() -> tuple[str, ...]:
    return sided("wrist", *(f"{finger}_{n}" for finger, rows in LIMBS.fingers.items() for n in range(1, len(rows) + 1)))


def _trousers(at) -> Field:
    legs = []
    for s in "LR":
        hip, knee, ankle = at[f"femur.{s}"], at[f"tibia.{s}"], at[f"ankle.{s}"]
        legs.append(
            blend(0.05, capsule(hip, knee, 0.098, 0.074), capsule(knee, ankle + [0, 0.035, 0.004], 0.074, 0.07))
        )
    seat = ellipsoid(at["pelvis"] + [0, 0.01, -0.005], (0.195, 0.13, 0.145))
    return blend(0.05, seat, *legs)


def _boots(at) -> Field:
    boots = []
    for s in "LR":
        ankle, toe = at[f"ankle.{s}"], at[f"toe.{s}"]
        ahead = np.array([toe[0] - ankle[0], 0, toe[2] - ankle[2]])
        ahead /= np.linalg.norm(ahead)
        low = np.array([ankle[0], 0.045, ankle[2]])
        foot = blend(
            0.04,
            capsule(low - 0.045 * ahead, low + 0.06 * ahead, 0.06, 0.06),
            ellipsoid(low + 0.125 * ahead + [0, -0.002, 0], (0.066, 0.055, 0.095)),
            capsule(ankle + [0, -0.02, 0], ankle + [0, 0.085, 0.002], 0.062, 0.072),
        )
        boots.append(cut(foot, (0, 1, 0), 0.002, 0.012))
    return blend(0.005, *boots)


def _coat(at) -> Field:
    belly = ellipsoid((0, 0.925, 0.028), (0.205, 0.19, 0.19))
    chest = ellipsoid((0, 1.115, 0.0), (0.205, 0.155, 0.148))
    yoke = capsule(at["humerus.L"] + [-0.04, -0.015, 0], at["humerus.R"] + [0.04, -0.015, 0], 0.082)
    skirt = cut(ellipsoid((0, 0.86, 0.0), (0.25, 0.34, 0.205)), (0, 1, 0), 0.595, 0.03)
    skirt = cut(skirt, (0, -1, 0), -0.93, 0.05)
    collar = capsule((0, 1.225, -0.012), (0, 1.268, -0.006), 0.088, 0.078)
    sleeves = []
    for s in "LR":
        shoulder, elbow, wrist = at[f"humerus.{s}"], at[f"ulna.{s}"], at[f"wrist.{s}"]
        cuff = wrist - 0.03 * (wrist - elbow) / np.linalg.norm(wrist - elbow)
        sleeves.append(blend(0.04, capsule(shoulder, elbow, 0.083, 0.066), capsule(elbow, cuff, 0.066, 0.062)))
    return blend(0.035, blend(0.07, belly, chest, yoke, skirt), collar, *sleeves)


def _head(at) -> Field:
    skull = ellipsoid((0, 1.475, 0.012), (0.125, 0.14, 0.132))
    jaw = ellipsoid((0, 1.395, 0.035), (0.1, 0.072, 0.095))
    nose = capsule((0, 1.438, 0.14), (0, 1.425, 0.158), 0.024, 0.03)
    cheeks = blend(0.03, *(ellipsoid((x, 1.412, 0.095), (0.042, 0.036, 0.04)) for x in (0.05, -0.05)))
    ears = [ellipsoid((x, 1.44, 0.0), (0.02, 0.038, 0.027)) for x in (0.128, -0.128)]
    neck = capsule((0, 1.25, -0.004), (0, 1.36, 0.008), 0.062)
    return blend(0.018, blend(0.05, skull, jaw, neck, cheeks), nose, *ears)


def _hands(at) -> Field:
    hands = []
    for s, sign in (("L", 1), ("R", -1)):
        wrist = at[f"wrist.{s}"]
        along = wrist - at[f"ulna.{s}"]
        along /= np.linalg.norm(along)
        ahead = np.array([0, 0, 1.0])
        palm_up = np.cross(ahead, along) * sign
        palm = ellipsoid(wrist + 0.058 * along, (0.055, 0.026, 0.05), np.stack([along, palm_up, ahead], axis=1))
        fingers = [
            capsule(
                wrist + 0.088 * along + z * ahead,
                wrist + (0.15 - 0.12 * abs(z - 0.008)) * along + 1.15 * z * ahead - 0.016 * palm_up,
                0.0185,
                0.0155,
            )
            for z in (0.034, 0.0, -0.034)
        ]
        thumb = capsule(
            wrist + 0.03 * along + 0.035 * ahead, wrist + 0.085 * along + 0.075 * ahead - 0.01 * palm_up, 0.02, 0.016
        )
        stem = capsule(wrist - 0.035 * along, wrist + 0.03 * along, 0.041, 0.038)
        hands.append(blend(0.02, blend(0.03, palm, stem), *fingers, thumb))
    return blend(0.003, *hands)


def _moustache(at) -> Field:
    halves = [
        blend(
            0.02,
            capsule((x * 0.15, 1.398, 0.152), (x, 1.392, 0.132), 0.0185, 0.013),
            capsule((x, 1.392, 0.132), (x * 1.42, 1.41, 0.108), 0.013, 0.005),
        )
        for x in (0.055, -0.055)
    ]
    return blend(0.012, *halves)


def _cap(at) -> Field:
    tilt = np.array([0, 0.985, -0.12])
    crown = disc((0, 1.588, 0.004), tilt, 0.152, 0.036, 0.03)
    wall = disc((0, 1.548, 0.006), tilt, 0.133, 0.03, 0.012)
    visor = cut(
        ellipsoid((0, 1.522, 0.085), (0.118, 0.016, 0.125), Rotation.from_euler("x", 14, degrees=True).as_matrix()),
        (0, 0, 1),
        0.06,
        0.01,
    )
    return blend(0.02, blend(0.02, crown, wall), visor)


def _band(at) -> Field:
    badge = disc((0, 1.566, 0.146), (0, 0.18, 1), 0.026, 0.008, 0.005)
    return blend(0.004, ring((0, 1.54, 0.005), (0, 0.985, -0.12), 0.134, 0.0085), badge)


def _eyes(at) -> Field:
    return blend(0.001, *(ellipsoid((x, 1.462, 0.128), (0.0145, 0.019, 0.012)) for x in (0.046, -0.046)))


def _buttons(at) -> Field:
    coat = _coat(at)
    spots = []
    for y in (0.80, 0.885, 0.97, 1.055, 1.135):
        for x in (0.048, -0.048):
            line = np.stack([np.full(400, x), np.full(400, y), np.linspace(0.05, 0.32, 400)], axis=1)
            z = line[np.argmin(np.abs(coat(line))), 2]
            spots.append(ellipsoid((x, y, z), (0.0165, 0.0165, 0.011)))
    return blend(0.001, *spots)


def _key(at) -> Field:
    stem = capsule((0, 1.13, -0.11), (0, 1.13, -0.265), 0.0145)
    collar = ring((0, 1.13, -0.165), (0, 0, 1), 0.018, 0.011)
    wings = [
        blend(
            0.02,
            ring((x, 1.13, -0.305), (0, 0, 1), 0.038, 0.013),
            capsule((0, 1.13, -0.27), (x * 0.5, 1.13, -0.3), 0.014),
        )
        for x in (0.052, -0.052)
    ]
    return blend(0.014, stem, collar, *wings)


def _cuffs(at) -> Field:
    out = []
    for s in "LR":
        elbow, wrist = at[f"ulna.{s}"], at[f"wrist.{s}"]
        along = (wrist - elbow) / np.linalg.norm(wrist - elbow)
        out.append(ring(wrist - 0.055 * along, along, 0.0635, 0.0075))
    return blend(0.002, *out)


def meshes(body: Skeleton):
    return rigging.meshes(body, garments(body), rigging.reaches(body, RADII))
