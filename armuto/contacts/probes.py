"""Where contacts are looked for on the source: its points and parts, and their tracks through a clip."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache

from armuto.contacts.points import Point, contact_points, point_path
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.retarget.context import RetargetContext

TRUNK = ("hips", "spine", "chest", "neck", "head")
LIMBS = ("upper arm", "lower arm", "hand", "upper leg", "lower leg")


@dataclass(frozen=True)
class ContactProbes:
    """points: that may touch something. parts: the source's joint of every part that tells of it. leg: length of the
    source's leg in metres, or 0 where none is known."""

    points: tuple[Point, ...]
    parts: Mapping[str, int]
    leg: float

    @property
    def joints(self) -> list[int]:
        """The source joints that have to be tracked."""
        return sorted({point.source for point in self.points} | set(self.parts.values()))

    @property
    def hands(self) -> dict[str, str]:
        """The part of every hand by its limb."""
        return {point.limb: point.part for point in self.points if not point.is_foot and point.part in self.parts}


@lru_cache(maxsize=32)
def contact_probes(context: RetargetContext) -> ContactProbes:
    kinds = {name: part.kind for name, part in context.fitting.plan.by_name.items()}
    parts: dict[str, int] = {}
    for driver in context.mapping.values():
        if driver.part and kinds.get(driver.part) in (*TRUNK, *LIMBS):
            parts.setdefault(driver.part, driver.source)
    points = contact_points(context)
    leg = float(context.standing[0][parts["hips"]][1]) if "hips" in parts and points else 0.0
    return ContactProbes(points, parts, max(leg, 0.0))


@dataclass(frozen=True)
class SourceTracks:
    """World positions ``(F, 3)`` and rotations ``(F, 4)`` of the source's joints over time, by joint."""

    positions: Mapping[int, FloatArray]
    rotations: Mapping[int, FloatArray]

    def path(self, point: Point) -> FloatArray:
        return point_path(point, "source", self.positions[point.source], self.rotations[point.source])


def tracked_joints(context: RetargetContext, probes: ContactProbes) -> list[int]:
    """The source joints that lead others, or may touch something."""
    return sorted({*probes.joints, *(driver.source for driver in context.mapping.values())})


def sample_tracks(clip: Clip, joints: Iterable[int]) -> SourceTracks:
    world, joints = clip.world_by_joint(), list(joints)
    return SourceTracks(
        {joint: world.positions[joint] for joint in joints}, {joint: world.rotations[joint] for joint in joints}
    )
