"""A splice: spans of clips, the joins between them, and their JSON form.

{"name": "Up, bow and wind", "spans": [{"clip": "walk", "end": 3.2}, {"clip": "bow", "start": 0.4, "end": 2.0},
    {"clip": "wind_the_key", "repeat": 2}], "joins": [{"overlap": 0.3}, {"pivot": "left foot", "turn": 30}]}

Times are seconds of the clip as its recipe has it, from its first frame. The join between two spans lies where the one
ends and the next one starts: these two moments are one, in the middle of the overlap.
"""

from __future__ import annotations

import hashlib
import json
from dataclasses import asdict, replace
from typing import Annotated, Any, Literal

from pydantic import TypeAdapter
from pydantic.dataclasses import dataclass

from armuto.errors import BadInput
from armuto.validation import STRICT, Within, read

Blend = Literal["auto", "fade", "carry"]
Seconds = Annotated[float, Within(0.0, 1e5)]
MOST_SPANS = 60
MOST_REPEATS = 200
LONGEST_OVERLAP = 5.0  # seconds
LONGEST_NAME = 120


@dataclass(frozen=True, config=STRICT)
class Span:
    """A stretch of a clip. clip: by the name it is known by. start, end: seconds of it; its own ends where they are
    left out. repeat: so many times it is gone through."""

    clip: str
    start: Seconds | None = None
    end: Seconds | None = None
    repeat: int = 1

    def __post_init__(self) -> None:
        if not 1 <= self.repeat <= MOST_REPEATS:
            raise ValueError(f"a span is gone through 1 to {MOST_REPEATS} times, not {self.repeat:,}")
        if self.start is not None and self.end is not None and self.repeat == 1 and self.end < self.start:
            raise ValueError(f"a span of “{self.clip}” ends at {self.end:g} s, before it starts at {self.start:g} s")


@dataclass(frozen=True, config=STRICT)
class Join:
    """How two spans meet.

    overlap: seconds in which both are seen, 0 where the second just follows; what their distance asks for where it is
    left out. pivot: what is held still where the second is laid onto the first: a foot, hand or other part by name, the
    middle of the "body", a "place", or "auto", the foot that rests in both, else the body. place: of the second's hips
    on the floor, metres along X and Z, and facing: degrees from +Z towards +X, both for the pivot "place". blend: both
    "fade" into each other, or the difference is carried over and dies away ("carry"); "auto" takes what moves more
    evenly. turn: degrees by which the way goes on turning to its left, over so many seconds. feet: whether feet that
    rest stay where they rest.
    """

    overlap: Annotated[float, Within(0.0, LONGEST_OVERLAP)] | None = None
    pivot: str = "auto"
    place: tuple[Annotated[float, Within(-1e4, 1e4)], Annotated[float, Within(-1e4, 1e4)]] = (0.0, 0.0)
    facing: Annotated[float, Within(-360.0, 360.0)] = 0.0
    blend: Blend = "auto"
    turn: Annotated[float, Within(-360.0, 360.0)] = 0.0
    over: Annotated[float, Within(0.1, 60.0)] = 1.0
    feet: bool = True


@dataclass(frozen=True, config=STRICT)
class Splice:
    """Spans in their order, with a join between each and the next."""

    spans: tuple[Span, ...]
    joins: tuple[Join, ...] = ()
    name: str = "splice"

    def __post_init__(self) -> None:
        if not 1 <= len(self.spans) <= MOST_SPANS:
            raise ValueError(f"a splice has 1 to {MOST_SPANS} spans, not {len(self.spans)}")
        if len(self.joins) > len(self.spans) - 1:
            raise ValueError(f"{len(self.spans)} spans have {len(self.spans) - 1} joins, not {len(self.joins)}")
        if not 0 < len(self.name) <= LONGEST_NAME:
            raise ValueError(f"a splice has a name of 1 to {LONGEST_NAME} letters")
        missing = len(self.spans) - 1 - len(self.joins)
        object.__setattr__(self, "joins", (*self.joins, *(Join() for _ in range(missing))))

    @property
    def clips(self) -> tuple[str, ...]:
        """The clips that it is made of, each once."""
        return tuple(dict.fromkeys(span.clip for span in self.spans))

    @property
    def digest(self) -> str:
        """Of everything but its name."""
        return hashlib.sha256(json.dumps(to_json(replace(self, name="splice")), sort_keys=True).encode()).hexdigest()

    def with_span(self, number: int, **changes: Any) -> Splice:
        spans = list(self.spans)
        spans[number] = replace(spans[number], **changes)
        return replace(self, spans=tuple(spans))

    def with_join(self, number: int, **changes: Any) -> Splice:
        joins = list(self.joins)
        joins[number] = replace(joins[number], **changes)
        return replace(self, joins=tuple(joins))


SPLICE: TypeAdapter[Splice] = TypeAdapter(Splice)
USUAL_JOIN, USUAL_SPAN = asdict(Join()), asdict(Span(""))


def to_json(splice: Splice) -> dict[str, Any]:
    """Only what differs from the defaults."""

    def unusual(value: Any, usual: dict[str, Any]) -> dict[str, Any]:
        return {name: content for name, content in asdict(value).items() if content != usual[name]}

    return {
        "name": splice.name,
        "spans": [unusual(span, USUAL_SPAN) for span in splice.spans],
        "joins": [unusual(join, USUAL_JOIN) for join in splice.joins],
    }


def from_json(table: Any) -> Splice:
    """Raises ValueError with one sentence that names the value that is wrong."""
    if not isinstance(table, dict) or not isinstance(table.get("spans"), list):
        raise ValueError("a splice is a table with a list, “spans”")
    for kind in ("spans", "joins"):
        rows = table.get(kind, [])
        if not isinstance(rows, list) or len(rows) > MOST_SPANS:
            raise ValueError(f"“{kind}” is a list of at most {MOST_SPANS}")
    return read(SPLICE, table, "value")


def from_file(content: bytes, name: str) -> Splice:
    """A splice from its JSON file. Raises :class:`BadInput` with one sentence that names the file."""
    try:
        return from_json(json.loads(content))
    except ValueError as problem:
        reason = "it is no JSON" if isinstance(problem, json.JSONDecodeError | UnicodeDecodeError) else str(problem)
        raise BadInput(f"{name}: {reason}; see docs/cli.md for what a splice may say.") from None
