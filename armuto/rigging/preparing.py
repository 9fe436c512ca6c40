"""A mesh made ready to be given bones: as one .glb without any, with what is proposed and what its surface is like."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from types import MappingProxyType
from typing import Any

import numpy as np

from armuto.errors import BadInput
from armuto.formats import gltf
from armuto.progress import Report, unreported
from armuto.rigging.arranging import arranged
from armuto.rigging.definition import RigDefinition, proposed_definition
from armuto.rigging.landmarks import usual_landmarks
from armuto.rigging.measures import BindingProblem
from armuto.rigging.piece_moves import PieceMove
from armuto.rigging.pieces import flaws_of, pieces_of
from armuto.rigging.pipeline import Rig, note_on, propose_landmarks, rig
from armuto.rigging.reading import BareMesh, as_glb, read_mesh
from armuto.rigging.stripping import without_bones

SEEN = 1e-3  # of the longest side: what lies no farther apart is in one place
MAKING = 0.45  # of the time that it takes to bind a mesh and to look for what is wrong with it


@dataclass(frozen=True)
class PreparedMesh:
    """glb: the mesh without bones. facts: what is known of it, as JSON (:func:`facts_of`)."""

    glb: bytes
    definition: RigDefinition
    facts: dict[str, Any]

    def in_unit(self, unit: float) -> PreparedMesh:
        """The same with so many metres to a unit of its file."""
        share = unit / self.facts["unit"]

        def larger(row: list[float] | tuple[float, ...]) -> list[float]:
            return [round(value * share, 4) for value in row]

        pieces = [
            piece | {"middle": larger(piece["middle"]), "size": larger(piece["size"])} for piece in self.facts["pieces"]
        ]
        places = {key: larger(self.facts[key]) for key in ("low", "high")}
        facts = self.facts | places | {"unit": unit, "pieces": pieces}
        return PreparedMesh(self.glb, self.definition.scaled(unit, self.facts["unit"]), facts)


def bare_glb(data: bytes, file: str, standing: bool = False) -> bytes:
    """The mesh of any file as .glb; of one with bones without these, as it was bound to them or as they stand. Raises
    :class:`BadInput`."""
    content, _ = as_glb(data, file, {})
    held = gltf.parse(content, file)
    return without_bones(held, standing) if any("skin" in node for node in held.rows("nodes")) else content


def standing_glb(data: bytes, file: str) -> bytes | None:
    """The mesh of a file as its bones stand, or None where that is how it was bound, as far as one can see, or where
    its weights are damaged. Raises :class:`BadInput`."""
    content, _ = as_glb(data, file, {})
    held = gltf.parse(content, file)
    if not any("skin" in node for node in held.rows("nodes")):
        return None
    bound = read_mesh(without_bones(held), file, None, 1.0, "+Y").points
    try:
        made = without_bones(held, standing=True)
        standing = read_mesh(made, file, None, 1.0, "+Y").points
    except BadInput:
        return None
    return made if np.linalg.norm(standing - bound, axis=1).max() > SEEN * np.ptp(bound, axis=0).max() else None


def prepare(
    data: bytes,
    file: str,
    unit: float | None = None,
    up: str | None = None,
    guess: bool = False,
    plan: str | None = None,
    moves: Mapping[int, PieceMove] = MappingProxyType({}),
) -> PreparedMesh:
    """A file's mesh with landmarks from its shape. unit, up, plan, moves: where a person says them. guess: landmarks by
    usual proportions where the shape shows none. Raises :class:`BadInput`."""
    glb = bare_glb(data, file)
    mesh = arranged(read_mesh(glb, file, None, unit, up), moves)
    facts = facts_of(mesh)
    try:
        landmarks = propose_landmarks(mesh, plan=plan)
    except BadInput:
        if not guess:
            raise
        landmarks = usual_landmarks(np.array(facts["low"]), np.array(facts["high"]), plan or "two-legged")
    definition = replace(proposed_definition(landmarks, unit, up), moves=dict(moves))
    return PreparedMesh(glb, definition, facts)


def facts_of(mesh: BareMesh) -> dict[str, Any]:
    """What a person is told of a mesh: sizes in metres, pieces, flaws, how its file was read; nodes: how many its file
    has, behind which its bones will stand."""
    used = mesh.points[np.unique(mesh.faces)]
    low, high = used.min(axis=0), used.max(axis=0)
    return {
        "points": len(mesh.points),
        "triangles": len(mesh.faces),
        "pieces": [asdict(piece) for piece in pieces_of(mesh)],
        "flaws": asdict(flaws_of(mesh.points, mesh.faces)),
        "low": low.round(4).tolist(),
        "high": high.round(4).tolist(),
        "unit": mesh.frame.unit,
        "up": mesh.frame.up,
        "turn": list(mesh.frame.turn),
        "evidence": list(mesh.frame.evidence),
        "nodes": len(mesh.held.rows("nodes")),
    }


@dataclass(frozen=True)
class BoundMesh:
    """A mesh bound by a definition, as .glb. names: of its bones, whatever they are called in the file. problems: of
    its binding. follows: the bones that pieces go along with as they are, by the pieces' numbers."""

    glb: bytes
    names: tuple[str, ...]
    problems: tuple[BindingProblem, ...]
    follows: dict[int, str]


@dataclass(frozen=True)
class RiggedFile:
    """A file whose mesh was given bones. note: a sentence about them. prepared: what they were made from."""

    bound: BoundMesh
    note: str
    prepared: PreparedMesh


def rig_file(data: bytes, file: str) -> RiggedFile:
    """A file without bones with such as its shape proposes. Raises :class:`BadInput`."""
    held, _ = as_glb(data, file, {})
    if any("skin" in node for node in gltf.parse(held, file).rows("nodes")):
        raise BadInput(f"{file}: it has bones already; bring it in as a character.")
    prepared = prepare(data, file)
    made = rig(read_mesh(prepared.glb, file), prepared.definition)
    return RiggedFile(_bound(made), note_on(made), prepared)


def bound_mesh(glb: bytes, file: str, definition: RigDefinition, report: Report = unreported) -> BoundMesh:
    """Raises :class:`BadInput`."""
    mesh = read_mesh(glb, file, None, definition.unit, definition.up)
    made = rig(mesh, definition, lambda share, doing: report(MAKING * share, doing))
    return _bound(made, lambda share, doing: report(MAKING + (1 - MAKING) * share, doing))


def _bound(made: Rig, report: Report = unreported) -> BoundMesh:
    problems = made.problems(report)
    follows = {piece: made.skeleton.names[joint] for piece, joint in made.rigid.items()}
    return BoundMesh(made.glb(), made.skeleton.names, tuple(problems), follows)
