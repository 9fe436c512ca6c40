"""Fittings with their history, and renditions."""

from django.db import models

from studio.cast.models import Character
from studio.library.models import Clip, Skeleton


class Fitting(models.Model):
    """Everything kept for one library skeleton on one character. state: the step of the history that is in force."""

    skeleton = models.ForeignKey(Skeleton, models.CASCADE, related_name="fittings")
    character = models.ForeignKey(Character, models.CASCADE, related_name="fittings")
    state = models.ForeignKey("FittingState", models.SET_NULL, null=True, related_name="+")
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["created", "id"]
        constraints = [models.UniqueConstraint(fields=["skeleton", "character"], name="one_fitting_per_pairing")]


class FittingState(models.Model):
    """One step of a fitting's history. data: the fitting's JSON form. Its id is the fitting's revision: going back to an
    earlier state makes what was computed from it current again. contacts: what contacts of a clip were set to in this fitting
    so far, by its id, as :attr:`Clip.contacts` has them."""

    fitting = models.ForeignKey(Fitting, models.CASCADE, related_name="states")
    number = models.PositiveIntegerField()
    change = models.CharField(max_length=255, default="")
    data = models.JSONField()
    contacts = models.JSONField(default=dict)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["fitting", "number"], name="one_state_per_number")]


class Rendition(models.Model):
    """One clip performed by one character. The revisions say what it was made from.

    sentence: why it could not be performed, in which case it is wrong, too.
    """

    class State(models.TextChoices):
        WAITING = "waiting"
        WORKING = "working"
        GOOD = "good"
        LOOK = "look"
        WRONG = "wrong"
        STOPPED = "stopped"

    clip = models.ForeignKey(Clip, models.CASCADE, related_name="renditions")
    character = models.ForeignKey(Character, models.CASCADE, related_name="renditions")
    fitting = models.ForeignKey(Fitting, models.CASCADE, related_name="renditions")
    clip_revision = models.PositiveIntegerField(default=0)
    character_revision = models.PositiveIntegerField(default=0)
    limits_revision = models.PositiveIntegerField(default=0)
    fitting_revision = models.PositiveBigIntegerField(default=0)
    state = models.CharField(max_length=16, choices=State, default=State.WAITING)
    progress = models.FloatField(default=0)
    sentence = models.TextField(default="")
    findings = models.JSONField(default=list)
    changed = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["clip__name", "id"]
        constraints = [models.UniqueConstraint(fields=["clip", "character"], name="one_rendition_per_cell")]

    @property
    def out_of_date(self) -> bool:
        made = (self.clip_revision, self.character_revision, self.limits_revision, self.fitting_revision)
        performed = self.state in (self.State.GOOD, self.State.LOOK, self.State.WRONG) and not self.sentence
        return performed and made != (
            self.clip.revision,
            self.character.revision,
            self.character.limits_revision,
            self.fitting.state_id,
        )


class RenditionMotion(models.Model):
    """Motion of a rendition on the character's skeleton, as that of a clip is kept."""

    rendition = models.OneToOneField(Rendition, models.CASCADE, primary_key=True, related_name="motion")
    frames = models.PositiveIntegerField()
    fps = models.FloatField()
    rotations = models.BinaryField()
    moving = models.JSONField(default=list)
    translations = models.BinaryField()
