"""The open index: what a library of motion and characters somewhere else says of itself, as JSON.

Described in docs/sources.md. Everything in it is foreign: what is read here is checked, bounded, and points nowhere but
to the host that the index came from.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Annotated, Literal
from urllib.parse import urljoin, urlsplit

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from armuto.choices import READ
from armuto.errors import BadInput

LARGEST_INDEX = 8 * 1024 * 1024  # bytes
MOST_ITEMS = 20_000

Text = Annotated[str, Field(max_length=500)]
Name = Annotated[str, Field(min_length=1, max_length=200)]


class IndexFile(BaseModel):
    """A file of an item in a format, with or without a mesh. path: against the index's own address. bytes: its size.
    sha256: of its bytes, where they are to be checked."""

    model_config = ConfigDict(extra="ignore")
    format: Annotated[str, Field(max_length=12)]
    path: Annotated[str, Field(min_length=1, max_length=1000)]
    mesh: bool = False
    bytes: Annotated[int, Field(ge=0)] | None = None
    sha256: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")] | None = None


class IndexItem(BaseModel):
    """A motion or a character. id: names it for good; version: changes when its files do. plate: path of a picture of
    it, SVG or PNG."""

    model_config = ConfigDict(extra="ignore")
    id: Name
    name: Name
    version: Annotated[str | int, Field()] = 1
    kind: Literal["motion", "character"] = "motion"
    tags: Annotated[list[Text], Field(max_length=50)] = []
    fps: Annotated[float, Field(gt=0, lt=10_000)] | None = None
    frames: Annotated[int, Field(ge=0)] | None = None
    plate: Annotated[str, Field(max_length=1000)] | None = None
    files: Annotated[list[IndexFile], Field(min_length=1, max_length=20)]


class IndexPack(BaseModel):
    """Items that belong together. licence: what may be done with them, in words."""

    model_config = ConfigDict(extra="ignore")
    id: Name
    name: Name
    about: Annotated[str, Field(max_length=2000)] = ""
    licence: Text = ""
    items: list[IndexItem] = []


class SourceIndex(BaseModel):
    """A whole index. armuto_index: the version of its form."""

    model_config = ConfigDict(extra="ignore")
    armuto_index: Literal[1]
    name: Name
    licence: Text = ""
    packs: list[IndexPack]


@dataclass(frozen=True)
class Offer:
    """An item with the pack it is in and the file that would be fetched. licence: the pack's, or the library's."""

    item: IndexItem
    pack: IndexPack
    file: IndexFile
    licence: str


def read_index(data: bytes, address: str) -> SourceIndex:
    """Raises :class:`BadInput` for what is no index, and for one that names too much."""
    if len(data) > LARGEST_INDEX:
        raise BadInput(f"{address}: its index is larger than {LARGEST_INDEX // 2**20} MB; ask for a smaller one.")
    try:
        index = SourceIndex.model_validate(json.loads(data))
    except (ValueError, RecursionError) as problem:
        why = "it is no JSON"
        if isinstance(problem, ValidationError):
            error = problem.errors()[0]
            place = ", ".join(str(step) for step in error["loc"]) or "the whole"
            why = f"{place}: {error['msg'][:1].lower()}{error['msg'][1:]}"
        raise BadInput(f"{address}: this is no index of a library ({why}); see that the address is right.") from None
    count = sum(len(pack.items) for pack in index.packs)
    if count > MOST_ITEMS:
        raise BadInput(f"{address}: its index names {count:,} items, and {MOST_ITEMS:,} are looked at; ask for less.")
    return index


def offers(index: SourceIndex) -> Iterator[Offer]:
    """Every item once, with the first of its files that can be read here: for motion one without a mesh before one
    with, for a character one with."""
    seen = set()
    for pack in index.packs:
        for item in pack.items:
            readable = [file for file in item.files if file.format.lower() in (*READ, "zip")]
            if item.id in seen or not readable:
                continue
            seen.add(item.id)
            wanted = item.kind == "character"
            file = min(readable, key=lambda file: file.mesh != wanted)
            yield Offer(item, pack, file, pack.licence or index.licence)


def within(address: str, path: str) -> str:
    """The address of a file of an index. Raises :class:`BadInput` for one that lies on another host."""
    try:
        target = urljoin(address, path)
        asked, own = urlsplit(target), urlsplit(address)
        same = (asked.scheme, asked.hostname, asked.port) == (own.scheme, own.hostname, own.port)
    except ValueError:
        same = False
    if not same or asked.username or asked.password:
        raise BadInput(f"{path[:100]}: this lies elsewhere than {address}; only what is there is fetched.")
    return target
