"""Fittings with their history."""

from django.db import models

from studio.cast.models import Character
from studio.library.models import Skeleton


class Fitting(models.Model):
    """Everything kept for one library skeleton on one character. state: the step of the history that is in force."""

    skeleton = models.ForeignKey(Skeleton, models.CASCADE, related_name="fittings")
    character = models.ForeignKey(Character, models.CASCADE, related_name="fittings")
    state = models.ForeignKey("FittingState", models.SET_NULL, null=True, related_name="+")
    created = models.DateTimeField(auto_now_add=True)

    # Who changes it in this request, the state that the change was made on, and whether it is only tried; none is kept.
    author: str = ""
    base: "FittingState | None" = None
    rehearsal: bool = False

    class Meta:
        ordering = ["created", "id"]
        constraints = [models.UniqueConstraint(fields=["skeleton", "character"], name="one_fitting_per_pairing")]


class FittingState(models.Model):
    """One step of a fitting's history. data: the fitting's JSON form. digest: of what of it a rendition depends on, so
    that going back to an earlier state makes what was computed from it current again. contacts: what contacts of a clip
    were set to in this fitting so far, by its id, as :attr:`Clip.contacts` has them. author: the session that made the
    step, empty where none was told. undoes: the number of an earlier step that this one takes back."""

    fitting = models.ForeignKey(Fitting, models.CASCADE, related_name="states")
    number = models.PositiveIntegerField()
    change = models.CharField(max_length=255, default="")
    data = models.JSONField()
    digest = models.CharField(max_length=64)
    contacts = models.JSONField(default=dict)
    author = models.CharField(max_length=64, default="")
    undoes = models.PositiveIntegerField(null=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["fitting", "number"], name="one_state_per_number")]


class LayerRecord(models.Model):
    """A layer of touch-ups in its JSON form, once for all states of fittings that have it. digest: of the form."""

    digest = models.CharField(max_length=64, primary_key=True)
    data = models.JSONField()
