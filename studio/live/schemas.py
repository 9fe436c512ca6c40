"""What a page and the studio tell each other over the WebSocket of a live stage, beside frames: JSON, a message for
each thing. Described in docs/sources.md."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from studio.platform.fields import Id

MOST_CHARACTERS = 16
State = Literal["connecting", "recognising", "live", "silent", "away"]


class Role(BaseModel):
    """A character performs what a performer of the stage does, by the performer's place in the stream."""

    character: Id
    performer: Annotated[int, Field(ge=0, lt=1000)]


class PageMessage(BaseModel):
    """perform: who performs from now on. record: begin or end a recording. clock: a question for the studio's clock,
    with what it is to be answered with."""

    model_config = ConfigDict(extra="forbid")
    perform: Annotated[list[Role], Field(max_length=MOST_CHARACTERS)] | None = None
    record: bool | None = None
    clock: Annotated[float, Field(allow_inf_nan=False)] | None = None


class PerformerState(BaseModel):
    """skeleton: what the library calls it, empty where it is not known there. lost, late: of its frames."""

    name: str
    skeleton: str
    recognised: bool
    came: int
    lost: int
    late: int


class CharacterState(BaseModel):
    """skipped: frames that came while an earlier one was at work. fitting: by which it performs, where it is kept.
    note: what is to be known of it. failed: whether it cannot perform."""

    character: int
    performer: int
    fitting: int | None
    skipped: int
    note: str
    failed: bool


class StageState(BaseModel):
    """sentence: what is wrong. recording: seconds of the take that is being recorded, None where none is."""

    state: State
    sentence: str
    name: str
    fps: float
    performers: list[PerformerState]
    characters: list[CharacterState]
    recording: float | None


class KeptTake(BaseModel):
    """A take that was recorded: its name, its frames, how many of them were bridged, and whether it came in."""

    name: str
    frames: int
    bridged: int
    came_in: bool
