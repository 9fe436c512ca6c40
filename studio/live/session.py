"""A page that watches a stage: who performs what comes from there, and what of it is recorded.

Everything waits for one connection to the stage and one to the page in the event loop of the server; what takes
processor time or the database is done in threads and in a process of its own. Of frames that come faster than they can
be performed, or than the page takes them, the newest is performed: nothing is ever shown late for the sake of what came
before.
"""

import asyncio
import contextlib
import json
import logging
import time
from collections.abc import Awaitable, Callable, Sequence

from django.db import DatabaseError
from pydantic import BaseModel

from armuto.errors import BadInput
from armuto.isolation import Crashed
from armuto.live.process import FrameToPerform, PerformingProcess
from armuto.live.recording import RecordedTake, Recording
from studio.live.roles import CastRole, cast_role, is_out_of_date
from studio.live.schemas import CharacterState, KeptTake, Role, StageState
from studio.live.stage import StageConnection, in_thread
from studio.live.takes import keep_take, next_number
from studio.sources.models import Source

logger = logging.getLogger(__name__)

LOOK = 1.0  # seconds between two looks at whether fittings have changed
STATE = 0.25  # seconds between two states that are told
MOST_ENDS = 3  # of the process that performs
LONGEST = 30 * 60.0  # seconds of a recording, which is kept then

Key = tuple[int, int]  # character, performer


class LiveSession:
    """send_text, send_bytes: to the page."""

    def __init__(
        self,
        source: Source,
        send_text: Callable[[str], Awaitable[None]],
        send_bytes: Callable[[bytes], Awaitable[None]],
    ) -> None:
        self.source, self.send_text, self.send_bytes = source, send_text, send_bytes
        self.stage = StageConnection(source, self)
        self.wanted: list[Role] = []
        self.roles: dict[Key, CastRole] = {}
        self.problems: dict[Key, str] = {}
        self.process: PerformingProcess | None = None
        self.ended = 0
        self.recording_since: float | None = None
        self.unkept: list[list[tuple[str, Recording]]] = []
        self.unwritten: list[tuple[str, RecordedTake]] = []
        self.problem = ""
        self.fresh, self.changed = asyncio.Event(), asyncio.Event()
        self.casting, self.keeping = asyncio.Lock(), asyncio.Lock()

    async def run(self) -> None:
        """Until it is cancelled; what is being recorded then is kept."""
        try:
            async with asyncio.TaskGroup() as tasks:
                for work in (self.stage.run, self._perform_frames, self._tell, self._look):
                    tasks.create_task(work())
        finally:
            if self.process is not None:
                self.process.close()
            await asyncio.shield(asyncio.ensure_future(self._keep()))

    # From the page

    async def perform(self, roles: list[Role]) -> None:
        """Who performs whom from now on."""
        self.wanted = roles
        await self._cast()

    async def record(self, on: bool) -> list[KeptTake]:
        """Begin a recording, or end it; returns the takes that it became."""
        if not on:
            return await self._keep()
        if self.recording_since is None and any(own.decoder for own in self.stage.performers):
            self.recording_since = time.monotonic()
            for own in self.stage.performers:
                own.recording = Recording(own.decoder) if own.decoder else None
            self.changed.set()
        return []

    async def tell_clock(self, asked: float) -> None:
        """What the clock is by which frames are shown, to who asks at some time by its own: seconds since 1970."""
        await self.send_text(json.dumps({"clock": asked, "here": time.time()}))

    # From the stage

    def frame_came(self) -> None:
        self.fresh.set()

    def stage_changed(self) -> None:
        self.changed.set()

    async def performer_recognised(self) -> None:
        await self._cast()

    async def stage_ends(self) -> None:
        """What was being recorded is kept."""
        takes = await self._keep()
        if takes:
            await self.tell_kept(takes)
        self.roles.clear()

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

    async def _give(self, key: Key) -> None:
        character, performer = key
        decoder = self.stage.decoder(performer)
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
            self._performing_ended()
        else:
            self.problems.pop(key, None)
            if self.stage.decoder(performer) is decoder:
                self.roles[key] = role
                self.stage.performers[performer].skeleton = role.skeleton

    async def _perform_frames(self) -> None:
        """Each new frame, by all who perform it; the newest where more than one has come meanwhile."""
        while True:
            await self.fresh.wait()
            self.fresh.clear()
            due = []
            for key, role in self.roles.items():
                own = self.stage.performers[key[1]] if self.stage.decoder(key[1]) else None
                if own and own.newest and own.newest is not role.frame:
                    role.take(own.newest, own.count.came)
                    due.append((key, role, own.newest))
            if not due or self.process is None or self.stage.stream is None:
                continue
            fps, ahead = self.stage.stream.fps, self.stage.clock.ahead
            frames = [FrameToPerform(f"{key}", frame.values, frame.number / fps) for key, _, frame in due]
            try:
                made = await asyncio.to_thread(self.process.perform, frames)
            except Crashed:
                self._performing_ended()
                continue
            for (key, role, frame), values in zip(due, made, strict=True):
                if values is not None:
                    await self.send_bytes(role.message(values, frame.time - ahead))
                elif self.roles.get(key) is role:
                    del self.roles[key]
                    self.problems[key] = f"{role.name}: it cannot perform this."
                    self.changed.set()

    def _performing_ended(self) -> None:
        """The process that performs is gone; who performed there begins anew, unless that happens again and again."""
        logger.warning("What performs stage %d has ended.", self.source.pk)
        self.process, self.ended = None, self.ended + 1
        if self.ended > MOST_ENDS:
            keys = ((role.character, role.performer) for role in self.wanted)
            self.problems.update(dict.fromkeys(keys, "It cannot be performed here; look at the log."))
        self.roles.clear()
        self.changed.set()

    async def _look(self) -> None:
        """Perform by what fittings are now, and end a recording that has become too long."""
        while True:
            await asyncio.sleep(LOOK)
            known = self.roles.keys() | self.problems.keys()
            if any((role.character, role.performer) not in known for role in self.wanted):
                await self._cast()
            for key, role in list(self.roles.items()):
                decoder = self.stage.decoder(key[1])
                if decoder is None:
                    continue
                with contextlib.suppress(DatabaseError):
                    outdated = await in_thread(is_out_of_date, role, decoder)
                    if outdated:
                        self.roles.pop(key, None)
                        await self._cast()
            too_long = self.recording_since is not None and time.monotonic() - self.recording_since > LONGEST
            if too_long or (self.recording_since is None and self.problem):
                await self.tell_kept(await self._keep())

    # Recording

    async def _keep(self) -> list[KeptTake]:
        """End the recording, and lay what was recorded into the intake: in stretches that are numbered alike for all
        performers. What cannot be written now is, when there is room."""
        if self.recording_since is not None:
            self.recording_since = None
            recordings = [(own.performer.name, own.recording) for own in self.stage.performers if own.recording]
            for own in self.stage.performers:
                own.recording = None
            self.changed.set()
            self.unkept.append(recordings)
        async with self.keeping:
            return await self._lay_down()

    async def _lay_down(self) -> list[KeptTake]:
        """What was recorded and is not kept yet, one after another, for as long as it can be written."""
        written: list[KeptTake] = []
        try:
            while self.unkept or self.unwritten:
                if not self.unwritten:
                    first = await in_thread(next_number, self.source)
                    for name, rows in self.unkept.pop(0):
                        takes = await asyncio.to_thread(rows.takes)
                        self.unwritten += [(f"{name} take {n:02}", take) for n, take in enumerate(takes, first)]
                if self.unwritten:
                    written.append(await in_thread(keep_take, self.source, *self.unwritten[0]))
                    del self.unwritten[0]
            self.problem = ""
        except DatabaseError as problem:
            logger.warning("What was recorded of stage %d is not kept yet: %s", self.source.pk, problem)
            self.problem = "What was recorded cannot be written now; it is tried again while this page is open."
        self.changed.set()
        return written

    # To the page

    async def tell_kept(self, takes: Sequence[KeptTake]) -> None:
        await self._send("kept", [take.model_dump() for take in takes])

    async def _send(self, kind: str, value: object) -> None:
        await self.send_text(json.dumps({kind: value}))

    async def _tell(self) -> None:
        """The state whenever it has changed, and not too often."""
        sent: BaseModel | None = None
        while True:
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(2 * STATE):
                    await self.changed.wait()
            self.changed.clear()
            state = self._stage_state()
            if state != sent:
                sent = state
                await self._send("state", state.model_dump())
            await asyncio.sleep(STATE)

    def _stage_state(self) -> StageState:
        stream = self.stage.stream
        return StageState(
            state=self.stage.state,
            sentence=self.stage.sentence or self.problem,
            name=stream.name if stream else self.source.name,
            fps=stream.fps if stream else 0.0,
            performers=[own.state() for own in self.stage.performers],
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
