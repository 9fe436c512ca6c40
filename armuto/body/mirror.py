"""The twin of every bone on the other side of the body."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from armuto.body.names import read_names
from armuto.body.parts import Assignment
from armuto.kinematics.skeleton import Skeleton
from armuto.kinematics.vectors import unit

OFF = 0.03  # of the body's size: so close to the mirrored place a twin lies
OTHER = {"left": "right", "right": "left"}


def mirrored(part: str) -> str:
    """A part's name on the other side of the body; its own for a part of the middle."""
    side, _, rest = part.partition(" ")
    return f"{OTHER[side]} {rest}" if side in OTHER else part


def mirror_joints(skeleton: Skeleton, parts: Assignment) -> dict[int, int]:
    """The twin of every joint that has one: by its part, by its name with the other side, or by its place across the
    body."""
    out: dict[int, int] = {}
    for part, bones in parts.items():
        other = parts.get(mirrored(part), ())
        if mirrored(part) != part and len(other) == len(bones):
            out.update({a.joint: b.joint for a, b in zip(bones, other, strict=True)})
    taken = set(out)
    out |= {a: b for a, b in _by_name(skeleton).items() if a not in taken and b not in taken}
    taken = set(out)
    out |= {a: b for a, b in _by_place(skeleton, parts).items() if a not in taken and b not in taken}
    return out


def _by_name(skeleton: Skeleton) -> dict[int, int]:
    known: dict[tuple[object, ...], list[int]] = {}
    read = read_names(skeleton.names)
    for joint, name in enumerate(read):
        known.setdefault((name.words, name.side, name.numbers, name.helper), []).append(joint)
    out = {}
    for joint, name in enumerate(read):
        if name.side and name.words:
            twin = known.get((name.words, OTHER[name.side], name.numbers, name.helper), [])
            if len(twin) == 1 and len(known[name.words, name.side, name.numbers, name.helper]) == 1:
                out[joint] = twin[0]
    return out


def _by_place(skeleton: Skeleton, parts: Assignment) -> dict[int, int]:
    at = skeleton.rest.positions
    ways: Sequence[tuple[int, int]] = [
        (bones[0].joint, parts[mirrored(part)][0].joint)
        for part, bones in parts.items()
        if part.startswith("left ") and mirrored(part) in parts
    ]
    if not ways:
        return {}
    across = unit(np.sum([at[a] - at[b] for a, b in ways], axis=0))
    middle = float(np.mean([(at[a] + at[b]) @ across / 2 for a, b in ways]))
    aside = at @ across - middle
    reflected = at - 2 * aside[:, None] * across
    far = np.linalg.norm(reflected[:, None] - at[None], axis=-1)
    size = float(np.linalg.norm(np.ptp(at, axis=0))) or 1.0
    far[np.abs(aside) < 0.005 * size] = np.inf
    nearest = far.argmin(axis=1)
    return {
        joint: int(twin)
        for joint, twin in enumerate(nearest)
        if far[joint, twin] < OFF * size and nearest[twin] == joint and twin != joint
    }
