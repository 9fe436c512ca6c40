"""Characters: imported rigged figures."""

import json
from functools import lru_cache
from typing import Any

from django.db import models

from armuto import formats
from armuto.formats import Document
from armuto.intake.detection import ImportOptions
from armuto.kinematics.skeleton import Skeleton as SkeletonValue
from studio.contents.models import Content
from studio.library.models import Original, Skeleton, skeleton_value
from studio.platform.digests import digest
from studio.platform.optimistic import Versioned


class Character(Versioned):
    """A skinned figure. display_file: the .glb of what came in another format, or with files beside it. nodes: the glTF
    node of every joint, for the stage. notes: what intake found, one sentence each.

    sheet: everything else that was found, as :func:`studio.cast.sheet.facts_of` says it. remarks: the person's own
    words. changed: what the newest version changed, in one sentence. capsules: how thick it is, by bone name
    (:mod:`armuto.body.capsules`). soles, palms: the lowest points of its feet, and half the thickness of its hands, by
    bone name. limits: joint limits that were changed for it, by part; limits_revision: how often. digest: of everything
    a rendition takes from the character.
    """

    name = models.CharField(max_length=255)
    original = models.ForeignKey(Original, models.PROTECT, related_name="characters")
    display_file = models.ForeignKey(Content, models.PROTECT, null=True, related_name="+")
    skeleton = models.ForeignKey(Skeleton, models.PROTECT, related_name="characters")
    nodes = models.JSONField()
    height = models.FloatField()
    facing = models.FloatField(null=True)
    bounds = models.JSONField()
    notes = models.JSONField(default=list)
    sheet = models.JSONField(default=dict)
    tags = models.JSONField(default=list)
    remarks = models.TextField(default="")
    changed = models.TextField(default="")
    capsules = models.JSONField(default=dict)
    soles = models.JSONField(default=dict)
    palms = models.JSONField(default=dict)
    limits = models.JSONField(default=dict)
    limits_revision = models.PositiveIntegerField(default=0)
    retired = models.BooleanField(default=False)
    revision = models.PositiveIntegerField(default=1)
    digest = models.CharField(max_length=64, default="", editable=False)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["created", "id"]

    def __str__(self) -> str:
        return self.name

    def save(self, *args: Any, update_fields: Any = None, **kwargs: Any) -> None:
        # The file counts whole: with another mesh or other weights a figure looks otherwise in the same motion.
        self.digest = digest(self.original_id, self.skeleton_id, self.capsules, self.limits)
        if update_fields is not None:
            update_fields = {*update_fields, "digest"}
        super().save(*args, update_fields=update_fields, **kwargs)

    def figure(self) -> SkeletonValue:
        """Its skeleton with its own soles and palms: others on the same rig may have other feet and hands."""
        row = self.skeleton
        own = row.observed | {"soles": self.soles, "palms": self.palms}
        return skeleton_value(row.identity, json.dumps(own, sort_keys=True))

    def display(self) -> bytes:
        """One self-contained .glb of the figure: its own file, or what was made from it."""
        return (self.display_file or self.original.content).data

    def document(self) -> Document:
        """The figure, read again as it was read at intake."""
        frame = self.skeleton.value().file_frame
        return _read(self.pk, self.revision, self.original.sha256, ImportOptions(frame.unit, frame.up, frame.turned))


@lru_cache(maxsize=12)
def _read(character_id: int, revision: int, content: str, options: ImportOptions) -> Document:
    """A revision of a character never changes, so what was read can be kept while people work with it. content: hash of
    its file, since a number may stand for another character once a studio has been restored."""
    row = Character.objects.select_related("original__content").get(pk=character_id)
    name = f"{row.original.name.rsplit('.', 1)[0]}.glb"
    return formats.read(row.display(), name, options)
