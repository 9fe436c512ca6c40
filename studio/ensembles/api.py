"""Ensembles over HTTP: what is in them, who plays whom, what that comes to, and its files."""

from dataclasses import asdict
from typing import Any

import numpy as np
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils.http import content_disposition_header
from ninja import File, Router, Status
from ninja.files import UploadedFile

from armuto.ensembles.files import ensemble_file
from armuto.errors import BadInput
from studio.cast.queries import node_motion
from studio.ensembles import services
from studio.ensembles.models import Casting, Ensemble
from studio.ensembles.queries import (
    measures_as_json,
    measures_of,
    performance_of,
    prop_rows,
    recording_of,
    value_of_casting,
    value_of_ensemble,
)
from studio.ensembles.schemas import (
    CastingChange,
    CastingIn,
    CastingMeasuresOut,
    CastingOut,
    EnsembleChange,
    EnsembleIn,
    EnsembleOut,
    EnsembleSummary,
)
from studio.fittings.preview import clip_value
from studio.platform.array_response import array_response
from studio.platform.fields import Id
from studio.platform.optimistic import base_version, name_version
from studio.platform.timing import span
from studio.platform.uploads import received

router = Router(tags=["ensembles"])


def _row(ensemble_id: int) -> Ensemble:
    rows = Ensemble.objects.prefetch_related("performers__clip", "castings__roles__performer")
    return get_object_or_404(rows, pk=ensemble_id)


def _casting(casting_id: int) -> Casting:
    rows = Casting.objects.select_related("ensemble").prefetch_related("roles__performer")
    return get_object_or_404(rows, pk=casting_id)


@router.get("", response=list[EnsembleSummary], operation_id="list_ensembles")
def list_ensembles(request: HttpRequest) -> Any:
    """All ensembles."""
    rows = Ensemble.objects.prefetch_related("performers", "castings__roles__performer")
    return [_summary(row) for row in rows]


@router.post("", response=EnsembleOut, operation_id="make_ensemble")
def post_ensemble(request: HttpRequest, response: HttpResponse, payload: EnsembleIn) -> Any:
    """Put clips that were recorded in one space together."""
    return _shown(response, services.create(payload.clips, payload.name).pk)


@router.get("{ensemble_id}", response=EnsembleOut, operation_id="get_ensemble")
def get_ensemble(request: HttpRequest, response: HttpResponse, ensemble_id: Id) -> Any:
    """An ensemble: who and what is in it, and where they meet."""
    return _shown(response, ensemble_id)


@router.patch("{ensemble_id}", response=EnsembleOut, operation_id="change_ensemble")
def patch_ensemble(request: HttpRequest, response: HttpResponse, ensemble_id: Id, payload: EnsembleChange) -> Any:
    """Change names, times, props, meetings or the range. 409 where others have changed the same since the version of
    ``If-Match``."""
    services.change(_row(ensemble_id), payload.dict(exclude_unset=True), base_version(request))
    return _shown(response, ensemble_id)


@router.post("{ensemble_id}/props", response=EnsembleOut, operation_id="add_prop")
def post_prop(request: HttpRequest, response: HttpResponse, ensemble_id: Id, file: File[UploadedFile]) -> Any:
    """Add a prop that is the mesh of a file without bones, where it stands there. 409 as ``change_ensemble``."""
    name, data = received(file)
    services.add_mesh(_row(ensemble_id), data, name, base_version(request))
    return _shown(response, ensemble_id)


@router.delete("{ensemble_id}", response={204: None}, operation_id="remove_ensemble")
def delete_ensemble(request: HttpRequest, ensemble_id: Id) -> Status[Any]:
    """Remove an ensemble with its castings. Its clips stay."""
    row = _row(ensemble_id)
    row.claim_whole(base_version(request))
    row.delete()
    return Status(204, None)


@router.get("{ensemble_id}/recording", operation_id="get_ensemble_recording", response={200: None})
def get_recording(request: HttpRequest, ensemble_id: Id) -> HttpResponse:
    """As it was recorded, over the frames that all have: of each performer the world positions of joints and end sites
    ``(frames, points, 3)``, then of each prop its position and rotation ``(frames, 7)``."""
    recording = recording_of(_row(ensemble_id))
    worlds = [clip.world() for clip in recording.clips.values()]
    places = [np.concatenate([world.positions, world.ends], axis=1) for world in worlds]
    return array_response(*places, *prop_rows(recording.props), fps=recording.fps)


@router.post("{ensemble_id}/castings", response=CastingOut, operation_id="make_casting")
def post_casting(request: HttpRequest, response: HttpResponse, ensemble_id: Id, payload: CastingIn) -> Any:
    """Cast an ensemble: somebody for every performer."""
    return _cast(response, services.cast(_row(ensemble_id), payload.cast, payload.name).pk)


@router.get("castings/{casting_id}", response=CastingOut, operation_id="get_casting")
def get_casting(request: HttpRequest, response: HttpResponse, casting_id: Id) -> Any:
    """Who plays whom, and how they are placed."""
    return _cast(response, casting_id)


@router.patch("castings/{casting_id}", response=CastingOut, operation_id="change_casting")
def patch_casting(request: HttpRequest, response: HttpResponse, casting_id: Id, payload: CastingChange) -> Any:
    """Change who plays whom, the space, sizes, or where somebody is placed. 409 where others have changed the same
    since the version of ``If-Match``."""
    services.recast(_casting(casting_id), payload.dict(exclude_unset=True), base_version(request))
    return _cast(response, casting_id)


@router.delete("castings/{casting_id}", response={204: None}, operation_id="remove_casting")
def delete_casting(request: HttpRequest, casting_id: Id) -> Status[Any]:
    """Remove a casting."""
    row = _casting(casting_id)
    row.claim_whole(base_version(request))
    row.delete()
    return Status(204, None)


@router.get("castings/{casting_id}/motion", operation_id="get_casting_motion", response={200: None})
def get_motion(request: HttpRequest, casting_id: Id) -> HttpResponse:
    """What a casting does, in one space: of each performer the motion of the character's own nodes, rotations
    ``(frames, joints, 4)`` and translations ``(frames, joints, 3)``; then of each prop its position and rotation
    ``(frames, 7)``."""
    row = _casting(casting_id)
    with span("ensemble"):
        result = performance_of(row)
    characters = {role.performer.name: role.character for role in row.roles.select_related("performer", "character")}
    blocks = [block for who, clip in result.clips.items() for block in node_motion(clip, characters[who])]
    return array_response(*blocks, *prop_rows(result.props), fps=result.recording.fps)


@router.get("castings/{casting_id}/measures", response=CastingMeasuresOut, operation_id="get_casting_measures")
def get_measures(request: HttpRequest, casting_id: Id) -> Any:
    """How well those meet who play, against the recording."""
    row = _casting(casting_id)
    return measures_as_json(performance_of(row), measures_of(row))


@router.get("castings/{casting_id}/file", operation_id="get_casting_file", response={200: None})
def get_file(request: HttpRequest, casting_id: Id) -> HttpResponse:
    """Everybody and everything of a casting in one .glb, in their common space."""
    row = _casting(casting_id)
    result = performance_of(row)
    roles = row.roles.select_related("performer", "character__skeleton")
    data = ensemble_file(result, {role.performer.name: role.character.document() for role in roles})
    response = HttpResponse(data, content_type="model/gltf-binary")
    response["Content-Disposition"] = content_disposition_header(True, f"{row.ensemble.name} {row.name}.glb")
    return response


def _summary(row: Ensemble) -> dict[str, Any]:
    people = list(row.performers.all())
    return {
        "id": row.pk,
        "name": row.name,
        "performers": [each.name for each in people],
        "props": [prop["name"] for prop in row.data.get("props", [])],
        "clip_ids": [each.clip_id for each in people],
        "castings": [_who(casting) for casting in row.castings.all()],
        "created": row.created,
    }


def _who(row: Casting) -> dict[str, Any]:
    cast = {role.performer.name: role.character_id for role in row.roles.all()}
    return {"id": row.pk, "name": row.name, "cast": cast}


def _shown(response: HttpResponse, ensemble_id: int) -> dict[str, Any]:
    row = _row(ensemble_id)
    name_version(response, row.lock_version)
    problem, recording = "", None
    try:
        recording = recording_of(row)
    except BadInput as fault:
        problem = str(fault)
    value = recording.ensemble if recording else value_of_ensemble(row)
    meetings = recording.meetings if recording else value.meetings or ()
    people = row.performers.select_related("clip")
    return _summary(row) | {
        "fps": recording.fps if recording else 30.0,
        "first": recording.first if recording else 0,
        "last": recording.last if recording else 0,
        "said_first": value.first,
        "said_last": value.last,
        "people": [
            {
                "name": each.name,
                "clip_id": each.clip_id,
                "clip": each.clip.name,
                "skeleton_id": each.clip.skeleton_id,
                "start": each.clip.first + each.shift,
                "shift": each.shift,
                "frames": clip_value(each.clip).frames,
            }
            for each in people
        ],
        "things": [asdict(prop) for prop in value.props],
        "meetings": [asdict(meeting) for meeting in meetings],
        "found": value.meetings is None,
        "problem": problem,
        "lock_version": row.lock_version,
    }


def _cast(response: HttpResponse, casting_id: int) -> dict[str, Any]:
    row = _casting(casting_id)
    name_version(response, row.lock_version)
    value = value_of_casting(row)
    problem, space, sizes = "", value.space or 1.0, dict(value.sizes)
    try:
        result = performance_of(row)
        space, sizes = result.space, dict(result.sizes)
    except BadInput as fault:
        problem = str(fault)
    return _who(row) | {
        "space": value.space,
        "space_used": round(space, 6),
        "sizes": dict(value.sizes),
        "sizes_used": {name: round(size, 6) for name, size in sizes.items()},
        "placements": {who: [asdict(key) for key in keys] for who, keys in value.placements.items()},
        "ease": value.ease,
        "problem": problem,
        "lock_version": row.lock_version,
    }
