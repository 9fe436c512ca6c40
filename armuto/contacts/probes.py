"""What is heard of the source: the paths of its points and parts, and the contacts that they show."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from armuto.contacts.detection import Track, find_contacts
from armuto.contacts.hands import Source, find_kept
from armuto.contacts.model import Contact
from armuto.contacts.points import Point, paths, points
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.loop import loops
from armuto.pairing.joint_mapping import Lead
from armuto.retarget.fitting import Fitting
from armuto.retarget.grounding import standing_places

TRUNK = ("hips", "spine", "chest", "neck", "head")
LIMBS = ("upper arm", "lower arm", "hand", "upper leg", "lower leg")


@dataclass(frozen=True)
class Found:
    """contacts of a clip, the height of its floor in metres, and its last frame where it loops."""

    contacts: tuple[Contact, ...]
    floor: float
    seam: int | None = None


@dataclass(frozen=True)
class Ear:
    """Which joints of the source are listened to, by what they are; and the length of its leg in metres, or 0."""

    points: tuple[Point, ...]
    parts: Mapping[str, int]
    leg: float

    @property
    def joints(self) -> list[int]:
        return sorted({point.source for point in self.points} | set(self.parts.values()))


def ear(fitting: Fitting, led: Mapping[int, Lead]) -> Ear:
    kinds = {name: part.kind for name, part in fitting.plan.by_name.items()}
    parts: dict[str, int] = {}
    for lead in led.values():
        if lead.part and kinds.get(lead.part) in (*TRUNK, *LIMBS):
            parts.setdefault(lead.part, lead.a)
    there = standing_places(fitting, led)[0]
    touching = points(fitting, led)
    leg = float(there[parts["hips"]][1]) if "hips" in parts and touching else 0.0
    return Ear(touching, parts, max(leg, 0.0))


@dataclass(frozen=True)
class Sound:
    """What was heard: world positions ``(F, 3)`` and rotations ``(F, 4)`` of the source's joints, by joint."""

    positions: Mapping[int, FloatArray]
    rotations: Mapping[int, FloatArray]

    def path(self, point: Point) -> FloatArray:
        return paths(point, "source", self.positions[point.source], self.rotations[point.source])


def listen(clip: Clip, joints: list[int]) -> Sound:
    world = clip.world()
    return Sound(
        {joint: np.ascontiguousarray(world.positions[:, joint]) for joint in joints},
        {joint: np.ascontiguousarray(world.rotations[:, joint]) for joint in joints},
    )


def find(clip: Clip, fitting: Fitting, led: Mapping[int, Lead] | None = None) -> Found:
    """The contacts of a clip: feet and hands against the world, hands against each other and against the body."""
    heard = ear(fitting, fitting.leads() if led is None else led)
    if heard.leg <= 0 or clip.frames < 3:
        return Found((), 0.0)
    return found_in(listen(clip, heard.joints), heard, fitting, clip)


def found_in(sound: Sound, heard: Ear, fitting: Fitting, clip: Clip, floor: float | None = None) -> Found:
    """The contacts of a clip of which the joints were listened to. floor: its height in metres, where a person has said it."""
    fps = clip.fps
    tracks = [Track(point.name, point.is_foot, sound.path(point)) for point in heard.points]
    contacts, floor = find_contacts(tracks, sound.positions[heard.parts["hips"]], fps, heard.leg, floor)
    kept = find_kept(source_of(sound, heard, fitting, fps), hands_of(heard)) if fitting.plan.trunk == "upright" else ()
    # A hand that rests against the world keeps that place; what it seems to keep besides follows from it.
    resting = [one for one in contacts if not one.to]
    kept = tuple(
        one for one in kept if not any(_meet(one, other) for other in resting if other.point in (one.point, one.to))
    )
    return Found(
        tuple(sorted((*contacts, *kept), key=lambda one: (one.first, one.point))),
        floor,
        clip.frames - 1 if loops(clip) else None,
    )


def _meet(one: Contact, other: Contact) -> bool:
    return one.first <= other.last and other.first <= one.last


def hands_of(heard: Ear) -> dict[str, str]:
    """The part of every hand by its limb."""
    return {point.limb: point.part for point in heard.points if not point.is_foot and point.part in heard.parts}


def source_of(sound: Sound, heard: Ear, fitting: Fitting, fps: float) -> Source:
    at = {part: sound.positions[joint] for part, joint in heard.parts.items()}
    turns = {part: sound.rotations[joint] for part, joint in heard.parts.items()}
    elbows, arm = {}, 0.0
    for limb, hand in hands_of(heard).items():
        side = hand.split()[0]
        if f"{side} upper arm" in at and f"{side} lower arm" in at:
            upper, lower = at[f"{side} lower arm"] - at[f"{side} upper arm"], at[hand] - at[f"{side} lower arm"]
            a, b = np.linalg.norm(upper, axis=-1), np.linalg.norm(lower, axis=-1)
            cosine = np.sum(upper * lower, axis=-1) / np.maximum(a * b, 1e-12)
            elbows[limb] = np.arccos(np.clip(cosine, -1.0, 1.0))
            arm = max(arm, float(a[0] + b[0]))
    width = arm / 2 or heard.leg / 3
    if "left upper arm" in at and "right upper arm" in at:
        width = float(np.linalg.norm(at["left upper arm"][0] - at["right upper arm"][0]))
    pose = fitting.source_pose
    chest = heard.parts.get("chest", heard.parts["hips"])
    forward = rotation.rotate(rotation.inverse(fitting.turn), fitting.forward)
    local = rotation.rotate(rotation.inverse(pose.rotations[chest]), forward)
    ahead = rotation.rotate(sound.rotations[chest], np.broadcast_to(local, sound.positions[chest].shape))
    return Source(at, turns, elbows, arm or heard.leg, width, ahead, fps)
