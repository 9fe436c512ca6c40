"""Recordings of a stage as takes in the intake, each once, with the stage as their source."""

import hashlib
import re
from collections.abc import Sequence

from armuto.live.recording import RecordedTake
from studio.live.schemas import KeptTake
from studio.platform.uploads import file_path
from studio.sources.models import Source, SourceItem
from studio.sources.services.intake import lay_before

TAKE = re.compile(r".* take (\d+)$")


def keep(stage: Source, recorded: Sequence[tuple[str, Sequence[RecordedTake]]]) -> list[KeptTake]:
    """Lay takes before somebody in the intake. recorded: the name of each performer, and what was recorded of it, in
    stretches that are numbered alike for all. A stage that was forgotten while it was recorded is known again."""
    source, _ = Source.objects.get_or_create(
        location=stage.location, defaults={"kind": stage.kind, "name": stage.name, "accepts": stage.accepts}
    )
    numbers = [int(found[1]) for key in source.items.values_list("key", flat=True) if (found := TAKE.match(key))]
    first = max(numbers, default=0) + 1
    out = []
    for performer, takes in recorded:
        for number, take in enumerate(takes, first):
            name = f"{performer} take {number:02}"
            item, _ = SourceItem.objects.get_or_create(source=source, key=name, defaults={"version": "1"})
            path = file_path(f"{source.name.replace('/', '-')}/{name.replace('/', '-')}.bvh")
            came_in = lay_before(item, take.file, hashlib.sha256(take.file).hexdigest(), path)
            out.append(KeptTake(name=name, frames=take.frames, bridged=take.bridged, came_in=came_in))
    return out
