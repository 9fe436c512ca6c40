"""Names of a convention for the bones of a skeleton that was made from landmarks."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from armuto.errors import BadInput
from armuto.rigging.landmark_sets import FINGERS

SERIES = re.compile(r"(spine|neck|tail)( \d+)?")
FINGER = re.compile(rf"(left|right) ({'|'.join(FINGERS)}) ([123])")
SEGMENTS = ("proximal", "intermediate", "distal")
THUMB_SEGMENTS = ("metacarpal", "proximal", "distal")
LAST_NUMBER = re.compile(r"(\d+)(\D*)$")
LONGEST_NAME = 120
MOST_PARTS = 500


@dataclass(frozen=True)
class BoneNaming:
    """What a convention calls bones. pattern: its name. parts: bone names from the trunk outwards, by the part of the
    body plan (:class:`armuto.pairing.patterns.Pattern`)."""

    pattern: str
    parts: Mapping[str, tuple[str, ...]]

    def names_of(self, bones: Sequence[str]) -> dict[str, str]:
        """The name of each bone, by our own name of it.

        A bone of a part that the convention does not name keeps ours. Where it names fewer bones of a part than there
        are, its numbers go on; where it names more, they are taken from the first on, or spread where they are no
        numbers. No two are alike, whatever their case.
        """
        own: dict[str, list[str]] = {}
        for bone in bones:
            own.setdefault(part_of(bone), []).append(bone)
        out: dict[str, str] = {}
        for part, members in own.items():
            given = self.parts.get(part, ())
            names = _of_so_many(given, len(members)) if given else members
            out |= dict(zip(members, names, strict=True))
        taken: set[str] = set()
        # Names that are given come before those that are left.
        for bone in sorted(out, key=lambda bone: out[bone] == bone):
            name, number = out[bone], 2
            while out[bone].casefold() in taken:
                out[bone], number = f"{name} {number}", number + 1
            taken.add(out[bone].casefold())
        return {bone: out[bone] for bone in bones}


def part_of(bone: str) -> str:
    """The part of a body plan that a bone of :func:`armuto.rigging.skeleton.skeleton_from` is, or is one of."""
    if series := SERIES.fullmatch(bone):
        return series[1]
    if finger := FINGER.fullmatch(bone):
        side, name, number = finger.groups()
        return f"{side} {name} {(THUMB_SEGMENTS if name == 'thumb' else SEGMENTS)[int(number) - 1]}"
    return bone


def _of_so_many(names: Sequence[str], count: int) -> list[str]:
    stems = {LAST_NUMBER.sub(r"#\2", name) for name in names}
    if count < len(names) and len(stems) > 1:
        return [names[round(place)] for place in np.linspace(0, len(names) - 1, count)]
    out = list(names[:count])
    while len(out) < count:
        out.append(_next(out[-1]))
    return out


def _next(name: str) -> str:
    """The name that follows another in a row: its last number, with as many digits, and one."""
    if found := LAST_NUMBER.search(name):
        return f"{name[: found.start()]}{int(found[1]) + 1:0{len(found[1])}}{found[2]}"
    return f"{name}2"


def to_json(naming: BoneNaming) -> dict[str, Any]:
    return {"pattern": naming.pattern, "parts": {part: list(names) for part, names in naming.parts.items()}}


def from_json(data: Any, file: str) -> BoneNaming | None:
    """Raises :class:`BadInput` for what is no naming."""
    if data is None:
        return None
    parts = data.get("parts") if isinstance(data, dict) else None
    if (
        not isinstance(parts, dict)
        or not isinstance(data.get("pattern"), str)
        or len(parts) > MOST_PARTS
        or not all(isinstance(names, list) and names and all(map(_is_name, names)) for names in parts.values())
    ):
        raise BadInput(f"{file}: “naming” has a pattern's name, and for each of its parts the names of its bones.")
    return BoneNaming(data["pattern"][:LONGEST_NAME], {part: tuple(names) for part, names in parts.items()})


def _is_name(name: Any) -> bool:
    return isinstance(name, str) and 0 < len(name.strip()) <= LONGEST_NAME
