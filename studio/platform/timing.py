"""What a request spends its time on, told to the browser and to benchmarks (W3C, Server Timing)."""

import time
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Any

from django.db import connection

_spans: ContextVar[dict[str, float] | None] = ContextVar("spans", default=None)


@contextmanager
def span(name: str) -> Iterator[None]:
    """Count the time of the block under a name; nothing outside of a request."""
    spans = _spans.get()
    begun = time.perf_counter()
    try:
        yield
    finally:
        if spans is not None:
            spans[name] = spans.get(name, 0.0) + time.perf_counter() - begun


@contextmanager
def measured() -> Iterator[dict[str, float]]:
    """Seconds by name of what the block does: of the database, of the spans within it, and of all."""
    spans: dict[str, float] = {}
    token, begun = _spans.set(spans), time.perf_counter()

    def timed(execute: Any, sql: str, params: Any, many: bool, context: Any) -> Any:
        with span("database"):
            return execute(sql, params, many, context)

    try:
        with connection.execute_wrapper(timed):
            yield spans
    finally:
        spans["total"] = time.perf_counter() - begun
        _spans.reset(token)


def header(spans: dict[str, float]) -> str:
    """As a ``Server-Timing`` header, in milliseconds."""
    return ", ".join(f"{name};dur={1000 * seconds:.1f}" for name, seconds in spans.items())
