"""Files on their way in.

*Arrivals* are taken in at once, without a decision: a row lives from the upload until the person has seen what became
of it. An archive is one arrival of many files: done of total have been read, and refused holds a sentence for each that
failed. Its content is referred to until it has been read.

*Intake* is files and the clips in them, laid out for a decision. Nothing of it is in the library or cast yet.
"""

from typing import Any

from django.db import models

from armuto.intake import naming
from armuto.intake.detection import ImportOptions
from armuto.rigging import definition as rig_definition
from armuto.rigging.preparing import PreparedMesh
from studio.contents.models import Content, ContentHolder
from studio.library.models import Clip, no_steps
from studio.platform.leases import Leased


class Arrival(Leased, ContentHolder):
    class State(models.TextChoices):
        WAITING = "waiting"
        READING = "reading"
        ACCEPTED = "accepted"
        REFUSED = "refused"

    name = models.CharField(max_length=255)
    goes_to = models.CharField(max_length=16, default="auto")
    state = models.CharField(max_length=16, choices=State, default=State.WAITING)
    sentence = models.TextField(default="")
    refused = models.JSONField(default=list)
    done = models.PositiveIntegerField(default=0)
    total = models.PositiveIntegerField(default=1)
    clips = models.JSONField(default=list)
    characters = models.JSONField(default=list)
    created = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return self.name


class Visible(models.Manager["IntakeFile"]):
    """Files whose archive is unpacked."""

    def get_queryset(self) -> models.QuerySet["IntakeFile"]:
        return super().get_queryset().exclude(state=IntakeFile.State.UNPACKING)


class IntakeEnsemble(models.Model):
    """Performers that came in one file, or in files that tell by their names that they were recorded side by side, on
    their way in. by_name: the latter. members: the clips that they became, by performer. tracks: how
    props were recorded with them: name, fps, and rows ``(F, 7)`` as base64 of little-endian float32."""

    name = models.CharField(max_length=255)
    members = models.JSONField(default=dict)
    tracks = models.JSONField(default=list)
    by_name = models.BooleanField(default=False)
    created = models.DateTimeField(auto_now_add=True)


class IntakeFile(Leased, ContentHolder):
    """One file on its way in; an archive becomes one row per file in it.

    content: for a file that refers to others, an archive of it and those; nothing where it was refused unread. archive:
    the one that it is just being unpacked from; until that is through, nobody sees it. told: what the person says about
    unit or height, up and facing. found: what was read, empty until then. sentence: why it was refused.
    together, performer: of whom of which recording it is, where several were recorded together. source_item,
    source_name: the number of what a watched source brought, and what that source is called.
    """

    class State(models.TextChoices):
        UNPACKING = "unpacking"
        WAITING = "waiting"
        READING = "reading"
        READY = "ready"
        ACCEPTING = "accepting"
        REFUSED = "refused"

    class Kind(models.TextChoices):
        MOTION = "motion"
        CHARACTER = "character"

    path = models.CharField(max_length=255)
    goes_to = models.CharField(max_length=16, default="auto")
    kind = models.CharField(max_length=16, choices=Kind, default=Kind.MOTION)
    state = models.CharField(max_length=16, choices=State, default=State.WAITING)
    sentence = models.TextField(default="")
    told = models.JSONField(default=dict)
    found = models.JSONField(default=dict)
    name = models.CharField(max_length=255, default="")
    becomes = models.ForeignKey("cast.Character", models.SET_NULL, null=True, related_name="+")
    together = models.ForeignKey(IntakeEnsemble, models.SET_NULL, null=True, related_name="files")
    performer = models.CharField(max_length=120, default="")
    source_item = models.PositiveBigIntegerField(null=True, default=None, db_index=True, editable=False)
    source_name = models.CharField(max_length=120, default="")
    archive = models.ForeignKey("self", models.CASCADE, null=True, related_name="unpacked", editable=False)
    created = models.DateTimeField(auto_now_add=True)

    objects = Visible()
    everything = models.Manager["IntakeFile"]()

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return self.path

    def as_told(self) -> ImportOptions:
        """What overrules detection when the file is read."""
        told = self.told
        return ImportOptions(
            unit=told.get("unit"),
            up=told.get("up"),
            turned=float(told.get("turned", 0.0)),
            bound=bool(told.get("bound", False)),
            height=told.get("height"),
        )

    @property
    def origin(self) -> dict[str, Any]:
        """Where it came from, for what is made of it."""
        return {"source_item": self.source_item, "source_name": self.source_name}

    @property
    def file(self) -> str:
        return self.path.rsplit("/", 1)[-1]


class IntakeSculpture(models.Model):
    """Of a file that came as a mesh without bones and was given some: itself as it came, and what its bones were made
    from. path, original: as it came. mesh: without bones, as .glb. facts, definition: as
    :class:`studio.rigs.models.Rig` has them."""

    file = models.OneToOneField(IntakeFile, models.CASCADE, primary_key=True, related_name="sculpture")
    path = models.CharField(max_length=255)
    original = models.ForeignKey(Content, models.PROTECT, related_name="+")
    mesh = models.ForeignKey(Content, models.PROTECT, related_name="+")
    facts = models.JSONField()
    definition = models.JSONField()

    def prepared(self) -> PreparedMesh:
        return PreparedMesh(self.mesh.data, rig_definition.from_json(self.definition, self.path), self.facts)


class LaidOut(models.Manager["IntakeRow"]):
    """Rows of files that have been read to their end."""

    def get_queryset(self) -> models.QuerySet["IntakeRow"]:
        return super().get_queryset().exclude(file__found={})


class IntakeRow(models.Model):
    """One clip found in a file. first and last: the range to keep. name: typed by hand, or empty for the rule's.

    fields: naming fields set by hand. plate: of the whole take. content: hash of the motion. becomes: the clip of which
    this is to be a new version, by whose recipe it is refined then. proposals: steps with their reasons, null until
    they have been worked out. recipe: what it is to be refined by. ground_path: where its body is over the ground, as
    :func:`armuto.ensembles.splitting.ground_path` has it.
    """

    file = models.ForeignKey(IntakeFile, models.CASCADE, related_name="rows")
    number = models.PositiveIntegerField()
    clip = models.CharField(max_length=255)
    ticked = models.BooleanField(default=True)
    name = models.CharField(max_length=255, default="")
    fields = models.JSONField(default=dict)
    frames = models.PositiveIntegerField()
    fps = models.FloatField()
    first = models.PositiveIntegerField(default=0)
    last = models.PositiveIntegerField()
    found = models.JSONField(default=dict)
    plate = models.JSONField(default=dict)
    content = models.CharField(max_length=64, db_index=True)
    identity = models.CharField(max_length=64)
    revision = models.PositiveIntegerField(default=1)
    becomes = models.ForeignKey(Clip, models.SET_NULL, null=True, related_name="+")
    floor = models.FloatField(null=True, default=None)  # in metres, where a person says that it is
    proposals = models.JSONField(null=True, default=None)
    recipe = models.JSONField(default=no_steps)
    final = models.CharField(max_length=255, default="")
    ground_path = models.JSONField(default=list)

    objects = models.Manager["IntakeRow"]()
    laid_out = LaidOut()

    class Meta:
        ordering = ["file_id", "number"]
        constraints = [models.UniqueConstraint(fields=["file", "number"], name="one_row_per_clip_of_a_file")]

    def facts(self, skeleton: str) -> naming.Facts:
        """What is known for naming, with what was set by hand over it."""
        inside = self.clip if self.found.get("several") else ""
        known = naming.facts(self.file.path, inside, skeleton, self.last - self.first + 1)
        by_hand = {key: value for key, value in self.fields.items() if key in naming.FIELDS}
        if "number" in by_hand:
            by_hand["number"] = int(by_hand["number"]) if str(by_hand["number"]).isdigit() else None
        return naming.Facts(**{**known.__dict__, **by_hand})


class NamingRule(models.Model):
    """The rule in force at one place of the interface, such as "intake"."""

    place = models.CharField(max_length=32, unique=True)
    rule = models.JSONField()

    @classmethod
    def at(cls, place: str) -> naming.Rule:
        row = cls.objects.filter(place=place).first()
        return naming.from_json(row.rule) if row else naming.AS_IT_CAME
