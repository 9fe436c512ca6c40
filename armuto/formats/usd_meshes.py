"""Meshes and materials of a USD stage, for :mod:`armuto.formats.usd_reader`."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pxr import Ar, UsdGeom, UsdShade

from armuto.formats.gltf.building import Body, Material, Parts, Skin, Surface
from armuto.kinematics.arrays import FloatArray


def matrix(m: Any) -> FloatArray:
    """A Gf matrix, which multiplies rows from the right, as a column matrix."""
    return np.array(m, float).reshape(4, 4).T


class MeshReader:
    """Puts the meshes of a stage into the parts of a figure, and says in notes what was left out."""

    def __init__(self, stage: Any, made: Parts, notes: list[str]) -> None:
        self.stage, self.made, self.notes = stage, made, notes
        self.materials: dict[str, int] = {}

    def skinned(self, binding: Any, nodes: Sequence[int], order: list[str], binds: FloatArray) -> None:
        """Every mesh gets a skin of its own: its geometry's bind transform goes into the inverse bind matrices."""
        for target in binding.GetSkinningTargets():
            prim = target.GetPrim()
            if not prim.IsA(UsdGeom.Mesh) or not target.HasJointInfluences():
                continue
            shape = self._shape(prim)
            if shape is None:
                continue
            points, counts, corners = shape
            weights = self._weights(target, len(points), order)
            if weights is None:
                self.notes.append(f"The mesh “{prim.GetName()}” has weights that do not fit and was left out.")
                continue
            geometry = matrix(target.GetGeomBindTransform())
            self.made.skins.append(Skin(nodes, np.linalg.inv(binds) @ geometry))
            uv = self._uv(prim, len(points), corners)
            surfaces = [
                Surface(*_compact(points, faces, uv, weights, material))
                for faces, material in self._faces(UsdGeom.Mesh(prim), counts, corners)
                if len(faces)
            ]
            self.made.bodies.append(Body(prim.GetName(), 0, surfaces, len(self.made.skins) - 1))

    def bare(self, prim: Any, node: int) -> None:
        """A mesh that stands where a node does, without a skin."""
        shape = self._shape(prim)
        if shape is None:
            return
        points, counts, corners = shape
        uv = self._uv(prim, len(points), corners)
        surfaces = [
            Surface(*_compact(points, faces, uv, None, material))
            for faces, material in self._faces(UsdGeom.Mesh(prim), counts, corners)
            if len(faces)
        ]
        self.made.bodies.append(Body(prim.GetName(), node, surfaces))

    def _shape(self, prim: Any) -> tuple[FloatArray, NDArray[np.int64], NDArray[np.int64]] | None:
        """Points ``(P, 3)``, how many corners each face has, and these; none of a mesh that is damaged."""
        mesh = UsdGeom.Mesh(prim)
        points = np.array(mesh.GetPointsAttr().Get() or [], float).reshape(-1, 3)
        counts = np.array(mesh.GetFaceVertexCountsAttr().Get() or [], np.int64)
        corners = np.array(mesh.GetFaceVertexIndicesAttr().Get() or [], np.int64)
        proper = len(points) and counts.sum() == len(corners) and corners.max(initial=0) < len(points)
        if not proper or corners.min(initial=0) < 0 or not np.isfinite(points).all():
            self.notes.append(f"The mesh “{prim.GetName()}” is damaged and was left out.")
            return None
        return points, counts, corners

    def _weights(self, target: Any, count: int, order: list[str]) -> FloatArray | None:
        """Weights ``(points, joints of the skeleton)``; the mesh's own joint order is undone."""
        joints = len(order)
        read = target.ComputeVaryingJointInfluences(count)
        if not read:
            return None
        index, share = (np.array(values) for values in (read if len(read) == 2 else read[1:]))
        width = len(index) // count
        if width * count != len(index) or len(share) != len(index) or count * joints > 50_000_000:
            return None
        own = target.GetJointOrder()
        if own:
            place = {name: n for n, name in enumerate(order)}
            places = np.array([place.get(str(name), -1) for name in own])
            if index.max(initial=0) >= len(places):
                return None
            index = places[index]
        if index.max(initial=0) >= joints or index.min(initial=0) < 0:
            return None
        out = np.zeros((count, joints))
        np.add.at(out, (np.repeat(np.arange(count), width), index), np.nan_to_num(share.astype(float)))
        return out

    def _faces(
        self, mesh: Any, counts: NDArray[np.int64], corners: NDArray[np.int64]
    ) -> list[tuple[NDArray[np.int64], int | None]]:
        """Triangles by material: the whole mesh, or one group per geometry subset."""
        starts = np.concatenate([[0], np.cumsum(counts)[:-1]])
        flip = mesh.GetOrientationAttr().Get() == UsdGeom.Tokens.leftHanded

        def triangles(which: NDArray[np.int64]) -> NDArray[np.int64]:
            rows = []
            for size in np.unique(counts[which]):
                at = starts[which[counts[which] == size]]
                for k in range(1, int(size) - 1):
                    rows.append(np.stack([corners[at], corners[at + k], corners[at + k + 1]], axis=1))
            faces = np.concatenate(rows) if rows else np.zeros((0, 3), np.int64)
            return faces[:, ::-1] if flip else faces

        subsets = UsdShade.MaterialBindingAPI(mesh).GetMaterialBindSubsets()
        rest = np.ones(len(counts), bool)
        out = []
        for subset in subsets:
            which = np.array(subset.GetIndicesAttr().Get() or [], np.int64)
            which = which[(which >= 0) & (which < len(counts))]
            rest[which] = False
            out.append((triangles(which), self._material(subset.GetPrim())))
        out.append((triangles(np.flatnonzero(rest)), self._material(mesh.GetPrim())))
        return out

    def _uv(self, prim: Any, count: int, corners: NDArray[np.int64]) -> FloatArray | None:
        """Texture coordinates per point; of a point with several, the last one met."""
        held = UsdGeom.PrimvarsAPI(prim).FindPrimvarWithInheritance("st")
        values = held.ComputeFlattened() if held and held.HasValue() else None
        if values is None:
            return None
        read = np.array(values, float).reshape(-1, 2)
        out = np.zeros((count, 2))
        if len(read) == len(corners):
            out[corners] = read
        elif len(read) == count:
            out = read
        else:
            return None
        return out * [1, -1] + [0, 1]

    def _material(self, prim: Any) -> int | None:
        material, _ = UsdShade.MaterialBindingAPI(prim).ComputeBoundMaterial()
        if not material:
            shown = UsdGeom.Gprim(prim).GetDisplayColorAttr().Get() if prim.IsA(UsdGeom.Gprim) else None
            if not shown:
                return None
            r, g, b = (float(v) for v in shown[0])
            return self._keep(f"{prim.GetName()} colour", Material(prim.GetName(), (r, g, b, 1.0)))
        path = str(material.GetPath())
        if path in self.materials:
            return self.materials[path]
        surface = material.ComputeSurfaceSource()
        shader = surface[0] if isinstance(surface, tuple) else surface
        made = Material(material.GetPrim().GetName())
        if shader:
            colour, image = self._input(shader, "diffuseColor", (0.8, 0.8, 0.8))
            metal, rough = (
                self._input(shader, key, default)[0] for key, default in (("metallic", 0.0), ("roughness", 0.5))
            )
            r, g, b = (1.0, 1.0, 1.0) if image is not None else (float(v) for v in colour)
            made = Material(made.name, (r, g, b, 1.0), float(metal), float(rough), image)
        return self._keep(path, made)

    def _keep(self, key: str, material: Material) -> int:
        if key not in self.materials:
            self.made.materials.append(material)
            self.materials[key] = len(self.made.materials) - 1
        return self.materials[key]

    def _input(self, shader: Any, name: str, default: Any) -> tuple[Any, int | None]:
        held = shader.GetInput(name)
        if not held:
            return default, None
        for source in UsdShade.Utils.GetValueProducingAttributes(held):
            prim = source.GetPrim()
            file = UsdShade.Shader(prim).GetInput("file") if prim != shader.GetPrim() else None
            if file:
                return default, self._image(file.Get())
            value = source.Get()
            if value is not None:
                return value, None
        return default, None

    def _image(self, asset: Any) -> int | None:
        if asset is None:
            return None
        # Only what lies inside the package itself: a path to anywhere else is not followed.
        package = self.stage.GetRootLayer().realPath
        held = (
            Ar.GetResolver().OpenAsset(asset.resolvedPath)
            if str(asset.resolvedPath).startswith(f"{package}[")
            else None
        )
        data = bytes(held.GetBuffer()) if held else b""
        if data[:4] != b"\x89PNG" and data[:2] != b"\xff\xd8":
            self.notes.append(f"The texture “{str(asset.path)[-60:]}” is missing; pack it into a .usdz.")
            return None
        self.made.images.append(data)
        return len(self.made.images) - 1


def _compact(
    points: FloatArray,
    faces: NDArray[np.int64],
    uv: FloatArray | None,
    weights: FloatArray | None,
    material: int | None,
) -> tuple[Any, ...]:
    """The arguments of a Surface that has only the points its faces use."""
    used, inverse = np.unique(faces, return_inverse=True)
    shape = inverse.reshape(-1, 3).astype(np.int64)
    return (
        points[used],
        shape,
        material,
        None,
        None if uv is None else uv[used],
        None if weights is None else weights[used],
    )
