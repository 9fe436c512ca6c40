"""What others change, as a stream of events (HTML Living Standard, server-sent events)."""

import asyncio
import json
import threading
import time
from collections.abc import AsyncIterator, Iterator
from datetime import timedelta

from asgiref.sync import sync_to_async
from django.core.handlers.asgi import ASGIRequest
from django.db import DatabaseError
from django.http import HttpRequest, StreamingHttpResponse
from django.utils import timezone
from ninja import Router

from studio.changes.models import Change
from studio.platform.fields import Id

router = Router(tags=["studio"])
LOOK = 0.4  # seconds between two looks at what has changed
BEAT = 5.0  # seconds after which a stream on which nothing happens shows that it lives
OVERLAP = timedelta(seconds=10)  # what a page may have loaded before its stream was open
#: Set when the server is told to end: streams would keep it waiting.
ending = threading.Event()


class Stream:
    """Where a page has got to. after: the last change it has heard of, or None for a page that is just loading."""

    def __init__(self, after: int | None) -> None:
        self.after = after
        self.beat = time.monotonic()

    def news(self) -> str:
        """Events since the last look, or a comment now and then."""
        if self.after is None:
            # What was changed while the page loaded may have come too late for what it has loaded.
            recent = Change.objects.filter(created__gte=timezone.now() - OVERLAP).first()
            self.after = recent.pk - 1 if recent else self._newest()
            return f"retry: 1000\nid: {self.after}\nevent: begin\ndata: {{}}\n\n"
        out = ""
        oldest = Change.objects.values_list("pk", flat=True).first() or 0
        if self.after > (newest := self._newest()) or self.after + 1 < oldest:
            # Too long ago, or of another studio: nobody knows what was missed.
            self.after = newest
            out = f"id: {newest}\nevent: missed\ndata: {{}}\n\n"
        for row in Change.objects.filter(pk__gt=self.after):
            data = json.dumps({"subjects": row.subjects, "path": row.path, "page": row.page})
            out += f"id: {row.pk}\ndata: {data}\n\n"
            self.after = row.pk
        now = time.monotonic()
        if out or now - self.beat > BEAT:
            self.beat = now
            return out or ":\n\n"
        return ""

    @staticmethod
    def _newest() -> int:
        return Change.objects.order_by("-pk").values_list("pk", flat=True).first() or 0

    def __iter__(self) -> Iterator[str]:
        while not ending.is_set():
            try:
                yield self.news()
            except DatabaseError:
                return  # the page asks again
            time.sleep(LOOK)

    async def __aiter__(self) -> AsyncIterator[str]:
        while not ending.is_set():
            try:
                yield await sync_to_async(self.news)()
            except DatabaseError:
                return
            await asyncio.sleep(LOOK)


@router.get("", operation_id="follow_changes", response={200: None})
def follow_changes(request: HttpRequest, after: Id | None = None) -> StreamingHttpResponse:
    """A stream of server-sent events that ends when the page closes it.

    Each says which parts of the studio were written (subjects), by a request to which address (path), and by which page
    (``Armuto-Page``). ``Last-Event-ID``, or after, goes on where a stream was cut off; ``missed`` says that this was
    too long ago.
    """
    last = request.headers.get("Last-Event-ID", "")
    stream = Stream(int(last) if last.isdecimal() and len(last) < 19 else after)
    # A synchronous server, such as the one of the tests, has a thread for it; an asynchronous one must not wait.
    content = aiter(stream) if isinstance(request, ASGIRequest) else iter(stream)
    headers = {"Cache-Control": "no-store", "X-Accel-Buffering": "no"}
    return StreamingHttpResponse(content, content_type="text/event-stream", headers=headers)
