"""Runs: batches of transfers, worked off item by item by however many workers there are.

The tables are the truth, the queue of tasks only wakes workers: a task takes whatever item comes next, so that one that
is lost or doubled loses or doubles nothing.
"""

import contextlib
from collections.abc import Iterable, Mapping, Sequence

from django.conf import settings
from django.db import transaction
from django.db.models import F
from django.utils import timezone

from armuto.errors import BadInput
from studio.cast.models import Character
from studio.ensembles.models import Casting
from studio.fittings.models import Fitting
from studio.fittings.services.clip_exceptions import digest_of, of_clip
from studio.fittings.services.layer_records import digest_in
from studio.fittings.services.spliced import other_skeletons, parts_digest
from studio.fittings.services.steps import fitting_for
from studio.library.models import Clip, Skeleton
from studio.renditions.models import Rendition, Run, RunItem
from studio.renditions.queries import Cell, cell_of, of_cells
from studio.renditions.tasks import work_off
from studio.renditions.worker import AT_ONCE, end_where_through, set_work

Work, State = Rendition.Work, RunItem.State


def start(cells: Iterable[Cell], title: str = "", first: bool = False) -> Run | None:
    """Transfer clips to characters, and perform castings. first: before anything that waits.

    Cells that are under way already are left to their run. Where a skeleton has no fitting on a character yet, one is
    proposed. Returns None where nothing is left to do. Raises :class:`BadInput` where no fitting can be proposed.
    """
    every = list(dict.fromkeys(cells))
    castings = Casting.objects.select_related("ensemble").in_bulk([cell for cell in every if isinstance(cell, int)])
    wanted = [cell for cell in every if not isinstance(cell, int)]
    clips = Clip.objects.select_related("skeleton").defer("skeleton__tree").in_bulk({clip for clip, _ in wanted})
    characters = Character.objects.select_related("skeleton").in_bulk({who for _, who in wanted})
    wanted = [(clip, character) for clip, character in wanted if clip in clips and character in characters]
    fittings: dict[tuple[int, int], int] = {}
    for clip, character in wanted:
        key = (clips[clip].skeleton_id, character)
        if key not in fittings:
            skeleton = Skeleton.objects.get(pk=key[0])
            fittings[key] = fitting_for(skeleton, characters[character]).pk
    others = other_skeletons(clips)
    for clip, character in wanted:
        for other in others.get(clip, ()):
            with contextlib.suppress(BadInput):  # then the skeleton of the splice performs that part
                fitting_for(Skeleton.objects.get(pk=other), characters[character])
    states = {row.pk: row.state for row in Fitting.objects.filter(pk__in=fittings.values()).select_related("state")}
    rows = []
    for clip, character in wanted:
        fitting = fittings[clips[clip].skeleton_id, character]
        digests = {
            "exceptions_digest": digest_of(of_clip(states[fitting], clip)),
            "touchups_digest": digest_in(states[fitting], clip),
        }
        if clip in others:
            digests["parts_digest"] = parts_digest(clip, character)
        rows.append(Rendition(clip_id=clip, character_id=character, fitting_id=fitting, **digests))
    rows += [Rendition(casting_id=casting) for casting in castings]
    possible = {*wanted, *castings}
    with transaction.atomic():
        Rendition.objects.bulk_create(rows, ignore_conflicts=True, batch_size=AT_ONCE)
        known = of_cells(Rendition.objects.only("id", "clip_id", "character_id", "casting_id", "work"), possible)
        present = {cell_of(row): row for row in known}
        todo = [row for cell in every if cell in possible and not (row := present[cell]).busy]
        if not todo:
            return None
        run = Run.objects.create(
            title=title or _title(todo, clips, characters, castings), total=len(todo), resumed=timezone.now()
        )
        RunItem.objects.bulk_create(
            [RunItem(run=run, rendition=row, position=position, first=first) for position, row in enumerate(todo)],
            batch_size=AT_ONCE,
        )
        set_work([row.pk for row in todo], Work.WAITING)
    wake()
    return run


def _title(
    rows: Sequence[Rendition],
    clips: Mapping[int, Clip],
    characters: Mapping[int, Character],
    castings: Mapping[int, Casting],
) -> str:
    played = [castings[row.casting_id] for row in rows if row.casting_id is not None]
    pairs = [(row.clip_id, row.character_id) for row in rows if row.clip_id and row.character_id]
    out = []
    if pairs:
        many = {clip for clip, _ in pairs}
        who = sorted({characters[character].name for _, character in pairs})
        what = clips[pairs[0][0]].name if len(many) == 1 else f"{len(many)} clips"
        out.append(f"{what} on {who[0] if len(who) == 1 else f'{len(who)} characters'}")
    if len(played) == 1:
        out.append(f"{played[0].ensemble.name} by {played[0].name}")
    elif played:
        out.append(f"{len(played)} castings")
    return "; ".join(out)[:255]


def wake() -> None:
    """Call for as many workers as there may be. Those that find nothing to do end at once."""
    with transaction.atomic():
        for _ in range(settings.WORKERS):
            work_off.enqueue()


def stop(run: Run) -> None:
    """Stop a run. What is being computed is given up, what is done stays; it can be set going again."""
    with transaction.atomic():
        if not Run.objects.filter(pk=run.pk, state=Run.State.RUNNING).update(state=Run.State.STOPPED):
            return
        _put_down(run)
        left = list(run.items.filter(state=State.WAITING).values_list("rendition_id", flat=True))
        set_work(left, Work.NOTHING, [Work.WAITING, Work.RUNNING])
        spent = (timezone.now() - Run.objects.get(pk=run.pk).resumed).total_seconds()
        Run.objects.filter(pk=run.pk).update(worked=F("worked") + spent)


def _put_down(run: Run) -> None:
    run.items.filter(state=State.RUNNING).update(state=State.WAITING, worker="", claim="", progress=0)


def resume(run: Run) -> None:
    """Go on with a stopped run. What another run has taken on meanwhile is left to that one."""
    with transaction.atomic():
        if not Run.objects.filter(pk=run.pk, state=Run.State.STOPPED).exists():
            return
        run.items.filter(state=State.WAITING, rendition__work__in=[Work.WAITING, Work.RUNNING]).delete()
        _go(run)
    wake()


def retry(run: Run) -> int:
    """Try again what failed. Returns how many that are."""
    with transaction.atomic():
        rows = run.items.filter(state=State.FAILED).exclude(rendition__work__in=[Work.WAITING, Work.RUNNING])
        count = rows.update(state=State.WAITING, sentence="", progress=0, attempts=0)
        if count:
            _go(run)
    if count:
        wake()
    return count


def _go(run: Run) -> None:
    """Set a run going, or end it where nothing is left."""
    waiting = list(run.items.filter(state=State.WAITING).values_list("rendition_id", flat=True))
    done = run.items.filter(state__in=[State.DONE, State.FAILED]).count()
    Run.objects.filter(pk=run.pk).update(
        state=Run.State.RUNNING, finished=None, resumed=timezone.now(), done_before=done, total=done + len(waiting)
    )
    set_work(waiting, Work.WAITING)
    end_where_through(run.pk)


def look_first(cells: Iterable[Cell]) -> None:
    """What somebody looks at comes before the rest: these cells, of those that wait, and no others."""
    wanted = set(cells)
    waiting = RunItem.objects.filter(state=State.WAITING, run__state=Run.State.RUNNING)
    seen = [
        row.pk
        for row in of_cells(Rendition.objects.only("id", "clip_id", "character_id", "casting_id"), wanted)
        if cell_of(row) in wanted
    ]
    chosen = list(waiting.filter(rendition__in=seen).values_list("pk", flat=True))
    with transaction.atomic():
        waiting.filter(first=True).exclude(pk__in=chosen).update(first=False)
        waiting.filter(pk__in=chosen).update(first=True)


def take_out(row: Rendition) -> None:
    """Take one rendition out of the run that has it; its last result stays in force."""
    with transaction.atomic():
        items = RunItem.objects.filter(
            rendition=row, state__in=[State.WAITING, State.RUNNING], run__state=Run.State.RUNNING
        )
        for item in items:
            item.delete()
            Run.objects.filter(pk=item.run_id).update(total=F("total") - 1)
            end_where_through(item.run_id)
        set_work([row.pk], Work.NOTHING, [Work.WAITING, Work.RUNNING])
