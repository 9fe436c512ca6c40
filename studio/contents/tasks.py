from django.conf import settings
from django_tasks import task

from studio.contents import services


@task(priority=settings.LOW_PRIORITY)
def sweep() -> None:
    """Take away contents that nothing has referred to for a while."""
    services.sweep()
