"""Bones for twist: unpaired bones on the line from one paired bone to the next, which share the turn of skin between
them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from armuto.kinematics.skeleton import Skeleton
from armuto.pairing.joint_mapping import JointDriver

NEAR = 0.04  # of the bone's length: so close to the line a bone for twist lies


@dataclass(frozen=True)
class Twist:
    """joint lies ``share`` of the way from ``upper`` to ``lower``, both driven, and takes that share of the turn of
    ``lower``."""

    joint: int
    upper: int
    lower: int
    share: float


def twists(target: Skeleton, mapping: Mapping[int, JointDriver]) -> tuple[Twist, ...]:
    """All bones for twist of a skeleton of which the joints ``mapping`` are paired."""
    at = target.rest.positions
    below: dict[int, list[int]] = {}
    for joint in mapping:
        above = target.above(joint, mapping)
        if above is not None:
            below.setdefault(above, []).append(joint)
    out = []
    for joint in range(len(target)):
        if joint in mapping:
            continue
        upper = target.above(joint, mapping)
        if upper is None:
            continue
        for lower in below.get(upper, ()):
            line, offset = at[lower] - at[upper], at[joint] - at[upper]
            length = float(np.linalg.norm(line))
            share = float(offset @ line) / length**2 if length > 0 else 0.0
            if 0.05 < share < 1.0 and float(np.linalg.norm(offset - share * line)) < NEAR * length:
                # A spine or a palm that is partly unpaired is no row of bones for twist: there, one bone leads on to
                # many.
                if len(below[upper]) == 1:
                    out.append(Twist(joint, upper, lower, share))
                break
    return tuple(out)
