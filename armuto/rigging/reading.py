"""Meshes without bones from any format: as one .glb, and as triangles that stand in metres with +Y up."""

from __future__ import annotations

import io
import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from armuto import formats
from armuto.errors import BadInput
from armuto.formats import collada, gltf, usd
from armuto.formats.gltf.building import Body, Material, Node, Parts, Surface, build
from armuto.formats.gltf.container import MAGIC, GltfFile, beside, to_glb
from armuto.formats.gltf.reading import tree_of
from armuto.formats.gltf.scene import world
from armuto.formats.gltf.taking_apart import parts_of
from armuto.formats.gltf.writing import self_contained
from armuto.intake import detection
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import FileFrame
from armuto.lazy import lazily
from armuto.rigging.components import components_of

trimesh = lazily("trimesh")

KINDS = ("obj", "ply", "stl")  # open mesh formats that hold nothing else
MOST_TRIANGLES = 2_000_000
UNITS = ((0.001, "millimetres"), (0.01, "centimetres"), (0.0254, "inches"), (1.0, "metres"))
LIKELY = (0.5, 3.2)  # metres that a body is high


@dataclass(frozen=True, eq=False)
class BareMesh:
    """All triangles of a file at rest.

    held: the file as glTF, from which it is written again. points ``(P, 3)`` in metres with +Y up, faces ``(T, 3)``;
    owners ``(P,)``: of which primitive each point is, in the order of :attr:`primitives`: the node that carries it, and
    its number in the node's mesh. components ``(P,)``: of which piece it is, as the file came
    (:func:`armuto.rigging.components.components_of`). frame: how the file's space relates to ours. notes: what a person
    should know.
    """

    held: GltfFile
    points: FloatArray
    faces: NDArray[np.int64]
    owners: NDArray[np.int64]
    primitives: tuple[tuple[int, int], ...]
    components: NDArray[np.int64]
    frame: FileFrame
    notes: tuple[str, ...] = ()

    @property
    def glb(self) -> bytes:
        """Its file."""
        return to_glb(self.held.json, b"".join(self.held.buffers[:1]))

    @property
    def skinned(self) -> bool:
        """Whether it has bones already."""
        return any("skin" in node for node in self.held.rows("nodes"))


def read_mesh(
    data: bytes,
    file: str,
    files: Mapping[str, bytes] | None = None,
    unit: float | None = None,
    up: str | None = None,
) -> BareMesh:
    """The meshes of a .glb, .gltf, .dae, USD, .obj, .ply or .stl file.

    Parameters
    ----------
    data : bytes
    file : str
        Its name, which sentences about it repeat.
    files : mapping of str to bytes, optional
        What lies beside it: materials and textures.
    unit : float, optional
        Metres per unit of the file, where a person says it.
    up : str, optional
        The file's up axis, such as "+Z".

    Raises
    ------
    BadInput
        For a file that cannot be read, that has no triangle, or whose points lie nowhere.
    """
    content, notes = as_glb(data, file, files or {})
    held = gltf.parse(content, file, files)
    parts = parts_of(held)
    place = world(parts)
    order = tree_of(held).order
    points: list[FloatArray] = []
    faces: list[NDArray[np.int64]] = []
    owners: list[NDArray[np.int64]] = []
    primitives: list[tuple[int, int]] = []
    count = 0
    for body in parts.bodies:
        node = order[body.node]
        rows = held.row("meshes", held.rows("nodes")[node]["mesh"]).get("primitives", [])
        usable = [
            n for n, row in enumerate(rows) if row.get("mode", 4) == 4 and "POSITION" in row.get("attributes", {})
        ]
        for number, surface in zip(usable, body.surfaces, strict=True):
            points.append(surface.points @ place[body.node][:3, :3].T + place[body.node][:3, 3])
            if surface.faces.max(initial=-1) >= len(surface.points):
                raise BadInput(f"{file}: a triangle has a corner that does not exist; export it again.")
            faces.append(surface.faces + count)
            owners.append(np.full(len(surface.points), len(primitives)))
            primitives.append((node, number))
            count += len(surface.points)
    triangles = np.concatenate(faces) if faces else np.zeros((0, 3), np.int64)
    if not len(triangles):
        raise BadInput(f"{file}: there is no mesh of triangles in it; export the figure itself.")
    if len(triangles) > MOST_TRIANGLES:
        raise BadInput(
            f"{file}: it has {len(triangles):,} triangles, more than {MOST_TRIANGLES:,}; bring them down first."
        )
    own = np.concatenate(points)
    if not np.isfinite(own).all():
        raise BadInput(f"{file}: some of its points lie nowhere (not a number); export it again.")
    frame = frame_of(own[np.unique(triangles)], file, unit, up)
    turned = rotation.rotate(np.array(frame.turn), own * frame.unit)
    components = components_of(turned, triangles)
    owner = np.concatenate(owners)
    return BareMesh(held, turned, triangles, owner, tuple(primitives), components, frame, tuple(notes))


def as_glb(data: bytes, file: str, files: Mapping[str, bytes]) -> tuple[bytes, list[str]]:
    """Any file with a mesh as .glb or .gltf, and notes. Raises :class:`BadInput`."""
    suffix = file.rpartition(".")[2].lower()
    if data[:4] == MAGIC:  # whatever its name: sentences about a mesh name the file it came in
        return data, []
    if suffix in KINDS:
        return _from_trimesh(data, file, suffix, files), []
    kind = formats.kind_of(data, file)
    if kind == "dae":
        return collada.to_glb(data, file, files)
    if kind == "usd":
        try:
            return usd.to_glb(data, file, bare=True)
        except MemoryError:
            raise BadInput(f"{file}: {formats.TOO_LARGE}.") from None
    if kind == "gltf":
        return self_contained(gltf.parse(data, file, files), files)
    raise BadInput(f"{file}: a mesh is read from .glb, .gltf, .dae, USD, .obj, .ply or .stl; export it so.")


def _from_trimesh(data: bytes, file: str, suffix: str, files: Mapping[str, bytes]) -> bytes:
    if suffix == "obj":
        _bounded_corners(data, file)
    try:
        loaded = trimesh.load_scene(
            io.BytesIO(data),
            file_type=suffix,
            process=False,
            maintain_order=True,
            resolver=_Beside(files),
        )
        meshes = [mesh for mesh in loaded.dump() if isinstance(mesh, trimesh.Trimesh) and len(mesh.faces)]
    except Exception as problem:  # the library raises whatever its own steps stumble over, memory included
        raise BadInput(f"{file}: its mesh is damaged ({str(problem)[:80] or 'cut short'}); export it again.") from None
    parts = Parts(nodes=[Node("mesh", -1, np.zeros(3), np.array([0.0, 0.0, 0.0, 1.0]))])
    surfaces = []
    # Where a file names no picture, or it is not there, a grey one would be made up.
    painted = any(name.lower().endswith((".png", ".jpg", ".jpeg")) for name in files)
    for mesh in meshes:
        points, faces = np.asarray(mesh.vertices, float), np.asarray(mesh.faces, np.int64)
        if points.shape[1:] != (3,) or faces.shape[1:] != (3,) or faces.max() >= len(points) or faces.min() < 0:
            raise BadInput(f"{file}: its mesh is damaged; export it again.")
        if not _is_finite(points):
            raise BadInput(f"{file}: some of its points lie nowhere (not a number); export it again.")
        uv = getattr(mesh.visual, "uv", None)
        given = mesh._cache.cache.get("vertex_normals")
        normals = np.asarray(given, float) if given is not None and len(given) == len(points) else None
        if normals is not None and not _is_finite(normals):
            normals = None
        parts.materials.append(_material(mesh, parts.images if painted else None))
        flat = None if uv is None or len(uv) != len(points) else np.asarray(uv, float) * [1, -1] + [0, 1]
        if flat is not None and not _is_finite(flat):
            flat = None
        surfaces.append(Surface(points, faces, len(parts.materials) - 1, normals, flat))
    if not surfaces:
        raise BadInput(f"{file}: there is no mesh of triangles in it; export the figure itself.")
    parts.bodies.append(Body(file.rpartition(".")[0] or "mesh", 0, surfaces))
    return build(parts)


def _is_finite(values: FloatArray) -> bool:
    """Whether all of them can be written as numbers of 32 bits, which a .glb has."""
    return bool((np.abs(values) < np.finfo(np.float32).max).all())


def _bounded_corners(data: bytes, file: str) -> None:
    """That no corner of an .obj file has a number with more digits than there are points: for each, room is made."""
    most = max(len(re.findall(rb"(?m)^\s*" + kind + rb"\s", data)) for kind in (b"v", b"vt", b"vn"))
    longer = rb"\d{%d,}" % (len(str(most)) + 1)
    if any(re.search(longer, line[0]) for line in re.finditer(rb"(?m)^\s*f\s[^\n]*", data)):
        raise BadInput(f"{file}: its mesh is damaged: a triangle has a corner that does not exist; export it again.")


def _material(mesh: Any, images: list[bytes] | None) -> Material:
    material = getattr(mesh.visual, "material", None)
    name = str(getattr(material, "name", None) or "mesh")
    picture = getattr(material, "image", None)
    if picture is not None and images is not None:
        held = io.BytesIO()
        picture.convert("RGBA").save(held, "PNG")
        images.append(held.getvalue())
        return Material(name, (1.0, 1.0, 1.0, 1.0), image=len(images) - 1, both_sides=True)
    colour = np.asarray(getattr(material, "main_color", (204, 204, 204, 255)), float)[:3] / 255
    # Colours of these formats are as a screen shows them, those of glTF linear (IEC 61966-2-1).
    linear = np.where(colour <= 0.04045, colour / 12.92, ((colour + 0.055) / 1.055) ** 2.4)
    r, g, b = linear.tolist()
    return Material(name, (r, g, b, 1.0), both_sides=True)


class _Beside:
    """What a mesh file names of what lies beside it, and nothing else on this machine."""

    def __init__(self, files: Mapping[str, bytes]) -> None:
        self.files = files

    def get(self, name: str) -> bytes:
        found = beside(name, self.files)
        if found is None:
            raise OSError(f"{name} is not beside it")
        return found

    def __getitem__(self, name: str) -> bytes:
        return self.get(name)

    def namespaced(self, namespace: str) -> _Beside:
        return self

    def keys(self) -> list[str]:
        return list(self.files)


def _in_middle(points: FloatArray, up: str) -> float:
    """Of the points ``(P, 3)`` that touch the floor, the share that lies in the plane between left and right."""
    height, aside = points[:, "XYZ".index(up[-1])], points[:, 0]
    lowest = height <= height.min() + 0.03 * np.ptp(height)
    middle = (aside.min() + aside.max()) / 2
    return float(np.mean(np.abs(aside[lowest] - middle) < 0.03 * min(np.ptp(height), 2 * np.ptp(aside))))


def frame_of(points: FloatArray, file: str, unit: float | None, up: str | None) -> FileFrame:
    """Unit and up axis of a body's mesh ``(P, 3)``, from how large it is and how it stands."""
    evidence = []
    size = np.ptp(points, axis=0)
    if float(size.max()) <= 0:
        raise BadInput(f"{file}: all of its points lie in one place; export the figure itself.")
    if up is None:
        # A body is broader and higher than it is deep, and glTF, like most files, has +Y up.
        up = "+Z" if size[2] > 1.6 * size[1] and size[2] > 0.8 * size[0] else "+Y"
        evidence.append(f"It is {size[0]:.4g} × {size[1]:.4g} × {size[2]:.4g} along X, Y and Z: {up[1]} is up.")
        # Animals are longer than high: they would stand on their tails, or on their noses.
        other = "+Y" if up == "+Z" else "+Z"
        if _in_middle(points, up) > 0.5 and _in_middle(points, other) < 0.2:
            up = other
            evidence[-1] = f"It stands on feet beside its middle, and not on its tail, where {up[1]} is up."
    height = float(size["XYZ".index(up[-1])])
    if unit is None:
        fits = [(factor, name) for factor, name in UNITS if LIKELY[0] <= height * factor <= LIKELY[1]]
        unit, name = min(fits, key=lambda row: abs(np.log(height * row[0] / 1.7))) if fits else (1.0, "metres")
        if LIKELY[0] <= height <= LIKELY[1]:
            unit, name = 1.0, "metres"
        evidence.append(f"It is {height:.4g} high: {name}.")
    turn = detection.upright(up).tolist()
    return FileFrame(unit, tuple(turn), up, 0.0, tuple(evidence))
