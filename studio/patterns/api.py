"""Patterns and body plans over HTTP."""

import copy
import json
from typing import Any

from django.conf import settings
from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils.http import content_disposition_header
from ninja import File, Router, Status, UploadedFile

from armuto.body.plans import NAMES, body_plan, read_plan
from armuto.errors import BadInput
from armuto.pairing import patterns as core
from studio.library.models import Skeleton
from studio.patterns import services
from studio.patterns.models import OwnPlan, Pattern
from studio.patterns.schemas import LimbIn, PatternChange, PatternOut, PlanChange, PlanIn, PlanOut, RecognisedOut
from studio.platform.fields import Id
from studio.platform.optimistic import base_version
from studio.platform.uploads import received

router = Router(tags=["patterns"])


@router.get("", response=list[PatternOut], operation_id="list_patterns")
def list_patterns(request: HttpRequest) -> Any:
    """All patterns of naming, those that ship and one's own."""
    return Pattern.objects.all()


@router.post("import", response={201: list[PatternOut]}, operation_id="import_patterns")
def import_patterns(request: HttpRequest, files: File[list[UploadedFile]]) -> Status[Any]:
    """Patterns from their JSON files. A name that is taken gets a number."""
    read = []
    for file in files:
        name, text = received(file, settings.LARGEST_TEXT)
        read.append(core.from_json(text, name))
    out = []
    for value in read:
        name, number = value.name, 1
        while Pattern.objects.filter(name=name).exists():
            number += 1
            name = f"{value.name} {number}"
        out.append(services.keep(core.Pattern(name, value.plan, value.parts, value.about, value.left_out)))
    return Status(201, out)


@router.get("recognised/{skeleton_id}", response=list[RecognisedOut], operation_id="recognised")
def recognised(request: HttpRequest, skeleton_id: Id) -> list[Any]:
    """The patterns that recognise a skeleton, the best first."""
    value = get_object_or_404(Skeleton, pk=skeleton_id).value()
    ids = dict(Pattern.objects.values_list("name", "pk"))
    return [
        {"pattern_id": ids[read.pattern.name], "name": read.pattern.name, "score": read.score, "parts": len(read.parts)}
        for read in core.recognise(value, services.known())
    ]


@router.get("plans", response=list[PlanOut], operation_id="list_plans")
def list_plans(request: HttpRequest) -> list[Any]:
    """All body plans, those that ship and one's own."""
    shipped = [_plan_out(None, body_plan(name).table) for name in NAMES]
    return [*shipped, *(_plan_out(row, row.table) for row in OwnPlan.objects.all())]


@router.post("plans", response={201: PlanOut}, operation_id="copy_plan")
def copy_plan(request: HttpRequest, payload: PlanIn) -> Status[Any]:
    """A body plan of one's own, copied from another one."""
    name = _free_plan_name(payload.name)
    table = copy.deepcopy(services.plan_named(payload.copy_of).table) | {"name": name}
    table.pop("prior", None)
    row = OwnPlan.objects.create(name=name, table=table)
    return Status(201, _plan_out(row, table))


@router.patch("plans/{plan_id}", response=PlanOut, operation_id="change_plan")
def change_plan(request: HttpRequest, plan_id: Id, payload: PlanChange) -> Any:
    """Rename a plan, add a limb to it, or take one from it."""
    # Limbs are added to what the plan is now, and taken from it, whatever others do to it meanwhile.
    with transaction.atomic():
        row = get_object_or_404(OwnPlan, pk=plan_id)
        _change_plan(row, payload, base_version(request))
    return _plan_out(row, row.table)


def _change_plan(row: OwnPlan, change: PlanChange, base: int | None) -> None:
    table = copy.deepcopy(row.table)
    if change.name is not None and change.name != row.name:
        row.claim(base, {"name": row.name}, {"name": change.name})
        row.name = table["name"] = _free_plan_name(change.name)
    if change.remove is not None:
        gone = {part["part"] for part in table["parts"] if part["limb"] == change.remove}
        if "hips" in gone:
            raise BadInput("The trunk cannot be taken away; everything else hangs from it.")
        # What hung from it goes with it.
        while more := {p["part"] for p in table["parts"] if p["follows"] in gone and p["part"] not in gone}:
            gone |= more
        table["parts"] = [part for part in table["parts"] if part["part"] not in gone]
    if change.add is not None:
        table["parts"] += _limb_rows(change.add)
    try:
        read_plan(table)
    except ValueError as problem:
        raise BadInput(f"{row.name}: {problem}; change it and try again.") from None
    row.table = table
    row.save()


@router.delete("plans/{plan_id}", response={204: None}, operation_id="remove_plan")
def remove_plan(request: HttpRequest, plan_id: Id) -> Status[Any]:
    """Fittings that use it keep their own copy."""
    _remove(OwnPlan, plan_id, request)
    return Status(204, None)


@router.get("{pattern_id}/file", response={200: None}, operation_id="export_pattern")
def export_pattern(request: HttpRequest, pattern_id: Id) -> HttpResponse:
    """A pattern as a file."""
    row = get_object_or_404(Pattern, pk=pattern_id)
    text = json.dumps(core.to_json(row.value()), ensure_ascii=False, indent=1) + "\n"
    response = HttpResponse(text, content_type="application/json")
    response["Content-Disposition"] = content_disposition_header(True, f"{row.name}.json")
    return response


@router.patch("{pattern_id}", response=PatternOut, operation_id="change_pattern")
def change_pattern(request: HttpRequest, pattern_id: Id, payload: PatternChange) -> Any:
    """Change what is given of a pattern: its name, its words, its bones."""
    with transaction.atomic():
        row = get_object_or_404(Pattern, pk=pattern_id)
        services.change(row, payload.name, payload.about, payload.parts, base_version(request))
    return row


@router.delete("{pattern_id}", response={204: None}, operation_id="remove_pattern")
def remove_pattern(request: HttpRequest, pattern_id: Id) -> Status[Any]:
    """Remove a pattern; fittings that it paired stay as they are."""
    _remove(Pattern, pattern_id, request)
    return Status(204, None)


def _remove(model: type[Pattern] | type[OwnPlan], pk: int, request: HttpRequest) -> None:
    with transaction.atomic():
        row = get_object_or_404(model, pk=pk)
        row.claim_whole(base_version(request))
        row.delete()


def _free_plan_name(name: str) -> str:
    name = " ".join(name.split())[:120]
    if not name:
        raise BadInput("A body plan needs a name; type one.")
    if name in NAMES or OwnPlan.objects.filter(name=name).exists():
        raise BadInput(f"{name}: there is a body plan of this name already; give it another.")
    return name


def _limb_rows(limb: LimbIn) -> list[dict[str, Any]]:
    name = " ".join(limb.name.split()).lower()
    if not name or not limb.parts:
        raise BadInput("A limb needs a name and at least one bone.")
    rows, follows = [], limb.follows.removeprefix("left ").removeprefix("right ")
    for part in limb.parts:
        own = " ".join(part.name.split()).lower()
        if own.startswith(("left ", "right ")):
            raise BadInput(f"{own}: name the bone without its side; “on both sides” makes a left and a right one.")
        rows.append({"part": own, "limb": name, "follows": follows, "sided": limb.sided, "many": part.many})
        follows = own
    return rows


def _plan_out(row: OwnPlan | None, table: dict[str, Any]) -> dict[str, Any]:
    limbs: dict[str, dict[str, Any]] = {}
    for part in table["parts"]:
        limb = limbs.setdefault(
            part["limb"],
            {
                "name": part["limb"],
                "follows": part["follows"] or "",
                "sided": bool(part.get("sided")),
                "parts": [],
                "required": False,
            },
        )
        limb["parts"].append(part["part"])
        limb["required"] |= bool(part.get("required"))
    return {
        "id": row and row.pk,
        "name": table["name"],
        "own": row is not None,
        "limbs": list(limbs.values()),
        "parts": [part["part"] for part in table["parts"]],
        "lock_version": row.lock_version if row else 0,
    }
