"""A result put into a file from elsewhere, of a figure on the same rig."""

from pathlib import PurePosixPath
from typing import Literal

import numpy as np

from armuto import formats
from armuto.choices import ONE_CLIP, WRITTEN
from armuto.errors import BadInput
from armuto.export.insert_motion import Start, insert_motion, placed
from armuto.formats import Document
from armuto.intake.detection import ImportOptions
from armuto.kinematics.clip import Clip, still
from armuto.kinematics.skeleton import Skeleton
from studio.platform import reader
from studio.renditions import results
from studio.renditions.models import Revision


def put_onto(
    made: Revision, data: bytes, file: str, motion: str, at: int, how: Literal["replace", "insert"], start: Start | None
) -> tuple[str, bytes]:
    """The file with the result in one of its motions, and a name for it. motion: which one; the first without.

    Its other motions, mesh and materials stay as they are. Raises :class:`BadInput` for a file on another rig and for a
    frame outside its motion.
    """
    if made.casting_digest:
        raise BadInput(
            f"{made.rendition.title}: a casting is of several figures; deliver it, and take the file of one."
        )
    clip, fitting = results.motion_of(made), results.fitting_of(made)
    document = _on_rig(data, file, fitting.target)
    kind = document.format if document.format in WRITTEN else "glb"
    clips: list[Clip] = list(document.clips) or [still(document.skeleton)]
    number = next((n for n, clip in enumerate(clips) if clip.name == motion), None) if motion else 0
    if number is None:
        raise BadInput(f"{file}: there is no motion “{motion}” in it; it has {', '.join(clip.name for clip in clips)}.")
    if start is not None:
        clip = placed(clip, fitting, start)
    try:
        clips[number] = insert_motion(clip, clips[number], at, how)
    except ValueError as problem:
        raise BadInput(f"{file}: {problem}; choose a file on the rig of {made.rendition.performed_by}.") from None
    if kind in ONE_CLIP:
        clips = [clips[number]]
    name = f"{PurePosixPath(file).stem} with {made.rendition.title}.{kind}"
    return name, formats.write(clips, document, kind)


def _on_rig(data: bytes, file: str, target: Skeleton) -> Document:
    """The file as it reads by itself; or, where it is then another figure than the target, in the unit and axes that
    were said of that."""
    document, frame = reader.read(data, file), target.file_frame
    if _size(document.skeleton) == _size(target):
        return document
    as_target = reader.read(data, file, ImportOptions(frame.unit, frame.up, frame.turned))
    return as_target if _size(as_target.skeleton) == _size(target) else document


def _size(skeleton: Skeleton) -> float:
    """Metres from end to end at rest, to a millimetre."""
    return round(float(np.ptp(skeleton.rest.positions, axis=0).max()), 3)
