"""Generated rigs as people build them who never saw our plans: limbs that end early, mittens, capes, tails, ears and
wings besides arms, joints on one spot, and names in styles that the lexicon has not seen."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import Skeleton, unique_names
from armuto.tests import bodies, bone_names
from armuto.tests.bodies import Draft, Truth

Names = Callable[[list[str], np.random.Generator], list[str]]
SIDES = (("left", 1.0), ("right", -1.0))


def drop(d: Draft, joint: int) -> None:
    """Take a joint and everything below it away."""
    gone = set(d.below(joint))
    remaining = [old for old in range(len(d.keys)) if old not in gone]
    new = {old: n for n, old in enumerate(remaining)}
    d.keys, d.at, d.parts = (
        [d.keys[n] for n in remaining],
        [d.at[n] for n in remaining],
        [d.parts[n] for n in remaining],
    )
    d.parents = [new.get(d.parents[old], -1) for old in remaining]


def without(kind: str) -> Callable[[Draft, np.random.Generator], None]:
    """Both limbs end before this part."""

    def change(d: Draft, rng: np.random.Generator) -> None:
        for side, _ in SIDES:
            if f"{side} {kind}" in d.keys:
                drop(d, d.keys.index(f"{side} {kind}"))

    return change


def skip(d: Draft, joint: int) -> None:
    """Take one joint away; what hangs from it hangs from its parent."""
    above = d.parents[joint]
    d.parents = [above if parent == joint else parent for parent in d.parents]
    d.parents = [parent - (parent > joint) for n, parent in enumerate(d.parents) if n != joint]
    for rows in (d.keys, d.at, d.parts):
        del rows[joint]  # type: ignore[attr-defined]


def no_neck(d: Draft, rng: np.random.Generator) -> None:
    while "neck" in d.parts:
        skip(d, d.parts.index("neck"))


def no_spine(d: Draft, rng: np.random.Generator) -> None:
    """One bone between hips and arms, or a chest that begins at the hips' own place."""
    while "spine" in d.parts:
        skip(d, d.parts.index("spine"))
    if rng.random() < 0.3:
        chest = d.parts.index("chest")
        d.at[chest] = d.at[d.keys.index("hips")] + [0, 0.02, 0.0]


def mittens(d: Draft, rng: np.random.Generator) -> None:
    """One chain for all fingers of a hand, with or without a thumb, starting at the wrist itself or at the end of the
    palm."""
    thumb, on_wrist = rng.random() < 0.5, rng.random() < 0.6
    for side, s in SIDES:
        hand = d.keys.index(f"{side} hand")
        for child in [n for n, parent in enumerate(d.parents) if parent == hand][::-1]:
            drop(d, child)
        hand = d.keys.index(f"{side} hand")
        arm = d.at[hand] - d.at[d.parents[hand]]
        way, size = arm / np.linalg.norm(arm), 0.34 * float(np.linalg.norm(arm))
        base, joint = d.at[hand] if on_wrist else d.at[hand] + way * size * 0.5, hand
        for n, (share, label) in enumerate(((0.0, "proximal"), (0.5, "intermediate"), (0.9, "distal"))):
            joint = d.add(f"{side} fingers {n + 1}", joint, base + way * size * share, f"{side} index {label}")
        if thumb:
            aside = rotation.rotate(rotation.about([0.0, 1.0, 0.0], -s * 0.8), way)
            joint = hand
            for n, (share, label) in enumerate(((0.15, "metacarpal"), (0.45, "proximal"), (0.7, "distal"))):
                joint = d.add(
                    f"{side} thumb {n + 1}", joint, d.at[hand] + aside * size * share, f"{side} thumb {label}"
                )


def cape(d: Draft, rng: np.random.Generator) -> None:
    chest = _chest(d)
    wide, long = float(rng.uniform(0.04, 0.16)), float(rng.uniform(0.08, 0.2))
    for side, s in SIDES:
        at, joint = d.at[chest] + [s * wide, float(rng.uniform(0.02, 0.1)), -0.07], chest
        for n in range(int(rng.integers(3, 6))):
            joint = d.add(f"{side} cape {n + 1}", joint, at)
            at = at + [s * 0.02, -long, -0.02]


def wings(d: Draft, rng: np.random.Generator) -> None:
    """Wings on the back of somebody who has arms."""
    chest = _chest(d)
    span = float(rng.uniform(0.7, 1.6))
    for side, s in SIDES:
        joint = chest
        way = np.array([s, 0.25, -0.35])
        for n, share in enumerate((0.08, 0.3, 0.6, 0.85)):
            joint = d.add(f"{side} wing {n + 1}", joint, d.at[chest] + [0, 0.05, -0.08] + way * span * share * 0.5)


def ears(d: Draft, rng: np.random.Generator) -> None:
    head = d.keys.index("head")
    long = float(rng.uniform(0.05, 0.2))
    for side, s in SIDES:
        joint = head
        for n in range(int(rng.integers(1, 4))):
            at = d.at[head] + np.array([s * (0.05 + 0.01 * n), 0.1 + long * n * 0.5, -0.01])
            joint = d.add(f"{side} ear {n + 1}", joint, at)


def tail(d: Draft, rng: np.random.Generator) -> None:
    at, joint = d.at[d.keys.index("hips")] + [0, 0.02, -0.06], d.keys.index("hips")
    for n in range(int(rng.integers(3, 8))):
        joint = d.add(f"tail {n + 1}", joint, at)
        at = at + [0, float(rng.uniform(-0.08, 0.01)), -0.09]


def hair(d: Draft, rng: np.random.Generator) -> None:
    head = d.keys.index("head")
    for strand in range(int(rng.integers(1, 4))):
        at, joint = d.at[head] + [0.04 * (strand - 1), 0.12, -0.08], head
        for n in range(int(rng.integers(3, 6))):
            joint = d.add(f"hair {strand} {n + 1}", joint, at)
            at = at + [0, -0.07, -0.02]


def coincident(d: Draft, rng: np.random.Generator) -> None:
    """A second joint on the spot of some joints of limbs, as rigs have for twist, offsets and spaces."""
    for kind in ("upper arm", "lower arm", "hand", "upper leg", "lower leg", "foot"):
        if rng.random() < 0.35:
            for side, _ in SIDES:
                joint = d.keys.index(f"{side} {kind}") if f"{side} {kind}" in d.keys else -1
                if joint > 0:
                    above = d.add(f"{side} {kind} offset", d.parents[joint], d.at[joint])
                    d.parents[joint] = above


def _chest(d: Draft) -> int:
    return d.parts.index("chest")


FEATURES: dict[str, Callable[[Draft, np.random.Generator], None]] = {
    "plain": lambda d, rng: None,
    "no hands": without("hand"),
    "no feet": without("foot"),
    "no neck": no_neck,
    "no spine": no_spine,
    "mittens": mittens,
    "cape": cape,
    "wings": wings,
    "ears": ears,
    "tail": tail,
    "hair": hair,
    "coincident": coincident,
}

# Words of languages and trades that no lexicon of ours has.
UNSEEN: tuple[dict[str, str], ...] = (
    {
        "root": "wortel", "hips": "bekken", "spine": "ruggengraat", "neck": "nek", "head": "hoofd", "shoulder": "sleutelbeen",
        "upper arm": "bovenarm", "lower arm": "onderarm", "hand": "pols", "upper leg": "dij", "lower leg": "scheen",
        "foot": "voet", "toes": "tenen", "thumb": "duim", "index": "wijs", "middle": "midden", "ring": "ringv",
        "little": "pink", "left": "l", "right": "r",
    },
    {
        "root": "rot", "hips": "backen", "spine": "rygg", "neck": "hals", "head": "huvud", "shoulder": "nyckelben",
        "upper arm": "overarm", "lower arm": "underarm", "hand": "handled", "upper leg": "lar", "lower leg": "vad",
        "foot": "fot", "toes": "ta", "thumb": "tumme", "index": "pek", "middle": "lang", "ring": "ringf", "little": "lill",
        "left": "L", "right": "R",
    },
    {
        "root": "main", "hips": "ctr", "spine": "sp", "neck": "nk", "head": "hd", "shoulder": "sh", "upper arm": "ua",
        "lower arm": "la", "hand": "hn", "upper leg": "ul", "lower leg": "ll", "foot": "ft", "toes": "to", "thumb": "th",
        "index": "fa", "middle": "fb", "ring": "fc", "little": "fd", "left": "Lf", "right": "Rt",
    },
)  # fmt: skip
RUNS = {
    "arm": ("shoulder", "upper arm", "lower arm", "hand"),
    "leg": ("upper leg", "lower leg", "foot", "toes"),
}


def unseen(keys: list[str], rng: np.random.Generator) -> list[str]:
    words = UNSEEN[int(rng.integers(len(UNSEEN)))]
    join, end = str(rng.choice(["_", ".", "-"])), rng.random() < 0.5
    out = []
    for key in keys:
        side = next((word for word in ("left", "right") if key.startswith(word)), "")
        rest = key.removeprefix(side).strip()
        found = next((kind for kind in sorted(words, key=len, reverse=True) if rest.startswith(kind)), "")
        made = (words[found] + rest.removeprefix(found) if found else _coined(rest)).replace(" ", "")
        out.append(join.join([made, words[side]] if side and end else [words[side], made] if side else [made]))
    return out


def _coined(word: str) -> str:
    """A word that says nothing, the same for the same word."""
    return word.translate(str.maketrans("aeioubcdfghlmnprstw", "oyuieqxzvjkxzqvjkxz"))


def indexed(keys: list[str], rng: np.random.Generator) -> list[str]:
    """Limbs counted out from the trunk: "arm0_l" … "arm3_l", "leg1.r" …"""
    start, join = int(rng.integers(0, 2)), str(rng.choice(["_", "."]))
    out = []
    for key in keys:
        side = next((word for word in ("left", "right") if key.startswith(word)), "")
        rest = key.removeprefix(side).strip()
        for word, kinds in RUNS.items():
            if rest in kinds:
                present = [kind for kind in kinds if f"{side} {kind}" in keys]
                rest = f"{word}{present.index(rest) + start}"
        rest = "aux" if rest == "hip" else rest
        out.append(rest.replace(" ", "") + (f"{join}{side[0]}" if side else ""))
    return out


def convention(keys: list[str], rng: np.random.Generator) -> list[str]:
    return bone_names.convention(keys, rng, "convention")


STYLES: dict[str, Names] = {
    "convention": convention,
    "unseen": unseen,
    "indexed": indexed,
    "nonsense": lambda keys, rng: ["".join(rng.choice(list("bcdfghkmnpqstvwxz"), 6)) for _ in keys],
    "numbers": lambda keys, rng: [f"{n:03d}" for n in range(len(keys))],
}


def rig(rng: np.random.Generator, feature: str, style: str) -> tuple[Skeleton, Truth, list[str]]:
    """A two-legged rig with a feature of FEATURES, named in a style of STYLES; the joints of its parts; what each bone
    is.

    The one chain of a mitten stands for the index finger.
    """
    skeleton, truth, keys = bodies.two_legged(rng, True if feature == "mittens" else None, FEATURES[feature])
    names = unique_names(STYLES[style](keys, rng))
    return replace(skeleton, names=names), truth, keys


def turned(skeleton: Skeleton, q: FloatArray) -> Skeleton:
    """The skeleton with its roots turned by a rotation ``(4,)``."""
    roots = skeleton.parents < 0
    rotations, places = skeleton.rest_rotation.copy(), skeleton.rest_translation.copy()
    rotations[roots] = rotation.multiply(q, rotations[roots])
    places[roots] = rotation.rotate(q, places[roots])
    return replace(skeleton, rest_rotation=rotations, rest_translation=places)
