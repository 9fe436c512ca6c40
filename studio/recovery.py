"""Taking up again what a worker, or the whole studio, left unfinished when it was killed."""

from django.apps import apps
from django.conf import settings
from django.db import transaction
from django.db.models import Q

from studio.ingest.models import Arrival, IntakeFile
from studio.ingest.tasks import accept_file, read_arrival, read_file
from studio.platform import workers
from studio.renditions import worker
from studio.renditions.models import Run, RunItem
from studio.renditions.services import runs


def of_the_gone() -> int:
    """Tasks and items of runs whose workers are gone go back into the queue. Returns how many items of runs."""
    with transaction.atomic():
        count = worker.take_up()
        if uses_the_database():
            tasks = apps.get_model("django_tasks_database", "DBTaskResult").objects
            for row in tasks.running():
                if row.worker_ids and workers.gone(row.worker_ids[-1]):
                    tasks.filter(pk=row.pk).update(status="READY", started_at=None)
    return count


def everything() -> None:
    """Queue everything anew from what the tables say is unfinished. For when nobody works yet."""
    if uses_the_database():
        apps.get_model("django_tasks_database", "DBTaskResult").objects.all().delete()
    states = Arrival.State
    for row in Arrival.objects.filter(state__in=[states.WAITING, states.READING]):
        Arrival.objects.filter(pk=row.pk).update(state=states.WAITING)
        read_arrival.enqueue(row.pk)
    files = IntakeFile.State
    IntakeFile.objects.filter(state=files.READING).update(state=files.WAITING)
    for pk in IntakeFile.objects.filter(state=files.WAITING).values_list("pk", flat=True):
        read_file.enqueue(pk)
    for pk in IntakeFile.objects.filter(state=files.ACCEPTING).values_list("pk", flat=True):
        accept_file.enqueue(pk)
    worker.take_up(everything=True)
    if RunItem.objects.filter(Q(state=RunItem.State.WAITING), run__state=Run.State.RUNNING).exists():
        runs.wake()


def uses_the_database() -> bool:
    return "django_tasks_db" in settings.TASKS["default"]["BACKEND"]
