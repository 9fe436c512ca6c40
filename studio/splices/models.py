"""Splices: clips that are made of others."""

from django.db import models

from armuto.splicing import model as core
from studio.library.models import Clip
from studio.platform.optimistic import Versioned


class Splice(Versioned):
    """What a clip is spliced of. data: spans and joins in the core's JSON form, with the clips' numbers for names.
    made_from: the digests of these clips when it was made last, by number. problem: why it could not be made since."""

    clip = models.OneToOneField(Clip, models.CASCADE, related_name="splice")
    data = models.JSONField()
    made_from = models.JSONField(default=dict)
    problem = models.CharField(max_length=500, default="")
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return self.clip.name

    def value(self) -> core.Splice:
        return core.from_json({**self.data, "name": self.clip.name[: core.LONGEST_NAME]})


class SplicedClip(models.Model):
    """A clip that a splice is made of."""

    splice = models.ForeignKey(Splice, models.CASCADE, related_name="parts")
    clip = models.ForeignKey(Clip, models.CASCADE, related_name="spliced_in")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["splice", "clip"], name="part_once_per_splice")]
