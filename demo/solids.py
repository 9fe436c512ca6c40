"""Bodies from blends of simple solids: distance fields, meshed by marching cubes, skinned by nearness to bones."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_matrix, diags
from skimage.measure import marching_cubes

from armuto.kinematics.arrays import FloatArray

Field = Callable[[FloatArray], FloatArray]  # points (N, 3) to signed distances (N,), negative inside


def capsule(a, b, radius_a: float, radius_b: float | None = None) -> Field:
    """A rounded stroke from a to b, its radius running from one end to the other."""
    a, b = np.asarray(a, float), np.asarray(b, float)
    end = radius_a if radius_b is None else radius_b

    def field(p: FloatArray) -> FloatArray:
        t = np.clip((p - a) @ (b - a) / max(float((b - a) @ (b - a)), 1e-12), 0, 1)
        return np.linalg.norm(p - a - t[:, None] * (b - a), axis=1) - (radius_a + (end - radius_a) * t)

    return field


def ellipsoid(centre, radii, tilt: FloatArray | None = None) -> Field:
    """A bounded estimate of the distance to an ellipsoid (Quilez 2008)."""
    centre, radii = np.asarray(centre, float), np.asarray(radii, float)

    def field(p: FloatArray) -> FloatArray:
        local = p - centre
        if tilt is not None:
            local = local @ tilt
        k0 = np.linalg.norm(local / radii, axis=1)
        k1 = np.linalg.norm(local / radii**2, axis=1)
        return k0 * (k0 - 1) / np.maximum(k1, 1e-9)

    return field


def disc(centre, normal, radius: float, half: float, rounding: float) -> Field:
    """A flat round plate with rounded edges."""
    centre, normal = np.asarray(centre, float), np.asarray(normal, float) / np.linalg.norm(normal)

    def field(p: FloatArray) -> FloatArray:
        local = p - centre
        along = local @ normal
        out = np.linalg.norm(local - along[:, None] * normal, axis=1)
        d = np.stack([out - (radius - rounding), np.abs(along) - (half - rounding)], axis=1)
        return np.linalg.norm(np.maximum(d, 0), axis=1) + np.minimum(d.max(axis=1), 0) - rounding

    return field


def ring(centre, normal, radius: float, thickness: float) -> Field:
    centre, normal = np.asarray(centre, float), np.asarray(normal, float) / np.linalg.norm(normal)

    def field(p: FloatArray) -> FloatArray:
        local = p - centre
        along = local @ normal
        out = np.linalg.norm(local - along[:, None] * normal, axis=1)
        return np.hypot(out - radius, along) - thickness

    return field


def blend(softness: float, *fields: Field) -> Field:
    """Smooth union: solids flow into each other within ``softness`` metres (polynomial, Quilez 2013)."""

    def field(p: FloatArray) -> FloatArray:
        total = fields[0](p)
        for other in fields[1:]:
            d = other(p)
            h = np.maximum(softness - np.abs(total - d), 0) / softness
            total = np.minimum(total, d) - h * h * softness / 4
        return total

    return field


def cut(field: Field, normal, height: float, softness: float = 0.01) -> Field:
    """The part of a solid on the side of a plane to which ``normal`` points, with a softened edge."""
    normal = np.asarray(normal, float) / np.linalg.norm(normal)

    def trimmed(p: FloatArray) -> FloatArray:
        a, b = field(p), height - p @ normal
        h = np.maximum(softness - np.abs(a - b), 0) / softness
        return np.maximum(a, b) + h * h * softness / 4

    return trimmed


@dataclass(frozen=True)
class Mesh:
    points: FloatArray
    normals: FloatArray
    faces: np.ndarray


def mesh(field: Field, low, high, step: float) -> Mesh:
    """Marching cubes over a box, with normals from the field itself."""
    low, high = np.asarray(low, float), np.asarray(high, float)
    counts = np.ceil((high - low) / step).astype(int) + 1
    axes = [low[k] + step * np.arange(counts[k]) for k in range(3)]
    grid = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1).reshape(-1, 3)
    values = np.concatenate([field(part) for part in np.array_split(grid, max(1, len(grid) // 200_000))])
    points, faces, _, _ = marching_cubes(values.reshape(counts), 0.0, spacing=(step,) * 3)
    points = points + low
    for _ in range(2):  # settle onto the surface: a grid only comes near it
        normal = gradient(field, points)
        points = points - normal * np.clip(field(points), -step, step)[:, None]
    normals = gradient(field, points)
    a, b, c = (points[faces[:, k]] for k in range(3))
    outwards = np.sum(np.cross(b - a, c - a) * normals[faces].mean(axis=1)) > 0
    return Mesh(points, normals, faces if outwards else faces[:, ::-1])


def gradient(field: Field, points: FloatArray) -> FloatArray:
    e = 1e-4
    out = np.stack([field(points + e * axis) - field(points - e * axis) for axis in np.eye(3)], axis=1)
    return out / np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-12)


@dataclass(frozen=True)
class Reach:
    """How far a joint's influence goes: the stroke it owns and the radius of flesh around it."""

    joint: int
    a: FloatArray
    b: FloatArray
    radius: float


def weights(shape: Mesh, reaches: list[Reach], joints: int, softness: float = 0.022, passes: int = 14) -> FloatArray:
    """Skin weights ``(N, joints)``: each joint by nearness to its stroke, then smoothed along the surface."""
    far = np.stack([capsule(r.a, r.b, r.radius)(shape.points) for r in reaches], axis=1)
    near = np.exp(-(far - far.min(axis=1, keepdims=True)) / softness)
    out = np.zeros((len(shape.points), joints))
    for column, r in enumerate(reaches):
        out[:, r.joint] += near[:, column]
    out /= out.sum(axis=1, keepdims=True)
    edges = np.concatenate([shape.faces[:, [0, 1]], shape.faces[:, [1, 2]], shape.faces[:, [2, 0]]])
    count = len(shape.points)
    link = coo_matrix((np.ones(len(edges)), (edges[:, 0], edges[:, 1])), (count, count))
    link = ((link + link.T) > 0).astype(float)
    share = diags(1 / np.maximum(np.asarray(link.sum(axis=1)).ravel(), 1)) @ link
    for _ in range(passes):
        out = 0.5 * out + 0.5 * (share @ out)
    return out
