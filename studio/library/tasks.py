"""What of the library is worked out while nobody waits for the answer of a request."""

from django_tasks import task

from studio.library import refining
from studio.library.models import Analysis


@task()
def measure_clip(clip_id: int) -> None:
    """Measure a long clip."""
    refining.measure(clip_id)


def take_up() -> None:
    """Measure what was being measured when the work ended. What is queued twice is done once more."""
    for pk in Analysis.objects.filter(result__isnull=True).values_list("pk", flat=True):
        measure_clip.enqueue(pk)
