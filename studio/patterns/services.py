"""Keeping patterns, and reading skeletons by them."""

import json
from datetime import datetime

from django.db.models import Count, Max

from armuto.body.parts import Assignment
from armuto.body.plans import NAMES, BodyPlan, body_plan, plan_of, read_plan
from armuto.errors import BadInput
from armuto.pairing import assign
from armuto.pairing import patterns as core
from studio.library.models import Skeleton
from studio.patterns.models import OwnPlan, Pattern


def known() -> list[core.Pattern]:
    return [row.value() for row in Pattern.objects.all()]


def fingerprint() -> tuple[int, datetime | None]:
    """What tells whether any pattern has been added, changed or removed since."""
    found = Pattern.objects.aggregate(count=Count("pk"), newest=Max("changed"))
    return found["count"], found["newest"]


def keep(value: core.Pattern) -> Pattern:
    """A new pattern. Raises :class:`BadInput` when another one has its name."""
    if Pattern.objects.filter(name=value.name).exists():
        raise BadInput(f"{value.name}: there is a pattern of this name already; give it another.")
    return Pattern.objects.create(
        name=value.name,
        plan=value.plan,
        about=value.about,
        parts={part: list(names) for part, names in value.parts.items()},
        left_out=list(value.left_out),
    )


def change(
    row: Pattern, name: str | None, about: str | None, parts: dict[str, list[str]] | None, base: int | None = None
) -> None:
    """Change what is given. base: the version of the row that this is made on.

    Raises :class:`BadInput` for a name that is taken and for parts that are no pattern,
    :class:`studio.platform.optimistic.Conflict` where others have changed the same since.
    """
    now = {"name": row.name, "about": row.about, "parts": row.parts}
    if name is not None:
        name = " ".join(name.split())[:120]
        if not name:
            raise BadInput("A pattern needs a name; type one.")
        if Pattern.objects.filter(name=name).exclude(pk=row.pk).exists():
            raise BadInput(f"{name}: there is a pattern of this name already; give it another.")
        row.name = name
    if about is not None:
        row.about = about.strip()
    if parts is not None:
        bone_names = {part: [name.strip() for name in names if name.strip()] for part, names in parts.items()}
        row.parts = {part: names for part, names in bone_names.items() if names}
        row.parts = {part: list(names) for part, names in checked(row).parts.items()}
    row.claim(base, now, {"name": row.name, "about": row.about, "parts": row.parts})
    row.save()


def checked(row: Pattern) -> core.Pattern:
    """The pattern read back from its file form, so that what is kept can always be exported and imported."""
    return core.from_json(json.dumps(core.to_json(row.value())), row.name)


def reading(row: Skeleton, plan: BodyPlan | None = None) -> tuple[Assignment, core.Recognised | None]:
    """The parts of a skeleton: by the pattern that recognises it, completed by names and shape; and that pattern.

    What the file itself said of its bones goes first.
    """
    own = row.assignment()
    confirmed = {part: bones for part, bones in own.items() if all(bone.confidence >= 1.0 for bone in bones)}
    if len(confirmed) >= len(own) > 0 and plan is None:
        return own, None
    value = row.value()
    found = next(
        (read for read in core.recognise(value, known()) if plan is None or read.pattern.plan == plan.name), None
    )
    rest = own if plan is None else assign(value, plan)
    if found is None:
        return rest, None
    if plan is None and found.pattern.plan in NAMES and plan_of(rest).name != found.pattern.plan:
        rest = assign(value, body_plan(found.pattern.plan))
    parts = dict(found.parts)
    taken = {bone.joint for bones in parts.values() for bone in bones}
    for part, bones in rest.items():
        if part not in parts and part not in found.pattern.left_out and not any(bone.joint in taken for bone in bones):
            parts[part] = bones
    return parts, found


def plan_named(name: str) -> BodyPlan:
    """A body plan by name, one that ships or one that was made. Raises :class:`BadInput` for one nobody knows."""
    if name in NAMES:
        return body_plan(name)
    row = OwnPlan.objects.filter(name=name).first()
    if row is None:
        raise BadInput(f"{name}: there is no body plan of this name; choose another.")
    return read_plan(row.table)
