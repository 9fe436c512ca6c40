"""A delivery: finished motion as files under their names, and the manifest that says what is in them."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import groupby
from typing import Any, TypeGuard

from armuto import formats
from armuto.choices import DECLARABLE, UNITS, UP_AXES, WRITTEN
from armuto.constraints.root_bone import rooted, wants_root
from armuto.errors import BadInput
from armuto.export.resampling import resample
from armuto.export.root_motion import TRAVEL_MODES, apply_travel
from armuto.export.thinning import Bound, thin
from armuto.formats import Document
from armuto.intake import naming
from armuto.kinematics.clip import Clip
from armuto.kinematics.keys import Keys
from armuto.retarget import settings
from armuto.retarget.fitting import Fitting

FORMAT = 1
KINDS = WRITTEN
RATES = (1.0, 480.0)


@dataclass(frozen=True)
class DeliverySettings:
    """How a delivery is to come out.

    kind: one of KINDS. mesh: with the figure's mesh, where the format holds one. together: all clips of a character in
    one file, for "glb". fps: frames per second, or None for each clip's own. unit: a key of
    :data:`armuto.choices.UNITS`, and up: one of UP_AXES, of those that the format can declare; a "glb" is always in
    metres and +Y up. thinned: how far keys may be thinned, for "glb", or None. travel: one of
    :data:`armuto.export.root_motion.TRAVEL_MODES`. first: the number of the first frame. fittings: whether the fittings
    go along.
    """

    kind: str = "glb"
    mesh: bool = True
    together: bool = False
    fps: float | None = None
    unit: str = "cm"
    up: str = "+Y"
    thinned: Bound | None = None
    travel: str = "as made"
    first: int = 0
    fittings: bool = False


@dataclass(frozen=True)
class Result:
    """One finished motion that goes out. name: of the motion within its file, and of the file where it has one for
    itself.

    about: what the manifest says of it beside what is measured here. key: of whom it is, to tell characters apart.
    """

    key: Any
    name: str
    clip: Clip
    fitting: Fitting
    character: str
    document: Document
    about: Mapping[str, Any]


@dataclass(frozen=True)
class File:
    """A file of the delivery, with the rows of the manifest that speak of what is in it."""

    name: str
    content: bytes
    rows: tuple[dict[str, Any], ...]


def settings_from_json(tree: Mapping[str, Any]) -> DeliverySettings:
    """Read what is wanted from plain data. Raises :class:`BadInput` with one sentence for whatever cannot be meant."""
    made = DeliverySettings()
    known = set(DeliverySettings.__dataclass_fields__)
    for key, value in tree.items():
        if key not in known:
            raise BadInput(f"Delivery: there is no option “{key}”; there are {', '.join(sorted(known))}.")
        if key == "thinned" and value is not None:
            value = _bound(value)
        made = replace(made, **{key: value})
    choices = (("kind", KINDS), ("unit", tuple(UNITS)), ("up", UP_AXES), ("travel", TRAVEL_MODES))
    for key, allowed in choices:
        if getattr(made, key) not in allowed:
            raise BadInput(f"Delivery: {key} cannot be “{getattr(made, key)}”; take one of {', '.join(allowed)}.")
    able = DECLARABLE.get(made.kind, UP_AXES)
    if made.up not in able:
        raise BadInput(f"Delivery: {made.kind} cannot say that {made.up} is up; take one of {', '.join(able)}.")
    for key in ("mesh", "together", "fittings"):
        if not isinstance(getattr(made, key), bool):
            raise BadInput(f"Delivery: {key} is either true or false.")
    if made.fps is not None and not (_number(made.fps) and RATES[0] <= made.fps <= RATES[1]):
        raise BadInput(f"Delivery: a frame rate lies between {RATES[0]:g} and {RATES[1]:g} per second.")
    if not isinstance(made.first, int) or isinstance(made.first, bool) or not 0 <= made.first <= 1_000_000:
        raise BadInput("Delivery: the number of the first frame is a whole number from 0 to 1,000,000.")
    return made


def _number(value: Any) -> TypeGuard[float]:
    return isinstance(value, (int, float)) and not isinstance(value, bool)


def _bound(tree: Any) -> Bound:
    degrees, centimetres = (tree.get(key) if isinstance(tree, Mapping) else None for key in ("degrees", "centimetres"))
    if not (_number(degrees) and _number(centimetres) and 0 < degrees <= 45 and 0 < centimetres <= 45):
        raise BadInput("Delivery: thinning is bound by degrees and centimetres, both above 0 and at most 45.")
    return Bound(float(degrees), float(centimetres) / 100)


def to_json(wanted: DeliverySettings) -> dict[str, Any]:
    """What is wanted as plain data, as :func:`settings_from_json` reads it."""
    out = dict(vars(wanted))
    bound = wanted.thinned
    out["thinned"] = bound and {"degrees": bound.degrees, "centimetres": round(bound.metres * 100, 6)}
    return out


def file_names(wanted: DeliverySettings, rule: naming.Rule, rows: Sequence[tuple[str, naming.Facts]]) -> list[str]:
    """The name of the file that each result goes into, by the naming rule; no two files have the same.

    rows: the character of each result, and what is known of its clip. Where all clips of a character go together, the
    file has the character's name.
    """
    if wanted.together and wanted.kind == "glb":
        characters = list(dict.fromkeys(character for character, _ in rows))
        facts = [naming.Facts(original=character, character=character) for character in characters]
        by = dict(zip(characters, naming.names(naming.AS_IT_CAME, facts), strict=True))
        stems = [by[character] for character, _ in rows]
    else:
        stems = naming.names(rule, [replace(facts, character=character) for character, facts in rows])
    return [f"{stem}.{wanted.kind}" for stem in stems]


def clashing(wanted: DeliverySettings, rule: naming.Rule, rows: Sequence[tuple[str, naming.Facts]]) -> set[int]:
    """The results to which the rule by itself would give the name of another one, so that a number had to be added."""
    if wanted.together and wanted.kind == "glb":
        return set()
    plain = [naming.name(rule, replace(facts, character=character)).casefold() for character, facts in rows]
    return {number for number, name in enumerate(plain) if plain.count(name) > 1}


def prepare(result: Result, wanted: DeliverySettings) -> tuple[Clip, Keys | None]:
    """A result's motion as it goes out: its travel, its frame rate, its name, and which of its keys are kept."""
    clip = result.clip
    if wanted.travel != "as made":
        clip = apply_travel(clip, result.fitting, wanted.travel)
    elif wants_root(result.fitting) and clip.skeleton.names == result.document.skeleton.names:
        clip = rooted(clip, result.fitting)
    if wanted.fps is not None:
        clip = resample(clip, wanted.fps)
    clip = replace(clip, name=result.name)
    keys = thin(clip, wanted.thinned) if wanted.thinned and wanted.kind == "glb" else None
    return clip, keys


def pack(results: Iterable[tuple[str, Result]], wanted: DeliverySettings) -> Iterator[File]:
    """The files of a delivery one after another. results: with the file name of each; those of one file follow each
    other."""
    for name, group in groupby(results, key=lambda row: row[0]):
        members = [result for _, result in group]
        made = [prepare(result, wanted) for result in members]
        form = formats.Form(
            mesh=wanted.mesh,
            first=wanted.first,
            unit=UNITS[wanted.unit],
            up=wanted.up,
            keys=tuple(keys for _, keys in made),
        )
        content = formats.write([clip for clip, _ in made], members[0].document, wanted.kind, form=form)
        sha = hashlib.sha256(content).hexdigest()
        rows = []
        for result, (clip, keys) in zip(members, made, strict=True):
            row: dict[str, Any] = {"file": name, "clip": clip.name, "character": result.character}
            row |= {"frames": clip.frames, "fps": clip.fps, "first": wanted.first}
            row |= dict(result.about) | {"settings": settings.to_json(result.fitting.settings)}
            if keys is not None:
                row["thinned"] = {
                    "keys": keys.kept,
                    "of": keys.of,
                    "degrees": round(keys.degrees, 4),
                    "centimetres": round(keys.metres * 100, 4),
                }
            rows.append(row | {"bytes": len(content), "sha256": sha})
        yield File(name, content, tuple(rows))


def manifest(rows: Sequence[Mapping[str, Any]], wanted: DeliverySettings, **about: Any) -> dict[str, Any]:
    """What a delivery is: documented in docs/formats.md."""
    return {"armuto_delivery": FORMAT, **about, "wanted": to_json(wanted), "results": list(rows)}
