"""Sculptures of the museum without bones: what a sculptor sends, one clean, one with honest flaws, and one on four
legs."""

import itertools
from dataclasses import dataclass

import numpy as np

from armuto.formats.gltf.building import Body, Material, Node, Parts, Surface, build
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from demo.solids import Field, Mesh, blend, capsule, cut, disc, ellipsoid, mesh, ring

MATERIALS = {
    "clay": ((0.52, 0.36, 0.27), 0.0, 0.9),
    "felt": ((0.09, 0.12, 0.2), 0.0, 0.95),
    "leather": ((0.14, 0.08, 0.05), 0.0, 0.7),
    "brass": ((0.6, 0.42, 0.12), 0.9, 0.35),
}
STEP = 0.009  # metres of the grid that surfaces are taken from
SPREAD = {4: 0.0165, 2: 0.024}  # from finger to finger, over the height, by how many there are


@dataclass(frozen=True)
class Build:
    """How a figure is built. height: without a hat. stance: from the middle to an ankle. lowered: degrees of the arms
    below level. fingers: beside the thumb."""

    height: float
    stance: float
    lowered: float
    fingers: int
    stout: float = 1.0


APPRENTICE = Build(1.52, 0.1, 12.0, 4)
WATCHMAN = Build(1.78, 0.062, 38.0, 2, 1.18)


def files() -> list[tuple[str, bytes]]:
    """File name and content of each."""
    return [("apprentice.glb", apprentice()), ("watchman.glb", watchman()), ("hound.glb", hound())]


def apprentice() -> bytes:
    """One closed surface, facing ahead, in metres."""
    return _glb("apprentice", [("body", "clay", _meshed(_body(APPRENTICE)))])


def watchman() -> bytes:
    """With a cap that hangs loose, a bunch of keys, boots that touch, hands of three fingers, holes and doubled
    triangles, half turned away."""
    build_, h = WATCHMAN, WATCHMAN.height
    body = _meshed(_body(build_))
    cap = cut(ellipsoid((0, 0.985 * h, 0), (0.068 * h, 0.05 * h, 0.075 * h)), (0, 1, 0), 0.97 * h, 0.01)
    peak = disc((0, 0.972 * h, 0.06 * h), (0, 1, 0.2), 0.05 * h, 0.008, 0.006)
    hook = np.array([0.11 * h, 0.5 * h, 0.05 * h])
    keys = [ring(hook, (1, 0, 0), 0.035, 0.005)]
    for n, aside in enumerate((-0.5, 0.0, 0.5)):
        end = hook + [0.004 * n, -0.11, 0.06 * aside]
        keys.append(capsule(hook + [0, -0.03, 0.02 * aside], end, 0.006))
        keys.append(disc(end, (1, 0, 0), 0.016, 0.005, 0.003))
    boots = [_boot(build_, side) for side in (1, -1)]
    garments = [
        ("body", "clay", _damaged(body)),
        ("cap", "felt", _meshed(blend(0.01, cap, peak))),
        ("keys", "brass", _meshed(blend(0.002, *keys), 0.006)),
        ("boots", "leather", _meshed(blend(0.004, *boots))),
    ]
    return _glb("watchman", garments, 140.0)


def hound() -> bytes:
    """The hound that guards the weights at night: on four legs, with a collar, a winding key that hangs from it, and a
    belly that was left open, in millimetres and facing 60° off."""
    body = mesh(_hound(), (-0.16, -0.02, -0.7), (0.16, 0.84, 0.66), 0.007)
    middles = body.points[body.faces].mean(axis=1)
    open_ = np.linalg.norm((middles - [0.0, 0.34, -0.08]) * [1, 1, 0.5], axis=1) < 0.05
    coat = Mesh(body.points, body.normals, body.faces[~open_])
    hook = np.array([0.0, 0.498, 0.352])
    key = blend(
        0.002,
        ring(hook + [0, -0.014, 0.012], (1, 0, 0), 0.012, 0.003),
        capsule(hook + [0, -0.026, 0.016], hook + [0, -0.072, 0.02], 0.004),
        disc(hook + [0, -0.078, 0.02], (1, 0, 0), 0.014, 0.004, 0.002),
    )
    collar = ring((0, 0.56, 0.305), (0, 0.62, 0.78), 0.078, 0.011)
    garments = [
        ("coat", "clay", coat),
        ("collar", "leather", mesh(collar, (-0.12, 0.4, 0.15), (0.12, 0.7, 0.45), 0.005)),
        ("winding key", "brass", mesh(key, (-0.04, 0.38, 0.3), (0.04, 0.52, 0.42), 0.003)),
    ]
    return _glb("hound", garments, 60.0, 1000.0)


def _hound() -> Field:
    trunk = [
        ellipsoid((0, 0.47, 0.2), (0.098, 0.118, 0.15)),
        capsule((0, 0.48, 0.15), (0, 0.47, -0.2), 0.092, 0.08),
        ellipsoid((0, 0.47, -0.26), (0.088, 0.092, 0.11)),
    ]
    head = blend(
        0.02,
        ellipsoid((0, 0.7, 0.42), (0.062, 0.06, 0.082)),
        capsule((0, 0.69, 0.47), (0, 0.662, 0.565), 0.036, 0.026),
    )
    neck = capsule((0, 0.51, 0.25), (0, 0.67, 0.38), 0.078, 0.056)
    tail = [
        capsule((0, 0.51, -0.33), (0, 0.49, -0.47), 0.026, 0.02),
        capsule((0, 0.49, -0.47), (0, 0.52, -0.62), 0.02, 0.013),
    ]
    legs = []
    for side in (1, -1):
        legs += [
            _limb(side, 0.03, ((0.07, 0.44, 0.25), 0.052), ((0.078, 0.34, 0.16), 0.04), ((0.078, 0.14, 0.17), 0.023)),
            _limb(side, 0.012, ((0.078, 0.14, 0.17), 0.023), ((0.078, 0.045, 0.185), 0.022)),
            _paw(side, (0.078, 0.022, 0.185)),
            _limb(
                side, 0.03, ((0.06, 0.45, -0.27), 0.066), ((0.078, 0.31, -0.19), 0.047), ((0.078, 0.17, -0.325), 0.023)
            ),
            _limb(side, 0.012, ((0.078, 0.17, -0.325), 0.023), ((0.078, 0.045, -0.275), 0.021)),
            _paw(side, (0.078, 0.022, -0.27)),
            ellipsoid((side * 0.064, 0.7, 0.37), (0.014, 0.055, 0.034)),
        ]
    return blend(0.012, blend(0.05, *trunk), blend(0.03, neck, head), blend(0.02, *tail), *legs)


def _limb(side: int, softness: float, *stations: tuple[tuple[float, float, float], float]) -> Field:
    """Through places on the left side, each so thick, mirrored for the right."""
    places = [(np.array(at) * [side, 1, 1], thick) for at, thick in stations]
    return blend(softness, *(capsule(a, b, from_, to) for (a, from_), (b, to) in itertools.pairwise(places)))


def _paw(side: int, at: tuple[float, float, float]) -> Field:
    middle = np.array(at) * [side, 1, 1]
    return cut(capsule(middle, middle + [0, -0.002, 0.055], 0.026, 0.022), (0, 1, 0), 0.0, 0.004)


def _body(row: Build) -> Field:
    h, fat = row.height, row.stout
    hips, chest = np.array([0, 0.53 * h, 0]), np.array([0, 0.72 * h, 0])
    parts = [
        ellipsoid(hips, (0.088 * h * fat, 0.085 * h, 0.066 * h * fat)),
        ellipsoid(chest, (0.1 * h * fat, 0.12 * h, 0.068 * h * fat)),
        capsule(hips, chest, 0.074 * h * fat, 0.08 * h * fat),
        capsule((0, 0.82 * h, 0), (0, 0.87 * h, 0.005 * h), 0.034 * h),
    ]
    head = blend(
        0.03,
        ellipsoid((0, 0.94 * h, 0.012 * h), (0.056 * h, 0.062 * h, 0.066 * h)),
        capsule((0, 0.925 * h, 0.075 * h), (0, 0.915 * h, 0.09 * h), 0.012 * h),
    )
    limbs = []
    for side in (1, -1):
        angle = np.radians(row.lowered)
        along = np.array([side * np.cos(angle), -np.sin(angle), 0])
        shoulder = np.array([side * 0.1 * h, 0.8 * h, 0])
        elbow = shoulder + 0.16 * h * along + [0, 0, -0.006 * h]
        wrist = elbow + 0.15 * h * along + [0, 0, 0.01 * h]
        hip, knee = (
            np.array([side * 0.058 * h, 0.5 * h, 0]),
            np.array([side * (0.05 * h + row.stance) / 2, 0.28 * h, 0.008 * h]),
        )
        ankle = np.array([side * row.stance, 0.055 * h, -0.01 * h])
        limbs += [
            blend(
                0.02,
                capsule(shoulder, elbow, 0.036 * h, 0.028 * h),
                capsule(elbow, wrist, 0.028 * h, 0.019 * h),
            ),
            blend(0.03, capsule(hip, knee, 0.047 * h, 0.036 * h), capsule(knee, ankle, 0.036 * h, 0.026 * h)),
            capsule(
                ankle + [0, -0.028 * h, -0.012 * h],
                ankle + [side * 0.012 * h, -0.032 * h, 0.1 * h],
                0.023 * h,
                0.02 * h,
            ),
            _hand(wrist, along, row),
        ]
    return blend(0.02, blend(0.05, *parts), head, *limbs)


def _hand(wrist: FloatArray, along: FloatArray, row: Build) -> Field:
    h = row.height
    ahead = np.array([0, 0, 1.0])
    fingers = []
    for n in range(row.fingers):
        place = (n - (row.fingers - 1) / 2) * SPREAD[row.fingers] * h
        begin = wrist + 0.045 * h * along + place * ahead
        fingers.append(capsule(begin, begin + 0.052 * h * along + 0.45 * place * ahead, 0.0055 * h, 0.005 * h))
    thumb = capsule(
        wrist + 0.015 * h * along + 0.014 * h * ahead,
        wrist + 0.045 * h * along + 0.062 * h * ahead,
        0.0085 * h,
        0.007 * h,
    )
    palm = blend(
        0.015,
        capsule(wrist, wrist + 0.03 * h * along, 0.019 * h, 0.016 * h),
        ellipsoid(wrist + 0.035 * h * along, (0.026 * h, 0.014 * h, 0.024 * h)),
    )
    return blend(0.004, palm, *fingers, thumb)


def _boot(row: Build, side: int) -> Field:
    h = row.height
    ankle = np.array([side * row.stance, 0.055 * h, -0.01 * h])
    shaft = capsule(ankle + [0, -0.02 * h, 0], ankle + [0, 0.07 * h, 0.002 * h], 0.036 * h, 0.042 * h)
    foot = capsule(
        ankle + [0, -0.022 * h, -0.01 * h], ankle + [side * 0.01 * h, -0.024 * h, 0.11 * h], 0.037 * h, 0.034 * h
    )
    return cut(blend(0.02, shaft, foot), (0, 1, 0), -0.002 * h, 0.008)


def _meshed(field: Field, step: float = STEP) -> Mesh:
    return mesh(field, (-1.1, -0.05, -0.4), (1.1, 2.05, 0.4), step)


def _damaged(shape: Mesh) -> Mesh:
    """With a hole in the back and one under a foot, some triangles twice, and some inside out."""
    middles = shape.points[shape.faces].mean(axis=1)
    h = WATCHMAN.height
    back = np.linalg.norm(middles - [0.03, 0.7 * h, -0.09 * h], axis=1) < 0.035
    sole = (middles[:, 1] < 0.012) & (middles[:, 0] > 0)
    faces = shape.faces[~(back | sole)]
    rng = np.random.default_rng(20)
    turned = rng.choice(len(faces), 40, replace=False)
    faces[turned] = faces[turned, ::-1]
    return Mesh(shape.points, shape.normals, np.concatenate([faces, faces[rng.choice(len(faces), 60, replace=False)]]))


def _glb(name: str, garments: list[tuple[str, str, Mesh]], turned: float = 0.0, per_metre: float = 1.0) -> bytes:
    used = [key for key in MATERIALS if any(row[1] == key for row in garments)]
    nodes = [Node(name, -1, np.zeros(3), rotation.about([0, 1.0, 0], np.radians(turned)))]
    bodies = []
    for piece, material, shape in garments:
        bodies.append(
            Body(
                piece, len(nodes), [Surface(shape.points * per_metre, shape.faces, used.index(material), shape.normals)]
            )
        )
        nodes.append(Node(piece, 0, np.zeros(3), rotation.IDENTITY))
    materials = [Material(key, (*MATERIALS[key][0], 1.0), *MATERIALS[key][1:]) for key in used]
    return build(Parts(nodes, bodies, materials=materials), "Tidewater Clock Museum, demo/make.py")
