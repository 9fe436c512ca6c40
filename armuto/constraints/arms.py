"""Arms that keep out of the body: spread or tucked by an angle, and turned out at the shoulder where they would
clip."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from armuto.body.capsules import Capsule, deepest
from armuto.constraints.limbs import LimbChain
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray, IntArray
from armuto.kinematics.curves import envelope, smooth
from armuto.kinematics.signals import runs
from armuto.kinematics.vectors import cross, dot, lengths
from armuto.kinematics.world_motion import WorldMotion
from armuto.lazy import lazily
from armuto.retarget.context import RetargetContext

ndimage = lazily("scipy.ndimage")

BODY = ("hips", "spine", "chest", "upper leg")
EASE = 0.5  # seconds
FURTHEST = np.radians(50.0)  # arms are not turned out further than that
ROUNDS = 2
CLEAN = 1e-4  # metres that do not count
LEAST = 0.35  # metres out per metre of arm and radian, at least, that a turn is reckoned with
ALONG = (0.0, 0.35, 0.7, 1.0)  # where balls lie along forearm and hand


@dataclass(frozen=True)
class BodyVolume:
    """Capsules of one body, each with its joint: of the trunk and thighs, and for each arm of its forearm and hand."""

    trunk: tuple[tuple[int, Capsule], ...]
    arms: Mapping[str, tuple[tuple[int, Capsule], ...]]

    def balls(self, arm: str) -> tuple[IntArray, FloatArray, FloatArray]:
        """Balls along forearm and hand: their joints ``(P,)``, places in the joints' frames ``(P, 3)``, radii
        ``(P,)``."""
        rows = [
            (joint, capsule.start + share * (capsule.end - capsule.start), capsule.radius)
            for joint, capsule in self.arms[arm]
            for share in ALONG
        ]
        joints, places, radii = zip(*rows, strict=True)
        return np.array(joints), np.array(places), np.array(radii)

    @property
    def lines(self) -> tuple[IntArray, FloatArray, FloatArray]:
        """Where the trunk's capsules start and end, ``(C, 3)``, in the frames of their joints ``(C,)``."""
        joints = np.array([joint for joint, _ in self.trunk])
        return (
            joints,
            np.array([capsule.start for _, capsule in self.trunk]),
            np.array([capsule.end for _, capsule in self.trunk]),
        )


def body_volume(context: RetargetContext, arms: Mapping[str, LimbChain]) -> BodyVolume:
    """What of the target's capsules can meet: nothing where its mesh told none."""
    plan, capsules = context.fitting.plan, context.fitting.capsules
    kinds = {
        joint: plan.by_name[driver.part].kind
        for joint, driver in context.mapping.items()
        if driver.part in plan.by_name
    }
    trunk = tuple((joint, capsules[joint]) for joint, kind in kinds.items() if kind in BODY and joint in capsules)
    parts = {}
    for name, chain in arms.items():
        parts[name] = tuple((joint, capsules[joint]) for joint in chain.joints[1:] if joint in capsules)
    return BodyVolume(trunk, parts)


def spread(motion: WorldMotion, arms: Mapping[str, LimbChain], degrees: float, ahead: FloatArray) -> None:
    """Spread the arms by an angle (tuck them where it is negative): all of it where they hang, none where they are
    raised.

    ahead: where the chest faces, ``(F, 3)``.
    """
    for name, limb in arms.items():
        sign = 1.0 if name.startswith("left") else -1.0
        line = motion.positions[limb.joints[-1]] - motion.positions[limb.joints[0]]
        raised = np.degrees(np.arccos(np.clip(-line[:, 1] / np.maximum(lengths(line), 1e-9), -1.0, 1.0)))
        share = 1 - smooth((raised - 35) / 70)
        q = rotation.about_each(ahead, np.radians(sign * degrees) * share)
        motion.swing(limb.joints[0], motion.below(limb.joints[0]), q)


def penetration(
    motion: WorldMotion, volume: BodyVolume, name: str, places: FloatArray | None = None
) -> tuple[FloatArray, FloatArray, FloatArray]:
    """How deep an arm is in the body ``(F,)`` in metres, the way out ``(F, 3)``, and where on the arm, ``(F, 3)``.

    places: other positions of the joints ``(J, F, 3)``, for the same body built otherwise.
    """
    joints, local, radii = volume.balls(name)
    trunk, starts, ends = volume.lines
    at = motion.positions if places is None else places

    def put(of: IntArray, where: FloatArray) -> FloatArray:
        return at[of] + rotation.rotate(motion.rotations[of], where[:, None])

    thick = [capsule.radius for _, capsule in volume.trunk]
    return deepest(put(joints, local), radii, put(trunk, starts), put(trunk, ends), thick)


def source_depths(
    motion: WorldMotion, arms: Mapping[str, LimbChain], volume: BodyVolume, as_source: FloatArray
) -> dict[str, FloatArray]:
    """How deep each arm would be in the body on the source's build ``(F,)``, in metres: what the transfer is not to
    blame for.

    as_source: positions of the joints ``(J, F, 3)`` where the source has them, in the target's size.
    """
    return {
        name: np.maximum(penetration(motion, volume, name, as_source)[0], 0.0) for name in arms if volume.arms.get(name)
    }


def clear(
    motion: WorldMotion,
    arms: Mapping[str, LimbChain],
    volume: BodyVolume,
    strength: float,
    allowed: Mapping[str, FloatArray],
    chest: FloatArray,
) -> dict[str, FloatArray]:
    """Turn arms out at the shoulder until they clip no deeper than they would on the source's build.

    Each time an arm clips, it is turned about one axis of the chest, by an angle that comes and goes softly, so that
    nothing jerks where the deepest place wanders. allowed: by arm how deep it may be ``(F,)``, in metres. chest:
    rotations of the chest ``(F, 4)``. Returns the angle by arm ``(F,)``.
    """
    turned = {}
    for name, limb in arms.items():
        if not volume.arms.get(name) or not volume.trunk or strength <= 0:
            continue
        total = np.zeros(motion.frames)
        for _ in range(ROUNDS):
            q = way_out(motion, limb, penetration(motion, volume, name), allowed[name], chest, strength)
            if q is None:
                break
            motion.swing(limb.joints[0], motion.below(limb.joints[0]), q)
            total += rotation.angle(q)
        turned[name] = total
    return turned


def way_out(
    motion: WorldMotion,
    limb: LimbChain,
    deepest: tuple[FloatArray, FloatArray, FloatArray],
    allowed: FloatArray,
    chest: FloatArray,
    strength: float,
) -> FloatArray | None:
    """The turn of an arm ``(F, 4)`` that takes it out of the body, or None where it is not in it."""
    deep, way, place = deepest
    more = np.maximum(deep - allowed - CLEAN, 0.0)
    width = round(EASE * motion.fps)
    if not np.any(more > 0):
        return None
    arm = place - motion.positions[limb.joints[0]]
    to_chest = rotation.inverse(chest)
    axis = rotation.rotate(to_chest, cross(arm, way)) * more[:, None]
    out = np.tile(rotation.IDENTITY, (motion.frames, 1))
    near = ndimage.maximum_filter1d((more > 0).astype(np.int8), 4 * width + 1).astype(bool)
    for first, last in runs(near):
        part = slice(first, last + 1)
        mean = axis[part].sum(axis=0)
        if np.linalg.norm(mean) < 1e-12:
            continue
        turn_axis = rotation.rotate(chest[part], np.broadcast_to(mean / np.linalg.norm(mean), arm[part].shape))
        gain = dot(cross(turn_axis, arm[part]), way[part])
        angle = np.minimum(more[part] / np.maximum(gain, LEAST * lengths(arm[part])), FURTHEST)
        out[part] = rotation.about_each(turn_axis, strength * envelope(angle, width))
    return out
