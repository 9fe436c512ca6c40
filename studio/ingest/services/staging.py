"""Reading files for the intake: what they hold, what was detected with its evidence, and the plates of their clips."""

import io
import zipfile
from collections.abc import Mapping
from pathlib import PurePosixPath

from django.db import transaction

from armuto.body import estimation
from armuto.choices import READ
from armuto.errors import BadInput
from armuto.formats import Document
from armuto.intake import recording
from armuto.kinematics.clip import Clip as ClipValue
from armuto.kinematics.loop import loops
from studio.cast.sheet import facts_of
from studio.ingest.models import IntakeContent, IntakeFile, IntakeRow
from studio.library import arrays
from studio.library.evidence import detected
from studio.library.models import Clip, Skeleton
from studio.library.services import plate_of
from studio.platform import reader

REFERS = (".gltf", ".dae")  # formats that may name files beside them


def unpack(row: IntakeFile, data: bytes) -> list[IntakeFile]:
    """One row per file of an archive, in place of the archive's own. Raises :class:`BadInput`."""
    inside = reader.contents(data, row.path)
    made = []
    with transaction.atomic():
        for path, content, near in inside:
            file = IntakeFile.objects.create(path=f"{PurePosixPath(row.path).stem}/{path}"[-255:], goes_to=row.goes_to)
            IntakeContent.objects.create(file=file, data=_alone(path, content, near))
            made.append(file)
        row.delete()
    return made


def _alone(path: str, content: bytes, near: Mapping[str, bytes]) -> bytes:
    """The file by itself, or packed with what lies beside it where it may refer to that."""
    beside = {name: other for name, other in near.items() if not name.lower().endswith(tuple(f".{k}" for k in READ))}
    if not path.lower().endswith(REFERS) or not beside:
        return content
    held = io.BytesIO()
    with zipfile.ZipFile(held, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(path.rsplit("/", 1)[-1], content)
        for name, other in beside.items():
            archive.writestr(name, other)
    return held.getvalue()


def document_of(row: IntakeFile) -> Document:
    return reader.read(bytes(row.content.data), row.file, row.as_told())


def lay_out(row: IntakeFile) -> None:
    """Read a file and set down what it holds; again when something else is told about it. Raises :class:`BadInput`."""
    document = document_of(row)
    if row.goes_to == "cast" or (row.goes_to == "auto" and document.skinned):
        row.kind, row.found = IntakeFile.Kind.CHARACTER, facts_of(document)
        with transaction.atomic():
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
    with transaction.atomic():
        for number, clip in enumerate(document.clips):
            _lay_out_clip(row, document, clip, number, identity)
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


def _lay_out_clip(row: IntakeFile, document: Document, clip: ClipValue, number: int, identity: str) -> None:
    calibration = recording.calibration(clip)
    still = recording.still_joints(clip)
    found = {
        "calibration": calibration.frames if calibration else 0,
        "why_calibration": calibration.text if calibration else "",
        "still": still[:40],
        "still_count": len(still),
        "root_still": recording.root_is_still(clip),
        "travel": recording.travel(recording.without_calibration(clip)),
        "loop": loops(recording.without_calibration(clip)),
        "several": len(document.clips) > 1,
        "ground": _ground(clip, document, identity),
    }
    content = arrays.content_hash(clip, identity)
    values = {
        "clip": clip.name[:255],
        "frames": clip.frames,
        "fps": clip.fps,
        "found": found,
        "plate": plate_of(clip, document.parts),
        "content": content,
        "identity": identity,
    }
    old = row.rows.filter(number=number).first()
    if old:
        for key, value in values.items():
            setattr(old, key, value)
        old.last = min(old.last, clip.frames - 1)
        old.first = min(old.first, old.last)
        old.revision += 1
        old.save()
        return
    # What is there already is left out unless the person says otherwise.
    present = Clip.objects.filter(content=content).exists() or IntakeRow.objects.filter(content=content).exists()
    first = calibration.frames if calibration else 0
    IntakeRow.objects.create(file=row, number=number, ticked=not present, first=first, last=clip.frames - 1, **values)


def skeleton_names(identities: set[str]) -> dict[str, str]:
    """Names of the skeletons that the library has already, by identity."""
    return dict(Skeleton.objects.filter(identity__in=identities).values_list("identity", "name"))
