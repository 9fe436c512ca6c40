"""Reading and writing open formats. One module per format; all of them meet in :class:`Document`."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import PurePath

import numpy as np

from armuto import intake, pairing, rotation
from armuto.errors import BadInput
from armuto.formats import bvh, gltf
from armuto.pairing import Assignment
from armuto.rotation import FloatArray
from armuto.skeleton import Clip, Skeleton, clip_in_frame, in_frame

READ = ("bvh", "glb", "gltf")
WRITTEN = ("glb", "bvh")
OPEN_FORMATS = "BVH (.bvh) or glTF 2.0 (.glb, or .gltf with embedded data)"


@dataclass(frozen=True)
class Document:
    """What one file holds, in the core's own conventions.

    format: "bvh", "glb" or "gltf". parts: the body plan's parts read from the bone names. bounds: ``(2, 3)`` lowest and highest
    corner of the meshes at rest, or None. skinned: whether a mesh is bound to the skeleton. notes: one sentence per thing a
    person should know. original: the file as its format module holds it, for writing back.
    """

    file: str
    format: str
    skeleton: Skeleton
    clips: tuple[Clip, ...]
    parts: Assignment
    notes: tuple[str, ...]
    original: bvh.BvhFile | gltf.GltfFile
    rig: gltf.GltfRig | None = None
    bounds: FloatArray | None = None

    @property
    def skinned(self) -> bool:
        return self.rig is not None and self.rig.skinned

    @property
    def height(self) -> float:
        """Height at rest in metres: of the meshes where there are any, else of joints and end sites."""
        rest = self.skeleton.rest
        points = np.concatenate([rest.positions, rest.ends]) if self.bounds is None else self.bounds
        return float(np.ptp(points[:, 1]))


def read(data: bytes, file: str, unit: str | None = None, up: str | None = None) -> Document:
    """Read a file of any known format. unit and up overrule what would be detected. Raises :class:`BadInput`."""
    suffix = PurePath(file).suffix.lower().lstrip(".")
    if not data.strip():
        raise BadInput(f"{file}: the file is empty; export or copy it again.")
    kind = _kind(data, suffix)
    if kind is None:
        raise BadInput(f"{file}: this format is not read; export it as {OPEN_FORMATS}.")
    try:
        return _read_bvh(data, file, unit, up) if kind == "bvh" else _read_gltf(data, file, kind, unit, up)
    except BadInput:
        raise
    except (ValueError, KeyError, TypeError, IndexError, OverflowError, MemoryError, np.linalg.LinAlgError) as problem:
        # The readers check what files usually get wrong; whatever slips past them is still the file's fault.
        raise BadInput(
            f"{file}: it is damaged in an unusual way ({type(problem).__name__}); export it again."
        ) from problem


def _kind(data: bytes, suffix: str) -> str | None:
    """The format, by content first: names lie more often than bytes."""
    start = data[:64].lstrip(b"\xef\xbb\xbf \t\r\n")
    if data[:4] == b"glTF":
        return "glb"
    if start[:9].upper() == b"HIERARCHY":
        return "bvh"
    if start[:1] == b"{" and suffix in ("gltf", "glb", "json"):
        return "gltf"
    return suffix if suffix in READ else None


def _read_bvh(data: bytes, file: str, unit: str | None, up: str | None) -> Document:
    original = bvh.parse(data, file)
    raw = bvh.to_clip(original, PurePath(file).stem)
    parts = pairing.assign(raw.skeleton)
    frame = intake.file_frame(raw.skeleton, parts, (raw,), unit=unit, up=up)
    skeleton = in_frame(raw.skeleton, frame)
    notes = list(original.notes)
    written = [joint.name for joint in original.joints]
    doubled = sorted({name for name in written if written.count(name) > 1})
    if doubled:
        notes.append(f"{_listed(doubled)} stand for several joints; the later ones are numbered.")
    if (roots := sum(joint.parent < 0 for joint in original.joints)) > 1:
        notes.append(f"There are {roots} roots.")
    notes += _recognised(parts)
    return Document(file, "bvh", skeleton, (clip_in_frame(raw, skeleton),), parts, tuple(notes), original)


def _read_gltf(data: bytes, file: str, kind: str, unit: str | None, up: str | None) -> Document:
    held = gltf.parse(data, file)
    rig = gltf.rig(held)
    parts = pairing.assign(rig.skeleton)
    frame = intake.file_frame(rig.skeleton, parts, rig.clips, rig.bounds, metres_declared=True, unit=unit, up=up)
    skeleton = in_frame(rig.skeleton, frame)
    bounds = rig.bounds
    if bounds is not None:
        turned = rotation.rotate(np.array(frame.turn), bounds) * frame.unit
        bounds = np.stack([turned.min(axis=0), turned.max(axis=0)])
    notes = [*rig.notes, *_recognised(parts)]
    if frame.unit != 1.0 or frame.up != "+Y":
        notes.append(f"glTF prescribes metres and +Y up; this file seems to differ ({'; '.join(frame.evidence)}).")
    clips = tuple(clip_in_frame(clip, skeleton) for clip in rig.clips)
    return Document(file, kind, skeleton, clips, parts, tuple(notes), held, rig, bounds)


def _recognised(parts: Assignment) -> list[str]:
    return [] if parts else ["No bone name was recognised."]


def _listed(names: Sequence[str]) -> str:
    shown = ", ".join(f"“{name}”" for name in names[:4])
    return shown + (f" and {len(names) - 4} more" if len(names) > 4 else "")


def write(clips: Sequence[Clip], document: Document, kind: str, keep: bool = False) -> bytes:
    """Clips on the document's skeleton as a file of the kind "glb" (any number) or "bvh" (exactly one).

    A .glb of a skinned character is its own file with the animations replaced, or added when ``keep``.
    """
    if kind == "bvh":
        (clip,) = clips
        original = document.original
        return bvh.serialise(bvh.from_clip(clip, original if isinstance(original, bvh.BvhFile) else None))
    if kind == "glb":
        if isinstance(document.original, gltf.GltfFile) and document.rig:
            return gltf.with_clips(document.original, document.rig, clips, keep)
        return gltf.skeleton_only(document.skeleton, clips)
    raise ValueError(f"unknown format {kind}")
