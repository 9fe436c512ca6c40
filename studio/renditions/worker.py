"""What workers do about the items of runs: claim the next, compute it, store it, give it back."""

import time
from collections.abc import Iterable, Sequence
from typing import Any

from django.db import OperationalError, transaction
from django.utils import timezone
from django.utils.crypto import get_random_string

from armuto.errors import BadInput
from studio.platform import workers
from studio.renditions import casting_results, results
from studio.renditions.models import Rendition, Run, RunItem

State, Work = RunItem.State, Rendition.Work
AT_ONCE = 500  # rows per statement
SHOWN = 0.3  # seconds: what is through before that need not say how far it has come
# What a transfer does not look at, or has kept from the one before; read by itself where it is wanted after all.
UNREAD = [
    *(
        f"{row}__{field}"
        for row in ("fitting__skeleton", "fitting__character__skeleton")
        for field in ("tree", "parts", "readings", "field_versions")
    ),
    *(
        f"fitting__character__{field}"
        for field in ("nodes", "bounds", "notes", "sheet", "tags", "remarks", "field_versions")
    ),
    *(f"clip__{field}" for field in ("tags", "ground", "notes", "field_versions")),
]
ATTEMPTS = 6  # so often a worker may die over one item before it is taken for the item's fault


def set_work(ids: Sequence[int], work: str, only: Iterable[str] | None = None) -> None:
    for at in range(0, len(ids), AT_ONCE):
        rows = Rendition.objects.filter(pk__in=ids[at : at + AT_ONCE])
        if only is not None:
            rows = rows.filter(work__in=list(only))
        rows.update(work=work, changed=timezone.now())


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
        set_work([item.rendition_id], Work.RUNNING)
    return item


def process(item: RunItem) -> None:
    """Compute a claimed item and keep its result; or keep why it failed. Nothing is kept once the claim was lost."""
    mine = RunItem.objects.filter(pk=item.pk, claim=item.claim, state=State.RUNNING)
    begun = time.perf_counter()

    def reached(share: float) -> bool:
        return time.perf_counter() - begun < SHOWN or bool(mine.update(progress=share))

    row = (
        Rendition.objects.select_related(
            "casting__ensemble", "clip", "fitting__state", "fitting__skeleton", "fitting__character__skeleton"
        )
        .defer(*UNREAD)
        .get(pk=item.rendition_id)
    )
    if row.fitting is not None:
        row.character = row.fitting.character
    try:
        made = casting_results.compute(row, reached) if row.casting is not None else results.compute(row, reached)
    except results.Stopped:
        return
    except BadInput as problem:
        _fail(item, mine, str(problem), begun)
    except OperationalError:
        raise  # nothing can be written now, this neither; the item is given back when this worker is gone
    except Exception:
        sentence = f"{row.title}: transferring it to {row.performed_by} failed; what was made before is kept."
        _fail(item, mine, sentence, begun)
        raise
    else:
        with transaction.atomic():
            now = mine.values_list("rendition__newest_id", "rendition__accepted_id").first()
            if now is None:
                return
            row.newest_id, row.accepted_id = now
            results.keep(made)
            seconds = time.perf_counter() - begun
            mine.update(state=State.DONE, progress=1, revision=made.revision, seconds=seconds, worker="", claim="")
            end_where_through(item.run_id)


def _fail(item: RunItem, mine: Any, sentence: str, begun: float) -> None:
    with transaction.atomic():
        seconds = time.perf_counter() - begun
        if mine.update(state=State.FAILED, sentence=sentence, seconds=seconds, worker="", claim=""):
            Rendition.objects.filter(pk=item.rendition_id).update(
                work=Work.FAILED, sentence=sentence, changed=timezone.now()
            )
            end_where_through(item.run_id)


def end_where_through(run_id: int) -> None:
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
        for item in begun.filter(worker__in=lost, attempts__gte=ATTEMPTS).select_related(
            "rendition__clip", "rendition__casting__ensemble"
        ):
            name = item.rendition.title
            sentence = f"{name}: the worker ended {ATTEMPTS} times in the middle of it; look at the studio's log."
            _fail(item, RunItem.objects.filter(pk=item.pk), sentence, time.perf_counter())
        rows = begun.filter(worker__in=lost)
        ids = list(rows.values_list("rendition_id", flat=True))
        rows.update(state=State.WAITING, worker="", claim="", progress=0)
        set_work(ids, Work.WAITING, [Work.RUNNING])
    return len(ids)
