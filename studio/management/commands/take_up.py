"""Take up again what a worker left unfinished."""

from django.core.management.base import BaseCommand
from django_tasks_db.models import DBTaskResult

from studio.arrivals.models import Arrival
from studio.arrivals.tasks import read_arrival
from studio.fittings.models import Rendition
from studio.fittings.tasks import make_rendition
from studio.intake.models import IntakeFile
from studio.intake.tasks import accept_file, read_file


class Command(BaseCommand):
    help = "Queue again the arrivals and renditions that no worker is at any more. Run while no worker runs."

    def handle(self, *args, **options):
        DBTaskResult.objects.all().delete()
        for row in Arrival.objects.filter(state__in=[Arrival.State.WAITING, Arrival.State.READING]):
            Arrival.objects.filter(pk=row.pk).update(state=Arrival.State.WAITING)
            read_arrival.enqueue(row.pk)
        states = IntakeFile.State
        IntakeFile.objects.filter(state=states.READING).update(state=states.WAITING)
        for pk in IntakeFile.objects.filter(state=states.WAITING).values_list("pk", flat=True):
            read_file.enqueue(pk)
        for pk in IntakeFile.objects.filter(state=states.ACCEPTING).values_list("pk", flat=True):
            accept_file.enqueue(pk)
        for row in Rendition.objects.filter(state__in=[Rendition.State.WAITING, Rendition.State.WORKING]):
            Rendition.objects.filter(pk=row.pk).update(state=Rendition.State.WAITING, progress=0)
            make_rendition.enqueue(row.pk)
