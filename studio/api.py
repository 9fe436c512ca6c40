"""The typed API: one router per subject. Its description is at /api/openapi.json, the front end's types follow from it."""

from django.db.models import Count, Q
from django.http import HttpRequest
from ninja import NinjaAPI, Schema

from armuto import __version__
from armuto.errors import BadInput
from studio.arrivals.api import router as arrivals
from studio.arrivals.models import Arrival
from studio.cast.api import router as cast
from studio.cast.limits_api import router as limits
from studio.cast.models import Character
from studio.fittings.api import router as fittings
from studio.fittings.models import Fitting, Rendition
from studio.fittings.renditions_api import router as renditions
from studio.fittings.settling_api import router as settling
from studio.fittings.stances_api import router as stances
from studio.intake.api import router as intake
from studio.library.api import router as library
from studio.library.models import Clip
from studio.patterns.api import router as patterns

api = NinjaAPI(title="Armuto", version=__version__, docs_url=None, urls_namespace="armuto")
api.add_router("library/", library)
api.add_router("cast/", cast)
api.add_router("cast/", limits)
api.add_router("arrivals/", arrivals)
api.add_router("intake/", intake)
api.add_router("fittings/", fittings)
api.add_router("", stances)
api.add_router("", settling)
api.add_router("renditions/", renditions)
api.add_router("patterns/", patterns)


@api.exception_handler(BadInput)
def refused(request: HttpRequest, problem: BadInput):
    return api.create_response(request, {"detail": str(problem)}, status=422)


class Counts(Schema):
    """Live counts for the top bar, and what is running."""

    clips: int
    characters: int
    fittings: int
    renditions: int
    finished: int
    running: int
    done: float


@api.get("counts", response=Counts, operation_id="counts")
def counts(request: HttpRequest):
    states = Rendition.State
    running = Q(state__in=[states.WAITING, states.WORKING])
    rows = Rendition.objects.aggregate(
        renditions=Count("id"),
        running=Count("id", filter=running),
        finished=Count("id", filter=Q(state__in=[states.GOOD, states.LOOK, states.WRONG], sentence="")),
    )
    shares = Rendition.objects.filter(running).values_list("progress", flat=True)
    arriving = Arrival.objects.filter(state__in=[Arrival.State.WAITING, Arrival.State.READING]).count()
    return {
        **rows,
        "running": rows["running"] + arriving,
        "done": sum(shares),
        "clips": Clip.objects.filter(retired=False).count(),
        "characters": Character.objects.count(),
        "fittings": Fitting.objects.count(),
    }
