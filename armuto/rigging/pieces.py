"""The pieces of a mesh as a person sees them, and what its surface has of holes and other flaws."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from armuto.kinematics.arrays import FloatArray
from armuto.lazy import lazily
from armuto.rigging.components import row_keys, welded
from armuto.rigging.reading import BareMesh

sparse = lazily("scipy.sparse")
csgraph = lazily("scipy.sparse.csgraph")

LISTED = 60  # pieces that are told apart by name, largest first


@dataclass(frozen=True)
class Piece:
    """What hangs together. number: as :func:`armuto.rigging.components.components_of` counts. name: of its node, or
    its material. middle, size ``(3,)``: in metres."""

    number: int
    name: str
    points: int
    middle: tuple[float, float, float]
    size: tuple[float, float, float]


@dataclass(frozen=True)
class SurfaceFlaws:
    """What a mesh has that a closed surface has not. holes: edges with one triangle, in so many rims. doubled:
    triangles that lie on another with the same corners. crowded: edges with more than two triangles. turned: edges
    along which one of two triangles is inside out."""

    holes: int
    doubled: int
    crowded: int
    turned: int


def pieces_of(mesh: BareMesh) -> tuple[Piece, ...]:
    """The largest :data:`LISTED` pieces."""
    components = mesh.components
    used = np.zeros(len(mesh.points), bool)
    used[mesh.faces] = True
    out: list[Piece] = []
    taken: dict[str, int] = {}
    for number in range(min(int(components.max()) + 1, LISTED)):
        rows = np.flatnonzero((components == number) & used)
        if not len(rows):
            continue
        name = _name_of(mesh, int(mesh.owners[rows[0]]))
        taken[name] = taken.get(name, 0) + 1
        low, high = mesh.points[rows].min(axis=0), mesh.points[rows].max(axis=0)
        label = name if taken[name] == 1 else f"{name} {taken[name]}"
        out.append(Piece(number, label, len(rows), _triple((low + high) / 2), _triple(high - low)))
    return tuple(out)


def _name_of(mesh: BareMesh, owner: int) -> str:
    """What a primitive is called: by its material where a node has several, else by its node or mesh."""
    node, place = mesh.primitives[owner]
    row = mesh.held.rows("nodes")[node]
    held = mesh.held.row("meshes", row["mesh"])
    primitive = held["primitives"][place]
    material = None
    if "material" in primitive:
        material = mesh.held.row("materials", primitive["material"]).get("name")
    several = len(held["primitives"]) > 1
    names = (material, row.get("name"), held.get("name")) if several else (row.get("name"), held.get("name"), material)
    return next((str(name)[:60] for name in names if name), "piece")


def flaws_of(points: FloatArray, faces: NDArray[np.int64]) -> SurfaceFlaws:
    """Flaws of a surface ``(P, 3)``, ``(T, 3)``, corners in one place taken as one."""
    _, same = welded(points)
    corners = same[faces]
    corners = corners[(corners != np.roll(corners, 1, axis=1)).all(axis=1)]
    ordered = np.sort(corners, axis=1)
    _, base = np.unique(row_keys(ordered[:, :2]), return_inverse=True)
    doubled = len(ordered) - len(np.unique(row_keys(np.stack([base, ordered[:, 2]], axis=1))))
    directed = np.concatenate([corners[:, [0, 1]], corners[:, [1, 2]], corners[:, [2, 0]]])
    edges = np.sort(directed, axis=1)
    _, first, inverse, used = np.unique(row_keys(edges), return_index=True, return_inverse=True, return_counts=True)
    edges = edges[first]
    # Of two triangles that agree, one walks an edge forwards and the other backwards.
    ways = np.bincount(inverse, np.where(directed[:, 0] < directed[:, 1], 1, -1), len(edges))
    rim = edges[used == 1]
    return SurfaceFlaws(
        holes=_rims(rim),
        doubled=doubled,
        crowded=int((used > 2).sum()),
        turned=int(((used == 2) & (ways != 0)).sum()),
    )


def _rims(edges: NDArray[np.int64]) -> int:
    """How many rims edges ``(E, 2)`` make."""
    if not len(edges):
        return 0
    numbers, place = np.unique(edges, return_inverse=True)
    place = place.reshape(-1, 2)
    link = sparse.coo_matrix((np.ones(len(place), bool), (place[:, 0], place[:, 1])), (len(numbers), len(numbers)))
    return int(csgraph.connected_components(link, directed=False)[0])


def _triple(row: FloatArray) -> tuple[float, float, float]:
    x, y, z = np.round(row, 4).tolist()
    return x, y, z
