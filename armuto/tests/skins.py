"""Skins for generated bodies: a surface about their bones, as a sculptor would have made it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage
from skimage.measure import marching_cubes

from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import Skeleton
from armuto.tests.bodies import Truth

# Of the height: how thick bodies are about the parts' bones, where they begin and end.
THICK = {
    "hips": (0.075, 0.075),
    "spine": (0.068, 0.068),
    "chest": (0.075, 0.05),
    "neck": (0.03, 0.03),
    "head": (0.05, 0.055),
    "shoulder": (0.035, 0.035),
    "upper arm": (0.030, 0.024),
    "lower arm": (0.024, 0.0155),
    "hand": (0.017, 0.015),
    "upper leg": (0.05, 0.036),
    "lower leg": (0.034, 0.022),
    "foot": (0.024, 0.02),
    "toes": (0.018, 0.014),
    "finger": (0.0075, 0.006),
}
#: The same of animals on four legs, whose trunks are thicker for the height of their heads.
THICK_ANIMAL = {
    **{"hips": (0.1, 0.1), "spine": (0.1, 0.105), "chest": (0.11, 0.1), "neck": (0.065, 0.05), "head": (0.05, 0.035)},
    **{"tail": (0.022, 0.015), "front shoulder": (0.045, 0.05), "front upper leg": (0.045, 0.034)},
    **{"front lower leg": (0.03, 0.021), "front foot": (0.022, 0.019), "front toes": (0.02, 0.018)},
    **{"hind upper leg": (0.065, 0.045), "hind lower leg": (0.04, 0.022), "hind foot": (0.021, 0.019)},
    **{"hind toes": (0.02, 0.018)},
}
GRID = 150  # voxels over the height
SIDEWAYS = {"hips": 0.055, "chest": 0.06, "spine": 0.045}  # how far trunks reach to the sides of their bones


def skin(rng: np.random.Generator, skeleton: Skeleton, truth: Truth) -> tuple[FloatArray, NDArray[np.int64]]:
    """Points ``(P, 3)`` and triangles ``(T, 3)`` of a body, a little thicker or thinner here and there."""
    strokes = list(_strokes(rng, skeleton, truth))
    ends = np.concatenate([np.stack([a, b]) for a, b, _, _ in strokes])
    height = float(np.ptp(ends[:, 1]))
    margin = 0.12 * height
    low, high = ends.min(axis=0) - margin, ends.max(axis=0) + margin
    pitch = height / GRID
    axes = [np.arange(low[k], high[k], pitch) for k in range(3)]
    grid = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1)
    field = np.full(grid.shape[:3], np.inf)
    for a, b, thick_a, thick_b in strokes:
        reach = max(thick_a, thick_b) + 3 * pitch
        box = tuple(
            slice(
                max(int((min(a[k], b[k]) - reach - low[k]) / pitch), 0),
                int((max(a[k], b[k]) + reach - low[k]) / pitch) + 2,
            )
            for k in range(3)
        )
        points = grid[box]
        along = b - a
        share = np.clip((points - a) @ along / max(float(along @ along), 1e-12), 0, 1)
        far = np.linalg.norm(points - a - share[..., None] * along, axis=-1) - (thick_a + share * (thick_b - thick_a))
        field[box] = np.minimum(field[box], far)
    field = ndimage.gaussian_filter(np.minimum(field, 4 * pitch), 0.8)
    points, faces, _, _ = marching_cubes(field, 0.0, spacing=(pitch,) * 3)
    return points + low, faces.astype(np.int64)


def _strokes(rng: np.random.Generator, skeleton: Skeleton, truth: Truth):
    at = skeleton.rest.positions
    ends = {int(parent): end for parent, end in zip(skeleton.end_parents, skeleton.rest.ends, strict=True)}
    height = float(np.ptp(np.concatenate([at, skeleton.rest.ends])[:, 1]))
    build = float(np.exp(rng.normal(0, 0.12)))
    part_of = {joint: part for part, joints in truth.items() for joint in joints}
    ordered = [part for part in truth if not any(word in part for word in ("eye", "jaw", "root", "twist"))]
    thick = THICK_ANIMAL if "left hind upper leg" in truth else THICK
    left = np.zeros(3)
    if "left upper leg" in truth and "right upper leg" in truth:
        left = at[truth["left upper leg"][0]] - at[truth["right upper leg"][0]]
        left[1] = 0
        left /= max(float(np.linalg.norm(left)), 1e-9)
    for part in ordered:
        kind = part.removeprefix("left ").removeprefix("right ")
        finger = kind not in thick
        thick_a, thick_b = thick.get(kind, THICK["finger"])
        thick_a, thick_b = thick_a * build * height, thick_b * build * height
        if finger and not any(word in kind for word in ("thumb", "index", "middle", "ring", "little")):
            continue
        for joint in truth[part]:
            targets = (
                []
                if kind == "head" and thick is THICK_ANIMAL
                else [
                    at[child]
                    for child in skeleton.children[joint]
                    if child in part_of and _onward(part, part_of[child])
                ]
            )
            if not targets:
                above = int(skeleton.parents[joint])
                step = at[joint] - at[above]
                if kind == "head" and thick is THICK:
                    targets = [at[joint] + [0, 0.075 * height, 0.01 * height]]
                elif kind == "head":
                    targets = [at[joint] + _level(at, truth) * 0.22 * height - [0, 0.05 * height, 0]]
                elif kind.endswith(("toes", "foot")):
                    targets = [_ahead(at, truth, joint, height)]
                elif kind == "hand":
                    targets = [at[joint] + step / max(np.linalg.norm(step), 1e-9) * 0.08 * height]
                else:
                    targets = [ends.get(joint, at[joint] + 0.6 * step)]
            for target in targets:
                yield at[joint], np.asarray(target), thick_a, thick_b
                if kind in SIDEWAYS:
                    off = left * SIDEWAYS[kind] * build * height
                    for sign in (1, -1):
                        yield at[joint] + sign * off, np.asarray(target) + sign * off, 0.8 * thick_a, 0.8 * thick_b


def _onward(part: str, below: str) -> bool:
    """Whether a bone that leads from one part to another is flesh: from the chest to an arm or the hips to a leg the
    trunk itself is."""
    return not (part in ("hips", "chest", "spine") and ("leg" in below or "arm" in below or "shoulder" in below))


def _ahead(at: FloatArray, truth: Truth, joint: int, height: float) -> FloatArray:
    out = at[joint] + _level(at, truth) * 0.05 * height
    out[1] = max(out[1], at[:, 1].min() + 0.012 * height)
    return out


def _level(at: FloatArray, truth: Truth) -> FloatArray:
    """Where a body looks."""
    leg = "upper leg" if "left upper leg" in truth else "hind upper leg"
    left = at[truth[f"left {leg}"][0]] - at[truth[f"right {leg}"][0]]
    ahead = np.cross([left[0], 0.0, left[2]], [0, 1.0, 0])
    return np.asarray(ahead / max(float(np.linalg.norm(ahead)), 1e-9))
