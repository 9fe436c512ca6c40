"""Takes: what a recording shows besides its motion — calibration frames at the start, tracks that never move."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip

LONGEST_CALIBRATION = 90  # frames
HELD = 0.006  # of body size: how much a held pose may drift from frame to frame
JUMP = 0.02  # of body size: the least mean way of all joints in one frame that counts as a jump
SUDDEN = 2.5  # times the usual way between frames after it
STILL = np.radians(0.05)


@dataclass(frozen=True)
class Calibration:
    """The first ``frames`` frames hold a pose that does not belong to the motion. jump: mean way of the joints in metres."""

    frames: int
    jump: float

    @property
    def text(self) -> str:
        held = "The first frame is" if self.frames == 1 else f"The first {self.frames} frames are"
        return f"{held} held still, then the joints jump by {self.jump * 100:.0f} cm on average: they look like calibration."


def calibration(clip: Clip) -> Calibration | None:
    """Leading frames that hold a calibration pose before a sudden jump, or None.

    Poses are compared without travel, about the first root. A jump must be large against the body and sudden against what
    follows, so that a quick start of the motion itself is not taken for one.
    """
    few = min(clip.frames, LONGEST_CALIBRATION * 3)
    if few < 4:
        return None
    start = Clip(clip.name, clip.skeleton, clip.fps, clip.rotations[:few], clip.moving, clip.translations[:few])
    points = start.world().positions
    points = points - points[:, :1]
    size = float(np.ptp(clip.skeleton.rest.positions, axis=0).max()) or 1.0
    ways = np.linalg.norm(np.diff(points, axis=0), axis=2).mean(axis=1)
    limit = min(LONGEST_CALIBRATION, clip.frames // 2)
    at = int(np.argmax(ways[:limit]))
    after = ways[at + 1 : at + 1 + 30]
    usual = float(np.median(after)) if len(after) else 0.0
    steady = at == 0 or float(ways[:at].max()) < HELD * size
    # A jump is not followed by another step of its own kind, as a quick movement would be.
    alone = not len(after) or float(after[:2].max()) < 0.5 * ways[at]
    if steady and alone and ways[at] > JUMP * size and ways[at] > SUDDEN * usual:
        return Calibration(at + 1, float(ways[at]))
    return None


def without_calibration(clip: Clip) -> Clip:
    """The clip from the frame after its calibration frames on; itself where there are none."""
    found = calibration(clip)
    return clip.cut(found.frames, clip.frames - 1) if found else clip


def still_joints(clip: Clip) -> list[str]:
    """Names of joints whose own tracks never move throughout the clip."""
    turned = rotation.angle(rotation.multiply(rotation.inverse(clip.rotations[:1]), clip.rotations)).max(axis=0)
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
    path = clip.world().positions[:, _carrier(clip)]
    return float(np.ptp(path, axis=0).max()) < 1e-3


def loops(clip: Clip) -> bool:
    """Whether the clip can be repeated: it ends in the pose it began in, moving as it moved, but for travel and a frame.

    Poses are compared about the body's carrier, turned to face the same way; speeds by the step between frames.
    """
    if clip.frames < 8:
        return False
    ends = [0, 1, clip.frames - 2, clip.frames - 1]
    few = Clip(clip.name, clip.skeleton, clip.fps, clip.rotations[ends], clip.moving, clip.translations[ends])
    points = few.world().positions
    carrier = _carrier(clip)
    points = points - points[:, carrier : carrier + 1] * [1, 0, 1]
    size = float(np.ptp(clip.skeleton.rest.positions, axis=0).max()) or 1.0
    # Turn the end about up onto the beginning (Procrustes in the plane).
    a, b = points[0][:, [0, 2]], points[3][:, [0, 2]]
    angle = np.arctan2((a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum(), (a * b).sum())
    points[2:] = rotation.rotate(rotation.about([0, 1, 0], angle), points[2:])
    step = max(float(np.linalg.norm(points[1] - points[0], axis=1).mean()), 1e-6 * size)
    apart = float(np.linalg.norm(points[3] - points[0], axis=1).mean())
    change = float(np.linalg.norm((points[1] - points[0]) - (points[3] - points[2]), axis=1).mean())
    moves = float(np.linalg.norm(np.diff(clip.rotations, axis=0), axis=2).sum()) > 0.1
    return moves and apart < max(0.012 * size, 1.5 * step) and change < max(0.004 * size, 0.6 * step)


def travel(clip: Clip) -> float:
    """Metres over the ground from the first frame to the last, by the joint that carries the body."""
    path: FloatArray = clip.world().positions[:, _carrier(clip), :][:, [0, 2]]
    return float(np.linalg.norm(path[-1] - path[0]))


def _carrier(clip: Clip) -> int:
    """The topmost joint that has more than one child: a lone root above it may stand still."""
    joint = 0
    while len(clip.skeleton.children[joint]) == 1:
        joint = clip.skeleton.children[joint][0]
    return joint


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
