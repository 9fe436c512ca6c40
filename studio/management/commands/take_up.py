"""Take up again what workers left unfinished."""

from typing import Any

from studio import recovery
from studio.management.base import StudioCommand


class Command(StudioCommand):
    help = "Queue again what no worker is at any more. Run while no worker runs."

    def handle(self, *args: Any, **options: Any) -> None:
        recovery.everything()
