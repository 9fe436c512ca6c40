"""Generated animals on four legs whose parts are known: dogs, horses and lizards of many proportions, with tails and
ears."""

from __future__ import annotations

import numpy as np

from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import Skeleton
from armuto.tests import bodies
from armuto.tests.bodies import Draft, Truth

# Where joints are, in the height of the withers: (aside, up, ahead).
Points = dict[str, list[tuple[float, float, float]]]
KINDS: dict[str, Points] = {
    "dog": {
        "trunk": [(0, 0.95, -0.55), (0, 1.0, 0.2)],
        "neck": [(0, 1.05, 0.3), (0, 1.35, 0.6)],
        "front": [(0.08, 1.05, 0.2), (0.11, 0.82, 0.34), (0.11, 0.62, 0.2), (0.11, 0.26, 0.22), (0.11, 0.06, 0.28)],
        "hind": [(0.1, 0.92, -0.56), (0.12, 0.58, -0.4), (0.12, 0.3, -0.66), (0.12, 0.06, -0.58)],
        "tail": [(0, 0.95, -0.66), (0, 0.85, -1.2)],
    },
    "horse": {
        "trunk": [(0, 0.98, -0.6), (0, 0.95, 0.3)],
        "neck": [(0, 1.0, 0.42), (0, 1.5, 0.85)],
        "front": [(0.07, 0.98, 0.3), (0.12, 0.72, 0.44), (0.13, 0.58, 0.26), (0.13, 0.31, 0.3), (0.13, 0.13, 0.32)],
        "hind": [(0.12, 0.8, -0.56), (0.14, 0.6, -0.4), (0.14, 0.38, -0.62), (0.14, 0.13, -0.56)],
        "tail": [(0, 0.98, -0.72), (0, 0.5, -0.86)],
    },
    "lizard": {
        "trunk": [(0, 1.0, -1.5), (0, 1.05, 1.3)],
        "neck": [(0, 1.05, 1.7), (0, 1.1, 2.2)],
        "front": [(0.15, 1.05, 1.3), (0.4, 1.0, 1.3), (1.1, 1.1, 1.0), (1.35, 0.3, 1.3), (1.5, 0.05, 1.6)],
        "hind": [(0.4, 0.95, -1.5), (1.2, 1.15, -1.1), (1.45, 0.3, -1.5), (1.7, 0.05, -1.1)],
        "tail": [(0, 0.95, -1.9), (0, 0.3, -6.0)],
    },
}
FRONT = ("shoulder", "upper leg", "lower leg", "foot", "toes")
HIND = ("upper leg", "lower leg", "foot", "toes")


def four_legged(rng: np.random.Generator, kind: str) -> tuple[Skeleton, Truth, list[str]]:
    """An animal of a kind of KINDS, the joints of its parts, and what every bone is in plain words."""
    d, points, chance = Draft(), KINDS[kind], rng.random
    stretch = np.exp(rng.normal(0, [0.12, 0.1, 0.1]))

    def place(at: tuple[float, float, float], share: float = 0.05) -> FloatArray:
        return np.asarray(np.array(at) * stretch * np.exp(rng.normal(0, share, 3)))

    def run(ends: list[tuple[float, float, float]], count: int) -> list[FloatArray]:
        first, last = np.array(ends[0]) * stretch, np.array(ends[1]) * stretch
        return [first + (last - first) * n / max(count - 1, 1) for n in range(count)]

    parent = d.add("root", -1, np.zeros(3), "root") if chance() < 0.5 else -1
    trunk = run(points["trunk"], int(rng.integers(3, 8)))
    hips = joint = d.add("hips", parent, trunk[0], "hips")
    for n, at in enumerate(trunk[1:], 1):
        last = n == len(trunk) - 1
        joint = d.add(f"spine {n}", joint, at, "chest" if last else "spine")
    chest = joint
    for n, at in enumerate(run(points["neck"], int(rng.integers(2, 6)))):
        joint = d.add(f"neck {n + 1}", joint, at, "neck")
    d.keys[joint], d.parts[joint] = "head", "head"
    head, size = joint, float(np.linalg.norm(d.at[joint] - d.at[chest]))
    if chance() < 0.7:
        d.add("jaw", head, d.at[head] + np.array([0, -0.06, 0.1]) * size, "jaw")
    if chance() < 0.7:
        long = float(rng.uniform(0.1, 0.35))
        count = int(rng.integers(1, 4))
        for side, s in (("left", 1.0), ("right", -1.0)):
            joint = head
            for n in range(count):
                at = d.at[head] + np.array([s * (0.1 + 0.03 * n), 0.15 + long * n / 2, -0.05]) * size
                joint = d.add(f"{side} ear {n + 1}", joint, at)
    if chance() < 0.4:
        d.add("head end", head, d.at[head] + np.array([0, -0.02, 0.4]) * size)
    blades, toes = chance() < 0.7, chance() < 0.8
    legs = {(end, n): place(at) for end in ("front", "hind") for n, at in enumerate(points[end])}
    for side, s in (("left", 1.0), ("right", -1.0)):
        for end, kinds, start in (("front", FRONT, chest), ("hind", HIND, hips)):
            joint = start
            for n, word in enumerate(kinds):
                if (word == "shoulder" and not blades) or (word == "toes" and not toes):
                    continue
                mirrored = legs[end, n] * [s, 1.0, 1.0] * np.exp(rng.normal(0, 0.005, 3))
                joint = d.add(f"{side} {end} {word}", joint, mirrored, f"{side} {end} {word}")
    if chance() < 0.85:
        joint = hips
        for n, at in enumerate(run(points["tail"], int(rng.integers(2, 10)))):
            joint = d.add(f"tail {n + 1}", joint, at, "tail")
    return bodies.built(d, rng, float(rng.uniform(0.2, 1.6)))
