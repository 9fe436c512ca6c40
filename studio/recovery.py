"""Taking up again what a worker, or the whole studio, left unfinished when it was killed."""

import shutil
from pathlib import Path

from django.apps import apps
from django.conf import settings
from django.db import transaction
from django.db.models import Q

from studio.callsheet import tasks as callsheet
from studio.fittings.services import layer_records
from studio.ingest import tasks as ingest
from studio.library import importing
from studio.library import tasks as library
from studio.platform import workers
from studio.renditions import worker
from studio.renditions.models import Run, RunItem
from studio.renditions.services import runs
from studio.sources import tasks as sources
from studio.splices import tasks as splices


def of_the_gone() -> int:
    """What workers were at who are gone goes back into the queue. Returns how many items of runs."""
    with transaction.atomic():
        if uses_the_database():
            # Their tasks end with them; what was in these is queued anew by what the tables say.
            tasks = apps.get_model("django_tasks_database", "DBTaskResult").objects
            for row in tasks.running():
                if row.worker_ids and workers.gone(row.worker_ids[-1]):
                    tasks.filter(pk=row.pk).delete()
        count = worker.take_up()
        ingest.take_up()
        library.take_up()
        splices.take_up()
        sources.take_up()
        importing.sweep()
        _wake()
    return count


def everything() -> None:
    """Queue everything anew from what the tables say is unfinished, and sweep what was left on disk. For when nobody
    works yet."""
    _sweep()
    layer_records.sweep()
    importing.sweep(everything=True)
    if uses_the_database():
        apps.get_model("django_tasks_database", "DBTaskResult").objects.all().delete()
    ingest.take_up(everything=True)
    library.take_up()
    splices.take_up()
    sources.take_up(everything=True)
    callsheet.take_up()
    worker.take_up(everything=True)
    _wake()


def _sweep() -> None:
    """Temporary files of readers and uploads that were killed, and backups that never became one."""
    scratch = Path(settings.FILE_UPLOAD_TEMP_DIR)
    for left in scratch.iterdir() if scratch.is_dir() else ():
        shutil.rmtree(left, ignore_errors=True) if left.is_dir() else left.unlink(missing_ok=True)
    for folder in (settings.DATA, settings.DATA / "backups"):
        for part in folder.glob(".*.part"):
            part.unlink(missing_ok=True)


def _wake() -> None:
    if RunItem.objects.filter(Q(state=RunItem.State.WAITING), run__state=Run.State.RUNNING).exists():
        runs.wake()


def uses_the_database() -> bool:
    return "django_tasks_db" in settings.TASKS["default"]["BACKEND"]
