"""Characters: imported rigged figures."""

from functools import lru_cache

from django.db import models

from armuto import formats
from armuto.formats import Document
from armuto.intake import UNITS
from studio.library.models import Original, Skeleton


class Character(models.Model):
    """A skinned figure. nodes: the glTF node of every joint, for the stage. notes: what intake found, one sentence each."""

    name = models.CharField(max_length=255)
    original = models.ForeignKey(Original, models.PROTECT, related_name="characters")
    skeleton = models.ForeignKey(Skeleton, models.PROTECT, related_name="characters")
    nodes = models.JSONField()
    height = models.FloatField()
    facing = models.FloatField(null=True)
    bounds = models.JSONField()
    notes = models.JSONField(default=list)
    revision = models.PositiveIntegerField(default=1)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["created", "id"]

    def document(self) -> Document:
        """The character's file, read again as it was read at intake."""
        frame = self.skeleton.tree["file_frame"]
        unit = next(name for name, metres in UNITS.items() if metres == frame["unit"])
        return _read(self.original_id, unit, frame["up"])


@lru_cache(maxsize=12)
def _read(original_id: int, unit: str, up: str) -> Document:
    """Originals never change, so what was read from one can be kept while people work with it."""
    original = Original.objects.select_related("content").get(pk=original_id)
    return formats.read(bytes(original.content.data), original.name, unit=unit, up=up)
