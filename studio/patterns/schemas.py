"""What the API of patterns takes and answers."""

from typing import Literal

from ninja import Schema

from studio.patterns.models import Pattern


class PatternOut(Schema):
    """parts: part name to bone names. bones: how many it names."""

    id: int
    name: str
    plan: str
    about: str
    parts: dict[str, list[str]]
    left_out: list[str]
    shipped: bool
    bones: int
    lock_version: int

    @staticmethod
    def resolve_bones(row: Pattern) -> int:
        return sum(len(names) for names in row.parts.values())


class PatternIn(Schema):
    """From one side of a fitting, or from a skeleton as it was read."""

    name: str
    fitting_id: int | None = None
    side: Literal["source", "target"] = "target"
    skeleton_id: int | None = None


class PatternChange(Schema):
    name: str | None = None
    about: str | None = None
    parts: dict[str, list[str]] | None = None


class RecognisedOut(Schema):
    """score: the share of the pattern's bones that the skeleton has, 0 to 1. parts: how many parts it fills in."""

    pattern_id: int
    name: str
    score: float
    parts: int


class PartIn(Schema):
    """A bone of a new limb; many: any number of bones in a row."""

    name: str
    many: bool = False


class LimbIn(Schema):
    name: str
    follows: str
    sided: bool
    parts: list[PartIn]


class PlanIn(Schema):
    """A copy of a plan under another name."""

    copy_of: str
    name: str


class PlanChange(Schema):
    name: str | None = None
    add: LimbIn | None = None
    remove: str | None = None


class LimbOut(Schema):
    name: str
    follows: str
    sided: bool
    parts: list[str]
    required: bool


class PlanOut(Schema):
    """limbs: without their side. parts: from which a limb can hang."""

    id: int | None
    name: str
    own: bool
    limbs: list[LimbOut]
    parts: list[str]
    lock_version: int


class ApplyIn(Schema):
    characters: list[int]


class AppliedOut(Schema):
    """fits: whether the pattern recognises it. fittings: how many of its fittings were paired anew by it."""

    character_id: int
    character: str
    fits: bool
    score: float
    fittings: int
