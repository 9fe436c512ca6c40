"""The library over HTTP: skeletons, clips, plates and motion."""

import json
from typing import Any

import numpy as np
from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils.http import content_disposition_header
from ninja import File, Router, Status
from ninja.files import UploadedFile

from armuto.body.mirror import mirror_joints
from armuto.errors import BadInput
from armuto.intake import naming, recording
from armuto.intake.detection import ImportOptions
from armuto.refining import Refined, from_file, to_json
from studio.contents.services import store
from studio.library.models import Clip, KeptRecipe, Plate, Skeleton
from studio.library.refining import LONG, analysis, keep_recipe, long_analysis, residual, trial
from studio.library.schemas import (
    ClipChange,
    ClipOut,
    KeptRecipeIn,
    KeptRecipeOut,
    ManyChange,
    MeasuringOut,
    NameChange,
    PlateOut,
    RecipeIn,
    RefiningOut,
    Renaming,
    ResidualOut,
    SegmentIn,
    SkeletonChange,
    SkeletonOut,
    SkeletonTree,
)
from studio.library.services import (
    change_clip,
    check_range,
    keep_original,
    keep_skeleton,
    new_version,
    plate_of,
    rename,
    segment,
    set_names,
    shortened,
)
from studio.library.tasks import measure_clip
from studio.platform import reader
from studio.platform.array_response import array_response
from studio.platform.fields import Id
from studio.platform.optimistic import VERSION_FIELDS, base_version, name_version
from studio.platform.uploads import received

router = Router(tags=["library"])


@router.patch("skeletons/{skeleton_id}", response={204: None}, operation_id="rename_skeleton")
def patch_skeleton(request: HttpRequest, skeleton_id: Id, payload: SkeletonChange) -> Status[Any]:
    """Give a library skeleton another name."""
    with transaction.atomic():
        row = get_object_or_404(Skeleton, pk=skeleton_id)
        name = shortened(payload.name)
        if not name:
            raise BadInput("A skeleton needs a name; type one.")
        row.claim(base_version(request), {"name": row.name}, {"name": name})
        row.name = name
        row.save(update_fields=["name", *VERSION_FIELDS])
    return Status(204, None)


@router.get("skeletons", response=list[SkeletonOut], operation_id="list_skeletons")
def list_skeletons(request: HttpRequest) -> list[Any]:
    """The library skeletons: those that have clips."""
    rows = Skeleton.objects.filter(clips__isnull=False).distinct().defer("tree").order_by("name", "id")
    return [
        {"clips": row.clips.count()}
        | {k: getattr(row, k) for k in ("id", "name", "joints", "height", "facing", "plan", "lock_version")}
        for row in rows
    ]


@router.get("skeletons/{skeleton_id}", response=SkeletonTree, operation_id="get_skeleton")
def get_skeleton(request: HttpRequest, skeleton_id: Id) -> Any:
    """The bones of a library skeleton, how they were read, and what was detected of its file."""
    return skeleton_out(get_object_or_404(Skeleton, pk=skeleton_id))


def skeleton_out(row: Skeleton) -> dict[str, Any]:
    tree = row.tree
    part = {name: key for key, names in row.parts.items() for name in names}
    other = mirror_joints(row.value(), row.assignment())
    return {
        "id": row.pk,
        "names": tree["names"],
        "parents": tree["parents"],
        "parts": [part.get(name) for name in tree["names"]],
        "ends": tree["end_parents"],
        "evidence": tree["file_frame"]["evidence"],
        "readings": row.readings,
        "twins": [other.get(joint, -1) for joint in range(len(tree["names"]))],
    }


@router.get("clips", response=list[ClipOut], operation_id="list_clips")
def list_clips(request: HttpRequest) -> Any:
    """All clips of the library, retired ones too."""
    return Clip.objects.select_related("take").prefetch_related("skeleton")


@router.get("clips/{clip_id}", response=ClipOut, operation_id="get_clip")
def get_clip(request: HttpRequest, response: HttpResponse, clip_id: Id) -> Any:
    """One clip."""
    row = get_object_or_404(Clip.objects.select_related("take"), pk=clip_id)
    name_version(response, row.lock_version)
    return row


@router.patch("clips/{clip_id}", response=ClipOut, operation_id="change_clip")
def patch_clip(request: HttpRequest, response: HttpResponse, clip_id: Id, payload: ClipChange) -> Any:
    """Change what is given of a clip: its name, tags, range, recipe, floor, or whether it is retired. 409 where others
    have changed the same since the version of ``If-Match``."""
    # Read and written under one lock: what others change of it meanwhile is not written over.
    with transaction.atomic():
        row = get_object_or_404(Clip.objects.select_related("skeleton", "motion", "take"), pk=clip_id)
        change_clip(row, **payload.dict(exclude_unset=True), base=base_version(request))
    name_version(response, row.lock_version)
    return row


@router.post("changes", response=list[ClipOut], operation_id="change_clips")
def change_many(request: HttpRequest, payload: ManyChange) -> Any:
    """Change many clips together: tags given and taken, retired and restored."""
    with transaction.atomic():
        for row in Clip.objects.filter(pk__in=payload.ids).select_related("skeleton", "take"):
            change_clip(row, tag=payload.tag, untag=payload.untag, retired=payload.retired)
    return Clip.objects.filter(pk__in=payload.ids).select_related("take").prefetch_related("skeleton")


@router.post("names", response=dict[int, str], operation_id="rename_clips")
def rename_many(request: HttpRequest, payload: Renaming) -> Any:
    """The names these clips get by a rule; given to them unless it is only looked at first."""
    try:
        rule = naming.from_json({"style": payload.style, "pieces": payload.pieces})
    except ValueError as problem:
        raise BadInput(f"Naming rule: {problem}.") from None
    rows = list(Clip.objects.filter(pk__in=payload.ids).select_related("skeleton", "take"))
    taken = Clip.objects.exclude(pk__in=payload.ids).values_list("name", flat=True)
    made = naming.names(rule, [naming.facts(row.name, row.name, row.skeleton.name, row.length) for row in rows], taken)
    if payload.apply:
        with transaction.atomic():
            set_names({row.pk: name for row, name in zip(rows, made, strict=True)})
    return {row.pk: name for row, name in zip(rows, made, strict=True)}


@router.put("names", response=dict[int, str], operation_id="set_clip_names")
def put_names(request: HttpRequest, payload: list[NameChange]) -> dict[int, str]:
    """Other names for many clips at once, all of them or none. Clips that somebody has renamed since keep their names,
    as the answer says."""
    with transaction.atomic():
        rename(payload)
    return dict(Clip.objects.filter(pk__in=[row.id for row in payload]).values_list("pk", "name"))


@router.post("clips/{clip_id}/segments", response=ClipOut, operation_id="cut_segment")
def post_segment(request: HttpRequest, clip_id: Id, payload: SegmentIn) -> Any:
    """A stretch of the clip's take as a clip of its own. first and last: frames of the take."""
    row = get_object_or_404(Clip.objects.select_related("skeleton", "motion", "take"), pk=clip_id)
    with transaction.atomic():
        return segment(row, payload.first, payload.last, payload.name)


@router.post("clips/{clip_id}/version", response=ClipOut, operation_id="new_clip_version")
def post_version(request: HttpRequest, clip_id: Id, file: File[UploadedFile]) -> Any:
    """A new take for this clip: it keeps name, tags and fittings, and what was made from it is out of date."""
    row = get_object_or_404(Clip.objects.select_related("skeleton", "motion", "take"), pk=clip_id)
    name, data = received(file)
    # On the same skeleton, so in the space that was said or found for that.
    frame = row.skeleton.value().file_frame
    document = reader.read(data, name, ImportOptions(frame.unit, frame.up, frame.turned))
    if not document.clips:
        raise BadInput(f"{name}: there is no motion in it; name a file with at least one clip.")
    clip = next((clip for clip in document.clips if clip.name == row.name), document.clips[0])
    found = recording.calibration(clip)
    content = store(data)
    with transaction.atomic():
        original = keep_original(content, name, document.format)
        skeleton = keep_skeleton(document, f"skeleton of {name.rsplit('.', 1)[0]}")
        new_version(row, document, clip, original, skeleton, (found.frames if found else 0, clip.frames - 1))
    return row


@router.get("clips/{clip_id}/take", operation_id="get_take_positions", response={200: None})
def get_take(request: HttpRequest, clip_id: Id) -> HttpResponse:
    """World positions of the clip's whole take, as those of the clip are given."""
    row = get_object_or_404(Clip.objects.select_related("skeleton", "motion"), pk=clip_id)
    world = row.whole().world()
    return array_response(np.concatenate([world.positions, world.ends], axis=1), fps=row.fps)


@router.get("clips/{clip_id}/refined", operation_id="get_refined_positions", response={200: None})
def get_refined(request: HttpRequest, clip_id: Id) -> HttpResponse:
    """World positions of all joints and end sites of the clip as its recipe has it, ``(frames, joints + ends, 3)``, and
    the frame of the take that each of its frames shows, ``(frames,)``: float32."""
    row = get_object_or_404(Clip.objects.select_related("skeleton"), pk=clip_id)
    return _refined_positions(row.refined_value())


@router.post("clips/{clip_id}/refined", operation_id="try_recipe", response={200: None})
def post_refined(request: HttpRequest, clip_id: Id, payload: RecipeIn) -> HttpResponse:
    """What another recipe would make of the clip, as what its own makes is given; nothing is kept."""
    row = get_object_or_404(Clip.objects.select_related("skeleton", "motion"), pk=clip_id)
    return _refined_positions(trial(row, payload.recipe))


def _refined_positions(refined: Refined) -> HttpResponse:
    world = refined.clip.world()
    places = np.concatenate([world.positions, world.ends], axis=1)
    return array_response(places, refined.frames, fps=refined.clip.fps)


@router.get("clips/{clip_id}/refining", response={200: RefiningOut, 202: MeasuringOut}, operation_id="get_refining")
def get_refining(request: HttpRequest, clip_id: Id) -> Any:
    """What each step of the clip's recipe changes, what it could be refined by, and where it could loop. Long clips are
    measured by the worker: 202 until it is through."""
    row = get_object_or_404(Clip.objects.select_related("skeleton"), pk=clip_id)
    if max(row.last - row.first + 1, row.length) <= LONG:
        return analysis(row)
    with transaction.atomic():
        found, begins = long_analysis(row)
    if begins:
        measure_clip.enqueue(row.pk)
    return found or Status(202, {"frames": row.length})


@router.get("clips/{clip_id}/residual", response=ResidualOut, operation_id="get_residual")
def get_residual(request: HttpRequest, clip_id: Id, bone: int) -> Any:
    """What low passes would take off a bone's turns, by their cutoff: of the clip as it comes to be smoothed."""
    row = get_object_or_404(Clip.objects.select_related("skeleton", "motion"), pk=clip_id)
    found = residual(row, bone)
    return {
        "cutoffs": found.cutoffs.tolist(),
        "degrees": found.degrees.tolist(),
        "noise": found.noise.tolist(),
        "cutoff": found.cutoff,
    }


@router.get("recipes", response=list[KeptRecipeOut], operation_id="list_recipes")
def list_recipes(request: HttpRequest) -> Any:
    """The recipes that were kept under a name."""
    return KeptRecipe.objects.all()


@router.post("recipes", response=KeptRecipeOut, operation_id="keep_recipe")
def post_recipe(request: HttpRequest, payload: KeptRecipeIn) -> Any:
    """Keep a recipe under a name, to use it for other clips."""
    with transaction.atomic():
        return keep_recipe(payload.name, payload.recipe, payload.replace)


@router.post("recipes/file", response=KeptRecipeOut, operation_id="keep_recipe_file")
def post_recipe_file(request: HttpRequest, file: File[UploadedFile]) -> Any:
    """Keep the recipe of a file under the file's name, or with the next free number behind it."""
    name, data = received(file)
    recipe = from_file(data, name)
    with transaction.atomic():
        names = KeptRecipe.objects.values_list("name", flat=True)
        return keep_recipe(naming.free(name.rsplit(".", 1)[0], names), to_json(recipe), False)


@router.delete("recipes/{recipe_id}", response={204: None}, operation_id="remove_recipe")
def delete_recipe(request: HttpRequest, recipe_id: Id) -> Status[Any]:
    """Remove a kept recipe. Clips that it was used for keep their steps."""
    get_object_or_404(KeptRecipe, pk=recipe_id).delete()
    return Status(204, None)


@router.get("recipes/{recipe_id}/file", operation_id="get_recipe_file", response={200: None})
def get_recipe_file(request: HttpRequest, recipe_id: Id) -> HttpResponse:
    """A kept recipe as a file, which the shell and other studios read."""
    row = get_object_or_404(KeptRecipe, pk=recipe_id)
    response = HttpResponse(
        json.dumps(row.recipe, ensure_ascii=False, indent=1) + "\n", content_type="application/json"
    )
    response.headers["Content-Disposition"] = content_disposition_header(True, f"{row.name}.json") or ""
    return response


@router.get("clips/{clip_id}/file", operation_id="get_take_file", response={200: None})
def get_file(request: HttpRequest, clip_id: Id) -> HttpResponse:
    """The file of the clip's take, byte for byte."""
    row = get_object_or_404(Clip.objects.select_related("take__content"), pk=clip_id)
    response = HttpResponse(row.take.content.data, content_type="application/octet-stream")
    response["Cache-Control"] = "no-cache"
    return response


@router.get("clips/{clip_id}/plate", response=PlateOut, operation_id="get_plate")
def get_plate(request: HttpRequest, clip_id: Id) -> Any:
    """The picture of a clip: its poses one after another."""
    return get_object_or_404(Plate, clip_id=clip_id).drawing


@router.get("clips/{clip_id}/take/plate", response=PlateOut, operation_id="get_take_plate")
def get_take_plate(request: HttpRequest, clip_id: Id, first: int, last: int) -> Any:
    """The picture of a stretch of a clip's take. first and last: frames of it."""
    row = get_object_or_404(Clip.objects.select_related("skeleton", "motion"), pk=clip_id)
    check_range(row.name, first, last, row.frames)
    return plate_of(row.whole().cut(first, last), row.skeleton.assignment())


@router.get("clips/{clip_id}/positions", operation_id="get_clip_positions", response={200: None})
def get_positions(request: HttpRequest, clip_id: Id) -> HttpResponse:
    """World positions of all joints, then of all end sites: float32 ``(frames, joints + ends, 3)`` in metres."""
    row = get_object_or_404(Clip.objects.select_related("skeleton"), pk=clip_id)
    world = row.value().world()
    return array_response(np.concatenate([world.positions, world.ends], axis=1), fps=row.fps)


@router.get("clips/{clip_id}/turns", operation_id="get_clip_turns", response={200: None})
def get_turns(request: HttpRequest, clip_id: Id) -> HttpResponse:
    """World rotations of all joints: float32 ``(frames, joints, 4)``."""
    row = get_object_or_404(Clip.objects.select_related("skeleton"), pk=clip_id)
    return array_response(row.value().world().rotations, fps=row.fps)
