"""What a stance is, and its JSON form."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

import numpy as np
from pydantic import BaseModel, TypeAdapter

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.pose import Pose, world_pose
from armuto.kinematics.skeleton import Skeleton
from armuto.validation import Numbers4, read

ROUNDING = 1e-12  # what unit quaternions are off by for nothing but their digits
FROM_MOTION = "Posture from the motion"  # what stands for a rest pose that is none


@dataclass(frozen=True)
class Stance:
    """A posture of a skeleton. Local rotations are ``(J, 4)``.

    how: what it was made of, in words. base: the posture before anything was turned by hand. turned: by joint, the
    rotation ``(4,)`` in the joint's own frame that was added by hand. start: where alignment began, when base is what
    alignment made of it; such a stance follows the other figure whenever pairs or the other's stance change. rolled:
    its straight arms were rolled so that they would bend forward, whatever the chest does, as
    :func:`armuto.stance.making.arms` rolls them.
    """

    name: str
    how: str
    base: FloatArray
    turned: Mapping[int, FloatArray] = field(default_factory=dict)
    start: FloatArray | None = None
    rolled: bool = False

    @property
    def aligned(self) -> bool:
        return self.start is not None

    @cached_property
    def rotations(self) -> FloatArray:
        """The stance's local rotations ``(J, 4)``."""
        out = self.base.copy()
        for joint, q in self.turned.items():
            out[joint] = rotation.multiply(out[joint], q)
        out.setflags(write=False)
        return out

    @property
    def begun(self) -> FloatArray:
        """The posture that was not turned to fit anything: from it a body's own bends and levels are read."""
        return self.base if self.start is None else self.start

    def pose(self, skeleton: Skeleton) -> Pose:
        """World pose, with the joints at their rest translations."""
        return self._kept(skeleton, self.rotations, "now")

    def first_pose(self, skeleton: Skeleton) -> Pose:
        """World pose of the posture it began in."""
        return self._kept(skeleton, self.begun, "begun")

    def _kept(self, skeleton: Skeleton, rotations: FloatArray, which: str) -> Pose:
        # Stances outlive many changes of the fitting they are in, and are asked for their poses again and again.
        held = self._poses.get(which)
        if held is None or held[0] is not skeleton:
            held = self._poses[which] = (skeleton, posed(skeleton, rotations))
        return held[1]

    def _with(self, **changes: Any) -> Stance:
        made = replace(self, **changes)
        if made.begun is self.begun and "begun" in self._poses:
            made._poses["begun"] = self._poses["begun"]
        return made

    @cached_property
    def _poses(self) -> dict[str, tuple[Skeleton, Pose]]:
        return {}

    def with_turn(self, joint: int, q: FloatArray) -> Stance:
        """The same with a joint turned further by ``q`` in its own frame."""
        turned = dict(self.turned)
        turned[joint] = rotation.normalised(rotation.multiply(turned.get(joint, rotation.IDENTITY), q))
        if float(rotation.angle(turned[joint])) < 1e-9:
            del turned[joint]
        return self._with(turned=turned)

    def with_rotations(self, rotations: FloatArray) -> Stance:
        """The same, turned by hand until its local rotations are ``wanted (J, 4)``."""
        off = rotation.against(self.base, rotations)
        far = rotation.angle(off)
        return self._with(turned={int(n): off[n] for n in np.flatnonzero(far > 1e-7)})

    def without_turns(self, joints: Iterable[int] | None = None) -> Stance:
        """The same without what was turned by hand, at some joints or everywhere."""
        if joints is None:
            return self._with(turned={})
        removed = set(joints)
        return self._with(turned={joint: q for joint, q in self.turned.items() if joint not in removed})

    def with_base(self, base: FloatArray) -> Stance:
        """The same, as alignment has now turned it."""
        return self._with(base=base)

    def named(self, name: str) -> Stance:
        return self._with(name=name)


def posed(skeleton: Skeleton, rotations: FloatArray) -> Pose:
    """World pose of local rotations ``(J, 4)``, with the joints at their rest translations."""
    return world_pose(skeleton, rotations[None], skeleton.rest_translation[None]).frame(0)


def rest_of(skeleton: Skeleton) -> Stance:
    if skeleton.file_rest is not None:
        return Stance(
            FROM_MOTION, "a frame of the motion, as the file's rest pose is no posture", skeleton.rest_rotation
        )
    return Stance("Rest pose", "the rest pose", skeleton.rest_rotation)


def to_json(stance: Stance, skeleton: Skeleton) -> dict[str, Any]:
    """The stance as plain data: rotations by bone name, to the last digit, so that it does the same once it is read."""

    def by_name(rotations: FloatArray) -> dict[str, list[float]]:
        return dict(zip(skeleton.names, rotations.tolist(), strict=True))

    return {
        "name": stance.name,
        "how": stance.how,
        "aligned": stance.aligned,
        "rotations": by_name(stance.begun),
        "turned": {skeleton.names[joint]: q.tolist() for joint, q in stance.turned.items()},
    } | ({"rolled": True} if stance.rolled else {})


class StanceFile(BaseModel):
    """The JSON form of a stance. rotations, turned: by bone name; see :class:`Stance`."""

    name: str
    how: str
    aligned: bool
    rotations: dict[str, Numbers4]
    turned: dict[str, Numbers4]
    rolled: bool = False

    def stance(self, skeleton: Skeleton) -> Stance:
        """For a skeleton; bones it does not speak of rest. An aligned one waits for its alignment."""
        start = skeleton.rest_rotation.copy()
        if known := [name for name in self.rotations if name in skeleton.index]:
            values = np.array([self.rotations[name] for name in known])
            start[[skeleton.index[name] for name in known]] = _unit(values)
        turned = {skeleton.index[name]: _unit(np.array(q)) for name, q in self.turned.items() if name in skeleton.index}
        return Stance(self.name, self.how, start, turned, start if self.aligned else None, self.rolled)


def _unit(q: FloatArray) -> FloatArray:
    """Quaternions ``(..., 4)`` at unit length; those that have it stay as they are, to the last digit."""
    off = np.abs(np.linalg.norm(q, axis=-1, keepdims=True) - 1)
    return np.where(off < ROUNDING, q, rotation.normalised(q))


STANCE_FILE = TypeAdapter(StanceFile)


def from_json(table: Any, skeleton: Skeleton) -> Stance:
    """Read a stance for a skeleton. Raises ValueError, saying where it is damaged."""
    return read(STANCE_FILE, table, "field").stance(skeleton)
