"""Deliveries: what was handed on, from what, and how it came out."""

from django.db import models
from django.db.models.functions import Lower

from studio.cast.models import Character
from studio.ensembles.models import Casting, EnsemblePerformer
from studio.library.models import Clip


class Delivery(models.Model):
    """One handing on. wanted: as :func:`armuto.export.settings.settings_from_json` reads it. rule: the naming rule.
    again: the delivery that this one repeats. fetched: when its archive had gone out whole; bytes: of its files."""

    name = models.CharField(max_length=120)
    wanted = models.JSONField()
    rule = models.JSONField()
    again = models.ForeignKey("self", models.SET_NULL, null=True, related_name="repeated")
    created = models.DateTimeField(auto_now_add=True)
    fetched = models.DateTimeField(null=True)
    bytes = models.PositiveBigIntegerField(default=0)

    class Meta:
        ordering = ["-id"]


class DeliveryProfile(models.Model):
    """How things go out to a receiver, by its name. wanted, rule: as a :class:`Delivery` has them."""

    name = models.CharField(max_length=100)
    wanted = models.JSONField()
    rule = models.JSONField()

    class Meta:
        ordering = [Lower("name")]
        constraints = [models.UniqueConstraint(Lower("name"), name="delivery_profile_name")]

    def __str__(self) -> str:
        return self.name


class DeliveryItem(models.Model):
    """One result in a delivery, or somebody's part in that of a casting. revision: the id of the result that goes out;
    it may have been replaced since. row: what the manifest says of it, once its file was made."""

    delivery = models.ForeignKey(Delivery, models.CASCADE, related_name="items")
    position = models.PositiveIntegerField()
    clip = models.ForeignKey(Clip, models.CASCADE, related_name="+")
    character = models.ForeignKey(Character, models.CASCADE, related_name="+")
    casting = models.ForeignKey(Casting, models.CASCADE, related_name="+", null=True)
    performer = models.ForeignKey(EnsemblePerformer, models.CASCADE, related_name="+", null=True)
    revision = models.PositiveBigIntegerField()
    file = models.CharField(max_length=255)
    row = models.JSONField(null=True)

    class Meta:
        ordering = ["position"]
