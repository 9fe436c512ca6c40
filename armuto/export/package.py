"""A delivery: finished motion as files under their names, and the manifest that says what is in them."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import groupby
from typing import Any

from armuto import formats
from armuto.choices import UNITS
from armuto.constraints.root_bone import rooted, wants_root
from armuto.export import settings as delivery_settings
from armuto.export.check_positions import check_positions
from armuto.export.resampling import resample
from armuto.export.root_motion import apply_travel
from armuto.export.settings import DeliverySettings
from armuto.export.thinning import thin
from armuto.formats import Document
from armuto.intake import naming
from armuto.kinematics.clip import Clip
from armuto.kinematics.keys import Keys
from armuto.retarget import settings
from armuto.retarget.fitting import Fitting

FORMAT = 1


@dataclass(frozen=True)
class Result:
    """One finished motion that goes out. name: of the motion within its file, and of the file where it has one for
    itself.

    about: what the manifest says of it beside what is measured here. key: of whom it is, to tell characters apart.
    part: where it is one of several figures in its file, what it is called there; join: makes that file of those of its
    parts by their names, in a form and so many frames a second.
    """

    key: Any
    name: str
    clip: Clip
    fitting: Fitting
    character: str
    document: Document
    about: Mapping[str, Any]
    part: str = ""
    join: Callable[[Mapping[str, bytes], formats.Form, float], bytes] | None = None


@dataclass(frozen=True)
class File:
    """A file of the delivery, with the rows of the manifest that speak of what is in it."""

    name: str
    content: bytes
    rows: tuple[dict[str, Any], ...]


def file_names(settings: DeliverySettings, rule: naming.Rule, rows: Sequence[tuple[str, naming.Facts]]) -> list[str]:
    """The name of the file that each result goes into, by the naming rule; no two files have the same.

    rows: the character of each result, and what is known of its clip. Where all clips of a character go together, the
    file has the character's name.
    """
    if settings.together and settings.kind == "glb":
        characters = list(dict.fromkeys(character for character, _ in rows))
        facts = [naming.Facts(original=character, character=character) for character in characters]
        by = dict(zip(characters, naming.names(naming.AS_IT_CAME, facts), strict=True))
        stems = [by[character] for character, _ in rows]
    else:
        stems = naming.names(rule, [replace(facts, character=character) for character, facts in rows])
    return [f"{stem}.{settings.kind}" for stem in stems]


def clashing(settings: DeliverySettings, rule: naming.Rule, rows: Sequence[tuple[str, naming.Facts]]) -> set[int]:
    """The results to which the rule by itself would give the name of another one, so that a number had to be added."""
    if settings.together and settings.kind == "glb":
        return set()
    plain = [naming.name(rule, replace(facts, character=character)).casefold() for character, facts in rows]
    return {number for number, name in enumerate(plain) if plain.count(name) > 1}


def prepare(result: Result, settings: DeliverySettings) -> tuple[Clip, Keys | None]:
    """A result's motion as it goes out: its travel, its frame rate, its name, and which of its keys are kept."""
    clip = result.clip
    if settings.travel != "as made":
        clip = apply_travel(clip, result.fitting, settings.travel)
    elif wants_root(result.fitting) and clip.skeleton.names == result.document.skeleton.names:
        clip = rooted(clip, result.fitting)
    if settings.fps is not None:
        clip = resample(clip, settings.fps)
    clip = replace(clip, name=result.name)
    keys = thin(clip, settings.thinned.bound) if settings.thinned and settings.kind == "glb" else None
    return clip, keys


def pack(results: Iterable[tuple[str, Result]], wanted: DeliverySettings) -> Iterator[File]:
    """The files of a delivery, one after another.

    Parameters
    ----------
    results : iterable of (str, Result)
        Each with the name of its file; those of one file follow each other.
    wanted : DeliverySettings

    Yields
    ------
    File
        Its name, its content, and the rows of the manifest that speak of what is in it. One file is in memory at a
        time.

    Raises
    ------
    BadInput
        For a result that cannot go out as it is wanted.
    """
    for name, group in groupby(results, key=lambda row: row[0]):
        members = [result for _, result in group]
        made = [prepare(result, wanted) for result in members]
        form = formats.Form(mesh=wanted.mesh, first=wanted.first, unit=UNITS[wanted.unit], up=wanted.up)
        if members[0].join is None:
            own = replace(form, keys=tuple(keys for _, keys in made))
            content = formats.write([clip for clip, _ in made], members[0].document, wanted.kind, form=own)
        else:
            parts = {
                result.part: formats.write([clip], result.document, wanted.kind, form=replace(form, keys=(keys,)))
                for result, (clip, keys) in zip(members, made, strict=True)
            }
            content = members[0].join(parts, form, made[0][0].fps)
        sha = hashlib.sha256(content).hexdigest()
        rows = []
        for result, (clip, keys) in zip(members, made, strict=True):
            row: dict[str, Any] = {"file": name, "clip": clip.name, "character": result.character}
            row |= {"frames": clip.frames, "fps": clip.fps, "first": wanted.first}
            row |= dict(result.about) | {"settings": settings.to_json(result.fitting.settings)}
            row["check"] = check_positions(clip, result.document, wanted)
            if result.part:
                row["part"] = result.part
            if keys is not None:
                row["thinned"] = {
                    "keys": keys.kept,
                    "of": keys.of,
                    "degrees": round(keys.degrees, 4),
                    "centimetres": round(keys.metres * 100, 4),
                }
            rows.append(row | {"bytes": len(content), "sha256": sha})
        yield File(name, content, tuple(rows))


def manifest(rows: Sequence[Mapping[str, Any]], settings: DeliverySettings, **about: Any) -> dict[str, Any]:
    """What a delivery is: documented in docs/formats.md."""
    return {"armuto_delivery": FORMAT, **about, "wanted": delivery_settings.to_json(settings), "results": list(rows)}
