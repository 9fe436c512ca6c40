"""What of the call sheet is worked out while nobody waits for the answer of a request."""

from django_tasks import task

from studio.callsheet import features


@task()
def measure_features() -> None:
    """Measure the motion of some clips, and go on in a task of its own while there are more: others' work comes in
    between, and pages hear of what there is."""
    if features.measure(features.PORTION) == features.PORTION:
        measure_features.enqueue()


def take_up() -> None:
    """Measure what came while nobody worked, or was being measured when the work ended."""
    if next(features.unmeasured(), None) is not None:
        measure_features.enqueue()
