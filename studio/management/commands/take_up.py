"""Take up again what workers left unfinished."""

from typing import Any

from django.core.management.base import BaseCommand

from studio import recovery


class Command(BaseCommand):
    help = "Queue again what no worker is at any more. Run while no worker runs."

    def handle(self, *args: Any, **options: Any) -> None:
        recovery.everything()
