"""Putting a character that the core has read into the cast, and new versions of it."""

from dataclasses import dataclass
from pathlib import PurePath
from typing import Any, cast

from django.db import transaction

from armuto.body import capsules
from armuto.body.orientation import facing_angle
from armuto.errors import BadInput
from armuto.formats import Document
from armuto.intake import naming
from armuto.kinematics import observed
from studio.cast.models import Character
from studio.cast.sheet import facts_of
from studio.cast.signals import skeleton_replaced
from studio.contents.models import Content
from studio.contents.services import store
from studio.library.services import keep_original, keep_skeleton

FROM_THE_FILE = (
    "original",
    "display_file",
    "skeleton",
    "nodes",
    "height",
    "facing",
    "bounds",
    "notes",
    "sheet",
    "capsules",
    "soles",
    "palms",
    "revision",
)


@dataclass(frozen=True)
class StoredFiles:
    """original: as it came. display: the .glb of the figure, where that is made from it."""

    original: Content
    display: Content | None


def store_files(document: Document, original: Content) -> StoredFiles:
    """To be called before the transaction in which the character is kept, as :func:`studio.contents.services.store`."""
    display = None if document.display is None else store(document.display)
    return StoredFiles(original, None if display == original else display)


def keep_character(document: Document, files: StoredFiles, name: str = "") -> Character:
    """Raises :class:`BadInput` for a file without a mesh bound to bones."""
    name = name or PurePath(document.file).stem.replace("_", " ").strip() or "character"
    row = Character(name=free_name(name))
    _take_up(row, document, files)
    return row


@transaction.atomic
def new_version_of(row: Character, document: Document, files: StoredFiles) -> Character:
    """Another file for a character that keeps its name, tags, remarks and fittings; pairs are checked again by bone
    name."""
    before = set(row.skeleton.tree["names"])
    same = row.original.name
    was = row.skeleton.value()
    row.revision += 1
    _take_up(row, document, files)
    now = set(document.skeleton.names)
    gone, new = sorted(before - now), sorted(now - before)
    changes = []
    if gone:
        changes.append(f"{_count(gone, 'bone is', 'bones are')} gone ({_listed(gone)})")
    if new:
        changes.append(f"{_count(new, 'bone is', 'bones are')} new ({_listed(new)})")
    if not gone and not new:
        changes.append("all bones have kept their names")
    lost: dict[object, list[str]] = {}
    for _, parts in skeleton_replaced.send(Character, character=row, before=was, reason=f"new version of {row.name}"):
        lost |= cast(dict[object, list[str]], parts)
    pairs = sum(len(parts) for parts in lost.values())
    if lost:
        what = "its fitting was kept" if len(lost) == 1 else f"its {len(lost)} fittings were kept"
        changes.append(f"{what}, {_count(range(pairs), 'pair', 'pairs')} lost a bone" if pairs else f"{what} whole")
    sentence = "; ".join(changes)
    row.changed = f"{document.file} replaced {same}: {sentence}."
    row.save(update_fields=["changed"])
    return row


def _take_up(row: Character, document: Document, files: StoredFiles) -> None:
    if document.rig is None or document.bounds is None:
        raise BadInput(
            f"{document.file}: there is no mesh in it; bring in a file with a skinned mesh, or drop it in the Library."
        )
    if not document.skinned:
        raise BadInput(f"{document.file}: its mesh has no bones; bind the mesh to the skeleton and export it again.")
    row.original = keep_original(files.original, document.file, document.format)
    row.display_file = files.display
    row.skeleton = keep_skeleton(document, row.name)
    row.nodes = list(document.rig.nodes)
    row.height = document.height
    row.facing = facing_angle(document.skeleton, document.parts)[0]
    row.bounds = document.bounds.tolist()
    row.notes = list(document.notes)
    row.sheet = facts_of(document)
    seen = observed.to_json(document.skeleton.observed, document.skeleton.names)
    row.soles, row.palms = seen.get("soles", {}), seen.get("palms", {})
    row.capsules = capsules.to_json(document.capsules, document.skeleton)
    # A row that is there keeps what somebody may be writing about it at this moment.
    row.save(update_fields=FROM_THE_FILE if row.pk else None)


def free_name(name: str, but: int | None = None) -> str:
    """The name, or the name with the next free number behind it."""
    return naming.free(name, Character.objects.exclude(pk=but or 0).values_list("name", flat=True))


def _count(rows: Any, singular: str, many: str) -> str:
    return f"1 {singular}" if len(rows) == 1 else f"{len(rows)} {many}"


def _listed(names: list[str]) -> str:
    return ", ".join(names[:4]) + (f" and {len(names) - 4} more" if len(names) > 4 else "")
