"""Storing contents, and sweeping those that nothing refers to any more."""

import hashlib
import time
from datetime import timedelta

from django.conf import settings
from django.db import connection, transaction
from django.db.models import Exists, ForeignObjectRel, Model, OuterRef, QuerySet
from django.utils.timezone import now

from studio.contents.models import Chunk, Content

CHUNK = 4 * settings.MB  # bytes per transaction
#: Seconds between two chunks: who waits for the lock asks for it every now and then, and has no place in a queue.
TURN = 0.05
#: For how long a content that nothing refers to is kept: whoever stored it may not have come to that yet.
UNREFERRED = max(timedelta(hours=1), timedelta(seconds=2 * settings.TASK_SECONDS))


def store(data: bytes) -> Content:
    """The content of these bytes, to be referred to. To be called before the transaction that does so begins: within
    one, the lock is held until its end."""
    sha256 = hashlib.sha256(data).hexdigest()
    with transaction.atomic():
        content, new = Content.objects.get_or_create(sha256=sha256, defaults={"size": len(data), "stored": now()})
        if not new:
            # Asked once the row is ours: a sweep may have begun since it was found.
            Content.objects.filter(pk=content.pk).update(stored=now())
            content.refresh_from_db(fields=["whole"])
        starts = range(0, len(data), CHUNK)
        if not content.whole and len(starts) <= 1:
            _write(content, data, starts)
            _complete(content, len(starts))
    while not content.whole:
        # Somebody else may be storing the same, or have begun sweeping it: a chunk is the same whoever writes it, and
        # what was taken away meanwhile is written again.
        _write(content, data, starts, TURN)
        with transaction.atomic():
            _complete(content, len(starts))
    return content


def _write(content: Content, data: bytes, starts: range, pause: float = 0.0) -> None:
    """Write a chunk from each of the places on, unless it is there."""
    for number, first in enumerate(starts):
        if not connection.in_atomic_block:
            time.sleep(pause)
        chunk = Chunk(content=content, number=number, data=data[first : first + CHUNK])
        Chunk.objects.bulk_create([chunk], ignore_conflicts=True)


def _complete(content: Content, chunks: int) -> None:
    """Say that it is whole if all of its chunks are there."""
    if content.chunks.count() == chunks:
        content.whole = True
        content.save(update_fields=["whole"])


def sweep() -> None:
    """Take away, chunk by chunk, what nothing has referred to for a while."""
    for content in _unreferred().only("pk"):
        # Asked anew at each step: somebody may be storing the very same again.
        while still := _unreferred().filter(pk=content.pk):
            still.update(whole=False)
            with transaction.atomic():
                first = Chunk.objects.filter(content__in=still).order_by("number").values_list("pk").first()
                if first is None:
                    still.delete()
                else:
                    Chunk.objects.filter(pk__in=first).delete()
            if not connection.in_atomic_block:
                time.sleep(TURN)


def _unreferred() -> QuerySet[Content]:
    rows = Content.objects.filter(stored__lt=now() - UNREFERRED)
    for relation in Content._meta.get_fields(include_hidden=True):
        if isinstance(relation, ForeignObjectRel) and relation.related_model is not Chunk:
            referring: type[Model] = relation.related_model
            rows = rows.filter(~Exists(referring._base_manager.filter(**{relation.field.name: OuterRef("pk")})))
    return rows
