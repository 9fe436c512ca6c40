"""The reading of USD, run as a process: ``python -m armuto.formats.usd_reader IN OUT.glb``.

Prints the notes as a JSON list. Exit code 2 with one sentence on standard error when the file cannot be used, 3 when
there is not enough memory for it.
"""

from __future__ import annotations

import json
import sys
import sysconfig
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pxr import Ar, Usd, UsdGeom, UsdShade, UsdSkel

from armuto import isolation
from armuto.formats.gltf.building import Body, Material, Node, Parts, Skin, Surface, Track, build
from armuto.formats.usd_layers import Unusable, self_contained_layer
from armuto.intake import detection
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray

MOST_JOINTS, MOST_KEYS = 20_000, 200_000


def main(source: str, target: str) -> int:
    # The program itself, and the folder with the file: nothing else on this machine can be opened from here on.
    installed = {Path(sysconfig.get_path(name)) for name in ("stdlib", "platstdlib", "purelib", "platlib")}
    isolation.confine(
        [*installed, Path(__file__).parents[1], *map(Path, ("/usr/lib", "/lib", "/lib64", "/etc/ld.so.cache", "/dev"))],
        [Path(target).parent],
    )
    try:
        parts, notes = read(source)
        Path(target).write_bytes(build(parts))
    except Unusable as problem:
        print(problem, file=sys.stderr)
        return 2
    except MemoryError:
        return 3
    print(json.dumps(notes))
    return 0


def read(path: str) -> tuple[Parts, list[str]]:
    """The parts of a stage: a node for its unit and up axis, below it every skeleton with its joints."""
    stage = Usd.Stage.Open(self_contained_layer(path))
    if stage is None:
        raise Unusable("it is damaged, its stage could not be composed; export it again.")
    return _Reader(stage).parts()


def _matrix(m: Any) -> FloatArray:
    """A Gf matrix, which multiplies rows from the right, as a column matrix."""
    return np.array(m, float).reshape(4, 4).T


def _unit(q: FloatArray) -> FloatArray:
    """:func:`rotation.normalised` without the compiled loops: loading them would take this process as long as all the
    rest, and where their cache lies nothing can be opened any more."""
    size = np.linalg.norm(q, axis=-1, keepdims=True)
    return np.where(size > 0, q / np.where(size > 0, size, 1.0), rotation.IDENTITY)


def _figure_name(skeleton: Any) -> str:
    """What people call the figure that a skeleton is of; else the skeleton's own name."""
    prim = skeleton
    while prim and not prim.IsA(UsdSkel.Root):
        prim = prim.GetParent()
    return str((prim.GetDisplayName() if prim else "") or skeleton.GetName())


def _apart(m: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
    scale = np.linalg.norm(m[:3, :3], axis=0)
    if not np.isfinite(m).all() or not (scale > 1e-12).all():
        raise Unusable("a joint is scaled to nothing or has no usable place; export it again.")
    if np.linalg.det(m[:3, :3]) < 0:
        scale = -scale
    return m[:3, 3].copy(), rotation.from_matrix(m[:3, :3] / scale), scale


class _Reader:
    def __init__(self, stage: Any) -> None:
        self.stage = stage
        self.made = Parts()
        self.notes: list[str] = []
        self.materials: dict[str, int] = {}
        self.rate = stage.GetTimeCodesPerSecond() or 24.0
        self.figures: list[tuple[Any, Sequence[int], list[str]]] = []

    def parts(self) -> tuple[Parts, list[str]]:
        unit = UsdGeom.GetStageMetersPerUnit(self.stage)
        up = {"Y": "+Y", "Z": "+Z"}.get(str(UsdGeom.GetStageUpAxis(self.stage)))
        if not 1e-6 < unit < 1e6 or up is None:
            raise Unusable("its unit or up axis is not usable; export it again.")
        self.made.nodes.append(Node("stage", -1, np.zeros(3), detection.upright(up), np.full(3, unit)))
        cache, places = UsdSkel.Cache(), UsdGeom.XformCache()
        bindings: list[tuple[Any, Any]] = []
        bound: set[str] = set()
        for prim in self.stage.Traverse():
            if prim.IsA(UsdSkel.Root):
                root = UsdSkel.Root(prim)
                cache.Populate(root, Usd.PrimDefaultPredicate)
                for binding in cache.ComputeSkelBindings(root, Usd.PrimDefaultPredicate):
                    skeleton = binding.GetSkeleton()
                    if str(skeleton.GetPath()) not in bound and skeleton:
                        bound.add(str(skeleton.GetPath()))
                        bindings.append((skeleton, binding))
        for prim in self.stage.Traverse():
            if prim.IsA(UsdSkel.Skeleton) and str(prim.GetPath()) not in bound:
                bindings.append((UsdSkel.Skeleton(prim), None))
        if not bindings:
            meshes = any(prim.IsA(UsdGeom.Mesh) for prim in self.stage.Traverse())
            raise Unusable(
                "its mesh has no bones: there is no UsdSkel skeleton in it; bind the mesh and export it again."
                if meshes
                else "there is no UsdSkel skeleton in it; export the skeleton too."
            )
        for skeleton, binding in bindings:
            self._skeleton(skeleton, binding, cache, places)
        self._motions(cache)
        return self.made, list(dict.fromkeys(self.notes))

    def _skeleton(self, skeleton: Any, binding: Any, cache: Any, places: Any) -> None:
        query = cache.GetSkelQuery(skeleton)
        if not query:
            raise Unusable(f"the skeleton {skeleton.GetPath()} is not valid; export it again.")
        order = [str(name) for name in query.GetJointOrder()]
        parents = list(query.GetTopology().GetParentIndices())
        count = len(order)
        if count == 0 or count > MOST_JOINTS:
            raise Unusable(f"the skeleton {skeleton.GetPath()} has {count} joints; export it again.")
        t, q, s = _apart(_matrix(places.GetLocalToWorldTransform(skeleton.GetPrim())))
        top = len(self.made.nodes)
        self.made.nodes.append(Node(_figure_name(skeleton.GetPrim()), 0, t, q, s))
        binds = self._transforms(skeleton.GetBindTransformsAttr().Get(), count)
        rest = self._transforms(skeleton.GetRestTransformsAttr().Get(), count)
        if rest is None and binds is None:
            raise Unusable(f"the skeleton {skeleton.GetPath()} has neither rest nor bind transforms; export it again.")
        if rest is None:
            assert binds is not None
            rest = np.stack([b if p < 0 else np.linalg.solve(binds[p], b) for b, p in zip(binds, parents, strict=True)])
            self.notes.append("There are no rest transforms; the bind pose was taken for the rest pose.")
        first = len(self.made.nodes)
        for name, parent, local in zip(order, parents, rest, strict=True):
            shift, turn, scale = _apart(local)
            above = first + parent if parent >= 0 else top
            self.made.nodes.append(Node(name.rsplit("/", 1)[-1], above, shift, turn, scale))
        nodes = range(first, first + count)
        if binds is None:
            binds = np.stack([_matrix(m) for m in query.ComputeJointSkelTransforms(Usd.TimeCode.Default(), True)])
        if binding is not None:
            self._meshes(binding, nodes, order, binds)
        self.figures.append((query, nodes, order))

    def _transforms(self, values: Any, count: int) -> FloatArray | None:
        if values is None or len(values) == 0:
            return None
        if len(values) != count:
            raise Unusable(f"a skeleton has {count} joints and {len(values)} transforms; export it again.")
        return np.stack([_matrix(m) for m in values])

    # -- meshes ------------------------------------------------------------------------------------------------------

    def _meshes(self, binding: Any, nodes: Sequence[int], order: list[str], binds: FloatArray) -> None:
        """Every mesh gets a skin of its own: its geometry's bind transform goes into the inverse bind matrices."""
        for target in binding.GetSkinningTargets():
            prim = target.GetPrim()
            if not prim.IsA(UsdGeom.Mesh) or not target.HasJointInfluences():
                continue
            mesh = UsdGeom.Mesh(prim)
            points = np.array(mesh.GetPointsAttr().Get() or [], float).reshape(-1, 3)
            counts = np.array(mesh.GetFaceVertexCountsAttr().Get() or [], np.int64)
            corners = np.array(mesh.GetFaceVertexIndicesAttr().Get() or [], np.int64)
            if not len(points) or counts.sum() != len(corners) or corners.max(initial=0) >= len(points):
                self.notes.append(f"The mesh “{prim.GetName()}” is damaged and was left out.")
                continue
            weights = self._weights(target, len(points), order)
            if weights is None:
                self.notes.append(f"The mesh “{prim.GetName()}” has weights that do not fit and was left out.")
                continue
            geometry = _matrix(target.GetGeomBindTransform())
            self.made.skins.append(Skin(nodes, np.linalg.inv(binds) @ geometry))
            uv = self._uv(prim, len(points), corners)
            surfaces = [
                Surface(*_compact(points, faces, uv, weights, material))
                for faces, material in self._faces(mesh, counts, corners)
                if len(faces)
            ]
            self.made.bodies.append(Body(prim.GetName(), 0, surfaces, len(self.made.skins) - 1))

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

    # -- motion ------------------------------------------------------------------------------------------------------

    def _motions(self, cache: Any) -> None:
        """What skeletons are bound to, all in one clip, since they share the stage's time; then a clip of each other
        animation, for every skeleton whose joints it moves."""
        bound = [(query.GetAnimQuery(), nodes, order) for query, nodes, order in self.figures]
        bound = [(query, nodes, order) for query, nodes, order in bound if query]
        seen = {str(query.GetPrim().GetPath()) for query, _, _ in bound}
        starts = [query.GetJointTransformTimeSamples()[:1] for query, _, _ in bound]
        begin = min((times[0] for times in starts if times), default=0.0)
        tracks = [track for row in bound for track in self._tracks(*row, begin)]
        if tracks:
            self.made.animations.append((bound[0][0].GetPrim().GetName(), tracks))
        for prim in self.stage.Traverse():
            if prim.IsA(UsdSkel.Animation) and str(prim.GetPath()) not in seen:
                query = cache.GetAnimQuery(UsdSkel.Animation(prim))
                for _, nodes, order in self.figures:
                    if query and (tracks := self._tracks(query, nodes, order)):
                        self.made.animations.append((prim.GetName(), tracks))

    def _tracks(self, query: Any, nodes: Sequence[int], order: list[str], begin: float | None = None) -> list[Track]:
        """An animation as tracks of a skeleton's nodes. begin: the time code at which it starts; else its own first."""
        times = np.array(query.GetJointTransformTimeSamples(), float)
        if not len(times):
            return []
        if len(times) > MOST_KEYS:
            raise Unusable(f"an animation has {len(times)} keys; export less at once.")
        moved = [str(name) for name in query.GetJointOrder()]
        place = {name: n for n, name in enumerate(order)}
        known = [(k, place[name]) for k, name in enumerate(moved) if name in place]
        if not known:
            return []
        shift, turn = np.empty((len(times), len(moved), 3)), np.empty((len(times), len(moved), 4))
        for n, time in enumerate(times):
            read = query.ComputeJointLocalTransformComponents(time)
            if not read:
                raise Unusable("an animation cannot be evaluated; export it again.")
            translations, rotations, _ = read
            shift[n] = np.array(translations, float)
            turn[n] = [[*q.GetImaginary(), q.GetReal()] for q in rotations]
        if not np.isfinite(shift).all() or not np.isfinite(turn).all():
            raise Unusable("an animation holds values that are not numbers; export it again.")
        seconds = (times - (times[0] if begin is None else begin)) / self.rate
        tracks = []
        for k, joint in known:
            tracks.append(Track(nodes[joint], "rotation", seconds, rotation.continuous(_unit(turn[:, k]))))
            tracks.append(Track(nodes[joint], "translation", seconds, shift[:, k]))
        return tracks


def _compact(
    points: FloatArray, faces: NDArray[np.int64], uv: FloatArray | None, weights: FloatArray, material: int | None
) -> tuple[Any, ...]:
    """The arguments of a Surface that has only the points its faces use."""
    used, inverse = np.unique(faces, return_inverse=True)
    shape = inverse.reshape(-1, 3).astype(np.int64)
    return points[used], shape, material, None, None if uv is None else uv[used], weights[used]


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:3]))
