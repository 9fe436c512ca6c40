"""What migrations of other apps move their blobs into contents with. As migrations, it is not edited."""

import hashlib

from django.utils.timezone import now

CHUNK = 4 * 1024 * 1024


def stored(apps, data):
    """The number of the content of these bytes."""
    data = bytes(data)
    content, new = apps.get_model("contents", "Content").objects.get_or_create(
        sha256=hashlib.sha256(data).hexdigest(), defaults={"size": len(data), "whole": True, "stored": now()}
    )
    chunks = apps.get_model("contents", "Chunk").objects
    for number, first in enumerate(range(0, len(data), CHUNK) if new else ()):
        chunks.create(content=content, number=number, data=data[first : first + CHUNK])
    return content.pk


def move(apps, rows, blob, holders, field):
    """Let a field of each of the holders refer to a content of what lies in the blob of the row of its number."""
    for pk in rows.order_by("pk").values_list("pk", flat=True):
        data = rows.filter(pk=pk).values_list(blob, flat=True).get()
        if data is not None:
            holders.filter(pk=pk).update(**{field: stored(apps, data)})
