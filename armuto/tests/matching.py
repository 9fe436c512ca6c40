"""How often the matcher is right, on generated bodies whose parts are known. Tests run a few, `make bench` many."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, field, replace

import numpy as np

from armuto import pairing
from armuto.body.mirror import mirrored
from armuto.body.parts import Assignment
from armuto.kinematics.skeleton import Skeleton, unique_names
from armuto.tests import animals, bodies, bone_names, rigs


@dataclass
class Tally:
    """parts, right and swapped by naming style; claims: confidence of every claim, and whether it was right."""

    parts: Counter[str] = field(default_factory=Counter)
    right: Counter[str] = field(default_factory=Counter)
    swapped: Counter[str] = field(default_factory=Counter)
    claims: list[tuple[float, bool]] = field(default_factory=list)
    misses: list[str] = field(default_factory=list)

    def share(self, *styles: str) -> float:
        chosen = styles or tuple(self.parts)
        return sum(self.right[s] for s in chosen) / sum(self.parts[s] for s in chosen)

    def sure(self, least: float) -> tuple[int, float]:
        """How many claims are at least so sure, and the share of them that is right."""
        right = [ok for confidence, ok in self.claims if confidence >= least]
        return len(right), float(np.mean(right)) if right else 1.0

    def add(self, style: str, found: Assignment, truth: bodies.Truth, note: str = "") -> None:
        part_of = {joint: part for part, joints in truth.items() for joint in joints}
        for part, joints in truth.items():
            claimed = {bone.joint for bone in found.get(part, ())}
            # Of several roots any one will do.
            wanted, hit = (
                (1, bool(claimed & set(joints))) if part == "root" else (len(joints), len(claimed & set(joints)))
            )
            self.parts[style] += wanted
            self.right[style] += hit
            if hit < wanted:
                self.misses.append(f"{note}{part}: {sorted(claimed)} for {list(joints)}")
            if mirrored(part) != part:
                self.swapped[style] += any(bone.joint in joints for bone in found.get(mirrored(part), ()))
        self.claims += [
            (bone.confidence, part_of.get(bone.joint) == part) for part, own in found.items() for bone in own
        ]


def generated(count: int, seed: int = 0) -> list[tuple[str, Skeleton, bodies.Truth]]:
    """Two-legged bodies, each in one naming style, the styles taking turns."""
    rng = np.random.default_rng(seed)
    out = []
    for n in range(count):
        skeleton, truth, keys = bodies.two_legged(rng)
        style = bone_names.STYLES[n % len(bone_names.STYLES)]
        out.append((style, bone_names.named(skeleton, keys, rng, style), truth))
    return out


def tally(count: int, seed: int = 0) -> Tally:
    made = Tally()
    for n, (style, skeleton, truth) in enumerate(generated(count, seed)):
        made.add(style, pairing.assign(skeleton), truth, f"{n} {style}, ")
    return made


def animal_tally(count: int, seed: int = 0) -> Tally:
    """Animals of :mod:`armuto.tests.animals` under names that say nothing, kinds and styles taking turns; tallied by
    kind.

    Ears and eyes have no truth of their own: a claim of one is right on a bone that is one, of that side.
    """
    made, kinds, styles = Tally(), list(animals.KINDS), ("nonsense", "numbers")
    for n in range(count):
        kind, style = kinds[n % len(kinds)], styles[(n // len(kinds)) % len(styles)]
        rng = np.random.default_rng(seed * 100_000 + n)
        skeleton, truth, keys = animals.four_legged(rng, kind)
        found = pairing.assign(replace(skeleton, names=unique_names(rigs.STYLES[style](keys, rng))))
        twins = {part: own for part, own in found.items() if part.endswith(("ear", "eye"))}
        made.add(kind, {part: own for part, own in found.items() if part not in twins}, truth, f"{n} {kind}, {style}, ")
        made.claims += [
            (bone.confidence, keys[bone.joint].startswith(part)) for part, own in twins.items() for bone in own
        ]
    return made


def rig_tally(count: int, seed: int = 0) -> Tally:
    """Rigs of :mod:`armuto.tests.rigs`, features and naming styles taking turns; tallied by feature."""
    made = Tally()
    features, styles = list(rigs.FEATURES), list(rigs.STYLES)
    for n in range(count):
        feature, style = features[n % len(features)], styles[(n // len(features)) % len(styles)]
        skeleton, truth, _ = rigs.rig(np.random.default_rng(seed * 100_000 + n), feature, style)
        # Ears and tails are parts of other plans, by which such a body may be read.
        found = {part: own for part, own in pairing.assign(skeleton).items() if part.split()[-1] not in ("ear", "tail")}
        made.add(feature, found, truth, f"{n} {feature}, {style}, ")
    return made
