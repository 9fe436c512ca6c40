"""The studio's connection to a stage: what it sends, who performs there, and what is wrong with it."""

import asyncio
import json
import logging
import math
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Protocol, TypeVar

import numpy as np
from django.db import connection
from websockets.asyncio.client import ClientConnection, connect
from websockets.exceptions import ConnectionClosed, InvalidHandshake, InvalidURI

from armuto.errors import BadInput
from armuto.kinematics.arrays import FloatArray
from armuto.live.decoding import OPENING, ChannelDecoder, recognise
from armuto.live.recording import FrameCount, Recording
from armuto.live.stream import LARGEST_MESSAGE, Performer, Stream, StreamFrame, read_frame, read_header
from studio.changes.recording import recorded
from studio.live.roles import library_skeleton
from studio.live.schemas import PerformerState, State
from studio.sources.models import Source

logger = logging.getLogger(__name__)
T = TypeVar("T")

PATIENCE = 5.0  # seconds for a stage to answer
SILENCE = 2.0  # seconds without a frame after which that is said
AGAIN = (0.5, 8.0)  # seconds before a stage is asked again, at first and at most
ASK_CLOCK = 2.0  # seconds
CLOCKS = 8  # answers of a clock of which the quickest counts
LATE = 0.1  # seconds after its capture from which on a frame is late
MOST_BAD = 100  # messages in a row that are no frames, before the stage is left


async def in_thread(work: Callable[..., T], *arguments: Any) -> T:
    """Do something with the database in a thread, and tell other pages of what it writes."""

    def done() -> T:
        try:
            with recorded():
                return work(*arguments)
        finally:
            connection.close()

    return await asyncio.to_thread(done)


class StageClock:
    """How far a stage's clock is ahead of ours, in seconds: by the quickest of its answers, as in NTP (RFC 5905); where
    it gives none, so that the quickest frame came at once."""

    def __init__(self) -> None:
        self.answers: deque[tuple[float, float]] = deque(maxlen=CLOCKS)
        self.leads: deque[float] = deque(maxlen=600)

    def answered(self, asked: float, here: float, now: float) -> None:
        if 0 <= now - asked < PATIENCE and math.isfinite(here):
            self.answers.append((now - asked, here - (asked + now) / 2))

    def came(self, captured: float, now: float) -> None:
        self.leads.append(captured - now)

    @property
    def ahead(self) -> float:
        return min(self.answers)[1] if self.answers else max(self.leads, default=0.0)


@dataclass
class StagePerformer:
    """Somebody who performs on the stage. opening: the first frames, until the skeleton is recognised. skeleton: what
    the library calls it. newest: the frame that is to be performed next."""

    performer: Performer
    opening: list[FloatArray] = field(default_factory=list)
    decoder: ChannelDecoder | None = None
    skeleton: str = ""
    count: FrameCount = field(default_factory=FrameCount)
    newest: StreamFrame | None = None
    recording: Recording | None = None

    def state(self) -> PerformerState:
        return PerformerState(
            name=self.performer.name,
            skeleton=self.skeleton,
            recognised=self.decoder is not None,
            came=self.count.came,
            lost=self.count.lost,
            late=self.count.late,
        )


class StageListener(Protocol):
    """Who is told of a stage: that something is to be performed, that its state has changed, that somebody there has
    been recognised, and that it is about to be gone."""

    def frame_came(self) -> None: ...
    def stage_changed(self) -> None: ...
    async def performer_recognised(self) -> None: ...
    async def stage_ends(self) -> None: ...


class _Connect(connect):
    """To the address that somebody named, and nowhere else."""

    def process_redirect(self, exc: Exception) -> Exception | str:
        return exc


class StageConnection:
    """Follows a stage, and comes back to it when it goes away."""

    def __init__(self, source: Source, listener: StageListener) -> None:
        self.source, self.listener = source, listener
        self.state: State = "connecting"
        self.sentence = ""
        self.stream: Stream | None = None
        self.performers: list[StagePerformer] = []
        self.clock = StageClock()
        self.recognising: set[asyncio.Task[None]] = set()

    def decoder(self, performer: int) -> ChannelDecoder | None:
        return self.performers[performer].decoder if performer < len(self.performers) else None

    async def run(self) -> None:
        """Until it is cancelled."""
        wait = AGAIN[0]
        while True:
            begun = time.monotonic()
            sentence = await self._follow_to_its_end()
            await self.listener.stage_ends()
            self.stream, self.performers, self.clock = None, [], StageClock()
            self._set_state("away", sentence)
            wait = AGAIN[0] if time.monotonic() - begun > AGAIN[1] else min(2 * wait, AGAIN[1])
            await asyncio.sleep(wait)

    async def _follow_to_its_end(self) -> str:
        """Returns why it ended, in a sentence."""
        name = self.source.name
        try:
            async with _Connect(
                self.source.location,
                proxy=None,
                compression=None,
                max_size=LARGEST_MESSAGE,
                open_timeout=PATIENCE,
                ping_interval=PATIENCE,
                ping_timeout=2 * PATIENCE,
                close_timeout=1.0,
            ) as stage:
                await self._follow(stage)
        except BadInput as problem:
            return str(problem)
        except ConnectionClosed:
            return f"{name}: the stage ended the connection; it is asked again."
        except TimeoutError:
            return f"{name}: the stage does not answer; it is asked again."
        except InvalidHandshake:
            return f"{name}: what answers there is no live stage; see that the address is right."
        except (OSError, InvalidURI):
            pass
        return f"{name}: the stage cannot be reached; it is asked again."

    async def _follow(self, stage: ClientConnection) -> None:
        """All that a stage sends, until it ends."""
        async with asyncio.timeout(PATIENCE):
            header = await stage.recv()
        stream = await asyncio.to_thread(read_header, header, self.source.name)
        self.stream, self.performers = stream, [StagePerformer(performer) for performer in stream.performers]
        self._set_state("recognising")
        asked, bad = 0.0, 0
        while True:
            if time.monotonic() - asked > ASK_CLOCK:
                asked = time.monotonic()
                await stage.send(json.dumps({"clock": time.time()}))
            try:
                async with asyncio.timeout(SILENCE):
                    message = await stage.recv()
            except TimeoutError:
                self._set_state("silent", f"{self.source.name}: nothing comes from the stage.")
                continue
            if isinstance(message, str):
                self._clock_answered(message)
                continue
            try:
                self._take(read_frame(message, stream), stream)
                bad = 0
            except ValueError as problem:
                bad += 1
                if bad >= MOST_BAD:
                    raise BadInput(
                        f"{self.source.name}: what the stage sends is no live motion ({problem}); see docs/sources.md."
                    ) from None

    def _clock_answered(self, message: str) -> None:
        try:
            answer = json.loads(message)
            self.clock.answered(float(answer["clock"]), float(answer["here"]), time.time())
        except (ValueError, TypeError, KeyError, RecursionError):
            pass  # whatever else a stage says is not for us

    def _take(self, frame: StreamFrame, stream: Stream) -> None:
        """A frame has come."""
        own, now = self.performers[frame.performer], time.time()
        self.clock.came(frame.time, now)
        newer = own.count.take(frame.number)
        if newer and now - frame.time + self.clock.ahead > LATE:
            own.count.late += 1
        if own.decoder is None:
            self._open(own, frame, stream)
            return
        if own.recording is not None:
            own.recording.add(frame.number, frame.values)
        if newer:
            own.newest = frame
            self.listener.frame_came()
        if self.state != "live":
            self._set_state("live")

    def _open(self, own: StagePerformer, frame: StreamFrame, stream: Stream) -> None:
        """Gather the first frames of a performer, and recognise it by them."""
        enough = OPENING * stream.fps
        if len(own.opening) > enough:
            return
        own.opening.append(frame.values)
        if len(own.opening) > enough:
            task = asyncio.ensure_future(self._recognise(own, stream.fps))
            self.recognising.add(task)
            task.add_done_callback(self.recognising.discard)

    async def _recognise(self, own: StagePerformer, fps: float) -> None:
        def found() -> tuple[ChannelDecoder, str]:
            decoder = recognise(own.performer, fps, np.array(own.opening))
            skeleton = library_skeleton(decoder)
            return decoder, skeleton.name if skeleton else ""

        sentence = ""
        try:
            own.decoder, own.skeleton = await in_thread(found)
        except BadInput as problem:
            sentence = str(problem)
        except Exception:
            logger.exception("A performer of stage %d could not be recognised.", self.source.pk)
            sentence = f"{own.performer.name}: its skeleton cannot be performed."
        self._set_state("live" if own.decoder else self.state, sentence)
        await self.listener.performer_recognised()

    def _set_state(self, state: State, sentence: str = "") -> None:
        self.state, self.sentence = state, sentence
        self.listener.stage_changed()
