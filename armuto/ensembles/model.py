"""An ensemble: performers, props, meetings and castings, and their JSON form.

{"name": "Hand over the crate",
 "performers": [{"name": "giver", "clip": "giver.bvh"}, {"name": "receiver", "clip": "receiver.bvh", "start": 4}],
 "props": [{"name": "crate", "shapes": [{"kind": "box", "size": [0.44, 0.3, 0.34]}], "at": [0, 1.1, 0.4],
            "carried": [{"first": 0, "last": 70, "by": [{"who": "giver", "part": "left hand"}]}]}],
 "meetings": [{"first": 20, "last": 70, "a": {"who": "giver", "part": "left hand"}, "b": {"who": "crate"}}]}

Frames are those of the common time: frame k of a performer's clip is shown at frame k + start. Lengths are metres of
the recording, with +Y up.
"""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Mapping
from dataclasses import asdict, field
from itertools import pairwise
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, TypeAdapter
from pydantic.dataclasses import dataclass

from armuto.errors import BadInput
from armuto.validation import STRICT, Within, read

Metres = Annotated[float, Within(-1e4, 1e4)]
Length = Annotated[float, Within(1e-4, 1e4)]
Degrees = Annotated[float, Within(-360.0, 360.0)]
Share = Annotated[float, Within(0.0, 1.0)]
Ratio = Annotated[float, Within(0.01, 100.0)]
Frame = Annotated[int, Within(-1_000_000, 1_000_000)]
Place = tuple[Metres, Metres, Metres]
Turn = tuple[Degrees, Degrees, Degrees]  # a rotation vector in degrees
Scaling = Literal["kept", "body", "hands", "steps"]

LONGEST_NAME = 120
MOST_PERFORMERS = 12
MOST_PROPS = 24
MOST_SHAPES = 200
MOST_TRIANGLES = 600
MOST_HANDLES = 40
MOST_MEETINGS = 2_000


def _named(name: str) -> str:
    if not 0 < len(name.strip()) <= LONGEST_NAME:
        raise ValueError(f"a name has 1 to {LONGEST_NAME} letters")
    return name


Name = Annotated[str, AfterValidator(_named)]


def _in_order(first: int, last: int, what: str) -> None:
    if last < first:
        raise ValueError(f"{what} ends at frame {last}, before it begins at frame {first}")


@dataclass(frozen=True, config=STRICT)
class Performer:
    """Somebody in the recording. name: as castings call them. clip: by the name it is known by. start: the frame of the
    common time at which the clip's first one is shown."""

    name: Name
    clip: str
    start: Frame = 0


@dataclass(frozen=True, config=STRICT)
class Shape:
    """A part of a prop's surface, in the prop's own frame.

    kind: a "box", with its size along X, Y and Z; a "cylinder" along Y, with its diameter as the size along X and Z and
    its height along Y; a "plane" across Y, with its size along X and Z, seen from above; or a "mesh", with the size of
    its box, of points from −½ to ½ of that along each axis and of faces, triangles of their numbers seen from outside
    against the clock. at, turn: where its middle is, and how it is turned there.
    """

    kind: Literal["box", "cylinder", "plane", "mesh"]
    size: tuple[Length, Length, Length]
    at: Place = (0.0, 0.0, 0.0)
    turn: Turn = (0.0, 0.0, 0.0)
    points: tuple[Place, ...] = ()
    faces: tuple[tuple[int, int, int], ...] = ()

    def __post_init__(self) -> None:
        if self.kind != "mesh":
            if self.points or self.faces:
                raise ValueError(f"a {self.kind} has no points and faces of its own")
            return
        if not 1 <= len(self.faces) <= MOST_TRIANGLES:
            raise ValueError(f"a mesh has 1 to {MOST_TRIANGLES} faces, not {len(self.faces)}")
        if not 3 <= len(self.points) <= 3 * MOST_TRIANGLES:
            raise ValueError(f"a mesh has 3 to {3 * MOST_TRIANGLES} points, not {len(self.points)}")
        if any(not 0 <= corner < len(self.points) for face in self.faces for corner in face):
            raise ValueError(f"a face of a mesh names a point that is not among its {len(self.points)}")


@dataclass(frozen=True, config=STRICT)
class Holder:
    """A part of somebody; or a prop: wherever it is nearest, where the part is left out, or at the handle that is named
    as its part."""

    who: Name
    part: str = ""


@dataclass(frozen=True, config=STRICT)
class Carried:
    """A stretch of time in which a prop goes along with the parts that hold it."""

    first: Frame
    last: Frame
    by: tuple[Holder, ...]

    def __post_init__(self) -> None:
        _in_order(self.first, self.last, "what carries a prop")
        if not self.by:
            raise ValueError("a prop is carried by somebody")


@dataclass(frozen=True, config=STRICT)
class Prop:
    """A rigid thing in the recording.

    at, turn: where it stands while nothing moves it; while and after it is carried it is where that has brought it.
    recorded: the clip whose first joint it goes along with throughout, instead of both; start: the frame of the common
    time at which that begins. anchored: it goes its way whatever hands do, as a crank on its axle. scaling: what its
    size follows in a casting: nothing ("kept"), the performers' bodies, their hands, or their steps. handles: places
    in its own frame by name, by which it is taken.
    """

    name: Name
    shapes: tuple[Shape, ...]
    at: Place = (0.0, 0.0, 0.0)
    turn: Turn = (0.0, 0.0, 0.0)
    carried: tuple[Carried, ...] = ()
    recorded: str = ""
    start: Frame = 0
    anchored: bool = False
    scaling: Scaling = "body"
    handles: Mapping[Name, Place] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if not 1 <= len(self.shapes) <= MOST_SHAPES:
            raise ValueError(f"“{self.name}” has 1 to {MOST_SHAPES} shapes, not {len(self.shapes)}")
        if self.recorded and self.carried:
            raise ValueError(f"“{self.name}” is recorded or carried, not both")
        if len(self.handles) > MOST_HANDLES:
            raise ValueError(f"“{self.name}” has at most {MOST_HANDLES} handles")
        rows = sorted(self.carried, key=lambda row: row.first)
        if any(later.first <= earlier.last for earlier, later in pairwise(rows)):
            raise ValueError(f"“{self.name}” is carried twice at the same time; name all who carry it in one stretch")
        object.__setattr__(self, "carried", tuple(rows))


@dataclass(frozen=True, config=STRICT)
class Meeting:
    """Two sides touch from frame first to frame last of the common time, both included: as near as in the recording,
    or, at the handle of a prop, wholly.

    strength: how firmly that is kept, 0 to 1. by_hand: set by a person, not found.
    """

    first: Frame
    last: Frame
    a: Holder
    b: Holder
    strength: Share = 1.0
    by_hand: bool = False

    def __post_init__(self) -> None:
        _in_order(self.first, self.last, "a meeting")
        if self.a == self.b:
            raise ValueError(f"the {self.a.part or self.a.who} cannot meet itself")


@dataclass(frozen=True, config=STRICT)
class Ensemble:
    """Performers and props in one space. meetings: None where they are to be found. first, last: the frames that are
    cut for all at once; all that every performer has without."""

    name: Name
    performers: tuple[Performer, ...]
    props: tuple[Prop, ...] = ()
    meetings: tuple[Meeting, ...] | None = None
    first: Frame | None = None
    last: Frame | None = None

    def __post_init__(self) -> None:
        if not 1 <= len(self.performers) <= MOST_PERFORMERS:
            raise ValueError(f"an ensemble has 1 to {MOST_PERFORMERS} performers, not {len(self.performers)}")
        if len(self.props) > MOST_PROPS:
            raise ValueError(f"an ensemble has at most {MOST_PROPS} props")
        names = [*(row.name for row in self.performers), *(row.name for row in self.props)]
        doubled = [name for name, count in Counter(names).items() if count > 1]
        if doubled:
            raise ValueError(f"“{doubled[0]}” stands for two; give each performer and prop a name of its own")
        for meeting in self.meetings or ():
            self._check_person(meeting.a, "a prop stands on the second side of a meeting")
            self._check(meeting.b)
        for prop in self.props:
            for carried in prop.carried:
                for holder in carried.by:
                    self._check_person(holder, f"only performers carry “{prop.name}”")
        if len(self.meetings or ()) > MOST_MEETINGS:
            raise ValueError(f"an ensemble has at most {MOST_MEETINGS:,} meetings")
        if self.first is not None and self.last is not None:
            _in_order(self.first, self.last, "the ensemble")

    def _check_person(self, holder: Holder, otherwise: str) -> None:
        self._check(holder)
        if all(row.name != holder.who for row in self.performers):
            raise ValueError(f"“{holder.who}” is a prop; {otherwise}")

    def _check(self, holder: Holder) -> None:
        """Raises ValueError where nobody and nothing is called that, or has no such part."""
        if any(row.name == holder.who for row in self.performers):
            if not holder.part:
                raise ValueError(f"“{holder.who}” meets with a part of the body; say which")
            return
        prop = next((row for row in self.props if row.name == holder.who), None)
        if prop is None:
            raise ValueError(f"there is no performer or prop “{holder.who}”")
        if holder.part and holder.part not in prop.handles:
            raise ValueError(f"the prop “{holder.who}” has no handle “{holder.part}”")

    @property
    def clips(self) -> tuple[str, ...]:
        """The clips that it is made of, each once."""
        recorded = (prop.recorded for prop in self.props if prop.recorded)
        return tuple(dict.fromkeys([*(performer.clip for performer in self.performers), *recorded]))


@dataclass(frozen=True, config=STRICT)
class PlacementKey:
    """Somebody is placed otherwise at a frame of the common time: metres along X and Z, and degrees about up, from
    where they would be."""

    frame: Frame
    at: tuple[Metres, Metres] = (0.0, 0.0)
    turn: Degrees = 0.0


@dataclass(frozen=True, config=STRICT)
class Casting:
    """Who plays whom. cast: character by performer. space: metres of its space over those of the recording; the mean
    of the performers' sizes where it is left out. sizes: of props, by name, where their scaling is not to tell.
    placements: by performer: a first and last key hold before and after, unless they come and go over
    ``ease`` seconds."""

    name: Name
    cast: Mapping[str, str]
    space: Ratio | None = None
    sizes: Mapping[str, Ratio] = field(default_factory=dict)
    placements: Mapping[str, tuple[PlacementKey, ...]] = field(default_factory=dict)
    ease: Annotated[float, Within(0.0, 60.0)] = 0.0


ENSEMBLE: TypeAdapter[Ensemble] = TypeAdapter(Ensemble)
CASTING: TypeAdapter[Casting] = TypeAdapter(Casting)


def to_json(ensemble: Ensemble) -> dict[str, Any]:
    """As plain data; what is left out is as usual."""
    table: dict[str, Any] = to_plain(ensemble)
    return table


def to_plain(value: Ensemble | Meeting | Casting | Prop) -> dict[str, Any]:
    """Any of these as plain data, without what is as usual."""
    table: dict[str, Any] = _without_usual(json.loads(json.dumps(asdict(value))))
    return table


def from_json(table: Any) -> Ensemble:
    """Raises ValueError with one sentence that names the value that is wrong."""
    if not isinstance(table, dict) or not isinstance(table.get("performers"), list):
        raise ValueError("an ensemble is a table with a list, “performers”")
    return read(ENSEMBLE, table, "value")


def casting_from_json(table: Any) -> Casting:
    """Raises ValueError with one sentence that names the value that is wrong."""
    return read(CASTING, table, "value")


def from_file(content: bytes, name: str) -> Ensemble:
    """An ensemble from its JSON file. Raises :class:`BadInput` with one sentence that names the file."""
    try:
        return from_json(json.loads(content))
    except (ValueError, RecursionError) as problem:
        reason = "it is no JSON" if isinstance(problem, json.JSONDecodeError | UnicodeDecodeError) else str(problem)
        raise BadInput(f"{name}: {reason}; see docs/cli.md for what an ensemble may say.") from None


USUAL: dict[str, Any] = {
    "start": 0,
    "at": [0.0, 0.0, 0.0],
    "turn": [0.0, 0.0, 0.0],
    "points": [],
    "faces": [],
    "carried": [],
    "recorded": "",
    "anchored": False,
    "scaling": "body",
    "handles": {},
    "part": "",
    "strength": 1.0,
    "by_hand": False,
    "props": [],
    "meetings": None,
    "first": None,
    "last": None,
}


def _without_usual(value: Any) -> Any:
    if isinstance(value, dict):
        return {
            name: _without_usual(content)
            for name, content in value.items()
            if name not in USUAL or content != USUAL[name]
        }
    return [_without_usual(row) for row in value] if isinstance(value, list) else value
