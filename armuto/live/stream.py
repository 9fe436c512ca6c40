"""What a stage sends over a WebSocket while it captures, described in docs/sources.md.

First a header as JSON, with the skeleton of each performer as the HIERARCHY of a BVH file; then a binary message for
each frame of each performer, with the values of its channels as they would stand in a row of that file. Everything in
it is foreign: what is read here is checked and bounded.
"""

from __future__ import annotations

import json
import struct
from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from armuto.errors import BadInput
from armuto.formats.bvh_hierarchy import LARGEST, BvhJoint, read_hierarchy
from armuto.kinematics.arrays import FloatArray

LARGEST_MESSAGE = 4 * 1024 * 1024  # bytes
MOST_PERFORMERS = 16
MOST_JOINTS = 1000  # of a performer
FRAME_HEAD = struct.Struct("<IId")  # performer, number, seconds

Name = Annotated[str, Field(min_length=1, max_length=120)]


class StreamPerformer(BaseModel):
    """Somebody who is captured. hierarchy: a BVH file up to its MOTION."""

    model_config = ConfigDict(extra="ignore")
    name: Name
    hierarchy: Annotated[str, Field(min_length=1)]


class StreamHeader(BaseModel):
    """name: of the stage. fps: frames in a second, of every performer."""

    model_config = ConfigDict(extra="ignore")
    armuto_live: Literal[1]
    name: Name
    fps: Annotated[float, Field(ge=1, le=240)]
    performers: Annotated[list[StreamPerformer], Field(min_length=1, max_length=MOST_PERFORMERS)]


@dataclass(frozen=True)
class StreamFrame:
    """number: counts on by one for each frame of a performer. time: when it was captured, in seconds since 1970 by the
    stage's clock. values: of its channels ``(C,)``."""

    performer: int
    number: int
    time: float
    values: FloatArray


@dataclass(frozen=True)
class Performer:
    """A performer of a stream: its name, and its joints with their channels in the order of the values."""

    name: str
    joints: tuple[BvhJoint, ...]

    @property
    def channels(self) -> int:
        return sum(len(joint.channels) for joint in self.joints)


@dataclass(frozen=True)
class Stream:
    """What a header says: the name of the stage, its frame rate, and who performs."""

    name: str
    fps: float
    performers: tuple[Performer, ...]


def read_header(text: str | bytes, address: str) -> Stream:
    """Raises :class:`BadInput` where that is no header of a stream that can be performed."""
    try:
        header = StreamHeader.model_validate(json.loads(text))
    except (ValueError, RecursionError, ValidationError):
        raise BadInput(
            f"{address}: what it sends first is no header of live motion; see docs/sources.md for what one says."
        ) from None
    performers = []
    for row in header.performers:
        joints = read_hierarchy(row.hierarchy, f"{address}: {row.name}", whole=True)
        performer = Performer(row.name, joints)
        if len(joints) > MOST_JOINTS or not performer.channels:
            raise BadInput(
                f"{address}: {row.name} has {len(joints)} joints with {performer.channels} channels; "
                f"1 to {MOST_JOINTS} joints that move can be performed."
            )
        performers.append(performer)
    return Stream(header.name, header.fps, tuple(performers))


def header_message(stream: Stream, hierarchies: list[str]) -> str:
    """The first message of a stream. hierarchies: of its performers."""
    performers = [
        StreamPerformer(name=performer.name, hierarchy=text)
        for performer, text in zip(stream.performers, hierarchies, strict=True)
    ]
    return StreamHeader(armuto_live=1, name=stream.name, fps=stream.fps, performers=performers).model_dump_json()


def read_frame(data: bytes, stream: Stream) -> StreamFrame:
    """Raises ValueError for anything but a frame of one of the performers."""
    if len(data) < FRAME_HEAD.size:
        raise ValueError("a frame is cut short")
    performer, number, time = FRAME_HEAD.unpack_from(data)
    if performer >= len(stream.performers):
        raise ValueError(f"there is no performer {performer}")
    values = np.frombuffer(data, "<f4", offset=FRAME_HEAD.size).astype(float) if len(data) % 4 == 0 else np.zeros(0)
    if len(values) != stream.performers[performer].channels:
        raise ValueError(f"a frame of {len(data)} bytes has another number of values than there are channels")
    if not np.all(np.abs(values) < LARGEST) or not 0 < time < 1e11:
        raise ValueError("a frame has numbers that cannot be used")
    return StreamFrame(performer, number, time, values)


def frame_message(frame: StreamFrame) -> bytes:
    return FRAME_HEAD.pack(frame.performer, frame.number, frame.time) + frame.values.astype("<f4").tobytes()
