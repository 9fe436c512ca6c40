"""The call sheet: motions that a production wants, before there are clips; and what clips are found by."""

from django.db import models

from armuto.call_sheet import LONGEST, WantedRow
from studio.cast.models import Character
from studio.library.models import Clip
from studio.platform.optimistic import Versioned


class WantedMotion(Versioned):
    """A motion that is wanted. awaited: names of characters who are not in the cast yet. variants: how many different
    clips. clips: those chosen for it."""

    motion = models.CharField(max_length=LONGEST)
    characters = models.ManyToManyField(Character, related_name="wanted_motions")
    awaited = models.JSONField(default=list)
    mood = models.CharField(max_length=LONGEST, default="", blank=True)
    prop = models.CharField(max_length=LONGEST, default="", blank=True)
    variants = models.PositiveSmallIntegerField(default=1)
    due = models.DateField(null=True, default=None)
    note = models.TextField(default="", blank=True)
    clips = models.ManyToManyField(Clip, related_name="wanted_motions")
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return self.motion

    def value(self) -> WantedRow:
        """The row as it stands in a table."""
        names = (*(character.name for character in self.characters.all()), *self.awaited)
        return WantedRow(self.motion, names, self.mood, self.prop, self.variants, self.due, self.note)


class ClipFeatures(models.Model):
    """What a clip's motion does (:mod:`armuto.retrieval.features`), by name: degree and sentence. motion: digest of the
    motion and the parts that it was measured of."""

    clip = models.OneToOneField(Clip, models.CASCADE, primary_key=True, related_name="features")
    motion = models.CharField(max_length=64)
    measured = models.JSONField(default=dict)
