"""What a delivery would hold, before it is made."""

from collections.abc import Iterable
from dataclasses import dataclass

from django.db import transaction

from armuto.errors import BadInput
from armuto.export import package
from armuto.export import settings as delivery_settings
from armuto.export.settings import DeliverySettings
from armuto.intake import naming
from studio.delivery.models import Delivery, DeliveryItem
from studio.ingest.models import NamingRule
from studio.renditions.models import Rendition, Revision
from studio.renditions.queries import STATES, state_of, with_state

PLACE = "delivery"
USUAL = naming.Rule((naming.Field("character"), naming.Word(" "), naming.Field("original")))


@dataclass(frozen=True)
class Row:
    """One result that would go out. which: "accepted", or "newest" where none was. left_out: why it cannot."""

    rendition: Rendition
    revision: Revision
    which: str
    state: str
    left_out: str = ""


def rule_in_force() -> naming.Rule:
    return NamingRule.at(PLACE) if NamingRule.objects.filter(place=PLACE).exists() else USUAL


def chosen(cells: Iterable[tuple[int, int]] | None) -> list[Row]:
    """The results of these cells, or without cells all that were accepted: of each the accepted one, else the newest.

    In the order of characters and clips, so that what goes into one file lies together.
    """
    rows = with_state(
        Rendition.objects.filter(retired=False)
        .exclude(newest=None)
        .select_related("clip__skeleton", "character__skeleton", "newest__motion", "accepted__motion")
        .defer("newest__motion__rotations", "newest__motion__translations")
        .defer("accepted__motion__rotations", "accepted__motion__translations")
    )
    if cells is None:
        rows = rows.exclude(accepted=None)
    else:
        wanted = set(cells)
        rows = rows.filter(
            clip_id__in={clip for clip, _ in wanted}, character_id__in={character for _, character in wanted}
        )
        rows = [row for row in rows if (row.clip_id, row.character_id) in wanted]
    return [_row(row) for row in sorted(rows, key=lambda row: (row.character.name, row.character_id, row.clip.name))]


def _row(row: Rendition) -> Row:
    revision = row.accepted or row.newest
    assert revision is not None
    out = ""
    if revision.motion.skeleton_id != row.character.skeleton_id:
        out = (
            f"{row.clip.name}: it was made for an earlier version of {row.character.name}, with other bones; "
            "bring it up to date first."
        )
    return Row(row, revision, "accepted" if row.accepted_id else "newest", STATES[state_of(row)], out)


def facts(row: Row) -> tuple[str, naming.Facts]:
    clip = row.rendition.clip
    return row.rendition.character.name, naming.facts(clip.name, clip.name, clip.skeleton.name, row.revision.frames)


def named(rows: list[Row], wanted: DeliverySettings, rule: naming.Rule) -> list[str]:
    """The file that each goes into."""
    return package.file_names(wanted, rule, [facts(row) for row in rows])


@transaction.atomic
def make(
    name: str, rows: list[Row], wanted: DeliverySettings, rule: naming.Rule, again: Delivery | None = None
) -> Delivery:
    """Remember a delivery; its files are made when it is fetched. Raises :class:`BadInput` where nothing can go out."""
    rows = [row for row in rows if not row.left_out]
    if not rows:
        raise BadInput("Nothing is left to deliver: transfer or accept something first.")
    names = named(rows, wanted, rule)
    made = Delivery.objects.create(
        name=free_name(" ".join(name.split())[:100] or "delivery"),
        wanted=delivery_settings.to_json(wanted),
        rule=naming.to_json(rule),
        again=again,
    )
    DeliveryItem.objects.bulk_create(
        [
            DeliveryItem(
                delivery=made,
                position=position,
                clip=row.rendition.clip,
                character=row.rendition.character,
                revision=row.revision.pk,
                file=file,
            )
            for position, (row, file) in enumerate(zip(rows, names, strict=True))
        ],
        batch_size=500,
    )
    return made


def free_name(name: str) -> str:
    """No two deliveries have the same name, so that no archive takes the place of another one."""
    return naming.free(name, Delivery.objects.values_list("name", flat=True))


def current(items: Iterable[DeliveryItem]) -> dict[tuple[int, int], int]:
    """Of the cells of a delivery, the result that would go out now."""
    items = list(items)
    rows = Rendition.objects.filter(
        clip_id__in={item.clip_id for item in items},
        character_id__in={item.character_id for item in items},
        retired=False,
    ).values_list("clip_id", "character_id", "accepted_id", "newest_id")
    return {(clip, character): accepted or newest for clip, character, accepted, newest in rows if accepted or newest}


def changed(delivery: Delivery) -> list[DeliveryItem]:
    """The items of a delivery that would come out otherwise now."""
    items = list(delivery.items.all())
    now = current(items)
    return [item for item in items if now.get((item.clip_id, item.character_id), item.revision) != item.revision]


def repeat(delivery: Delivery, only_changed: bool) -> Delivery:
    """The same delivery of what there is now; only what has changed since, if wanted."""
    items = changed(delivery) if only_changed else list(delivery.items.all())
    if not items:
        raise BadInput(f"{delivery.name}: nothing in it has changed since.")
    cells = [(item.clip_id, item.character_id) for item in items]
    wanted, rule = delivery_settings.settings_from_json(delivery.wanted), naming.from_json(delivery.rule)
    return make(delivery.name, chosen(cells), wanted, rule, delivery)
