"""Arrays inside glTF buffers: accessors to NumPy, with every offset and count checked against the bytes there are."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from armuto.formats.gltf.container import GltfFile, Json
from armuto.kinematics.arrays import FloatArray

COMPONENTS = {5120: "<i1", 5121: "<u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
UNSIGNED = ("<u1", "<u2", "<u4")
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
MOST_VALUES = 50_000_000


def _whole(held: GltfFile, row: Json, key: str, default: int | None = None) -> int:
    value = row.get(key, default)
    if not isinstance(value, int) or isinstance(value, bool) or value < 0:
        raise held.refuse(f"“{key}” must be a whole number and is {value!r}")
    return value


def _view(held: GltfFile, number: Any) -> tuple[bytes, int]:
    """The bytes of a buffer view and its stride, 0 when tightly packed."""
    view = held.row("bufferViews", number)
    buffer = _whole(held, view, "buffer")
    if buffer >= len(held.buffers):
        raise held.refuse(f"bufferView {number} refers to buffer {buffer}, which does not exist")
    start, length = _whole(held, view, "byteOffset", 0), _whole(held, view, "byteLength")
    content = held.buffers[buffer]
    if start + length > len(content):
        raise held.refuse(f"bufferView {number} reaches past the end of buffer {buffer}")
    return content[start : start + length], _whole(held, view, "byteStride", 0)


def view(held: GltfFile, number: Any) -> bytes:
    """The bytes of a buffer view. Raises :class:`BadInput`."""
    row = held.row("bufferViews", number)
    data, start = _view(held, number)
    return data[start : start + _whole(held, row, "byteLength")]


def _block(held: GltfFile, view: Any, offset: int, count: int, width: int, kind: str) -> NDArray[Any]:
    content, stride = _view(held, view)
    item = np.dtype(kind).itemsize * width
    stride = stride or item
    if count and offset + (count - 1) * stride + item > len(content):
        raise held.refuse(f"{count} values are promised in bufferView {view}, and they do not fit")
    shape, strides = (count, width), (stride, np.dtype(kind).itemsize)
    return np.ndarray(shape, kind, content, offset, strides) if count else np.zeros((0, width), kind)


def _component(row: Json) -> str | None:
    """How one number is stored, where that is known."""
    kind = row.get("componentType")
    return COMPONENTS.get(kind) if isinstance(kind, int) else None


def read(held: GltfFile, number: Any) -> FloatArray:
    """One accessor as float64 ``(count, width)``; normalised integers as fractions, sparse values filled in."""
    row = held.row("accessors", number)
    kind, width = _component(row), WIDTHS.get(str(row.get("type")))
    if kind is None or width is None:
        raise held.refuse(f"accessor {number} has an unknown type")
    count = _whole(held, row, "count")
    if count * width > MOST_VALUES:
        raise held.refuse(f"accessor {number} claims {count} values")
    if "bufferView" in row:
        values = _block(held, row["bufferView"], _whole(held, row, "byteOffset", 0), count, width, kind)
    else:
        values = np.zeros((count, width), kind)
    sparse = row.get("sparse")
    if isinstance(sparse, dict):
        values = _sparse(held, sparse, np.array(values), kind)
    out = values.astype(float)
    if row.get("normalized") and kind != "<f4":
        out = np.maximum(out / np.iinfo(np.dtype(kind)).max, -1.0)
    if not np.isfinite(out).all():
        raise held.refuse(f"accessor {number} holds values that are not numbers")
    return out


def _sparse(held: GltfFile, sparse: Json, values: NDArray[Any], kind: str) -> NDArray[Any]:
    count = _whole(held, sparse, "count")
    where, what = sparse.get("indices"), sparse.get("values")
    if not isinstance(where, dict) or not isinstance(what, dict):
        raise held.refuse("a sparse accessor is incomplete")
    index_kind = _component(where)
    if index_kind not in UNSIGNED:
        raise held.refuse("the places of a sparse accessor are no whole numbers")
    rows = _block(held, where.get("bufferView"), _whole(held, where, "byteOffset", 0), count, 1, index_kind)[:, 0]
    if count and int(rows.max()) >= len(values):
        raise held.refuse("a sparse accessor points past its end")
    offset = _whole(held, what, "byteOffset", 0)
    values[rows] = _block(held, what.get("bufferView"), offset, count, values.shape[1], kind)
    return values
