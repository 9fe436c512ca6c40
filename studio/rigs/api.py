"""Bones for meshes over HTTP."""

from dataclasses import asdict
from typing import Annotated, Any

import numpy as np
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Query, Router, Status
from pydantic import StringConstraints

from armuto.errors import BadInput
from armuto.formats import gltf
from armuto.rigging import definition as core
from armuto.rigging.exercise import posture_clip, posture_frames
from armuto.rigging.pipeline import names_in_file
from armuto.rigging.sections import normal_at, section_at
from armuto.rigging.skeleton import skeleton_from
from studio.cast.models import Character
from studio.cast.schemas import CharacterOut
from studio.library.models import Clip
from studio.platform import jobs, reader
from studio.platform.array_response import array_response
from studio.platform.compression import compressed_once
from studio.platform.fields import Id
from studio.platform.optimistic import base_version, name_version
from studio.rigs import services
from studio.rigs.models import Rig, RigMesh
from studio.rigs.schemas import (
    RigBinding,
    RigChange,
    RigFingersIn,
    RigMovesIn,
    RigOut,
    RigPivot,
    RigPostures,
    RigProgress,
    RigProposalIn,
    RigProposalOut,
    RigSection,
)

router = Router(tags=["rigs"])
FARTHEST = 1000.0  # metres
Job = Annotated[str, StringConstraints(pattern=jobs.NAME)]


def _row(character_id: int) -> Rig:
    rows = Rig.objects.select_related("character", "original", "mesh")
    return get_object_or_404(rows, pk=character_id)


@router.post("{character_id}", response=RigOut, operation_id="begin_rig")
def post_rig(request: HttpRequest, response: HttpResponse, character_id: Id) -> Any:
    """Begin to give a character bones for its mesh, or go on where that was left. The character stays as it is."""
    rows = Character.objects.select_related("original__content")
    return _shown(response, services.begin(get_object_or_404(rows, pk=character_id)).pk)


@router.get("{character_id}", response=RigOut, operation_id="get_rig")
def get_rig(request: HttpRequest, response: HttpResponse, character_id: Id) -> Any:
    """What was decided about a character's bones."""
    return _shown(response, character_id)


@router.patch("{character_id}", response=RigOut, operation_id="change_rig")
def patch_rig(request: HttpRequest, response: HttpResponse, character_id: Id, payload: RigChange) -> Any:
    """Decide otherwise about the bones. 409 where others have changed them since the version of ``If-Match``."""
    services.change(_row(character_id), payload.definition, base_version(request))
    return _shown(response, character_id)


@router.post("{character_id}/proposal", response=RigProposalOut, operation_id="propose_rig")
def post_proposal(request: HttpRequest, character_id: Id, payload: RigProposalIn) -> Any:
    """Landmarks from the shape once more; nothing is kept."""
    row = _row(character_id)
    checked = core.from_json(row.definition | {"unit": payload.unit, "up": payload.up}, row.character.name)
    pose = payload.pose or checked.pose
    return {"definition": core.to_json(services.proposal(row, checked.unit, checked.up, payload.plan, pose))}


@router.post("{character_id}/fingers", response=RigProposalOut, operation_id="propose_fingers")
def post_fingers(request: HttpRequest, character_id: Id, payload: RigFingersIn) -> Any:
    """The same with landmarks of fingers from the shape of each hand; nothing is kept."""
    return {"definition": core.to_json(services.with_fingers(_row(character_id), payload.definition, payload.count))}


@router.post("{character_id}/moves", response=RigProposalOut, operation_id="move_rig_pieces")
def post_moves(request: HttpRequest, character_id: Id, payload: RigMovesIn) -> Any:
    """The same with pieces of the mesh moved otherwise, and the landmarks that lie in them; nothing is kept."""
    moves = {piece: move.dict() for piece, move in payload.moves.items()}
    return {"definition": core.to_json(services.with_moves(_row(character_id), payload.definition, moves))}


@router.get("{character_id}/pivot", response=RigPivot, operation_id="get_rig_pivot")
def get_pivot(request: HttpRequest, character_id: Id, piece: Annotated[int, Query(ge=0)]) -> Any:
    """Where a piece of the mesh is turned about: where it meets larger ones, in the mesh as it came."""
    return {"at": list(services.pivot(_row(character_id), piece))}


@router.post("{character_id}/version", response=CharacterOut, operation_id="apply_rig")
def post_version(request: HttpRequest, character_id: Id) -> Any:
    """Put the figure with these bones in the line-up: the character keeps its name, tags, remarks and fittings."""
    character = services.apply(_row(character_id))
    return Character.objects.select_related("original", "skeleton").get(pk=character.pk)


@router.get("{character_id}/mesh", operation_id="get_rig_mesh", response={200: None})
def get_mesh(request: HttpRequest, character_id: Id) -> HttpResponse:
    """The mesh without bones as .glb, its pieces where they were moved to: a lighter copy to look at."""
    row = _row(character_id)
    value = row.value()
    data = services.mesh_of(row).glb if value.moves else row.mesh.content(value.pose)
    return compressed_once(request, reader.display_copy(data, row.mesh_name), "model/gltf-binary")


@router.get("{character_id}/figure", operation_id="get_rig_figure", response={200: None})
def get_figure(request: HttpRequest, character_id: Id, whole: bool = False) -> HttpResponse:
    """The figure with the bones of the definition in force as .glb: a lighter copy, or the whole of it."""
    row = _row(character_id)
    data = services.bound(row).glb
    if whole:
        return HttpResponse(data, content_type="model/gltf-binary")
    return compressed_once(request, reader.display_copy(data, row.mesh_name), "model/gltf-binary")


@router.get("{character_id}/binding", response=RigBinding, operation_id="get_rig_binding")
def get_binding(request: HttpRequest, character_id: Id, job: Job | None = None) -> Any:
    """How the mesh is bound by the definition in force, and what is wrong with it. job: a name by which it can be asked
    how far that is, and by which it is cancelled."""
    row = _row(character_id)
    made = services.bound(row, job)
    document = services.document_of(row)
    assert document.rig is not None
    return {
        "problems": [asdict(problem) for problem in made.problems],
        "follows": {str(piece): bone for piece, bone in made.follows.items()},
        "names": [made.names[joint] for joint in services.joints_of(row, document)],
        "parents": document.skeleton.parents.tolist(),
        "nodes": list(document.rig.nodes),
    }


@router.get("jobs/{job}", response=RigProgress, operation_id="get_rig_progress")
def get_progress(request: HttpRequest, job: Job) -> Any:
    """How far a binding is; nothing is said of one that has not begun or is done."""
    share, doing = jobs.job_of(job).progress.read() or (None, "")
    return {"share": share, "doing": doing}


@router.delete("jobs/{job}", response={204: None}, operation_id="cancel_rig_binding")
def delete_job(request: HttpRequest, job: Job) -> Any:
    """Give a binding up; who waits for it is told so."""
    jobs.job_of(job).cancel()
    return Status(204, None)


@router.get("{character_id}/section", response=RigSection, operation_id="get_rig_section")
def get_section(request: HttpRequest, character_id: Id, landmark: str, x: float, y: float, z: float) -> Any:
    """The cut through the body at a landmark, where it lies or would lie."""
    row = _row(character_id)
    landmarks = row.value().landmarks
    at = np.array([x, y, z])
    if landmark not in landmarks.points or not (np.abs(at) < FARTHEST).all():
        raise BadInput(f"{row.character.name}: there is no such landmark; choose another.")
    mesh = services.mesh_of(row)
    found = section_at(mesh.points, mesh.faces, at, normal_at(landmarks, landmark))
    return {
        "segments": found.segments.round(4).tolist(),
        "own": found.own.tolist(),
        "middle": None if found.middle is None else found.middle.round(5).tolist(),
        "normal": found.normal.tolist(),
    }


@router.get("{character_id}/postures", response=RigPostures, operation_id="list_rig_postures")
def get_postures(request: HttpRequest, character_id: Id) -> Any:
    """The test postures, and the frames of their clip in which each stands."""
    value = _row(character_id).value()
    clip = posture_clip(skeleton_from(value.landmarks, value.options), value.landmarks)
    postures = [{"name": name, "frame": frame} for name, frame in posture_frames(value.landmarks.plan).items()]
    return {"frames": clip.frames, "fps": clip.fps, "postures": postures}


@router.get("{character_id}/motion", operation_id="get_rig_motion", response={200: None})
def get_motion(request: HttpRequest, character_id: Id, clip: Id | None = None) -> HttpResponse:
    """Local rotations, then translations of the figure's nodes: through the test postures, or as it performs a clip of
    the library."""
    row = _row(character_id)
    if clip is None:
        made = services.posture_motion(row)
    else:
        made = services.performed(row, get_object_or_404(Clip.objects.select_related("skeleton"), pk=clip))
    document = services.document_of(row)
    assert document.rig is not None
    rotations, translations = gltf.node_motion(made, document.rig)
    return array_response(rotations, translations, fps=made.fps)


def _stood_otherwise(row: Rig) -> bool:
    return RigMesh.objects.filter(rig=row, standing__isnull=False).exists()


def _shown(response: HttpResponse, character_id: int) -> dict[str, Any]:
    row = _row(character_id)
    name_version(response, row.lock_version)
    value = row.value()
    skeleton = skeleton_from(value.landmarks, value.options)
    called = names_in_file(value, skeleton)
    places = np.concatenate([skeleton.rest.positions, skeleton.rest.ends])
    return {
        "character_id": row.pk,
        "name": row.character.name,
        "file": row.original.name,
        # Whole, also where it was kept before some of its fields were there.
        "definition": core.to_json(value),
        "facts": row.facts,
        "skeleton": {
            "names": list(skeleton.names),
            "names_in_file": list(called.values()),
            "parents": skeleton.parents.tolist(),
            "ends": skeleton.end_parents.tolist(),
            "places": places.round(5).tolist(),
        },
        "meanings": {name: value.landmarks.landmark_set.meaning(name) for name in value.landmarks.points},
        "poses": list(core.POSES) if _stood_otherwise(row) else ["bound"],
        "current": row.made == value.digest,
        "lock_version": row.lock_version,
    }
