"""What the studio's commands have in common."""

from django.core.management.base import BaseCommand


class StudioCommand(BaseCommand):
    """A command that begins at once: Django's checks of the program would first load every view. They are made by the
    tests, before a program goes out."""

    requires_system_checks = ()
