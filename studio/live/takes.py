"""Recordings of a stage as takes in the intake, each once, with the stage as their source."""

import hashlib
import re
from contextlib import suppress

from django.db import DatabaseError, IntegrityError, transaction

from armuto.live.recording import RecordedTake
from studio.live.schemas import KeptTake
from studio.platform.uploads import file_path
from studio.sources.models import Source, SourceItem
from studio.sources.services.intake import lay_before

TAKE = re.compile(r".* take (\d+)$")


def next_number(stage: Source) -> int:
    """The number of the next take of a stage."""
    keys = SourceItem.objects.filter(source=stage.pk).values_list("key", flat=True)
    return 1 + max((int(found[1]) for key in keys if (found := TAKE.match(key))), default=0)


def keep_take(stage: Source, name: str, take: RecordedTake) -> KeptTake:
    """Lay a take before somebody in the intake. A stage that was forgotten while it was recorded is known again."""
    source, _ = Source.objects.get_or_create(
        location=stage.location, defaults={"kind": stage.kind, "name": stage.name, "accepts": stage.accepts}
    )
    sha256 = hashlib.sha256(take.file).hexdigest()
    item = _new_item(source, name)
    path = file_path(f"{source.name.replace('/', '-')}/{item.key.replace('/', '-')}.bvh")
    try:
        came_in = lay_before(item, take.file, sha256, path)
    except DatabaseError:
        # Tried again it is to have the same name.
        with suppress(DatabaseError):
            item.delete()
        raise
    return KeptTake(name=item.key, frames=take.frames, bridged=take.bridged, came_in=came_in)


def _new_item(source: Source, name: str) -> SourceItem:
    """By that name, or with a number where another page has recorded at the same time."""
    key, again = name, 1
    while True:
        try:
            with transaction.atomic():
                return SourceItem.objects.create(source=source, key=key, version="1")
        except IntegrityError:
            if not source.items.filter(key=key).exists():
                raise
        again += 1
        key = f"{name} ({again})"
