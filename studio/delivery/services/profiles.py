"""Profiles of deliveries: how things go out to a receiver, kept by its name."""

from typing import Any

from django.db import transaction

from armuto.errors import BadInput
from armuto.export import settings as delivery_settings
from armuto.export.settings import DeliverySettings
from armuto.intake import naming
from studio.delivery.models import DeliveryProfile

LONGEST_NAME = 100
MOST = 200


def keep(name: str, settings: DeliverySettings, rule: naming.Rule) -> DeliveryProfile:
    """Keep a profile, in place of another of its name. Raises :class:`BadInput` for a name that is none."""
    name = " ".join(name.split())
    if not name or len(name) > LONGEST_NAME:
        raise BadInput(f"A receiver has a name of 1 to {LONGEST_NAME} letters; give it one.")
    with transaction.atomic():
        held = DeliveryProfile.objects.filter(name__iexact=name).first()
        if held is None and DeliveryProfile.objects.count() >= MOST:
            raise BadInput(f"There are {MOST} receivers already; take one away first.")
        row = held or DeliveryProfile()
        row.name, row.wanted, row.rule = name, delivery_settings.to_json(settings), naming.to_json(rule)
        row.save()
    return row


def shown(row: DeliveryProfile) -> dict[str, Any]:
    """A profile whole, also where it was kept before some of its settings were there."""
    settings = delivery_settings.to_json(delivery_settings.settings_from_json(row.wanted))
    return {"id": row.pk, "name": row.name, "wanted": settings, "rule": row.rule}
