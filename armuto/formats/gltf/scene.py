"""What the writers of COLLADA and USD need of a figure's parts: which nodes are joints, and their transforms over
time."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from armuto.formats.gltf.building import Node, Parts
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray


@dataclass(frozen=True)
class Motion:
    """times ``(F,)`` in seconds; per node number translations ``(F, 3)``, rotations ``(F, 4)`` and scale ``(3,)``."""

    name: str
    times: FloatArray
    translations: dict[int, FloatArray]
    rotations: dict[int, FloatArray]


def in_space(parts: Parts, unit: float, turn: FloatArray) -> Parts:
    """The parts with lengths in another unit and other axes: every transform M becomes S M S⁻¹, S = turn⁻¹ / unit.

    unit: metres per unit. turn: quaternion ``(4,)`` that brings the wanted up axis to +Y, a turn between axes. Scales
    keep their order along the axes they belong to.
    """
    back = rotation.inverse(turn)
    axes = np.abs(np.round(rotation.to_matrix(back)))

    def place(v: FloatArray) -> FloatArray:
        return rotation.rotate(back, np.asarray(v, float)) / unit

    def turned(q: FloatArray) -> FloatArray:
        return rotation.multiply(rotation.multiply(back, np.asarray(q, float)), turn)

    change = np.eye(4)
    change[:3, :3] = rotation.to_matrix(back) / unit
    into = np.linalg.inv(change)

    def scaled(v: FloatArray) -> FloatArray:
        return np.asarray(v @ axes.T)

    values = {"translation": place, "rotation": turned, "scale": scaled}
    return replace(
        parts,
        nodes=[
            replace(
                node,
                translation=place(node.translation),
                rotation=turned(node.rotation),
                scale=None if node.scale is None else scaled(node.scale),
            )
            for node in parts.nodes
        ],
        bodies=[
            replace(
                body,
                surfaces=[
                    replace(
                        surface,
                        points=place(surface.points),
                        normals=None if surface.normals is None else rotation.rotate(back, surface.normals),
                    )
                    for surface in body.surfaces
                ],
            )
            for body in parts.bodies
        ],
        skins=[replace(skin, binds=change @ skin.binds @ into) for skin in parts.skins],
        animations=[
            (name, [replace(track, values=values[track.path](track.values)) for track in tracks])
            for name, tracks in parts.animations
        ],
    )


def without_scale(parts: Parts) -> Parts:
    """The parts with uniform scales of nodes that keep them put into what lies below: the same places, in transforms
    that turn and shift alone. Other scales stay."""
    scaled = {track.node for _, tracks in parts.animations for track in tracks if track.path == "scale"}
    own = [
        float(scale_of(node)[0]) if n not in scaled and np.ptp(scale_of(node)) < 1e-9 else 1.0
        for n, node in enumerate(parts.nodes)
    ]
    above, total = np.ones(len(own)), np.ones(len(own))
    for n, node in enumerate(parts.nodes):
        above[n] = total[node.parent] if node.parent >= 0 else 1.0
        total[n] = above[n] * own[n]
    if np.all(total == 1.0):
        return parts
    return replace(
        parts,
        nodes=[
            replace(
                node,
                translation=np.asarray(node.translation) * above[n],
                scale=None if node.scale is None else node.scale / own[n],
            )
            for n, node in enumerate(parts.nodes)
        ],
        bodies=[
            body
            if body.skin is not None
            else replace(
                body, surfaces=[replace(surface, points=surface.points * total[body.node]) for surface in body.surfaces]
            )
            for body in parts.bodies
        ],
        skins=[
            replace(skin, binds=np.array([np.diag([total[n]] * 3 + [1.0]) for n in skin.joints]) @ skin.binds)
            for skin in parts.skins
        ],
        animations=[
            (
                name,
                [
                    replace(track, values=track.values * above[track.node]) if track.path == "translation" else track
                    for track in tracks
                ],
            )
            for name, tracks in parts.animations
        ],
    )


def matrix(node: Node) -> FloatArray:
    """Local transform ``(4, 4)`` of a node at rest."""
    out: FloatArray = matrices(node.translation[None], node.rotation[None], scale_of(node))[0]
    return out


def scale_of(node: Node) -> FloatArray:
    return np.ones(3) if node.scale is None else node.scale


def matrices(translations: FloatArray, rotations: FloatArray, scale: FloatArray) -> FloatArray:
    """``(F, 4, 4)`` from translations ``(F, 3)``, rotations ``(F, 4)`` and one scale."""
    out = np.tile(np.eye(4), (len(translations), 1, 1))
    out[:, :3, :3] = rotation.to_matrix(rotations) * scale
    out[:, :3, 3] = translations
    return out


def world(parts: Parts) -> list[FloatArray]:
    """World transform of every node at rest."""
    out: list[FloatArray] = []
    for node in parts.nodes:
        own = matrix(node)
        out.append(out[node.parent] @ own if node.parent >= 0 else own)
    return out


def joints(parts: Parts) -> list[int]:
    """Nodes that belong to a skeleton: skinned or animated ones with everything above them, parents first."""
    skinned = {node for skin in parts.skins for node in skin.joints}
    skinned |= {track.node for _, tracks in parts.animations for track in tracks}
    for node in list(skinned):
        while (node := parts.nodes[node].parent) >= 0:
            skinned.add(node)
    if not skinned:
        carriers = {body.node for body in parts.bodies}
        skinned = {n for n in range(len(parts.nodes)) if n not in carriers}
    return sorted(skinned)


def motion(parts: Parts) -> Motion | None:
    """The first animation, its keys at the times of its densest track. Tracks are linear."""
    if not parts.animations:
        return None
    name, tracks = parts.animations[0]
    times = max((track.times for track in tracks), key=len)
    shifts: dict[int, FloatArray] = {}
    turns: dict[int, FloatArray] = {}
    for track in tracks:
        if track.path == "rotation":
            turns[track.node] = rotation.normalised(_at(times, track.times, rotation.continuous(track.values)))
        elif track.path == "translation":
            shifts[track.node] = _at(times, track.times, track.values)
    for node in set(shifts) | set(turns):
        rest = parts.nodes[node]
        shifts.setdefault(node, np.tile(rest.translation, (len(times), 1)))
        turns.setdefault(node, np.tile(rest.rotation, (len(times), 1)))
    return Motion(name, times, shifts, turns)


def _at(times: FloatArray, own: FloatArray, values: FloatArray) -> FloatArray:
    if len(own) == len(times) and np.array_equal(own, times):
        return values
    return np.stack([np.interp(times, own, values[:, k]) for k in range(values.shape[1])], axis=1)


def unique_ids(names: list[str], allowed: str) -> list[str]:
    """Names made of letters, digits and the allowed marks alone, none of them twice and none beginning with a digit."""
    seen: set[str] = set()
    out = []
    for name in names:
        text = "".join(c if (c.isascii() and c.isalnum()) or c in allowed else "_" for c in name) or "node"
        text = text if text[0].isalpha() or text[0] == "_" else f"_{text}"
        candidate, number = text, 1
        while candidate in seen:
            number += 1
            candidate = f"{text}_{number}"
        seen.add(candidate)
        out.append(candidate)
    return out
