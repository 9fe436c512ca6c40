"""Stances of skeletons: what they begin with, and keeping what was made."""

from dataclasses import replace
from functools import lru_cache

import numpy as np
from django.db import transaction

from armuto.body.plans import plan_of
from armuto.errors import BadInput
from armuto.formats import gltf
from armuto.intake import naming, recording
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import Skeleton as SkeletonValue
from armuto.stance import Stance as StanceValue
from armuto.stance import making, proposing, value
from studio.cast.models import Character
from studio.library.models import Clip, Skeleton
from studio.stances.models import Stance

ALIKE = 0.999  # cosine between the offsets of two bones in joint frames that are taken to be the same


def first_of(skeleton: Skeleton) -> tuple[StanceValue | None, str]:
    """The stance that was set last on a skeleton, or on another of the same rig, with where it comes from; else
    None."""
    row = Stance.objects.filter(skeleton=skeleton, last=True).first()
    if row is not None:
        return value.from_json(row.data, skeleton.value()), row.origin
    mine = skeleton.value()
    for row in Stance.objects.filter(last=True, skeleton__joints=skeleton.joints).select_related("skeleton"):
        if same_rig(mine, row.skeleton.value()):
            return value.from_json(row.data, mine), f"{row.origin}, on the same rig"
    return None, ""


def same_rig(first: SkeletonValue, other: SkeletonValue) -> bool:
    """Whether rotations of the one mean the same on the other: same names, same tree, same joint frames."""
    return first.names == other.names and np.array_equal(first.parents, other.parents) and frames_hold(first, other)


def frames_hold(first: SkeletonValue, other: SkeletonValue) -> bool:
    """Whether the joints that two skeletons share have the same frames, by where their bones lie in them."""
    rows = [(joint, other.index[name]) for name, joint in first.index.items() if name in other.index]
    cosines = []
    for a, b in rows:
        here, there = first.rest_translation[a], other.rest_translation[b]
        length = float(np.linalg.norm(here) * np.linalg.norm(there))
        if first.parents[a] >= 0 and length > 1e-8:
            cosines.append(float(here @ there) / length)
    return bool(cosines) and float(np.mean(np.array(cosines) > ALIKE)) > 0.9


def postures_of(skeleton: Skeleton) -> dict[str, FloatArray]:
    """Other postures that are known of a skeleton than its rest: the bind pose of its mesh, calibration frames of its
    clips."""
    out: dict[str, FloatArray] = {}
    bound = bind_pose(skeleton)
    if bound is not None:
        out["Bind pose"] = bound
    clip = Clip.objects.filter(skeleton=skeleton, calibration__gt=0, retired=False).order_by("id").first()
    if clip is not None:
        out["Calibration frames"] = _calibration(clip.pk, clip.content, clip.calibration)
    return out


def bind_pose(skeleton: Skeleton) -> FloatArray | None:
    """Local rotations ``(J, 4)`` in which the mesh of a character on this skeleton was bound; None where it rests
    so."""
    character = skeleton.characters.select_related("original").order_by("id").first()
    return _bind_pose(character.pk, character.revision, character.original.sha256) if character else None


@lru_cache(maxsize=32)
def _bind_pose(character_id: int, revision: int, content: str) -> FloatArray | None:
    document = Character.objects.get(pk=character_id).document()
    held, rig = document.original, document.rig
    if not isinstance(held, gltf.GltfFile) or rig is None or gltf.disagreement(held)[1] < 1.0:
        return None
    return bound_rotations(held, rig, document.skeleton)


def bound_rotations(held: gltf.GltfFile, rig: gltf.GltfRig, skeleton: SkeletonValue) -> FloatArray:
    """Local rotations of the joints when the mesh was bound; joints without a bind of their own rest."""
    bound = gltf.bound(held)
    turn = np.array(skeleton.file_frame.turn)
    rest = skeleton.rest.rotations
    world = rest.copy()
    out = skeleton.rest_rotation.copy()
    for joint, parent in enumerate(skeleton.parents):
        node = rig.nodes[joint]
        if node in bound:
            world[joint] = rotation.multiply(turn, rotation.from_matrix(bound[node][:3, :3]))
        elif parent >= 0:
            world[joint] = rotation.multiply(world[parent], skeleton.rest_rotation[joint])
        out[joint] = rotation.multiply(rotation.inverse(world[parent]), world[joint]) if parent >= 0 else world[joint]
    return rotation.normalised(out)


@lru_cache(maxsize=32)
def _calibration(clip_id: int, content: str, calibration: int) -> FloatArray:
    """The mean of the frames that the clip's take begins with and that were cut off as calibration."""
    row = Clip.objects.select_related("skeleton", "motion").get(pk=clip_id)
    take = row.whole()
    found = recording.calibration(take)
    return making.average(take, 0, (found.frames if found else calibration) - 1)


def proposed(skeleton: Skeleton, aligned: bool) -> StanceValue:
    """The stance to begin with where nobody has set one; for one that is to be aligned, the posture to begin there."""
    parts = skeleton.assignment()
    body, plan, others = skeleton.value(), plan_of(parts), postures_of(skeleton)
    if not aligned:
        return proposing.propose(body, parts, plan, others)
    start, _ = proposing.beginning(body, parts, plan, others)
    return replace(start, start=start.base)


def begin(skeleton: Skeleton, aligned: bool) -> StanceValue:
    """What a new fitting begins with on one side. aligned: it is turned to stand as the other figure does."""
    first_stance, origin = first_of(skeleton)
    if first_stance is None:
        return proposed(skeleton, aligned)
    how = first_stance.how if first_stance.how.startswith("as set") else f"as set {origin}: {first_stance.how}"
    return replace(first_stance, how=how[:400], start=first_stance.begun if aligned else None)


def remember(skeleton: Skeleton, stance: StanceValue, origin: str) -> None:
    """Keep a stance as the one that was set last on its skeleton."""
    data = value.to_json(stance, skeleton.value())
    with transaction.atomic():
        Stance.objects.filter(skeleton=skeleton, last=True).delete()
        Stance.objects.create(skeleton=skeleton, name=stance.name[:120], data=data, origin=origin[:255], last=True)


def forget(skeleton: Skeleton) -> None:
    """Nobody has set a stance here any more."""
    Stance.objects.filter(skeleton=skeleton, last=True).delete()


def keep_named(skeleton: Skeleton, stance: StanceValue, name: str, origin: str) -> Stance:
    """Keep a stance under a name. Raises :class:`BadInput` for no name, or one that is taken."""
    name = checked_name(skeleton, name)
    # A kept stance is a posture; what it was once aligned to may be gone.
    still = StanceValue(name, stance.how, stance.rotations)
    data = value.to_json(still, skeleton.value())
    return Stance.objects.create(skeleton=skeleton, name=name, data=data, origin=origin[:255])


def checked_name(skeleton: Skeleton, name: str, but: int | None = None) -> str:
    name = " ".join(name.split())
    if not name or len(name) > 120:
        raise BadInput("A stance needs a name of 1 to 120 letters; type one.")
    if Stance.objects.filter(skeleton=skeleton, name=name, last=False).exclude(pk=but or 0).exists():
        raise BadInput(f"{name}: a stance of this skeleton has this name already; choose another.")
    return name


def free_name(skeleton: Skeleton, name: str) -> str:
    return naming.free(name, Stance.objects.filter(skeleton=skeleton, last=False).values_list("name", flat=True))
