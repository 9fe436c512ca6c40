"""The archive of a delivery, made while it goes out: one file at a time is in memory."""

import io
import json
import zipfile
from collections.abc import Iterator, Mapping
from dataclasses import asdict
from functools import partial
from typing import Any

from django.utils import timezone

from armuto import __version__
from armuto.choices import SEVERAL_FIGURES, UNITS
from armuto.ensembles.files import at_origin, in_one_file
from armuto.errors import BadInput
from armuto.export import package
from armuto.export import settings as delivery_settings
from armuto.export.package import Result
from armuto.export.settings import DeliverySettings
from armuto.formats import Form
from studio.delivery.models import Delivery, DeliveryItem
from studio.renditions import casting_results, results
from studio.renditions.models import FittingRecord, PerformerMotion, Revision

SQUEEZED = ("bvh", "dae", "csv", "json")  # text; the others hardly get smaller


class _Outgoing(io.RawIOBase):
    """What the archive is written to: it keeps what was written until that is taken away."""

    def __init__(self) -> None:
        self.waiting = bytearray()

    def writable(self) -> bool:
        return True

    def write(self, data: Any) -> int:
        self.waiting += data
        return len(data)

    def take(self) -> bytes:
        out, self.waiting = bytes(self.waiting), bytearray()
        return out


def check(delivery: Delivery) -> None:
    """Raises :class:`BadInput` where a result of it is not there any more."""
    items = list(delivery.items.select_related("clip", "character"))
    there = set(Revision.objects.filter(pk__in=[item.revision for item in items]).values_list("pk", flat=True))
    gone = [item for item in items if item.revision not in there]
    if gone:
        first = gone[0]
        more = f" and {len(gone) - 1} more" if len(gone) > 1 else ""
        raise BadInput(
            f"{delivery.name}: {first.clip.name} on {first.character.name}{more} was made anew since; deliver it again."
        )


def archive(delivery: Delivery, look: bool = False) -> Iterator[bytes]:
    """The .zip of a delivery piece by piece: its files, what made them where that is wanted, and the manifest. look: it
    is looked at here, and not remembered as fetched."""
    settings = delivery_settings.settings_from_json(delivery.wanted)
    items = list(delivery.items.select_related("clip__skeleton", "character__skeleton", "delivery"))
    out, total = _Outgoing(), 0
    rows: list[dict[str, Any]] = []
    with zipfile.ZipFile(out, "w") as packed:
        for file in package.pack(_results(items), settings):
            _put(packed, file.name, file.content)
            yield out.take()
            rows += file.rows
            total += len(file.content)
        if settings.ensembles != "one file" and settings.kind in SEVERAL_FIGURES:
            for name, content in _props(items, settings):
                _put(packed, name, content)
                yield out.take()
                total += len(content)
        if settings.fittings:
            for name, data in _fittings(items):
                _put(packed, name, json.dumps(data, ensure_ascii=False, indent=1).encode())
        if settings.touchups:
            for name, data in _touchups(items):
                _put(packed, name, json.dumps(data, ensure_ascii=False, indent=1).encode())
        about = {"name": delivery.name, "made": timezone.now().isoformat(timespec="seconds"), "armuto": __version__}
        manifest = package.manifest(rows, settings, **about)
        _put(packed, "manifest.json", (json.dumps(manifest, ensure_ascii=False, indent=1) + "\n").encode())
    yield out.take()
    if look:
        return
    for item, row in zip(items, rows, strict=True):
        item.row = row
    DeliveryItem.objects.bulk_update(items, ["row"], batch_size=200)
    Delivery.objects.filter(pk=delivery.pk).update(fetched=timezone.now(), bytes=total)


def _put(packed: zipfile.ZipFile, name: str, content: bytes) -> None:
    way = zipfile.ZIP_DEFLATED if name.rpartition(".")[2] in SQUEEZED else zipfile.ZIP_STORED
    packed.writestr(zipfile.ZipInfo(name, timezone.localtime().timetuple()[:6]), content, way)


def _results(items: list[DeliveryItem]) -> Iterator[tuple[str, Result]]:
    """Each result with the file it goes into, read when its turn comes."""
    for item in items:
        yield item.file, result_of(item.revision, item)


def result_of(revision_id: int, item: DeliveryItem | None = None, performer_id: int | None = None) -> Result:
    """A result as it goes out, or what somebody does in that of a casting. item: in which delivery; without, as it was
    made."""
    made = Revision.objects.select_related(
        "motion__skeleton",
        "rendition__clip",
        "rendition__fitting__skeleton",
        "rendition__character__skeleton",
        "rendition__casting__ensemble",
    ).get(pk=revision_id)
    if made.casting_digest:
        return _part_of_casting(made, item, item.performer_id if item else performer_id)
    clip, character, _ = made.rendition.transferred
    about = _about(made) if item is None else _about(made) | {"touchups": _layers_of(item, made)}
    motion, fitting = results.motion_of(made), results.fitting_of(made)
    return Result(character.pk, clip.name, motion, fitting, character.name, character.document(), about)


def _part_of_casting(made: Revision, item: DeliveryItem | None, performer_id: int | None) -> Result:
    part = next(row for row in casting_results.performers_of(made) if row.performer_id == performer_id)
    settings = delivery_settings.settings_from_json(item.delivery.wanted) if item else DeliverySettings()
    row, character = made.rendition, part.character
    clip, fitting = casting_results.performer_clip(part, made), casting_results.performer_fitting(part)
    about = _about(made) | {"ensemble": row.title, "casting": row.performed_by, "performer": part.performer.name}
    about["revision"] = {"result": made.number, "casting": made.casting_digest[:16]}
    about["clip_name"] = part.performer.clip.name
    if settings.ensembles == "origin":
        clip, start = at_origin(clip, fitting)
        about["start"] = {key: round(value, 6) for key, value in asdict(start).items()}
    join = partial(_whole_ensemble, made, settings.kind) if settings.ensembles == "one file" else None
    name = clip.name if join is None else f"{row.title} {part.performer.name}"
    return Result(
        character.pk, name, clip, fitting, character.name, character.document(), about, part.performer.name, join
    )


def _whole_ensemble(made: Revision, kind: str, parts: Mapping[str, bytes], form: Form, fps: float) -> bytes:
    files = {**parts, **casting_results.prop_files(made, kind, form, fps)}
    return in_one_file(made.rendition.title, files, kind)


def _about(made: Revision) -> dict[str, Any]:
    return {
        "clip_name": made.rendition.title,
        "revision": {
            "result": made.number,
            "clip": made.clip_revision,
            "character": made.character_revision,
            "fitting_step": made.fitting_step,
            "fitting": made.fitting_digest[:16],
        },
        "touchups": None,
        "accepted": made.rendition.accepted_id == made.pk,
        "grade": made.grade,
        "findings": [{key: finding[key] for key in ("text", "frames", "grade")} for finding in made.findings],
    }


def _props(items: list[DeliveryItem], settings: DeliverySettings) -> Iterator[tuple[str, bytes]]:
    """The props of each casting that goes out in a file for everybody, in the common space."""
    form = Form(first=settings.first, unit=UNITS[settings.unit], up=settings.up)
    for revision in dict.fromkeys(item.revision for item in items if item.casting_id is not None):
        made = Revision.objects.select_related("rendition__casting__ensemble").get(pk=revision)
        for name, content in casting_results.prop_files(made, settings.kind, form, settings.fps).items():
            called = _safe(f"{made.rendition.title}, {made.rendition.performed_by}, {name}")
            yield f"props/{called}.{settings.kind}", content


def _fittings(items: list[DeliveryItem]) -> Iterator[tuple[str, dict[str, Any]]]:
    """The fittings that results were made through, each once."""
    revisions = [item.revision for item in items]
    made = dict(Revision.objects.filter(pk__in=revisions).values_list("pk", "fitting_digest"))
    parts = PerformerMotion.objects.filter(revision__in=revisions).values_list(
        "revision", "performer", "fitting_digest"
    )
    played: dict[tuple[int, int | None], str] = {(revision, performer): digest for revision, performer, digest in parts}
    seen: set[str] = set()
    for item in items:
        digest = made[item.revision] or played[item.revision, item.performer_id]
        if digest in seen:
            continue
        seen.add(digest)
        name = f"{item.clip.skeleton.name} on {item.character.name} {digest[:16]}"
        yield f"fittings/{_safe(name)}.json", FittingRecord.objects.get(pk=digest).data


def _layers_of(item: DeliveryItem, made: Revision) -> dict[str, Any] | None:
    """What the manifest says of the touch-ups of a result: how many, and where they are; nothing for none."""
    layers = made.touchups.get("layers", [])
    if not layers:
        return None
    keys = sum(len(touchup["keys"]) for layer in layers for touchup in layer["touchups"])
    along = delivery_settings.settings_from_json(item.delivery.wanted).touchups
    return {"layers": len(layers), "keys": keys, "file": _touchup_name(item) if along else None}


def _touchups(items: list[DeliveryItem]) -> Iterator[tuple[str, dict[str, Any]]]:
    """The layers of each result that has any, as it was made with them."""
    made = Revision.objects.in_bulk([item.revision for item in items])
    for item in items:
        if made[item.revision].touchups.get("layers"):
            yield _touchup_name(item), made[item.revision].touchups


def _touchup_name(item: DeliveryItem) -> str:
    return f"touchups/{_safe(f'{item.clip.name} on {item.character.name}')} {item.pk}.json"


def _safe(name: str) -> str:
    return "".join(letter if letter.isalnum() or letter in " -_." else "_" for letter in name)
