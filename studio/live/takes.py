"""Recordings of a stage as takes in the intake, each once, with the stage as their source."""

import hashlib
import re

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
    key, again = name, 1
    # Two pages may record at once; each take is one of its own.
    while source.items.filter(key=key).exclude(sha256__in=("", sha256)).exists():
        again += 1
        key = f"{name} ({again})"
    item, _ = SourceItem.objects.get_or_create(source=source, key=key, defaults={"version": "1"})
    path = file_path(f"{source.name.replace('/', '-')}/{key.replace('/', '-')}.bvh")
    came_in = lay_before(item, take.file, sha256, path)
    return KeptTake(name=key, frames=take.frames, bridged=take.bridged, came_in=came_in)
