"""Places by which whoever receives a file sees that it is read there as it was meant."""

from __future__ import annotations

from collections import Counter
from typing import Any

import numpy as np

from armuto.choices import UNITS
from armuto.export.settings import DeliverySettings
from armuto.formats import Document, gltf
from armuto.intake import detection
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip

JOINTS = 3  # whose places are told
NEIGHBOURS = 0.2  # of the longest side at rest: joints that are nearer to each other tell the same


def check_positions(clip: Clip, document: Document, settings: DeliverySettings) -> list[dict[str, Any]]:
    """Where three joints are in the first, the middle and the last frame of a clip as it goes out.

    Returns
    -------
    list of dict
        Of each the name of its ``joint``, the ``frame`` from 0, at how many ``seconds`` of the file's own time that is,
        and ``at`` ``(3,)``, its place in the unit and axes of the file.
    """
    places = in_file(clip.world().positions, document, settings)
    frames = sorted({0, clip.frames // 2, clip.frames - 1})
    begun = 0 if settings.kind == "bvh" else settings.first
    return [
        {
            "joint": clip.skeleton.names[joint],
            "frame": frame,
            "seconds": round((begun + frame) / clip.fps, 6),
            "at": [round(value, 6) for value in places[frame, joint].tolist()],
        }
        for joint in _told(clip, document)
        for frame in frames
    ]


def in_file(places: FloatArray, document: Document, settings: DeliverySettings) -> FloatArray:
    """Places ``(..., 3)`` in metres with +Y up as the file has them."""
    if settings.kind != "glb":
        return np.asarray(
            rotation.rotate(rotation.inverse(detection.upright(settings.up)), places) / UNITS[settings.unit]
        )
    if not isinstance(document.original, gltf.GltfFile):
        return places
    # A figure's own file, in whose space it stays.
    frame = document.skeleton.file_frame
    return np.asarray(rotation.rotate(rotation.inverse(np.array(frame.turn)), places) / frame.unit)


def _told(clip: Clip, document: Document) -> list[int]:
    """The root and the ends that move most against it and are no neighbours, each with a name that nothing else in the
    file has."""
    skeleton, positions = clip.skeleton, clip.world().positions
    root, rest = int(np.argmin(skeleton.parents)), skeleton.rest.positions
    written = Counter(_written_names(document))
    moved = np.ptp(positions - positions[:, [root]], axis=0).sum(axis=-1)
    ends = np.array([not children for children in skeleton.children])
    apart = NEIGHBOURS * float(np.ptp(rest, axis=0).max())
    out: list[int] = []
    for joint in [root, *np.lexsort((-moved, ~ends)).tolist()]:
        near = any(np.linalg.norm(rest[joint] - rest[other]) < apart for other in out)
        if written[skeleton.names[joint]] <= 1 and not near:
            out.append(joint)
    return out[:JOINTS]


def _written_names(document: Document) -> list[str]:
    """The names of everything in a figure's own file, among which a joint's may come again."""
    if isinstance(document.original, gltf.GltfFile):
        return [str(node.get("name", "")) for node in document.original.rows("nodes")]
    return [joint.name for joint in document.original.joints]
