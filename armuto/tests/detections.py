"""How often each detection is right, on generated input where the truth is known. Tests assert it, `make bench` prints
it."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace

import numpy as np

from armuto import pairing
from armuto.body.orientation import facing_angle
from armuto.intake import detection, recording
from armuto.intake.detection import ImportOptions
from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip
from armuto.kinematics.loop import loops
from armuto.kinematics.skeleton import Skeleton, in_frame
from armuto.tests import figures

Score = tuple[int, int]  # right, of how many


def disguised_file(rng: np.random.Generator, unit: str, up: str, yaw: float) -> Skeleton:
    """The test body at a random size, as a file in this unit and with this axis up would hold it."""
    body = figures.body()
    size = rng.uniform(0.75, 1.2) / detection.UNITS[unit]
    turn = rotation.multiply(rotation.inverse(detection.upright(up)), rotation.about([0, 1, 0], yaw))
    offsets = body.rest_translation * size
    offsets[0] = rotation.rotate(turn, offsets[0])
    turned = body.rest_rotation.copy()
    turned[0] = turn
    return replace(body, rest_translation=offsets, rest_rotation=turned)


def file_space() -> dict[str, Score]:
    """Unit, up axis and facing, in every combination of units, axes and eight facings."""
    rng = np.random.default_rng(0)
    right: Counter[str] = Counter()
    cases = 0
    for unit in detection.UNITS:
        for up in detection.UP_AXES:
            for eighth in range(8):
                cases += 1
                raw = disguised_file(rng, unit, up, eighth * np.pi / 4)
                parts = pairing.assign(raw)
                frame = detection.file_frame(raw, parts, ())
                right["unit"] += frame.unit == detection.UNITS[unit]
                right["up axis"] += frame.up == up
                skeleton = in_frame(raw, detection.file_frame(raw, parts, (), options=ImportOptions(unit, up)))
                angle, _ = facing_angle(skeleton, parts)
                off = ((angle or 0) - eighth * 45 + 180) % 360 - 180
                right["facing"] += abs(off) < 0.5
    return {what: (right[what], cases) for what in ("unit", "up axis", "facing")}


def with_calibration(clip: Clip, frames: int) -> Clip:
    """The clip after some frames in the rest pose."""
    rest = np.tile(clip.skeleton.rest_rotation, (frames, 1, 1))
    place = np.repeat(clip.translations[:1], frames, axis=0)
    return replace(
        clip,
        rotations=np.concatenate([rest, clip.rotations]),
        translations=np.concatenate([place, clip.translations]),
    )


def _clip(rng: np.random.Generator) -> Clip:
    frames, reach = int(rng.integers(60, 200)), float(rng.uniform(0.5, 2.0))
    return figures.motion(figures.body(), rng, frames=frames, reach=reach)


def calibration(seeds: int = 120) -> Score:
    """Every clip without, and with one to seven frames of it."""
    right = 0
    for seed in range(seeds):
        rng = np.random.default_rng(seed)
        clip = _clip(rng)
        right += recording.calibration(clip) is None
        frames = int(rng.integers(1, 8))
        found = recording.calibration(with_calibration(clip, frames))
        right += found is not None and found.frames == frames
    return right, 2 * seeds


def tracks(seeds: int = 120) -> dict[str, Score]:
    """Bones that never move; roots without motion; loops. Every clip once as it is and once with the thing in it."""
    right: Counter[str] = Counter()
    for seed in range(seeds):
        rng = np.random.default_rng(1000 + seed)
        clip = _clip(rng)
        right["still bones"] += recording.still_joints(clip) == []
        chosen = sorted(rng.choice(len(clip.skeleton), int(rng.integers(1, 9)), replace=False).tolist())
        held = clip.rotations.copy()
        held[:, chosen] = held[:1, chosen]
        wanted = [clip.skeleton.names[joint] for joint in chosen if joint != 0]
        found = recording.still_joints(replace(clip, rotations=held))
        right["still bones"] += [name for name in found if name != clip.skeleton.names[0]] == wanted

        right["root without motion"] += not recording.root_is_still(clip)
        in_place = replace(clip, translations=np.repeat(clip.translations[:1], clip.frames, axis=0))
        right["root without motion"] += recording.root_is_still(in_place)

        # The test motion comes back to its first pose at its end; half of it does not.
        right["loop"] += loops(clip)
        right["loop"] += not loops(clip.cut(0, clip.frames // 2))
    return {what: (right[what], 2 * seeds) for what in ("still bones", "root without motion", "loop")}
