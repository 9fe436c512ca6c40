"""Patterns of naming made from fittings, and applied to them."""

from typing import Any

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Status

from armuto.errors import BadInput
from armuto.pairing import patterns as core
from studio.fittings.models import Fitting
from studio.fittings.services.editing import apply_pattern as by_pattern
from studio.fittings.services.steps import value_of
from studio.library.models import Skeleton
from studio.patterns import services
from studio.patterns.api import router as router
from studio.patterns.models import Pattern
from studio.patterns.schemas import AppliedOut, ApplyIn, PatternIn, PatternOut
from studio.platform.fields import Id


@router.post("", response={201: PatternOut}, operation_id="make_pattern")
def make_pattern(request: HttpRequest, payload: PatternIn) -> Status[Any]:
    """A pattern from one side of a fitting, or from a skeleton as it was read."""
    name = " ".join(payload.name.split())[:120]
    if not name:
        raise BadInput("A pattern needs a name; type one.")
    if payload.fitting_id is not None:
        value = value_of(get_object_or_404(Fitting, pk=payload.fitting_id))
        skeleton = value.source if payload.side == "source" else value.target
        made = core.of_pairs(name, value.plan.name, skeleton, value.pairs, payload.side, value.left_out)
    else:
        row = get_object_or_404(Skeleton, pk=payload.skeleton_id)
        made = core.of_skeleton(name, row.plan, row.value(), row.assignment())
    if not made.parts:
        raise BadInput(f"{name}: no part is known on that side yet; pair some bones first.")
    return Status(201, services.keep(made))


@router.post("{pattern_id}/apply", response=list[AppliedOut], operation_id="apply_pattern")
def apply_pattern(request: HttpRequest, pattern_id: Id, payload: ApplyIn) -> Any:
    """Fill in the parts of characters by a pattern, and pair their fittings anew by it; pairs that were confirmed
    stay."""
    return by_pattern(get_object_or_404(Pattern, pk=pattern_id), payload.characters)
