"""A worker, known by a name of its own, that ends with whoever started it."""

import os
from typing import Any

from django.db import DatabaseError, OperationalError, close_old_connections
from django_tasks_db.management.commands import db_worker

from studio.platform import workers

NICE = 5  # people at the server come first


class Worker(db_worker.Worker):
    def run_task(self, db_task_result: Any) -> None:
        try:
            super().run_task(db_task_result)
        except DatabaseError:
            # Its row went while it was at it: everything was queued anew, or the studio was emptied. There is more to
            # do.
            close_old_connections()

    def run(self) -> None:
        while True:
            try:
                return super().run()
            except OperationalError:
                # The database was locked for longer than its timeout; nothing was claimed, so try again.
                close_old_connections()


class Command(db_worker.Command):
    help = "Work off what is queued, until told to end."

    def add_arguments(self, parser: Any) -> None:
        super().add_arguments(parser)
        parser.add_argument(
            "--with-parent", type=int, metavar="PID", help="end soon after this process, which started it"
        )
        parser.set_defaults(interval=0.2, startup_delay=False, reload=False)

    def handle(self, *, with_parent: Any = None, **options: Any) -> None:
        if with_parent:
            workers.end_with(with_parent)
        os.nice(NICE)
        options["worker_id"] = workers.enlist()
        db_worker.Worker = Worker  # type: ignore[misc]
        self.stdout.write(f"{workers.name} works.")
        self.stdout.flush()
        super().handle(**options)
