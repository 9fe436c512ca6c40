"""Renditions with their revisions, and the runs that make them."""

from django.db import models

from studio.cast.models import Character
from studio.ensembles.models import Casting, EnsemblePerformer
from studio.fittings.models import Fitting
from studio.library.models import Clip


class Grade(models.TextChoices):
    GOOD = "good"
    LOOK = "look"
    WRONG = "wrong"


class Rendition(models.Model):
    """One clip performed by one character, or one casting of an ensemble: a cell of the board.

    casting: whose result it is; then it is of no clip, character and fitting by itself.
    work: what a run is doing about it. sentence: why the last attempt failed; what was made before it is kept. newest:
    the revision made last. accepted: the one that was accepted, which stays beside newer ones until one of them is
    accepted in its place. note: what it was sent back with. retired: out of the board's sight, with a way back.
    exceptions_digest: of what its fitting says otherwise for it alone, empty where that is nothing; touchups_digest: of
    its layers likewise; parts_digest: of the fittings that parts of a spliced clip are performed through.
    """

    class Work(models.TextChoices):
        NOTHING = ""
        WAITING = "waiting"
        RUNNING = "running"
        FAILED = "failed"

    clip = models.ForeignKey(Clip, models.CASCADE, related_name="renditions", null=True)
    character = models.ForeignKey(Character, models.CASCADE, related_name="renditions", null=True)
    fitting = models.ForeignKey(Fitting, models.CASCADE, related_name="renditions", null=True)
    casting = models.OneToOneField(Casting, models.CASCADE, related_name="rendition", null=True)
    work = models.CharField(max_length=8, choices=Work, default=Work.NOTHING, blank=True, db_index=True)
    sentence = models.TextField(default="", blank=True)
    newest = models.ForeignKey("Revision", models.SET_NULL, null=True, related_name="+")
    accepted = models.ForeignKey("Revision", models.SET_NULL, null=True, related_name="+")
    note = models.TextField(default="", blank=True)
    exceptions_digest = models.CharField(max_length=64, default="", blank=True, editable=False)
    touchups_digest = models.CharField(max_length=64, default="", blank=True, editable=False)
    parts_digest = models.CharField(max_length=64, default="", blank=True, editable=False)
    retired = models.BooleanField(default=False)
    changed = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["clip__name", "id"]
        constraints = [
            models.UniqueConstraint(fields=["clip", "character"], name="one_rendition_per_cell"),
            models.CheckConstraint(
                condition=models.Q(casting=None, clip__isnull=False, character__isnull=False, fitting__isnull=False)
                | models.Q(casting__isnull=False, clip=None, character=None, fitting=None),
                name="rendition_of_clip_or_casting",
            ),
        ]

    @property
    def title(self) -> str:
        """What is performed: the clip, or the ensemble."""
        if self.casting is not None:
            return self.casting.ensemble.name
        assert self.clip is not None
        return self.clip.name

    @property
    def performed_by(self) -> str:
        """The character, or the casting."""
        if self.casting is not None:
            return self.casting.name
        assert self.character is not None
        return self.character.name

    @property
    def transferred(self) -> tuple[Clip, Character, Fitting]:
        """What a result that is not of a casting is of: clip, character and fitting."""
        assert self.clip is not None and self.character is not None and self.fitting is not None
        return self.clip, self.character, self.fitting

    @property
    def busy(self) -> bool:
        return self.work in (self.Work.WAITING, self.Work.RUNNING)


class Revision(models.Model):
    """One result of a rendition, and what it was made from.

    clip, character and fitting digests: hashes of everything its motion and findings depend on, so that "out of date"
    is a comparison; exceptions and their digest likewise, of settings that are said for it alone; touchups: its
    layers as :func:`armuto.touchups.to_json` has them, and their digest; parts_digest: of
    the fittings that parts of a spliced clip were performed through; casting_digest: of everything that a casting is
    made of, in place of these. clip_revision, character_revision: the
    numbers people know them by; fitting_step: the step of the fitting's history. rank: where it stands in a queue
    with the worst first.
    """

    rendition = models.ForeignKey(Rendition, models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    clip_digest = models.CharField(max_length=64)
    character_digest = models.CharField(max_length=64)
    fitting_digest = models.CharField(max_length=64)
    exceptions = models.JSONField(default=dict)
    exceptions_digest = models.CharField(max_length=64, default="", blank=True)
    touchups = models.JSONField(default=dict)
    touchups_digest = models.CharField(max_length=64, default="", blank=True)
    parts_digest = models.CharField(max_length=64, default="", blank=True)
    casting_digest = models.CharField(max_length=64, default="", blank=True)
    clip_revision = models.PositiveIntegerField()
    character_revision = models.PositiveIntegerField()
    fitting_step = models.PositiveIntegerField()
    grade = models.CharField(max_length=8, choices=Grade)
    findings = models.JSONField(default=list)
    rank = models.FloatField(default=0)
    frames = models.PositiveIntegerField()
    fps = models.FloatField()
    seconds = models.FloatField(default=0)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["rendition", "number"], name="one_revision_per_number")]


class RevisionMotion(models.Model):
    """Motion of a revision, as that of a clip is kept. skeleton: the character's when it was made; a new version may be
    on another."""

    revision = models.OneToOneField(Revision, models.CASCADE, primary_key=True, related_name="motion")
    skeleton = models.ForeignKey("library.Skeleton", models.PROTECT, related_name="+")
    rotations = models.BinaryField()
    moving = models.JSONField(default=list)
    translations = models.BinaryField()


class CastingResult(models.Model):
    """What a revision of a casting is, beyond the motions of its performers. props: shapes and sizes by name; tracks:
    positions and rotations ``(props, frames, 7)`` as little-endian float32, in their order; measures: of meetings,
    performers and pairs, as the API has them; stage: the turn, shift and size by which the recording lies on it; first:
    the frame of the common time that comes first."""

    revision = models.OneToOneField(Revision, models.CASCADE, primary_key=True, related_name="casting_result")
    stage = models.JSONField()
    first = models.IntegerField()
    props = models.JSONField(default=list)
    tracks = models.BinaryField(default=bytes)
    measures = models.JSONField(default=dict)


class PerformerMotion(models.Model):
    """Motion of somebody in a revision of a casting, in the common space, kept as that of a clip is. fitting_digest,
    exceptions: what it was made through."""

    revision = models.ForeignKey(Revision, models.CASCADE, related_name="performers")
    performer = models.ForeignKey(EnsemblePerformer, models.CASCADE, related_name="+")
    character = models.ForeignKey(Character, models.CASCADE, related_name="+")
    skeleton = models.ForeignKey("library.Skeleton", models.PROTECT, related_name="+")
    fitting_digest = models.CharField(max_length=64)
    exceptions = models.JSONField(default=dict)
    rotations = models.BinaryField()
    moving = models.JSONField(default=list)
    translations = models.BinaryField()

    class Meta:
        ordering = ["performer_id"]
        constraints = [models.UniqueConstraint(fields=["revision", "performer"], name="performer_once_per_revision")]


class FittingRecord(models.Model):
    """A fitting as revisions were made through it, once for all that share its digest. data: its JSON form."""

    digest = models.CharField(max_length=64, primary_key=True)
    data = models.JSONField()


class Run(models.Model):
    """A batch of transfers. resumed: when it was last set going; done_before: how many were done by then."""

    class State(models.TextChoices):
        RUNNING = "running"
        STOPPED = "stopped"
        FINISHED = "finished"

    title = models.CharField(max_length=255)
    state = models.CharField(max_length=8, choices=State, default=State.RUNNING, db_index=True)
    total = models.PositiveIntegerField()
    created = models.DateTimeField(auto_now_add=True)
    resumed = models.DateTimeField()
    done_before = models.PositiveIntegerField(default=0)
    worked = models.FloatField(default=0)
    finished = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]


class RunItem(models.Model):
    """One transfer of a run. first: looked at by somebody, so it comes before the others. attempts: how often it was
    begun.

    worker, claim: who is at it, and the token without which its result is not taken; a worker that was given up cannot
    store anything any more.
    """

    class State(models.TextChoices):
        WAITING = "waiting"
        RUNNING = "running"
        DONE = "done"
        FAILED = "failed"

    run = models.ForeignKey(Run, models.CASCADE, related_name="items")
    rendition = models.ForeignKey(Rendition, models.CASCADE, related_name="items")
    position = models.PositiveIntegerField()
    first = models.BooleanField(default=False)
    state = models.CharField(max_length=8, choices=State, default=State.WAITING)
    progress = models.FloatField(default=0)
    attempts = models.PositiveIntegerField(default=0)
    sentence = models.TextField(default="", blank=True)
    revision = models.ForeignKey(Revision, models.SET_NULL, null=True, related_name="+")
    worker = models.CharField(max_length=80, default="", blank=True)
    claim = models.CharField(max_length=32, default="", blank=True)
    began = models.DateTimeField(null=True)
    seconds = models.FloatField(default=0)

    class Meta:
        ordering = ["run", "position"]
        indexes = [models.Index(fields=["state", "-first", "run", "position"], name="next_item")]
        constraints = [models.UniqueConstraint(fields=["run", "rendition"], name="one_item_per_rendition")]
