"""What a worker holds while it is at it, and gives back when it is gone.

A row in progress names its worker. A worker lives as long as it holds the lock of its name
(:mod:`studio.platform.workers`), so a lease ends with whoever held it, however that came. Rows that have been begun
too often without an end are set aside: whatever is in them ends the workers.
"""

from typing import Any

from django.db import models
from django.db.models import F, QuerySet

from studio.platform import workers

ATTEMPTS = 3


class Leased(models.Model):
    """worker: who is at it, or nothing. attempts: how often it was begun since somebody last decided about it."""

    worker = models.CharField(max_length=64, default="", editable=False)
    attempts = models.PositiveIntegerField(default=0, editable=False)

    class Meta:
        abstract = True


RELEASED = {"worker": "", "attempts": 0}


def take(rows: QuerySet[Any], **changes: Any) -> bool:
    """Begin on the rows, for this worker, with other changes. Returns whether there are any."""
    return bool(rows.update(worker=workers.name, attempts=F("attempts") + 1, **changes))


def lost(rows: QuerySet[Any], everything: bool = False) -> QuerySet[Any]:
    """Those of the rows whose worker is gone, or all that have one where nobody works."""
    if everything:
        return rows
    names = set(rows.exclude(worker="").values_list("worker", flat=True))
    return rows.filter(worker__in=[name for name in names if workers.gone(name)])
