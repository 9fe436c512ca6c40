"""A lighter copy of a character's file to look at: fewer triangles, smaller numbers, smaller pictures.

Triangles are taken away by collapsing edges in the order of the error that this makes (Garland and Heckbert, *Surface
simplification using quadric error metrics*, 1997). Vertices are never welded across a border or a seam of the texture,
and none of these moves, so parts stay closed against one another. What else a vertex has (normal, texture coordinates,
weights) it takes from the nearest of those that it stands for. Numbers are as narrow as the eye allows
(``KHR_mesh_quantization``), and positions and texture coordinates lose digits, so that they compress well.

Nodes keep their numbers; skins, materials and scenes stay as they are. Motion goes, it is not what a copy is for.
"""

from __future__ import annotations

import io
from typing import Any

import fast_simplification
import numpy as np
from numpy.typing import NDArray

from armuto.formats.gltf import accessors
from armuto.formats.gltf.building import ARRAY, BYTE, FLOAT, SHORT, Store
from armuto.formats.gltf.container import GltfFile, Json, editable, parse
from armuto.formats.gltf.taking_apart import TRIANGLES as MODE_TRIANGLES
from armuto.formats.gltf.taking_apart import faces_of, image_of
from armuto.kinematics.arrays import FloatArray
from armuto.lazy import lazily

Image = lazily("PIL.Image")

VERSION = 1  # of what comes out, for whoever keeps copies
TRIANGLES = 12_000  # of a figure: edges of about 2 cm on a body
STEPS = 16_384  # that positions can take along the longest side of a mesh: 0.1 mm on a body
TEXTURE_STEPS = 16_384  # of texture coordinates in a whole picture
PIXELS = 1024  # of the longer side of a picture
SIGNED_BYTE = 5120
TARGET = "TARGET"  # of the attributes of a primitive: where a morph target moves its vertices
AGGRESSIVENESS = 5.0  # of the package: how fast the error grows that a round allows; its default of 7 is coarser
SURFACE_EXTENSIONS = ("KHR_materials_", "KHR_texture_", "EXT_texture_")
QUANTIZATION = "KHR_mesh_quantization"

Indices = NDArray[np.int64]


def simplified(data: bytes, file: str, triangles: int = TRIANGLES) -> bytes:
    """A copy of a .glb with about so many triangles at most, or the file itself where a copy would be no smaller.

    Parameters
    ----------
    data : bytes
        A self-contained .glb.
    file : str
        Its name, for sentences.
    triangles : int
        Of all meshes together. Borders and seams are kept whole, so a mesh that consists of them stays larger.

    Raises
    ------
    BadInput
        Where the file is damaged.
    """
    held = parse(data, file)
    tree = editable(held.json)
    for key in ("accessors", "bufferViews", "buffers", "animations", "extensions"):
        tree.pop(key, None)
    for node in tree.get("nodes", []):
        node.pop("extensions", None)
    used = {name for name in tree.pop("extensionsUsed", []) if str(name).startswith(SURFACE_EXTENSIONS)}
    required = {name for name in tree.pop("extensionsRequired", []) if name in used}
    tree["extensionsUsed"] = sorted(used | {QUANTIZATION})
    tree["extensionsRequired"] = sorted(required | {QUANTIZATION})
    store = Store(tree)
    for skin in tree.get("skins", []):
        if "inverseBindMatrices" in skin:
            binds = accessors.read(held, skin["inverseBindMatrices"])
            skin["inverseBindMatrices"] = store.add(binds.astype("<f4"), "MAT4", FLOAT)
    total = sum(_size(held, row) for mesh in held.rows("meshes") for row in mesh.get("primitives", []))
    for mesh in tree.get("meshes", []):
        own = sum(_size(held, row) for row in mesh.get("primitives", []))
        mesh["primitives"] = _primitives(held, mesh, store, int(triangles * own / max(total, 1)))
    for image in tree.get("images", []):
        _shrink(held, image, store)
    out = store.glb()
    return out if len(out) < len(data) else data


def _is_surface(row: Json) -> bool:
    return row.get("mode", MODE_TRIANGLES) == MODE_TRIANGLES and "POSITION" in row.get("attributes", {})


def _size(held: GltfFile, row: Json) -> int:
    """How many triangles a primitive has."""
    if not _is_surface(row):
        return 0
    number = row["indices"] if "indices" in row else row["attributes"]["POSITION"]
    count = held.row("accessors", number).get("count", 0)
    return count // 3 if isinstance(count, int) else 0


def _primitives(held: GltfFile, mesh: Json, store: Store, triangles: int) -> list[Json]:
    """The primitives of a mesh, simplified together: where little is lost, much is taken."""
    rows = [row for row in mesh.get("primitives", []) if _is_surface(row)]
    surfaces = [_surface(held, row, bool(np.any(mesh.get("weights", [])))) for row in rows]
    if not surfaces:
        return []
    starts = np.cumsum([0, *(len(values["POSITION"]) for values, _ in surfaces)])
    points = np.concatenate([values["POSITION"] for values, _ in surfaces])
    faces = np.concatenate([faces + start for (_, faces), start in zip(surfaces, starts, strict=False)])
    moved, stands_for = _collapsed(points, faces, triangles)
    mapped = stands_for[faces]
    whole = (mapped[:, 0] != mapped[:, 1]) & (mapped[:, 1] != mapped[:, 2]) & (mapped[:, 2] != mapped[:, 0])
    nearest = _representatives(points, moved, stands_for)
    step = _step(points)
    out = []
    for row, (values, _), start, end in zip(rows, surfaces, starts, starts[1:], strict=False):
        own = mapped[whole & (faces[:, 0] >= start) & (faces[:, 0] < end)]
        if not len(own):
            continue
        kept, order = _by_first_use(own)
        values = {name: each[nearest[kept] - start] for name, each in values.items()}
        values["POSITION"] = np.round(moved[kept] / step) * step
        out.append(_written(row, values, order, step, store))
    return out


def _surface(held: GltfFile, row: Json, shaped: bool) -> tuple[dict[str, FloatArray], Indices]:
    """The attributes of a primitive without the vertices that are there twice, and its faces. shaped: whether morph
    targets move it as it rests; without, they are left out."""
    values = {name: accessors.read(held, number) for name, number in row["attributes"].items()}
    for number, target in enumerate(row.get("targets", []) if shaped else []):
        moved = accessors.read(held, target["POSITION"]) if "POSITION" in target else np.zeros_like(values["POSITION"])
        values[f"{number} {TARGET}"] = moved
    count = len(values["POSITION"])
    if any(len(each) != count for each in values.values()):
        raise held.refuse("a mesh has attributes of different lengths")
    faces = faces_of(held, row, count)
    if len(faces) and int(faces.max()) >= count:
        raise held.refuse("a triangle has a corner that does not exist")
    block = np.ascontiguousarray(np.concatenate([values[name] for name in sorted(values)], axis=1).astype("<f4"))
    as_bytes = block.view(np.dtype((np.void, block.dtype.itemsize * block.shape[1])))[:, 0]
    _, first, which = np.unique(as_bytes, return_index=True, return_inverse=True)
    return {name: each[first] for name, each in values.items()}, which[faces]


def _collapsed(points: FloatArray, faces: Indices, triangles: int) -> tuple[FloatArray, Indices]:
    """Places of the vertices that are left, and for every vertex there was the number of the one it became."""
    if len(faces) <= triangles or triangles < 1:
        return points, np.arange(len(points))
    # Errors are compared with fixed sizes, so that a body in centimetres would be treated otherwise than in metres.
    size = float(np.ptp(points, axis=0).max()) or 1.0
    unit, corners = (points / size).astype(np.float32), np.ascontiguousarray(faces, np.int32)
    _, _, collapses = fast_simplification.simplify(
        unit, corners, target_count=triangles, agg=AGGRESSIVENESS, return_collapses=True, preserve_border=True
    )
    moved, _, stands_for = fast_simplification.replay_simplification(unit, corners, collapses)
    return moved.astype(float) * size, stands_for.astype(np.int64)


def _representatives(points: FloatArray, moved: FloatArray, stands_for: Indices) -> Indices:
    """For every vertex that is left the nearest of those that it stands for."""
    distances = np.linalg.norm(points - moved[stands_for], axis=1)
    order = np.lexsort((distances, stands_for))
    first = np.r_[True, np.diff(stands_for[order]) > 0]
    nearest = np.zeros(len(moved), np.int64)
    nearest[stands_for[order[first]]] = order[first]
    return nearest


def _by_first_use(faces: Indices) -> tuple[Indices, Indices]:
    """The vertices that faces use, in the order of their use, and the faces with their new numbers."""
    used, first, which = np.unique(faces, return_index=True, return_inverse=True)
    order = np.argsort(first)
    place = np.empty(len(used), np.int64)
    place[order] = np.arange(len(used))
    return used[order], place[which].reshape(faces.shape)


def _step(points: FloatArray) -> float:
    """A power of two that divides the longest side of a mesh into at least :data:`STEPS`."""
    size = float(np.ptp(points, axis=0).max()) or 1.0
    return float(2.0 ** np.floor(np.log2(size / STEPS)))


def _written(row: Json, values: dict[str, FloatArray], faces: Indices, step: float, store: Store) -> Json:
    """A primitive of these vertices."""
    attributes: Json = {"POSITION": store.add(values["POSITION"].astype("<f4"), "VEC3", FLOAT, ARRAY, bounds=True)}
    for name, each in values.items():
        if name in ("NORMAL", "TANGENT"):
            attributes[name] = _add_directions(each, store)
        elif name.startswith("TEXCOORD_"):
            rounded = np.round(each * TEXTURE_STEPS) / TEXTURE_STEPS
            attributes[name] = store.add(rounded.astype("<f4"), "VEC2", FLOAT, ARRAY)
        elif name.startswith("COLOR_"):
            bytes_of = np.round(np.clip(np.c_[each, np.ones(len(each))][:, :4], 0, 1) * 255).astype("u1")
            attributes[name] = store.add(bytes_of, "VEC4", BYTE, ARRAY, normalized=True)
    attributes |= _weights(values, store)
    out: Json = {key: row[key] for key in ("material",) if key in row}
    out["attributes"] = attributes
    moved = [np.round(each / step) * step for name, each in values.items() if name.endswith(TARGET)]
    if moved:
        out["targets"] = [
            {"POSITION": store.add(each.astype("<f4"), "VEC3", FLOAT, ARRAY, bounds=True)} for each in moved
        ]
    out["indices"] = store.add_faces(faces, len(values["POSITION"]))
    return out


def _add_directions(directions: FloatArray, store: Store) -> int:
    """Unit vectors in bytes, four to a vertex since every vertex begins at a multiple of four bytes."""
    narrow = np.zeros((len(directions), 4), np.int8)
    narrow[:, : directions.shape[1]] = np.round(np.clip(directions, -1, 1) * 127)
    if directions.shape[1] == 4:
        return store.add(narrow, "VEC4", SIGNED_BYTE, ARRAY, normalized=True)
    return store.add(narrow, "VEC3", SIGNED_BYTE, ARRAY, normalized=True, stride=4)


def _weights(values: dict[str, FloatArray], store: Store) -> Json:
    """Joints and weights, in bytes whose sum is 255."""
    sets = [n for n in range(4) if f"JOINTS_{n}" in values and f"WEIGHTS_{n}" in values]
    if not sets:
        return {}
    joints = np.concatenate([values[f"JOINTS_{n}"] for n in sets], axis=1).astype(np.int64)
    weights = np.concatenate([values[f"WEIGHTS_{n}"] for n in sets], axis=1)
    total = weights.sum(axis=1, keepdims=True)
    shares = np.round(np.divide(weights, total, out=np.zeros_like(weights), where=total > 0) * 255).astype(np.int64)
    heaviest = shares.argmax(axis=1)
    rows = np.arange(len(shares))
    shares[rows, heaviest] += np.where(total[:, 0] > 0, 255 - shares.sum(axis=1), 0)
    joints[shares == 0] = 0
    kind, component = ("<u2", SHORT) if joints.max(initial=0) > 255 else ("u1", BYTE)
    out: Json = {}
    for k, n in enumerate(sets):
        columns = slice(4 * k, 4 * k + 4)
        out[f"JOINTS_{n}"] = store.add(joints[:, columns].astype(kind), "VEC4", component, ARRAY)
        out[f"WEIGHTS_{n}"] = store.add(shares[:, columns].astype("u1"), "VEC4", BYTE, ARRAY, normalized=True)
    return out


def _shrink(held: GltfFile, image: Json, store: Store) -> None:
    """Put a picture into the copy, no larger than it is seen; one that cannot be read is put there as it is."""
    if "bufferView" not in image and not str(image.get("uri", "")).startswith("data:"):
        return
    data = image_of(held, image)
    image.pop("uri", None)
    kind = str(image.get("mimeType", "image/png"))
    try:
        with Image.open(io.BytesIO(data), formats=("PNG", "JPEG", "WEBP")) as picture:
            kind = str(picture.get_format_mimetype())
            if max(picture.size) > PIXELS:
                smaller, out = picture.convert("RGBA" if picture.has_transparency_data else "RGB"), io.BytesIO()
                smaller.thumbnail((PIXELS, PIXELS))
                fitting: dict[str, Any] = {"format": "PNG"} if smaller.mode == "RGBA" else {"format": "JPEG"}
                smaller.save(out, quality=85, **fitting)
                data, kind = out.getvalue(), f"image/{fitting['format'].lower()}"
    except (OSError, ValueError, Image.DecompressionBombError):
        pass
    image["bufferView"], image["mimeType"] = store.view(data), kind
