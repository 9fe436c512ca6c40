"""Settling a transfer in the studio: its settings, the contacts of clips, and what is measured of both."""

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from django.db import transaction

from armuto.contacts import model as contact_model
from armuto.contacts.points import contact_points
from armuto.errors import BadInput
from armuto.quality.findings import THRESHOLDS, beyond, findings, grade, touchup_findings, worst
from armuto.quality.measures import measure
from armuto.refining.contacts import contacts_of_take
from armuto.retarget import fitting as core
from armuto.retarget import settings
from armuto.retarget.context import context_of
from armuto.retarget.settings import ROTATIONS_ALONE, Settings
from studio.fittings.models import Fitting
from studio.fittings.preview import clip_value, contacts_of, refined_value
from studio.fittings.services import layer_records
from studio.fittings.services.retargeting import retarget
from studio.fittings.services.steps import step, value_of
from studio.library.models import Clip

WORDS = {
    "hold": "how firmly feet hold",
    "holds": "how firmly a limb holds",
    "hands": "what hands keep to",
    "moved": "where a hand keeps its place",
    "bends": "which way limbs bend",
    "spread": "arms spread",
    "clear": "arms clear of the body",
    "stride": "stride",
    "height": "heights",
    "path": "path",
    "follow": "how much bones follow",
    "twist": "bones for twist",
    "forearm": "turn along the forearm",
    "thigh": "turn along the thigh",
    "travel": "travel",
    "limits": "joint limits",
    "grades": "what is good, worth a look, and wrong",
}
MERGED = ("holds", "hands", "moved", "bends", "follow", "grades")  # tables of which a change names the rows it is about


def changed(now: Settings, values: Mapping[str, Any]) -> Settings:
    """Settings with what is said: None brings back the default, of a table's row too. Raises :class:`BadInput`."""
    table = settings.to_json(now)
    for name, value in values.items():
        if value is None:
            table.pop(name, None)
        elif name in MERGED and isinstance(value, Mapping):
            rows = {**table.get(name, {}), **value}
            table[name] = {key: row for key, row in rows.items() if row is not None}
        elif name == "travel" and isinstance(value, Mapping):
            table[name] = {**table.get(name, {}), **value}
        else:
            table[name] = value
    try:
        return settings.from_json(table)
    except ValueError as problem:
        text = str(problem)
        raise BadInput(f"{text[:1].upper()}{text[1:]}; choose another.") from None


def change(row: Fitting, values: Mapping[str, Any], trial: bool = False) -> core.Fitting:
    """Change settings, and keep that as a step unless it is a trial. Returns the fitting then. Raises
    :class:`BadInput`."""
    fitting = value_of(row)
    made = fitting.with_settings(changed(fitting.settings, values))
    if not trial and made.settings != fitting.settings:
        step(row, made, described(values, made.settings))
    return made


def described(values: Mapping[str, Any], now: Settings) -> str:
    """Settings that are changed, in words."""
    parts = []
    for name in values:
        words, value = WORDS.get(name, name), getattr(now, name)
        if isinstance(value, float) and name in ("hold", "clear", "twist", "forearm", "thigh"):
            parts.append(f"{words}: {value * 100:.0f} %")
        elif isinstance(value, float):
            parts.append(f"{words}: {value:g}" + ("°" if name == "spread" else ""))
        elif isinstance(value, str):
            parts.append(f"{words}: {value}")
        elif name == "travel":
            parts.append(f"{words}: {value.mode}, {value.place}")
        else:
            parts.append(words)
    return ", ".join(parts) or "settings"


def points_of(fitting: core.Fitting) -> list[dict[str, Any]]:
    """The places that can touch something, with the limb and the side of each."""
    plan = fitting.plan
    return [
        {"name": point.name, "limb": point.limb, "side": plan.by_name[point.part].side, "foot": point.is_foot}
        for point in contact_points(context_of(fitting))
    ]


def set_contacts(row: Fitting, clip: Clip, rows: list[dict[str, Any]] | None) -> None:
    """Set the contacts of a clip, for every character that performs it, or leave them as found. A step to undo."""
    fitting = value_of(row)
    names = [point["name"] for point in points_of(fitting)]
    rows_set: list[dict[str, Any]] | None = None
    if rows is not None:
        try:
            values = contact_model.from_json(rows, names, clip.length)
        except ValueError as problem:
            text = str(problem)
            raise BadInput(f"{clip.name}: {text}; set it again.") from None
        rows_set = contacts_of_take(values, refined_value(clip))
    if rows_set == clip.contacts:
        return
    with transaction.atomic():
        # What was before is part of the history, too, so that going back finds it.
        if row.state is not None and str(clip.pk) not in row.state.contacts:
            row.state.contacts |= {str(clip.pk): clip.contacts}
            row.state.save(update_fields=["contacts"])
        what = f"contacts of {clip.name}" if rows_set is not None else f"contacts of {clip.name} as they are found"
        step(row, fitting, what, {str(clip.pk): rows_set})
        _keep_contacts(clip, rows_set)


def follow_history(row: Fitting, before: Mapping[str, Any]) -> None:
    """After going back or forth in a fitting's history: set contacts to what they were there. before: what they
    were."""
    now = row.state.contacts if row.state else {}
    for key in {*before, *now}:
        if key in now and before.get(key) != now[key]:
            clip = Clip.objects.filter(pk=int(key)).first()
            if clip is not None:
                _keep_contacts(clip, now[key])


def _keep_contacts(clip: Clip, rows: list[dict[str, Any]] | None) -> None:
    # Others may have changed it since; nobody can until this is written.
    clip.refresh_from_db(fields=["revision", "first", "last", "recipe", "floor"])
    clip.contacts = rows
    clip.revision += 1
    clip.save(update_fields=["contacts", "revision"])


def measured(row: Fitting, clip: Clip, fitting: core.Fitting) -> dict[str, Any]:
    """What is measured of a clip through a state of the fitting, as it is for the clip, beside what rotations alone
    would leave, and its findings."""
    value, found = clip_value(clip), contacts_of(fitting, clip)
    plain = fitting.with_settings(_plain(fitting.settings))
    rows, graded = {}, None
    for key, setting in (("before", plain), ("after", fitting)):
        touchups = layer_records.touchups_of(row.state, clip) if key == "after" else None
        done = retarget(row, setting, clip, contacts=found, touchups=touchups)
        measures = measure(value, done.clip, setting, found, done.trace)
        rows[key] = worst(measures)
        if key == "after":
            graded = (
                *findings(measures, setting, value.frames),
                *touchup_findings(done.touchups, value.frames),
            )
            short = {limb: float(values.max(initial=0.0)) * 100 for limb, values in done.report.short.items()}
            lowered = float(done.report.lowered.max(initial=0.0)) * 100
            hits = {part: int(frames.sum()) for part, frames in done.report.hits.items()}
            turned = max((float(values.max(initial=0.0)) for values in done.report.turned_out.values()), default=0.0)
    thresholds = dict(THRESHOLDS) | dict(fitting.settings.grades)
    kinds = [
        {
            "kind": kind,
            "unit": rows["after"][kind].unit,
            "before": beyond(rows["before"][kind]) if kind in rows["before"] else 0.0,
            "after": beyond(rows["after"][kind]),
            "source": rows["after"][kind].source,
            "look": thresholds[kind][0],
            "wrong": thresholds[kind][1],
        }
        for kind in THRESHOLDS
        if kind in rows["after"]
    ]
    assert graded is not None
    return {
        "grade": grade(graded),
        "findings": [vars(finding) for finding in graded],
        "kinds": kinds,
        "short": short,
        "lowered": lowered,
        "hits": hits,
        "turned_out": turned,
        "fitting_revision": row.state_id,
    }


def _plain(now: Settings) -> Settings:
    """The same performance through rotations alone: where it goes stays as it is chosen."""
    return replace(
        ROTATIONS_ALONE, stride=now.stride, height=now.height, path=now.path, travel=now.travel, grades=now.grades
    )
