"""Deliveries over HTTP: what would go out, the record of what went out, and the archive itself."""

from collections.abc import AsyncIterator, Iterator
from typing import Any, Literal

from asgiref.sync import sync_to_async
from django.core.handlers.asgi import ASGIRequest
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from django.shortcuts import get_object_or_404
from django.utils.http import content_disposition_header
from ninja import File, Form, Router, Status
from ninja.files import UploadedFile

from armuto.errors import BadInput
from armuto.export import package
from armuto.export import settings as delivery_settings
from armuto.export.insert_motion import Start
from armuto.intake import naming
from studio.delivery.models import Delivery, DeliveryProfile
from studio.delivery.schemas import (
    Again,
    DeliveryIn,
    DeliveryItemOut,
    DeliveryOut,
    DeliveryProfileIn,
    DeliveryProfileOut,
    DeliveryRule,
    Planned,
    RuleIn,
    Thinned,
)
from studio.delivery.services import insertion, packing, planning, profiles
from studio.ingest.models import NamingRule
from studio.platform.fields import Id
from studio.platform.uploads import received
from studio.renditions.models import Revision

router = Router(tags=["delivery"])


@router.get("rule", response=DeliveryRule, operation_id="get_delivery_rule")
def get_rule(request: HttpRequest) -> Any:
    """The rule that delivered files are named by."""
    rule = naming.to_json(planning.rule_in_force())
    return rule | {"fields": list(naming.FIELDS), "styles": list(naming.STYLES)}


@router.put("rule", response=DeliveryRule, operation_id="set_delivery_rule")
def put_rule(request: HttpRequest, rule: RuleIn) -> Any:
    """Another rule to name delivered files by."""
    made = _rule(rule)
    NamingRule.objects.update_or_create(place=planning.PLACE, defaults={"rule": naming.to_json(made)})
    return get_rule(request)


def _rule(rule: RuleIn) -> naming.Rule:
    try:
        return naming.from_json(rule.dict())
    except ValueError as problem:
        raise BadInput(f"Naming rule: {problem}.") from None


@router.get("profiles", response=list[DeliveryProfileOut], operation_id="list_delivery_profiles")
def list_profiles(request: HttpRequest) -> Any:
    """How things go out to each receiver, by its name."""
    return [profiles.shown(row) for row in DeliveryProfile.objects.all()]


@router.put("profiles", response=DeliveryProfileOut, operation_id="keep_delivery_profile")
def put_profile(request: HttpRequest, payload: DeliveryProfileIn) -> Any:
    """Keep how things go out to a receiver, in place of what was kept under its name."""
    settings = delivery_settings.settings_from_json(payload.wanted)
    rule = planning.rule_in_force() if payload.rule is None else _rule(payload.rule)
    return profiles.shown(profiles.keep(payload.name, settings, rule))


@router.delete("profiles/{profile_id}", response={204: None}, operation_id="remove_delivery_profile")
def delete_profile(request: HttpRequest, profile_id: Id) -> Any:
    """Forget a receiver; what went out to it stays."""
    get_object_or_404(DeliveryProfile, pk=profile_id).delete()
    return Status(204, None)


@router.post("plan", response=Planned, operation_id="plan_delivery")
def plan(request: HttpRequest, payload: DeliveryIn) -> dict[str, Any]:
    """What would go out, under which names. Nothing is made."""
    settings = delivery_settings.settings_from_json(payload.wanted)
    rule = planning.rule_in_force()
    rows = planning.chosen(payload.cells)
    going = [row for row in rows if not row.left_out]
    files = iter(planning.named(going, settings, rule))
    clashes = planning.clashing(going, settings, rule)
    number = iter(range(len(going)))
    out = []
    for row in rows:
        goes = not row.left_out
        out.append(
            {
                "clip_id": row.clip.pk,
                "clip": row.clip.name,
                "character_id": row.character.pk,
                "character": row.character.name,
                "casting_id": row.rendition.casting_id,
                "casting": f"{row.rendition.title} by {row.rendition.performed_by}" if row.performer else "",
                "file": next(files) if goes else "",
                "clash": goes and next(number) in clashes,
                "which": row.which,
                "state": row.state,
                "grade": row.revision.grade,
                "frames": row.revision.frames,
                "left_out": row.left_out,
            }
        )
    name = planning.free_name(payload.name.strip() or "delivery")
    return {"rows": out, "files": len({row["file"] for row in out if row["file"]}), "name": name}


@router.post("thinned", response=Thinned | None, operation_id="measure_thinning")
def thinned(request: HttpRequest, payload: DeliveryIn) -> Any:
    """What thinning does to the longest result that would go out."""
    settings = delivery_settings.settings_from_json(payload.wanted)
    rows = [row for row in planning.chosen(payload.cells) if not row.left_out]
    if not rows or settings.thinned is None or settings.kind != "glb":
        return None
    row = max(rows, key=lambda row: row.revision.frames)
    result = packing.result_of(row.revision.pk, performer_id=row.performer.pk if row.performer else None)
    _, keys = package.prepare(result, settings)
    assert keys is not None
    return {
        "clip": row.clip.name,
        "character": row.character.name,
        "keys": keys.kept,
        "of": keys.of,
        "degrees": keys.degrees,
        "centimetres": keys.metres * 100,
    }


@router.get("", response=list[DeliveryOut], operation_id="list_deliveries")
def list_deliveries(request: HttpRequest) -> list[Any]:
    """All deliveries, the newest first."""
    return [out(row) for row in Delivery.objects.all()[:200]]


def out(row: Delivery) -> dict[str, Any]:
    items = list(row.items.select_related("character"))
    return {key: getattr(row, key) for key in ("id", "name", "wanted", "created", "fetched", "bytes", "again_id")} | {
        "results": len(items),
        "files": len({item.file for item in items}),
        "characters": sorted({item.character.name for item in items}),
        "changed": len(planning.changed(row)),
    }


@router.post("", response={201: DeliveryOut}, operation_id="make_delivery")
def make(request: HttpRequest, payload: DeliveryIn) -> Status[Any]:
    """Remember a delivery. Its archive is made when it is fetched."""
    settings = delivery_settings.settings_from_json(payload.wanted)
    made = planning.make(payload.name, planning.chosen(payload.cells), settings, planning.rule_in_force())
    return Status(201, out(made))


@router.get("{delivery_id}/items", response=list[DeliveryItemOut], operation_id="list_delivery_items")
def list_items(request: HttpRequest, delivery_id: Id) -> Any:
    """What went out in a delivery, file by file."""
    return get_object_or_404(Delivery, pk=delivery_id).items.select_related("clip", "character")


@router.post("{delivery_id}/again", response={201: DeliveryOut}, operation_id="repeat_delivery")
def again(request: HttpRequest, delivery_id: Id, payload: Again) -> Status[Any]:
    """The same once more, of what there is now."""
    return Status(201, out(planning.repeat(get_object_or_404(Delivery, pk=delivery_id), payload.only_changed)))


@router.get("{delivery_id}/archive", operation_id="get_archive", response={200: None})
def archive(request: HttpRequest, delivery_id: Id, look: bool = False) -> StreamingHttpResponse:
    """The archive of a delivery, made while it goes out. look: to look at it here, which is not to fetch it."""
    row = get_object_or_404(Delivery, pk=delivery_id)
    packing.check(row)
    pieces = packing.archive(row, look)
    body = _awaited(pieces) if isinstance(request, ASGIRequest) else pieces
    response = StreamingHttpResponse(body, content_type="application/zip")
    response["Content-Disposition"] = content_disposition_header(True, f"{row.name}.zip")
    return response


async def _awaited(pieces: Iterator[bytes]) -> AsyncIterator[bytes]:
    """Piece by piece under ASGI, where a plain iterator would be read to its end first."""
    following = sync_to_async(next)
    while (piece := await following(pieces, None)) is not None:  # type: ignore[call-arg]
        yield piece


@router.post("onto/{rendition_id}", operation_id="put_onto", response={200: None})
def put_onto(
    request: HttpRequest,
    rendition_id: Id,
    file: File[UploadedFile],
    motion: Form[str] = "",
    at: Form[int] = 0,
    how: Form[Literal["replace", "insert"]] = "replace",
    moved: Form[bool] = False,
    x: Form[float] = 0.0,
    z: Form[float] = 0.0,
    degrees: Form[float] = 0.0,
) -> HttpResponse:
    """A file from elsewhere, of a figure on the same rig, with the newest result in one of its motions.

    moved: begins at x and z, in metres, heading degrees from +Z; otherwise it stands as it was made.
    """
    made = (
        Revision.objects.filter(rendition=rendition_id)
        .select_related(
            "motion__skeleton",
            "rendition__clip",
            "rendition__character__skeleton",
            "rendition__fitting__skeleton",
            "rendition__casting__ensemble",
        )
        .last()
    )
    if made is None:
        raise BadInput("There is no result yet; transfer the clip first.")
    start = Start(x, z, degrees) if moved else None
    given, data = received(file)
    name, content = insertion.put_onto(made, data, given, motion, at, how, start)
    response = HttpResponse(content, content_type="application/octet-stream")
    response["Content-Disposition"] = content_disposition_header(True, name)
    return response
