"""The test body and its motion as COLLADA and USD files, written independently of how we read them."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
from pxr import Gf, Sdf, Usd, UsdGeom, UsdShade, UsdSkel, Vt
from scipy.spatial.transform import Rotation

from armuto.intake import detection
from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip


def matrices(rotations: np.ndarray, translations: np.ndarray) -> np.ndarray:
    out = np.tile(np.eye(4), (*rotations.shape[:-1], 1, 1))
    out[..., :3, :3] = rotation.to_matrix(rotations)
    out[..., :3, 3] = translations
    return out


def in_file(clip: Clip, unit: float, up: str) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Local matrices at rest ``(J, 4, 4)`` and in motion ``(F, J, 4, 4)``, and world rest, in a file's unit and
    axes."""
    back = rotation.inverse(detection.upright(up))
    skeleton = clip.skeleton
    rest = matrices(skeleton.rest_rotation, skeleton.rest_translation / unit)
    moved = matrices(clip.rotations, clip.all_translations() / unit)
    lift = matrices(back, np.zeros(3))
    rest[0], moved[:, 0] = lift @ rest[0], lift @ moved[:, 0]
    world = rest.copy()
    for joint, parent in enumerate(skeleton.parents):
        if parent >= 0:
            world[joint] = world[parent] @ rest[joint]
    return rest, moved, world


def strip(world: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A little triangle at every joint: points ``(3J, 3)``, faces ``(J, 3)``, the joint of every point."""
    size = np.ptp(world[:, :3, 3], axis=0).max() * 0.02
    around = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]]) * size
    points = (world[:, None, :3, 3] + around).reshape(-1, 3)
    return points, np.arange(len(points)).reshape(-1, 3), np.repeat(np.arange(len(world)), 3)


def row(values: np.ndarray) -> str:
    return " ".join(f"{v:.9g}" for v in np.asarray(values).ravel())


def dae(
    clip: Clip, unit: float = 0.01, up: str = "+Z", separate: bool = False, texture: str = "", mesh: bool = True
) -> bytes:
    """COLLADA with a skin. separate: motion as translate and three rotate channels instead of one matrix per joint."""
    skeleton = clip.skeleton
    rest, moved, world = in_file(clip, unit, up)
    times = np.arange(clip.frames) / clip.fps
    points, faces, owner = strip(world)
    count = len(skeleton)

    def source(key: str, values: np.ndarray, stride: int, kind: str = "float") -> str:
        flat = np.asarray(values).ravel()
        params = (
            "".join(f'<param name="{axis}" type="float"/>' for axis in "XYZ")
            if stride == 3
            else '<param type="float"/>'
        )
        text = " ".join(flat) if kind == "Name" else row(flat)
        return (
            f'<source id="{key}"><{kind}_array id="{key}-a" count="{len(flat)}">{text}</{kind}_array><technique_common>'
            f'<accessor source="#{key}-a" count="{len(flat) // stride}" stride="{stride}">{params}</accessor>'
            "</technique_common></source>"
        )

    def stack(joint: int) -> str:
        if not separate:
            return f'<matrix sid="transform">{row(rest[joint])}</matrix>'
        z, y, x = Rotation.from_matrix(rest[joint, :3, :3]).as_euler("ZYX", degrees=True)
        return (
            f'<translate sid="place">{row(rest[joint, :3, 3])}</translate><rotate sid="rz">0 0 1 {z:.9g}</rotate>'
            f'<rotate sid="ry">0 1 0 {y:.9g}</rotate><rotate sid="rx">1 0 0 {x:.9g}</rotate>'
        )

    def node(joint: int) -> str:
        name = skeleton.names[joint]
        inner = "".join(node(child) for child in skeleton.children[joint])
        return f'<node id="n{joint}" sid="{name}" name="{name}" type="JOINT">{stack(joint)}{inner}</node>'

    def channel(key: str, target: str, values: np.ndarray, stride: int) -> str:
        names = np.array(["LINEAR"] * len(times))
        return (
            f"<animation>{source(key + '-in', times, 1)}{source(key + '-out', values, stride)}"
            f"{source(key + '-kind', names, 1, 'Name')}"
            f'<sampler id="{key}"><input semantic="INPUT" source="#{key}-in"/><input semantic="OUTPUT" '
            f'source="#{key}-out"/>'
            f'<input semantic="INTERPOLATION" source="#{key}-kind"/></sampler>'
            f'<channel source="#{key}" target="{target}"/></animation>'
        )

    animations = ""
    for joint in range(count):
        if not separate:
            animations += channel(f"c{joint}", f"n{joint}/transform", moved[:, joint], 16)
            continue
        angles = np.unwrap(Rotation.from_matrix(moved[:, joint, :3, :3]).as_euler("ZYX"), axis=0)
        for axis, values in zip("zyx", np.degrees(angles).T, strict=True):
            animations += channel(f"c{joint}{axis}", f"n{joint}/r{axis}.ANGLE", values, 1)
        animations += channel(f"c{joint}t", f"n{joint}/place", moved[:, joint, :3, 3], 3)
    colour = "<color>0.5 0.25 0.1 1</color>"
    images = params = ""
    if texture:
        images = f'<library_images><image id="cloth"><init_from>{texture}</init_from></image></library_images>'
        params = (
            '<newparam sid="s"><surface type="2D"><init_from>cloth</init_from></surface></newparam>'
            '<newparam sid="p"><sampler2D><source>s</source></sampler2D></newparam>'
        )
        colour = '<texture texture="p" texcoord="UV"/>'
    bodies = use = ""
    if mesh:
        binds = np.linalg.inv(world)
        bodies = f"""
        <library_effects><effect id="brassy"><profile_COMMON>{params}<technique sid="c">
        <lambert><diffuse>{colour}</diffuse></lambert>
        </technique></profile_COMMON></effect></library_effects>
        <library_materials><material id="brass" name="brass"><instance_effect url="#brassy"/></material></library_materials>
        <library_geometries><geometry id="g"><mesh>{source("gp", points, 3)}<vertices id="gv">
        <input semantic="POSITION" source="#gp"/>
        </vertices><triangles count="{len(faces)}" material="m"><input semantic="VERTEX" source="#gv" offset="0"/>
        <p>{" ".join(map(str, faces.ravel()))}</p></triangles></mesh></geometry></library_geometries>
        <library_controllers><controller id="k"><skin source="#g"><bind_shape_matrix>{row(np.eye(4))}</bind_shape_matrix>
        {source("kj", np.array(skeleton.names), 1, "Name")}{source("kb", binds, 16)}{source("kw", np.array([1.0]), 1)}
        <joints><input semantic="JOINT" source="#kj"/><input semantic="INV_BIND_MATRIX" source="#kb"/></joints>
        <vertex_weights count="{len(owner)}"><input semantic="JOINT" source="#kj" offset="0"/>
        <input semantic="WEIGHT" source="#kw" offset="1"/><vcount>{"1 " * len(owner)}</vcount>
        <v>{" ".join(f"{j} 0" for j in owner)}</v></vertex_weights></skin></controller></library_controllers>"""
        use = """<node id="figure"><instance_controller url="#k"><skeleton>#n0</skeleton><bind_material><technique_common>
        <instance_material symbol="m" target="#brass"/></technique_common></bind_material></instance_controller></node>"""
    axis = {"+Y": "Y_UP", "+Z": "Z_UP", "+X": "X_UP"}[up]
    return f"""<?xml version="1.0" encoding="utf-8"?>
    <COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" version="1.4.1">
    <asset><unit name="unit" meter="{unit}"/><up_axis>{axis}</up_axis></asset>
    {images}{bodies}<library_animations>{animations}</library_animations>
    <library_visual_scenes><visual_scene id="v">{node(0)}{use}</visual_scene></library_visual_scenes>
    <scene><instance_visual_scene url="#v"/></scene></COLLADA>""".encode()


def gf(m: np.ndarray) -> Gf.Matrix4d:
    return Gf.Matrix4d(*m.T.ravel().tolist())


def usd(
    clip: Clip, kind: str = "usda", unit: float = 0.01, up: str = "+Z", mesh: bool = True, shuffle: bool = False
) -> bytes:
    """USD with UsdSkel, time codes from 5 at 24 a second scaled to the clip. shuffle: the mesh has its own joint
    order."""
    skeleton = clip.skeleton
    rest, moved, world = in_file(clip, unit, up)
    with tempfile.TemporaryDirectory() as folder:
        path = str(Path(folder) / f"out.{'usdc' if kind == 'usdz' else kind}")
        stage = Usd.Stage.CreateNew(path)
        UsdGeom.SetStageMetersPerUnit(stage, unit)
        UsdGeom.SetStageUpAxis(stage, up[1])
        stage.SetTimeCodesPerSecond(clip.fps)
        UsdSkel.Root.Define(stage, "/Figure")
        stage.SetDefaultPrim(stage.GetPrimAtPath("/Figure"))
        joints = []
        for joint, name in enumerate(skeleton.names):
            parent = int(skeleton.parents[joint])
            joints.append(f"{joints[parent]}/{name}" if parent >= 0 else name)
        made = UsdSkel.Skeleton.Define(stage, "/Figure/Skeleton")
        made.CreateJointsAttr(joints)
        made.CreateBindTransformsAttr(Vt.Matrix4dArray([gf(m) for m in world]))
        made.CreateRestTransformsAttr(Vt.Matrix4dArray([gf(m) for m in rest]))
        motion = UsdSkel.Animation.Define(stage, "/Figure/patrol")
        order = list(reversed(range(len(joints))))
        motion.CreateJointsAttr([joints[n] for n in order])
        motion.CreateScalesAttr(Vt.Vec3hArray([Gf.Vec3h(1)] * len(joints)))
        t, q = motion.CreateTranslationsAttr(), motion.CreateRotationsAttr()
        turns = Rotation.from_matrix(moved[..., :3, :3].reshape(-1, 3, 3)).as_quat().reshape(clip.frames, -1, 4)
        for frame in range(clip.frames):
            t.Set(Vt.Vec3fArray([Gf.Vec3f(*map(float, moved[frame, n, :3, 3])) for n in order]), 5 + frame)
            quats = [Gf.Quatf(float(turns[frame, n, 3]), *map(float, turns[frame, n, :3])) for n in order]
            q.Set(Vt.QuatfArray(quats), 5 + frame)
        UsdSkel.BindingAPI.Apply(made.GetPrim()).CreateAnimationSourceRel().SetTargets([motion.GetPath()])
        if mesh:
            points, faces, owner = strip(world)
            shape = UsdGeom.Mesh.Define(stage, "/Figure/Body")
            shape.CreatePointsAttr(Vt.Vec3fArray([Gf.Vec3f(*map(float, p)) for p in points]))
            shape.CreateFaceVertexCountsAttr([3] * len(faces))
            shape.CreateFaceVertexIndicesAttr(faces.ravel().tolist())
            binding = UsdSkel.BindingAPI.Apply(shape.GetPrim())
            binding.CreateSkeletonRel().SetTargets([made.GetPath()])
            own = list(range(len(joints)))
            if shuffle:
                own = list(np.random.default_rng(0).permutation(len(joints)))
                binding.CreateJointsAttr([joints[n] for n in own])
            place = np.argsort(own)
            binding.CreateJointIndicesPrimvar(False, 1).Set(Vt.IntArray([int(place[n]) for n in owner]))
            binding.CreateJointWeightsPrimvar(False, 1).Set(Vt.FloatArray([1.0] * len(owner)))
            binding.CreateGeomBindTransformAttr(Gf.Matrix4d(1))
            material = UsdShade.Material.Define(stage, "/Figure/brass")
            shader = UsdShade.Shader.Define(stage, "/Figure/brass/surface")
            shader.CreateIdAttr("UsdPreviewSurface")
            shader.CreateInput("diffuseColor", Sdf.ValueTypeNames.Color3f).Set(Gf.Vec3f(0.5, 0.25, 0.125))
            shader.CreateOutput("surface", Sdf.ValueTypeNames.Token)
            material.CreateSurfaceOutput().ConnectToSource(shader.ConnectableAPI(), "surface")
            UsdShade.MaterialBindingAPI.Apply(shape.GetPrim()).Bind(material)
        stage.GetRootLayer().Save()
        if kind == "usdz":
            from pxr import UsdUtils

            packed = str(Path(folder) / "out.usdz")
            UsdUtils.CreateNewUsdzPackage(path, packed)
            path = packed
        return Path(path).read_bytes()
