"""Settling a transfer over HTTP: settings, contacts, and what they do to the clip in view."""

from typing import Any

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router

from armuto.retarget import fitting as core
from armuto.retarget.context import context_of
from armuto.retarget.translations import translated_joints
from studio.fittings.api.fittings import at_once, begun_on, fitting_out, get_fitting_row, pose_of
from studio.fittings.models import Fitting
from studio.fittings.preview import clip_value, contacts_of
from studio.fittings.schemas import (
    ClipMeasuresOut,
    ClipsIn,
    ContactsIn,
    ContactsOut,
    FittingOut,
    MeasureIn,
    PoseOut,
    SettingsIn,
    TakenBack,
)
from studio.fittings.services import clip_exceptions, settings
from studio.fittings.services.concurrency import change_fitting
from studio.fittings.services.steps import value_of
from studio.library.models import Clip
from studio.platform.fields import Id

router = Router(tags=["settling"])


@router.post("fittings/{fitting_id}/settings", response=FittingOut, operation_id="change_settings")
def post_settings(request: HttpRequest, fitting_id: Id, payload: SettingsIn) -> Any:
    """Change settings of the transfer, or say them otherwise for the clip alone; it is a step that can be undone."""

    def work(row: Fitting) -> None:
        if payload.alone:
            clip_exceptions.change(row, _clip(row, payload.clip_id or 0), payload.settings)
        else:
            settings.change(row, payload.settings)

    row, _ = change_fitting(begun_on(request, fitting_id), work)
    pose = pose_of(row, value_of(row), payload.clip_id, payload.frame)
    return at_once(fitting_out(row) | {"pose": pose, "standing": None})


@router.post("fittings/{fitting_id}/exceptions/take-back", response=TakenBack, operation_id="take_back_exceptions")
def post_take_back(request: HttpRequest, fitting_id: Id, payload: ClipsIn) -> Any:
    """Let what the fitting says of every clip hold for these clips, too; it is a step that can be undone."""
    row, _ = change_fitting(begun_on(request, fitting_id), lambda row: clip_exceptions.take_back(row, payload.clips))
    assert row.state is not None
    return {"revision": row.state_id, "exceptions": [int(clip) for clip in row.state.data.get("exceptions", {})]}


@router.post("fittings/{fitting_id}/settings/trial", response=PoseOut, operation_id="try_settings")
def post_trial(request: HttpRequest, fitting_id: Id, payload: SettingsIn) -> Any:
    """Show what settings would make of a frame, and keep nothing."""
    row = get_fitting_row(fitting_id)
    tried = clip_exceptions.settings_for(row, payload.clip_id or 0, payload.settings, payload.alone)
    value = value_of(row).with_settings(tried)
    return at_once({"pose": pose_of(row, value, payload.clip_id, payload.frame, tried=True)})


def _clip(row: Fitting, clip_id: Id) -> Clip:
    return get_object_or_404(Clip.objects.select_related("skeleton"), pk=clip_id, skeleton_id=row.skeleton_id)


def _shifting(value: core.Fitting, clip: Clip) -> list[int]:
    context = context_of(value)
    return [joint for joint in translated_joints(clip_value(clip), context) if joint not in context.carriers]


def _contacts(row: Fitting, value: core.Fitting, clip: Clip) -> dict[str, Any]:
    found = contacts_of(value, clip)
    return {
        "points": settings.points_of(value),
        "contacts": [contact.to_json() for contact in found.contacts],
        "by_hand": clip.contacts is not None,
        "floor": found.floor,
        "shifting": [value.target.names[joint] for joint in _shifting(value, clip)],
    }


@router.get("fittings/{fitting_id}/contacts/{clip_id}", response=ContactsOut, operation_id="get_contacts")
def get_contacts(request: HttpRequest, fitting_id: Id, clip_id: Id) -> Any:
    """Where the clip's feet and hands rest."""
    row = get_fitting_row(fitting_id)
    return _contacts(row, value_of(row), _clip(row, clip_id))


@router.put("fittings/{fitting_id}/contacts/{clip_id}", response=FittingOut, operation_id="set_contacts")
def put_contacts(request: HttpRequest, fitting_id: Id, clip_id: Id, payload: ContactsIn) -> Any:
    """Set the clip's contacts, for every character that performs it; it is a step that can be undone."""
    rows = None if payload.contacts is None else [contact.dict() for contact in payload.contacts]

    def work(row: Fitting) -> None:
        settings.set_contacts(row, _clip(row, clip_id), rows)

    row, _ = change_fitting(begun_on(request, fitting_id), work)
    return at_once(
        fitting_out(row) | {"pose": pose_of(row, value_of(row), payload.clip_id, payload.frame), "standing": None}
    )


@router.post("fittings/{fitting_id}/measures/{clip_id}", response=ClipMeasuresOut, operation_id="measure_clip")
def post_measures(request: HttpRequest, fitting_id: Id, clip_id: Id, payload: MeasureIn) -> Any:
    """What is measured of a clip through the present state, or with other settings that are not kept."""
    row = get_fitting_row(fitting_id)
    value = value_of(row) if payload.settings is None else settings.change(row, payload.settings, trial=True)
    return settings.measured(row, _clip(row, clip_id), clip_exceptions.for_clip(value, row, clip_id))
