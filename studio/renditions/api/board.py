"""The board over HTTP: the state of all cells, and what is done with many of them."""

from base64 import b64encode
from typing import Any

from django.http import HttpRequest
from ninja import Router, Status

from studio.cast.models import Character
from studio.library.models import Clip
from studio.renditions import queries
from studio.renditions.queries import counted
from studio.renditions.schemas import ActionOut, Before, BoardOut, CellsIn, Restoring, RunOut, TransferIn
from studio.renditions.services import board

router = Router(tags=["board"])


@router.get("", response=BoardOut, operation_id="get_board")
def get_board(request: HttpRequest) -> dict[str, Any]:
    """Clips against characters: the state of every cell, one byte each."""
    clips = list(Clip.objects.filter(retired=False).values_list("pk", flat=True))
    characters = list(Character.objects.filter(retired=False).values_list("pk", flat=True))
    states = queries.matrix(clips, characters)
    return {
        "clips": clips,
        "characters": characters,
        "words": list(queries.STATES),
        "states": b64encode(states.tobytes()).decode(),
        "fittings": queries.fittings(),
        "castings": queries.castings(),
    }


@router.post("plan", response=list[ActionOut], operation_id="plan_actions")
def plan(request: HttpRequest, payload: CellsIn) -> Any:
    """What each action on these cells would mean. Nothing is changed."""
    return board.plans(payload.cells)


@router.post("transfer", response={202: RunOut, 204: None}, operation_id="start_run")
def transfer(request: HttpRequest, payload: TransferIn) -> Any:
    """Start a run over these cells; nothing where none of them is left to do."""
    run = board.transfer(payload.cells, payload.update)
    return Status(202, counted([run])[0]) if run else Status(204, None)


@router.post("accept", response=list[Before], operation_id="accept_cells")
def accept(request: HttpRequest, payload: CellsIn) -> Any:
    """Accept the newest results of these cells; answers with how they were before."""
    return board.accept(payload.cells)


@router.post("retire", response=list[Before], operation_id="retire_cells")
def retire(request: HttpRequest, payload: CellsIn) -> Any:
    """Put the results of these cells out of sight; answers with how they were before."""
    return board.retire(payload.cells)


@router.post("restore", response=list[Before], operation_id="restore_cells")
def restore(request: HttpRequest, payload: Restoring) -> Any:
    """Take back, or make again, what was accepted, sent back or retired."""
    return board.restore([row.dict() for row in payload.rows])
