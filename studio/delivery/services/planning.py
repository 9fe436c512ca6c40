"""What a delivery would hold, before it is made."""

from collections.abc import Iterable
from dataclasses import dataclass, replace

from django.db import transaction

from armuto.errors import BadInput
from armuto.export import package
from armuto.export import settings as delivery_settings
from armuto.export.settings import DeliverySettings
from armuto.intake import naming
from studio.cast.models import Character
from studio.delivery.models import Delivery, DeliveryItem
from studio.ensembles.models import EnsemblePerformer
from studio.ingest.models import NamingRule
from studio.library.models import Clip
from studio.renditions import results
from studio.renditions.models import Rendition, Revision
from studio.renditions.queries import STATES, Cell, cell_of, of_cells, state_of, with_state

PLACE = "delivery"
USUAL = naming.Rule((naming.Field("character"), naming.Word(" "), naming.Field("original")))


@dataclass(frozen=True)
class Row:
    """One result that would go out, or somebody's part in that of a casting. which: "accepted", or "newest" where none
    was. left_out: why it cannot."""

    rendition: Rendition
    revision: Revision
    clip: Clip
    character: Character
    which: str
    state: str
    left_out: str = ""
    performer: EnsemblePerformer | None = None


def rule_in_force() -> naming.Rule:
    return NamingRule.at(PLACE) if NamingRule.objects.filter(place=PLACE).exists() else USUAL


def chosen(cells: Iterable[Cell] | None) -> list[Row]:
    """The results of these cells, or without cells all that were accepted: of each the accepted one, else the newest.

    In the order of characters and clips, so that what goes into one file lies together; castings behind, of each its
    performers.
    """
    rows = with_state(
        Rendition.objects.filter(retired=False)
        .exclude(newest=None)
        .select_related("clip__skeleton", "character__skeleton", "newest__motion", "accepted__motion")
        .select_related("casting__ensemble")
        .defer("newest__motion__rotations", "newest__motion__translations")
        .defer("accepted__motion__rotations", "accepted__motion__translations")
    )
    if cells is None:
        rows = list(rows.exclude(accepted=None))
    else:
        wanted = set(cells)
        rows = [row for row in of_cells(rows, wanted) if cell_of(row) in wanted]
    of_clips = [row for row in rows if row.casting_id is None]
    of_castings = sorted(
        (row for row in rows if row.casting_id is not None),
        key=lambda row: (row.title, row.performed_by, row.casting_id),
    )
    of_clips.sort(key=lambda row: (row.character.name, row.character_id, row.clip.name))
    return [_row(row) for row in of_clips] + [part for row in of_castings for part in _parts(row)]


def _row(row: Rendition) -> Row:
    revision = row.accepted or row.newest
    assert revision is not None
    clip, character, _ = row.transferred
    out = ""
    if revision.motion.skeleton_id != character.skeleton_id:
        out = results.of_other_bones(clip.name, character)
    return Row(row, revision, clip, character, _which(row), STATES[state_of(row)], out)


def _parts(row: Rendition) -> Iterable[Row]:
    """Everybody in a casting; all of them stay here where somebody cannot go out."""
    revision = row.accepted or row.newest
    assert revision is not None
    out = results.other_bones(revision)
    parts = revision.performers.select_related("performer__clip__skeleton", "character__skeleton")
    for part in parts.defer("rotations", "translations"):
        performer = part.performer
        yield Row(row, revision, performer.clip, part.character, _which(row), STATES[state_of(row)], out, performer)


def _which(row: Rendition) -> str:
    return "accepted" if row.accepted_id else "newest"


def facts(row: Row) -> tuple[str, naming.Facts]:
    clip = row.clip
    return row.character.name, naming.facts(clip.name, clip.name, clip.skeleton.name, row.revision.frames)


def _whole(row: Row, settings: DeliverySettings) -> int | None:
    """The casting that goes into a file of its own as a whole, if this is of such a one."""
    return row.rendition.casting_id if settings.ensembles == "one file" else None


def named(rows: list[Row], settings: DeliverySettings, rule: naming.Rule) -> list[str]:
    """The file that each goes into."""
    single = [row for row in rows if _whole(row, settings) is None]
    names = iter(package.file_names(settings, rule, [facts(row) for row in single]))
    taken = {number: next(names) for number, row in enumerate(rows) if _whole(row, settings) is None}
    files: dict[int, str] = {}
    for row in rows:
        casting = _whole(row, settings)
        if casting is not None and casting not in files:
            about = naming.facts(row.rendition.title, row.rendition.title, "", row.revision.frames)
            (name,) = package.file_names(replace(settings, together=False), rule, [(row.rendition.performed_by, about)])
            stem = name.removesuffix(f".{settings.kind}")
            others = [file.removesuffix(f".{settings.kind}") for file in (*taken.values(), *files.values())]
            files[casting] = f"{naming.free(stem, others)}.{settings.kind}"
    return [taken[n] if (casting := _whole(row, settings)) is None else files[casting] for n, row in enumerate(rows)]


def clashing(rows: list[Row], settings: DeliverySettings, rule: naming.Rule) -> set[int]:
    """The rows to which the rule by itself would give the name of another one; castings in one file are numbered."""
    single = [number for number, row in enumerate(rows) if _whole(row, settings) is None]
    clashes = package.clashing(settings, rule, [facts(rows[number]) for number in single])
    return {single[number] for number in clashes}


@transaction.atomic
def make(
    name: str, rows: list[Row], settings: DeliverySettings, rule: naming.Rule, again: Delivery | None = None
) -> Delivery:
    """Remember a delivery; its files are made when it is fetched. Raises :class:`BadInput` where nothing can go out."""
    rows = [row for row in rows if not row.left_out]
    if not rows:
        raise BadInput("Nothing is left to deliver: transfer or accept something first.")
    names = named(rows, settings, rule)
    made = Delivery.objects.create(
        name=free_name(" ".join(name.split())[:100] or "delivery"),
        wanted=delivery_settings.to_json(settings),
        rule=naming.to_json(rule),
        again=again,
    )
    DeliveryItem.objects.bulk_create(
        [
            DeliveryItem(
                delivery=made,
                position=position,
                clip=row.clip,
                character=row.character,
                casting_id=row.rendition.casting_id,
                performer=row.performer,
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


def cell(item: DeliveryItem) -> Cell:
    """Whose result an item is."""
    return (item.clip_id, item.character_id) if item.casting_id is None else item.casting_id


def current(items: Iterable[DeliveryItem]) -> dict[Cell, int]:
    """Of the cells of a delivery, the result that would go out now."""
    rows = of_cells(Rendition.objects.filter(retired=False), {cell(item) for item in items})
    made = {cell_of(row): row.accepted_id or row.newest_id for row in rows}
    return {key: revision for key, revision in made.items() if revision}


def changed(delivery: Delivery) -> list[DeliveryItem]:
    """The items of a delivery that would come out otherwise now."""
    items = list(delivery.items.all())
    now = current(items)
    return [item for item in items if now.get(cell(item), item.revision) != item.revision]


def repeat(delivery: Delivery, only_changed: bool) -> Delivery:
    """The same delivery of what there is now; only what has changed since, if wanted."""
    items = changed(delivery) if only_changed else list(delivery.items.all())
    if not items:
        raise BadInput(f"{delivery.name}: nothing in it has changed since.")
    cells = [cell(item) for item in items]
    settings, rule = delivery_settings.settings_from_json(delivery.wanted), naming.from_json(delivery.rule)
    return make(delivery.name, chosen(cells), settings, rule, delivery)
