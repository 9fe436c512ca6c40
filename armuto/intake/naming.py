"""Names by a rule: fields and plain words in a row, filled in for each clip, padded, and kept apart from each other.

A rule is a list of pieces. A word stands as it is; a field takes what is known of the clip. A field that is empty takes
the words that hang on it away with it, so that "walk — lantern" does not become "walk — " where there is no lantern.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from importlib import resources
from pathlib import PurePath
from typing import Any

from armuto.body.lexicon import PIECE

FIELDS = ("performer", "action", "manner", "prop", "number", "original", "skeleton", "folder", "character", "length")
STYLES = ("as it is", "lower case", "Capitals", "under_scores", "hyphen-ated")
GAPS = {"under_scores": "_", "hyphen-ated": "-"}
LONGEST = 180  # characters; file systems take 255 bytes


@dataclass(frozen=True)
class Word:
    """Plain text between fields."""

    text: str


@dataclass(frozen=True)
class Field:
    """name: one of FIELDS. width: digits a number is padded to."""

    name: str
    width: int = 2


@dataclass(frozen=True)
class Rule:
    """pieces in their order. style: one of STYLES, applied to the whole name."""

    pieces: tuple[Word | Field, ...]
    style: str = "as it is"


AS_IT_CAME = Rule((Field("original"),))


@dataclass(frozen=True)
class Facts:
    """What is known of one clip for naming; empty where nothing is. number: None where the name holds none."""

    original: str
    performer: str = ""
    action: str = ""
    manner: str = ""
    prop: str = ""
    number: int | None = None
    skeleton: str = ""
    folder: str = ""
    character: str = ""
    length: int = 0


@cache
def _words() -> dict[str, frozenset[str]]:
    table = json.loads(resources.files("armuto.body.lexicon").joinpath("motion.json").read_text("utf-8"))
    return {kind: frozenset(rows) for kind, rows in table.items() if isinstance(rows, list)}


def facts(path: str, clip: str = "", skeleton: str = "", length: int = 0) -> Facts:
    """Read a file's path and its clip's name: "night/porter_walk_tired_02.bvh" is the porter's second tired walk.

    Known words become action, manner and prop; the last number is the number; an unknown word before the action, or the
    folder where there is none, is the performer. clip: the name inside the file, where it holds several.
    """
    where = PurePath(path)
    original = _spaced(clip or where.stem)
    pieces = [piece.lower() for piece in PIECE.findall(original)]
    known = _words()
    taken: dict[str, list[str]] = {"action": [], "manner": [], "prop": []}
    before: list[str] = []
    number = None
    for piece in pieces:
        if piece.isdigit():
            number = int(piece[:9])
            continue
        kind = next((kind for kind in taken if piece in known[kind]), "")
        if kind:
            taken[kind].append(piece)
        elif not taken["action"] and piece not in known["fillers"] and len(piece) > 2:
            before.append(piece)
    return Facts(
        original=original,
        performer=" ".join(before) if taken["action"] else "",
        action=" ".join(taken["action"]),
        manner=" ".join(taken["manner"]),
        prop=" ".join(taken["prop"]),
        number=number,
        skeleton=skeleton,
        folder=where.parent.name,
        length=length,
    )


def _spaced(text: str) -> str:
    return " ".join(re.sub(r"[_\s]+", " ", text).split())


def name(rule: Rule, known: Facts) -> str:
    """The name of one clip by the rule; its original name where the rule gives nothing."""
    out: list[str] = []
    held = ""  # words that wait for the field after them
    dropped = False
    for piece in rule.pieces:
        if isinstance(piece, Word):
            # After an empty field, the words that would have followed it go too.
            held = held if dropped else held + piece.text
            continue
        value = _value(piece, known)
        if value:
            out += [held, value]
            held, dropped = "", False
        else:
            dropped = True
    tail = "" if dropped else held
    text = "".join(out) + (tail if out else "")
    return _styled(_clean(text) or _clean(known.original) or "clip", rule.style)


def _value(field: Field, known: Facts) -> str:
    value = getattr(known, field.name)
    if field.name == "number":
        return "" if value is None else f"{value:0{max(1, min(field.width, 9))}d}"
    if field.name == "length":
        return f"{value}" if value else ""
    return str(value)


def _clean(text: str) -> str:
    """Without what file systems refuse, no longer than they bear."""
    text = re.sub(r'[\x00-\x1f\x7f/\\:*?"<>|]+', " ", text)
    return " ".join(text.split())[:LONGEST].strip(" .")


def _styled(text: str, style: str) -> str:
    if style == "lower case":
        return text.lower()
    if style == "Capitals":
        return " ".join(word[:1].upper() + word[1:] for word in text.split())
    if style == "under_scores":
        return re.sub(r"\s+", "_", text)
    if style == "hyphen-ated":
        return re.sub(r"\s+", "-", text)
    return text


def names(rule: Rule, rows: Sequence[Facts], taken: Iterable[str] = ()) -> list[str]:
    """A name for every row, none twice and none that is taken; later ones get the next free number behind them."""
    used = {other.casefold() for other in taken}
    out = []
    for row in rows:
        own = _free(name(rule, row), used, GAPS.get(rule.style, " "))
        used.add(own.casefold())
        out.append(own)
    return out


def free(name: str, taken: Iterable[str]) -> str:
    """The name, or the name with the next free number behind it. Names that differ in case only are the same: files are
    called by them."""
    return _free(name, {other.casefold() for other in taken}, " ")


def free_names(names: Iterable[str], used: set[str]) -> list[str]:
    """Each of the names, or with the next free number behind it, none of them twice. used: names that are taken, in
    :meth:`str.casefold`; those given out are added."""
    out = []
    last: dict[str, int] = {}  # numbers that were given out, so that the search for the next begins there
    for name in names:
        out.append(_free(name, used, " ", last.get(name.casefold(), 2)))
        used.add(out[-1].casefold())
        if out[-1] != name:
            last[name.casefold()] = int(out[-1].rpartition(" ")[2])
    return out


def _free(name: str, used: set[str], gap: str, number: int = 2) -> str:
    if name.casefold() not in used:
        return name
    while f"{name}{gap}{number}".casefold() in used:
        number += 1
    return f"{name}{gap}{number}"


def to_json(rule: Rule) -> dict[str, Any]:
    """The rule as plain data: {"style": …, "pieces": [{"word": " "}, {"field": "number", "width": 2}]}."""
    pieces = [
        {"word": piece.text} if isinstance(piece, Word) else {"field": piece.name, "width": piece.width}
        for piece in rule.pieces
    ]
    return {"style": rule.style, "pieces": pieces}


def from_json(tree: Mapping[str, Any]) -> Rule:
    """Raises ValueError, in words for a person, for a field or a style that does not exist."""
    pieces: list[Word | Field] = []
    rows = tree.get("pieces", [])
    if not isinstance(rows, list) or len(rows) > 40:
        raise ValueError("a naming rule has a list of at most 40 pieces")
    for row in rows:
        if isinstance(row, Mapping) and isinstance(row.get("word"), str):
            pieces.append(Word(row["word"][:60]))
        elif isinstance(row, Mapping) and row.get("field") in FIELDS:
            width = row.get("width", 2)
            pieces.append(Field(str(row["field"]), int(width) if isinstance(width, int) else 2))
        else:
            raise ValueError(f"a naming rule has words and the fields {', '.join(FIELDS)}; “{row}” is neither")
    style = tree.get("style", STYLES[0])
    if style not in STYLES:
        raise ValueError(f"there is no style “{style}”; take one of {', '.join(STYLES)}")
    return Rule(tuple(pieces), str(style))
