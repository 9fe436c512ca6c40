"""The reading of USD, run as a process: ``python -m armuto.formats.usd_reader IN OUT.glb [bare]``.

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
from pxr import Usd, UsdGeom, UsdSkel

from armuto import isolation
from armuto.formats.gltf.building import Node, Parts, Track, build
from armuto.formats.usd_layers import Unusable, self_contained_layer
from armuto.formats.usd_meshes import MeshReader, matrix
from armuto.intake import detection
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray

MOST_JOINTS, MOST_KEYS = 20_000, 200_000


def main(source: str, target: str, bare: str = "") -> int:
    # The program itself, and the folder with the file: nothing else on this machine can be opened from here on.
    installed = {Path(sysconfig.get_path(name)) for name in ("stdlib", "platstdlib", "purelib", "platlib")}
    isolation.confine(
        [*installed, Path(__file__).parents[1], *map(Path, ("/usr/lib", "/lib", "/lib64", "/etc/ld.so.cache", "/dev"))],
        [Path(target).parent],
    )
    try:
        parts, notes = read(source, bool(bare))
        Path(target).write_bytes(build(parts))
    except Unusable as problem:
        print(problem, file=sys.stderr)
        return 2
    except MemoryError:
        return 3
    print(json.dumps(notes))
    return 0


def read(path: str, bare: bool = False) -> tuple[Parts, list[str]]:
    """The parts of a stage: a node for its unit and up axis, below it every skeleton with its joints. bare: whether
    meshes without a skeleton will do, where there is none."""
    stage = Usd.Stage.Open(self_contained_layer(path))
    if stage is None:
        raise Unusable("it is damaged, its stage could not be composed; export it again.")
    return _Reader(stage, bare).parts()


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
    def __init__(self, stage: Any, bare: bool) -> None:
        self.stage, self.bare = stage, bare
        self.made = Parts()
        self.notes: list[str] = []
        self.meshes = MeshReader(stage, self.made, self.notes)
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
        meshes = [prim for prim in self.stage.Traverse() if prim.IsA(UsdGeom.Mesh)]
        if not bindings and meshes and self.bare:
            for prim in meshes:
                shift, turn, scale = _apart(matrix(places.GetLocalToWorldTransform(prim)))
                self.made.nodes.append(Node(prim.GetName(), 0, shift, turn, scale))
                self.meshes.bare(prim, len(self.made.nodes) - 1)
            return self.made, list(dict.fromkeys(self.notes))
        if not bindings:
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
        t, q, s = _apart(matrix(places.GetLocalToWorldTransform(skeleton.GetPrim())))
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
            binds = np.stack([matrix(m) for m in query.ComputeJointSkelTransforms(Usd.TimeCode.Default(), True)])
        if binding is not None:
            self.meshes.skinned(binding, nodes, order, binds)
        self.figures.append((query, nodes, order))

    def _transforms(self, values: Any, count: int) -> FloatArray | None:
        if values is None or len(values) == 0:
            return None
        if len(values) != count:
            raise Unusable(f"a skeleton has {count} joints and {len(values)} transforms; export it again.")
        return np.stack([matrix(m) for m in values])

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


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:4]))
