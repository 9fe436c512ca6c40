"""A page that watches a stage: what comes from there, who performs it, and what of it is recorded.

Everything waits for one connection to the stage and one to the page in the event loop of the server; what takes
processor time or the database is done in threads. Of frames that come faster than they can be performed, or than the
page takes them, the newest is performed: nothing is ever shown late for the sake of what came before.
"""

import asyncio
import contextlib
import json
import logging
import time
from collections import deque
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field
from typing import Any, TypeVar

import numpy as np
from django.db import DatabaseError, connection
from pydantic import BaseModel
from websockets.asyncio.client import ClientConnection, connect
from websockets.exceptions import ConnectionClosed, InvalidHandshake, InvalidURI

from armuto.errors import BadInput
from armuto.isolation import Crashed
from armuto.kinematics.arrays import FloatArray
from armuto.live.decoding import OPENING, ChannelDecoder, recognise
from armuto.live.process import FrameToPerform, PerformingProcess
from armuto.live.recording import FrameCount, RecordedTake, Recording
from armuto.live.stream import LARGEST_MESSAGE, Performer, Stream, StreamFrame, read_frame, read_header
from studio.changes.recording import recorded
from studio.live.roles import CastRole, cast_role, is_out_of_date, library_skeleton
from studio.live.schemas import CharacterState, KeptTake, PerformerState, Role, StageState, State
from studio.live.takes import keep
from studio.sources.models import Source

logger = logging.getLogger(__name__)
T = TypeVar("T")

PATIENCE = 5.0  # seconds for a stage to answer
SILENCE = 2.0  # seconds without a frame after which that is said
AGAIN = (0.5, 8.0)  # seconds before a stage is asked again, at first and at most
LOOK = 1.0  # seconds between two looks at whether fittings have changed
STATE = 0.25  # seconds between two states that are told
ASK_CLOCK = 2.0  # seconds
CLOCKS = 8  # answers of a clock of which the quickest counts
LATE = 0.1  # seconds after its capture from which on a frame is late
MOST_ENDS = 3  # of the process that performs
MOST_BAD = 100  # messages in a row that are no frames, before the stage is left
LONGEST = 30 * 60.0  # seconds of a recording, which is kept then


async def in_thread(work: Callable[..., T], *arguments: Any) -> T:
    """Do something with the database in a thread, and tell other pages of what it writes."""

    def done() -> T:
        try:
            with recorded():
                return work(*arguments)
        finally:
            connection.close()

    return await asyncio.to_thread(done)


class _Connect(connect):
    """To the address that somebody named, and nowhere else."""

    def process_redirect(self, exc: Exception) -> Exception | str:
        return exc


@dataclass
class _Part:
    """A performer of the stream. opening: its first frames, until it is recognised; problem: why it cannot be. newest:
    the frame that is to be performed next."""

    performer: Performer
    opening: list[FloatArray] = field(default_factory=list)
    decoder: ChannelDecoder | None = None
    skeleton: str = ""
    problem: str = ""
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


class StageClock:
    """How far a stage's clock is ahead of ours, in seconds: by the quickest of its answers, as in NTP (RFC 5905); where
    it gives none, so that the quickest frame came at once."""

    def __init__(self) -> None:
        self.answers: deque[tuple[float, float]] = deque(maxlen=CLOCKS)
        self.leads: deque[float] = deque(maxlen=600)

    def answered(self, asked: float, here: float, now: float) -> None:
        if 0 <= now - asked < PATIENCE:
            self.answers.append((now - asked, here - (asked + now) / 2))

    def came(self, captured: float, now: float) -> None:
        self.leads.append(captured - now)

    @property
    def ahead(self) -> float:
        return min(self.answers)[1] if self.answers else max(self.leads, default=0.0)


class LiveSession:
    """send_text, send_bytes: to the page."""

    def __init__(
        self,
        source: Source,
        send_text: Callable[[str], Awaitable[None]],
        send_bytes: Callable[[bytes], Awaitable[None]],
    ) -> None:
        self.source, self.send_text, self.send_bytes = source, send_text, send_bytes
        self.state: State = "connecting"
        self.sentence = ""
        self.stream: Stream | None = None
        self.parts: list[_Part] = []
        self.wanted: list[Role] = []
        self.roles: dict[tuple[int, int], CastRole] = {}
        self.problems: dict[tuple[int, int], str] = {}
        self.clock = StageClock()
        self.process: PerformingProcess | None = None
        self.ended = 0
        self.recording_since: float | None = None
        self.fresh, self.changed = asyncio.Event(), asyncio.Event()
        self.casting = asyncio.Lock()

    async def run(self) -> None:
        """Until it is cancelled; what is being recorded then is kept."""
        try:
            async with asyncio.TaskGroup() as tasks:
                for work in (self._listen, self._perform, self._tell, self._look):
                    tasks.create_task(work())
        finally:
            if self.process is not None:
                self.process.close()
            await asyncio.shield(asyncio.ensure_future(self._keep()))

    @staticmethod
    def now() -> float:
        """By the clock that frames are shown with: seconds since 1970."""
        return time.time()

    # From the page

    async def perform(self, roles: list[Role]) -> None:
        """Who performs whom from now on."""
        self.wanted = roles
        await self._cast()

    async def record(self, on: bool) -> list[KeptTake]:
        """Begin a recording, or end it; returns the takes that it became."""
        if not on:
            return await self._keep()
        if self.recording_since is None and any(part.decoder for part in self.parts):
            self.recording_since = time.monotonic()
            for part in self.parts:
                part.recording = Recording(part.decoder) if part.decoder else None
            self.changed.set()
        return []

    # From the stage

    async def _listen(self) -> None:
        """Follow the stage, and come back to it when it goes away."""
        wait = AGAIN[0]
        while True:
            begun = time.monotonic()
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
                sentence = str(problem)
            except ConnectionClosed:
                sentence = f"{self.source.name}: the stage ended the connection; it is asked again."
            except TimeoutError:
                sentence = f"{self.source.name}: the stage does not answer; it is asked again."
            except InvalidHandshake:
                sentence = f"{self.source.name}: what answers there is no live stage; see that the address is right."
            except (OSError, InvalidURI):
                sentence = f"{self.source.name}: the stage cannot be reached; it is asked again."
            await self._gone(sentence)
            wait = AGAIN[0] if time.monotonic() - begun > AGAIN[1] else min(2 * wait, AGAIN[1])
            await asyncio.sleep(wait)

    async def _gone(self, sentence: str) -> None:
        """The stage is not there any more. What was being recorded is kept."""
        kept = await self._keep()
        if kept:
            await self.tell_kept(kept)
        self.state, self.sentence = "away", sentence
        self.stream, self.parts = None, []
        self.roles.clear()
        self.clock = StageClock()
        self.changed.set()

    async def _follow(self, stage: ClientConnection) -> None:
        """All that a stage sends, until it ends."""
        async with asyncio.timeout(PATIENCE):
            header = await stage.recv()
        stream = await asyncio.to_thread(read_header, header, self.source.name)
        self.stream, self.parts = stream, [_Part(performer) for performer in stream.performers]
        self._is("recognising")
        asked, bad = 0.0, 0
        while True:
            if time.monotonic() - asked > ASK_CLOCK:
                asked = time.monotonic()
                await stage.send(json.dumps({"clock": time.time()}))
            try:
                async with asyncio.timeout(SILENCE):
                    message = await stage.recv()
            except TimeoutError:
                self._is("silent", f"{self.source.name}: nothing comes from the stage.")
                continue
            if isinstance(message, str):
                self._clock_answered(message)
                continue
            try:
                frame = read_frame(message, stream)
            except ValueError as problem:
                bad += 1
                if bad >= MOST_BAD:
                    raise BadInput(
                        f"{self.source.name}: what the stage sends is no live motion ({problem}); see docs/sources.md."
                    ) from None
                continue
            bad = 0
            self._take(frame)

    def _clock_answered(self, message: str) -> None:
        try:
            answer = json.loads(message)
            self.clock.answered(float(answer["clock"]), float(answer["here"]), time.time())
        except (ValueError, TypeError, KeyError, RecursionError):
            pass  # whatever else a stage says is not for us

    def _take(self, frame: StreamFrame) -> None:
        """A frame has come."""
        part, now = self.parts[frame.performer], time.time()
        self.clock.came(frame.time, now)
        newer = part.count.take(frame.number)
        if newer and now - frame.time + self.clock.ahead > LATE:
            part.count.late += 1
        if part.decoder is None:
            self._open(part, frame)
            return
        if part.recording is not None:
            part.recording.add(frame.number, frame.values)
        if newer:
            part.newest = frame
            self.fresh.set()
        if self.state != "live":
            self._is("live")

    def _open(self, part: _Part, frame: StreamFrame) -> None:
        """Gather the first frames of a performer, and recognise it by them."""
        assert self.stream is not None
        if part.problem or len(part.opening) > OPENING * self.stream.fps:
            return
        part.opening.append(frame.values)
        if len(part.opening) > OPENING * self.stream.fps:
            asyncio.get_running_loop().create_task(self._recognise(part, self.stream.fps))

    async def _recognise(self, part: _Part, fps: float) -> None:
        def found() -> tuple[ChannelDecoder, str]:
            decoder = recognise(part.performer, fps, np.array(part.opening))
            skeleton = library_skeleton(decoder)
            return decoder, skeleton.name if skeleton else ""

        try:
            part.decoder, part.skeleton = await in_thread(found)
        except BadInput as problem:
            part.problem = str(problem)
        except Exception:
            logger.exception("A performer of stage %d could not be recognised.", self.source.pk)
            part.problem = f"{part.performer.name}: its skeleton cannot be performed."
        self._is("live" if part.decoder else self.state, part.problem)
        await self._cast()

    # Performing

    async def _cast(self) -> None:
        """Give everybody their roles, as far as those who perform are recognised."""
        async with self.casting:
            wanted = {(role.character, role.performer) for role in self.wanted}
            self.roles = {key: role for key, role in self.roles.items() if key in wanted}
            self.problems = {key: problem for key, problem in self.problems.items() if key in wanted}
            for key in wanted - self.roles.keys():
                await self._give(key)
        self.fresh.set()
        self.changed.set()

    async def _give(self, key: tuple[int, int]) -> None:
        character, performer = key
        decoder = self.parts[performer].decoder if performer < len(self.parts) else None
        if decoder is None:
            return
        try:
            role = await in_thread(cast_role, character, decoder)
            if self.process is None:
                self.process = await asyncio.to_thread(PerformingProcess)
            await asyncio.to_thread(self.process.cast, f"{key}", decoder, role.value, role.rig)
        except BadInput as problem:
            self.problems[key] = str(problem)
        except DatabaseError:
            self.problems[key] = "The studio was busy; choose it again."
        except Crashed:
            await self._performing_ended()
        else:
            self.problems.pop(key, None)
            if performer < len(self.parts) and self.parts[performer].decoder is decoder:
                self.roles[key] = role

    async def _perform(self) -> None:
        """Each new frame, by all who perform it; the newest where more than one has come meanwhile."""
        while True:
            await self.fresh.wait()
            self.fresh.clear()
            due = []
            for key, role in self.roles.items():
                part = self.parts[key[1]] if key[1] < len(self.parts) else None
                if part and part.newest and part.newest is not role.frame:
                    role.take(part.newest, part.count.came)
                    due.append((key, role, part.newest))
            if not due or self.process is None or self.stream is None:
                continue
            fps, ahead = self.stream.fps, self.clock.ahead
            frames = [FrameToPerform(f"{key}", frame.values, frame.number / fps) for key, _, frame in due]
            try:
                made = await asyncio.to_thread(self.process.perform, frames)
            except Crashed:
                await self._performing_ended()
                continue
            for (key, role, frame), values in zip(due, made, strict=True):
                if values is not None:
                    await self.send_bytes(role.message(values, frame.time - ahead))
                elif self.roles.pop(key, None):
                    self.problems[key] = f"{role.name}: it cannot perform this."
                    self.changed.set()

    async def _performing_ended(self) -> None:
        """The process that performs is gone; who performed there begins anew, unless that happens again and again."""
        logger.warning("What performs stage %d has ended.", self.source.pk)
        self.process, self.ended = None, self.ended + 1
        if self.ended > MOST_ENDS:
            self.problems.update(dict.fromkeys(self.roles, "It cannot be performed here; look at the log."))
            self.wanted = []
        self.roles.clear()
        self.changed.set()

    async def _look(self) -> None:
        """Perform by what fittings are now."""
        while True:
            await asyncio.sleep(LOOK)
            if any((role.character, role.performer) not in self.roles.keys() | self.problems for role in self.wanted):
                await self._cast()
            for key, role in list(self.roles.items()):
                decoder = self.parts[key[1]].decoder if key[1] < len(self.parts) else None
                if decoder is None:
                    continue
                with contextlib.suppress(DatabaseError):
                    outdated = await in_thread(is_out_of_date, role, decoder)
                    if outdated:
                        self.roles.pop(key, None)
                        await self._cast()
            if self.recording_since is not None and time.monotonic() - self.recording_since > LONGEST:
                await self.tell_kept(await self._keep())

    # Recording

    async def _keep(self) -> list[KeptTake]:
        """End the recording; lay what was recorded into the intake."""
        if self.recording_since is None:
            return []
        self.recording_since = None
        recordings = [(part.performer.name, part.recording) for part in self.parts if part.recording is not None]
        for part in self.parts:
            part.recording = None
        self.changed.set()

        def laid() -> list[KeptTake]:
            takes: list[tuple[str, list[RecordedTake]]] = [(name, rows.takes()) for name, rows in recordings]
            return keep(self.source, takes)

        return await in_thread(laid)

    # To the page

    def _is(self, state: State, sentence: str = "") -> None:
        self.state, self.sentence = state, sentence
        self.changed.set()

    async def tell(self, kind: str, value: BaseModel | list[BaseModel]) -> None:
        data = [row.model_dump() for row in value] if isinstance(value, list) else value.model_dump()
        await self.send_text(json.dumps({kind: data}))

    async def tell_kept(self, kept: list[KeptTake]) -> None:
        await self.tell("kept", list(kept))

    async def _tell(self) -> None:
        """The state whenever it has changed, and not too often."""
        told = None
        while True:
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(2 * STATE):
                    await self.changed.wait()
            self.changed.clear()
            state = self._stage_state()
            if state != told:
                told = state
                await self.tell("state", state)
            await asyncio.sleep(STATE)

    def _stage_state(self) -> StageState:
        return StageState(
            state=self.state,
            sentence=self.sentence,
            name=self.stream.name if self.stream else self.source.name,
            fps=self.stream.fps if self.stream else 0.0,
            performers=[part.state() for part in self.parts],
            characters=[self._character_state(role) for role in self.wanted],
            recording=None if self.recording_since is None else round(time.monotonic() - self.recording_since, 1),
        )

    def _character_state(self, wanted: Role) -> CharacterState:
        key = wanted.character, wanted.performer
        role, problem = self.roles.get(key), self.problems.get(key, "")
        return CharacterState(
            character=wanted.character,
            performer=wanted.performer,
            fitting=role.fitting if role else None,
            skipped=role.skipped if role else 0,
            note=problem or (role.note if role else ""),
            failed=bool(problem),
        )
