"""Reading large files in the worker."""

from django_tasks import task

from armuto.errors import BadInput
from studio.arrivals.models import Arrival, ArrivalContent
from studio.arrivals.reading import take_in


@task()
def read_arrival(arrival_id: int) -> None:
    """Read one arrival. Whatever happens, its bytes are dropped and the row says what became of it."""
    arrival = Arrival.objects.filter(pk=arrival_id, state=Arrival.State.WAITING).select_related("content").first()
    if arrival is None:
        return  # taken back before its turn came
    Arrival.objects.filter(pk=arrival_id).update(state=Arrival.State.READING)
    outcome: dict[str, object]
    try:
        clips, characters = take_in(bytes(arrival.content.data), arrival.name, arrival.goes_to)
        outcome = {"state": Arrival.State.ACCEPTED, "clips": clips, "characters": characters}
    except BadInput as problem:
        outcome = {"state": Arrival.State.REFUSED, "sentence": str(problem)}
    except Exception:
        outcome = {"state": Arrival.State.REFUSED, "sentence": f"{arrival.name}: reading it failed; nothing was kept."}
        raise
    finally:
        ArrivalContent.objects.filter(arrival_id=arrival_id).delete()
        Arrival.objects.filter(pk=arrival_id).update(**outcome)
