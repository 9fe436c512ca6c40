"""Looking at all sources, again and again: folders every moment, addresses seldom."""

import logging
import threading
import time
from concurrent.futures import Future, ThreadPoolExecutor

from django.db import DatabaseError, close_old_connections, connection
from django.utils import timezone

from armuto.errors import BadInput
from studio.changes.recording import recorded
from studio.sources.models import Source, SourceItem
from studio.sources.services import addresses, folders
from studio.sources.tasks import fetch_item

logger = logging.getLogger(__name__)
STEP = 0.5  # seconds between two rounds
EVERY = {Source.Kind.FOLDER: 1.0, Source.Kind.ADDRESS: 60.0}  # seconds between two looks
AT_ONCE = 4  # sources that are looked at; a slow one holds no other up


def look(source: Source) -> str:
    """Look at a source; returns what is wrong with it, or nothing."""
    try:
        if source.kind == Source.Kind.FOLDER:
            folders.look(source)
        elif source.kind == Source.Kind.ADDRESS:
            addresses.look(source)
            if source.accepts:
                fetch_newer(source)
    except BadInput as problem:
        return str(problem)
    return ""


def fetch_newer(source: Source) -> None:
    """Of what came from an address before, fetch what is newer there."""
    newer = source.items.filter(state=SourceItem.State.NEWER)
    for pk in newer.values_list("pk", flat=True):
        if SourceItem.objects.filter(pk=pk, state=SourceItem.State.NEWER).update(state=SourceItem.State.WAITING):
            fetch_item.enqueue(pk)


def look_and_note(source: Source) -> None:
    """Look at a source, and note what is wrong with it. That it was looked at is noted where that says something new:
    pages hear of every writing."""
    sentence = look(source)
    if source.looked is None or sentence != source.sentence:
        Source.objects.filter(pk=source.pk).update(looked=timezone.now(), sentence=sentence)


def _watched(pk: int) -> None:
    """One look, in a thread. Nothing that happens to a source ends the watching."""
    try:
        with recorded():
            source = Source.objects.filter(pk=pk, active=True).first()
            if source is not None:
                look_and_note(source)
    except DatabaseError as problem:
        logger.warning("Not looked at: source %d (%s)", pk, problem)
    except Exception:
        logger.exception("Looking at source %d failed.", pk)
    finally:
        connection.close()


def watch(ending: threading.Event) -> None:
    """Look at all sources in turn until told to end."""
    due: dict[int, float] = {}
    at_work: dict[int, Future[None]] = {}
    with ThreadPoolExecutor(AT_ONCE, thread_name_prefix="source") as threads:
        while not ending.wait(STEP):
            close_old_connections()
            try:
                kinds = dict(Source.objects.filter(active=True, kind__in=EVERY).values_list("pk", "kind"))
            except DatabaseError:
                continue  # locked for long; at the next round
            now = time.monotonic()
            due = {pk: at for pk, at in due.items() if pk in kinds}
            for pk, kind in kinds.items():
                if due.get(pk, 0.0) <= now and (pk not in at_work or at_work[pk].done()):
                    due[pk] = now + EVERY[Source.Kind(kind)]
                    at_work[pk] = threads.submit(_watched, pk)
    connection.close()
