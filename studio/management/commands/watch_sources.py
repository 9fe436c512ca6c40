"""Watch the sources of files by itself, where “serve” does not: one process for each studio."""

import signal
import threading
from typing import Any

from studio.management.base import StudioCommand
from studio.sources.watching import watch


class Command(StudioCommand):
    help = "Look at the watched folders and addresses until told to end."

    def handle(self, *args: Any, **options: Any) -> None:
        ending = threading.Event()
        for number in (signal.SIGINT, signal.SIGTERM):
            signal.signal(number, lambda *_: ending.set())
        self.stdout.write("The sources are watched.")
        self.stdout.flush()
        watch(ending)
