"""Patterns: how a naming convention names the parts of a body. Kept as JSON, documented in docs/patterns.md."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from importlib import resources
from itertools import pairwise
from typing import Any

from armuto.body.names import without_prefix
from armuto.body.parts import Assignment, PartBone
from armuto.body.plans import NAMES, BodyPlan, body_plan
from armuto.errors import BadInput
from armuto.kinematics.skeleton import Skeleton
from armuto.pairing import Pair

FORMAT = 1
ENOUGH = 0.7  # of a pattern's bones that a skeleton must have for the pattern to recognise it
NUMBER = re.compile(r"\d+")
FIELDS = ("armuto_pattern", "name", "plan", "about", "parts", "left_out")


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
    there = wanted = 0
    for part, names in pattern.parts.items():
        many = bool(plan and part in plan.by_name and plan.by_name[part].many)
        own = [joints[name.casefold()] for name in names if name.casefold() in joints]
        if many:
            own = _series(heads, names) or own
            there, wanted = there + bool(own), wanted + 1
        else:
            there, wanted = there + len(own), wanted + len(names)
        if own and (many or len(own) == len(names)):
            found[part] = own
    if not wanted or there / wanted < ENOUGH or not _hangs_together(skeleton, plan, found):
        return None
    why = f"the pattern “{pattern.name}” names it so"
    parts = {part: tuple(PartBone(joint, 1.0, why) for joint in own) for part, own in found.items()}
    return Recognised(pattern, there / wanted, parts)


def recognise(skeleton: Skeleton, patterns: Iterable[Pattern]) -> list[Recognised]:
    """The patterns that recognise a skeleton, the best first: by their score, then by how many bones they name."""
    found = [read for pattern in patterns if (read := read_skeleton(skeleton, pattern))]
    return sorted(found, key=lambda read: (-round(read.score, 3), -read.pattern.bones))


def _series(heads: Sequence[str], names: Sequence[str]) -> list[int]:
    """The bones whose names are one of these with another number or none, in order; nothing where the names have no
    numbers."""
    stems = {NUMBER.sub("#", name.casefold()) for name in names if NUMBER.search(name)}
    # A name that is a number alone says nothing about the part.
    stems = {stem for stem in stems if re.search(r"[^\W\d_]", stem)}
    if not stems:
        return []
    plain = {name.casefold() for name in names}
    return [
        joint
        for joint, head in enumerate(heads)
        if head.casefold() in plain or NUMBER.sub("#", head.casefold()) in stems
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
        return _read(text)
    except ValueError as problem:
        raise BadInput(f"{file}: {problem}; see the form of a pattern in docs/patterns.md.") from None


def _read(text: str | bytes) -> Pattern:
    try:
        tree = json.loads(text)
    except (ValueError, RecursionError):
        raise ValueError("not a pattern, it is not JSON") from None
    if not isinstance(tree, dict) or tree.get("armuto_pattern") != FORMAT:
        raise ValueError("not a pattern of this version")
    if unknown := [key for key in tree if key not in FIELDS]:
        raise ValueError(f"a pattern has no field “{unknown[0]}”")
    name, plan, about = (tree.get(key) for key in ("name", "plan", "about"))
    if not isinstance(name, str) or not name.strip():
        raise ValueError("the pattern has no name")
    if not isinstance(plan, str):
        raise ValueError("“plan” has to name a body plan")
    parts = _read_parts(tree.get("parts"), plan)
    left_out = tree.get("left_out", [])
    if not isinstance(left_out, list) or not all(isinstance(part, str) for part in left_out):
        raise ValueError("“left_out” has to be a list of parts")
    return Pattern(name.strip()[:120], plan, parts, str(about or ""), tuple(left_out))


def _read_parts(parts: object, plan: str) -> dict[str, tuple[str, ...]]:
    """The bones of every part, each given to one part alone."""
    if not isinstance(parts, dict) or not parts:
        raise ValueError("“parts” has to name at least one part with its bones")
    known = body_plan(plan).by_name if plan in NAMES else None
    taken: dict[str, str] = {}
    for part, names in parts.items():
        if not isinstance(names, list) or not names or not all(isinstance(name, str) and name for name in names):
            raise ValueError(f"the part “{part}” has to have a list of bone names")
        if known is not None and part not in known:
            raise ValueError(f"the body plan “{plan}” has no part “{part}”")
        for name in names:
            if name.casefold() in taken:
                raise ValueError(f"the bone “{name}” is given to “{taken[name.casefold()]}” and to “{part}”")
            taken[name.casefold()] = part
    return {str(part): tuple(names) for part, names in parts.items()}


def shipped() -> list[Pattern]:
    """The patterns that come with Armuto: the museum's conventions and the open humanoid standards."""
    folder = resources.files("armuto.pairing.conventions")
    files = sorted((file for file in folder.iterdir() if file.name.endswith(".json")), key=lambda file: file.name)
    return [from_json(file.read_text("utf-8"), file.name) for file in files]
