"""Layers of touch-ups as they are kept: each layer once by its content, and in a fitting's state by name.

A state says ``{"touchups": {clip id: {"layers": [[name, record], …], "digest": …}}}`` beside what the core knows of
it, so that layers are steps of the fitting's one history without making its states heavy; the digest is of what they
do, as :attr:`~armuto.touchups.model.Layers.digest` has it, for the rendition they belong to.
"""

from __future__ import annotations

import json
from functools import lru_cache
from typing import Any

from armuto.touchups import Layer, Layers, from_json, to_json
from armuto.touchups.applying import TouchUps
from studio.fittings.models import FittingState, LayerRecord
from studio.fittings.preview import refined_value
from studio.library.models import Clip
from studio.platform.digests import digest

Table = dict[str, Any]
KEY = "touchups"
SWEPT_AT_ONCE = 500  # parameters of a statement


def of_clip(state: FittingState | None, clip_id: int) -> Layers:
    """The layers of a clip in a fitting."""
    return load(state.data.get(KEY, {}).get(str(clip_id), {})) if state else Layers()


def digest_in(state: FittingState | None, clip_id: int) -> str:
    """Of what they do; empty where they do nothing."""
    return str(state.data.get(KEY, {}).get(str(clip_id), {}).get("digest", "")) if state else ""


def touchups_of(state: FittingState | None, clip: Clip) -> TouchUps | None:
    """The layers of a clip over the frames that its recipe shows; None where they do nothing."""
    return touchups_with(of_clip(state, clip.pk), clip) if digest_in(state, clip.pk) else None


def touchups_with(layers: Layers, clip: Clip) -> TouchUps:
    return TouchUps.of_refined(layers, refined_value(clip), clip.fps)


def load(table: Table) -> Layers:
    return Layers(tuple(_layer(record) for _, record in table.get("layers", ())))


def store(layers: Layers) -> Table:
    """Keep layers; what a state says of them, nothing for none."""
    rows = to_json(layers)["layers"]
    if not rows:
        return {}
    records = [LayerRecord(digest=digest(row), data=row) for row in rows]
    known = set(LayerRecord.objects.filter(pk__in=[row.digest for row in records]).values_list("pk", flat=True))
    LayerRecord.objects.bulk_create([row for row in records if row.digest not in known], ignore_conflicts=True)
    return {
        "layers": [[layer.name, record.digest] for layer, record in zip(layers.layers, records, strict=True)],
        "digest": layers.digest,
    }


def with_digests(tables: dict[str, Table]) -> dict[str, Table]:
    """What a state says of the layers of all clips, put together anew from its layers."""
    made = {clip: {**table, "digest": load(table).digest} for clip, table in tables.items() if table.get("layers")}
    return made


def sweep() -> int:
    """Remove layers that no state of a fitting names any more, as those of fittings that are gone. For when nobody
    works: a layer is stored before the state that names it. Returns how many."""
    named = {
        record
        for tables in FittingState.objects.filter(data__has_key=KEY).values_list(f"data__{KEY}", flat=True).iterator()
        for table in tables.values()
        for _, record in table["layers"]
    }
    unnamed = [pk for pk in LayerRecord.objects.values_list("pk", flat=True) if pk not in named]
    for start in range(0, len(unnamed), SWEPT_AT_ONCE):
        LayerRecord.objects.filter(pk__in=unnamed[start : start + SWEPT_AT_ONCE]).delete()
    return len(unnamed)


@lru_cache(maxsize=512)
def _layer(record: str) -> Layer:
    """By its content, which never changes."""
    data = LayerRecord.objects.values_list("data", flat=True).get(pk=record)
    return from_json({"layers": [json.loads(json.dumps(data))]}).layers[0]
