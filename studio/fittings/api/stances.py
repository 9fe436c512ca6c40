"""The stances of a fitting over HTTP: both bodies in them, where they can be taken from, and every change to them."""

import json
from base64 import b64encode
from typing import Any

import numpy as np
from django.conf import settings
from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils.http import content_disposition_header
from ninja import File, Router, UploadedFile

from armuto.retarget import fitting as core
from armuto.retarget import fitting_file
from studio.fittings.api.fittings import at_once, begun_on, fitting_out, get_fitting_row, pose_of, rows_out
from studio.fittings.models import Fitting
from studio.fittings.schemas import FittingOut, KeepIn, KeptOut, RenameIn, SidesOut, StanceEdit, TrialOut
from studio.fittings.services import stances
from studio.fittings.services.concurrency import change_fitting
from studio.fittings.services.stance_sides import Side
from studio.fittings.services.steps import step, value_of
from studio.platform.array_response import array_response
from studio.platform.fields import Id
from studio.platform.optimistic import VERSION_FIELDS, base_version
from studio.platform.uploads import received
from studio.stances import services
from studio.stances.models import Stance

router = Router(tags=["stances"])


def _standing(row: Fitting, value: core.Fitting) -> str:
    values = np.concatenate([block.ravel() for block in stances.blocks(row, value)])
    return b64encode(values.astype("<f4").tobytes()).decode()


@router.get("fittings/{fitting_id}/standing", operation_id="get_standing", response={200: None})
def get_standing(request: HttpRequest, fitting_id: Id, before: bool = False) -> HttpResponse:
    """Both bodies in their stances, or in those before the last change to a stance.

    float32: of the source positions ``(points, 3)``, world rotations ``(joints, 4)``, and where its bones bend to in
    the world ``(joints, 3)``; of the character local rotations ``(nodes, 4)``, translations ``(nodes, 3)``, and where
    its bones bend to.
    """
    row = get_fitting_row(fitting_id)
    return array_response(*stances.blocks(row, stances.before(row) if before else value_of(row)))


@router.get("fittings/{fitting_id}/offers", response=SidesOut, operation_id="get_stance_offers")
def get_offers(request: HttpRequest, fitting_id: Id) -> Any:
    """What the stances of both sides can be taken from."""
    row = get_fitting_row(fitting_id)
    value = value_of(row)
    return {which: _offers(row, Side(row, value, which)) for which in ("source", "target")}


def _offers(row: Fitting, side: Side) -> dict[str, Any]:
    kinds = {part.split(" ", 1)[-1] for part in side.parts}
    return {
        "offers": stances.offers(row, side.which),
        "kept": Stance.objects.filter(skeleton=side.kept, last=False),
        "arms": bool(kinds & {"upper arm", "upper wing"}),
        "straight": "hips" in side.parts and side.plan.trunk == "upright",
    }


@router.post("fittings/{fitting_id}/stance", response=FittingOut, operation_id="edit_stance")
def post_stance(request: HttpRequest, fitting_id: Id, payload: StanceEdit) -> Any:
    """Make one change to a stance; it is a step that can be undone."""
    op, side, changes, shown = _given_edit(payload)
    row, value = change_fitting(begun_on(request, fitting_id), lambda row: stances.change(row, op, side, **changes))
    return at_once(fitting_out(row) | {"pose": pose_of(row, value, *shown), "standing": _standing(row, value)})


@router.post("fittings/{fitting_id}/stance/trial", response=TrialOut, operation_id="try_stance")
def post_trial(request: HttpRequest, fitting_id: Id, payload: StanceEdit) -> Any:
    """Show what one change to a stance would make of the body, and keep nothing."""
    op, side, changes, shown = _given_edit(payload)
    row = get_fitting_row(fitting_id)
    value = stances.change(row, op, side, trial=True, **changes)
    return at_once({"pose": pose_of(row, value, *shown), "standing": _standing(row, value), "stance": rows_out(value)})


def _given_edit(change: StanceEdit) -> tuple[str, str, dict[str, Any], tuple[Any, ...]]:
    changes = change.dict()
    shown = changes.pop("show_clip_id"), changes.pop("show_frame")
    return changes.pop("op"), changes.pop("side"), changes, shown


@router.post("fittings/{fitting_id}/stances", response=KeptOut, operation_id="keep_stance")
def keep(request: HttpRequest, fitting_id: Id, payload: KeepIn) -> Any:
    """Keep the stance of one side under a name, for every fitting of its skeleton."""
    row = get_fitting_row(fitting_id)
    side = Side(row, value_of(row), payload.side)
    origin = f"in the fitting of {row.skeleton.name} on {row.character.name}"
    return services.keep_named(side.kept, side.stance, payload.name, origin)


@router.patch("stances/{stance_id}", response=KeptOut, operation_id="rename_stance")
def rename(request: HttpRequest, stance_id: Id, payload: RenameIn) -> Any:
    """Give a kept stance another name."""
    with transaction.atomic():
        row = get_object_or_404(Stance.objects.select_related("skeleton"), pk=stance_id, last=False)
        name = services.checked_name(row.skeleton, payload.name, row.pk)
        row.claim(base_version(request), {"name": row.name}, {"name": name})
        row.name, row.data = name, row.data | {"name": name}
        row.save(update_fields=["name", "data", *VERSION_FIELDS])
    return row


@router.post("stances/{stance_id}/duplicate", response=KeptOut, operation_id="duplicate_stance")
def duplicate(request: HttpRequest, stance_id: Id) -> Any:
    """A copy of a kept stance under a free name."""
    row = get_object_or_404(Stance.objects.select_related("skeleton"), pk=stance_id, last=False)
    name = services.free_name(row.skeleton, row.name)
    return Stance.objects.create(skeleton=row.skeleton, name=name, data=row.data | {"name": name}, origin=row.origin)


@router.delete("stances/{stance_id}", response={204: None}, operation_id="remove_stance")
def remove(request: HttpRequest, stance_id: Id) -> Any:
    """Remove a kept stance; fittings that took it keep it."""
    with transaction.atomic():
        row = get_object_or_404(Stance, pk=stance_id, last=False)
        row.claim_whole(base_version(request))
        row.delete()
    return 204, None


@router.get("fittings/{fitting_id}/file", operation_id="get_fitting_file", response={200: None})
def get_file(request: HttpRequest, fitting_id: Id) -> HttpResponse:
    """The fitting as a file, stances and all: what the command line reads and writes too."""
    row = get_fitting_row(fitting_id)
    text = json.dumps(fitting_file.to_json(value_of(row)), ensure_ascii=False, indent=1) + "\n"
    response = HttpResponse(text.encode(), content_type="application/json")
    name = f"{row.skeleton.name} on {row.character.name}.fitting.json"
    response["Content-Disposition"] = content_disposition_header(True, name)
    return response


@router.post("fittings/{fitting_id}/file", response=FittingOut, operation_id="put_fitting_file")
def put_file(request: HttpRequest, fitting_id: Id, file: File[UploadedFile]) -> Any:
    """Take pairs, stances and measures from a file; it is a step that can be undone."""
    name, text = received(file, settings.LARGEST_TEXT)

    def work(row: Fitting) -> None:
        before = value_of(row)
        made = fitting_file.from_json(text, name, before.source, before.target)
        with transaction.atomic():
            step(row, made, f"taken from {name}")
            stances.remember(row, before)

    row, _ = change_fitting(begun_on(request, fitting_id), work)
    return at_once(fitting_out(row))
