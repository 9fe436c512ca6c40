"""Takes: what a recording shows besides its motion — calibration frames at the start, tracks that never move."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.loop import carrier_of

LONGEST_CALIBRATION = 90  # frames
HELD = 0.006  # of body size: how much a held pose may drift from frame to frame
JUMP = 0.02  # of body size: the least mean way of all joints in one frame that counts as a jump
SUDDEN = 2.5  # times the usual way between frames after it
STILL = np.radians(0.05)


@dataclass(frozen=True)
class Calibration:
    """The first ``frames`` frames hold a pose that does not belong to the motion. jump: mean way of the joints in
    metres."""

    frames: int
    jump: float

    @property
    def text(self) -> str:
        held = "The first frame is" if self.frames == 1 else f"The first {self.frames} frames are"
        return (
            f"{held} held still, then the joints jump by {self.jump * 100:.0f} cm on average: they look "
            "like calibration."
        )


def calibration(clip: Clip) -> Calibration | None:
    """Leading frames that hold a calibration pose before a sudden jump, or None.

    Poses are compared without travel, about the first root. A jump must be large against the body and sudden against
    what follows, so that a quick start of the motion itself is not taken for one.
    """
    frames = min(clip.frames, LONGEST_CALIBRATION * 3)
    if frames < 4:
        return None
    start = Clip(clip.name, clip.skeleton, clip.fps, clip.rotations[:frames], clip.moving, clip.translations[:frames])
    points = start.world().positions
    points = points - points[:, :1]
    size = float(np.ptp(clip.skeleton.rest.positions, axis=0).max()) or 1.0
    steps = np.linalg.norm(np.diff(points, axis=0), axis=2).mean(axis=1)
    limit = min(LONGEST_CALIBRATION, clip.frames // 2)
    at = int(np.argmax(steps[:limit]))
    after = steps[at + 1 : at + 1 + 30]
    typical = float(np.median(after)) if len(after) else 0.0
    steady = at == 0 or float(steps[:at].max()) < HELD * size
    # A jump is not followed by another step of its own kind, as a quick movement would be.
    alone = not len(after) or float(after[:2].max()) < 0.5 * steps[at]
    if steady and alone and steps[at] > JUMP * size and steps[at] > SUDDEN * typical:
        return Calibration(at + 1, float(steps[at]))
    return None


def without_calibration(clip: Clip) -> Clip:
    """The clip from the frame after its calibration frames on; itself where there are none."""
    found = calibration(clip)
    return clip.cut(found.frames, clip.frames - 1) if found else clip


def still_joints(clip: Clip) -> list[str]:
    """Names of joints whose own tracks never move throughout the clip."""
    turned = rotation.angle(rotation.against(clip.rotations[:1], clip.rotations)).max(axis=0)
    out = []
    for joint, name in enumerate(clip.skeleton.names):
        column = np.flatnonzero(clip.moving == joint)
        shifted = float(np.ptp(clip.translations[:, column], axis=0).max()) if len(column) else 0.0
        if turned[joint] < STILL and shifted < 1e-4:
            out.append(name)
    return out


def root_is_still(clip: Clip) -> bool:
    """Whether the joint that carries the body never leaves its place, as in motion recorded or exported in place."""
    if not len(clip.moving):
        return True
    path = clip.world().positions[:, carrier_of(clip.skeleton)]
    return float(np.ptp(path, axis=0).max()) < 1e-3


def travel(clip: Clip) -> float:
    """Metres over the ground from the first frame to the last, by the joint that carries the body."""
    path: FloatArray = clip.world().positions[:, carrier_of(clip.skeleton), :][:, [0, 2]]
    return float(np.linalg.norm(path[-1] - path[0]))


def findings_in_words(clip: Clip) -> list[str]:
    """One sentence per thing about the take that a person should know."""
    out = []
    found = calibration(clip)
    if found:
        out.append(found.text)
    still = still_joints(clip)
    if len(still) == len(clip.skeleton):
        out.append("Nothing moves in it.")
    elif still:
        shown = ", ".join(still[:6]) + (f" and {len(still) - 6} more" if len(still) > 6 else "")
        out.append(f"{'One bone never moves' if len(still) == 1 else f'{len(still)} bones never move'}: {shown}.")
    if len(clip.moving) == 0:
        out.append("No joint changes its place, so the body stays where it is.")
    return out
