"""The cast over HTTP."""

from datetime import datetime

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Router, Schema

from studio.cast.models import Character
from studio.library.api import SkeletonTree, skeleton_out

router = Router(tags=["cast"])


class FileSpace(Schema):
    """How the file's space becomes ours: multiply by unit (metres), turn by the quaternion."""

    unit: float
    turn: list[float]


class CharacterOut(Schema):
    """bounds: lowest and highest corner of the meshes at rest in metres. nodes: the glTF node of every joint."""

    id: int
    name: str
    file: str
    format: str
    skeleton_id: int
    joints: int
    height: float
    facing: float | None
    bounds: list[list[float]]
    nodes: list[int]
    space: FileSpace
    notes: list[str]
    revision: int
    created: datetime

    @staticmethod
    def resolve_file(row: Character) -> str:
        return row.original.name

    @staticmethod
    def resolve_format(row: Character) -> str:
        return row.original.format

    @staticmethod
    def resolve_joints(row: Character) -> int:
        return row.skeleton.joints

    @staticmethod
    def resolve_space(row: Character) -> dict:
        return row.skeleton.tree["file_frame"]


@router.get("", response=list[CharacterOut], operation_id="list_characters")
def list_characters(request: HttpRequest):
    return Character.objects.select_related("original", "skeleton")


@router.get("{character_id}", response=CharacterOut, operation_id="get_character")
def get_character(request: HttpRequest, character_id: int):
    return get_object_or_404(Character.objects.select_related("original", "skeleton"), pk=character_id)


@router.get("{character_id}/skeleton", response=SkeletonTree, operation_id="get_character_skeleton")
def get_skeleton(request: HttpRequest, character_id: int):
    return skeleton_out(get_object_or_404(Character.objects.select_related("skeleton"), pk=character_id).skeleton)


@router.get("{character_id}/display", operation_id="get_character_display", response={200: None})
def get_display(request: HttpRequest, character_id: int) -> HttpResponse:
    """One self-contained .glb of the figure, for the stage."""
    row = get_object_or_404(Character.objects.select_related("original__content"), pk=character_id)
    response = HttpResponse(row.display(), content_type="model/gltf-binary")
    response["Cache-Control"] = "no-cache"
    return response


@router.get("{character_id}/file", operation_id="get_character_file", response={200: None})
def get_file(request: HttpRequest, character_id: int) -> HttpResponse:
    """The character's own file, byte for byte."""
    row = get_object_or_404(Character.objects.select_related("original__content"), pk=character_id)
    kinds = {"glb": "model/gltf-binary", "gltf": "model/gltf+json", "dae": "model/vnd.collada+xml"}
    kind = kinds.get(row.original.format, "application/octet-stream")
    response = HttpResponse(bytes(row.original.content.data), content_type=kind)
    response["Cache-Control"] = "no-cache"
    response["ETag"] = f'"{row.original.sha256}"'
    return response
