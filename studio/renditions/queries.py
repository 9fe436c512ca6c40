"""The board: the state of every cell, and what an action on many of them would mean."""

from collections.abc import Iterable, Sequence
from datetime import timedelta
from typing import Any

import numpy as np
from django.db.models import Case, Count, F, IntegerField, Q, Value, When
from django.utils import timezone

from studio.ensembles.models import Casting
from studio.ensembles.queries import digests_of_castings
from studio.fittings.models import Fitting
from studio.fittings.services.steps import CONFIRMED
from studio.renditions.models import Rendition, Run, RunItem

STATES = ("not yet", "waiting", "running", "good", "look", "wrong", "failed", "out of date", "accepted")
CODE = {state: code for code, state in enumerate(STATES)}
# Bits above the state's own four.
ACCEPTED, SENT_BACK, RETIRED, EXCEPTION = 16, 32, 64, 128

# Ids of a clip and a character, or the id of a casting.
Cell = tuple[int, int] | int

_current = (
    Q(newest__clip_digest=F("clip__digest"))
    & Q(newest__character_digest=F("character__digest"))
    & Q(newest__fitting_digest=F("fitting__state__digest"))
    & Q(newest__exceptions_digest=F("exceptions_digest"))
    & Q(newest__touchups_digest=F("touchups_digest"))
    & Q(newest__parts_digest=F("parts_digest"))
)


def with_state(rows: Any) -> Any:
    """Renditions, each with its ``state`` as a code of STATES."""
    of_castings = rows.filter(casting__isnull=False).exclude(newest=None).order_by()
    made_of = dict(of_castings.values_list("casting_id", "newest__casting_digest"))
    now = digests_of_castings(made_of) if made_of else {}
    stale = [casting for casting, then in made_of.items() if now[casting] != then]
    when = [
        When(retired=True, then=Value(CODE["not yet"])),
        When(work=Rendition.Work.WAITING, then=Value(CODE["waiting"])),
        When(work=Rendition.Work.RUNNING, then=Value(CODE["running"])),
        When(work=Rendition.Work.FAILED, then=Value(CODE["failed"])),
        When(newest=None, then=Value(CODE["not yet"])),
        When(casting__in=stale, then=Value(CODE["out of date"])),
        When(Q(casting=None) & ~_current, then=Value(CODE["out of date"])),
        When(accepted=F("newest"), then=Value(CODE["accepted"])),
        *(When(newest__grade=grade, then=Value(CODE[grade])) for grade in ("good", "look", "wrong")),
    ]
    return rows.annotate(state=Case(*when, default=Value(0), output_field=IntegerField()))


def matrix(clips: Sequence[int], characters: Sequence[int]) -> np.ndarray:
    """``(clips, characters)`` uint8: the code of the state, with ACCEPTED where an accepted result is kept, SENT_BACK
    where a note waits, RETIRED, and EXCEPTION where settings are said for it alone."""
    row_of = {pk: at for at, pk in enumerate(clips)}
    column_of = {pk: at for at, pk in enumerate(characters)}
    out = np.zeros((len(clips), len(characters)), np.uint8)
    rows = with_state(Rendition.objects.filter(casting=None).order_by()).values_list(
        "clip_id", "character_id", "state", "accepted_id", "note", "retired"
    )
    for clip, character, state, accepted, note, retired in rows:
        at, column = row_of.get(clip), column_of.get(character)
        if at is not None and column is not None:
            flags = ACCEPTED * (accepted is not None) | SENT_BACK * bool(note) | RETIRED * retired
            out[at, column] = state | flags
    # Of cells that nobody has transferred yet, too.
    fittings = Fitting.objects.filter(state__data__has_key="exceptions")
    for character, table in fittings.values_list("character_id", "state__data__exceptions"):
        cells = [row_of[int(clip)] for clip in table if int(clip) in row_of]
        if character in column_of and cells:
            out[cells, column_of[character]] |= EXCEPTION
    return out


def castings() -> list[dict[str, Any]]:
    """Every casting with the byte of its state, as :func:`matrix` has them."""
    made = {}
    for row in with_state(Rendition.objects.filter(casting__isnull=False).order_by()):
        flags = ACCEPTED * (row.accepted_id is not None) | SENT_BACK * bool(row.note) | RETIRED * row.retired
        made[row.casting_id] = row.state | flags
    rows = Casting.objects.order_by("ensemble_id", "pk").values_list("pk", "ensemble_id")
    return [{"id": pk, "ensemble_id": ensemble, "state": made.get(pk, 0)} for pk, ensemble in rows]


def fittings() -> list[dict[str, Any]]:
    """Every fitting: how many pairs it has, how many are confirmed, and whether that makes it a confirmed one."""
    rows = Fitting.objects.exclude(state=None).select_related("state")
    out = []
    for row in rows.only("skeleton_id", "character_id", "state__data"):
        assert row.state is not None
        pairs = row.state.data["pairs"]
        confirmed = sum(bool(pair.get("confirmed")) for pair in pairs)
        out.append(
            {
                "id": row.pk,
                "skeleton_id": row.skeleton_id,
                "character_id": row.character_id,
                "pairs": len(pairs),
                "confirmed": confirmed,
                "sure": bool(pairs) and confirmed >= CONFIRMED * len(pairs),
            }
        )
    return out


def counted(runs: Iterable[Run]) -> list[dict[str, Any]]:
    """Runs with how many of their items are in which state, by grade where they are done, and how long they still
    take."""
    runs = list(runs)
    rows = (
        RunItem.objects.filter(run__in=runs)
        .values("run_id")
        .annotate(
            waiting=Count("id", filter=Q(state=RunItem.State.WAITING)),
            running=Count("id", filter=Q(state=RunItem.State.RUNNING)),
            failed=Count("id", filter=Q(state=RunItem.State.FAILED)),
            done=Count("id", filter=Q(state=RunItem.State.DONE)),
            good=Count("id", filter=Q(state=RunItem.State.DONE, revision__grade="good")),
            look=Count("id", filter=Q(state=RunItem.State.DONE, revision__grade="look")),
            wrong=Count("id", filter=Q(state=RunItem.State.DONE, revision__grade="wrong")),
        )
    )
    by_run: dict[int, dict[str, Any]] = {
        row["run_id"]: {key: value for key, value in row.items() if key != "run_id"} for row in rows.order_by()
    }
    none = dict.fromkeys(("waiting", "running", "failed", "done", "good", "look", "wrong"), 0)
    now = timezone.now()
    out = []
    for run in runs:
        count = by_run.get(run.pk, none)
        through = count["done"] + count["failed"]
        since = through - run.done_before
        worked = run.worked
        left = None
        if run.state == Run.State.RUNNING:
            spent = max((now - run.resumed) / timedelta(seconds=1), 0.0)
            worked += spent
            if since > 0:
                left = spent / since * (run.total - through)
        out.append(
            {"id": run.pk, "title": run.title, "state": run.state, "total": run.total, "through": through}
            | count
            | {"worked": worked, "left": left, "created": run.created, "finished": run.finished}
        )
    return out


def of_cells(rows: Any, cells: Iterable[Cell]) -> Any:
    """Of renditions those of these cells, and of further pairs of their clips and characters: see :func:`cell_of`."""
    pairs = [cell for cell in cells if not isinstance(cell, int)]
    return rows.filter(
        Q(clip_id__in={clip for clip, _ in pairs}, character_id__in={character for _, character in pairs})
        | Q(casting_id__in={cell for cell in cells if isinstance(cell, int)})
    )


def cell_of(row: Rendition) -> Cell:
    if row.casting_id is not None:
        return row.casting_id
    assert row.clip_id is not None and row.character_id is not None
    return row.clip_id, row.character_id


def state_of(row: Rendition) -> int:
    """The state that :func:`states` has written beside a rendition: its place in STATES."""
    return int(row.state)  # type: ignore[attr-defined]
