"""Pieces of a mesh moved before it is bound: feet set apart, an arm taken away from the body.

Only what is moved is written anew: positions, normals, tangents and shapes of the moved points; all else stays in its
buffers, bit for bit.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from armuto.errors import BadInput
from armuto.formats import gltf
from armuto.formats.gltf.building import Store
from armuto.formats.gltf.container import GltfFile, Json
from armuto.formats.gltf.deforming import LEAST, deformed_primitive
from armuto.formats.gltf.reading import tree_of
from armuto.kinematics import rotation
from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.lazy import lazily
from armuto.rigging.definition import RigDefinition
from armuto.rigging.landmarks import Landmark, Landmarks
from armuto.rigging.piece_moves import PieceMove
from armuto.rigging.reading import BareMesh

spatial = lazily("scipy.spatial")

NEAREST = 24  # points about a landmark, of which most say what piece it lies in
LARGER = 1.2  # times as long, from which on a piece is larger than another
MEETING = 0.01  # of the longest side: points of a piece that lie so much nearer to others are where it meets them


def arranged(mesh: BareMesh, moves: Mapping[int, PieceMove]) -> BareMesh:
    """The mesh with pieces moved, in its points and in its file. Pieces that it has not are passed over."""
    moved_pieces = {piece: move for piece, move in moves.items() if (mesh.components == piece).any()}
    if not moved_pieces:
        return mesh
    points = mesh.points.copy()
    for piece, move in moved_pieces.items():
        rows = mesh.components == piece
        points[rows] = move.applied(mesh.points[rows])
    if not np.isfinite(points).all():
        raise BadInput(f"{mesh.held.file}: a piece is moved nowhere; move it less.")
    return replace(mesh, points=points, held=_written(mesh, moved_pieces))


def pivot_of(mesh: BareMesh, piece: int) -> FloatArray:
    """The place ``(3,)`` about which a piece is turned: where it meets larger ones, or its middle where there are none.
    What is as large may be its twin, as a boot that touches the other."""
    used = np.zeros(len(mesh.points), bool)
    used[mesh.faces] = True
    points, components = mesh.points[used], mesh.components[used]
    sizes = _sizes(points, components)
    own = components == piece
    others = points[sizes[components] > LARGER * sizes[piece]]
    points = points[own]
    if not len(others):
        return np.asarray((points.min(axis=0) + points.max(axis=0)) / 2)
    far, _ = spatial.cKDTree(others).query(points)
    size = float(np.ptp(mesh.points[used], axis=0).max())
    return np.asarray(points[far <= far.min() + MEETING * size].mean(axis=0))


def _sizes(points: FloatArray, components: NDArray[np.int64]) -> FloatArray:
    """The diagonal of each piece's box ``(C,)``."""
    low, high = (np.full((int(components.max()) + 1, 3), value) for value in (np.inf, -np.inf))
    np.minimum.at(low, components, points)
    np.maximum.at(high, components, points)
    return np.asarray(np.linalg.norm(np.maximum(high - low, 0), axis=1))


def with_move(definition: RigDefinition, mesh: BareMesh, piece: int, move: PieceMove) -> RigDefinition:
    """A definition with one piece moved otherwise, and the landmarks with it. mesh: as it came."""
    before = definition.moves.get(piece)
    landmarks = carried(definition.landmarks, arranged(mesh, definition.moves), before, move, piece)
    moves = {number: row for number, row in {**definition.moves, piece: move}.items() if not row.stays}
    return replace(definition, landmarks=landmarks, moves=moves)


def carried(landmarks: Landmarks, mesh: BareMesh, before: PieceMove | None, after: PieceMove, piece: int) -> Landmarks:
    """Landmarks where one piece of a mesh as it stands is moved on, from where it was moved before: those that lie in
    it go along, and keep how sure they are."""
    used = np.unique(mesh.faces)
    tree = spatial.cKDTree(mesh.points[used])
    names = list(landmarks.points)
    places = np.array([landmarks.at(name) for name in names])
    count = min(NEAREST, len(used))
    _, nearest = tree.query(places, k=[*range(1, count + 1)])
    inside: BoolArray = (mesh.components[used[nearest]] == piece).mean(axis=1) > 0.5
    points = dict(landmarks.points)
    for name, at in zip(np.array(names)[inside], places[inside], strict=True):
        x, y, z = after.applied(at if before is None else before.undone(at)).tolist()
        points[str(name)] = Landmark((x, y, z), points[str(name)].confidence)
    return replace(landmarks, points=points)


def _written(mesh: BareMesh, moves: Mapping[int, PieceMove]) -> GltfFile:
    """The file with the moved points in it."""
    held = mesh.held
    store = Store.continued(held)
    world = tree_of(held).world
    copies: dict[int, Json] = {}
    for number, (node, place) in enumerate(mesh.primitives):
        components = mesh.components[mesh.owners == number]
        rows = np.isin(components, list(moves))
        if not rows.any():
            continue
        if abs(np.linalg.det(world[node][:3, :3])) < LEAST:
            raise BadInput(f"{held.file}: a piece that is flattened to nothing cannot be moved; leave it where it is.")
        if node not in copies:
            copies[node] = dict(held.row("meshes", held.rows("nodes")[node]["mesh"]))
            copies[node]["primitives"] = list(copies[node]["primitives"])
            store.tree["meshes"].append(copies[node])
            store.tree["nodes"][node]["mesh"] = len(store.tree["meshes"]) - 1
        own = {piece: _in_file(moves[piece], mesh, world[node]) for piece in np.unique(components[rows]).tolist()}
        matrices = np.array([own[piece] for piece in components[rows].tolist()])
        primitives = copies[node]["primitives"]
        primitives[place] = deformed_primitive(held, store, primitives[place], rows, matrices)
    return gltf.parse(store.glb(), held.file)


def _in_file(move: PieceMove, mesh: BareMesh, node: FloatArray) -> FloatArray:
    """A move ``(4, 4)`` of points as a node of the file has them, which stands at ``(4, 4)``."""
    ours = np.eye(4)
    ours[:3, :3] = rotation.to_matrix(np.array(mesh.frame.turn)) * mesh.frame.unit
    moved = np.eye(4)
    moved[:3, :3] = rotation.to_matrix(move.rotation)
    moved[:3, 3] = move.applied(np.zeros(3))
    into = ours @ node
    return np.asarray(np.linalg.inv(into) @ moved @ into)
