"""Settling a transfer over HTTP: settings, contacts, and what they do to the clip in view."""

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Schema

from armuto.retarget import fitting as core
from armuto.retarget.context import RetargetContext
from armuto.retarget.translations import translated_joints
from studio.findings import FindingOut
from studio.fittings import settling
from studio.fittings.api import FittingOut, at_once, fitting_out, get_fitting_row, pose_of
from studio.fittings.keeping import value_of
from studio.fittings.models import Fitting
from studio.fittings.performing import clip_value, contacts_of
from studio.library.models import Clip

router = Router(tags=["settling"])


class SettingsIn(Schema):
    """settings: what is to change, by name; null brings back the default, for single rows of a table too. clip_id, frame: of
    the pose that is wanted with the answer."""

    settings: dict
    clip_id: int | None = None
    frame: int | None = None


class PoseOut(Schema):
    """A pose as in :class:`FittingOut`."""

    pose: str | None


class PointOut(Schema):
    """A place that can touch something. foot: whether it is one of a foot."""

    name: str
    limb: str
    side: str
    foot: bool


class ContactOut(Schema):
    """A point rests from frame first to last. to: against what of the body, nothing for the world."""

    point: str
    first: int
    last: int
    to: str = ""


class ContactsOut(Schema):
    """by_hand: whether a person set them. floor: its height in the source, in metres. shifting: bones of the character that
    move against their parents in this clip."""

    points: list[PointOut]
    contacts: list[ContactOut]
    by_hand: bool
    floor: float
    shifting: list[str]


class ContactsIn(Schema):
    """contacts: all of the clip's, or null for those that are found."""

    contacts: list[ContactOut] | None
    clip_id: int | None = None
    frame: int | None = None


class KindOut(Schema):
    """The worst of one kind beyond the source's: through rotations alone, and as the transfer is now; what the source has
    there; and from where on it is worth a look, and wrong."""

    kind: str
    unit: str
    before: float
    after: float
    source: float
    look: float
    wrong: float


class ClipMeasuresOut(Schema):
    """short: centimetres by which limbs fall short of their contacts, by limb. lowered: centimetres by which the body gives
    way. hits: frames in which a joint is held back by its limits, by part. turned_out: radians by which arms are turned out."""

    grade: str
    findings: list[FindingOut]
    kinds: list[KindOut]
    short: dict[str, float]
    lowered: float
    hits: dict[str, int]
    turned_out: float
    fitting_revision: int


class MeasureIn(Schema):
    settings: dict | None = None


@router.post("fittings/{fitting_id}/settings", response=FittingOut, operation_id="change_settings")
def post_settings(request: HttpRequest, fitting_id: int, wanted: SettingsIn):
    """Change settings of the transfer; it is a step that can be undone."""
    row = get_fitting_row(fitting_id)
    value = settling.change(row, wanted.settings)
    return at_once(fitting_out(row) | {"pose": pose_of(row, value, wanted.clip_id, wanted.frame), "standing": None})


@router.post("fittings/{fitting_id}/settings/trial", response=PoseOut, operation_id="try_settings")
def post_trial(request: HttpRequest, fitting_id: int, wanted: SettingsIn):
    """Show what settings would make of a frame, and keep nothing."""
    row = get_fitting_row(fitting_id)
    value = settling.change(row, wanted.settings, trial=True)
    return at_once({"pose": pose_of(row, value, wanted.clip_id, wanted.frame)})


def _clip(row: Fitting, clip_id: int) -> Clip:
    return get_object_or_404(Clip.objects.select_related("skeleton"), pk=clip_id, skeleton_id=row.skeleton_id)


def _shifting(value: core.Fitting, clip: Clip) -> list[int]:
    context = RetargetContext(value)
    return [joint for joint in translated_joints(clip_value(clip), context) if joint not in context.carriers]


def _contacts(row: Fitting, value: core.Fitting, clip: Clip) -> dict:
    found = contacts_of(value, clip)
    return {
        "points": settling.points_of(value),
        "contacts": [one.to_json() for one in found.contacts],
        "by_hand": clip.contacts is not None,
        "floor": found.floor,
        "shifting": [value.target.names[joint] for joint in _shifting(value, clip)],
    }


@router.get("fittings/{fitting_id}/contacts/{clip_id}", response=ContactsOut, operation_id="get_contacts")
def get_contacts(request: HttpRequest, fitting_id: int, clip_id: int):
    """Where the clip's feet and hands rest."""
    row = get_fitting_row(fitting_id)
    return _contacts(row, value_of(row), _clip(row, clip_id))


@router.put("fittings/{fitting_id}/contacts/{clip_id}", response=FittingOut, operation_id="set_contacts")
def put_contacts(request: HttpRequest, fitting_id: int, clip_id: int, wanted: ContactsIn):
    """Set the clip's contacts, for every character that performs it; it is a step that can be undone."""
    row = get_fitting_row(fitting_id)
    rows = None if wanted.contacts is None else [one.dict() for one in wanted.contacts]
    settling.set_contacts(row, _clip(row, clip_id), rows)
    return at_once(
        fitting_out(row) | {"pose": pose_of(row, value_of(row), wanted.clip_id, wanted.frame), "standing": None}
    )


@router.post("fittings/{fitting_id}/measures/{clip_id}", response=ClipMeasuresOut, operation_id="measure_clip")
def post_measures(request: HttpRequest, fitting_id: int, clip_id: int, wanted: MeasureIn):
    """What is measured of a clip through the present state, or with other settings that are not kept."""
    row = get_fitting_row(fitting_id)
    return settling.measured(row, _clip(row, clip_id), wanted.settings)
