"""A line of log for every request and every task, with an id that a sentence to the person repeats."""

import json
import logging
from collections.abc import Callable
from contextvars import ContextVar
from datetime import UTC, datetime
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.utils.crypto import get_random_string
from django_tasks.signals import task_finished

from studio.platform.timing import header, measured

logger = logging.getLogger("armuto.journal")
LETTERS = "abcdefghjkmnpqrstuvwxyz23456789"  # none that is taken for another when it is read out
current_id: ContextVar[str] = ContextVar("current_id", default="")


class RequestLog:
    """Gives every request an id, and the answer with it; writes one line once it is answered."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        token = current_id.set(get_random_string(8, LETTERS))
        try:
            with measured() as spans:
                response = self.get_response(request)
            response["X-Request-ID"] = current_id.get()
            response["Server-Timing"] = header(spans)
            logger.info(
                "%s %s",
                request.method,
                request.get_full_path(),
                extra={
                    "kind": "request",
                    "id": current_id.get(),
                    "status": response.status_code,
                    "milliseconds": round(1000 * spans["total"], 1),
                    "session": request.headers.get("Armuto-Session", "")[:64],
                },
            )
            return response
        finally:
            current_id.reset(token)


def log_task(sender: Any, task_result: Any, **_: Any) -> None:
    """One line for a task that has ended, however it did."""
    begun, ended = task_result.started_at, task_result.finished_at
    logger.info(
        "%s%s",
        task_result.task.module_path,
        tuple(task_result.args),
        extra={
            "kind": "task",
            "id": str(task_result.id)[:8],
            "status": str(task_result.status).lower(),
            "milliseconds": round(1000 * (ended - begun).total_seconds(), 1) if begun and ended else None,
        },
    )


task_finished.connect(log_task, dispatch_uid="armuto.journal")


FIELDS = ("kind", "id", "status", "milliseconds", "session")


class JsonFormatter(logging.Formatter):
    """A record as one JSON object: when, how grave, which logger, what, and what a request or task adds."""

    def format(self, record: logging.LogRecord) -> str:
        row: dict[str, Any] = {
            "time": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname.lower(),
            "logger": record.name,
            "message": record.getMessage(),
            **{name: getattr(record, name) for name in FIELDS if hasattr(record, name)},
        }
        if (request := current_id.get()) and "id" not in row:
            row["id"] = request
        if record.exc_info:
            row["exception"] = self.formatException(record.exc_info)
        return json.dumps(row, ensure_ascii=False)


class TextFormatter(logging.Formatter):
    """A record as a line to be read, with the id of the request that it belongs to."""

    def format(self, record: logging.LogRecord) -> str:
        moment = datetime.fromtimestamp(record.created).astimezone().isoformat(sep=" ", timespec="milliseconds")
        fields = [getattr(record, name) for name in FIELDS if getattr(record, name, "") not in ("", None)]
        if not fields and current_id.get():
            fields = [current_id.get()]
        line = " ".join(map(str, (moment, record.levelname, *fields, record.getMessage())))
        return f"{line}\n{self.formatException(record.exc_info)}" if record.exc_info else line
