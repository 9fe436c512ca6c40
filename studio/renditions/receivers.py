"""What renditions do when something they are made of changes."""

from typing import Any

from django.db.models import QuerySet
from django.db.models.signals import post_delete, post_save
from django.dispatch import receiver

from studio.fittings.models import Fitting
from studio.fittings.services.clip_exceptions import digest_of
from studio.fittings.services.spliced import parts_digest
from studio.fittings.signals import state_changed
from studio.library.models import Clip
from studio.renditions.models import Rendition
from studio.splices.models import Splice


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


@receiver(state_changed)
@receiver(post_delete, sender=Fitting)
def keep_parts_digests(
    sender: type[Fitting], fitting: Fitting | None = None, instance: Fitting | None = None, **_: Any
) -> None:
    """Let renditions of spliced clips know what becomes of the fittings that their parts are performed through."""
    changed = fitting or instance
    assert changed is not None
    splices = Splice.objects.filter(parts__clip__skeleton=changed.skeleton_id)
    _renew(Rendition.objects.filter(clip__splice__in=splices, character=changed.character_id))


@receiver(post_save, sender=Clip)
def follow_parts(sender: type[Clip], instance: Clip, created: bool, **_: Any) -> None:
    """The same where a part changes, or what a splice is made of."""
    if not created:
        splices = Splice.objects.filter(parts__clip=instance.pk) | Splice.objects.filter(clip=instance.pk)
        _renew(Rendition.objects.filter(clip__splice__in=splices))


def _renew(rows: QuerySet[Rendition]) -> None:
    for row in rows.distinct():
        clip, character, _ = row.transferred
        digest = parts_digest(clip.pk, character.pk)
        if digest != row.parts_digest:
            Rendition.objects.filter(pk=row.pk).update(parts_digest=digest)
