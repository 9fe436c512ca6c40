"""Reading files for the intake: what they hold, what was detected with its evidence, and the plates of their clips."""

import time
import zipfile
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from pathlib import PurePosixPath
from typing import Any
from urllib.parse import unquote_to_bytes

from django.conf import settings
from django.db import transaction

from armuto.body import estimation
from armuto.choices import READ
from armuto.ensembles.splitting import SplitFile, ground_path
from armuto.errors import BadInput
from armuto.formats import Document
from armuto.intake import recording
from armuto.kinematics.clip import Clip as ClipValue
from armuto.kinematics.loop import loops
from armuto.rigging import definition as rig_definition
from armuto.rigging.pipeline import may_be_bare, only_mesh
from armuto.rigging.reading import KINDS
from studio.cast.sheet import facts_of
from studio.contents.services import store
from studio.ingest.models import IntakeEnsemble, IntakeFile, IntakeRow, IntakeSculpture
from studio.ingest.services.companions import archive_of
from studio.ingest.services.together import find_beside, performers_in, read_together
from studio.library import arrays
from studio.library.evidence import detected
from studio.library.models import Clip, Skeleton
from studio.library.refining import proposed
from studio.library.services import plate_of
from studio.platform import reader

CLIPS_AT_ONCE = 20  # written in one transaction
MEASURED = 3000  # frames that tell what a take could be refined by
PORTION = 5.0  # seconds of measuring before something else gets its turn
TURN = 0.1  # seconds between two portions: who waits for the lock asks again as seldom, and has no place in a queue
REFERS = (".gltf", ".dae")  # formats that may name files beside them
MATERIALS_BESIDE = ".obj"  # the mesh format whose materials and pictures lie beside it


def unpack(row: IntakeFile, data: bytes) -> list[int]:
    """One row per file of an archive, in place of the archive's own, all seen at once when the last is there. Returns
    their ids, none where the archive was dismissed meanwhile. Raises :class:`BadInput`."""
    inside = reader.contents(data, row.path, () if row.goes_to == "library" else KINDS)
    try:
        return _unpack(row, inside)
    except _Dismissed:
        return []


def _unpack(row: IntakeFile, inside: list[tuple[str, bytes, Mapping[str, bytes]]]) -> list[int]:
    IntakeFile.everything.filter(archive=row).delete()  # of a worker that did not come to the end
    size = 0
    for path, content, near in inside:
        # A file that could not be packed is said to be damaged where it is read, and keeps no other back.
        with suppress(BadInput):
            path, content = _alone(path, content, near)
        size += len(content)
        if size > settings.LARGEST_UNPACKED:
            IntakeFile.everything.filter(archive=row).delete()
            limit = settings.LARGEST_UNPACKED // settings.MB
            raise BadInput(
                f"{row.path}: its files take more than {limit} MB with what each refers to; split the archive."
            )
        stored = store(content)
        with _writing(row):
            IntakeFile.everything.create(
                path=f"{PurePosixPath(row.path).stem}/{path}"[-255:],
                content=stored,
                goes_to=row.goes_to,
                archive=row,
                state=IntakeFile.State.UNPACKING,
                **row.origin,
            )
    with _writing(row):
        held = IntakeFile.everything.filter(archive=row)
        ids = list(held.values_list("pk", flat=True))
        held.update(archive=None, state=IntakeFile.State.WAITING)
        IntakeFile.objects.filter(pk=row.pk).delete()
    return ids


def _alone(path: str, content: bytes, near: Mapping[str, bytes]) -> tuple[str, bytes]:
    """The file by itself, or packed with what it names of what lies beside it, and its path. Raises
    :class:`BadInput`."""
    if path.lower().endswith(MATERIALS_BESIDE):
        return f"{PurePosixPath(path).with_suffix('')}.glb", reader.mesh_alone(content, path, near)
    if not path.lower().endswith(REFERS):
        return path, content
    text = unquote_to_bytes(content)
    beside = {
        name: other
        for name, other in near.items()
        if not name.lower().endswith(tuple(f".{k}" for k in READ)) and name.rpartition("/")[2].encode() in text
    }
    if not beside:
        return path, content
    return path, archive_of({path.rsplit("/", 1)[-1]: content} | beside, zipfile.ZIP_DEFLATED)


def document_of(row: IntakeFile) -> Document:
    return reader.read(row.required_content().data, row.file, row.as_told())


def lay_out(row: IntakeFile) -> list[int]:
    """Read a file and set down what it holds; again when something else is told about it. Nothing is set down of a file
    that was dismissed meanwhile. Returns the ids of those that stand in its place, where it held several performers.
    Raises :class:`BadInput`."""
    try:
        document = _with_bones(row)
        parts = performers_in(document, row.required_content().data, row.file, row.goes_to)
        if parts:
            return _take_apart(row, parts)
        _lay_out(row, document)
        find_beside(row)
    except _Dismissed:
        pass
    return []


def _with_bones(row: IntakeFile) -> Document:
    """What a file holds. One that is a mesh without bones, unless it is for the library, gets such as its shape
    proposes, and is its own .glb with these from then on; what is told about how it is to be read is told of that."""
    try:
        return document_of(row)
    except BadInput as problem:
        data = row.required_content().data
        if row.goes_to == "library" or not may_be_bare(data, row.file):
            raise
        try:
            made = reader.rigged(data, row.file)
        except BadInput as other:
            # Where it holds nothing but a mesh, why that gets no bones; else what kept the file from being read.
            raise (other if only_mesh(row.file) else problem) from None
    bare, mesh, bound = row.required_content(), store(made.prepared.glb), store(made.bound.glb)
    with _writing(row):
        came, row.path = row.path, f"{PurePosixPath(row.path).with_suffix('')}.glb"[-255:]
        row.told = {"boned": made.note}
        row.content = bound
        row.save(update_fields=["path", "told", "content"])
        prepared = made.prepared
        IntakeSculpture.objects.update_or_create(
            file=row,
            defaults={
                "path": came,
                "original": bare,
                "mesh": mesh,
                "facts": prepared.facts,
                "definition": rig_definition.to_json(prepared.definition),
            },
        )
    return document_of(row)


def _take_apart(row: IntakeFile, parts: Sequence[SplitFile]) -> list[int]:
    """A file for each performer in place of one that held them all, in the unit and with the up axis of the first."""
    recorded = read_together(parts, row.as_told())
    told = row.told | {"unit": recorded.unit, "up": recorded.up}
    told.pop("height", None)
    folder = row.path.rpartition("/")[0]
    out = []
    contents = [(part, store(part.data)) for part in parts if part.is_body]
    with _writing(row):
        together = IntakeEnsemble.objects.create(name=PurePosixPath(row.file).stem[:255], tracks=recorded.tracks)
        for part, content in contents:
            path = f"{folder}/{part.file}" if folder else part.file
            file = IntakeFile.objects.create(
                path=path[-255:],
                content=content,
                goes_to="library",
                told=told,
                together=together,
                performer=part.name[:120],
                **row.origin,
            )
            out.append(file.pk)
        IntakeFile.objects.filter(pk=row.pk).delete()
    return out


class _Dismissed(Exception):
    """The file is no longer in the intake."""


@contextmanager
def _writing(row: IntakeFile) -> Iterator[None]:
    """A transaction about a file that is still there."""
    with transaction.atomic():
        if not IntakeFile.objects.filter(pk=row.pk).exists():
            raise _Dismissed
        yield


def _lay_out(row: IntakeFile, document: Document) -> None:
    if row.goes_to == "cast" or (row.goes_to == "auto" and document.skinned):
        row.kind, row.found = IntakeFile.Kind.CHARACTER, facts_of(document)
        if boned := row.told.get("boned"):
            row.found["notes"] = [boned, *row.found["notes"]]
        with _writing(row):
            row.rows.all().delete()
            _ready(row)
        return
    if not document.clips:
        raise BadInput(
            f"{row.path}: there is no motion in it; export it with at least one animation, or bring it in "
            "as a character."
        )
    row.kind, row.found = IntakeFile.Kind.MOTION, detected(document)
    identity = arrays.identity(document.skeleton)
    # Worked out first and written in portions, so that others are not kept from writing for long.
    for first in range(0, len(document.clips), CLIPS_AT_ONCE):
        if first:
            time.sleep(TURN)
        portion = document.clips[first : first + CLIPS_AT_ONCE]
        values = [_row_values(clip, document, identity) for clip in portion]
        with _writing(row):
            for number, (clip, clip_values) in enumerate(zip(portion, values, strict=True), first):
                _keep_row(row, number, clip, clip_values)
    with _writing(row):
        row.rows.filter(number__gte=len(document.clips)).delete()
        _ready(row)


def _ready(row: IntakeFile) -> None:
    row.state, row.sentence, row.worker, row.attempts = IntakeFile.State.READY, "", "", 0
    row.save()


def _ground(clip: ClipValue, document: Document, identity: str) -> dict[str, float | None]:
    """Where a clip's floor is, by the soles that clips of the same skeleton have shown where the library has any."""
    found = estimation.ground(recording.without_calibration(clip), document.parts)
    known = Skeleton.objects.filter(identity=identity).values_list("observed", flat=True).first()
    if found["clips"] and known and "sole" in known:
        return estimation.ground_of(found["feet"], known["sole"], known.get("sole_clips", 1))
    return found


def _row_values(clip: ClipValue, document: Document, identity: str) -> dict[str, Any]:
    calibration = recording.calibration(clip)
    still = recording.still_joints(clip)
    trimmed = recording.without_calibration(clip)
    found = {
        "calibration": calibration.frames if calibration else 0,
        "why_calibration": calibration.text if calibration else "",
        "still": still[:40],
        "still_count": len(still),
        "root_still": recording.root_is_still(clip),
        "travel": recording.travel(trimmed),
        "loop": loops(trimmed),
        "several": len(document.clips) > 1,
        "ground": _ground(clip, document, identity),
    }
    return {
        "clip": clip.name[:255],
        "frames": clip.frames,
        "fps": clip.fps,
        "found": found,
        "plate": plate_of(clip, document.parts),
        "content": arrays.content_hash(clip, identity),
        "identity": identity,
        "ground_path": ground_path(clip).places.round(3).tolist(),
    }


def _keep_row(row: IntakeFile, number: int, clip: ClipValue, values: dict[str, Any]) -> None:
    old = row.rows.filter(number=number).first()
    if old:
        for key, value in values.items():
            setattr(old, key, value)
        old.last = min(old.last, clip.frames - 1)
        old.first = min(old.first, old.last)
        old.revision += 1
        old.proposals = None
        old.save()
        return
    # What is there already is left out unless the person says otherwise.
    content, first = values["content"], values["found"]["calibration"]
    present = Clip.objects.filter(content=content).exists() or IntakeRow.objects.filter(content=content).exists()
    IntakeRow.objects.create(file=row, number=number, ticked=not present, first=first, last=clip.frames - 1, **values)


def measure(row: IntakeFile) -> bool:
    """Set down what each clip of a file could be refined by, and whether all are through: those of a file of many get
    their turn a portion at a time. Of long takes a stretch tells it."""
    waiting = list(row.rows.filter(proposals__isnull=True).defer("plate"))
    if not waiting:
        return True
    document, begun = document_of(row), time.monotonic()
    for held in waiting:
        if time.monotonic() - begun > PORTION:
            return False
        proposals: list[dict[str, Any]] = []
        if held.number < len(document.clips):
            first = held.found.get("calibration", 0)
            clip = document.clips[held.number]
            proposals = proposed(clip.cut(first, min(clip.frames, first + MEASURED) - 1), document.parts, first)
        IntakeRow.objects.filter(pk=held.pk, revision=held.revision).update(proposals=proposals)
    return True


def skeleton_names(identities: set[str]) -> dict[str, str]:
    """Names of the skeletons that the library has already, by identity."""
    return dict(Skeleton.objects.filter(identity__in=identities).values_list("identity", "name"))
