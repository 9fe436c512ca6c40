"""Rigid motions of a whole body, written where its travel is."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.refining.refined import Body

UP = np.array([0.0, 1.0, 0.0])
GROUND = np.array([1.0, 0.0, 1.0])
STILL = 1e-9


@dataclass(frozen=True, eq=False)
class RigidMotion:
    """``x ↦ turn · (x − about) + about + way`` in the world: turn ``(4,)`` or ``(F, 4)``, about ``(3,)``, way ``(3,)``
    or ``(F, 3)`` in metres."""

    turn: FloatArray
    about: FloatArray
    way: FloatArray

    @property
    def back(self) -> RigidMotion:
        return RigidMotion(rotation.inverse(self.turn), self.about + self.way, -self.way)

    def compose(self, before: RigidMotion) -> RigidMotion:
        """This motion on top of one that came before; about any place of it that is still, single turns alone."""
        at = before.about + before.way
        return RigidMotion(rotation.multiply(self.turn, before.turn), before.about, self.place(at) - before.about)

    def place(self, x: FloatArray) -> FloatArray:
        turned: FloatArray = rotation.rotate(self.turn, x - self.about)
        return turned + self.about + self.way


IDENTITY = RigidMotion(np.array([0.0, 0.0, 0.0, 1.0]), np.zeros(3), np.zeros(3))


def roots_of(clip: Clip) -> list[int]:
    """Joints without a parent: what is written there moves everything."""
    return [int(joint) for joint in np.flatnonzero(clip.skeleton.parents < 0)]


def carriers_of(clip: Clip, body: Body) -> list[int]:
    """The joints in which travel is written: roots, or where the one above the hips stands still, the first below it
    that does not."""
    chain = [body.hips, *body.skeleton.ancestors(body.hips)]
    chain.sort()  # parents come first
    column = {int(joint): number for number, joint in enumerate(clip.moving)}
    carrier = next((joint for joint in chain if joint == body.hips or _moves(clip, joint, column)), chain[0])
    return [*(joint for joint in roots_of(clip) if joint != chain[0]), carrier]


def _moves(clip: Clip, joint: int, column: dict[int, int]) -> bool:
    turns = np.ptp(clip.rotations[:, joint], axis=0).max() > STILL
    return bool(turns or (joint in column and np.ptp(clip.translations[:, column[joint]], axis=0).max() > STILL))


def with_translations(clip: Clip, joints: list[int]) -> Clip:
    """The clip with translations of these joints, too."""
    moving = np.union1d(clip.moving, np.array(joints, np.int64))
    if len(moving) == len(clip.moving):
        return clip
    return replace(clip, moving=moving, translations=clip.all_translations()[:, moving])


def moved(clip: Clip, motion: RigidMotion, joints: list[int]) -> Clip:
    """The clip with what hangs from these joints moved in the world. What is above them stands still."""
    clip = with_translations(clip, joints)
    column = {int(joint): number for number, joint in enumerate(clip.moving)}
    rotations, places = clip.rotations.copy(), clip.translations.copy()
    first = clip.cut(0, 0).world()
    for joint in joints:
        parent = int(clip.skeleton.parents[joint])
        q, at = rotations[:, joint], places[:, column[joint]]
        if parent < 0:
            rotations[:, joint], places[:, column[joint]] = rotation.multiply(motion.turn, q), motion.place(at)
            continue
        above, origin = first.rotations[0, parent], first.positions[0, parent]
        back = rotation.inverse(above)
        world = motion.place(origin + rotation.rotate(above, at))
        rotations[:, joint] = rotation.multiply(back, rotation.multiply(motion.turn, rotation.multiply(above, q)))
        places[:, column[joint]] = rotation.rotate(back, world - origin)
    return replace(clip, rotations=rotations, translations=places)
