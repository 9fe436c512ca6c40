"""What the API of delivery takes and answers."""

from datetime import datetime
from typing import Any

from ninja import Schema

from armuto.export.settings import DeliverySettings
from studio.library.schemas import NamingPiece
from studio.platform.described import described
from studio.renditions.queries import Cell


class RuleIn(Schema):
    style: str
    pieces: list[described(NamingPiece, optional=True)]  # type: ignore[valid-type]


class DeliveryRule(RuleIn):
    fields: list[str]
    styles: list[str]


class DeliveryIn(Schema):
    """cells: of whom, by ids of clip and character, or of a casting; all accepted ones without. wanted: see
    :class:`armuto.export.settings.DeliverySettings`. rule: without, the one in force."""

    cells: list[Cell] | None = None
    wanted: described(DeliverySettings, partial=True) = {}  # type: ignore[valid-type]
    name: str = ""


class DeliveryProfileIn(Schema):
    """How things go out to a receiver. rule: by which files are named; without, the one in force."""

    name: str
    wanted: described(DeliverySettings, partial=True) = {}  # type: ignore[valid-type]
    rule: RuleIn | None = None


class DeliveryProfileOut(Schema):
    id: int
    name: str
    wanted: described(DeliverySettings)  # type: ignore[valid-type]
    rule: RuleIn


class PlannedRow(Schema):
    """One result that would go out: into which file, whether a number had to be added to its name, and which result it
    is; of a casting, what each performer does."""

    clip_id: int
    clip: str
    character_id: int
    character: str
    casting_id: int | None
    casting: str
    file: str
    clash: bool
    which: str
    state: str
    grade: str
    frames: int
    left_out: str


class Planned(Schema):
    rows: list[PlannedRow]
    files: int
    name: str


class Thinned(Schema):
    """What thinning does to one result, as measured: keys kept, of how many, and the largest errors."""

    clip: str
    character: str
    keys: int
    of: int
    degrees: float
    centimetres: float


class DeliveryOut(Schema):
    """changed: how many of its results would come out otherwise now."""

    id: int
    name: str
    wanted: described(DeliverySettings)  # type: ignore[valid-type]
    created: datetime
    fetched: datetime | None
    bytes: int
    results: int
    files: int
    characters: list[str]
    changed: int
    again_id: int | None


class ThinnedKeys(Schema):
    """What thinning did: keys that were kept, of how many, and the largest errors."""

    keys: int
    of: int
    degrees: float
    centimetres: float


class ManifestRow(Schema):
    """What the manifest says of one result; more where the delivery changed something."""

    file: str
    clip: str
    character: str
    frames: int
    fps: float
    first: int
    bytes: int
    sha256: str
    thinned: ThinnedKeys | None = None


class DeliveryItemOut(Schema):
    clip: str
    character: str
    file: str
    row: described(ManifestRow, optional=True) | None  # type: ignore[valid-type]

    @staticmethod
    def resolve_clip(item: Any) -> str:
        return str(item.clip.name)

    @staticmethod
    def resolve_character(item: Any) -> str:
        return str(item.character.name)


class Again(Schema):
    only_changed: bool = False
