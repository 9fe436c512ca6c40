"""Stances of skeletons, kept for every fitting to come."""

from django.db import models

from studio.library.models import Skeleton
from studio.platform.optimistic import Versioned


class Stance(Versioned):
    """A stance that belongs to a skeleton. data: its JSON form. origin: where it was made, in words.

    last: not a stance with a name of its own, but the one that was set last in any fitting; new fittings begin with it.
    There is at most one of these per skeleton, and it goes with every change.
    """

    skeleton = models.ForeignKey(Skeleton, models.CASCADE, related_name="stances")
    name = models.CharField(max_length=120)
    data = models.JSONField()
    origin = models.CharField(max_length=255, default="")
    last = models.BooleanField(default=False)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["last", "name", "id"]
        constraints = [models.UniqueConstraint(fields=["skeleton", "name", "last"], name="one_stance_per_name")]

    def __str__(self) -> str:
        return self.name
