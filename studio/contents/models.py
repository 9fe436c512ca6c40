"""Contents of files, told apart by their hash: the same bytes are kept once, whoever refers to them.

They lie in chunks, of which each is written in a transaction of its own, so that a large file never keeps others from
saving for long.
"""

import hashlib
import io
from collections.abc import Iterator
from functools import cached_property

from django.db import models

from armuto.errors import BadInput


class Content(models.Model):
    """whole: all of its chunks are there. stored: when somebody stored it last, which keeps it from being swept until
    they have had time to refer to it."""

    sha256 = models.CharField(max_length=64, unique=True)
    size = models.PositiveBigIntegerField()
    whole = models.BooleanField(default=False)
    stored = models.DateTimeField()

    def __str__(self) -> str:
        return self.sha256

    def read(self) -> Iterator[bytes]:
        """Its bytes, chunk by chunk."""
        for data in self.chunks.order_by("number").values_list("data", flat=True).iterator(chunk_size=1):
            yield bytes(data)

    @cached_property
    def data(self) -> bytes:
        joined = io.BytesIO()
        joined.writelines(self.read())
        return joined.getvalue()

    def is_intact(self) -> bool:
        """Whether its bytes are those that its hash is of."""
        found = hashlib.sha256()
        for data in self.read():
            found.update(data)
        return found.hexdigest() == self.sha256


class ContentHolder(models.Model):
    """A row that refers to a content for as long as that has to be read."""

    content = models.ForeignKey(Content, models.PROTECT, null=True, related_name="+")

    class Meta:
        abstract = True

    def required_content(self) -> Content:
        """Raises :class:`BadInput` where it refers to none, or no longer."""
        if self.content is None:
            raise BadInput(f"{self}: its bytes are not kept; bring the file in again.")
        return self.content


class Chunk(models.Model):
    """The bytes of a content from ``number`` times :data:`studio.contents.services.CHUNK` on."""

    content = models.ForeignKey(Content, models.CASCADE, related_name="chunks")
    number = models.PositiveIntegerField()
    data = models.BinaryField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["content", "number"], name="chunk_once_per_content")]
