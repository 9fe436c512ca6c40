"""What renditions do when something they are made of changes."""

from typing import Any

from django.dispatch import receiver

from studio.fittings.models import Fitting
from studio.fittings.services.clip_exceptions import digest_of
from studio.fittings.signals import state_changed
from studio.renditions.models import Rendition


@receiver(state_changed)
def keep_exceptions(sender: type[Fitting], fitting: Fitting, **_: Any) -> None:
    """Let renditions know what is said for them alone, of which there are few."""
    tables = fitting.state.data.get("exceptions", {}) if fitting.state else {}
    wanted = {int(clip): digest_of(table) for clip, table in tables.items()}
    for pk, clip, known in fitting.renditions.filter(exceptions_digest__gt="").values_list(
        "pk", "clip_id", "exceptions_digest"
    ):
        if wanted.pop(clip, "") != known:
            Rendition.objects.filter(pk=pk).update(exceptions_digest=digest_of(tables.get(str(clip), {})))
    for clip, digest in wanted.items():
        fitting.renditions.filter(clip_id=clip).update(exceptions_digest=digest)
