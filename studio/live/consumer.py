"""The WebSocket at ``/live/{source}``, as a plain ASGI application: a page tells who performs, and gets frames."""

import asyncio
import logging
import re
from collections.abc import MutableMapping
from typing import Any

from django.conf import settings
from django.http.request import split_domain_port, validate_host
from pydantic import ValidationError

from studio.live.schemas import PageMessage
from studio.live.session import LiveSession
from studio.live.stage import in_thread
from studio.platform.body_limit import App, Receive, Send
from studio.sources.models import Source

logger = logging.getLogger(__name__)
PATH = re.compile(r"^/live/(\d{1,18})$")
MOST_SESSIONS = 8  # pages that watch a stage at once
LARGEST = 64 * 1024  # bytes of a message of a page
#: Codes with which a connection ends (RFC 6455, section 7.4).
REFUSED, NOT_UNDERSTOOD, FAILED, FULL = 1008, 1003, 1011, 1013

open_sessions = 0


class WithLive:
    """An ASGI application that answers WebSockets, in front of another that answers all else."""

    def __init__(self, app: App) -> None:
        self.app = app

    async def __call__(self, scope: MutableMapping[str, Any], receive: Receive, send: Send) -> None:
        if scope["type"] == "websocket":
            await live(scope, receive, send)
        else:
            await self.app(scope, receive, send)


async def live(scope: MutableMapping[str, Any], receive: Receive, send: Send) -> None:
    """One page that watches a stage, until it leaves."""
    global open_sessions
    found = PATH.match(scope["path"])
    if not found or not is_own_origin(scope) or (await receive())["type"] != "websocket.connect":
        await send({"type": "websocket.close", "code": REFUSED})
        return
    # A page is told why it is let go of only once it has been let in.
    await send({"type": "websocket.accept"})
    source = await in_thread(Source.objects.filter(pk=int(found[1]), kind=Source.Kind.STAGE).first)
    if source is None or open_sessions >= MOST_SESSIONS:
        await send({"type": "websocket.close", "code": REFUSED if source is None else FULL})
        return
    open_sessions += 1
    try:
        await _watch(source, receive, send)
    finally:
        open_sessions -= 1


def is_own_origin(scope: MutableMapping[str, Any]) -> bool:
    """Whether the page that asks is one of the studio's: browsers let any page open a WebSocket, and say whose it is
    (RFC 6455, section 10.2)."""
    headers = {name: value.decode("latin-1") for name, value in scope["headers"]}
    host, origin = headers.get(b"host", ""), headers.get(b"origin", "")
    domain, _ = split_domain_port(host)
    allowed = bool(domain) and validate_host(domain, settings.ALLOWED_HOSTS)
    return allowed and origin in (f"http://{host}", f"https://{host}")


async def _watch(source: Source, receive: Receive, send: Send) -> None:
    async def send_text(text: str) -> None:
        await send({"type": "websocket.send", "text": text})

    async def send_bytes(data: bytes) -> None:
        await send({"type": "websocket.send", "bytes": data})

    session = LiveSession(source, send_text, send_bytes)
    running = asyncio.ensure_future(session.run())
    hearing = asyncio.ensure_future(_hear(session, receive))
    try:
        await asyncio.wait((running, hearing), return_when=asyncio.FIRST_COMPLETED)
        code = FAILED if running.done() else hearing.result()
        if code:
            await send({"type": "websocket.close", "code": code})
    except OSError:
        pass  # the page is gone
    finally:
        for task in (running, hearing):
            task.cancel()
        results = await asyncio.gather(running, hearing, return_exceptions=True)
        for problem in results:
            if isinstance(problem, Exception) and not _is_gone(problem):
                logger.error("Watching stage %d failed.", source.pk, exc_info=problem)


def _is_gone(problem: BaseException) -> bool:
    """Whether that is what sending to a page that has left is answered with."""
    if isinstance(problem, ExceptionGroup):
        return all(map(_is_gone, problem.exceptions))
    return isinstance(problem, OSError)


async def _hear(session: LiveSession, receive: Receive) -> int:
    """What the page says, until it leaves; the code to leave it with, or 0."""
    while True:
        message = await receive()
        if message["type"] == "websocket.disconnect":
            return 0
        text = message.get("text") or ""
        try:
            if len(text) > LARGEST:
                raise ValueError("a message that is too long")
            parsed = PageMessage.model_validate_json(text)
        except (ValidationError, ValueError):
            return NOT_UNDERSTOOD
        await _do(session, parsed)


async def _do(session: LiveSession, message: PageMessage) -> None:
    if message.clock is not None:
        await session.tell_clock(message.clock)
    if message.perform is not None:
        await session.perform(message.perform)
    if message.record is not None:
        takes = await session.record(message.record)
        if not message.record:
            await session.tell_kept(takes)
