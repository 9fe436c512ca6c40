"""Copy the studio's one data file while the studio runs."""

import sqlite3
from pathlib import Path
from typing import Any

from django.core.management.base import CommandError
from django.db import connection
from django.utils import timezone

from studio.management.base import StudioCommand


class Command(StudioCommand):
    help = "Write a consistent copy of the data file. Nothing has to be stopped; no file is ever written over."

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument(
            "to", nargs="?", type=Path, help="the copy, or a folder for it (default: backups beside the data)"
        )

    def handle(self, *args: Any, to: Any, **options: Any) -> None:
        if connection.vendor != "sqlite":
            raise CommandError("The data lies on a database server; use its own means, such as pg_dump.")
        source = Path(connection.settings_dict["NAME"])
        name = f"armuto {timezone.localtime():%Y-%m-%d %H.%M.%S}.sqlite3"
        to = to or source.parent / "backups" / name
        if to.is_dir():
            to /= name
        if to.exists():
            raise CommandError(f"{to}: there is a file of this name; name another one.")
        try:
            to.parent.mkdir(parents=True, exist_ok=True)
            connection.ensure_connection()
            part = to.with_name(f".{to.name}.part")
            # SQLite copies page by page and begins anew where somebody wrote meanwhile; what comes of it is one moment.
            with sqlite3.connect(part) as copy:
                connection.connection.backup(copy)
            copy.close()
            part.replace(to)
        except (OSError, sqlite3.Error) as problem:
            raise CommandError(f"{to}: cannot be written ({problem}); choose another place.") from None
        self.stdout.write(f"{to}: {to.stat().st_size / 1e6:.1f} MB.")
