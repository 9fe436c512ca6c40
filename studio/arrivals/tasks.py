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

    def reached(done: int, total: int) -> bool:
        """Record how far it is; False once the arrival has been taken back."""
        return bool(Arrival.objects.filter(pk=arrival_id).update(done=done, total=total))

    try:
        found = take_in(bytes(arrival.content.data), arrival.name, arrival.goes_to, reached)
        outcome = {"state": Arrival.State.ACCEPTED, "clips": found.clips, "characters": found.characters}
        outcome["refused"] = found.refused
    except BadInput as problem:
        outcome = {"state": Arrival.State.REFUSED, "sentence": str(problem)}
    except Exception:
        outcome = {"state": Arrival.State.REFUSED, "sentence": f"{arrival.name}: reading it failed; nothing was kept."}
        raise
    finally:
        ArrivalContent.objects.filter(arrival_id=arrival_id).delete()
        Arrival.objects.filter(pk=arrival_id).update(**outcome)
