"""How props move in the recording: still, along with the parts that carry them, or as they were recorded."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from armuto.ensembles.model import Prop
from armuto.ensembles.surfaces import PosedBody
from armuto.export.resampling import resample
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.skeleton import Skeleton
from armuto.lazy import lazily

transform = lazily("scipy.spatial.transform")


@dataclass(frozen=True, eq=False)
class PropMotion:
    """Of a prop's own frame: positions ``(F, 3)`` and rotations ``(F, 4)`` in the world."""

    positions: FloatArray
    rotations: FloatArray

    def place(self, point: FloatArray) -> FloatArray:
        """Where a point ``(3,)`` or ``(F, 3)`` of the prop's frame is, ``(F, 3)``."""
        return self.positions + rotation.rotate(self.rotations, np.broadcast_to(point, self.positions.shape))

    def clip(self, name: str, fps: float) -> Clip:
        """The same as the motion of a single joint."""
        skeleton = Skeleton((name,), np.array([-1]), np.zeros((1, 3)), rotation.IDENTITY[None].copy())
        turns = rotation.normalised(self.rotations[:, None])
        return Clip(name, skeleton, fps, turns, np.array([0]), self.positions[:, None].copy())

    def resampled(self, fps: float, wanted: float) -> PropMotion:
        """Frames a second changed from fps to wanted (:func:`armuto.export.resampling.resample`)."""
        world = resample(self.clip("prop", fps), wanted).world()
        return PropMotion(world.positions[:, 0], world.rotations[:, 0])

    def moved(self, turn: FloatArray, pivot: FloatArray, shift: FloatArray) -> PropMotion:
        """Turned by ``turn (F, 4)`` about ``about (F, 3)``, then shifted ``(F, 3)``."""
        at = pivot + rotation.rotate(turn, self.positions - pivot) + shift
        return PropMotion(at, rotation.multiply(turn, self.rotations))


class NoSuchPart(ValueError):
    """A body has no such part; says so in one sentence."""


def prop_motion(
    prop: Prop, bodies: Mapping[str, PosedBody], first: int, frames: int, recorded: Clip | None = None
) -> PropMotion:
    """The motion of a prop over the frames of the common time from ``first`` on.

    bodies: who may carry it, over the same frames. recorded: the clip that it says, where it does. Raises
    :class:`NoSuchPart` where a part that carries it is not there.
    """
    if recorded is not None:
        rows = np.clip(np.arange(first, first + frames) - prop.start, 0, recorded.frames - 1)
        world = recorded.world_by_joint()
        return PropMotion(world.positions[0][rows].copy(), world.rotations[0][rows].copy())
    positions = np.tile(np.array(prop.at, float), (frames, 1))
    rotations = np.tile(rotation.from_vector(np.radians(np.array(prop.turn))), (frames, 1))
    for carried in prop.carried:
        start, stop = max(carried.first - first, 0), min(carried.last - first, frames - 1)
        if stop < start:
            continue
        points, turns = [], []
        for holder in carried.by:
            body = bodies[holder.who]
            if holder.part not in body.surfaces:
                raise NoSuchPart(f"“{holder.who}” has no {holder.part} to carry the {prop.name} with")
            points.append(body.along(holder.part, 1.0)[start : stop + 1])
            turns.append(body.turn(holder.part)[start : stop + 1])
        if len(points) == 1:
            turn = rotation.multiply(turns[0], rotation.inverse(turns[0][:1]))
        else:
            turn = turn_of_points(np.stack(points))
        before, now = np.mean([row[0] for row in points], axis=0), np.mean(points, axis=0)
        local = np.broadcast_to(positions[start] - before, now.shape)
        positions[start : stop + 1] = now + rotation.rotate(turn, local)
        rotations[start : stop + 1] = rotation.multiply(turn, rotations[start])
        positions[stop + 1 :], rotations[stop + 1 :] = positions[stop], rotations[stop]
    return PropMotion(positions, rotations)


def turn_of_points(points: FloatArray) -> FloatArray:
    """How points ``(N, F, 3)`` that go along with a rigid thing have turned since the first frame ``(F, 4)``.

    Two points leave the turn about the line through them open: it turns about up as the line does, and tilts with it.
    More are fitted by least squares (Kabsch 1976).
    """
    relative = points - points.mean(axis=0)
    if len(points) > 2:
        return _kabsch(relative)
    line = relative[1] - relative[0]
    heading = np.arctan2(line[:, 0], line[:, 2])
    turned = rotation.about([0.0, 1.0, 0.0], heading - heading[0])
    level = rotation.rotate(turned, np.broadcast_to(line[0], line.shape))
    return rotation.multiply(rotation.between_each(level, line), turned)


def _kabsch(points: FloatArray) -> FloatArray:
    u, _, v = np.linalg.svd(np.einsum("nfi,nj->fij", points, points[:, 0]))
    sign = np.sign(np.linalg.det(u @ v))
    u[:, :, 2] *= sign[:, None]
    return rotation.continuous(transform.Rotation.from_matrix(u @ v).as_quat())
