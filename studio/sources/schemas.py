"""What the API of sources takes and answers."""

from datetime import datetime
from typing import Literal

from ninja import Schema
from pydantic import BaseModel

from studio.platform.described import described
from studio.platform.fields import Id
from studio.sources.models import SourceItem

Kind = Literal["folder", "address", "stage"]
State = Literal["new", "newer", "waiting", "fetching", "taken", "refused", "gone"]


class SourceIn(Schema):
    """A folder by its whole path, or the address of a library or a stage. name: what it is called here; by its location
    where it is empty."""

    kind: Kind
    location: str
    name: str = ""
    moves: bool = False
    accepts: bool = False


class SourceChange(Schema):
    """What is to be changed of a source; what is left out stays."""

    name: str | None = None
    active: bool | None = None
    moves: bool | None = None
    accepts: bool | None = None


class SourceOut(Schema):
    """sentence: what was wrong when it was looked at last. offered: items that are new or newer; taken: that came in;
    refused: that could not."""

    id: int
    kind: Kind
    name: str
    location: str
    active: bool
    moves: bool
    accepts: bool
    looked: datetime | None
    sentence: str
    licence: str
    lock_version: int
    offered: int
    taken: int
    refused: int


class ItemFacts(BaseModel):
    """What an index says of an item, and which of its files would be fetched."""

    name: str
    kind: str
    pack: str
    licence: str
    tags: list[str]
    fps: float | None
    frames: int | None
    plate: str
    format: str
    mesh: bool
    path: str
    bytes: int | None
    sha256: str


class ItemOut(Schema):
    """key: path within a folder, or the item's name in its index. facts: of an address alone."""

    id: int
    key: str
    state: State
    sentence: str
    facts: described(ItemFacts, partial=True)  # type: ignore[valid-type]
    has_plate: bool

    @staticmethod
    def resolve_has_plate(row: SourceItem) -> bool:
        return bool(row.facts.get("plate"))


class ItemsIn(Schema):
    ids: list[Id]
