"""COLLADA 1.4 (.dae) from a figure's parts: nodes, skinned meshes, materials, and one motion as a matrix per joint and
frame.

Images lie in the file itself, as data addresses. Standard: COLLADA 1.4.1, Khronos 2008.
"""

from __future__ import annotations

import base64
from collections.abc import Sequence
from typing import Any
from xml.etree.ElementTree import Element, SubElement, indent, tostring

import numpy as np
from numpy.typing import NDArray

from armuto.choices import UNITS
from armuto.formats.gltf import scene
from armuto.formats.gltf.building import Body, Parts, Surface
from armuto.intake.detection import upright
from armuto.kinematics.arrays import FloatArray

SPACE = "http://www.collada.org/2005/11/COLLADASchema"
MARKS = "_-."
UP = {"+Y": "Y_UP", "+Z": "Z_UP", "+X": "X_UP"}
NAMES = {"m": "meter", "cm": "centimeter", "mm": "millimeter", "inch": "inch", "foot": "foot", "dm": "decimeter"}


def write(parts: Parts, unit: float = 1.0, up: str = "+Y") -> bytes:
    """The parts, which are in metres and +Y up, as .dae with their first animation. unit: metres per unit. up: a key of
    UP."""
    parts = scene.in_space(parts, unit, upright(up))
    root = Element("COLLADA", {"xmlns": SPACE, "version": "1.4.1"})
    asset = SubElement(root, "asset")
    contributor = SubElement(asset, "contributor")
    SubElement(contributor, "authoring_tool").text = "Armuto"
    # Times of making are left at the epoch, so that the same figure gives the same file.
    SubElement(asset, "created").text = SubElement(asset, "modified").text = "1970-01-01T00:00:00Z"
    name = next((NAMES[key] for key, metres in UNITS.items() if metres == unit), "unit")
    SubElement(asset, "unit", {"name": name, "meter": f"{unit:g}"})
    SubElement(asset, "up_axis").text = UP[up]
    ids = scene.unique_ids([node.name for node in parts.nodes], MARKS)
    _materials(root, parts)
    skinned = _bodies(root, parts, ids)
    motion = scene.motion(parts)
    if motion is not None:
        _animations(root, parts, ids, motion)
    _scene(root, parts, ids, skinned)
    indent(root, " ")
    return b'<?xml version="1.0" encoding="utf-8"?>\n' + tostring(root, encoding="unicode").encode() + b"\n"


def _numbers(values: Any) -> str:
    """Numbers in nine significant digits, which bring every float32 back."""
    held = np.asarray(values, float).ravel().tolist()
    return ("%.9g " * len(held) % tuple(held))[:-1]  # all at once: meshes have hundreds of thousands


def _source(above: Element, key: str, values: FloatArray, columns: Sequence[str], kind: str = "float") -> None:
    source = SubElement(above, "source", {"id": key})
    flat = np.asarray(values).ravel()
    array = SubElement(source, "float_array", {"id": f"{key}-array", "count": str(len(flat))})
    array.text = _numbers(flat)
    _accessor(source, key, len(flat) // (16 if kind == "float4x4" else len(columns)), columns, kind)


def _names(above: Element, key: str, values: Sequence[str], column: str) -> None:
    source = SubElement(above, "source", {"id": key})
    array = SubElement(source, "Name_array", {"id": f"{key}-array", "count": str(len(values))})
    array.text = " ".join(values)
    _accessor(source, key, len(values), [column], "name")


def _accessor(source: Element, key: str, count: int, columns: Sequence[str], kind: str) -> None:
    stride = "16" if kind == "float4x4" else str(len(columns))
    common = SubElement(source, "technique_common")
    accessor = SubElement(common, "accessor", {"source": f"#{key}-array", "count": str(count), "stride": stride})
    for column in columns:
        SubElement(accessor, "param", {"name": column, "type": kind})


def _materials(root: Element, parts: Parts) -> None:
    if parts.images:
        library = SubElement(root, "library_images")
        for number, data in enumerate(parts.images):
            kind = "png" if data[:4] == b"\x89PNG" else "jpeg"
            image = SubElement(library, "image", {"id": f"image-{number}"})
            SubElement(image, "init_from").text = f"data:image/{kind};base64,{base64.b64encode(data).decode()}"
    if not parts.materials:
        return
    effects, materials = SubElement(root, "library_effects"), SubElement(root, "library_materials")
    for number, material in enumerate(parts.materials):
        effect = SubElement(effects, "effect", {"id": f"effect-{number}"})
        profile = SubElement(effect, "profile_COMMON")
        if material.image is not None:
            surface = SubElement(SubElement(profile, "newparam", {"sid": "surface"}), "surface", {"type": "2D"})
            SubElement(surface, "init_from").text = f"image-{material.image}"
            sampler = SubElement(SubElement(profile, "newparam", {"sid": "sampler"}), "sampler2D")
            SubElement(sampler, "source").text = "surface"
        lambert = SubElement(SubElement(profile, "technique", {"sid": "common"}), "lambert")
        diffuse = SubElement(lambert, "diffuse")
        if material.image is not None:
            SubElement(diffuse, "texture", {"texture": "sampler", "texcoord": "UVSET0"})
        else:
            SubElement(diffuse, "color").text = _numbers(material.colour)
        row = SubElement(materials, "material", {"id": f"material-{number}", "name": material.name})
        SubElement(row, "instance_effect", {"url": f"#effect-{number}"})


def _bodies(root: Element, parts: Parts, ids: list[str]) -> list[tuple[Body, list[str]]]:
    """Geometry and controllers of every surface; per body the ids to instance."""
    out: list[tuple[Body, list[str]]] = []
    if not any(body.surfaces for body in parts.bodies):
        return [(body, []) for body in parts.bodies]
    geometries = SubElement(root, "library_geometries")
    controllers = SubElement(root, "library_controllers") if parts.skins else None
    for number, body in enumerate(parts.bodies):
        keys = []
        for part, surface in enumerate(body.surfaces):
            key = f"mesh-{number}-{part}"
            _geometry(geometries, key, body.name, surface)
            if body.skin is not None and surface.weights is not None and controllers is not None:
                _controller(controllers, f"skin-{number}-{part}", key, parts, ids, body.skin, surface.weights)
                key = f"skin-{number}-{part}"
            keys.append(key)
        out.append((body, keys))
    return out


def _geometry(library: Element, key: str, name: str, surface: Surface) -> None:
    mesh = SubElement(SubElement(library, "geometry", {"id": key, "name": name}), "mesh")
    _source(mesh, f"{key}-points", surface.points, "XYZ")
    inputs = [("VERTEX", f"{key}-vertices")]
    if surface.normals is not None:
        _source(mesh, f"{key}-normals", surface.normals, "XYZ")
        inputs.append(("NORMAL", f"{key}-normals"))
    if surface.uv is not None:
        # COLLADA counts upwards from the lower edge of an image.
        _source(mesh, f"{key}-uv", np.stack([surface.uv[:, 0], 1 - surface.uv[:, 1]], axis=1), "ST")
        inputs.append(("TEXCOORD", f"{key}-uv"))
    vertices = SubElement(mesh, "vertices", {"id": f"{key}-vertices"})
    SubElement(vertices, "input", {"semantic": "POSITION", "source": f"#{key}-points"})
    triangles = SubElement(mesh, "triangles", {"count": str(len(surface.faces))})
    if surface.material is not None:
        triangles.set("material", f"symbol-{surface.material}")
    for semantic, source in inputs:
        row = SubElement(triangles, "input", {"semantic": semantic, "source": f"#{source}", "offset": "0"})
        if semantic == "TEXCOORD":
            row.set("set", "0")
    SubElement(triangles, "p").text = " ".join(map(str, surface.faces.ravel().tolist()))


def _controller(
    library: Element, key: str, mesh: str, parts: Parts, ids: list[str], number: int, weights: FloatArray
) -> None:
    held = parts.skins[number]
    skin = SubElement(SubElement(library, "controller", {"id": key}), "skin", {"source": f"#{mesh}"})
    SubElement(skin, "bind_shape_matrix").text = _numbers(np.eye(4))
    _names(skin, f"{key}-joints", [ids[n] for n in held.joints], "JOINT")
    _source(skin, f"{key}-binds", held.binds, ["TRANSFORM"], "float4x4")
    vertex, joint = np.nonzero(weights > 1e-6)
    shares = weights[vertex, joint]
    _source(skin, f"{key}-weights", shares, ["WEIGHT"])
    joints = SubElement(skin, "joints")
    SubElement(joints, "input", {"semantic": "JOINT", "source": f"#{key}-joints"})
    SubElement(joints, "input", {"semantic": "INV_BIND_MATRIX", "source": f"#{key}-binds"})
    rows = SubElement(skin, "vertex_weights", {"count": str(len(weights))})
    SubElement(rows, "input", {"semantic": "JOINT", "source": f"#{key}-joints", "offset": "0"})
    SubElement(rows, "input", {"semantic": "WEIGHT", "source": f"#{key}-weights", "offset": "1"})
    SubElement(rows, "vcount").text = " ".join(map(str, np.bincount(vertex, minlength=len(weights)).tolist()))
    pairs: NDArray[np.int64] = np.stack([joint, np.arange(len(joint))], axis=1)
    SubElement(rows, "v").text = " ".join(map(str, pairs.ravel().tolist()))


def _animations(root: Element, parts: Parts, ids: list[str], motion: scene.Motion) -> None:
    library = SubElement(root, "library_animations")
    for node in sorted(motion.rotations):
        key = f"motion-{node}"
        animation = SubElement(library, "animation", {"id": key, "name": motion.name})
        scale = scene.scale_of(parts.nodes[node])
        _source(animation, f"{key}-times", motion.times, ["TIME"])
        values = scene.matrices(motion.translations[node], motion.rotations[node], scale)
        _source(animation, f"{key}-values", values, ["TRANSFORM"], "float4x4")
        _names(animation, f"{key}-kinds", ["LINEAR"] * len(motion.times), "INTERPOLATION")
        sampler = SubElement(animation, "sampler", {"id": f"{key}-sampler"})
        for semantic, source in (("INPUT", "times"), ("OUTPUT", "values"), ("INTERPOLATION", "kinds")):
            SubElement(sampler, "input", {"semantic": semantic, "source": f"#{key}-{source}"})
        SubElement(animation, "channel", {"source": f"#{key}-sampler", "target": f"{ids[node]}/transform"})
    # Named as one clip of all of them.
    span = {"start": f"{motion.times[0]:.9g}", "end": f"{motion.times[-1]:.9g}"}
    clips = SubElement(root, "library_animation_clips")
    clip = SubElement(clips, "animation_clip", {"id": "motion", "name": motion.name, **span})
    for node in sorted(motion.rotations):
        SubElement(clip, "instance_animation", {"url": f"#motion-{node}"})


def _scene(root: Element, parts: Parts, ids: list[str], bodies: list[tuple[Body, list[str]]]) -> None:
    view = SubElement(SubElement(root, "library_visual_scenes"), "visual_scene", {"id": "scene"})
    joints = set(scene.joints(parts))
    elements: list[Element] = []
    for number, node in enumerate(parts.nodes):
        above = elements[node.parent] if node.parent >= 0 else view
        row = SubElement(above, "node", {"id": ids[number], "sid": ids[number], "name": node.name})
        if number in joints:
            row.set("type", "JOINT")
        SubElement(row, "matrix", {"sid": "transform"}).text = _numbers(scene.matrix(node))
        elements.append(row)
    for body, keys in bodies:
        for key, surface in zip(keys, body.surfaces, strict=True):
            if key.startswith("skin"):
                assert body.skin is not None
                # A skinned mesh stands at the root: only its joints move it.
                place = SubElement(view, "node", {"id": f"{key}-node", "name": body.name})
                instance = SubElement(place, "instance_controller", {"url": f"#{key}"})
                top = min(parts.skins[body.skin].joints)
                SubElement(instance, "skeleton").text = f"#{ids[top]}"
            else:
                instance = SubElement(elements[body.node], "instance_geometry", {"url": f"#{key}"})
            if surface.material is not None:
                common = SubElement(SubElement(instance, "bind_material"), "technique_common")
                target = {"symbol": f"symbol-{surface.material}", "target": f"#material-{surface.material}"}
                bound = SubElement(common, "instance_material", target)
                if surface.uv is not None:
                    uv = {"semantic": "UVSET0", "input_semantic": "TEXCOORD", "input_set": "0"}
                    SubElement(bound, "bind_vertex_input", uv)
    SubElement(SubElement(root, "scene"), "instance_visual_scene", {"url": "#scene"})
