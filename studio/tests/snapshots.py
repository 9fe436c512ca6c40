"""Data that many tests begin with, made once and copied from then on."""

import sqlite3
from collections.abc import Callable
from pathlib import Path
from typing import Any

from django.db import connection

from studio.ingest.services.reading import take_in

_snapshots: dict[Any, sqlite3.Connection] = {}


def restore_or_make(prepare: Callable[[], None], *told_apart_by: Any) -> None:
    """Fill the empty data file of a test as a method of its class prepares it. The first test with that method does;
    the others get a copy of what it left, rows, numbers and all.

    For tests that commit, as those that ask a live server or a worker: the file is copied, whoever else reads it.
    told_apart_by: what else the method depends on.
    """
    key = prepare.__module__, prepare.__qualname__, told_apart_by
    if key in _snapshots:
        connection.ensure_connection()
        _snapshots[key].backup(connection.connection)
        return
    prepare()
    snapshot = sqlite3.connect(":memory:", check_same_thread=False)
    connection.connection.backup(snapshot)
    _snapshots[key] = snapshot


def take_in_once(*paths: Path) -> None:
    """Files into the empty studio of a test, which are read for the first test that begins with them."""

    def prepare() -> None:
        for path in paths:
            take_in(path.read_bytes(), path.name)

    restore_or_make(prepare, paths)
