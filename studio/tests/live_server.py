"""The studio as it is served in earnest, in a thread of a test, with WebSockets; and a page that speaks through one."""

import json
import struct
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

import uvicorn
from websockets.sync.client import ClientConnection, connect

PATIENCE = 60.0  # seconds; the machine may be busy with other tests


@contextmanager
def live_server() -> Iterator[str]:
    """Gives host and port."""
    config = uvicorn.Config("studio.asgi:application", port=0, log_level="error", lifespan="off")
    server = uvicorn.Server(config)
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.01)
    try:
        yield f"127.0.0.1:{server.servers[0].sockets[0].getsockname()[1]}"
    finally:
        server.should_exit = True
        thread.join(30)


class Page:
    """state: as it was told last. frames: character, number, when it was captured, and what its nodes do. kept: takes
    that were recorded."""

    def __init__(self, socket: ClientConnection) -> None:
        self.socket = socket
        self.state: dict[str, Any] = {}
        self.frames: list[tuple[int, int, float, bytes]] = []
        self.kept: list[dict[str, Any]] = []
        self.clock: dict[str, float] = {}

    def say(self, **message: Any) -> None:
        self.socket.send(json.dumps(message))

    def until(self, reached: Callable[[], Any]) -> None:
        """Listen until something holds. Raises AssertionError where it never does."""
        ends = time.monotonic() + PATIENCE
        while not reached():
            assert time.monotonic() < ends, (self.state, len(self.frames), self.kept)
            try:
                message = self.socket.recv(timeout=1)
            except TimeoutError:
                continue
            if isinstance(message, bytes):
                self.frames.append((*struct.unpack_from("<IId", message), message[16:]))
                continue
            told = json.loads(message)
            self.state = told.get("state", self.state)
            self.kept += told.get("kept", [])
            self.clock = told if "clock" in told else self.clock

    def until_frames(self, count: int) -> None:
        wanted = len(self.frames) + count
        self.until(lambda: len(self.frames) >= wanted)

    def until_state(self, state: str) -> None:
        self.until(lambda: self.state.get("state") == state)


@contextmanager
def page(host: str, source: int, origin: str | None = None) -> Iterator[Page]:
    """A page of the studio that watches a stage, or one of another origin."""
    with connect(f"ws://{host}/live/{source}", proxy=None, origin=origin or f"http://{host}", max_size=None) as socket:
        yield Page(socket)
