"""Fittings over HTTP: pairs, stance, history, and the live preview."""

from datetime import datetime

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Router, Schema

from armuto.plans import plan_of
from studio.cast.models import Character
from studio.fittings.keeping import fitting_for, move, set_pair
from studio.fittings.models import Fitting
from studio.fittings.performing import for_the_stage, perform
from studio.library.models import Clip
from studio.octets import octets

router = Router(tags=["fittings"])


class PairOut(Schema):
    part: str | None
    source: list[str]
    target: list[str]
    confidence: float
    reasons: list[str]


class MissingOut(Schema):
    """side: which side lacks a bone: source, target or both."""

    part: str
    side: str


class StanceRowOut(Schema):
    """Degrees the part was turned from its rest, and degrees still left to the source."""

    part: str
    bone: str
    turned: float
    left: float


class PartOut(Schema):
    """A row of the body plan."""

    name: str
    limb: str
    required: bool
    many: bool


class FittingSummary(Schema):
    id: int
    skeleton_id: int
    skeleton: str
    character_id: int
    character: str
    pairs: int
    missing: int
    created: datetime


class FittingOut(Schema):
    """revision: names the present state. facing: degrees the target is turned against the source."""

    id: int
    skeleton_id: int
    character_id: int
    revision: int
    pairs: list[PairOut]
    missing: list[MissingOut]
    stance: list[StanceRowOut]
    facing: float
    scale: float
    parts: list[PartOut]
    undo: str | None
    redo: str | None


class FittingIn(Schema):
    clip_id: int
    character_id: int


class PairIn(Schema):
    part: str
    source: list[str]
    target: list[str]


def _get(fitting_id: int) -> Fitting:
    return get_object_or_404(Fitting.objects.select_related("state", "skeleton", "character__skeleton"), pk=fitting_id)


def fitting_out(row: Fitting) -> dict:
    assert row.state is not None
    data = row.state.data
    plan = plan_of(pair["part"] for pair in data["pairs"])
    later = row.states.filter(number=row.state.number + 1).first()
    return {
        "id": row.pk,
        "skeleton_id": row.skeleton_id,
        "character_id": row.character_id,
        "revision": row.state_id,
        "pairs": data["pairs"],
        "missing": data["missing"],
        "stance": data["stance"]["parts"],
        "facing": data["facing"]["target"] - data["facing"]["source"],
        "scale": data["scale"],
        "parts": [{"name": p.name, "limb": p.limb, "required": p.required, "many": p.many} for p in plan.parts],
        "undo": row.state.change if row.state.number else None,
        "redo": later.change if later else None,
    }


@router.get("", response=list[FittingSummary], operation_id="list_fittings")
def list_fittings(request: HttpRequest):
    rows = Fitting.objects.select_related("state", "skeleton", "character").exclude(state=None)
    return [
        {
            "id": row.pk,
            "skeleton_id": row.skeleton_id,
            "skeleton": row.skeleton.name,
            "character_id": row.character_id,
            "character": row.character.name,
            "pairs": len(row.state.data["pairs"]),
            "missing": len(row.state.data["missing"]),
            "created": row.created,
        }
        for row in rows
    ]


@router.post("", response=FittingOut, operation_id="open_fitting")
def open_fitting(request: HttpRequest, wanted: FittingIn):
    """The fitting of a clip's skeleton on a character, made on the spot if there is none."""
    clip = get_object_or_404(Clip.objects.select_related("skeleton"), pk=wanted.clip_id)
    character = get_object_or_404(Character.objects.select_related("skeleton"), pk=wanted.character_id)
    return fitting_out(_get(fitting_for(clip.skeleton, character).pk))


@router.get("{fitting_id}", response=FittingOut, operation_id="get_fitting")
def get_fitting(request: HttpRequest, fitting_id: int):
    return fitting_out(_get(fitting_id))


@router.put("{fitting_id}/pair", response=FittingOut, operation_id="set_pair")
def put_pair(request: HttpRequest, fitting_id: int, wanted: PairIn):
    row = _get(fitting_id)
    set_pair(row, wanted.part, wanted.source, wanted.target)
    return fitting_out(_get(fitting_id))


@router.post("{fitting_id}/undo", response=FittingOut, operation_id="undo_fitting")
def undo(request: HttpRequest, fitting_id: int):
    move(_get(fitting_id), -1)
    return fitting_out(_get(fitting_id))


@router.post("{fitting_id}/redo", response=FittingOut, operation_id="redo_fitting")
def redo(request: HttpRequest, fitting_id: int):
    move(_get(fitting_id), +1)
    return fitting_out(_get(fitting_id))


@router.get("{fitting_id}/preview/{clip_id}", operation_id="preview", response={200: None})
def preview(request: HttpRequest, fitting_id: int, clip_id: int) -> HttpResponse:
    """The clip transferred through the present state, for the character's own nodes.

    float32: local rotations ``(frames, joints, 4)``, then local translations ``(frames, joints, 3)``.
    """
    row = _get(fitting_id)
    clip = get_object_or_404(Clip.objects.select_related("skeleton", "motion"), pk=clip_id, skeleton=row.skeleton)
    made = perform(row, clip)
    return octets(*for_the_stage(made, row.character), fps=made.fps)
