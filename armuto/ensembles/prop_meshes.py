"""A mesh without bones as a shape of a prop: read from a file, in few triangles; and the nearest place on it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from armuto.ensembles.model import MOST_TRIANGLES, Shape
from armuto.errors import BadInput
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.vectors import lengths
from armuto.lazy import lazily
from armuto.rigging.reading import read_mesh

spatial = lazily("scipy.spatial")

SAMPLED = 24  # samples along the longest side, by which triangles that may be the nearest are found
CANDIDATES = 16  # of these, for every point
EXACT = 1e-9  # metres: nearer than this a point lies on the surface
Indices = NDArray[np.int64]


def mesh_shape(data: bytes, file: str, triangles: int = MOST_TRIANGLES) -> Shape:
    """The meshes of a file as one shape, about the middle of their box, which is where it stands in the file's space.

    Parameters
    ----------
    data : bytes
    file : str
        Its name, which sentences about it repeat.
    triangles : int
        So many at most; more are brought down to that (Garland and Heckbert 1997).

    Returns
    -------
    Shape

    Raises
    ------
    BadInput
        For a file that cannot be read, or that has no mesh.
    """
    points, faces = _welded(*_triangles(data, file))
    if len(faces) > triangles:
        import fast_simplification

        reduced, kept = fast_simplification.simplify(
            np.ascontiguousarray(points, np.float32),
            np.ascontiguousarray(faces, np.int32),
            target_reduction=1 - triangles / len(faces),
        )
        points, faces = _welded(np.asarray(reduced, float), np.asarray(kept, np.int64))
        faces = faces[:triangles]
    low, high = points.min(axis=0), points.max(axis=0)
    # A sheet has no thickness, and is still to be found.
    size = np.maximum(high - low, 1e-4)
    unit = np.round((points - (low + high) / 2) / size, 5)
    return Shape(
        "mesh",
        _triple(np.round(size, 5)),
        _triple(np.round((low + high) / 2, 5)),
        points=tuple(map(_triple, unit)),
        faces=tuple((int(a), int(b), int(c)) for a, b, c in faces),
    )


def _triple(row: FloatArray) -> tuple[float, float, float]:
    x, y, z = row.tolist()
    return x, y, z


def _triangles(data: bytes, file: str) -> tuple[FloatArray, Indices]:
    """All triangles of a file where it stands at rest, in metres with +Y up: ``(P, 3)`` and ``(T, 3)``."""
    # A thing may be of any size: what the file does not say itself is not guessed from how large it is.
    mesh = read_mesh(data, file, unit=1.0, up="+Y")
    if np.abs(mesh.points).max() > 1e4:
        raise BadInput(f"{file}: its mesh reaches beyond 10 km; export it in metres.")
    return mesh.points, mesh.faces


def _welded(points: FloatArray, faces: Indices) -> tuple[FloatArray, Indices]:
    """Points that lie within a tenth of a millimetre as one, without triangles that have no area."""
    _, first, inverse = np.unique(np.round(points, 4), axis=0, return_index=True, return_inverse=True)
    faces = inverse.reshape(-1)[faces]
    proper = (faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 0] != faces[:, 2])
    faces, points = faces[proper], points[first]
    used, renumbered = np.unique(faces, return_inverse=True)
    return points[used], renumbered.reshape(-1, 3)


@dataclass(frozen=True, eq=False)
class Triangles:
    """A mesh shape in its own frame. corners ``(T, 3, 3)``; normals ``(T, 3)``; samples of it in a tree, and the
    triangle of each ``(S,)``."""

    points: FloatArray
    corners: FloatArray
    normals: FloatArray
    tree: object
    owners: Indices

    @classmethod
    def of(cls, shape: Shape) -> Triangles:
        points = np.array(shape.points) * np.array(shape.size)
        corners = points[np.array(shape.faces)]
        normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        normals = normals / np.maximum(lengths(normals), 1e-12)[:, None]
        samples, owners = _samples(corners, max(shape.size) / SAMPLED)
        return cls(points, corners, normals, spatial.cKDTree(samples), owners)


@lru_cache(maxsize=32)
def triangles_of(shape: Shape) -> Triangles:
    return Triangles.of(shape)


def nearest_on_mesh(shape: Shape, local: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Nearest places, normals out of the mesh and signed distances for points ``(F, 3)`` in the shape's frame. On which
    side a point is, the triangles' order of corners tells (Ericson, *Real-Time Collision Detection*, 2005, 5.1.5)."""
    mesh = triangles_of(shape)
    count = min(CANDIDATES, len(mesh.owners))
    _, found = mesh.tree.query(local, k=count)  # type: ignore[attr-defined]
    chosen = mesh.owners[np.asarray(found).reshape(len(local), count)]
    places = _on_triangles(mesh.corners[chosen], local[:, None])
    offsets = local[:, None] - places
    far = np.linalg.norm(offsets, axis=2)
    facing = np.einsum("nki,nki->nk", offsets, mesh.normals[chosen])
    # At an edge two triangles are as near; the one that the point lies more squarely before tells on which side it is.
    best = np.argmin(far - 1e-6 * np.abs(facing) / np.maximum(far, EXACT), axis=1)
    rows = np.arange(len(local))
    far, facing, places, offsets = far[rows, best], facing[rows, best], places[rows, best], offsets[rows, best]
    sign = np.where(facing < 0, -1.0, 1.0)
    normals = np.where(
        (far > EXACT)[:, None],
        sign[:, None] * offsets / np.maximum(far, EXACT)[:, None],
        mesh.normals[chosen[rows, best]],
    )
    return places, normals, sign * far


def _samples(corners: FloatArray, spacing: float) -> tuple[FloatArray, Indices]:
    """Points on triangles, about so far apart, and the triangle of each."""
    longest = np.max([lengths(corners[:, k] - corners[:, k - 1]) for k in range(3)], axis=0)
    steps = np.clip(np.ceil(longest / spacing).astype(int), 1, 2 * SAMPLED)
    out, owners = [], []
    for count in np.unique(steps):
        own = np.flatnonzero(steps == count)
        u, v = np.meshgrid(np.arange(count + 1), np.arange(count + 1))
        inside = u + v <= count
        weights = np.stack([count - u[inside] - v[inside], u[inside], v[inside]], axis=1) / count
        out.append(np.einsum("sk,tki->tsi", weights, corners[own]).reshape(-1, 3))
        owners.append(np.repeat(own, len(weights)))
    return np.concatenate(out), np.concatenate(owners)


def _on_triangles(corners: FloatArray, points: FloatArray) -> FloatArray:
    """The nearest place on each triangle ``(…, 3, 3)`` to a point ``(…, 3)`` (Ericson 2005, by the regions of its
    corners and edges)."""
    a, b, c = corners[..., 0, :], corners[..., 1, :], corners[..., 2, :]
    ab, ac = b - a, c - a

    def dot(left: FloatArray, right: FloatArray) -> FloatArray:
        return np.asarray((left * right).sum(axis=-1))

    d1, d2 = dot(ab, points - a), dot(ac, points - a)
    d3, d4 = dot(ab, points - b), dot(ac, points - b)
    d5, d6 = dot(ab, points - c), dot(ac, points - c)
    va, vb, vc = d3 * d6 - d5 * d4, d5 * d2 - d1 * d6, d1 * d4 - d3 * d2

    def over(top: FloatArray, bottom: FloatArray) -> FloatArray:
        return np.asarray(top / np.where(np.abs(bottom) < 1e-18, 1e-18, bottom))

    along = over(d4 - d3, (d4 - d3) + (d5 - d6))
    zeros, ones = np.zeros_like(d1), np.ones_like(d1)
    regions = [
        (d1 <= 0) & (d2 <= 0),
        (d3 >= 0) & (d4 <= d3),
        (d6 >= 0) & (d5 <= d6),
        (vc <= 0) & (d1 >= 0) & (d3 <= 0),
        (vb <= 0) & (d2 >= 0) & (d6 <= 0),
        (va <= 0) & (d4 >= d3) & (d5 >= d6),
    ]
    total = va + vb + vc
    v = np.select(regions, [zeros, ones, zeros, over(d1, d1 - d3), zeros, 1 - along], over(vb, total))
    w = np.select(regions, [zeros, zeros, ones, zeros, over(d2, d2 - d6), along], over(vc, total))
    return np.asarray(a + v[..., None] * ab + w[..., None] * ac)
