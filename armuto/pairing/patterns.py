"""Patterns: how a naming convention names the parts of a body. Kept as JSON, documented in docs/patterns.md."""

from __future__ import annotations

import json
import re
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from importlib import resources
from itertools import pairwise
from typing import Annotated, Any, Self

from pydantic import BaseModel, Field, TypeAdapter, field_validator, model_validator

from armuto.body.names import without_prefix
from armuto.body.parts import Assignment, PartBone
from armuto.body.plans import NAMES, BodyPlan, body_plan
from armuto.errors import BadInput
from armuto.kinematics.skeleton import Skeleton
from armuto.pairing import Pair
from armuto.text import shown
from armuto.validation import STRICT, read

FORMAT = 1
ENOUGH = 0.7  # of a pattern's bones that a skeleton must have for the pattern to recognise it
NUMBER = re.compile(r"\d+")


@dataclass(frozen=True)
class Pattern:
    """parts: part name to bone names from the trunk outwards, without the prefix that a file may put before all of
    them.

    plan: the body plan its parts belong to. left_out: parts that are not paired on purpose.
    """

    name: str
    plan: str
    parts: dict[str, tuple[str, ...]]
    about: str = ""
    left_out: tuple[str, ...] = ()

    @property
    def bones(self) -> int:
        return sum(len(names) for names in self.parts.values())


class PatternFile(BaseModel):
    """The JSON form of a pattern."""

    model_config = STRICT

    armuto_pattern: int
    name: str
    plan: str
    about: str | None = ""
    parts: dict[str, Annotated[list[Annotated[str, Field(min_length=1)]], Field(min_length=1)]]
    left_out: list[str] = []

    @field_validator("armuto_pattern")
    @classmethod
    def _of_this_version(cls, version: int) -> int:
        if version != FORMAT:
            raise ValueError("not a pattern of this version")
        return version

    @field_validator("name")
    @classmethod
    def _named(cls, name: str) -> str:
        if not name.strip():
            raise ValueError("the pattern has no name")
        return name.strip()[:120]

    @model_validator(mode="after")
    def _of_its_plan(self) -> Self:
        """Every part is one of the plan, where that ships, and every bone is given to one part alone."""
        if not self.parts:
            raise ValueError("“parts” has to name at least one part with its bones")
        known = body_plan(self.plan).by_name if self.plan in NAMES else None
        taken: dict[str, str] = {}
        for part, names in self.parts.items():
            if known is not None and part not in known:
                raise ValueError(f"the body plan “{self.plan}” has no part “{shown(part)}”")
            for name in names:
                if name.casefold() in taken:
                    raise ValueError(f"the bone “{shown(name)}” is given to “{taken[name.casefold()]}” and to “{part}”")
                taken[name.casefold()] = part
        return self


PATTERN_FILE = TypeAdapter(PatternFile)


@dataclass(frozen=True)
class Recognised:
    """score: the share of the pattern's bones that the skeleton has, 0 to 1."""

    pattern: Pattern
    score: float
    parts: Assignment


def of_skeleton(name: str, plan: str, skeleton: Skeleton, parts: Assignment, left_out: Sequence[str] = ()) -> Pattern:
    """The naming of a skeleton whose parts are known, as a pattern."""
    heads = without_prefix(skeleton.names)
    return Pattern(
        name,
        plan,
        {part: tuple(heads[b.joint] for b in bones) for part, bones in parts.items() if bones},
        "",
        tuple(left_out),
    )


def of_pairs(
    name: str, plan: str, skeleton: Skeleton, pairs: Iterable[Pair], side: str, left_out: Sequence[str] = ()
) -> Pattern:
    """The naming of one side ("source" or "target") of a fitting, as a pattern."""
    heads = without_prefix(skeleton.names)
    parts = {
        pair.part: tuple(heads[skeleton.index[bone]] for bone in getattr(pair, side))
        for pair in pairs
        if pair.part and getattr(pair, side)
    }
    return Pattern(name, plan, parts, "", tuple(left_out))


def read_skeleton(skeleton: Skeleton, pattern: Pattern) -> Recognised | None:
    """A skeleton read by a pattern, or None where too few of its bones are there or they do not hang together as its
    parts do.

    Bones of a part that may have many are recognised by their names with any number, so that three spine bones are read
    by a pattern made from four.
    """
    heads = without_prefix(skeleton.names)
    joints: dict[str, int] = {}
    for joint, head in enumerate(heads):
        joints.setdefault(head.casefold(), joint)
    plan = body_plan(pattern.plan) if pattern.plan in NAMES else None
    found: dict[str, list[int]] = {}
    present = expected = 0
    for part, names in pattern.parts.items():
        many = bool(plan and part in plan.by_name and plan.by_name[part].many)
        own = [joints[name.casefold()] for name in names if name.casefold() in joints]
        if many:
            others = {name.casefold() for other, row in pattern.parts.items() if other != part for name in row}
            own = _series(heads, names, others) or own
            present, expected = present + bool(own), expected + 1
        else:
            present, expected = present + len(own), expected + len(names)
        if own and (many or len(own) == len(names)):
            found[part] = own
    if not expected or present / expected < ENOUGH or not _hangs_together(skeleton, plan, found):
        return None
    why = f"the pattern “{pattern.name}” names it so"
    parts = {part: tuple(PartBone(joint, 1.0, why) for joint in own) for part, own in found.items()}
    return Recognised(pattern, present / expected, parts)


def recognise(skeleton: Skeleton, patterns: Iterable[Pattern]) -> list[Recognised]:
    """The patterns that recognise a skeleton, the best first: by their score, then by how many bones they name."""
    found = [read for pattern in patterns if (read := read_skeleton(skeleton, pattern))]
    return sorted(found, key=lambda read: (-round(read.score, 3), -read.pattern.bones))


def _series(heads: Sequence[str], names: Sequence[str], others: Collection[str]) -> list[int]:
    """The bones whose names are one of these with another number or none, in order; nothing where the names have no
    numbers. others: names of other parts, in lower case, which may differ by a number alone, as vertebrae do."""
    stems = {NUMBER.sub("#", name.casefold()) for name in names if NUMBER.search(name)}
    # A name that is a number alone says nothing about the part.
    stems = {stem for stem in stems if re.search(r"[^\W\d_]", stem)}
    if not stems:
        return []
    plain = {name.casefold() for name in names}
    return [
        joint
        for joint, head in enumerate(heads)
        if head.casefold() in plain or (NUMBER.sub("#", head.casefold()) in stems and head.casefold() not in others)
    ]


def _hangs_together(skeleton: Skeleton, plan: BodyPlan | None, found: dict[str, list[int]]) -> bool:
    """Whether every part hangs below the part it follows. Without that, any skeleton named by numbers would be every
    other."""
    if plan is None:
        return True
    for part, joints in found.items():
        if part not in plan.by_name:
            continue
        follows = plan.by_name[part].follows
        while follows and follows not in found:
            follows = plan.by_name[follows].follows
        if follows and found[follows][-1] not in skeleton.ancestors(joints[0]):
            return False
        if any(a not in skeleton.ancestors(b) for a, b in pairwise(joints)):
            return False
    return True


def to_json(pattern: Pattern) -> dict[str, Any]:
    return {
        "armuto_pattern": FORMAT,
        "name": pattern.name,
        "plan": pattern.plan,
        "about": pattern.about,
        "parts": {part: list(names) for part, names in pattern.parts.items()},
        "left_out": list(pattern.left_out),
    }


def from_json(text: str | bytes, file: str) -> Pattern:
    """Read a pattern. Raises :class:`BadInput`, saying where it is wrong."""
    try:
        tree = json.loads(text)
    except (ValueError, RecursionError):
        raise BadInput(f"{file}: not a pattern, it is not JSON; see its form in docs/patterns.md.") from None
    try:
        read_file = read(PATTERN_FILE, tree, "field")
    except ValueError as problem:
        raise BadInput(f"{file}: {problem}; see the form of a pattern in docs/patterns.md.") from None
    parts = {part: tuple(names) for part, names in read_file.parts.items()}
    return Pattern(read_file.name, read_file.plan, parts, read_file.about or "", tuple(read_file.left_out))


def shipped() -> list[Pattern]:
    """The patterns that come with Armuto: the museum's conventions and the open humanoid standards."""
    folder = resources.files("armuto.pairing.conventions")
    files = sorted((file for file in folder.iterdir() if file.name.endswith(".json")), key=lambda file: file.name)
    return [from_json(file.read_text("utf-8"), file.name) for file in files]
