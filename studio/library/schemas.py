"""What the API of library takes and answers."""

from datetime import datetime
from typing import Any, Literal

from ninja import Schema

from armuto.refining import Recipe, all_values, from_json
from studio.library.models import Clip, KeptRecipe
from studio.platform.described import described
from studio.platform.fields import Id


class NamingPiece(Schema):
    """A word as it stands, or a field with the width that numbers are padded to."""

    word: str | None = None
    field: str | None = None
    width: int | None = None


class SkeletonOut(Schema):
    id: int
    name: str
    joints: int
    height: float
    facing: float | None
    plan: str
    clips: int
    lock_version: int


class SkeletonTree(Schema):
    """Bones of a skeleton. parts: the part of every bone, or null. ends: the bone each end site hangs from. readings:
    how surely a bone was read as its part, and why. twins: the bone on the other side of the body, or -1.
    """

    id: int
    names: list[str]
    parents: list[int]
    parts: list[str | None]
    ends: list[int]
    evidence: list[str]
    readings: dict[str, list[float | str]]
    twins: list[int]


class GroundOut(Schema):
    """How high feet rest in a clip, what of that is their soles, and where that puts the floor, in metres; null for
    what cannot be told. clips: in how many clips the soles were seen, 0 where a mesh shows them."""

    feet: float | None
    sole: float | None
    floor: float | None
    clips: int


class ClipOut(Schema):
    """frames and seconds: of the clip; take_frames: of its whole take, of which it is first to last. calibration: how
    many leading frames of the take look like calibration. ground: where the floor is, and why; floor: where a person
    says it is. recipe: what is done to the range. lock_version: what ``If-Match`` says of a change."""

    id: int
    name: str
    skeleton_id: int
    frames: int
    take_frames: int
    first: int
    last: int
    calibration: int
    loop: bool
    fps: float
    seconds: float
    travel: float
    tags: list[str]
    retired: bool
    revision: int
    lock_version: int
    created: datetime
    notes: list[str]
    segment_of_id: int | None
    take_name: str
    ground: GroundOut
    floor: float | None
    recipe: described(Recipe)  # type: ignore[valid-type]

    @staticmethod
    def resolve_ground(clip: Clip) -> dict[str, float | None]:
        return clip.known_ground()

    @staticmethod
    def resolve_recipe(clip: Clip) -> dict[str, Any]:
        return all_values(clip.steps)

    @staticmethod
    def resolve_take_name(clip: Clip) -> str:
        return clip.take.name

    @staticmethod
    def resolve_frames(clip: Clip) -> int:
        return clip.length

    @staticmethod
    def resolve_take_frames(clip: Clip) -> int:
        return clip.frames

    @staticmethod
    def resolve_seconds(clip: Clip) -> float:
        return (clip.length - 1) / clip.fps


class ClipChange(Schema):
    """What is to change; the rest stays. tags: all of them; tag, untag: some that are given and taken, whatever others
    change of them meanwhile. first and last: frames of the take. floor: where the floor is, in metres. recipe: all of
    its steps."""

    name: str | None = None
    tags: list[str] | None = None
    tag: list[str] | None = None
    untag: list[str] | None = None
    retired: bool | None = None
    first: int | None = None
    last: int | None = None
    floor: float | Literal["measured"] | None = None
    recipe: described(Recipe) | None = None  # type: ignore[valid-type]


class RecipeIn(Schema):
    recipe: described(Recipe)  # type: ignore[valid-type]


class MeasuringOut(Schema):
    """A clip of so many frames is being measured."""

    frames: int


class ResidualOut(Schema):
    """What low passes of these cutoffs, in Hz, take off a bone's turns, in degrees. noise: the line that noise alone
    would give, its value at 0 Hz and its slope. cutoff: the one it leads to, null where it shows no noise."""

    cutoffs: list[float]
    degrees: list[float]
    noise: list[float]
    cutoff: float | None


class KeptRecipeIn(Schema):
    """replace: whether a recipe of that name gives way."""

    name: str
    recipe: described(Recipe)  # type: ignore[valid-type]
    replace: bool = False


class KeptRecipeOut(Schema):
    id: int
    name: str
    recipe: described(Recipe)  # type: ignore[valid-type]

    @staticmethod
    def resolve_recipe(row: KeptRecipe) -> dict[str, Any]:
        return all_values(from_json(row.recipe))


class EffectOut(Schema):
    """A measure before and after a step; null where it cannot be told."""

    name: str
    unit: str
    before: float | None
    after: float | None


class ProposalOut(Schema):
    """A step, and why."""

    step: dict[str, Any]
    sentence: str


class LoopOut(Schema):
    """first, last: frames of the take. What changes between them: pose in degrees, apart in centimetres, velocity in
    cm/s, feet that rest at one end alone, heading in degrees. cost: all together."""

    first: float
    last: float
    pose: float
    apart: float
    velocity: float
    feet: int
    heading: float
    cost: float


class SegmentOut(Schema):
    """first, last: frames of the take. what: "stands", "goes", "runs"."""

    first: int
    last: int
    what: str


class RefiningOut(Schema):
    """effects: for each step of the recipe what it changes. proposals: what could be done beside, in the order in which
    it should be. loops: where it could loop, the best first. cuts: the stretches that a long
    one falls apart into. limbs: that the body has."""

    effects: list[list[EffectOut]]
    proposals: list[ProposalOut]
    loops: list[LoopOut]
    cuts: list[SegmentOut]
    limbs: list[str]


class PlateOut(Schema):
    """A plate in whole millimetres, y up from the floor. Per pose: strokes x0, y0, x1, y1, with sides and fineness per
    stroke, and heads x, y, radius."""

    width: int
    height: int
    frames: list[int]
    sides: list[str]
    fine: list[bool]
    poses: list[list[int]]
    heads: list[list[int]]


class ManyChange(Schema):
    """tag and untag: tags to give and to take. retired: as it shall be; the rest stays."""

    ids: list[int]
    tag: list[str] = []
    untag: list[str] = []
    retired: bool | None = None


class Renaming(Schema):
    ids: list[int]
    style: str
    pieces: list[described(NamingPiece, optional=True)]  # type: ignore[valid-type]
    apply: bool = False


class NameChange(Schema):
    """A name for a clip, where it still has the one that it had."""

    id: Id
    was: str
    name: str


class SegmentIn(Schema):
    first: int
    last: int
    name: str = ""


class SkeletonChange(Schema):
    name: str
