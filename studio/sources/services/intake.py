"""From a source into the intake: once for the same bytes, as a new version of what came from there before, and by
itself where that was wanted."""

from collections.abc import Iterable

from django.db import transaction

from studio.cast.models import Character
from studio.contents.services import store
from studio.ingest.models import IntakeFile, IntakeRow
from studio.ingest.services.acceptance import begin
from studio.ingest.tasks import accept_file, read_file
from studio.library.models import Clip, Original
from studio.platform import leases
from studio.sources.models import Source, SourceItem

State = SourceItem.State


def refuse(item: SourceItem, sentence: str) -> None:
    """It stays as it is until it changes, or somebody asks for it again; what has become something else since it was
    looked at is let alone."""
    SourceItem.objects.filter(pk=item.pk, state=item.state).update(
        state=State.REFUSED, sentence=sentence, **leases.RELEASED
    )


def lay_before(item: SourceItem, data: bytes, sha256: str, path: str) -> bool:
    """Lay a file that an item has come as before somebody in the intake. Returns whether it was: not where the same
    bytes came from this source, or into the library or the cast, before."""
    content = store(data)
    # Another name for the same bytes is no other file.
    again = SourceItem.objects.filter(source=item.source_id, sha256=sha256).exclude(pk=item.pk)
    sentence = ""
    with transaction.atomic():
        # Whoever watches and whoever asks may look at the same time: what counts is what is so now.
        if SourceItem.objects.select_for_update().filter(pk=item.pk, sha256=sha256).exists():
            file = None
        elif other := again.first():
            file, sentence = None, f"{item.key}: it is the same as {other.key}, which came in already."
        elif Original.objects.filter(sha256=sha256).exists():
            file, sentence = None, f"{item.key}: it was brought in before."
        else:
            file = IntakeFile.objects.create(
                path=path, content=content, goes_to="auto", source_item=item.pk, source_name=item.source.name
            )
        SourceItem.objects.filter(pk=item.pk).update(
            state=State.TAKEN,
            version=item.version,
            taken_version=item.version,
            sha256=sha256,
            sentence=sentence,
            **leases.RELEASED,
        )
    if file is None:
        return False
    read_file.enqueue(file.pk)
    return True


def laid_out(file: IntakeFile) -> None:
    """A file of a source has been read: say what it would be a new version of, and accept it where that was wanted."""
    item = SourceItem.objects.select_related("source").filter(pk=file.source_item or 0).first()
    if item is None or file.state != IntakeFile.State.READY:
        return
    # Where files are put aside, another one of the same name is another file.
    before = [] if item.source.moves else item.contents
    if file.kind == IntakeFile.Kind.CHARACTER:
        file.becomes = Character.objects.filter(retired=False, original__sha256__in=before).last()
        file.save(update_fields=["becomes"])
        likely = file.becomes is not None
    else:
        likely = _motion(file, item.source, before)
    sha256 = file.required_content().sha256
    with transaction.atomic():
        contents = SourceItem.objects.get(pk=item.pk).contents
        if sha256 not in contents:
            SourceItem.objects.filter(pk=item.pk).update(contents=[*contents, sha256])
    if item.source.accepts and likely:
        for pk in begin([file]):
            accept_file.enqueue(pk)


def _motion(file: IntakeFile, source: Source, before: Iterable[str]) -> bool:
    """Let each clip of a file be a new version of the one that came of it before, by the hashes of what did; returns
    whether all of them are on skeletons of which clips were accepted from this source before."""
    rows = list(file.rows.order_by("number").defer("plate"))
    clips = _clips_of(before, file.file)
    # Of several clips in a file the library does not know which is which but by their order.
    if len(clips) == len(rows):
        for row, clip in zip(rows, clips, strict=True):
            if clip.skeleton.identity == row.identity and clip.content != row.content:
                IntakeRow.objects.filter(pk=row.pk, becomes=None).update(becomes=clip, ticked=True)
    known = _skeletons_of(source)
    return bool(rows) and all(row.identity in known for row in rows)


def _clips_of(contents: Iterable[str], name: str) -> list[Clip]:
    takes = Clip.objects.filter(take__sha256__in=list(contents), take__name=name, retired=False, segment_of=None)
    return list(takes.select_related("skeleton").order_by("pk"))


def _skeletons_of(source: Source) -> set[str]:
    contents = [sha256 for hashes in source.items.values_list("contents", flat=True) for sha256 in hashes]
    clips = Clip.objects.filter(take__sha256__in=contents)
    return set(clips.values_list("skeleton__identity", flat=True))
