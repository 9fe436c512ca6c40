"""Source and rendition side by side, as they are measured."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from armuto.constraints.travel import moved, path_of
from armuto.contacts.detection import contacts_in
from armuto.contacts.model import ContactSet
from armuto.contacts.points import target_paths
from armuto.contacts.probes import ContactProbes, SourceTracks, contact_probes, sample_tracks, tracked_joints
from armuto.kinematics import rotation
from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.world_motion import WorldMotion
from armuto.pairing.joint_mapping import JointDriver
from armuto.pipeline import RetargetTrace
from armuto.retarget.context import RetargetContext, context_of
from armuto.retarget.fitting import Fitting
from armuto.retarget.scaling import scale_path

STAYS = 0.15  # of the source's way: a body that goes no further stays in place


@dataclass(frozen=True)
class Measurement:
    """One measure: its kind, the part, the frames first to last where it holds, its size and that of the source, in
    unit."""

    kind: str
    part: str
    first: int
    last: int
    size: float
    source: float
    unit: str
    way: float = 0.0  # of a slide, in cm; of a sole, metres above the floor; of a size, the ratio itself


@dataclass(frozen=True, eq=False)
class Comparison:
    """Source and rendition side by side. touched: by limb how much of a touch-up is there ``(F,)``."""

    clip: Clip
    context: RetargetContext
    probes: ContactProbes
    tracks: SourceTracks
    contacts: ContactSet
    motion: WorldMotion
    touched: Mapping[str, FloatArray] = field(default_factory=dict)

    @property
    def fitting(self) -> Fitting:
        return self.context.fitting

    @property
    def mapping(self) -> Mapping[int, JointDriver]:
        return self.context.mapping

    @cached_property
    def target_paths(self) -> dict[str, FloatArray]:
        """Of the target's points, over time."""
        return target_paths(self.motion, self.probes.points)

    @cached_property
    def source_paths(self) -> dict[str, FloatArray]:
        """Of the source's points, in the target's size and facing."""
        scale = self.context.ratios.of_places()
        return {
            point.name: rotation.rotate(self.fitting.turn, self.tracks.path(point)) * scale
            for point in self.probes.points
        }


def compare(
    clip: Clip,
    rendition: Clip,
    fitting: Fitting,
    contacts: ContactSet | None = None,
    trace: RetargetTrace | None = None,
) -> Comparison:
    """contacts: that the rendition was made with; else they are looked for. trace: what its transfer had worked out;
    its motion is moved where its travel was meant otherwise."""
    if trace is not None:
        context, probes, tracks, motion = trace.context, trace.probes, trace.tracks, trace.motion
        touched: Mapping[str, FloatArray] = trace.touchups.touched
    else:
        touched = {}
        context = context_of(fitting)
        probes = contact_probes(context)
        tracks, motion = sample_tracks(clip, tracked_joints(context, probes)), WorldMotion.of_clip(rendition)
    if contacts is None:
        contacts = contacts_in(tracks, probes, context, clip)
    compared = Comparison(clip, context, probes, tracks, contacts, motion, touched)
    _as_recorded(compared)
    return compared


def _as_recorded(compared: Comparison) -> None:
    """Put back the travel that was taken out, and stand the body where it was recorded: what was done on purpose is no
    fault.

    A rendition that stays in place where its source travels is taken to have been made so.
    """
    fitting, motion = compared.fitting, compared.motion
    hips = compared.context.hips
    if hips is None or motion.frames < 2:
        return
    settings = fitting.settings.travel
    source_stand, target_stand = compared.context.standing
    driver = compared.mapping[hips].source
    offset = rotation.rotate(fitting.turn, compared.tracks.positions[driver] - source_stand[driver])
    expected_path = target_stand[hips] + scale_path(offset, compared.context.ratios, motion.fps)
    at = motion.positions[hips]
    far, span = (float(np.linalg.norm(np.ptp(path[:, [0, 2]], axis=0))) for path in (expected_path, at))
    in_place = settings.mode == "in place" or (far > 0.5 * fitting.scale and span < STAYS * far)
    if not in_place and settings.place == "recorded":
        return
    inverse_stand = rotation.inverse(fitting.target_pose.rotations[hips])
    turns = (
        rotation.multiply(motion.rotations[hips], inverse_stand),
        rotation.multiply(joint_as_source(compared, hips), inverse_stand),
    )
    heading, expected = (path_of(at, turn, fitting.forward, motion.fps, settings.smoothing).heading for turn in turns)
    off = (expected - heading + np.pi) % (2 * np.pi) - np.pi
    if not (in_place and settings.heading):
        off = np.full(motion.frames, np.arctan2(np.sin(off).mean(), np.cos(off).mean()))
    shift = (expected_path - at) * [1.0, float(in_place and settings.up), 1.0]
    moved(motion, at.copy(), off, shift)


def turned_as_source(compared: Comparison, frames: Sequence[int]) -> FloatArray:
    """World rotations ``(J, F, 4)`` of the target in some frames, its driven joints turned from the stance just as the
    source's are."""
    out = compared.motion.rotations[:, frames]
    for joint in compared.mapping:
        out[joint] = joint_as_source(compared, joint, frames)
    return out


def joint_as_source(compared: Comparison, joint: int, frames: Sequence[int] | slice = slice(None)) -> FloatArray:
    """:func:`turned_as_source` of one driven joint, ``(F, 4)``."""
    fitting, driver = compared.fitting, compared.mapping[joint]
    after = rotation.against(fitting.source_pose.rotations[driver.source], rotation.inverse(fitting.turn))
    after = rotation.multiply(after, fitting.target_pose.rotations[joint])
    return rotation.multiply_three(fitting.turn, compared.tracks.rotations[driver.source][frames], after)


def worst_frame(size: FloatArray) -> int:
    """The first frame in which something is worst, not the one of many alike that rounding chose."""
    return int(np.argmax(np.round(size, 9)))


def stretch_around(over: BoolArray, frame: int) -> tuple[int, int]:
    """The stretch of True that holds a frame, or the frame itself."""
    if not over[frame]:
        return frame, frame
    before, after = ~over[frame::-1], ~over[frame:]
    back, ahead = int(np.argmax(before)), int(np.argmax(after))
    first = frame - back + 1 if before[back] else 0
    return first, frame + ahead - 1 if after[ahead] else len(over) - 1
