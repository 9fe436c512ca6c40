"""What the workers do about runs."""

import logging
import time

from django.db import OperationalError
from django_tasks import task

from studio.renditions import worker
from studio.renditions.models import Run, RunItem

SLICE = 2.0  # seconds after which other tasks get their turn
logger = logging.getLogger(__name__)


@task()
def work_off() -> None:
    """Perform items, one after another, for a slice of time; then queue up again behind what else there is to do."""
    until = time.monotonic() + SLICE
    while item := worker.take_next():
        try:
            worker.process(item)
        except OperationalError:
            raise  # nothing can be written; whoever called for this ends
        except Exception:
            # The item says what happened; whoever runs the studio finds the rest here, and the others go on.
            logger.exception("An item of a run failed.")
        if time.monotonic() > until:
            break
    else:
        return
    if RunItem.objects.filter(state=RunItem.State.WAITING, run__state=Run.State.RUNNING).exists():
        work_off.enqueue()
