"""What is done with many cells of the board at once, and what that would mean before it is done."""

import json
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

from django.db import transaction
from django.utils import timezone

from armuto.errors import BadInput
from studio.cast.models import Character
from studio.ensembles.models import Casting
from studio.fittings.services.steps import can_be_proposed
from studio.library.models import Clip, Skeleton
from studio.patterns.services import fingerprint
from studio.renditions.models import Rendition, Run
from studio.renditions.queries import STATES, Cell, cell_of, fittings, of_cells, state_of, with_state
from studio.renditions.services import runs

ACTIONS = ("transfer", "update", "review", "accept", "deliver", "retire")


@dataclass
class Plan:
    """What an action on these cells comes to. count: of cells it is done to. accepted: those of them with an accepted
    result, which stays beside the new one. busy: left out, since they are under way. wrong: accepted although a finding
    is graded so. proposed: cells whose fitting is proposed and not confirmed. unfitted: pairs of skeleton and character
    without a fitting. impossible: those of which none can be proposed, with the sentence that says why; their cells are
    not counted."""

    action: str
    count: int = 0
    accepted: int = 0
    busy: int = 0
    wrong: int = 0
    stale: int = 0
    proposed: int = 0
    unfitted: list[dict[str, Any]] = field(default_factory=list)
    impossible: list[dict[str, Any]] = field(default_factory=list)
    cells: list[Cell] = field(default_factory=list)


def renditions_in(cells: Iterable[Cell]) -> dict[Cell, Any]:
    """The renditions that these cells have, with their state in words as ``row.word``."""
    wanted = set(cells)
    out = {}
    for row in with_state(of_cells(Rendition.objects.select_related("newest"), wanted)).order_by():
        if (cell := cell_of(row)) in wanted:
            row.word = STATES[state_of(row)]
            out[cell] = row
    return out


def plan(action: str, cells: Iterable[Cell]) -> Plan:
    """Weigh an action. Nothing is changed."""
    cells = list(dict.fromkeys(cells))
    return _weighed(action, cells, renditions_in(cells))


def plans(cells: Iterable[Cell]) -> list[Plan]:
    """Weigh every action."""
    cells = list(dict.fromkeys(cells))
    rows = renditions_in(cells)
    return [_weighed(action, cells, rows) for action in ACTIONS]


def _rows_of(action: str, cells: Iterable[Cell]) -> list[Rendition]:
    """The renditions that an action is done to."""
    cells = list(dict.fromkeys(cells))
    rows = renditions_in(cells)
    return [rows[cell] for cell in _weighed(action, cells, rows).cells]


def _weighed(action: str, cells: list[Cell], rows: dict[Cell, Any]) -> Plan:
    made = Plan(action)
    if action in ("transfer", "update"):
        return _of_transfer(made, cells, rows)
    for cell in cells:
        row = rows.get(cell)
        if row is None or row.newest_id is None or row.retired:
            continue
        if row.busy and action in ("accept", "retire"):
            made.busy += 1
            continue
        stale = row.word == "out of date"
        if action == "accept" and (stale or row.word in ("accepted", "failed")):
            made.stale += stale
            continue
        made.stale += stale
        made.accepted += row.accepted_id is not None
        made.wrong += row.newest is not None and row.newest.grade == "wrong"
        made.cells.append(cell)
    made.count = len(made.cells)
    return made


def _of_transfer(made: Plan, cells: list[Cell], rows: dict[Cell, Any]) -> Plan:
    pairs = [cell for cell in cells if not isinstance(cell, int)]
    skeleton_of = dict(Clip.objects.filter(pk__in={clip for clip, _ in pairs}).values_list("pk", "skeleton_id"))
    there = set(Character.objects.filter(pk__in={who for _, who in pairs}).values_list("pk", flat=True))
    castings = set(
        Casting.objects.filter(pk__in=[cell for cell in cells if isinstance(cell, int)]).values_list("pk", flat=True)
    )
    known = {(row["skeleton_id"], row["character_id"]): row for row in fittings()}
    why: dict[tuple[int, int], str] = {}
    patterns = fingerprint()
    for cell in cells:
        row = rows.get(cell)
        if row is not None and row.busy:
            made.busy += 1
            continue
        if made.action == "update" and (row is None or row.word != "out of date"):
            continue
        if isinstance(cell, int):
            if cell in castings:
                made.cells.append(cell)
                made.accepted += row is not None and row.accepted_id is not None
            continue
        clip, character = cell
        # A clip or a character that is gone by now leaves nothing to weigh.
        if clip not in skeleton_of or character not in there:
            continue
        pair = (skeleton_of[clip], character)
        fitting = known.get(pair)
        if (fitting is None or not fitting["pairs"]) and pair not in why:
            why[pair] = _why_not(*pair, patterns) if fitting is None else _without_pairs(*pair)
        if why.get(pair):
            continue
        made.cells.append((clip, character))
        made.accepted += row is not None and row.accepted_id is not None
        made.proposed += fitting is None or not fitting["sure"]
    for (skeleton, character), sentence in why.items():
        mark = {"skeleton_id": skeleton, "character_id": character, "sentence": sentence}
        (made.impossible if sentence else made.unfitted).append(mark)
    made.count = len(made.cells)
    return made


def _without_pairs(skeleton_id: int, character_id: int) -> str:
    skeleton, character = Skeleton.objects.get(pk=skeleton_id), Character.objects.get(pk=character_id)
    return f"{character.name}: its fitting with “{skeleton.name}” has no pairs; pair them there."


def _why_not(skeleton_id: int, character_id: int, patterns: object) -> str:
    """Why no fitting can be proposed, or nothing. patterns: see :func:`_can_be_proposed`."""
    skeleton = Skeleton.objects.defer("tree").get(pk=skeleton_id)
    character = Character.objects.select_related("skeleton").defer("skeleton__tree").get(pk=character_id)
    if skeleton.plan != character.skeleton.plan:
        kinds = (skeleton.plan or "of no plan that was recognised", character.skeleton.plan or "of none")
        return (
            f"{character.name}: its body is {kinds[1]}, and “{skeleton.name}” is {kinds[0]}; pair them by "
            "hand in a fitting."
        )
    if not _can_be_proposed(skeleton, character, patterns):
        return f"{character.name}: it has no bone that could be paired with “{skeleton.name}”; pair them by hand."
    return ""


def _can_be_proposed(skeleton: Skeleton, character: Character, patterns: object) -> bool:
    """Whether a fitting can be proposed: found out once for two skeletons, since a board has many cells of the same
    two.

    patterns: the fingerprint of all patterns; with others, and where somebody has said other parts, it is asked again.
    """
    rows = skeleton, character.skeleton
    key = str(patterns), *((row.identity, json.dumps(row.parts, sort_keys=True)) for row in rows)
    if key not in _proposed:
        if len(_proposed) >= MOST_KNOWN:
            _proposed.clear()
        _proposed[key] = can_be_proposed(skeleton, character)
    return _proposed[key]


_proposed: dict[tuple[object, ...], bool] = {}
MOST_KNOWN = 10_000


def transfer(cells: Iterable[Cell], update: bool = False) -> Run | None:
    """Start a run of what the plan says."""
    made = plan("update" if update else "transfer", cells)
    if not made.cells:
        return None
    return runs.start(made.cells)


@transaction.atomic
def accept(cells: Iterable[Cell]) -> list[dict[str, Any]]:
    """Accept the newest result of each. Returns how they were before, for :func:`restore`."""
    rows = _rows_of("accept", cells)
    before = _as_they_are(rows)
    for row in rows:
        row.accepted_id, row.note, row.changed = row.newest_id, "", timezone.now()
    Rendition.objects.bulk_update(rows, ["accepted", "note", "changed"], batch_size=200)
    return before


@transaction.atomic
def send_back(row: Rendition, note: str) -> list[dict[str, Any]]:
    """Send a result back with a note; it is not accepted any more. Returns how it was before."""
    note = " ".join(note.split())
    if not note:
        raise BadInput("Say what is to be mended; the note goes back with it.")
    before = _as_they_are([row])
    row.accepted, row.note = None, note[:1000]
    row.save(update_fields=["accepted", "note", "changed"])
    return before


@transaction.atomic
def retire(cells: Iterable[Cell]) -> list[dict[str, Any]]:
    """Take results out of the board's sight. Returns how they were before."""
    rows = _rows_of("retire", cells)
    before = _as_they_are(rows)
    for row in rows:
        row.retired, row.changed = True, timezone.now()
    Rendition.objects.bulk_update(rows, ["retired", "changed"], batch_size=200)
    return before


def _as_they_are(rows: Iterable[Rendition]) -> list[dict[str, Any]]:
    return [
        {"rendition_id": row.pk, "accepted_id": row.accepted_id, "note": row.note, "retired": row.retired}
        for row in rows
    ]


@transaction.atomic
def restore(states: Iterable[dict[str, Any]]) -> list[dict[str, Any]]:
    """Put back what :func:`accept`, :func:`send_back` or :func:`retire` changed; returns how it was before, to go forth
    again.

    An accepted revision that is gone meanwhile stays gone.
    """
    by_id = {row["rendition_id"]: row for row in states}
    rows = list(Rendition.objects.filter(pk__in=by_id))
    before = _as_they_are(rows)
    for row in rows:
        wanted = by_id[row.pk]
        there = row.revisions.filter(pk=wanted["accepted_id"]).exists() if wanted["accepted_id"] else False
        row.accepted_id = wanted["accepted_id"] if there else None
        row.note, row.retired, row.changed = wanted["note"], wanted["retired"], timezone.now()
    Rendition.objects.bulk_update(rows, ["accepted", "note", "retired", "changed"], batch_size=200)
    return before
