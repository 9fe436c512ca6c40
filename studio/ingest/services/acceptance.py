"""From the intake into the library and the cast: one transaction per file."""

from collections.abc import Iterable
from pathlib import PurePosixPath

from django.db import transaction

from armuto.errors import BadInput
from armuto.formats import Document
from armuto.intake import naming
from studio.cast.services import StoredFiles, keep_character, new_version_of, store_files
from studio.ingest.models import IntakeFile, IntakeRow, IntakeSculpture, NamingRule
from studio.ingest.services.staging import document_of, skeleton_names
from studio.ingest.services.together import join
from studio.library.importing import NewClip, keep_clips
from studio.library.models import Clip
from studio.library.services import keep_original, keep_skeleton, new_version
from studio.platform import leases
from studio.rigs.services import RigFiles, keep_rig

ROWS_AT_ONCE = 100  # written in one transaction


def skeletons_called(identities: set[str]) -> dict[str, str]:
    """What skeletons are called, by identity: as in the library, or as they will be, after the folder or file of the
    first row that has them."""
    called = skeleton_names(identities)
    missing = identities - called.keys()
    for row in IntakeRow.objects.filter(identity__in=missing).select_related("file").only("identity", "file__path"):
        path = PurePosixPath(row.file.path)
        name = path.parent.name.replace("_", " ") or f"skeleton of {path.stem.replace('_', ' ')}"
        called.setdefault(row.identity, name)
    # What was accepted between both looks is in the library by now; what was dismissed is nowhere.
    gone = identities - called.keys()
    return called | dict.fromkeys(gone, "") | (skeleton_names(gone) if gone else {})


def names_for(rows: Iterable[IntakeRow]) -> dict[int, str]:
    """The name every ticked row will have: as typed, or by the rule, none of them twice or taken in the library."""
    rows = [row for row in rows if row.ticked]
    called = skeletons_called({row.identity for row in rows})
    rule = NamingRule.at("intake")
    versions = {row.pk: row.becomes.name for row in rows if row.becomes}
    typed = {row.pk: row.name for row in rows if row.name and row.pk not in versions}
    by_rule = [row for row in rows if row.pk not in versions and row.pk not in typed]
    taken = [*Clip.objects.values_list("name", flat=True), *typed.values()]
    made = naming.names(rule, [row.facts(called[row.identity]) for row in by_rule], taken)
    return versions | typed | {row.pk: text for row, text in zip(by_rule, made, strict=True)}


def begin(files: Iterable[IntakeFile]) -> list[int]:
    """Settle names and mark files for acceptance. Returns their ids; files with nothing ticked in them are left as they
    are."""
    wanted = {row.pk for row in files}
    rows = list(IntakeRow.objects.select_related("file", "becomes").defer("plate"))
    names = names_for(rows)
    chosen = []
    for row in rows:
        if row.file_id in wanted and row.ticked:
            row.final = names[row.pk]
            chosen.append(row)
    # In portions, so that others are not kept from writing; names count from the moment the files are marked.
    for first in range(0, len(chosen), ROWS_AT_ONCE):
        IntakeRow.objects.bulk_update(chosen[first : first + ROWS_AT_ONCE], ["final"])
    ready = {row.file_id for row in chosen}
    ready |= set(IntakeFile.objects.filter(pk__in=wanted, kind=IntakeFile.Kind.CHARACTER).values_list("pk", flat=True))
    with transaction.atomic():
        found = IntakeFile.objects.filter(pk__in=ready, state__in=[IntakeFile.State.READY, IntakeFile.State.REFUSED])
        ids = list(found.values_list("pk", flat=True))
        IntakeFile.objects.filter(pk__in=ids).update(state=IntakeFile.State.ACCEPTING, sentence="", **leases.RELEASED)
    return ids


def accept(file_id: int) -> tuple[list[int], list[int]]:
    """Take one file in, all of it or nothing. Returns ids of clips and characters; none where it was stopped before its
    turn.

    Clips that are not ticked are dismissed with it. Raises :class:`BadInput`.
    """
    waiting = IntakeFile.objects.filter(pk=file_id, state=IntakeFile.State.ACCEPTING).select_related("content").first()
    if waiting is None:
        return [], []
    # Read, and worked out, before the database is locked, so that a stop gets its turn between two files.
    document = document_of(waiting)
    try:
        if waiting.kind == IntakeFile.Kind.CHARACTER:
            files = store_files(document, waiting.required_content())
            with transaction.atomic():
                return [], [_keep_character(_still_wanted(file_id), document, files)]
        clips = _keep_clips(waiting, document)
        join(waiting, clips)
        return clips, []
    except _Stopped:
        return [], []


class _Stopped(Exception):
    """The file was taken back while it was being accepted."""


def _still_wanted(file_id: int) -> IntakeFile:
    row = IntakeFile.objects.filter(pk=file_id, state=IntakeFile.State.ACCEPTING).select_related("becomes").first()
    if row is None:
        raise _Stopped
    return row


def _keep_character(row: IntakeFile, document: Document, files: StoredFiles) -> int:
    made = new_version_of(row.becomes, document, files) if row.becomes else keep_character(document, files, row.name)
    sculpture = IntakeSculpture.objects.filter(file=row).first()
    if sculpture is not None:
        name = sculpture.path.rsplit("/", 1)[-1]
        keep_rig(made, sculpture.prepared(), RigFiles(name, sculpture.original, sculpture.mesh), made=True)
    row.delete()
    return made.pk


def _keep_clips(file: IntakeFile, document: Document) -> list[int]:
    rows = [row for row in file.rows.select_related("becomes", "file") if row.ticked]
    if not rows:
        raise BadInput(f"{file.path}: none of its clips is ticked.")
    skeleton_name = skeletons_called({rows[0].identity})[rows[0].identity]
    new = [
        NewClip(
            document.clips[row.number],
            row.final or document.clips[row.number].name,
            (row.first, row.last),
            row.floor,
            row.recipe,
        )
        for row in rows
        if not row.becomes
    ]

    def with_them() -> None:
        """New versions of clips come in with the new clips of the file, which leaves the intake."""
        wanted = _still_wanted(file.pk)
        for row in rows:
            if row.becomes:
                original = keep_original(file.required_content(), file.file, document.format)
                skeleton = keep_skeleton(document, skeleton_name)
                row.becomes.floor = row.floor
                clip = document.clips[row.number]
                new_version(row.becomes, document, clip, original, skeleton, (row.first, row.last))
        wanted.delete()

    made = iter(keep_clips(document, file.required_content(), file.file, skeleton_name, new, with_them))
    return [row.becomes.pk if row.becomes else next(made).pk for row in rows]
