"""Sources of files: folders and addresses that are watched for motion and characters, stages that are recorded, and
what came of them."""

from django.db import models

from studio.platform.leases import Leased
from studio.platform.optimistic import Versioned


class Source(Versioned):
    """A folder, an address that speaks the open index (:mod:`armuto.intake.source_index`), or a stage that streams what
    it captures (:mod:`armuto.live.stream`).

    location: path or address. active: whether it is watched. moves: files of a folder are put aside once they are in
    the intake. accepts: what is like what was accepted from here before is accepted by itself. sentence: what is wrong
    with it; looked: since when that is so, nothing before the first look. etag: of the index as it was read last.
    licence: as the index says.
    """

    class Kind(models.TextChoices):
        FOLDER = "folder"
        ADDRESS = "address"
        STAGE = "stage"

    kind = models.CharField(max_length=8, choices=Kind)
    name = models.CharField(max_length=120)
    location = models.CharField(max_length=1000, unique=True)
    active = models.BooleanField(default=True)
    moves = models.BooleanField(default=False)
    accepts = models.BooleanField(default=False)
    looked = models.DateTimeField(null=True, default=None)
    sentence = models.TextField(default="", blank=True)
    etag = models.CharField(max_length=200, default="", blank=True, editable=False)
    licence = models.CharField(max_length=500, default="", blank=True)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return self.name


class SourceItem(Leased):
    """A file of a folder, an item of an index, or a take that was recorded from a stage.

    key: path within the folder, or the item's id. version: size and time of change, or what the index says: as it is
    now; taken_version: as it was when it came in last. seen: when it was first as it is now. facts: what the index says
    of it, :class:`studio.sources.schemas.ItemFacts`. sha256: of the bytes that came in last. contents: hashes of all
    files that came of it so far, which tell its clips. sentence: why it could not be taken.
    """

    class State(models.TextChoices):
        NEW = "new"  # in a folder: not settled yet; at an address: offered
        NEWER = "newer"
        WAITING = "waiting"
        FETCHING = "fetching"
        TAKEN = "taken"
        REFUSED = "refused"
        GONE = "gone"

    source = models.ForeignKey(Source, models.CASCADE, related_name="items")
    key = models.CharField(max_length=500)
    state = models.CharField(max_length=8, choices=State, default=State.NEW, db_index=True)
    version = models.CharField(max_length=200, default="")
    taken_version = models.CharField(max_length=200, default="", blank=True)
    seen = models.FloatField(default=0.0, editable=False)
    facts = models.JSONField(default=dict)
    sha256 = models.CharField(max_length=64, default="", blank=True)
    contents = models.JSONField(default=list)
    sentence = models.TextField(default="", blank=True)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["source", "key"], name="item_once_per_source")]

    def __str__(self) -> str:
        return self.key
