"""Which states of the data file this program can take into use: its own and earlier ones, never a later one's."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable
from pathlib import Path

from django.db import connection
from django.db.migrations.loader import MigrationLoader


def later_migrations(applied: Iterable[tuple[str, str]]) -> list[str]:
    """Of the migrations of a data file, those that this program does not have: most likely a later one made them."""
    loader = MigrationLoader(None)
    replaced = {key for migration in loader.disk_migrations.values() for key in migration.replaces}
    known = set(loader.disk_migrations) | replaced
    return [f"{app}.{name}" for app, name in applied if (app, name) not in known and app in loader.migrated_apps]


def applied_in(file: Path) -> list[tuple[str, str]]:
    """The migrations of a data file that is not in use."""
    with sqlite3.connect(f"file:{file}?mode=ro", uri=True) as held:
        rows = held.execute("SELECT app, name FROM django_migrations").fetchall()
    held.close()
    return rows


def applied_here() -> list[tuple[str, str]]:
    """The migrations of the data in use."""
    return list(MigrationLoader(connection).applied_migrations)
