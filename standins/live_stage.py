"""A stand-in for a capture stage while it captures: it streams performances of the museum's night, live.

Everybody who connects gets what docs/sources.md describes: a header, then the frames of all performers as they are
captured, with what markers do to motion. It can be told to misbehave. Start it with ``make live-stage``; tests start it
in a thread.
"""

from __future__ import annotations

import argparse
import json
import random
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from functools import cache

import numpy as np
from websockets.exceptions import ConnectionClosed
from websockets.sync.server import ServerConnection, serve

from armuto import formats
from armuto.formats import bvh
from armuto.intake.recording import without_calibration
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.sampling import sample
from armuto.live.stream import Performer, Stream, StreamFrame, frame_message, header_message
from standins.camera import capture
from standins.capture_stage import FILES, MARKERS

NAME = "Stage of the north gallery"
PORT = 8142
#: Who performs, and what: over and over, forwards and back again.
PERFORMERS = {
    "Ines": "hall/sweep.bvh",
    "Tove": "hall/wave_the_lantern.bvh",
    "Ruben": "hall/walk.bvh",
    "Marek": "hall/carry_the_crate.bvh",
}


@dataclass
class LiveBehaviour:
    """How it captures, and misbehaves. performers: how many there are. lose: share of frames that never come; late:
    that come a few frames after their turn. stop: frames after which nothing comes any more, break_off: after which the
    connection ends, of each connection. clock: seconds by which its clock is ahead; answers: whether it says what its
    clock is. header: sent in the place of its own. noise: sent after every tenth frame. connections:
    that there have been."""

    performers: int = 1
    fps: float = 60.0
    lose: float = 0.0
    late: float = 0.0
    stop: int = 0
    break_off: int = 0
    clock: float = 0.0
    answers: bool = True
    header: str = ""
    noise: bytes | str = b""
    connections: int = field(default=0, init=False)


@cache
def performance(path: str, fps: float) -> tuple[Performer, str, FloatArray]:
    """A performance to be repeated without end: who performs, the hierarchy, and rows of channels ``(F, C)``."""
    document = formats.read((FILES / path).read_bytes(), path)
    assert isinstance(document.original, bvh.BvhFile)
    clip = capture(without_calibration(document.clips[0]), MARKERS, seed=len(path))
    frames = np.arange(0.0, clip.frames - 1, clip.fps / fps)
    file = bvh.from_clip(sample(clip, np.concatenate([frames, frames[-2:0:-1]])), document.original)
    text = bvh.serialise(file).decode()
    return Performer(path, file.joints), text[: text.index("MOTION")], file.motion


def _performances(behaviour: LiveBehaviour) -> tuple[Stream, list[str], list[FloatArray]]:
    chosen = list(PERFORMERS.items())[: behaviour.performers]
    made = [performance(path, behaviour.fps) for _, path in chosen]
    performers = tuple(Performer(name, who.joints) for (name, _), (who, _, _) in zip(chosen, made, strict=True))
    return Stream(NAME, behaviour.fps, performers), [text for _, text, _ in made], [motion for _, _, motion in made]


def _answer(connection: ServerConnection, behaviour: LiveBehaviour) -> None:
    """Say what the clock is, to who asks."""
    try:
        question = json.loads(connection.recv(timeout=0))
    except (TimeoutError, ValueError):
        return
    if behaviour.answers and isinstance(question, dict) and "clock" in question:
        connection.send(json.dumps({"clock": question["clock"], "here": time.time() + behaviour.clock}))


def perform(connection: ServerConnection, behaviour: LiveBehaviour) -> None:
    """Stream to somebody until they leave."""
    behaviour.connections += 1
    stream, hierarchies, motions = _performances(behaviour)
    chance = random.Random(7)
    waiting: list[tuple[int, bytes]] = []
    try:
        connection.send(behaviour.header or header_message(stream, hierarchies))
        begun = time.monotonic()
        number = 0
        while not (behaviour.break_off and number >= behaviour.break_off):
            _answer(connection, behaviour)
            time.sleep(max(0.0, begun + number / stream.fps - time.monotonic()))
            if not (behaviour.stop and number >= behaviour.stop):
                for row, motion in enumerate(motions):
                    frame = StreamFrame(row, number, time.time() + behaviour.clock, motion[number % len(motion)])
                    draw = chance.random()
                    if draw < behaviour.lose:
                        continue
                    due = number + 3 if draw < behaviour.lose + behaviour.late else number
                    waiting.append((due, frame_message(frame)))
                for _, message in (pair for pair in waiting if pair[0] <= number):
                    connection.send(message)
                waiting = [pair for pair in waiting if pair[0] > number]
                if behaviour.noise and number % 10 == 9:
                    connection.send(behaviour.noise)
            number += 1
    except ConnectionClosed:
        pass


@contextmanager
def live_stage(behaviour: LiveBehaviour | None = None, port: int = 0) -> Iterator[str]:
    """A stage that streams in a thread; gives its address. Its behaviour may be changed meanwhile, for who connects
    then."""
    chosen = behaviour or LiveBehaviour()
    with serve(lambda connection: perform(connection, chosen), "127.0.0.1", port, compression=None) as server:
        thread = threading.Thread(target=server.serve_forever, daemon=True)
        thread.start()
        try:
            yield f"ws://127.0.0.1:{server.socket.getsockname()[1]}/"
        finally:
            server.shutdown()
            thread.join(5)


def main() -> None:
    parser = argparse.ArgumentParser(prog="python -m standins.live_stage", description=__doc__.split("\n")[0])
    parser.add_argument("--port", type=int, default=PORT)
    parser.add_argument("--performers", type=int, default=2, choices=range(1, len(PERFORMERS) + 1))
    parser.add_argument("--fps", type=float, default=60.0)
    parser.add_argument("--lose", type=float, default=0.0, help="share of frames that never come")
    parser.add_argument("--late", type=float, default=0.0, help="share of frames that come after their turn")
    parser.add_argument("--stop", type=int, default=0, help="frames after which nothing comes any more")
    parser.add_argument("--break-off", type=int, default=0, help="frames after which the connection ends")
    parser.add_argument("--clock", type=float, default=0.0, help="seconds by which its clock is ahead")
    chosen = vars(parser.parse_args())
    port = chosen.pop("port")
    with live_stage(LiveBehaviour(**chosen), port) as address:
        print(f"The stage streams at {address}", flush=True)
        threading.Event().wait()


if __name__ == "__main__":
    main()
