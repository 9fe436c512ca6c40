"""Splices made anew by the worker, when clips have changed that they are made of."""

from django_tasks import task

from studio.splices import services
from studio.splices.models import Splice


@task()
def renew_splice(splice_id: int) -> None:
    """Make a splice of what its clips are now."""
    row = Splice.objects.select_related("clip__skeleton").filter(pk=splice_id).first()
    if row is not None and (row.problem or services.outdated(row)):
        services.renew(row)


def take_up() -> None:
    """Make anew what was to be made when the work ended. What is queued twice is done once."""
    for row in Splice.objects.prefetch_related("parts__clip"):
        if not row.problem and services.outdated(row):
            renew_splice.enqueue(row.pk)
