"""What a casting makes as files: all in one, or one for each performer, in the common space or each at the origin."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from armuto import formats
from armuto.constraints.root_bone import travel_path
from armuto.ensembles.model import Shape
from armuto.ensembles.pipeline import EnsembleResult
from armuto.ensembles.prop_meshes import triangles_of
from armuto.ensembles.prop_motion import PropMotion
from armuto.ensembles.shapes import turn_of
from armuto.errors import BadInput
from armuto.export.insert_motion import Start, placed
from armuto.formats import AS_USUAL, Document, Form, gltf
from armuto.formats.gltf.building import Body, Material, Node, Parts, Surface, Track, build
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.retarget.fitting import Fitting

ROUND = 24  # sides of a cylinder
WOOD = Material("prop", (0.42, 0.27, 0.15, 1.0), roughness=0.9, both_sides=True)


def ensemble_file(
    result: EnsembleResult, characters: Mapping[str, Document], kind: str = "glb", form: Form = AS_USUAL
) -> bytes:
    """Everybody and everything in one file.

    Parameters
    ----------
    result : EnsembleResult
    characters : mapping of str to Document
        What each performer's skeleton was read from.
    kind : {"glb", "usd"}
    form : Form
        Unit, up axis, whether meshes are written, the number of the first frame.

    Returns
    -------
    bytes
        A node for each performer and prop, called as the ensemble calls it, with what the character's own file holds
        below, and one animation; in the common space.
    """
    fps = result.recording.fps
    files = {name: formats.write([clip], characters[name], kind, form=form) for name, clip in result.clips.items()}
    for name, motion in result.props.items():
        files[name] = prop_file(name, result.recording.prop(name).shapes, motion, fps, result.sizes[name], kind, form)
    return in_one_file(result.recording.ensemble.name, files, kind)


def in_one_file(name: str, files: Mapping[str, bytes], kind: str) -> bytes:
    """Files of performers and props by their names as one, with that animation: all of a kind of
    :data:`armuto.choices.SEVERAL_FIGURES`.
    Raises :class:`BadInput` for another kind."""
    if kind == "glb":
        return gltf.merged(files, name)
    if kind == "usd":
        # USD's library is large; whoever writes none need not wait for it.
        from armuto.formats import usd_merging

        return usd_merging.merged(files)
    raise BadInput(f"{name}: .{kind} holds no more than one figure; take .glb or .usd for all in one file.")


def prop_file(
    name: str,
    shapes: Sequence[Shape],
    motion: PropMotion,
    fps: float,
    size: float = 1.0,
    kind: str = "glb",
    form: Form = AS_USUAL,
) -> bytes:
    """A prop and its motion as a file of its own; kind: one of :data:`armuto.choices.SEVERAL_FIGURES`."""
    times = (np.arange(len(motion.positions)) + form.first) / fps
    node = Node(name, -1, motion.positions[0], motion.rotations[0])
    surfaces = [shape_surface(shape, size) for shape in shapes]
    tracks = [
        Track(0, "rotation", times, rotation.continuous(motion.rotations)),
        Track(0, "translation", times, motion.positions),
    ]
    parts = Parts([node], [Body(name, 0, surfaces)], [], [WOOD], [], [(name, tracks)])
    if kind == "usd":
        from armuto.formats import usd_writer

        return usd_writer.write(parts, form.unit or 1.0, form.up)
    return build(parts)


def shape_surface(shape: Shape, size: float = 1.0) -> Surface:
    """The triangles of a shape, with flat faces, in the prop's frame and so many times its size."""
    half = np.array(shape.size) / 2
    if shape.kind == "mesh":
        corners = triangles_of(shape).corners
        quads = np.concatenate([corners, corners[:, 2:]], axis=1)
    elif shape.kind == "box":
        quads = _box_quads() * half
    elif shape.kind == "plane":
        quads = np.array([[[-1.0, 0, 1], [1, 0, 1], [1, 0, -1], [-1, 0, -1]]]) * half
    else:
        quads = _cylinder_quads() * half
    turn = turn_of(shape)
    points = (rotation.rotate(np.broadcast_to(turn, (*quads.shape[:2], 4)), quads) + np.array(shape.at)) * size
    normals = np.cross(points[:, 1] - points[:, 0], points[:, 2] - points[:, 0])
    # Where two corners of a quad are one, as at the middle of a lid, its other half tells where it faces.
    normals = np.where(
        np.any(normals, axis=1, keepdims=True),
        normals,
        np.cross(points[:, 2] - points[:, 0], points[:, 3] - points[:, 0]),
    )
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
    first = np.arange(len(points)) * 4
    faces = np.concatenate([np.stack([first, first + 1, first + 2], 1), np.stack([first, first + 2, first + 3], 1)])
    return Surface(points.reshape(-1, 3), _without_flat(faces, points.reshape(-1, 3)), 0, np.repeat(normals, 4, axis=0))


def _box_quads() -> FloatArray:
    """The faces of a box from -1 to 1 ``(6, 4, 3)``, seen from outside against the clock."""
    out = []
    for axis in range(3):
        for sign in (1.0, -1.0):
            u, v = np.eye(3)[(axis + 1) % 3], np.eye(3)[(axis + 2) % 3]
            middle = sign * np.eye(3)[axis]
            corners = [(-1, -1), (1, -1), (1, 1), (-1, 1)]
            out.append([middle + a * u + b * v for a, b in (corners if sign > 0 else corners[::-1])])
    return np.array(out)


def _cylinder_quads() -> FloatArray:
    """Sides and lids of a cylinder along Y, from -1 to 1, with radius 1, ``(3 · ROUND, 4, 3)``."""
    angles = np.linspace(0.0, 2 * np.pi, ROUND + 1)
    ring = np.stack([np.sin(angles), np.zeros_like(angles), np.cos(angles)], axis=1)
    up = np.array([0.0, 1.0, 0.0])
    out = []
    for a, b in pairwise(ring):
        out += [[a - up, b - up, b + up, a + up], [up, a + up, b + up, up], [-up, b - up, a - up, -up]]
    return np.array(out)


def _without_flat(faces: NDArray[np.int64], points: FloatArray) -> NDArray[np.int64]:
    corners = points[faces]
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    return np.asarray(faces[area > 1e-12])


def at_origin(clip: Clip, fitting: Fitting) -> tuple[Clip, Start]:
    """A performer's clip moved so that it begins at the origin and heads along +Z, and the start that puts it back
    (:func:`armuto.export.insert_motion.placed`)."""
    path = travel_path(clip, fitting)
    x, _, z = path.places[0]
    start = Start(float(x), float(z), float(np.degrees(path.heading[0])))
    return placed(clip, fitting, Start()), start
