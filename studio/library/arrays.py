"""Between the core's values and what the database keeps: plain lists and little-endian float32."""

import hashlib
import json
from dataclasses import replace
from typing import Any, Protocol

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.skeleton import FileFrame, Skeleton


class MotionRow(Protocol):
    @property
    def rotations(self) -> Any: ...
    @property
    def moving(self) -> Any: ...
    @property
    def translations(self) -> Any: ...


def packed(values: FloatArray) -> bytes:
    """Little-endian float32 in C order."""
    return np.ascontiguousarray(values, "<f4").tobytes()


def unpacked(data: bytes, *shape: int) -> FloatArray:
    return np.frombuffer(data, "<f4").reshape(shape).astype(float)


def skeleton_tree(skeleton: Skeleton) -> dict[str, Any]:
    frame = skeleton.file_frame
    return {
        "names": list(skeleton.names),
        "parents": skeleton.parents.tolist(),
        "translation": skeleton.rest_translation.tolist(),
        "rotation": skeleton.rest_rotation.tolist(),
        "end_parents": skeleton.end_parents.tolist(),
        "end_offsets": skeleton.end_offsets.tolist(),
        "file_rest": None if skeleton.file_rest is None else skeleton.file_rest.tolist(),
        "file_frame": {
            "unit": frame.unit,
            "turn": list(frame.turn),
            "up": frame.up,
            "turned": frame.turned,
            "evidence": list(frame.evidence),
        },
    }


def skeleton_value(tree: dict[str, Any]) -> Skeleton:
    frame = tree["file_frame"]
    return Skeleton(
        tuple(tree["names"]),
        np.array(tree["parents"], np.int64),
        np.array(tree["translation"], float).reshape(-1, 3),
        np.array(tree["rotation"], float).reshape(-1, 4),
        np.array(tree["end_parents"], np.int64),
        np.array(tree["end_offsets"], float).reshape(-1, 3),
        FileFrame(frame["unit"], tuple(frame["turn"]), frame["up"], frame.get("turned", 0.0), tuple(frame["evidence"])),
        np.array(tree["file_rest"], float).reshape(-1, 4) if tree.get("file_rest") else None,
    )


def identity(skeleton: Skeleton) -> str:
    """Hash of names, tree, rest to a tenth of a millimetre, and file frame: equal for clips of one skeleton."""
    if skeleton.file_rest is not None:
        # A posture from the motion stands for the file's rest pose in one clip and another one in the next.
        skeleton = replace(skeleton, rest_rotation=skeleton.file_rest, file_rest=None)
    rest = skeleton.rest.positions - skeleton.rest.positions[0]
    key = [
        skeleton.names,
        skeleton.parents.tolist(),
        (np.round(rest, 4) + 0.0).tolist(),
        (np.round(np.abs(skeleton.rest.rotations), 3) + 0.0).tolist(),
        [round(skeleton.file_frame.unit, 9), skeleton.file_frame.up, round(skeleton.file_frame.turned, 3)],
    ]
    return hashlib.sha256(json.dumps(key).encode()).hexdigest()


def content_hash(clip: Clip, skeleton: str) -> str:
    """Equal for the same motion on the same skeleton (told by its identity), whatever file it came in."""
    digest = hashlib.sha256(f"{skeleton} {clip.fps:.4f}".encode())
    digest.update(packed(clip.rotations))
    digest.update(packed(clip.translations))
    return digest.hexdigest()


def clip_value(name: str, skeleton: Skeleton, fps: float, frames: int, motion: MotionRow) -> Clip:
    """Stored motion as a clip; float32 quaternions are brought back to unit length."""
    return Clip(
        name,
        skeleton,
        fps,
        rotation.normalised(unpacked(motion.rotations, frames, len(skeleton), 4)),
        np.array(motion.moving, np.int64),
        unpacked(motion.translations, frames, len(motion.moving), 3),
    )
