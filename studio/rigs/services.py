"""Giving characters bones: beginning with a mesh, changing what was decided, and putting it in the line-up."""

from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import numpy as np
from django.db import transaction

from armuto import formats
from armuto.errors import BadInput
from armuto.formats import Document
from armuto.intake.detection import ImportOptions
from armuto.kinematics.clip import Clip as ClipValue
from armuto.pipeline import transfer
from armuto.retarget.fitting import NothingToPair, fit
from armuto.rigging import definition as core
from armuto.rigging import fingers, piece_moves
from armuto.rigging.arranging import arranged, pivot_of, with_move
from armuto.rigging.definition import RigDefinition
from armuto.rigging.exercise import posture_clip
from armuto.rigging.piece_moves import PieceMove
from armuto.rigging.preparing import BoundMesh, PreparedMesh, facts_of
from armuto.rigging.reading import BareMesh, read_mesh
from armuto.rigging.skeleton import skeleton_from
from studio.cast.models import Character
from studio.cast.services import new_version_of, store_files
from studio.contents.models import Content
from studio.contents.services import store
from studio.library.models import Clip
from studio.library.services import keep_original
from studio.platform import reader
from studio.platform.optimistic import VERSION_FIELDS
from studio.rigs.models import Rig, RigMesh


@dataclass(frozen=True)
class RigFiles:
    """name, original: of the file as it came. bound, standing: as :class:`~studio.rigs.models.RigMesh` has them."""

    name: str
    original: Content
    bound: Content
    standing: Content | None = None


def keep_rig(character: Character, prepared: PreparedMesh, files: RigFiles, made: bool) -> Rig:
    """Keep what a character's bones were or will be made from. made: whether the character has them."""
    unit = character.skeleton.value().file_frame.unit
    if made and abs(unit - prepared.facts["unit"]) > 1e-9 * unit:
        # A person has said another unit of it before it was accepted.
        prepared = prepared.in_unit(unit)
    definition = core.to_json(prepared.definition)
    row, _ = Rig.objects.update_or_create(
        character=character,
        defaults={
            "original": keep_original(files.original, files.name, files.name.rpartition(".")[2].lower()[:8]),
            "facts": prepared.facts,
            "definition": definition,
            "made": prepared.definition.digest if made else "",
            "revision": character.revision,
        },
    )
    RigMesh.objects.update_or_create(rig=row, defaults={"bound": files.bound, "standing": files.standing})
    return row


def begin(character: Character) -> Rig:
    """Set a character's bones aside and propose others for its mesh; the character stays as it is until it is given
    them. Raises :class:`BadInput` for a file without a mesh."""
    held = _begun(character)
    if held is not None:
        return held
    data = character.display()
    file = f"{character.original.name.rsplit('.', 1)[0]}.glb"
    # As the character is read, so that it keeps its size.
    frame = character.skeleton.value().file_frame
    prepared = reader.prepared_mesh(data, file, frame.unit, frame.up)
    standing = reader.standing_mesh(data, file)
    files = RigFiles(
        file, character.original.content, store(prepared.glb), None if standing is None else store(standing)
    )
    with transaction.atomic():
        return _begun(character) or keep_rig(character, prepared, files, False)


def _begun(character: Character) -> Rig | None:
    """What was begun for the file that a character has, if anything was."""
    return Rig.objects.filter(character=character, revision=character.revision).first()


def change(row: Rig, data: Any, base: int | None) -> None:
    """Another definition. Raises :class:`BadInput` for what is none, and
    :class:`~studio.platform.optimistic.Conflict` where others have changed it since."""
    definition = core.from_json(data, row.character.name)
    skeleton_from(definition.landmarks, definition.options)
    facts = None
    if _shape(definition) != _shape(row.value()):
        facts = facts_of(_arranged(row, definition))
    known = facts or row.facts
    definition.check_near(np.array(known["low"]), np.array(known["high"]), row.character.name)
    with transaction.atomic():
        row.refresh_from_db()
        now = core.to_json(definition)
        row.claim(base, {"its bones": row.definition}, {"its bones": now})
        row.definition = now
        row.facts = facts or row.facts
        row.save(update_fields=["definition", "facts", *VERSION_FIELDS])


def _shape(definition: RigDefinition) -> tuple[object, ...]:
    """What the mesh depends on."""
    return definition.pose, definition.unit, definition.up, definition.moves


def proposal(row: Rig, unit: float | None, up: str | None, plan: str | None, pose: str) -> RigDefinition:
    """What the shape proposes where its file is read in another unit, with another axis up, in another pose or as
    another kind of body; nothing is kept."""
    before = row.value()
    # Where it is read otherwise it is not known where its pieces belong.
    moves = before.moves if (unit, up, pose) == (before.unit, before.up, before.pose) else {}
    prepared = reader.prepared_mesh(row.mesh.content(pose), row.mesh_name, unit, up, plan, moves)
    found = replace(prepared.definition, pose=pose)
    if found.landmarks.plan == before.landmarks.plan:
        kept = {name: getattr(before, name) for name in ("options", "omitted", "follows", "softness", "naming")}
        return replace(found, **kept)
    # Bones that pieces follow, and what they are called, are others on another kind of body.
    return replace(found, omitted=before.omitted, softness=before.softness)


def with_fingers(row: Rig, data: Any, count: int | None) -> RigDefinition:
    """A definition with landmarks of so many fingers of each hand, or of as many as its shape shows; nothing is
    kept. Raises :class:`BadInput`."""
    definition = core.from_json(data, row.character.name)
    mesh = _arranged(row, definition)
    try:
        found = fingers.with_fingers(definition.landmarks, mesh.points, mesh.faces, count)
    except BadInput as problem:
        raise BadInput(f"{row.character.name}: {problem}") from None
    return replace(definition, landmarks=found)


def with_moves(row: Rig, data: Any, moves: Any) -> RigDefinition:
    """A definition with pieces moved otherwise, and the landmarks that lie in them; nothing is kept. Raises
    :class:`BadInput`."""
    definition = core.from_json(data, row.character.name)
    mesh = _as_it_came(row, definition)
    for piece, move in piece_moves.from_json(moves, row.character.name).items():
        _check_piece(mesh, piece, row)
        definition = with_move(definition, mesh, piece, move)
    return definition


def pivot(row: Rig, piece: int) -> tuple[float, float, float]:
    """Where a piece is turned about. Raises :class:`BadInput` where there is no such piece."""
    mesh = _as_it_came(row, row.value())
    _check_piece(mesh, piece, row)
    x, y, z = pivot_of(mesh, piece).round(5).tolist()
    return x, y, z


def _check_piece(mesh: BareMesh, piece: int, row: Rig) -> None:
    if piece > mesh.components.max():
        raise BadInput(f"{row.character.name}: there is no such piece; choose another.")


def bound(row: Rig, job: str | None = None) -> BoundMesh:
    """The mesh with the bones of the definition in force. job: as :func:`studio.platform.reader.bound_mesh`."""
    return reader.bound_mesh(row.mesh.content(row.value().pose), row.mesh_name, row.definition, job)


def apply(row: Rig) -> Character:
    """The character gets the bones of the definition in force, and keeps its name and fittings. Raises
    :class:`BadInput`."""
    digest = row.value().digest
    made = bound(row)
    document = reader.read(made.glb, row.mesh_name, read_as(row))
    files = store_files(document, store(made.glb))
    with transaction.atomic():
        row.refresh_from_db()
        if row.value().digest != digest:
            raise BadInput(f"{row.character.name}: somebody has changed its bones meanwhile; look at them, then go on.")
        character = row.character
        if character.revision != row.revision:
            raise BadInput(f"{character.name}: another file has come in for it meanwhile; begin with that one.")
        if row.made != digest:
            new_version_of(character, document, files)
            row.made, row.revision = digest, character.revision
            row.save(update_fields=["made", "revision"])
    return character


def read_as(row: Rig) -> ImportOptions:
    """How the file with the bones is read: as its mesh is, and turned as the character is."""
    frame = mesh_of(row).frame
    return ImportOptions(frame.unit, frame.up, row.character.skeleton.value().file_frame.turned)


def mesh_of(row: Rig) -> BareMesh:
    """The mesh as the definition reads and arranges it, kept while somebody works with it."""
    return _arranged(row, row.value())


def _arranged(row: Rig, definition: RigDefinition) -> BareMesh:
    mesh = _as_it_came(row, definition)
    return _moved(mesh, tuple(sorted(definition.moves.items()))) if definition.moves else mesh


def _as_it_came(row: Rig, definition: RigDefinition) -> BareMesh:
    return _mesh(row.pk, row.original.sha256, definition.pose, definition.unit, definition.up)


@lru_cache(maxsize=2)
def _moved(mesh: BareMesh, moves: tuple[tuple[int, PieceMove], ...]) -> BareMesh:
    return arranged(mesh, dict(moves))


@lru_cache(maxsize=2)
def _mesh(pk: int, content: str, pose: str, unit: float | None, up: str | None) -> BareMesh:
    row = Rig.objects.select_related("original", "mesh").get(pk=pk)
    return read_mesh(row.mesh.content(pose), row.mesh_name, None, unit, up)


def document_of(row: Rig) -> Document:
    """The figure as it would stand in the line-up."""
    return _document(bound(row).glb, row.mesh_name, read_as(row))


@lru_cache(maxsize=4)
def _document(glb: bytes, file: str, options: ImportOptions) -> Document:
    return formats.read(glb, file, options)


def joints_of(row: Rig, document: Document) -> list[int]:
    """For each joint of the figure the one of the definition's skeleton that it is, whatever it is called in the
    file: their nodes stand behind all others, in order."""
    assert document.rig is not None
    return [node - row.facts["nodes"] for node in document.rig.nodes]


def posture_motion(row: Rig) -> ClipValue:
    """A clip through the test postures on the figure as it would stand in the line-up."""
    definition = row.value()
    clip = posture_clip(skeleton_from(definition.landmarks, definition.options), definition.landmarks)
    document = document_of(row)
    order = joints_of(row, document)
    moving = np.array([order.index(int(joint)) for joint in clip.moving])
    return replace(clip, skeleton=document.skeleton, rotations=clip.rotations[:, order], moving=moving)


def performed(row: Rig, clip: Clip) -> ClipValue:
    """A clip of the library as the figure performs it, through a proposed fitting. Raises :class:`BadInput`."""
    document = document_of(row)
    try:
        fitting = fit(clip.skeleton.value(), document.skeleton, clip.skeleton.assignment(), document.parts)
    except NothingToPair:
        raise BadInput(f"{clip.name}: nothing of its skeleton is like this body; try a clip of another.") from None
    return transfer(clip.value(), fitting)
