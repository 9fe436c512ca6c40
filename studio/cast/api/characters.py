"""The cast over HTTP."""

from typing import Any

from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import File, Router
from ninja.files import UploadedFile

from armuto.choices import UNITS, unit_name
from armuto.errors import BadInput
from armuto.intake.detection import ImportOptions
from armuto.kinematics.clip import still
from studio.cast.models import Character
from studio.cast.schemas import CharacterChange, CharacterOut
from studio.cast.services import new_version_of, store_files
from studio.contents.services import store
from studio.library.api import skeleton_out
from studio.library.schemas import PlateOut, SkeletonTree
from studio.library.services import changed_tags, plate_of, shortened
from studio.platform import reader
from studio.platform.compression import compressed_once
from studio.platform.fields import Id
from studio.platform.optimistic import VERSION_FIELDS, base_version, name_version
from studio.platform.uploads import received

router = Router(tags=["cast"])


@router.get("", response=list[CharacterOut], operation_id="list_characters")
def list_characters(request: HttpRequest) -> Any:
    """All characters, retired ones too."""
    return Character.objects.select_related("original", "skeleton")


@router.get("{character_id}", response=CharacterOut, operation_id="get_character")
def get_character(request: HttpRequest, response: HttpResponse, character_id: Id) -> Any:
    """One character, with everything that was found in its file."""
    row = get_object_or_404(Character.objects.select_related("original", "skeleton"), pk=character_id)
    name_version(response, row.lock_version)
    return row


@router.patch("{character_id}", response=CharacterOut, operation_id="change_character")
def patch_character(request: HttpRequest, response: HttpResponse, character_id: Id, payload: CharacterChange) -> Any:
    """Change what is given of a character: its name, tags, remarks, or whether it is retired. 409 where others have
    changed the same since the version of ``If-Match``."""
    given = {key: value for key, value in payload.dict(exclude_unset=True).items() if value is not None}
    # Read and written under one lock: what others change of it meanwhile is not written over.
    with transaction.atomic():
        row = get_object_or_404(Character.objects.select_related("original", "skeleton"), pk=character_id)
        if "name" in given:
            given["name"] = shortened(given["name"])
        if "remarks" in given:
            given["remarks"] = given["remarks"][:4000]
        now = {field: getattr(row, field) for field in ("name", "tags", "remarks", "retired")}
        row.claim(base_version(request), now, {field: value for field, value in given.items() if field in now})
        if "name" in given:
            row.name = given["name"]
            if not row.name:
                raise BadInput("A character needs a name; type one.")
            if Character.objects.filter(name=row.name).exclude(pk=row.pk).exists():
                raise BadInput(f"{row.name}: another character has this name; choose one that is free.")
        row.tags = changed_tags(given.get("tags", row.tags), given.get("tag"), given.get("untag"))
        row.remarks = given.get("remarks", row.remarks)
        row.retired = given.get("retired", row.retired)
        row.save(update_fields=["name", "tags", "remarks", "retired", *VERSION_FIELDS])
    name_version(response, row.lock_version)
    return row


@router.post("{character_id}/version", response=CharacterOut, operation_id="new_character_version")
def post_version(request: HttpRequest, character_id: Id, file: File[UploadedFile]) -> Any:
    """Another file for this character: it keeps its name, tags, remarks and fittings."""
    row = get_object_or_404(Character.objects.select_related("original", "skeleton"), pk=character_id)
    name, data = received(file)
    frame = row.skeleton.value().file_frame
    # A unit without a name comes from a height that was said; another file shows its own.
    unit = None if unit_name(frame.unit) in UNITS else frame.unit
    document = reader.read(data, name, ImportOptions(unit, turned=frame.turned))
    new_version_of(row, document, store_files(document, store(data)))
    return row


@router.get("{character_id}/skeleton", response=SkeletonTree, operation_id="get_character_skeleton")
def get_skeleton(request: HttpRequest, character_id: Id) -> Any:
    """The bones of a character, and how they were read."""
    return skeleton_out(get_object_or_404(Character.objects.select_related("skeleton"), pk=character_id).skeleton)


@router.get("{character_id}/plate", response=PlateOut, operation_id="get_character_plate")
def get_plate(request: HttpRequest, character_id: Id) -> Any:
    """The figure as it rests, inked as the poses of clips are."""
    skeleton = get_object_or_404(Character.objects.select_related("skeleton"), pk=character_id).skeleton
    return plate_of(still(skeleton.value()), skeleton.assignment())


@router.get("{character_id}/display", operation_id="get_character_display", response={200: None})
def get_display(request: HttpRequest, character_id: Id, whole: bool = False) -> HttpResponse:
    """One self-contained .glb of the figure, for the stage: a lighter copy of its mesh, or the whole of it."""
    row = get_object_or_404(Character.objects.select_related("original__content"), pk=character_id)
    if whole:
        return HttpResponse(row.display(), content_type="model/gltf-binary")
    return compressed_once(request, reader.display_copy(row.display(), row.name), "model/gltf-binary")


@router.get("{character_id}/file", operation_id="get_character_file", response={200: None})
def get_file(request: HttpRequest, character_id: Id) -> HttpResponse:
    """The character's own file, byte for byte."""
    row = get_object_or_404(Character.objects.select_related("original__content"), pk=character_id)
    kinds = {"glb": "model/gltf-binary", "gltf": "model/gltf+json", "dae": "model/vnd.collada+xml"}
    kind = kinds.get(row.original.format, "application/octet-stream")
    response = HttpResponse(row.original.content.data, content_type=kind)
    response["Cache-Control"] = "no-cache"
    response["ETag"] = f'"{row.original.sha256}"'
    return response
