"""Putting a character that the core has read into the cast."""

from pathlib import PurePath

from armuto import intake
from armuto.errors import BadInput
from armuto.formats import Document
from studio.cast.models import Character, CharacterDisplay
from studio.library.keeping import keep_original, keep_skeleton


def keep_character(document: Document, data: bytes) -> Character:
    """Raises :class:`BadInput` for a file without a mesh bound to bones."""
    if document.rig is None or document.bounds is None:
        raise BadInput(
            f"{document.file}: there is no mesh in it; bring in a file with a skinned mesh, or drop it in the Library."
        )
    if not document.skinned:
        raise BadInput(f"{document.file}: its mesh has no bones; bind the mesh to the skeleton and export it again.")
    name = PurePath(document.file).stem.replace("_", " ").strip() or "character"
    taken = set(Character.objects.values_list("name", flat=True))
    free, number = name, 1
    while free in taken:
        number += 1
        free = f"{name} {number}"
    row = Character.objects.create(
        name=free,
        original=keep_original(data, document.file, document.format),
        skeleton=keep_skeleton(document, name),
        nodes=list(document.rig.nodes),
        height=document.height,
        facing=intake.facing(document.skeleton, document.parts)[0],
        bounds=document.bounds.tolist(),
        notes=list(document.notes),
    )
    if document.display is not None and document.display != data:
        CharacterDisplay.objects.create(character=row, data=document.display)
    return row
