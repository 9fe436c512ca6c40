"""Ensembles: clips of several performers in one space, their props and meetings, and who plays whom."""

from django.db import models

from studio.cast.models import Character
from studio.library.models import Clip
from studio.platform.optimistic import Versioned


class Ensemble(Versioned):
    """Performers and props in one space. data: props, meetings and the range in the core's JSON form
    (:mod:`armuto.ensembles.model`), without performers; meetings are left out while they are as found."""

    name = models.CharField(max_length=120)
    data = models.JSONField(default=dict)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name", "id"]

    def __str__(self) -> str:
        return self.name


class EnsemblePerformer(models.Model):
    """Somebody in an ensemble. shift: frames by which the take is shown later than those of the others."""

    ensemble = models.ForeignKey(Ensemble, models.CASCADE, related_name="performers")
    clip = models.ForeignKey(Clip, models.CASCADE, related_name="ensembles")
    name = models.CharField(max_length=120)
    shift = models.IntegerField(default=0)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["ensemble", "name"], name="performer_once_per_ensemble")]


class PropTrack(models.Model):
    """How a prop was recorded, over the frames of the take: positions and rotations ``(F, 7)`` as little-endian
    float32. digest: of these."""

    ensemble = models.ForeignKey(Ensemble, models.CASCADE, related_name="tracks")
    name = models.CharField(max_length=120)
    fps = models.FloatField()
    motion = models.BinaryField()
    digest = models.CharField(max_length=64)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["ensemble", "name"], name="track_once_per_prop")]


class Casting(Versioned):
    """Who plays whom. data: space, sizes of props, placements and ease in the core's JSON form."""

    ensemble = models.ForeignKey(Ensemble, models.CASCADE, related_name="castings")
    name = models.CharField(max_length=120)
    data = models.JSONField(default=dict)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["ensemble", "name"], name="casting_once_per_name")]

    def __str__(self) -> str:
        return self.name


class Role(models.Model):
    """A performer of a casting, and the character that plays it."""

    casting = models.ForeignKey(Casting, models.CASCADE, related_name="roles")
    performer = models.ForeignKey(EnsemblePerformer, models.CASCADE, related_name="roles")
    character = models.ForeignKey(Character, models.CASCADE, related_name="roles")

    class Meta:
        ordering = ["performer_id"]
        constraints = [models.UniqueConstraint(fields=["casting", "performer"], name="role_once_per_casting")]
