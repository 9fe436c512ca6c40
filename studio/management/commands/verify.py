"""Look whether everything in the studio is as it was put in."""

from typing import Any

from django.core.management.base import CommandError

from studio.management.base import StudioCommand
from studio.verification import damages


class Command(StudioCommand):
    help = "Check every content by its hash, and every reference. Nothing is changed; the studio may run."

    def handle(self, *args: Any, **options: Any) -> None:
        found = list(damages())
        for sentence in found:
            self.stderr.write(sentence)
        if found:
            raise CommandError(f"{len(found)} things are not as they were put in.")
        self.stdout.write("Checked: everything is as it was put in.")
