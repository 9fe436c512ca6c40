"""Reading and writing open formats. One module per format; all of them meet in :class:`Document`."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import PurePath

import numpy as np

from armuto.body import estimation
from armuto.body.capsules import Capsule, estimate
from armuto.body.parts import Assignment, PartBone
from armuto.body.plans import plan_of
from armuto.choices import READ
from armuto.errors import BadInput
from armuto.formats import archive, bvh, collada, collada_writer, gltf, positions, usd
from armuto.formats.bounds import check_bounds
from armuto.formats.gltf import avatar
from armuto.formats.gltf.root_node import with_root_node
from armuto.formats.gltf.skin import skin_of
from armuto.intake import detection
from armuto.intake.detection import NOTHING, ImportOptions
from armuto.intake.rest_pose import fault_at_rest, with_posture
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip, clip_in_frame
from armuto.kinematics.keys import Keys
from armuto.kinematics.skeleton import Skeleton, in_frame

OPEN_FORMATS = (
    "BVH (.bvh), glTF 2.0 (.glb, or .gltf with its files in a .zip), COLLADA (.dae) or USD (.usda, .usdc, .usdz)"
)

CENTIMETRE = 0.01
TOO_LARGE = "reading it takes more memory than is given to a file; split it, or export less at once"


@dataclass(frozen=True)
class Form:
    """How a file is to be written, where its format leaves that open.

    mesh: with the figure's mesh, where it has one. first: the number of the first frame. unit: metres per unit, a
    centimetre for "bvh" and "csv" and a metre for "dae" and "usd" where it is None. up: one of
    :data:`armuto.choices.UP_AXES`, of those that the format can declare. A "glb" is always in metres and +Y up. keys:
    of each clip, the keys to write to a "glb"; every other format is keyed on every frame.
    """

    mesh: bool = True
    first: int = 0
    unit: float | None = None
    up: str = "+Y"
    keys: tuple[Keys | None, ...] = ()


AS_USUAL = Form()


@dataclass(frozen=True)
class Document:
    """What one file holds, in the core's own conventions.

    format: "bvh", "glb", "gltf", "dae" or "usd". parts: the body plan's parts, read from the bone names or from the
    file's own table. bounds: ``(2, 3)`` lowest and highest corner of the meshes at rest, or None. notes: one sentence
    per thing a person should know. original: the file as its format module holds it, for writing back. display: for
    everything but BVH, one self-contained .glb of it.
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
    display: bytes | None = None

    @property
    def skinned(self) -> bool:
        return self.rig is not None and self.rig.skinned

    @cached_property
    def capsules(self) -> dict[int, Capsule]:
        """How thick the figure is about each of its joints; empty without a skinned mesh."""
        if self.rig is None or not isinstance(self.original, gltf.GltfFile):
            return {}
        return estimate(self.skeleton, *skin_of(self.original, self.rig, self.skeleton.file_frame))

    @property
    def height(self) -> float:
        """Height at rest in metres: of the meshes where there are any, else of joints and end sites."""
        rest = self.skeleton.rest
        points = np.concatenate([rest.positions, rest.ends]) if self.bounds is None else self.bounds
        return float(np.ptp(points[:, 1]))


def read(
    data: bytes, file: str, options: ImportOptions = NOTHING, files: Mapping[str, bytes] | None = None
) -> Document:
    """Read one file of any known format, or an archive that holds exactly one.

    Parameters
    ----------
    data : bytes
        The file's content.
    file : str
        Its name, which sentences about it repeat and whose suffix helps to tell its format.
    options : ImportOptions
        What overrules detection: unit, up axis, a turn about up in degrees, rest as the mesh was bound.
    files : mapping of str to bytes, optional
        What lies beside it, by path: buffers and textures that it refers to.

    Returns
    -------
    Document
        Skeleton and clips in metres with +Y up, the parts its bones were read as, and the evidence for each decision.

    Raises
    ------
    BadInput
        One sentence that says which file, where in it, and what to do.

    Examples
    --------
    >>> from pathlib import Path
    >>> from armuto.formats import read
    >>> document = read(Path("demo/files/hall/bow.bvh").read_bytes(), "bow.bvh")
    >>> document.format, len(document.skeleton), document.clips[0].frames
    ('bvh', 41, 129)
    >>> document.skeleton.names[document.parts["hips"][0].joint]
    'Hips'
    """
    suffix = PurePath(file).suffix.lower().lstrip(".")
    if not data.strip():
        raise BadInput(f"{file}: the file is empty; export or copy it again.")
    if is_archive(data, file):
        inside = contents(data, file)
        if len(inside) != 1:
            raise BadInput(
                f"{file}: the archive holds {len(inside)} files that can be read; here one at a time is needed."
            )
        name, data, files = inside[0]
        suffix = PurePath(name).suffix.lower().lstrip(".")
    kind = _kind(data, suffix)
    if kind is None:
        raise BadInput(f"{file}: this format is not read; export it as {OPEN_FORMATS}.")
    try:
        if kind == "bvh":
            return _read_bvh(data, file, options)
        return _read_gltf(data, file, kind, options, files or {})
    except BadInput:
        raise
    except MemoryError:
        raise BadInput(f"{file}: {TOO_LARGE}.") from None
    except Exception as problem:
        # The readers check what files usually get wrong; whatever slips past them is still the file's fault.
        raise BadInput(
            f"{file}: it is damaged in an unusual way ({type(problem).__name__}); export it again."
        ) from problem


def contents(
    data: bytes, file: str, most: int = archive.LARGEST, otherwise: Collection[str] = ()
) -> list[tuple[str, bytes, Mapping[str, bytes]]]:
    """The files of an archive that can be read, each as name, content, and what lies beside it; a plain file is itself.

    most: bytes that everything in it may have together. otherwise: endings of files that are taken where there are no
    such. Raises :class:`BadInput` for a damaged archive and for one with nothing in it that can be read.
    """
    if not is_archive(data, file):
        return [(file, data, {})]
    held = archive.unpack(data, file, most)
    out: list[tuple[str, bytes, Mapping[str, bytes]]] = []
    endings = {path: PurePath(path).suffix.lower().lstrip(".") for path in held}
    taken = READ if any(ending in READ for ending in endings.values()) else otherwise
    for path, content in sorted(held.items()):
        if endings[path] in taken:
            folder = path.rpartition("/")[0]
            start = f"{folder}/" if folder else ""
            near = {name.removeprefix(start): other for name, other in held.items() if name.startswith(start)}
            out.append((path, content, near))
    if not out:
        raise BadInput(f"{file}: nothing in the archive can be read; pack {OPEN_FORMATS}.")
    return out


def is_archive(data: bytes, file: str) -> bool:
    """Whether it is a .zip with files in it; a .usdz is one file."""
    return data[:4] == b"PK\x03\x04" and PurePath(file).suffix.lower() != ".usdz"


def kind_of(data: bytes, file: str) -> str | None:
    """The format of a file, as :class:`Document` has it; None where it is none that is read."""
    return _kind(data, PurePath(file).suffix.lower().lstrip("."))


def _kind(data: bytes, suffix: str) -> str | None:
    """The format, by content first: names lie more often than bytes."""
    start = data[:64].lstrip(b"\xef\xbb\xbf \t\r\n")
    if data[:4] == b"glTF":
        return "glb"
    if start[:9].upper() == b"HIERARCHY":
        return "bvh"
    if data[:8] == b"PXR-USDC" or data[:5] == b"#usda" or suffix == "usdz":
        return "usd"
    if start[:1] == b"{" and suffix in ("gltf", "glb", "vrm", "json"):
        return "gltf"
    if suffix in ("usd", "usda", "usdc"):
        return "usd"
    if suffix == "vrm":
        return "glb"
    return suffix if suffix in READ else None


def _read_bvh(data: bytes, file: str, options: ImportOptions) -> Document:
    original = bvh.parse(data, file)
    raw = bvh.to_clip(original, PurePath(file).stem)
    check_bounds(raw.skeleton, (), file)
    skeleton, parts = _standing(raw.skeleton, (raw,), options=options)
    clip = clip_in_frame(raw, skeleton)
    skeleton = replace(skeleton, observed=estimation.of_motion(skeleton, parts, (clip,)))
    clip = replace(clip, skeleton=skeleton)
    notes = list(original.notes)
    written = [joint.name for joint in original.joints]
    doubled = sorted(name for name, count in Counter(written).items() if count > 1)
    if doubled:
        notes.append(f"{_listed(doubled)} stand for several joints; the later ones are numbered.")
    if (roots := sum(joint.parent < 0 for joint in original.joints)) > 1:
        notes.append(f"There are {roots} roots.")
    notes += _recognised(parts)
    return Document(file, "bvh", skeleton, (clip,), parts, tuple(notes), original)


def _read_gltf(data: bytes, file: str, kind: str, options: ImportOptions, files: Mapping[str, bytes]) -> Document:
    """glTF, or a format that is first brought into it."""
    reader_notes: list[str] = []
    display, shown = data, file
    if kind == "dae":
        display, reader_notes = collada.to_glb(data, file, files)
    elif kind == "usd":
        display, reader_notes = usd.to_glb(data, file)
    held = gltf.parse(display, shown, files)
    if any(
        not str(row.get("uri", "data:")).startswith("data:") for row in (*held.rows("buffers"), *held.rows("images"))
    ):
        display, more = gltf.self_contained(held, files)
        reader_notes += more
        held = gltf.parse(display, shown)
    if options.bound and held.rows("skins"):
        display = gltf.at_bind(held)
        held = gltf.parse(display, shown)
    rig = gltf.rig(held)
    check_bounds(rig.skeleton, [clip.name for clip in rig.clips], file)
    skeleton, parts = _standing(rig.skeleton, rig.clips, options, rig, avatar.humanoid(held))
    frame = skeleton.file_frame
    bounds = rig.bounds
    if bounds is not None:
        turned = rotation.rotate(np.array(frame.turn), bounds) * frame.unit
        bounds = np.stack([turned.min(axis=0), turned.max(axis=0)])
    notes = [*reader_notes, *rig.notes, *_recognised(parts)]
    if frame.unit != 1.0 or frame.up != "+Y":
        notes.append(f"The file declares its unit and up axis, and seems to differ ({'; '.join(frame.evidence)}).")
    clips = [clip_in_frame(clip, skeleton) for clip in rig.clips]
    seen = estimation.of_motion(skeleton, parts, clips)
    if rig.skinned:
        skin = skin_of(held, rig, frame)
        soles, palms = estimation.soles_of(skeleton, parts, *skin), estimation.palms_of(skeleton, parts, *skin)
        seen = replace(seen, soles=soles, palms=palms, sole=None, sole_clips=0)
    skeleton = replace(skeleton, observed=seen)
    clips = [replace(clip, skeleton=skeleton) for clip in clips]
    return Document(file, kind, skeleton, tuple(clips), parts, tuple(notes), held, rig, bounds, display)


def _standing(
    raw: Skeleton,
    clips: Sequence[Clip],
    options: ImportOptions,
    rig: gltf.GltfRig | None = None,
    by_node: Mapping[int, str] | None = None,
) -> tuple[Skeleton, Assignment]:
    """The skeleton in our own space, resting in a posture, and its parts.

    rig: where it came from a glTF. A mesh shows how its skeleton is meant to rest; where there is none, the motion may
    have to say it. by_node: the parts that the file itself names.
    """
    weighted, bounds = (rig.weighted, rig.bounds) if rig else ((), None)
    shown = () if rig and rig.skinned else clips
    fault = ""
    while True:
        rested = with_posture(raw, shown, weighted, fault)
        parts = (_confirmed(rig, by_node, rested.parts) if rig and by_node else {}) or rested.parts
        frame = detection.file_frame(rested.skeleton, parts, clips, bounds, rig is not None, options, rested.note)
        if shown and not fault and not rested.note:
            fault = fault_at_rest(rested.skeleton, parts, np.array(frame.turn))
            if fault:
                continue
        return in_frame(rested.skeleton, frame), parts


def _confirmed(rig: gltf.GltfRig, by_node: Mapping[int, str], read: Assignment) -> Assignment:
    """Parts that the file itself names, completed by what was read of the bones it leaves out."""
    why = "the file's own table of humanoid bones says so"
    found: dict[str, tuple[PartBone, ...]] = {}
    for joint, node in enumerate(rig.nodes):
        part = by_node.get(node)
        if part:
            found[part] = (*found.get(part, ()), PartBone(joint, 1.0, why))
    taken = {bone.joint for bones in found.values() for bone in bones}
    for part, bones in read.items():
        if part not in found and not any(bone.joint in taken for bone in bones):
            found[part] = bones
    return {part.name: found[part.name] for part in plan_of(found).parts if part.name in found}


def _recognised(parts: Assignment) -> list[str]:
    return [] if parts else ["No bone name was recognised."]


def _listed(names: Sequence[str]) -> str:
    shown = ", ".join(f"“{name}”" for name in names[:4])
    return shown + (f" and {len(names) - 4} more" if len(names) > 4 else "")


def _rooted(held: gltf.GltfFile, rig: gltf.GltfRig, file: str) -> tuple[gltf.GltfFile, gltf.GltfRig]:
    try:
        return with_root_node(held, rig)
    except ValueError as problem:
        raise BadInput(f"{file}: a root bone cannot be made for it: {problem}; keep travel as it is.") from None


def write(clips: Sequence[Clip], document: Document, kind: str, keep: bool = False, form: Form = AS_USUAL) -> bytes:
    """Write clips on the document's skeleton as a file.

    Clips with a root bone that was made for them (:mod:`armuto.constraints.root_bone`) bring it into the file. A .glb
    of a skinned character is its own file with the animations replaced; COLLADA and USD are written from that.

    Parameters
    ----------
    clips : sequence of Clip
        Any number for "glb", exactly one for "bvh" and "csv", at most one for "dae" and "usd".
    document : Document
        What the clips' skeleton was read from.
    kind : {"glb", "bvh", "dae", "usd", "csv"}
    keep : bool
        Whether animations that a .glb holds already stay in it.
    form : Form
        Unit, up axis, mesh or not, keys that are kept, number of the first frame.

    Returns
    -------
    bytes

    Raises
    ------
    BadInput
        For clips or a form that the format cannot hold.
    """
    if kind == "bvh":
        (clip,) = clips
        original = document.original
        turn = detection.upright(form.up)
        own = original if isinstance(original, bvh.BvhFile) else None
        return bvh.serialise(bvh.from_clip(clip, own, form.unit or CENTIMETRE, turn))
    if kind == "csv":
        return positions.write(clips[0], form.unit or CENTIMETRE, detection.upright(form.up), form.first)
    if kind == "glb":
        rooted = bool(clips) and clips[0].skeleton.names[1:] == document.skeleton.names
        if isinstance(document.original, gltf.GltfFile) and document.rig:
            held, rig = document.original, document.rig
            if rooted:
                held, rig = _rooted(held, rig, document.file)
            return gltf.with_clips(held, rig, clips, keep, form.keys, form.first, form.mesh)
        return gltf.skeleton_only(clips[0].skeleton if rooted else document.skeleton, clips, form.keys, form.first)
    if kind in ("dae", "usd"):
        parts = gltf.parts_of(
            gltf.parse(write(clips, document, "glb", form=replace(form, keys=())), f"{document.file} as .glb")
        )
        if kind == "dae":
            return collada_writer.write(parts, form.unit or 1.0, form.up)
        # USD's library is large; whoever writes none need not wait for it.
        from armuto.formats import usd_writer

        return usd_writer.write(parts, form.unit or 1.0, form.up)
    raise ValueError(f"unknown format {kind}")
