"""Writing the call sheet: rows of it, tables of rows, and the clips chosen for each."""

from collections.abc import Iterable, Mapping, Sequence
from datetime import date
from typing import Any

from django.db import transaction
from django.db.models import Max

from armuto import call_sheet
from armuto.errors import BadInput
from studio.callsheet.models import WantedMotion
from studio.cast.models import Character
from studio.library.models import Clip
from studio.platform.optimistic import Conflict

MOST = 5_000  # rows
LONGEST_NOTE = 4 * call_sheet.LONGEST
FIELDS = ("motion", "character_ids", "awaited", "mood", "prop", "variants", "due", "note", "clip_ids")


def fields_of(row: WantedMotion) -> dict[str, Any]:
    """Everything that a person says of a wanted motion."""
    return {
        "motion": row.motion,
        "character_ids": [character.pk for character in row.characters.all()],
        "awaited": row.awaited,
        "mood": row.mood,
        "prop": row.prop,
        "variants": row.variants,
        "due": row.due,
        "note": row.note,
        "clip_ids": sorted(clip.pk for clip in row.clips.all()),
    }


@transaction.atomic
def create(rows: Sequence[Mapping[str, Any]]) -> list[WantedMotion]:
    """New rows at the end. Raises :class:`BadInput` where there would be too many, or for values that cannot be."""
    count = WantedMotion.objects.count()
    if count + len(rows) > MOST:
        raise BadInput(f"The call sheet has {count:,} rows, and takes {MOST:,}; take some away first.")
    out = []
    for wanted in rows:
        row = WantedMotion()
        _set(row, _checked(wanted))
        out.append(row)
    return out


@transaction.atomic
def change(wanted_id: int, wanted: Mapping[str, Any], base: int | None) -> dict[str, Any]:
    """Change what is given; returns the step (:func:`restore`). Raises :class:`BadInput`, and :class:`Conflict` where
    others have changed the same since base."""
    row = WantedMotion.objects.get(pk=wanted_id)
    was = fields_of(row)
    fields = _checked({name: value for name, value in wanted.items() if name in FIELDS})
    row.claim(base, {name: _comparable(was[name]) for name in fields}, _comparables(fields))
    _set(row, fields)
    return {"id": row.pk, "was": was, "now": fields_of(_read(row.pk))}


@transaction.atomic
def remove(wanted_id: int, base: int | None) -> dict[str, Any]:
    """Take a row away; returns the step (:func:`restore`)."""
    row = WantedMotion.objects.get(pk=wanted_id)
    row.claim_whole(base)
    step = {"id": row.pk, "was": fields_of(row), "now": None}
    row.delete()
    return step


@transaction.atomic
def restore(steps: Iterable[Mapping[str, Any]]) -> list[dict[str, Any]]:
    """Take steps back: what each has changed becomes as it was; returns the steps that make them again. was, now: all
    fields of a row before and after, None where it was not there. Raises :class:`Conflict` where that has been changed
    otherwise since."""
    return [_restore(step["id"], step["was"], step["now"]) for step in steps]


def _restore(pk: int, was: Mapping[str, Any] | None, now: Mapping[str, Any] | None) -> dict[str, Any]:
    row = WantedMotion.objects.filter(pk=pk).first()
    current = fields_of(row) if row else None
    touched = [name for name in FIELDS if not _alike(was, now, (name,))]
    if not _alike(current, now, touched):
        name = str(row or (was or now or {}).get("motion", "a row"))
        raise Conflict(f"Somebody else has changed “{name}” since; look at it, then change it by hand.")
    if was is None:
        if row:
            row.delete()
        return {"id": pk, "was": current, "now": None}
    if row is None:
        # A row comes back under its number; one that is far off would leave none for those to come.
        last = WantedMotion.objects.aggregate(last=Max("pk"))["last"] or 0
        if pk > last + MOST:
            raise BadInput("There was no such row on the call sheet; write it anew.")
        row = WantedMotion(pk=pk)
    # What is gone from cast and library meanwhile stays away; the row comes back without it.
    fields = _checked({name: was[name] for name in touched}, lenient=True)
    row.claim(None, {name: current and _comparable(current[name]) for name in fields}, _comparables(fields))
    _set(row, fields)
    return {"id": pk, "was": current, "now": fields_of(_read(pk))}


def _alike(a: Mapping[str, Any] | None, b: Mapping[str, Any] | None, names: Iterable[str]) -> bool:
    """Whether two states of a row agree in some fields, or it is there in neither."""
    if a is None or b is None:
        return a is b
    return all(_comparable(a[name]) == _comparable(b[name]) for name in names)


def _read(wanted_id: int) -> WantedMotion:
    return WantedMotion.objects.get(pk=wanted_id)


def read_table(text: str, name: str) -> tuple[list[WantedMotion], list[str]]:
    """The rows of a table, added at the end, and a sentence for each value that could not be taken as it is. Raises
    :class:`BadInput` where there is no table in it."""
    rows, problems = call_sheet.read_rows(text, name)
    known = _by_name()
    wanted: list[dict[str, Any]] = []
    for row in rows:
        present = [known[key] for who in row.characters if (key := _key(who)) in known]
        awaited = [who for who in row.characters if _key(who) not in known]
        fields = {"motion": row.motion, "mood": row.mood, "prop": row.prop, "variants": row.variants, "due": row.due}
        wanted.append(fields | {"note": row.note, "character_ids": list(dict.fromkeys(present)), "awaited": awaited})
    away = sorted({who for row in wanted for who in row["awaited"]})
    if away:
        shown = ", ".join(away[:5]) + (f" and {len(away) - 5} more" if len(away) > 5 else "")
        problems.append(f"Not in the cast yet: {shown}. They are kept by name until they are.")
    return create(wanted), problems


def resolve(rows: Iterable[WantedMotion]) -> None:
    """Let characters who are in the cast by now take the place of their names."""
    known: dict[str, int] | None = None
    for row in rows:
        if row.awaited:
            known = _by_name() if known is None else known
            came = [known[_key(name)] for name in row.awaited if _key(name) in known]
            if came:
                row.characters.add(*came)
                row.awaited = [name for name in row.awaited if _key(name) not in known]
                row.save(update_fields=["awaited"])


def _by_name() -> dict[str, int]:
    rows = Character.objects.filter(retired=False).order_by("-pk").values_list("name", "pk")
    return {_key(name): pk for name, pk in rows}


def _key(name: str) -> str:
    """Names that people would take for the same: “Bell-Ringer” and “bellringer”."""
    return "".join(letter for letter in name.casefold() if letter.isalnum()) or name


def _set(row: WantedMotion, fields: Mapping[str, Any]) -> None:
    for name in set(fields) - {"character_ids", "clip_ids"}:
        setattr(row, name, fields[name])
    row.save()
    if "character_ids" in fields:
        row.characters.set(fields["character_ids"])
    if "clip_ids" in fields:
        row.clips.set(fields["clip_ids"])


def _checked(wanted: Mapping[str, Any], lenient: bool = False) -> dict[str, Any]:
    """The fields as they are kept. lenient: leave out characters and clips that there are not. Raises
    :class:`BadInput`."""
    fields = dict(wanted)
    for name in ("motion", "mood", "prop", "note"):
        if fields.get(name) is not None:
            longest = LONGEST_NOTE if name == "note" else call_sheet.LONGEST
            text = str(fields[name]).strip() if name == "note" else " ".join(str(fields[name]).split())
            if len(text) > longest:
                raise BadInput(f"{name}: it is {len(text):,} letters long; say it in {longest:,}.")
            fields[name] = text
    if "motion" in fields and not fields["motion"]:
        raise BadInput("A row of the call sheet needs a motion; say in words what is wanted.")
    if "variants" in fields and not 1 <= fields["variants"] <= call_sheet.MOST_VARIANTS:
        raise BadInput(f"variants: there may be 1 to {call_sheet.MOST_VARIANTS} of them.")
    if "awaited" in fields:
        names = dict.fromkeys(" ".join(str(name).split())[:255] for name in fields["awaited"])
        fields["awaited"] = [name for name in names if name]
    for name, model in (("character_ids", Character), ("clip_ids", Clip)):
        if name in fields:
            ids = list(dict.fromkeys(fields[name]))
            there = set(model.objects.filter(pk__in=ids).values_list("pk", flat=True))
            if not lenient and len(there) < len(ids):
                raise BadInput("Something chosen for this row has been removed meanwhile; look at it again.")
            fields[name] = [pk for pk in ids if pk in there]
    return fields


def _comparable(value: Any) -> Any:
    return value.isoformat() if isinstance(value, date) else sorted(value) if isinstance(value, list) else value


def _comparables(fields: Mapping[str, Any]) -> dict[str, Any]:
    return {name: _comparable(value) for name, value in fields.items()}
