"""Vertices of a primitive moved each by a matrix of its own: positions, normals, tangents and shapes written anew."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from armuto.formats.gltf import accessors
from armuto.formats.gltf.building import ARRAY, FLOAT, Store
from armuto.formats.gltf.container import GltfFile, Json
from armuto.kinematics.arrays import BoolArray, FloatArray

VECTORS = ("POSITION", "NORMAL", "TANGENT")
LEAST = 1e-18  # determinant of a matrix that flattens everything to nothing


def deformed_primitive(
    held: GltfFile, store: Store, primitive: Json, rows: BoolArray, matrices: FloatArray, into: Json | None = None
) -> Json:
    """A primitive with some of its vertices moved; what is not of these stays bit for bit, where it is of floats.

    Parameters
    ----------
    held : GltfFile
        What the primitive is of.
    store : Store
        Where the moved arrays are written.
    primitive : dict
        As the file has it.
    rows : (P,) bool
        Which vertices are moved.
    matrices : (R, 4, 4)
        Of these, in their order. One that flattens everything leaves normals as they are.
    into : dict, optional
        The rest of the primitive as the store has it, where accessors have other numbers there.
    """
    into = primitive if into is None else into
    own = _deformed(held, store, primitive["attributes"], rows, matrices)
    out = into | {"attributes": into["attributes"] | own}
    if "targets" in primitive:
        out["targets"] = [
            kept | _deformed(held, store, each, rows, matrices, True)
            for kept, each in zip(into["targets"], primitive["targets"], strict=True)
        ]
    return out


def _deformed(
    held: GltfFile, store: Store, attributes: Json, rows: BoolArray, matrices: FloatArray, shapes: bool = False
) -> Json:
    """shapes: what is moved are offsets, which are turned only."""
    out: Json = {}
    for key in VECTORS:
        if key not in attributes:
            continue
        values = accessors.read(held, attributes[key])
        # Normals turn with the inverse of the transpose, so that they stay square to a stretched surface.
        linear = _of_normals(matrices[:, :3, :3]) if key == "NORMAL" else matrices[:, :3, :3]
        moved = np.einsum("rkl,rl->rk", linear, values[rows, :3])
        if not shapes:
            moved = moved + matrices[:, :3, 3] if key == "POSITION" else _normalised(moved)
        values[rows, :3] = moved
        kind = "VEC4" if values.shape[1] == 4 else "VEC3"
        out[key] = store.add(values.astype("<f4"), kind, FLOAT, ARRAY, bounds=key == "POSITION")
    return out


def _of_normals(linear: NDArray[np.float64]) -> FloatArray:
    flat = np.abs(np.linalg.det(linear)) < LEAST
    return np.asarray(np.linalg.inv(np.where(flat[:, None, None], np.eye(3), linear)).transpose(0, 2, 1))


def _normalised(vectors: FloatArray) -> FloatArray:
    return np.asarray(vectors / np.maximum(np.linalg.norm(vectors, axis=1, keepdims=True), 1e-12))
