"""What the API of cast takes and answers."""

from datetime import datetime
from typing import Any

from ninja import Schema

from studio.cast.models import Character
from studio.platform.described import described


class BoneRole(Schema):
    bone: str
    role: str
    reason: str


class SheetMaterial(Schema):
    """colour: in linear light."""

    name: str
    colour: list[float]
    texture: bool


class Evidence(Schema):
    """Why a thing was detected as it was, in a sentence for each. rest: where a rest pose was no posture."""

    unit: str
    up: str
    facing: str
    rest: str | None = None


class Detected(Schema):
    """What was detected in a file. turned, facing: degrees. height: in metres."""

    format: str
    unit: str
    up: str
    turned: float
    facing: float | None
    height: float
    joints: int
    plan: str
    parts: int
    evidence: Evidence
    notes: list[str]


class Sheet(Detected):
    """What was found in a character's file. weighted: joints that move skin. apart, apart_degrees: how far bind and
    rest lie apart."""

    roots: int
    skins: int
    weighted: int
    missing: list[str]
    roles: list[BoneRole]
    materials: list[SheetMaterial]
    apart: float
    apart_degrees: float
    clips: int
    bounds: list[list[float]] | None


class FileSpace(Schema):
    """How the file's space becomes ours: multiply by unit (metres), turn by the quaternion."""

    unit: float
    turn: list[float]


class CharacterOut(Schema):
    """bounds: lowest and highest corner of the meshes at rest in metres. nodes: the glTF node of every joint.
    lock_version: what ``If-Match`` says of a change."""

    id: int
    name: str
    file: str
    format: str
    skeleton_id: int
    joints: int
    height: float
    facing: float | None
    bounds: list[list[float]]
    nodes: list[int]
    space: FileSpace
    notes: list[str]
    plan: str
    sheet: described(Sheet)  # type: ignore[valid-type]
    tags: list[str]
    remarks: str
    changed: str
    retired: bool
    revision: int
    lock_version: int
    created: datetime

    @staticmethod
    def resolve_file(row: Character) -> str:
        return row.original.name

    @staticmethod
    def resolve_format(row: Character) -> str:
        return row.original.format

    @staticmethod
    def resolve_plan(row: Character) -> str:
        return row.skeleton.plan

    @staticmethod
    def resolve_joints(row: Character) -> int:
        return row.skeleton.joints

    @staticmethod
    def resolve_space(row: Character) -> dict[str, Any]:
        return dict(row.skeleton.tree["file_frame"])


class CharacterChange(Schema):
    """What is to change; the rest stays. tags: all of them; tag, untag: some that are given and taken, whatever others
    change of them meanwhile."""

    name: str | None = None
    tags: list[str] | None = None
    tag: list[str] | None = None
    untag: list[str] | None = None
    remarks: str | None = None
    retired: bool | None = None


class RangeOut(Schema):
    """Degrees from and to: bend, back to ahead; side, in or down to out or up; twist, in to out."""

    bend: list[float]
    side: list[float]
    twist: list[float]


class LimitOut(Schema):
    """usual: of the body plan. own: as it was changed for this character, or nothing."""

    part: str
    limb: str
    bone: str
    usual: RangeOut | None
    own: RangeOut | None


class LimitIn(Schema):
    """range: what the part may do from now on, or null for the plan's. mirror: the other side of the body alike."""

    part: str
    range: RangeOut | None
    mirror: bool = True
