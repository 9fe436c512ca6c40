"""Names for the bones of made bodies, in several languages and conventions."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.skeleton import Skeleton, unique_names

WORDS: dict[str, dict[str, list[str]]] = {
    "english": {
        "root": ["root", "origin", "reference", "travel"], "hips": ["hips", "pelvis", "hip"],
        "spine": ["spine", "back", "torso", "vertebra"], "neck": ["neck"], "head": ["head", "skull"],
        "shoulder": ["clavicle", "collar", "shoulder"], "upper arm": ["upper arm", "arm", "humerus"],
        "lower arm": ["forearm", "lower arm", "elbow"], "hand": ["hand", "wrist"],
        "upper leg": ["upper leg", "thigh", "up leg", "femur"], "lower leg": ["lower leg", "shin", "calf", "knee", "leg"],
        "foot": ["foot", "ankle"], "toes": ["toe", "toes", "ball"], "eye": ["eye"], "jaw": ["jaw"], "thumb": ["thumb"],
        "index": ["index"], "middle": ["middle"], "ring": ["ring"], "little": ["little", "pinky"],
        "palm": ["palm", "metacarpal"], "twist": ["twist", "roll"], "end": ["end", "nub", "tip"], "tail": ["tail"],
        "cape": ["cape"], "hair": ["hair"], "prop": ["prop", "weapon", "socket"], "control": ["ik", "control", "target"],
        "pivot": ["pivot", "aux"], "hip": ["hip", "aux"], "left": ["left", "l", "L", "lt"], "right": ["right", "r", "R", "rt"],
    },
    "german": {
        "root": ["wurzel"], "hips": ["becken", "hüfte"], "spine": ["wirbel", "wirbelsäule", "rücken"],
        "neck": ["hals", "nacken"],
        "head": ["kopf"], "shoulder": ["schlüsselbein", "schulter"], "upper arm": ["oberarm"], "lower arm": ["unterarm"],
        "hand": ["hand"], "upper leg": ["oberschenkel"], "lower leg": ["unterschenkel"], "foot": ["fuß", "fuss"],
        "toes": ["zehen", "zehe"], "eye": ["auge"], "jaw": ["kiefer"], "thumb": ["daumen"], "index": ["zeigefinger"],
        "middle": ["mittelfinger"], "ring": ["ringfinger"], "little": ["kleiner finger"], "palm": ["mittelhand"],
        "twist": ["drehung"], "end": ["ende"], "tail": ["schwanz"], "cape": ["umhang"], "hair": ["haar"], "prop": ["requisit"],
        "control": ["ziel"], "pivot": ["hilfe"], "hip": ["hilfe"], "left": ["links", "l"], "right": ["rechts", "r"],
    },
    "french": {
        "root": ["racine"], "hips": ["bassin", "hanches"], "spine": ["colonne", "dos"], "neck": ["cou"],
        "head": ["tête", "tete"],
        "shoulder": ["clavicule", "épaule"], "upper arm": ["bras"], "lower arm": ["avant bras"], "hand": ["main"],
        "upper leg": ["cuisse"], "lower leg": ["mollet", "tibia"], "foot": ["pied"], "toes": ["orteils"], "eye": ["œil"],
        "jaw": ["mâchoire"], "thumb": ["pouce"], "index": ["index"], "middle": ["majeur"], "ring": ["annulaire"],
        "little": ["auriculaire"], "palm": ["paume"], "twist": ["torsion"], "end": ["fin"], "tail": ["queue"], "cape": ["cape"],
        "hair": ["cheveux"], "prop": ["accessoire"], "control": ["cible"], "pivot": ["aide"], "hip": ["aide"],
        "left": ["gauche", "g"], "right": ["droite", "d"],
    },
    "spanish": {
        "root": ["raíz", "raiz"], "hips": ["cadera", "pelvis"], "spine": ["columna", "espalda"], "neck": ["cuello"],
        "head": ["cabeza"], "shoulder": ["clavícula", "hombro"], "upper arm": ["brazo"], "lower arm": ["antebrazo"],
        "hand": ["mano"], "upper leg": ["muslo"], "lower leg": ["pantorrilla", "espinilla"], "foot": ["pie"],
        "toes": ["dedos pie"],
        "eye": ["ojo"], "jaw": ["mandíbula"], "thumb": ["pulgar"], "index": ["índice"], "middle": ["medio"], "ring": ["anular"],
        "little": ["meñique"], "palm": ["palma"], "twist": ["giro"], "end": ["fin"], "tail": ["cola"], "cape": ["capa"],
        "hair": ["pelo"], "prop": ["objeto"], "control": ["control"], "pivot": ["ayuda"], "hip": ["ayuda"],
        "left": ["izquierda", "izq"], "right": ["derecha", "der"],
    },
}  # fmt: skip

Style = Callable[[list[str], str, np.random.Generator], list[str]]
JOINS = ("_", ".", "-", " ", "", "Camel")


def named(skeleton: Skeleton, keys: list[str], rng: np.random.Generator, style: str) -> Skeleton:
    """The skeleton under names of a style: by a convention, with or without a fault in it, or names that say
    nothing."""
    if style == "nonsense":
        letters = np.array(list("bcdfghkmnpqstvwxz"))
        names = ["".join(rng.choice(letters, 6)) for _ in keys]
    elif style == "numbers":
        names = [f"{n:03d}" for n in range(len(keys))]
    elif style == "none":
        names = ["" for _ in keys]
    else:
        names = convention(keys, rng, style)
    return replace(skeleton, names=unique_names(names))


def convention(keys: list[str], rng: np.random.Generator, style: str) -> list[str]:
    words = WORDS[str(rng.choice(list(WORDS), p=[0.64, 0.12, 0.12, 0.12]))]
    picked = {kind: str(rng.choice(choices)) for kind, choices in words.items() if kind not in ("left", "right")}
    n = int(rng.integers(len(words["left"])))
    left, right = words["left"][n], words["right"][n]
    if style == "swapped":
        left, right = right, left
    if style == "hip as thigh":
        picked["upper leg"] = "hip"
        picked["hips"] = "pelvis" if picked["hips"] == "hip" else picked["hips"]
        picked["hip"] = "aux"
    # One collar bone and one shoulder joint cannot both be called shoulder.
    if picked["shoulder"] == "shoulder" and picked["upper arm"] == "shoulder":
        picked["shoulder"] = "clavicle"
    where, join = str(rng.choice(["front", "end", "middle"])), str(rng.choice(JOINS))
    if len(left) == 1 and join == "":
        join = "_"
    prefix = str(rng.choice(["", "", "", "night:", "fig_", "TW-", "rig.", "shift|"]))
    digits = str(rng.choice(["{}", "{:02d}", "{:03d}"]))
    start = int(rng.integers(0, 2))
    names = [prefix + _name(key, picked, left, right, where, join, digits, start) for key in keys]
    if style == "misspelt":
        for joint in rng.choice(len(names), int(rng.integers(1, 5)), replace=False):
            names[joint] = _misspelt(names[joint], rng)
    return names


def _name(
    key: str, picked: dict[str, str], left: str, right: str, where: str, join: str, digits: str, start: int
) -> str:
    side, rest = "", key
    for word, mark in (("left ", left), ("right ", right)):
        if key.startswith(word):
            side, rest = mark, key[len(word) :]
    number = ""
    head, _, tail = rest.rpartition(" ")
    if tail.isdigit():
        number, rest = digits.format(int(tail) - 1 + start), head
    out: list[str] = []
    while rest:
        # The longest known phrase at the front: "upper arm", "foot", "twist".
        found = next(
            (kind for kind in sorted(picked, key=len, reverse=True) if (rest + " ").startswith(kind + " ")), rest
        )
        out += picked.get(found, found).split()
        rest = rest[len(found) :].strip()
    if side:
        out.insert({"front": 0, "end": len(out), "middle": min(1, len(out))}[where], side)
    if join == "Camel":
        return "".join(word[:1].upper() + word[1:] for word in out) + number
    return join.join([*out, number] if number and join not in ("", " ") else out) + (
        "" if join not in ("", " ") else number
    )


def _misspelt(name: str, rng: np.random.Generator) -> str:
    """One letter doubled, dropped or swapped with its neighbour, inside a word of at least five letters."""
    runs = [n for n in range(1, len(name) - 3) if name[n - 1 : n + 4].isalpha() and name[n : n + 3].islower()]
    if not runs:
        return name
    at = int(rng.choice(runs)) + 1
    kind = int(rng.integers(3))
    if kind == 0:
        return name[:at] + name[at] + name[at:]
    if kind == 1:
        return name[:at] + name[at + 1 :]
    return name[:at] + name[at + 1] + name[at] + name[at + 2 :]


STYLES = ("convention", "misspelt", "swapped", "hip as thigh", "nonsense", "numbers", "none")


def disguised(skeleton: Skeleton, rng: np.random.Generator) -> Skeleton:
    """A known skeleton with other proportions, facing another way: wider or narrower, longer or shorter, its lower half
    taller or lower, as whole bodies differ, with a little noise that is the same on both sides.
    """
    at = skeleton.rest.positions - skeleton.rest.positions.min(axis=0)
    tall = float(at[:, 1].max()) or 1.0
    bend = float(np.exp(rng.normal(0, 0.15)))
    size = np.exp(rng.normal(0, 0.12, 3))
    out = at * size
    out[:, 1] = tall * (at[:, 1] / tall) ** bend * size[1]
    out[:, 0] -= out[:, 0].mean()
    keys = {}
    for joint, place in enumerate(at):
        twin = (round(abs(float(place[0] - at[:, 0].mean())), 3), round(float(place[1]), 3), round(float(place[2]), 3))
        keys.setdefault(twin, rng.normal(0, 0.006 * tall, 2))
        out[joint, 1:] += keys[twin]
    turn = rotation.about([0, 1, 0], rng.uniform(0, 2 * np.pi))
    out = rotation.rotate(turn, out)
    offsets = out.copy()
    for joint, parent in enumerate(skeleton.parents):
        if parent >= 0:
            offsets[joint] = out[joint] - out[parent]
    upright = np.tile(rotation.IDENTITY, (len(skeleton), 1))
    return replace(skeleton, rest_translation=offsets, rest_rotation=upright)
