"""Runs: batches of transfers, worked off item by item by however many workers there are.

The tables are the truth, the queue of tasks only wakes workers: a task takes whatever item comes next, so that one that is
lost or doubled loses or doubles nothing.
"""

import time
from collections.abc import Iterable, Sequence
from datetime import timedelta

from django.conf import settings
from django.db import transaction
from django.db.models import Count, F, Q
from django.utils import timezone
from django.utils.crypto import get_random_string

from armuto.errors import BadInput
from studio import workers
from studio.cast.models import Character
from studio.fittings.keeping import fitting_for
from studio.library.models import Clip, Skeleton
from studio.renditions import results
from studio.renditions.models import Rendition, Run, RunItem

AT_ONCE = 500  # rows per statement
ATTEMPTS = 6  # so often a worker may die over one item before it is taken for the item's fault
Work, State = Rendition.Work, RunItem.State


def start(cells: Iterable[tuple[int, int]], title: str = "", first: bool = False) -> Run | None:
    """Transfer clips to characters: cells are ids of both. first: before anything that waits.

    Cells that are under way already are left to their run. Where a skeleton has no fitting on a character yet, one is proposed.
    Returns None where nothing is left to do. Raises :class:`BadInput` where no fitting can be proposed.
    """
    wanted = list(dict.fromkeys(cells))
    clips = Clip.objects.select_related("skeleton").defer("skeleton__tree").in_bulk({clip for clip, _ in wanted})
    characters = Character.objects.select_related("skeleton").in_bulk({character for _, character in wanted})
    wanted = [(clip, character) for clip, character in wanted if clip in clips and character in characters]
    fittings: dict[tuple[int, int], int] = {}
    for clip, character in wanted:
        key = (clips[clip].skeleton_id, character)
        if key not in fittings:
            skeleton = Skeleton.objects.get(pk=key[0])
            fittings[key] = fitting_for(skeleton, characters[character]).pk
    rows = [
        Rendition(clip_id=clip, character_id=character, fitting_id=fittings[clips[clip].skeleton_id, character])
        for clip, character in wanted
    ]
    with transaction.atomic():
        Rendition.objects.bulk_create(rows, ignore_conflicts=True, batch_size=AT_ONCE)
        present = {
            (row.clip_id, row.character_id): row
            for row in Rendition.objects.filter(clip_id__in=clips, character_id__in=characters).only(
                "id", "clip_id", "character_id", "work", "fitting_id"
            )
        }
        todo = [row for cell in wanted if not (row := present[cell]).busy]
        if not todo:
            return None
        run = Run.objects.create(
            title=title or _title(todo, clips, characters), total=len(todo), resumed=timezone.now()
        )
        RunItem.objects.bulk_create(
            [RunItem(run=run, rendition=row, position=position, first=first) for position, row in enumerate(todo)],
            batch_size=AT_ONCE,
        )
        _set_work([row.pk for row in todo], Work.WAITING)
    wake()
    return run


def _title(rows: Sequence[Rendition], clips: dict[int, Clip], characters: dict[int, Character]) -> str:
    many = {row.clip_id for row in rows}
    who = sorted({characters[row.character_id].name for row in rows})
    what = clips[rows[0].clip_id].name if len(many) == 1 else f"{len(many)} clips"
    return f"{what} on {who[0] if len(who) == 1 else f'{len(who)} characters'}"[:255]


def _set_work(ids: Sequence[int], work: str, only: Iterable[str] | None = None) -> None:
    for at in range(0, len(ids), AT_ONCE):
        rows = Rendition.objects.filter(pk__in=ids[at : at + AT_ONCE])
        if only is not None:
            rows = rows.filter(work__in=list(only))
        rows.update(work=work, changed=timezone.now())


def wake() -> None:
    """Call for as many workers as there may be. Those that find nothing to do end at once."""
    from studio.renditions.tasks import work_off

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
        _set_work(left, Work.NOTHING, [Work.WAITING, Work.RUNNING])
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
    _set_work(waiting, Work.WAITING)
    _end_where_through(run.pk)


def look_first(cells: Iterable[tuple[int, int]]) -> None:
    """What somebody looks at comes before the rest: these cells, of those that wait, and no others."""
    wanted = set(cells)
    waiting = RunItem.objects.filter(state=State.WAITING, run__state=Run.State.RUNNING)
    rows = waiting.filter(
        rendition__clip_id__in={clip for clip, _ in wanted}, rendition__character_id__in={one for _, one in wanted}
    ).values_list("pk", "rendition__clip_id", "rendition__character_id")
    chosen = [pk for pk, clip, character in rows if (clip, character) in wanted]
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
            _end_where_through(item.run_id)
        _set_work([row.pk], Work.NOTHING, [Work.WAITING, Work.RUNNING])


def take_next() -> RunItem | None:
    """Claim the next item for this worker."""
    with transaction.atomic():
        rows = RunItem.objects.filter(state=State.WAITING, run__state=Run.State.RUNNING)
        item = rows.select_for_update(skip_locked=True, of=("self",)).order_by("-first", "run_id", "position").first()
        if item is None:
            return None
        item.state, item.worker, item.claim = State.RUNNING, workers.name, get_random_string(20)
        item.began, item.progress, item.sentence, item.attempts = timezone.now(), 0, "", item.attempts + 1
        item.save(update_fields=["state", "worker", "claim", "began", "progress", "sentence", "attempts"])
        _set_work([item.rendition_id], Work.RUNNING)
    return item


def perform(item: RunItem) -> None:
    """Compute a claimed item and keep its result; or keep why it failed. Nothing is kept once the claim was lost."""
    mine = RunItem.objects.filter(pk=item.pk, claim=item.claim, state=State.RUNNING)
    begun = time.perf_counter()

    def reached(share: float) -> bool:
        return bool(mine.update(progress=share))

    row = Rendition.objects.select_related(
        "clip__skeleton", "fitting__state", "fitting__skeleton", "fitting__character", "character__skeleton"
    ).get(pk=item.rendition_id)
    try:
        made, motion = results.compute(row, reached)
    except results.Stopped:
        return
    except BadInput as problem:
        _fail(item, mine, str(problem), begun)
    except Exception:
        sentence = f"{row.clip.name}: transferring it to {row.character.name} failed; what was made before is kept."
        _fail(item, mine, sentence, begun)
        raise
    else:
        with transaction.atomic():
            if not mine.exists():
                return
            row.refresh_from_db(fields=["newest", "accepted"])
            results.keep(made, motion)
            seconds = time.perf_counter() - begun
            mine.update(state=State.DONE, progress=1, revision=made, seconds=seconds, worker="", claim="")
            _end_where_through(item.run_id)


def _fail(item: RunItem, mine, sentence: str, begun: float) -> None:
    with transaction.atomic():
        seconds = time.perf_counter() - begun
        if mine.update(state=State.FAILED, sentence=sentence, seconds=seconds, worker="", claim=""):
            Rendition.objects.filter(pk=item.rendition_id).update(
                work=Work.FAILED, sentence=sentence, changed=timezone.now()
            )
            _end_where_through(item.run_id)


def _end_where_through(run_id: int) -> None:
    open_items = RunItem.objects.filter(run_id=run_id, state__in=[State.WAITING, State.RUNNING])
    if open_items.exists():
        return
    run = Run.objects.filter(pk=run_id, state=Run.State.RUNNING).first()
    if run:
        now = timezone.now()
        run.state, run.finished = Run.State.FINISHED, now
        run.worked += (now - run.resumed).total_seconds()
        run.save(update_fields=["state", "finished", "worked"])


def take_up(everything: bool = False) -> int:
    """Let items start again whose workers are gone, or all that are begun where nobody works. Returns how many."""
    begun = RunItem.objects.filter(state=State.RUNNING)
    names = set(begun.values_list("worker", flat=True))
    lost = names if everything else {name for name in names if workers.gone(name)}
    with transaction.atomic():
        for item in begun.filter(worker__in=lost, attempts__gte=ATTEMPTS).select_related("rendition__clip"):
            name = item.rendition.clip.name
            sentence = f"{name}: the worker ended {ATTEMPTS} times in the middle of it; look at the studio's log."
            _fail(item, RunItem.objects.filter(pk=item.pk), sentence, time.perf_counter())
        rows = begun.filter(worker__in=lost)
        ids = list(rows.values_list("rendition_id", flat=True))
        rows.update(state=State.WAITING, worker="", claim="", progress=0)
        _set_work(ids, Work.WAITING, [Work.RUNNING])
    return len(ids)


def counted(runs: Iterable[Run]) -> list[dict]:
    """Runs with how many of their items are in which state, by grade where they are done, and how long they still take."""
    runs = list(runs)
    rows = (
        RunItem.objects.filter(run__in=runs)
        .values("run_id")
        .annotate(
            waiting=Count("id", filter=Q(state=State.WAITING)),
            running=Count("id", filter=Q(state=State.RUNNING)),
            failed=Count("id", filter=Q(state=State.FAILED)),
            done=Count("id", filter=Q(state=State.DONE)),
            good=Count("id", filter=Q(state=State.DONE, revision__grade="good")),
            look=Count("id", filter=Q(state=State.DONE, revision__grade="look")),
            wrong=Count("id", filter=Q(state=State.DONE, revision__grade="wrong")),
        )
    )
    by_run = {row.pop("run_id"): row for row in rows.order_by()}
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
