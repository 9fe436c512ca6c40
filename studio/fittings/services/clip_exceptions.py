"""Exceptions: settings of a transfer that are said otherwise for one clip in a fitting, which is one cell of the board.

They are kept in the fitting's state beside what the core knows of it, ``{"exceptions": {clip id: {setting: value}}}``,
so that they are steps of its one history; and are no part of the state's digest, since they concern one rendition
alone, whose own digest they have.
"""

from collections.abc import Iterable, Mapping
from typing import Any

from armuto.retarget import fitting as core
from armuto.retarget.settings import Settings
from studio.fittings.models import Fitting, FittingState
from studio.fittings.services.settings import MERGED, changed, described
from studio.fittings.services.steps import step, value_of
from studio.library.models import Clip
from studio.platform.digests import digest

Table = dict[str, Any]


def of_clip(state: FittingState | None, clip_id: int) -> Table:
    """What is said otherwise for a clip; empty where nothing is."""
    rows: Table = state.data.get("exceptions", {}).get(str(clip_id), {}) if state else {}
    return rows


def digest_of(table: Mapping[str, Any]) -> str:
    """Of the exceptions of a rendition; empty where there are none."""
    return digest(table) if table else ""


def for_clip(value: core.Fitting, row: Fitting, clip_id: int) -> core.Fitting:
    """A fitting as it is for one of its clips."""
    return with_exceptions(value, of_clip(row.state, clip_id))


def with_exceptions(value: core.Fitting, table: Mapping[str, Any]) -> core.Fitting:
    return value.with_settings(changed(value.settings, table)) if table else value


def merged(now: Mapping[str, Any], values: Mapping[str, Any]) -> Table:
    """Exceptions with what is said: None takes one away, of a table's row too."""
    out = dict(now)
    for name, value in values.items():
        if value is None:
            out.pop(name, None)
        elif (name in MERGED or name == "travel") and isinstance(value, Mapping):
            rows = {key: row for key, row in {**out.get(name, {}), **value}.items() if row is not None}
            out.pop(name, None)
            if rows:
                out[name] = rows
        else:
            out[name] = value
    return out


def settings_for(row: Fitting, clip_id: int, values: Mapping[str, Any], alone: bool) -> Settings:
    """The settings of a clip if these were changed, in the fitting or for the clip alone. Raises
    :class:`armuto.errors.BadInput`."""
    now = value_of(row).settings
    if alone:
        return changed(now, merged(of_clip(row.state, clip_id), values))
    return changed(changed(now, values), of_clip(row.state, clip_id))


def change(row: Fitting, clip: Clip, values: Mapping[str, Any]) -> None:
    """Say settings otherwise for a clip alone; a step that can be undone. Raises :class:`armuto.errors.BadInput`."""
    value = value_of(row)
    now = of_clip(row.state, clip.pk)
    table = merged(now, values)
    made = changed(value.settings, table)
    if table == now or row.state is None:
        return
    rows = {**row.state.data.get("exceptions", {}), str(clip.pk): table}
    what = f"for {clip.name} alone: {described(values, made)}"
    step(row, None, what, of_clips={"exceptions": {key: table for key, table in rows.items() if table}})


def take_back(row: Fitting, clip_ids: Iterable[int]) -> None:
    """Let what holds for every clip hold for these as well; a step that can be undone."""
    rows = row.state.data.get("exceptions", {}) if row.state else {}
    gone = rows.keys() & {str(pk) for pk in clip_ids}
    if not gone:
        return
    names = Clip.objects.filter(pk__in=gone).order_by("name").values_list("name", flat=True)
    what = f"{', '.join(names[:3])}{f' and {len(gone) - 3} more' if len(gone) > 3 else ''} as every clip"
    kept = {key: table for key, table in rows.items() if key not in gone}
    step(row, None, what, of_clips={"exceptions": kept})
