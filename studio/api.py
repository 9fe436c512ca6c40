"""The typed API: one router per subject. Its description is at /api/openapi.json and can be read and tried at
/api/docs; the front end's types follow from it."""

import logging
import re
import shutil
from typing import Any, Literal

from django.conf import settings
from django.core.exceptions import (
    ObjectDoesNotExist,
    RequestDataTooBig,
    SuspiciousOperation,
    TooManyFieldsSent,
    TooManyFilesSent,
)
from django.db import OperationalError, transaction
from django.db.models import Count, Q
from django.http import HttpRequest
from django.http.multipartparser import MultiPartParserError
from ninja import Schema, Status
from ninja.errors import ValidationError

from armuto import __version__
from armuto.errors import BadInput
from armuto.text import shown
from studio.callsheet.api import router as callsheet
from studio.callsheet.models import WantedMotion
from studio.cast.api.characters import router as cast
from studio.cast.api.limits import router as limits
from studio.cast.models import Character
from studio.changes.api import router as changes
from studio.delivery.api import router as deliveries
from studio.ensembles.api import router as ensembles
from studio.fittings.api.fittings import router as fittings
from studio.fittings.api.patterns import router as patterns
from studio.fittings.api.settings import router as settling
from studio.fittings.api.stances import router as stances
from studio.fittings.api.touchups import router as touchups
from studio.fittings.models import Fitting
from studio.ingest.api.arrivals import router as arrivals
from studio.ingest.api.intake import router as intake
from studio.ingest.models import Arrival
from studio.library.api import router as library
from studio.library.models import Clip
from studio.platform import workers
from studio.platform.described import DescribedAPI, DocsWithToken
from studio.platform.journal import current_id
from studio.platform.optimistic import Conflict
from studio.platform.uploads import TooLarge
from studio.renditions.api.board import router as board
from studio.renditions.api.renditions import router as renditions
from studio.renditions.api.runs import router as runs
from studio.renditions.models import Rendition, Run, RunItem
from studio.renditions.queries import counted
from studio.renditions.schemas import RunOut
from studio.rigs.api import router as rigs
from studio.sources.api import router as sources
from studio.splices.api import router as splices

LEAST_ROOM = 100 * 1024 * 1024  # bytes
LOCKED = re.compile(r"\b(locked|lock timeout|deadlock)\b")  # in the words of SQLite and PostgreSQL
logger = logging.getLogger("django.request")
api = DescribedAPI(title="Armuto", version=__version__, docs=DocsWithToken(), docs_url="docs", urls_namespace="armuto")
api.add_router("library/", library)
api.add_router("splices/", splices)
api.add_router("rigs/", rigs)
api.add_router("ensembles/", ensembles)
api.add_router("cast/", cast)
api.add_router("cast/", limits)
api.add_router("arrivals/", arrivals)
api.add_router("intake/", intake)
api.add_router("sources/", sources)
api.add_router("fittings/", fittings)
api.add_router("fittings/", touchups)
api.add_router("", stances)
api.add_router("", settling)
api.add_router("renditions/", renditions)
api.add_router("board/", board)
api.add_router("runs/", runs)
api.add_router("deliveries/", deliveries)
api.add_router("callsheet/", callsheet)
api.add_router("patterns/", patterns)
api.add_router("changes", changes)


@api.exception_handler(Conflict)
def conflicting(request: HttpRequest, problem: Conflict) -> Any:
    return api.create_response(request, {"detail": str(problem)}, status=409)


@api.exception_handler(BadInput)
def refused(request: HttpRequest, problem: BadInput) -> Any:
    return api.create_response(request, {"detail": str(problem)}, status=422)


@api.exception_handler(ValidationError)
def invalid(request: HttpRequest, problem: ValidationError) -> Any:
    """What the schema refuses: the first thing that is wrong, by its place in the request."""
    error = problem.errors[0]
    # The first step says where in the request it was, and the second what the parameter is called in the code.
    where = error["loc"][2 if error["loc"][:1] == ("body",) else 1 :]
    place = ", ".join(shown(step) for step in where)
    wrong = str(error["msg"]).removeprefix("Value error, ").rstrip(".")
    sentence = f"{place}: {wrong[:1].lower()}{wrong[1:]}" if place else f"The request cannot be read: {wrong}"
    return api.create_response(request, {"detail": f"{sentence}."}, status=422)


@api.exception_handler(TooLarge)
def too_large_file(request: HttpRequest, problem: TooLarge) -> Any:
    return api.create_response(request, {"detail": str(problem)}, status=413)


@api.exception_handler(SuspiciousOperation)
@api.exception_handler(MultiPartParserError)
def malformed(request: HttpRequest, problem: Exception) -> Any:
    """What Django itself refuses while it reads a request: broken forms, too many fields, too much at once."""
    large = isinstance(problem, (RequestDataTooBig, TooManyFieldsSent, TooManyFilesSent))
    sentence = (
        "This is more than the studio takes at once; send less at once." if large else "The request is not well formed."
    )
    return api.create_response(request, {"detail": sentence}, status=413 if large else 400)


@api.exception_handler(OperationalError)
def unavailable(request: HttpRequest, problem: OperationalError) -> Any:
    """The database cannot be read or written at this moment; whoever asks again later is served."""
    logger.warning("The database refused: %s %s (%s)", request.method, request.path, problem)
    full = "full" in str(problem)
    if full:
        sentence = "The studio's disk is full, so nothing was changed; make room, and it goes on by itself."
    elif LOCKED.search(str(problem)):
        sentence = "The studio could not save this, since it was saving something else for long; try again."
    else:
        sentence = (
            f"The studio's database does not answer ({shown(problem)}), so nothing was changed; see that it is there "
            "and can be written, then try again."
        )
    return api.create_response(request, {"detail": sentence}, status=507 if full else 503)


@api.exception_handler(ObjectDoesNotExist)
def gone(request: HttpRequest, problem: ObjectDoesNotExist) -> Any:
    """Somebody has removed it while this was worked out."""
    logger.warning("Gone: %s %s (%s)", request.method, request.path, problem)
    sentence = "Something that this is about has been removed meanwhile; look at it again."
    return api.create_response(request, {"detail": sentence}, status=404)


@api.exception_handler(OverflowError)
def too_large(request: HttpRequest, problem: OverflowError) -> Any:
    return api.create_response(request, {"detail": "A number in this is larger than any there is here."}, status=422)


@api.exception_handler(UnicodeEncodeError)
def no_text(request: HttpRequest, problem: UnicodeEncodeError) -> Any:
    return api.create_response(request, {"detail": "A text in this holds half a character; type it again."}, status=422)


@api.exception_handler(Exception)
def failed(request: HttpRequest, problem: Exception) -> Any:
    """What nobody foresaw: told in the log whole, and to whoever asked in a sentence."""
    logger.error("Failed: %s %s", request.method, request.path, exc_info=problem)
    sentence = (
        "The studio failed at this, and nothing was changed. Its log says more at request "
        f"{current_id.get()}; restarting it may help."
    )
    return api.create_response(request, {"detail": sentence}, status=500)


class Health(Schema):
    """Whether the studio works: it can read and write its data, there is room on the disk, and somebody works off what
    is queued. version: of the program. workers: that live on this machine. free: bytes on the disk of the data."""

    status: Literal["ok", "failing"]
    sentence: str
    version: str
    workers: int
    free: int


@api.get("health", tags=["studio"], response={200: Health, 503: Health}, operation_id="health")
def health(request: HttpRequest) -> Status[Any]:
    """Whether all is well, for whoever watches over machines; 503 with a sentence where it is not."""
    free, living = shutil.disk_usage(settings.DATA).free, sum(name != workers.name for name in workers.enlisted())
    sentence = "The disk is nearly full." if free < LEAST_ROOM else ""
    try:
        with transaction.atomic():
            waiting = RunItem.objects.filter(state=RunItem.State.WAITING, run__state=Run.State.RUNNING).exists()
        if waiting and not living and not sentence:
            sentence = "Nobody works off what is queued."
    except OperationalError as problem:
        sentence = f"The database does not answer: {problem}."
    status: Literal["ok", "failing"] = "failing" if sentence else "ok"
    row = {"status": status, "sentence": sentence, "version": __version__, "workers": living, "free": free}
    return Status(503 if sentence else 200, row)


class Counts(Schema):
    """Live counts for the top bar, and what is running. wanted: motions on the call sheet. renditions: results there
    are; accepted: those of them that were. finished: the newest run that has come to its end, by which a page notices
    one that ended."""

    wanted: int
    clips: int
    characters: int
    fittings: int
    renditions: int
    accepted: int
    arriving: int
    runs: list[RunOut]
    finished: RunOut | None


@api.get("counts", tags=["studio"], response=Counts, operation_id="counts")
def counts(request: HttpRequest) -> dict[str, Any]:
    """How many clips, characters, fittings, results and deliveries there are, and what is running."""
    rows = Rendition.objects.filter(retired=False).aggregate(
        renditions=Count("id", filter=~Q(newest=None)), accepted=Count("id", filter=~Q(accepted=None))
    )
    arriving = Arrival.objects.filter(state__in=[Arrival.State.WAITING, Arrival.State.READING]).count()
    last = Run.objects.filter(state=Run.State.FINISHED).order_by("-finished").first()
    return {
        **rows,
        "arriving": arriving,
        "runs": counted(Run.objects.filter(state=Run.State.RUNNING)),
        "finished": counted([last])[0] if last else None,
        "wanted": WantedMotion.objects.count(),
        "clips": Clip.objects.filter(retired=False).count(),
        "characters": Character.objects.filter(retired=False).count(),
        "fittings": Fitting.objects.count(),
    }
