"""Runs over HTTP: what is running, what ran, stop, go on, try again."""

from typing import Any

from django.db.models import Case, IntegerField, When
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Status

from studio.platform.fields import Count, Id
from studio.renditions import queries
from studio.renditions.models import Run, RunItem
from studio.renditions.schemas import FirstIn, RunItemOut, RunOut
from studio.renditions.services import runs

router = Router(tags=["runs"])
SHOWN = 60
TURNS = [RunItem.State.RUNNING, RunItem.State.FAILED, RunItem.State.DONE, RunItem.State.WAITING]
OPEN = [Run.State.RUNNING, Run.State.STOPPED]


@router.get("", response=list[RunOut], operation_id="list_runs")
def list_runs(request: HttpRequest) -> Any:
    """The newest runs, and all that are not through."""
    newest = set(Run.objects.values_list("pk", flat=True)[:SHOWN])
    unfinished = set(Run.objects.filter(state__in=OPEN).values_list("pk", flat=True))
    return queries.counted(Run.objects.filter(pk__in=newest | unfinished))


@router.post("first", response={204: None}, operation_id="look_first")
def look_first(request: HttpRequest, payload: FirstIn) -> Status[Any]:
    """What is being looked at comes before the rest of what waits."""
    runs.look_first(payload.cells[:4000])
    return Status(204, None)


@router.get("{run_id}", response=RunOut, operation_id="get_run")
def get_run(request: HttpRequest, run_id: Id) -> Any:
    """One run: how far it is, and how long it may take."""
    return queries.counted([get_object_or_404(Run, pk=run_id)])[0]


@router.get("{run_id}/items", response=list[RunItemOut], operation_id="list_run_items")
def list_items(request: HttpRequest, run_id: Id, state: str = "", limit: Count = 60, offset: Count = 0) -> Any:
    """Items of a run, of one state where that is given: those at work first, then what failed, what is done and what
    waits."""
    rows = RunItem.objects.filter(run=run_id).select_related("rendition__clip", "rendition__character", "revision")
    rows = rows.defer("rendition__clip__notes", "rendition__character__nodes", "revision__findings")
    if state:
        rows = rows.filter(state=state)
    turn = Case(*(When(state=state, then=n) for n, state in enumerate(TURNS)), output_field=IntegerField())
    return rows.order_by(turn, "position")[offset : offset + min(limit, 1000)]


@router.post("{run_id}/stop", response=RunOut, operation_id="stop_run")
def stop(request: HttpRequest, run_id: Id) -> Any:
    """Stop a run; what is done stays, what waits can be gone on with."""
    runs.stop(get_object_or_404(Run, pk=run_id))
    return get_run(request, run_id)


@router.post("{run_id}/continue", response=RunOut, operation_id="continue_run")
def go_on(request: HttpRequest, run_id: Id) -> Any:
    """Go on with a run that was stopped."""
    runs.resume(get_object_or_404(Run, pk=run_id))
    return get_run(request, run_id)


@router.post("{run_id}/retry", response=RunOut, operation_id="retry_run")
def retry(request: HttpRequest, run_id: Id) -> Any:
    """Try again what failed."""
    runs.retry(get_object_or_404(Run, pk=run_id))
    return get_run(request, run_id)
