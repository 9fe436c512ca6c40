"""Fetching from addresses in the worker, one item a task."""

from django_tasks import task

from studio.platform import leases
from studio.sources.models import SourceItem
from studio.sources.services.addresses import fetch
from studio.sources.services.intake import refuse

State = SourceItem.State
SET_ASIDE = f"{leases.ATTEMPTS} workers ended in the middle of it, so it was set aside; look at the log."


@task()
def fetch_item(item_id: int) -> None:
    """Fetch what somebody has asked for. What is queued twice is fetched once."""
    waiting = SourceItem.objects.filter(pk=item_id, state=State.WAITING)
    if not leases.take(waiting, state=State.FETCHING):
        return
    fetch(SourceItem.objects.select_related("source").get(pk=item_id))


def take_up(everything: bool = False) -> None:
    """Let what was being fetched by workers that are gone begin again, and queue all that waits."""
    for item in leases.lost(SourceItem.objects.filter(state=State.FETCHING), everything):
        if item.attempts >= leases.ATTEMPTS:
            refuse(item, f"{item.key}: {SET_ASIDE}")
        else:
            SourceItem.objects.filter(pk=item.pk).update(state=State.WAITING, worker="")
    for pk in SourceItem.objects.filter(state=State.WAITING).values_list("pk", flat=True):
        fetch_item.enqueue(pk)
