"""The board over HTTP: the state of all cells, and what is done with many of them."""

from base64 import b64encode

from django.http import HttpRequest
from ninja import Router, Schema, Status
from pydantic import Field

from studio.cast.models import Character
from studio.library.models import Clip
from studio.renditions import board, cells
from studio.renditions.runs import counted
from studio.renditions.runs_api import RunOut

router = Router(tags=["board"])
Pair = tuple[int, int]


class FittingMark(Schema):
    id: int
    skeleton_id: int
    character_id: int
    pairs: int
    confirmed: int
    sure: bool


class BoardOut(Schema):
    """clips, characters: ids of rows and columns. states: one byte a cell, row after row, as base64: the lowest four bits are
    an index into words; then accepted, sent back, retired."""

    clips: list[int]
    characters: list[int]
    words: list[str]
    states: str
    fittings: list[FittingMark]


class CellsIn(Schema):
    """Cells as ids of clip and character."""

    cells: list[Pair] = Field(max_length=200_000)


class Unfitted(Schema):
    skeleton_id: int
    character_id: int
    sentence: str


class ActionOut(Schema):
    """What an action comes to; see :class:`studio.renditions.board.Plan`."""

    action: str
    count: int
    accepted: int
    busy: int
    wrong: int
    stale: int
    proposed: int
    unfitted: list[Unfitted]
    impossible: list[Unfitted]


class TransferIn(CellsIn):
    update: bool = False


class Before(Schema):
    rendition_id: int
    accepted_id: int | None
    note: str
    retired: bool


class Restoring(Schema):
    rows: list[Before]


@router.get("", response=BoardOut, operation_id="get_board")
def get_board(request: HttpRequest):
    """Clips against characters: the state of every cell, one byte each."""
    clips = list(Clip.objects.filter(retired=False).values_list("pk", flat=True))
    characters = list(Character.objects.filter(retired=False).values_list("pk", flat=True))
    states = cells.matrix(clips, characters)
    return {
        "clips": clips,
        "characters": characters,
        "words": list(cells.STATES),
        "states": b64encode(states.tobytes()).decode(),
        "fittings": cells.fittings(),
    }


@router.post("plan", response=list[ActionOut], operation_id="plan_actions")
def plan(request: HttpRequest, wanted: CellsIn):
    """What each action on these cells would mean. Nothing is changed."""
    return board.plans(wanted.cells)


@router.post("transfer", response={202: RunOut, 204: None}, operation_id="start_run")
def transfer(request: HttpRequest, wanted: TransferIn):
    """Start a run over these cells; nothing where none of them is left to do."""
    run = board.transfer(wanted.cells, wanted.update)
    return Status(202, counted([run])[0]) if run else Status(204, None)


@router.post("accept", response=list[Before], operation_id="accept_cells")
def accept(request: HttpRequest, wanted: CellsIn):
    """Accept the newest results of these cells; answers with how they were before."""
    return board.accept(wanted.cells)


@router.post("retire", response=list[Before], operation_id="retire_cells")
def retire(request: HttpRequest, wanted: CellsIn):
    """Put the results of these cells out of sight; answers with how they were before."""
    return board.retire(wanted.cells)


@router.post("restore", response=list[Before], operation_id="restore_cells")
def restore(request: HttpRequest, wanted: Restoring):
    """Take back, or make again, what was accepted, sent back or retired."""
    return board.restore([row.dict() for row in wanted.rows])
