"""Fittings that are broken on purpose, each in one way, to see that no grade calls what comes of them good."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.pairing import Pair
from armuto.retarget import fitting
from armuto.retarget.fitting import Fitting, FittingOverrides

Break = Callable[[Fitting, np.random.Generator], Fitting | None]
ARM = ("shoulder", "upper arm", "lower arm", "hand")
LEG = ("upper leg", "lower leg", "foot", "toes")
SIDES = ("left", "right")


def again(made: Fitting, pairs: tuple[Pair, ...] | None = None, overrides: FittingOverrides | None = None) -> Fitting:
    """The fitting made anew with other pairs, or with other overrides."""
    found = fitting.fit(
        made.source,
        made.target,
        pairs=made.pairs if pairs is None else pairs,
        source_stance=made.source_stance,
        target_stance=made.target_stance,
        plan=made.plan,
        overrides=made.overrides if overrides is None else overrides,
        like=made,
    )
    return found


def swapped(*limbs: tuple[str, ...]) -> Break:
    """The target's bones of left and right exchanged in these limbs."""
    kinds = {kind for limb in limbs for kind in limb}

    def broken(made: Fitting, rng: np.random.Generator) -> Fitting | None:
        by = {pair.part: pair for pair in made.pairs}
        pairs = []
        for pair in made.pairs:
            side, _, kind = (pair.part or "").partition(" ")
            other = by.get(f"{'right' if side == 'left' else 'left'} {kind}")
            fits = side in SIDES and other is not None and (not kinds or kind in kinds)
            pairs.append(replace(pair, target=other.target) if fits and other else pair)
        return again(made, tuple(pairs))

    return broken


def shifted(limb: tuple[str, ...], by: int, sides: tuple[str, ...] = SIDES) -> Break:
    """A limb's target bones taken one joint further in (-1) or out (1)."""

    def broken(made: Fitting, rng: np.random.Generator) -> Fitting | None:
        pairs = list(made.pairs)
        for side in sides:
            rows = {kind: n for n, p in enumerate(pairs) for kind in limb if p.part == f"{side} {kind}"}
            chain = [pairs[rows[kind]].target for kind in limb if kind in rows]
            if len(chain) < 3:
                return None
            index = made.target.index
            if by > 0:
                below = made.target.children[index[chain[-1][-1]]]
                chain = [*chain[1:], (made.target.names[below[0]],) if below else ()]
            else:
                above = int(made.target.parents[index[chain[0][0]]])
                taken = {name for pair in pairs for name in pair.target}
                first = made.target.names[above]
                chain = [(first,) if first not in taken else (), *chain[:-1]]
            for (_kind, n), bones in zip(sorted(rows.items(), key=lambda row: limb.index(row[0])), chain, strict=True):
                pairs[n] = replace(pairs[n], target=bones)
        # A bone serves one part.
        moved = {
            id(pairs[n]) for side in sides for n, p in enumerate(pairs) for kind in limb if p.part == f"{side} {kind}"
        }
        used = {name for pair in pairs if id(pair) in moved for name in pair.target}
        remaining = [pair for pair in pairs if pair.target and (id(pair) in moved or used.isdisjoint(pair.target))]
        return again(made, tuple(remaining))

    return broken


def turned(part: str, way: str, degrees: float) -> Break:
    """The target's stance turned by hand at a part. way: "out", "ahead", "about" its own bone or "up"."""

    def broken(made: Fitting, rng: np.random.Generator) -> Fitting | None:
        joint = next((j for j, driver in sorted(made.joint_mapping.items()) if driver.part == part), None)
        if joint is None:
            return None
        pose = made.target_pose
        below = [child for child in made.target.children[joint] if child in made.joint_mapping]
        along = pose.positions[below[0]] - pose.positions[joint] if below else np.array([1.0, 0.0, 0.0])
        axis = _axis(way, made.forward, along)
        q = rotation.about(rotation.rotate(rotation.inverse(pose.rotations[joint]), axis), np.radians(degrees))
        return fitting.turned_by_hand(made, made.target_stance.with_turn(joint, q))

    return broken


def _axis(way: str, forward: FloatArray, along: FloatArray) -> FloatArray:
    up = np.array([0.0, 1.0, 0.0])
    along = along / np.linalg.norm(along)
    if way == "about":
        return along
    if way == "up":
        return up
    # Square to the bone, so that it is turned by all of the angle.
    axis = np.cross(along, forward if way == "out" else np.cross(up, forward))
    return np.asarray(axis / np.linalg.norm(axis)) if np.linalg.norm(axis) > 0.2 else np.cross(along, up)


def told(**overrides: float) -> Break:
    def broken(made: Fitting, rng: np.random.Generator) -> Fitting | None:
        values = {}
        for name, value in overrides.items():
            if name.endswith("facing"):
                values[name] = getattr(made, name) + value
            elif name.endswith("floor"):
                side = ("source", "target").index(name.split("_")[0])
                height = made.target_pose.positions[:, 1].max() - made.target_pose.positions[:, 1].min()
                values[name] = made.floors[side] + value * (height if side else height / made.scale)
            else:
                values[name] = made.scale * value
        return again(made, overrides=replace(made.overrides, **values))

    return broken


KINDS: dict[str, Break] = {
    "arms swapped": swapped(ARM),
    "legs swapped": swapped(LEG),
    "arms and legs swapped": swapped(),
    "arms one joint in": shifted(ARM, -1),
    "arms one joint out": shifted(ARM, 1),
    "one arm one joint in": shifted(ARM, -1, ("left",)),
    "legs one joint out": shifted(LEG, 1),
    "trunk turned": turned("chest", "up", 50.0),
    "hips turned": turned("hips", "up", 50.0),
    "body turned about": told(target_facing=180.0),
    "target faces wrong": told(target_facing=60.0),
    "source faces wrong": told(source_facing=-75.0),
    "too large": told(size=1.35),
    "too small": told(size=0.7),
    "target's floor too high": told(target_floor=0.06),
    "target's floor too low": told(target_floor=-0.06),
    "source's floor wrong": told(source_floor=0.06),
    "upper arm off by 25°": turned("left upper arm", "out", 25.0),
    "forearm off by 25°": turned("right lower arm", "ahead", 25.0),
    "thigh off by 25°": turned("left upper leg", "ahead", 25.0),
    "shin off by 25°": turned("right lower leg", "ahead", 25.0),
    "foot off by 25°": turned("left foot", "ahead", 25.0),
    "upper arm rolled by 40°": turned("left upper arm", "about", 40.0),
    "thigh rolled by 40°": turned("right upper leg", "about", 40.0),
    "body leans by 30°": turned("hips", "ahead", 30.0),
}
