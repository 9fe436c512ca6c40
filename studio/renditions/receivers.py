"""What renditions do when something they are made of changes."""

from typing import Any

from django.dispatch import receiver

from studio.fittings.models import Fitting
from studio.fittings.services.clip_exceptions import digest_of
from studio.fittings.signals import state_changed


@receiver(state_changed)
def keep_digests(sender: type[Fitting], fitting: Fitting, **_: Any) -> None:
    """Let renditions know what is said for them alone, and how they are touched up, of which there are few."""
    data = fitting.state.data if fitting.state else {}
    exceptions = {int(clip): digest_of(table) for clip, table in data.get("exceptions", {}).items()}
    touchups = {int(clip): str(table["digest"]) for clip, table in data.get("touchups", {}).items()}
    for field, wanted in (("exceptions_digest", exceptions), ("touchups_digest", touchups)):
        known = fitting.renditions.filter(**{f"{field}__gt": ""}).values_list("clip_id", field)
        for clip, digest in known:
            if wanted.get(clip, "") == digest:
                wanted.pop(clip, None)
            else:
                wanted.setdefault(clip, "")
        for clip, digest in wanted.items():
            fitting.renditions.filter(clip_id=clip).update(**{field: digest})
