"""Transforms of COLLADA nodes, and small pieces that its reader is made of."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from armuto.errors import BadInput
from armuto.formats.gltf.building import fraction
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray


@dataclass
class Transform:
    """One element of a node's stack: its kind, its sid, its numbers."""

    kind: str
    sid: str
    values: FloatArray


def transform_matrix(kind: str, v: FloatArray) -> FloatArray:
    out = np.eye(4)
    if kind == "matrix":
        return v.reshape(4, 4)
    if kind == "translate":
        out[:3, 3] = v
    elif kind == "rotate":
        axis = v[:3] if np.linalg.norm(v[:3]) > 1e-12 else np.array([0.0, 1.0, 0.0])
        out[:3, :3] = rotation.to_matrix(rotation.about(axis, np.radians(v[3])))
    else:
        out[:3, :3] = np.diag(v)
    return out


def taken_apart(
    m: FloatArray, refuse: Callable[[str], BadInput], name: str
) -> tuple[FloatArray, FloatArray, FloatArray]:
    scale = np.linalg.norm(m[:3, :3], axis=0)
    if not (scale > 1e-12).all():
        raise refuse(f"the node “{name[:60]}” is scaled to nothing")
    if np.linalg.det(m[:3, :3]) < 0:
        scale = -scale
    return m[:3, 3].copy(), rotation.from_matrix(m[:3, :3] / scale), scale


def number_of(word: str) -> float:
    try:
        return float(word)
    except ValueError:
        return float("nan")


def linear(v: float) -> float:
    """From the screen's values to linear light (IEC 61966-2-1)."""
    v = fraction(v)
    return v / 12.92 if v <= 0.04045 else ((v + 0.055) / 1.055) ** 2.4


def unit_length(v: FloatArray) -> FloatArray:
    length = np.linalg.norm(v, axis=1, keepdims=True)
    return np.asarray(np.where(length > 1e-12, v / np.where(length > 1e-12, length, 1), [0.0, 1.0, 0.0]))


SPACE = "{http://www.collada.org/2005/11/COLLADASchema}"
WIDTH = {"matrix": 16, "translate": 3, "rotate": 4, "scale": 3}


MEMBER = {"X": 0, "Y": 1, "Z": 2, "W": 3, "ANGLE": 3}
