"""USD with UsdSkel from a figure's parts: one SkelRoot with skeleton, skinned meshes, preview materials and one motion.

A time code is a frame. Textures are not written: a layer by itself can only name files beside it.
"""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

import numpy as np
from pxr import Gf, Sdf, Usd, UsdGeom, UsdShade, UsdSkel, Vt

from armuto.formats.gltf import scene
from armuto.formats.gltf.building import Body, Material, Parts, Surface
from armuto.intake.detection import upright
from armuto.kinematics.arrays import FloatArray

UP = {"+Y": UsdGeom.Tokens.y, "+Z": UsdGeom.Tokens.z}


def write(parts: Parts, unit: float = 1.0, up: str = "+Y") -> bytes:
    """The parts, which are in metres and +Y up, as .usd (crate) with their first animation. unit: metres per unit. up:
    a key of UP."""
    # Scales are kept by UsdSkel in half precision, in which a hundredth is off by the width of a hair in every metre.
    parts = scene.without_scale(scene.in_space(parts, unit, upright(up)))
    with tempfile.TemporaryDirectory(prefix="armuto-usd-") as folder:
        path = str(Path(folder) / "out.usdc")
        stage = Usd.Stage.CreateNew(path)
        UsdGeom.SetStageUpAxis(stage, UP[up])
        UsdGeom.SetStageMetersPerUnit(stage, unit)
        root = UsdSkel.Root.Define(stage, "/Figure")
        stage.SetDefaultPrim(root.GetPrim())
        paths = _skeleton(stage, parts)
        materials = [_material(stage, number, material) for number, material in enumerate(parts.materials)]
        for number, body in enumerate(parts.bodies):
            for part, surface in enumerate(body.surfaces):
                _mesh(stage, f"/Figure/mesh_{number}_{part}", parts, body, surface, paths, materials)
        stage.GetRootLayer().Save()
        del stage
        return Path(path).read_bytes()


def _gf(m: FloatArray) -> Any:
    """A transform as USD holds it: row vectors."""
    return Gf.Matrix4d(*m.T.ravel().tolist())


def _skeleton(stage: Any, parts: Parts) -> dict[int, int]:
    """The skeleton and its motion. Returns the place of every joint's node among the skeleton's joints."""
    nodes = scene.joints(parts)
    ids = scene.unique_ids([parts.nodes[n].name for n in nodes], "_")
    place = {n: k for k, n in enumerate(nodes)}
    names: list[str] = []
    for n, own in zip(nodes, ids, strict=True):
        above = parts.nodes[n].parent
        names.append(f"{names[place[above]]}/{own}" if above in place else own)
    world = scene.world(parts)
    binds = [world[n] for n in nodes]
    for skin in parts.skins:
        for node, bind in zip(skin.joints, skin.binds, strict=True):
            binds[place[node]] = np.linalg.inv(bind)
    skeleton = UsdSkel.Skeleton.Define(stage, "/Figure/skeleton")
    skeleton.CreateJointsAttr(Vt.TokenArray(names))
    skeleton.CreateJointNamesAttr(Vt.TokenArray([parts.nodes[n].name for n in nodes]))
    skeleton.CreateBindTransformsAttr(Vt.Matrix4dArray([_gf(m) for m in binds]))
    skeleton.CreateRestTransformsAttr(Vt.Matrix4dArray([_gf(scene.matrix(parts.nodes[n])) for n in nodes]))
    motion = scene.motion(parts)
    if motion is not None:
        _motion(stage, parts, nodes, names, motion)
        binding = UsdSkel.BindingAPI.Apply(skeleton.GetPrim())
        binding.CreateAnimationSourceRel().SetTargets([_motion_path(motion)])
    return place


def _motion_path(motion: scene.Motion) -> Any:
    """Called as the clip is, as far as USD allows."""
    return Sdf.Path(f"/Figure/skeleton/{scene.unique_ids([motion.name], '_')[0]}")


def _motion(stage: Any, parts: Parts, nodes: list[int], names: list[str], motion: scene.Motion) -> None:
    animation = UsdSkel.Animation.Define(stage, _motion_path(motion))
    animation.GetPrim().SetDisplayName(motion.name)
    animation.CreateJointsAttr(Vt.TokenArray(names))
    frames = len(motion.times)
    rate = (frames - 1) / float(motion.times[-1] - motion.times[0]) if frames > 1 else 30.0
    stage.SetTimeCodesPerSecond(round(rate, 6))
    stage.SetFramesPerSecond(round(rate, 6))
    first = round(float(motion.times[0]) * rate)
    stage.SetStartTimeCode(first)
    stage.SetEndTimeCode(first + frames - 1)
    still = {n: parts.nodes[n] for n in nodes if n not in motion.rotations}
    shifts = np.stack(
        [motion.translations[n] if n not in still else np.tile(still[n].translation, (frames, 1)) for n in nodes],
        axis=1,
    )
    turns = np.stack(
        [motion.rotations[n] if n not in still else np.tile(still[n].rotation, (frames, 1)) for n in nodes], axis=1
    )
    scales = np.array([scene.scale_of(parts.nodes[n]) for n in nodes])
    animation.CreateScalesAttr(Vt.Vec3hArray.FromNumpy(scales.astype(np.float16)))
    translations, rotations = animation.CreateTranslationsAttr(), animation.CreateRotationsAttr()
    for frame in range(frames):
        translations.Set(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(shifts[frame], np.float32)), first + frame)
        # USD counts the real part first when asked for one quaternion, and last in its arrays.
        rotations.Set(Vt.QuatfArray.FromNumpy(np.ascontiguousarray(turns[frame], np.float32)), first + frame)


def _material(stage: Any, number: int, held: Material) -> Any:
    material = UsdShade.Material.Define(stage, f"/Figure/material_{number}")
    material.GetPrim().SetDisplayName(held.name)
    shader = UsdShade.Shader.Define(stage, f"/Figure/material_{number}/surface")
    shader.CreateIdAttr("UsdPreviewSurface")
    shader.CreateInput("diffuseColor", Sdf.ValueTypeNames.Color3f).Set(Gf.Vec3f(*held.colour[:3]))
    shader.CreateInput("opacity", Sdf.ValueTypeNames.Float).Set(held.colour[3])
    shader.CreateInput("metallic", Sdf.ValueTypeNames.Float).Set(held.metal)
    shader.CreateInput("roughness", Sdf.ValueTypeNames.Float).Set(held.roughness)
    material.CreateSurfaceOutput().ConnectToSource(shader.ConnectableAPI(), "surface")
    return material


def _mesh(
    stage: Any, path: str, parts: Parts, body: Body, surface: Surface, place: dict[int, int], materials: list[Any]
) -> None:
    mesh = UsdGeom.Mesh.Define(stage, path)
    mesh.GetPrim().SetDisplayName(body.name)
    mesh.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
    mesh.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(surface.points, np.float32)))
    mesh.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(len(surface.faces), 3, np.int32)))
    mesh.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(np.ascontiguousarray(surface.faces.ravel(), np.int32)))
    if surface.normals is not None:
        mesh.CreateNormalsAttr(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(surface.normals, np.float32)))
        mesh.SetNormalsInterpolation(UsdGeom.Tokens.vertex)
    if surface.material is not None:
        UsdShade.MaterialBindingAPI.Apply(mesh.GetPrim()).Bind(materials[surface.material])
    binding = UsdSkel.BindingAPI.Apply(mesh.GetPrim())
    binding.CreateSkeletonRel().SetTargets([Sdf.Path("/Figure/skeleton")])
    if body.skin is not None and surface.weights is not None:
        held = parts.skins[body.skin]
        order = np.argsort(-surface.weights, axis=1, kind="stable")[:, :4]
        shares = np.take_along_axis(surface.weights, order, axis=1)
        columns = np.array([place[n] for n in held.joints])[order]
        geometry = np.eye(4)
    else:
        # A rigid mesh hangs on its node as the only one that moves it.
        shares, columns = np.ones((len(surface.points), 1)), np.full((len(surface.points), 1), place.get(body.node, 0))
        geometry = scene.world(parts)[body.node]
    width = shares.shape[1]
    binding.CreateJointIndicesPrimvar(False, width).Set(
        Vt.IntArray.FromNumpy(np.ascontiguousarray(columns.ravel(), np.int32))
    )
    binding.CreateJointWeightsPrimvar(False, width).Set(
        Vt.FloatArray.FromNumpy(np.ascontiguousarray(shares.ravel(), np.float32))
    )
    binding.CreateGeomBindTransformAttr(_gf(geometry))
