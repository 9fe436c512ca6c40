"""Which way a body faces, by its hips, shoulders and toes."""

from __future__ import annotations

import numpy as np

from armuto.body.parts import Assignment
from armuto.body.plans import plan_of
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import Skeleton


def facing_angle(
    skeleton: Skeleton, parts: Assignment, positions: FloatArray | None = None
) -> tuple[float | None, str]:
    """The angle in degrees about +Y from +Z to where an upright skeleton faces, positive towards +X.

    positions: ``(J, 3)`` of its joints in a posture; at rest where none is given.

    From the line through both hips, square to up, or through both shoulders where there are no hips; the toes are asked
    whether they agree. None when there are no sides to tell it by.
    """
    at, plan = (skeleton.rest.positions if positions is None else positions), plan_of(parts)
    across, hips = np.zeros(3), False
    # The hips tell it; shoulders may be turned against them, and are asked only where hips have no sides.
    for kinds, name in ((("upper leg",), "hips"), (("upper arm", "shoulder", "upper wing"), "shoulders")):
        for part in plan.parts:
            if part.side == "left" and part.kind.endswith(kinds) and not part.kind.startswith("front"):
                left, right = parts.get(part.name), parts.get(f"right {part.kind}")
                if left and right:
                    across = across + at[left[0].joint] - at[right[0].joint]
        hips = name == "hips"
        if float(np.linalg.norm(across * [1.0, 0.0, 1.0])) > 1e-6 * max(1.0, float(np.abs(at).max(initial=0.0))):
            break
    toes = np.zeros(3)
    for part in plan.parts:
        if part.kind.endswith("toes") and part.name in parts and part.follows in parts:
            toes = toes + at[parts[part.name][0].joint] - at[parts[part.follows][0].joint]
    across[1] = toes[1] = 0.0
    forward = np.cross(across, [0.0, 1.0, 0.0])
    if np.linalg.norm(forward) < 1e-9 * max(1.0, float(np.abs(at).max(initial=0.0))):
        if np.linalg.norm(toes) < 1e-9:
            return None, "the facing cannot be told: no left and right were recognised"
        forward, why = toes, "by the toes"
    else:
        agree = float(forward @ toes)
        why = f"by the {'hips' if hips else 'shoulders'}" + (", the toes agree" if agree > 0 else "")
        if agree < 0:
            why += "; the toes point the other way, so left and right may be swapped"
    degrees = float(np.degrees(np.arctan2(forward[0], forward[2])))
    degrees = 0.0 if abs(degrees) < 1e-6 else degrees
    return degrees, f"it faces {degrees:.1f}° from +Z {why}"
