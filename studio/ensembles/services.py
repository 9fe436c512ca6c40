"""What changes ensembles: making them of clips, what is in them, and who plays whom."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import PurePosixPath
from typing import Any

from django.db import transaction

from armuto.ensembles import model as core
from armuto.ensembles.splitting import side_by_side
from armuto.errors import BadInput
from armuto.intake import naming
from studio.cast.models import Character
from studio.ensembles.models import Casting, Ensemble, EnsemblePerformer, Role
from studio.ensembles.queries import recording_of, value_of_casting, value_of_ensemble
from studio.fittings.preview import clip_value
from studio.fittings.services.steps import fitting_for
from studio.library.models import Clip
from studio.platform import reader
from studio.platform.optimistic import VERSION_FIELDS


def create(ids: Sequence[int], name: str = "") -> Ensemble:
    """An ensemble of clips that were recorded in one space. Raises :class:`BadInput` for clips that are not there, or
    that cannot be put together."""
    rows = {clip.pk: clip for clip in Clip.objects.select_related("skeleton").filter(pk__in=ids)}
    clips = [rows[pk] for pk in dict.fromkeys(ids) if pk in rows]
    if len(clips) < len(set(ids)):
        raise BadInput("A clip of this ensemble is not in the library; bring it in, or leave it out.")
    common, names = _names(clips)
    with transaction.atomic():
        row = Ensemble.objects.create(name=free_name(name.strip()[: core.LONGEST_NAME] or common))
        for clip, performer in zip(clips, names, strict=True):
            EnsemblePerformer.objects.create(ensemble=row, clip=clip, name=performer)
        recording_of(row)
    return row


def _names(clips: Sequence[Clip]) -> tuple[str, list[str]]:
    """What the clips' names have in common, and what each performer is called."""
    for group in side_by_side([clip_value(clip).renamed(clip.name) for clip in clips]) if len(clips) > 1 else ():
        if len(group.members) == len(clips):
            return group.name, [name for _, name in sorted(group.members)]
    own = [clip.name.replace("_", " ").strip()[: core.LONGEST_NAME - 4] or "performer" for clip in clips]
    unique = [name if own.index(name) == n else f"{name} {n + 1}" for n, name in enumerate(own)]
    return " and ".join(own)[: core.LONGEST_NAME], unique


def free_name(name: str) -> str:
    """The name, with a number where an ensemble has it already."""
    made, number = name, 2
    while Ensemble.objects.filter(name=made).exists():
        made, number = f"{name[: core.LONGEST_NAME - 5]} {number}", number + 1
    return made


@transaction.atomic
def change(row: Ensemble, changes: Mapping[str, Any], base: int | None) -> None:
    """Change what is in an ensemble. Raises :class:`BadInput` for what cannot be, and
    :class:`~studio.platform.optimistic.Conflict` where others have changed the same since base."""
    row.refresh_from_db()
    now = {"name": row.name, "data": row.data, "performers": _people(row)}
    data = dict(row.data)
    for key in ("props", "meetings"):
        if changes.get(key) is not None:
            data[key] = changes[key]
    if changes.get("find_meetings"):
        data.pop("meetings", None)
    if changes.get("range") is not None:
        data["first"], data["last"] = changes["range"]
    if changes.get("whole"):
        data = {key: value for key, value in data.items() if key not in ("first", "last")}
    renamed = _change_people(row, changes.get("performers") or {})
    data = _renamed(data, renamed)
    name = row.name if changes.get("name") is None else str(changes["name"]).strip()
    row.claim(base, now, {"name": name, "data": data, "performers": _people(row)})
    row.name, row.data = name, data
    row.data = _data(value_of_ensemble(row))
    row.save(update_fields=["name", "data", *VERSION_FIELDS])
    recording_of(row)


def add_mesh(row: Ensemble, data: bytes, file: str, base: int | None) -> None:
    """A prop that is the mesh of a file, called after it, where it stands in the file. Raises as :func:`change` does,
    and :class:`BadInput` for a file without a mesh."""
    shape = reader.prop_shape(data, file)
    value = value_of_ensemble(row)
    taken = {prop.name for prop in value.props} | {performer.name for performer in value.performers}
    called = naming.free(PurePosixPath(file).stem.replace("_", " ").strip()[:100] or "prop", taken)
    prop = core.Prop(called, (replace(shape, at=(0.0, 0.0, 0.0)),), at=shape.at)
    table = core.to_json(value).get("props", [])
    change(row, {"props": [*table, core.to_plain(prop)]}, base)


def _data(value: core.Ensemble) -> dict[str, Any]:
    table = core.to_json(value)
    return {key: table[key] for key in ("props", "meetings", "first", "last") if key in table}


def _people(row: Ensemble) -> list[list[Any]]:
    return [[each.pk, each.name, each.shift] for each in row.performers.all()]


def _change_people(row: Ensemble, wanted: Mapping[str, Mapping[str, Any]]) -> dict[str, str]:
    """Names and shifts of performers; returns what was renamed to what."""
    people = {each.name: each for each in row.performers.all()}
    renamed: dict[str, str] = {}
    for name, changes in wanted.items():
        if name not in people:
            raise BadInput(f"{row.name}: there is no performer “{name}”; they are {', '.join(people)}.")
        each = people[name]
        if changes.get("shift") is not None:
            each.shift = changes["shift"]
        new = (changes.get("name") or name).strip()
        if new != name:
            if new in people or new in renamed.values():
                raise BadInput(f"{row.name}: “{new}” stands for two; give each performer a name of its own.")
            renamed[name] = each.name = new
        each.save()
    return renamed


def _renamed(value: Any, names: Mapping[str, str]) -> Any:
    """Data in which performers are called otherwise."""
    if isinstance(value, dict):
        return {
            key: names.get(content, content) if key == "who" else _renamed(content, names)
            for key, content in value.items()
        }
    return [_renamed(row, names) for row in value] if isinstance(value, list) else value


@transaction.atomic
def cast(row: Ensemble, chosen: Mapping[str, int], name: str = "") -> Casting:
    """Somebody for every performer. Raises :class:`BadInput` where one has nobody."""
    characters = _characters(row, chosen)
    usual = " and ".join(character.name for character in characters.values())
    made = _free_casting(row, name.strip() or usual[:100])
    casting = Casting.objects.create(ensemble=row, name=made)
    _keep_roles(casting, characters)
    return casting


@transaction.atomic
def recast(row: Casting, changes: Mapping[str, Any], base: int | None) -> None:
    """Change who plays whom, or how they are placed. Raises as :func:`change` does."""
    row.refresh_from_db()
    roles = {role.performer.name: role.character_id for role in row.roles.select_related("performer")}
    now = {"name": row.name, "cast": roles, "data": row.data}
    data = dict(row.data)
    for key in ("sizes", "placements", "ease"):
        if changes.get(key) is not None:
            data[key] = changes[key]
    if changes.get("space_said") or changes.get("space") is not None:
        data["space"] = changes.get("space")
    name = row.name if changes.get("name") is None else str(changes["name"]).strip()
    chosen = changes.get("cast")
    players = {**roles, **chosen} if chosen is not None else roles
    row.claim(base, now, {"name": name, "cast": players, "data": data})
    if name != row.name:
        name = _free_casting(row.ensemble, name)
    row.name, row.data = name, data
    value = value_of_casting(row)
    people = set(row.ensemble.performers.values_list("name", flat=True))
    for who in value.placements:
        if who not in people:
            raise BadInput(f"{now['name']}: there is no performer “{who}” to be placed.")
    row.data = {key: content for key, content in core.to_plain(value).items() if key not in ("name", "cast")}
    if chosen is not None:
        _keep_roles(row, _characters(row.ensemble, players))
    row.save(update_fields=["name", "data", *VERSION_FIELDS])


def _characters(row: Ensemble, chosen: Mapping[str, int]) -> dict[EnsemblePerformer, Character]:
    people = list(row.performers.select_related("clip__skeleton"))
    strangers = set(chosen) - {each.name for each in people}
    if strangers:
        raise BadInput(f"{row.name}: there is no performer “{min(strangers)}” to be cast.")
    found = {character.pk: character for character in Character.objects.filter(pk__in=chosen.values())}
    out = {}
    for each in people:
        character = found.get(chosen.get(each.name, -1))
        if character is None:
            raise BadInput(f"{row.name}: nobody plays “{each.name}”; choose a character of the cast.")
        out[each] = character
    return out


def _keep_roles(row: Casting, characters: Mapping[EnsemblePerformer, Character]) -> None:
    for performer, character in characters.items():
        fitting_for(performer.clip.skeleton, character)
        Role.objects.update_or_create(casting=row, performer=performer, defaults={"character": character})


def _free_casting(row: Ensemble, name: str) -> str:
    made, number = name[: core.LONGEST_NAME], 2
    while row.castings.filter(name=made).exists():
        made, number = f"{name[: core.LONGEST_NAME - 5]} {number}", number + 1
    return made
