"""Recordings that come in with several performers become ensembles."""

import hashlib
from base64 import b64decode
from typing import Any

from django.dispatch import receiver

from armuto.ensembles.model import LONGEST_NAME
from studio.ensembles.models import Ensemble, EnsemblePerformer, PropTrack
from studio.ensembles.museum import describe_ensembles
from studio.ensembles.services import free_name
from studio.ingest.signals import museum_brought_in, recorded_together

UNKNOWN_SIZE = 0.1  # metres: of a thing of which a recording tells the path alone


@receiver(museum_brought_in)
def describe_museum(sender: Any, **_: Any) -> None:
    """The museum's ensembles get their props, and those of clips that were recorded side by side are put together."""
    describe_ensembles()


@receiver(recorded_together)
def make_ensemble(sender: Any, name: str, members: dict[str, int], tracks: list[dict[str, Any]], **_: Any) -> None:
    """Performers and props as they were recorded; nothing where the very same clips are one already."""
    ids = sorted(members.values())
    for row in Ensemble.objects.filter(performers__clip=ids[0]).prefetch_related("performers"):
        if sorted(each.clip_id for each in row.performers.all()) == ids:
            return
    shape = {"kind": "box", "size": [UNKNOWN_SIZE] * 3}
    props = [{"name": track["name"], "shapes": [shape], "recorded": f"track {track['name']}"} for track in tracks]
    called = " ".join(name.replace("_", " ").split())[: LONGEST_NAME - 5] or "ensemble"
    ensemble = Ensemble.objects.create(name=free_name(called), data={"props": props} if props else {})
    for performer, clip in members.items():
        EnsemblePerformer.objects.create(ensemble=ensemble, clip_id=clip, name=performer)
    for track in tracks:
        motion = b64decode(track["rows"])
        digest = hashlib.sha256(motion).hexdigest()
        PropTrack.objects.create(ensemble=ensemble, name=track["name"], fps=track["fps"], motion=motion, digest=digest)
