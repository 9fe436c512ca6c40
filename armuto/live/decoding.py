"""Frames of a stream as poses of the core: the skeleton recognised as it would be in a file, channels read at once."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from armuto import formats
from armuto.body.parts import Assignment
from armuto.errors import BadInput
from armuto.formats import bvh
from armuto.formats.bvh_hierarchy import AXES
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray, IntArray
from armuto.kinematics.clip import Clip, clip_in_frame
from armuto.kinematics.skeleton import Skeleton
from armuto.live.stream import Performer

OPENING = 0.4  # seconds of a stream by which it is recognised: unit, axes, and what positions mean


@dataclass(frozen=True, eq=False)
class ChannelDecoder:
    """Reads rows of channels. columns, axes ``(T, J)``: the channel and axis of each joint's turns in their order, of
    which those that it does not have read the zero behind the row; moving: joints with positions, places, shifts
    ``(M, 3)``: their channels, and what is added to these."""

    performer: Performer
    fps: float
    skeleton: Skeleton
    parts: Assignment
    columns: IntArray
    axes: IntArray
    moving: IntArray
    places: IntArray
    shifts: FloatArray

    def pose(self, values: FloatArray, name: str = "live") -> Clip:
        """Rows of channels ``(F, C)`` as a clip of the skeleton, in metres and +Y up."""
        padded = np.concatenate([values, np.zeros((len(values), 1))], axis=1)
        half = np.radians(padded[:, self.columns]) / 2
        turns = np.zeros((*half.shape, 4))
        np.put_along_axis(turns, np.broadcast_to(self.axes, half.shape)[..., None], np.sin(half)[..., None], axis=3)
        turns[..., 3] = np.cos(half)
        local = turns[:, 0]
        for k in range(1, turns.shape[1]):
            local = rotation.multiply(local, turns[:, k])
        translations = padded[:, self.places] + self.shifts
        clip = Clip(name, self.skeleton, self.fps, local, self.moving, translations)
        return clip_in_frame(clip, self.skeleton)

    def file(self, motion: FloatArray) -> bvh.BvhFile:
        return bvh.BvhFile(self.performer.joints, 1 / self.fps, motion)


def recognise(performer: Performer, fps: float, opening: FloatArray) -> ChannelDecoder:
    """What a performer's channels mean, by the first frames ``(F, C)``, as a file with just these would be read.

    Raises :class:`BadInput` where no figure can be made of it.
    """
    file = bvh.BvhFile(performer.joints, 1 / fps, opening)
    document = formats.read(bvh.serialise(file), f"{performer.name}.bvh")
    if not document.clips:
        raise BadInput(f"{performer.name}: there is no motion in what it sends.")
    adds = bvh.positions_add(file)
    count, end = len(performer.joints), opening.shape[1]
    most = max((len(joint.turns) for joint in performer.joints), default=0)
    columns, axes = np.full((max(most, 1), count), end), np.zeros((max(most, 1), count), int)
    moving, places, shifts = [], [], []
    for number, (joint, column) in enumerate(zip(performer.joints, file.columns, strict=True)):
        for k, (offset, axis) in enumerate(joint.turns):
            columns[k, number], axes[k, number] = column + offset, AXES[axis.lower()]
        if joint.positions:
            place, shift = [end] * 3, list(joint.offset)
            for offset, along in joint.positions:
                place[along] = column + offset
                shift[along] = joint.offset[along] if adds[number] else 0.0
            moving.append(number)
            places.append(place)
            shifts.append(shift)
    return ChannelDecoder(
        performer,
        fps,
        document.skeleton,
        document.parts,
        columns,
        axes,
        np.array(moving, np.int64),
        np.array(places, np.int64).reshape(-1, 3),
        np.array(shifts, float).reshape(-1, 3),
    )
