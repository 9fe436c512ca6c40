"""What the API of touch-ups takes and answers."""

from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from armuto.touchups.model import MOST_KEYS, Channel, Interpolation
from studio.fittings.schemas import FittingOut
from studio.library.schemas import PlateOut
from studio.platform.fields import Id

Number = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]
Vector3 = Annotated[list[Number], Field(min_length=3, max_length=3)]
Count = Annotated[int, Field(ge=0, le=1_000_000)]
Chosen = Annotated[list[Annotated[list[Count], Field(min_length=2, max_length=2)]], Field(max_length=MOST_KEYS)]
Name = Annotated[str, Field(max_length=255)]


class WeightKeyIn(Schema):
    """time: seconds of the take. value: 0 to 2."""

    time: Number
    value: Number


class LayerChanges(Schema):
    """What is to change of a layer, as :class:`armuto.touchups.Layer` has it; null leaves it as it is."""

    name: Name | None = None
    on: bool | None = None
    weight: Number | Annotated[list[WeightKeyIn], Field(min_length=1, max_length=MOST_KEYS)] | None = None
    limbs: Annotated[list[Name], Field(max_length=100)] | None = None
    hold: bool | None = None


class TouchUpEdit(Schema):
    """One change to the touch-ups of a clip in a fitting.

    op: "add" a layer, change its own values ("layer"), "remove" it, put all in "order" (names); set a "key" of a bone
    at a frame of the clip in numbers (value, turn: degrees, or metres of a place), or "turn" it by degrees about an
    axis in the world or "move" it by metres there, from how it stands; "shift" keys by frames, "copy" them to a
    frame, "delete", "mirror" or "interpolate" (to_next) them, each by the numbers of its touch-up and of the key
    there; "ease" a touch-up in seconds, null where it is kept; key the "weight" of a layer at a frame; "confirm" a
    layer made on an earlier result. layer: its name; a key in a layer that is not there makes one. weight_keys: keys
    of the layer's weight that are shifted, copied or deleted as well. show: the frame whose pose is wanted with the
    answer.
    """

    op: Literal[
        "add", "layer", "remove", "order", "key", "turn", "move", "shift", "copy", "delete", "mirror", "interpolate",
        "ease", "weight", "confirm",
    ]  # fmt: skip
    layer: Name | None = None
    names: Annotated[list[Name], Field(max_length=1000)] = Field(default_factory=list)
    changes: LayerChanges = LayerChanges()
    bone: Name = ""
    frame: Count = 0
    channel: Channel | None = None
    against: Name = ""
    value: Vector3 | None = None
    turn: Vector3 | None = None
    to_next: Interpolation | None = None
    axis: Vector3 = Field(default_factory=lambda: [0.0, 1.0, 0.0])
    degrees: Number = 0.0
    by: Vector3 = Field(default_factory=lambda: [0.0, 0.0, 0.0])
    also: Annotated[list[Count], Field(max_length=100)] = Field(default_factory=list)
    keys: Chosen = Field(default_factory=list)
    weight_keys: Annotated[list[Count], Field(max_length=MOST_KEYS)] = Field(default_factory=list)
    frames: Annotated[int, Field(ge=-1_000_000, le=1_000_000)] = 0
    touchup: Count = 0
    weight: Number = 1.0
    ease_in: Number | None = None
    ease_out: Number | None = None
    show: Count | None = None


class MovedOut(Schema):
    """By how much the motion under a key has changed since it was set: centimetres and degrees."""

    far: float
    turned: float


class KeyOut(Schema):
    """frame: of the clip, between two where it lies there; null where the clip does not show it. time: seconds of the
    take. limb_then: where the bone and those above it in its limb were when the key was set, in metres, where they are
    elsewhere now."""

    frame: float | None
    time: float
    value: Vector3
    turn: Vector3
    to_next: Interpolation
    moved: MovedOut | None
    limb_then: list[list[float]]


class TouchUpOut(Schema):
    """first, last: frames of the clip between which it does anything."""

    channel: Channel
    part: str
    bone: str
    label: str
    limb: str
    against: str
    ease_in: float | None
    ease_out: float | None
    first: float
    last: float
    keys: list[KeyOut]


class WeightOut(Schema):
    frame: float | None
    value: float


class LayerOut(Schema):
    name: str
    on: bool
    weight: float | list[WeightOut]
    limbs: list[str]
    hold: bool
    touchups: list[TouchUpOut]


class LayersOut(Schema):
    """The touch-ups of a clip in a fitting. lost: what cannot be placed on this character, in sentences. limbs: of it,
    to choose from."""

    layers: list[LayerOut]
    lost: list[str]
    limbs: list[str]


class TouchedFitting(Schema):
    """A fitting after a change to the touch-ups of one of its clips, and these. revision: of the fitting."""

    revision: int
    fitting: FittingOut
    touchups: LayersOut


class BoneOut(Schema):
    """A bone that can be touched up. moves: what dragging it does, beside turning it."""

    bone: str
    part: str
    number: int
    limb: str
    moves: Literal["place", "translation"] | None


class CurveOut(Schema):
    """The offset of a touch-up, weighted, in some frames of the clip: degrees or centimetres ``(frames, 3)``, and of a
    place the degrees that it is turned by."""

    frames: list[int]
    values: list[list[float]]
    turns: list[list[float]]


class CarryIn(Schema):
    """Layers by their names, and where they are to go: clips and characters by their ids, of which one that is left
    out is the same. by: in time, or in the phase of steps. trial: no layer is kept; a fitting that a character has
    not yet is proposed."""

    layers: Annotated[list[Name], Field(max_length=50)]
    to: Annotated[list[tuple[Id, Id]], Field(max_length=2000)]
    by: Literal["time", "phase"] = "time"
    trial: bool = False


class CarriedPreview(Schema):
    """A cell about the first key that is carried to it, as it is and as it would be."""

    frame: int
    before: PlateOut
    after: PlateOut


class CarriedOut(Schema):
    """What became of layers in a cell. fitting_id: where they are; names: of the layers there. lost: what could not be
    carried, in sentences. preview: with a trial, of the first few."""

    clip_id: int
    character_id: int
    fitting_id: int | None
    names: list[str]
    lost: list[str]
    preview: CarriedPreview | None = None


class ProposalIn(Schema):
    """A finding of the clip, by its kind, part and frame."""

    kind: Name
    part: Name
    frame: Count


class ProposedTouchUp(Schema):
    """The smallest offset that ends a finding in its frame: a bone, by how many metres it is moved in the world, and
    what is left of the finding then. edit: the change that keeps it."""

    sentence: str
    edit: TouchUpEdit
    pose: str | None
