"""Splices follow the clips that they are made of."""

from typing import Any

from django.db import transaction
from django.db.models.signals import post_save
from django.dispatch import receiver

from studio.library.models import Clip
from studio.splices.models import Splice


@receiver(post_save, sender=Clip, dispatch_uid="splices-follow-clips")
def follow_clip(sender: type[Clip], instance: Clip, created: bool, **_: Any) -> None:
    """Have splices made anew of which a clip has changed."""
    from studio.splices.tasks import renew_splice  # binds the settings of tasks, which are not final at start-up

    if created:
        return
    for splice in Splice.objects.filter(parts__clip=instance):
        if splice.problem or splice.made_from.get(str(instance.pk)) != instance.digest:
            transaction.on_commit(lambda pk=splice.pk: renew_splice.enqueue(pk))  # type: ignore[misc]
