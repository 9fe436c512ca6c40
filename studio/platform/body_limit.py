"""A limit on what a request may send, before the framework spools it to disk."""

import json
from collections.abc import Awaitable, Callable, MutableMapping
from typing import Any

Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
App = Callable[[Any, Any, Any], Awaitable[None]]


class _TooLarge(Exception):
    pass


class BodyLimit:
    """An ASGI application in front of another, which hears nothing of a request whose body is larger than ``most``
    bytes: by its header at once, or as soon as more has come."""

    def __init__(self, app: App, most: int) -> None:
        self.app, self.most = app, most

    async def __call__(self, scope: MutableMapping[str, Any], receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        promised = dict(scope["headers"]).get(b"content-length", b"0")
        if not promised.isdigit() or int(promised) > self.most:
            await self._refuse(send)
            return
        came = 0

        async def counted() -> Message:
            nonlocal came
            message = await receive()
            came += len(message.get("body", b""))
            if came > self.most:
                raise _TooLarge
            return message

        try:
            await self.app(scope, counted, send)
        except _TooLarge:
            await self._refuse(send)

    async def _refuse(self, send: Send) -> None:
        sentence = (
            f"This is more than {self.most // 1024**2} MB at once, and nothing of it was kept; send less at once."
        )
        body = json.dumps({"detail": sentence}).encode()
        headers = [
            (b"content-type", b"application/json"),
            (b"content-length", str(len(body)).encode()),
            (b"connection", b"close"),
        ]
        await send({"type": "http.response.start", "status": 413, "headers": headers})
        await send({"type": "http.response.body", "body": body})
