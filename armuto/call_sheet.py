"""Call sheets as tables: wanted motions read from what people keep in spreadsheets, and written for them again.

Comma-separated values after RFC 4180; semicolons and tabs are read as well, as spreadsheets write and paste them. The
first row may name the columns in any order; without names they stand as :data:`COLUMNS` has them.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date

from armuto.errors import BadInput

COLUMNS = ("Motion", "Characters", "Mood", "Prop", "Variants", "Due", "Note")
#: How else people name the columns.
NAMES = {
    "motion": ("motion", "wanted", "action", "move", "movement", "description", "what", "name", "shot"),
    "characters": ("characters", "character", "for", "who", "cast", "performer", "performers"),
    "mood": ("mood", "how", "manner", "feeling", "style", "emotion"),
    "prop": ("prop", "props", "object", "with"),
    "variants": ("variants", "variant", "number", "count", "takes", "how many", "versions", "quantity"),
    "due": ("due", "date", "due date", "by", "deadline", "until"),
    "note": ("note", "notes", "remark", "remarks", "comment", "comments"),
}
LONGEST = 500  # characters of a cell
MOST_ROWS = 1_000
MOST_VARIANTS = 99
ISO = re.compile(r"(\d{4})-(\d{1,2})-(\d{1,2})")
DOTTED = re.compile(r"(\d{1,2})\.\s?(\d{1,2})\.\s?(\d{4})")
SLASHED = re.compile(r"(\d{1,2})/(\d{1,2})/(\d{4})")
#: What a spreadsheet would take for a formula.
FORMULA = ("=", "+", "-", "@", "\t", "\r")


@dataclass(frozen=True)
class WantedRow:
    """A motion that is wanted. characters: by their names, as they are written. variants: how many different clips."""

    motion: str
    characters: tuple[str, ...] = ()
    mood: str = ""
    prop: str = ""
    variants: int = 1
    due: date | None = None
    note: str = ""


def decoded(data: bytes, name: str) -> str:
    """The text of a file as spreadsheets write it: UTF-8 or UTF-16 with a mark at its beginning, UTF-8 without, or else
    Western European. Raises :class:`BadInput` for what is no text."""
    encoding = "utf-16" if data[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-8-sig"
    try:
        text = data.decode(encoding)
    except UnicodeDecodeError:
        text = data.decode("cp1252", errors="replace")
    if "\0" in text:
        raise BadInput(f"{name}: this is no table of text; save the sheet as CSV and bring in that.")
    return text


def read_rows(text: str, name: str = "What was pasted") -> tuple[list[WantedRow], list[str]]:
    """The wanted motions of a table, and a sentence for each value that could not be taken as it is, which is kept in
    its row's note. Raises :class:`BadInput` where there is no row in it, or too many are."""
    text = text.removeprefix("\ufeff")
    if not text.strip():
        raise BadInput(f"{name}: there is nothing in it; copy the rows of the sheet and try again.")
    try:
        table = list(csv.reader(io.StringIO(text, newline=""), delimiter=_delimiter(text), strict=False))
    except csv.Error as problem:
        raise BadInput(f"{name}: it cannot be read as a table ({problem}); save the sheet as CSV again.") from None
    rows = [(number, [_plain(cell) for cell in row]) for number, row in enumerate(table, 1)]
    rows = [(number, row) for number, row in rows if any(row)]
    order = _columns(rows[0][1]) if rows else None
    if order is not None:
        rows = rows[1:]
        if "motion" not in order:
            raise BadInput(f"{name}: no column is called “Motion”; name the one with the wanted motions so.")
    if not rows:
        raise BadInput(f"{name}: it names its columns, but has no row; fill in the motions that are wanted.")
    if len(rows) > MOST_ROWS:
        raise BadInput(f"{name}: it has {len(rows):,} rows; a call sheet takes up to {MOST_ROWS:,} at once.")
    order = order or [column.lower() for column in COLUMNS]
    wanted, problems = [], []
    for number, cells in rows:
        values = {column: cell for column, cell in zip(order, cells, strict=False) if column}
        if not values.get("motion"):
            problems.append(f"{name}, row {number}: no motion is said, so it was left out.")
            continue
        row, wrong = _row(values)
        wanted.append(row)
        problems += [f"{name}, row {number}: {sentence}" for sentence in wrong]
    return wanted, problems


def write_rows(rows: Iterable[WantedRow]) -> str:
    """The rows as comma-separated values with the names of the columns, for spreadsheets of any kind: with a mark of
    its encoding at the beginning, and nothing that would be taken for a formula."""
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(COLUMNS)
    for row in rows:
        due = row.due.isoformat() if row.due else ""
        cells = (row.motion, "; ".join(row.characters), row.mood, row.prop, str(row.variants), due, row.note)
        writer.writerow([f"'{cell}" if cell.startswith(FORMULA) else cell for cell in cells])
    return "\ufeff" + out.getvalue()


def _delimiter(text: str) -> str:
    """What parts the cells: whichever the first rows have most of, outside of quotes."""
    first = re.sub(r'"[^"]*"', "", "\n".join(text.splitlines()[:5]))
    return max("\t;,", key=first.count)


def _plain(cell: str) -> str:
    cell = " ".join(cell.split())
    return cell[1:] if cell.startswith("'") and cell[1:].startswith(FORMULA) else cell


def _columns(cells: Sequence[str]) -> list[str] | None:
    """Which column each cell of a first row names, or None where it is a row as the others."""
    named = [
        next((column for column, names in NAMES.items() if " ".join(cell.lower().rstrip(":?").split()) in names), "")
        for cell in cells
    ]
    filled = sum(bool(cell) for cell in cells)
    # A table of motions alone may be headed by one word; of several columns, at least half are named.
    if not any(named) or sum(map(bool, named)) * 2 < filled:
        return None
    return [column if column not in named[:at] else "" for at, column in enumerate(named)]


def _row(values: dict[str, str]) -> tuple[WantedRow, list[str]]:
    wrong, kept = [], []
    row = WantedRow(motion=values["motion"])
    for column in ("motion", "mood", "prop"):
        text = values.get(column, "")
        if len(text) > LONGEST:
            wrong.append(f"what it says for {column} is longer than {LONGEST} letters; the rest is in its note.")
            kept.append(text[LONGEST:])
        row = replace(row, **{column: text[:LONGEST]})  # type: ignore[arg-type]
    row = replace(row, characters=names_of(values.get("characters", "")))
    for column, read in (("variants", variants_of), ("due", date_of)):
        text = values.get(column, "")
        try:
            row = replace(row, **{column: read(text)}) if text else row  # type: ignore[arg-type]
        except BadInput as problem:
            wrong.append(f"{problem} What it says is in its note.")
            kept.append(f"{column}: {text}")
    note = "; ".join(part for part in (values.get("note", ""), *kept) if part)
    return replace(row, note=note[: 4 * LONGEST]), wrong


def names_of(text: str) -> tuple[str, ...]:
    """The names in a cell, parted by commas, semicolons, plus signs or “and”; each once."""
    names = (" ".join(name.split()) for name in re.split(r"[,;+&/]|\band\b", text))
    return tuple(dict.fromkeys(name for name in names if name))


def variants_of(text: str) -> int:
    """Raises :class:`BadInput` for what is no number of variants."""
    number = text.removesuffix(".0").removesuffix("x").removesuffix("×").strip()
    if not (number.isdecimal() and number.isascii() and 1 <= int(number[:6]) <= MOST_VARIANTS):
        raise BadInput(f"“{text[:40]}” is no number of variants from 1 to {MOST_VARIANTS}; one is asked for.")
    return int(number)


def date_of(text: str) -> date:
    """A day as 2026-12-01 or 1.12.2026; with slashes only where it can be read in one way. Raises :class:`BadInput`."""
    if match := ISO.match(text):
        year, month, day = map(int, match.groups())
    elif match := DOTTED.fullmatch(text):
        day, month, year = map(int, match.groups())
    elif match := SLASHED.fullmatch(text):
        first, second, year = map(int, match.groups())
        if first <= 12 and second <= 12 and first != second:
            raise BadInput(f"“{text}” may be two different days; write it as {year}-{first:02}-{second:02}.")
        day, month = (first, second) if first > 12 else (second, first)
    else:
        raise BadInput(f"“{text[:40]}” is no day that can be read; write it as 2026-12-01.")
    try:
        return date(year, month, day)
    except ValueError:
        raise BadInput(f"“{text[:40]}” is no day of the calendar; write it as 2026-12-01.") from None
