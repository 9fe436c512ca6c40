"""What the API of ingest takes and answers."""

from typing import Annotated, Literal

from ninja import Schema

from armuto.choices import TALLEST
from armuto.intake.naming import Facts
from armuto.refining import Recipe
from armuto.validation import Within
from studio.cast.schemas import FileSpace, Sheet
from studio.ingest.models import IntakeFile
from studio.library.schemas import GroundOut, NamingPiece, ProposalOut
from studio.platform.described import described


class Refusal(Schema):
    detail: str


class Brought(Schema):
    ids: list[int]


Height = Annotated[float, Within(0.001, TALLEST)]


class ImportChoices(Schema):
    """What a person says about a file. height: metres that it is tall at rest, which says the unit, too. turned:
    degrees about up. bound: the figure rests as its mesh was bound. alone: it was not recorded with others."""

    unit: str
    height: float
    up: str
    turned: float
    bound: bool
    alone: bool


class RowFacts(Schema):
    """What a clip shows besides its motion. calibration: how many frames at its start are held still, and why that is
    thought. still: joints that never move, at most 40 of still_count. travel: metres over the ground. several: whether
    its file has more clips."""

    calibration: int
    why_calibration: str
    still: list[str]
    still_count: int
    root_still: bool
    travel: float
    loop: bool
    several: bool
    ground: GroundOut | None


class FileOut(Schema):
    """found: what was read, as far as it is known. told: what the person said about it. ensemble, performer: what it
    becomes a part of, and as whom; empty where it was recorded alone. by_name: that was told by the names of files.
    source_name: of the source that brought it; empty where somebody did."""

    id: int
    path: str
    kind: str
    state: str
    sentence: str
    told: described(ImportChoices, partial=True)  # type: ignore[valid-type]
    found: described(Sheet, partial=True)  # type: ignore[valid-type]
    name: str
    becomes_id: int | None
    ensemble_id: int | None
    ensemble: str
    performer: str
    by_name: bool
    source_name: str

    @staticmethod
    def resolve_ensemble_id(row: IntakeFile) -> int | None:
        return row.together_id

    @staticmethod
    def resolve_ensemble(row: IntakeFile) -> str:
        return row.together.name if row.together else ""

    @staticmethod
    def resolve_by_name(row: IntakeFile) -> bool:
        return bool(row.together and row.together.by_name)


class RowOut(Schema):
    """proposals: steps that it could be refined by; null until that has been measured. recipe: those that it will be.
    skeleton: what the clip's skeleton is, or will be, called. known: whether the library has it. twin: the clip or
    row that has the very same motion. same_name: a clip of the library with the name typed."""

    id: int
    file_id: int
    clip: str
    ticked: bool
    name: str
    fields: described(Facts, partial=True)  # type: ignore[valid-type]
    facts: described(Facts)  # type: ignore[valid-type]
    frames: int
    fps: float
    first: int
    last: int
    floor: float | None
    found: described(RowFacts, partial=True)  # type: ignore[valid-type]
    skeleton: str
    known: bool
    identity: str
    twin: str
    proposals: list[ProposalOut] | None
    recipe: described(Recipe, partial=True)  # type: ignore[valid-type]
    becomes_id: int | None
    could_become: list[int]
    revision: int


class Summary(Schema):
    """reading, ready, accepting, refused: numbers of files. measuring: of clips of which it is still to be said what
    they could be refined by. rows: ids of all rows, in their order."""

    reading: int
    ready: int
    accepting: int
    refused: int
    measuring: int
    rows: list[int]
    files: list[int]


class RowsChange(Schema):
    """What is to change in these rows. range: "proposed" leaves calibration frames out, "whole" keeps all. floor: in
    metres. recipe: what they are refined by when they are taken in."""

    ids: list[int]
    ticked: bool | None = None
    name: str | None = None
    first: int | None = None
    last: int | None = None
    range: Literal["proposed", "whole"] | None = None
    fields: dict[str, str | None] | None = None
    becomes_id: int | None = None
    floor: float | Literal["measured"] | None = None
    recipe: described(Recipe) | None = None  # type: ignore[valid-type]


class Telling(Schema):
    """What is said about these files. None leaves a thing as it is; "detect" goes back to what was detected. height:
    metres that it is tall at rest, instead of a unit."""

    files: list[int]
    unit: str | None = None
    height: Height | None = None
    up: str | None = None
    turned: float | None = None
    bound: bool | None = None
    alone: bool | None = None


class Reading(Schema):
    """How a file is to be read; None leaves a thing as it is detected. height: metres that it is tall at rest,
    instead of a unit."""

    unit: str | None = None
    height: Height | None = None
    up: str | None = None
    turned: float | None = None


class FileChange(Schema):
    name: str | None = None
    becomes_id: int | None = None


class RuleIn(Schema):
    style: str
    pieces: list[described(NamingPiece, optional=True)]  # type: ignore[valid-type]


class RuleOut(RuleIn):
    fields: list[str]
    styles: list[str]


class Wanted(Schema):
    """Files to accept or dismiss; all without ids."""

    files: list[int] | None = None


class FigureOut(Schema):
    """What the stage needs to stand a waiting character up: bones, nodes, and how the file's space becomes ours."""

    names: list[str]
    parents: list[int]
    parts: list[str | None]
    ends: list[int]
    nodes: list[int]
    space: FileSpace
    bounds: list[list[float]]
    height: float


class ArrivalOut(Schema):
    """id: null when the file was read at once. sentence: why it was refused. refused: the same for files of an archive.

    done of total: how many files of an archive have been read.
    """

    id: int | None = None
    name: str
    state: str
    sentence: str = ""
    refused: list[str] = []
    done: int = 0
    total: int = 1
    clips: list[int] = []
    characters: list[int] = []
