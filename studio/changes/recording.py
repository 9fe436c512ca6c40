"""Noticing what a request or a task writes, whichever way it does, and noting it for the pages that show the same."""

import logging
import re
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager
from typing import Any

from django.db import DatabaseError, connection
from django.http import HttpRequest, HttpResponse
from django_tasks.signals import task_finished, task_started

from studio.changes.models import Change
from studio.platform.guard import SAFE

logger = logging.getLogger(__name__)
SUBJECTS = (
    "library",
    "splices",
    "rigs",
    "cast",
    "ingest",
    "sources",
    "fittings",
    "ensembles",
    "stances",
    "renditions",
    "delivery",
    "callsheet",
    "patterns",
)
#: The app whose table a statement of Django's writes.
WRITES = re.compile(rf'(?:INSERT(?: OR \w+)? INTO|UPDATE|DELETE FROM) "({"|".join(SUBJECTS)})_')
REMEMBERED = 500  # changes


@contextmanager
def recorded(path: str = "", page: str = "") -> Iterator[set[str]]:
    """Note what the block writes, once it is through; yields the subjects, which may be emptied to note nothing."""
    subjects: set[str] = set()

    def spy(execute: Any, sql: str, params: Any, many: bool, context: Any) -> Any:
        written = WRITES.match(sql)
        if written:
            subjects.add(written[1])
        return execute(sql, params, many, context)

    with connection.execute_wrapper(spy):
        yield subjects
    if subjects:
        try:
            row = Change.objects.create(subjects=sorted(subjects), path=path[:255], page=page[:64])
            Change.objects.filter(pk__lte=row.pk - REMEMBERED).delete()
        except DatabaseError as problem:
            # What was asked for is done; that others see it later is no reason to say otherwise.
            logger.warning("Not told to other pages: %s (%s)", path, problem)


class RecordChanges:
    """Notes what every request has written that was answered with success."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if request.method in SAFE:
            return self.get_response(request)
        with recorded(request.path, request.headers.get("Armuto-Page", "")) as subjects:
            response = self.get_response(request)
            if response.status_code >= 400:
                subjects.clear()
        return response


_tasks: dict[str, AbstractContextManager[Any]] = {}


def begin_task(sender: Any, task_result: Any, **_: Any) -> None:
    _tasks[str(task_result.id)] = context = recorded()
    context.__enter__()


def end_task(sender: Any, task_result: Any, **_: Any) -> None:
    context = _tasks.pop(str(task_result.id), None)
    if context:
        context.__exit__(None, None, None)


def forget_tasks() -> None:
    """Stop listening to tasks that never ended: their row went while a worker was at them."""
    while _tasks:
        _, context = _tasks.popitem()
        context.__exit__(None, None, None)


task_started.connect(begin_task, dispatch_uid="armuto.changes")
task_finished.connect(end_task, dispatch_uid="armuto.changes")
