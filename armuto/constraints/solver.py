"""Settling one performance: the steps in their order, each on what the one before left."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from armuto.body.joint_limits import ranges_of
from armuto.body.plans import SIDES
from armuto.constraints import arms as clearing
from armuto.constraints import feet, hands
from armuto.constraints.limbs import Limb, limbs
from armuto.constraints.limits import limit
from armuto.contacts.probes import Ear, Found, Sound
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.curves import averaged
from armuto.kinematics.vectors import lengths
from armuto.kinematics.world_motion import Moving
from armuto.pairing.joint_mapping import Lead, first_leads
from armuto.retarget.fitting import Fitting

FINGERS = ("middle", "ring", "index")  # by which a hand's length is told, the first there is
# Half a palm's thickness over the way from wrist to knuckles: 14 of 95 mm, where a source has no mesh (Tilley 1993).
PALM = 0.15
STRIDE = 0.6  # seconds over which a path is told from the sway along it
MARGIN = 2.0  # seconds on either side that a frame's performance can depend on


@dataclass(frozen=True)
class Report:
    """What settling did.

    short: by limb how far it falls short of its contacts ``(F,)``, in metres. hits: by part the frames in which a joint was
    held back by its limits. turned_out: by arm the angle it was turned out by ``(F,)``, in radians. lowered: how far the body
    gave way ``(F,)``, in metres.
    """

    short: Mapping[str, FloatArray] = field(default_factory=dict)
    hits: Mapping[str, NDArray[np.bool_]] = field(default_factory=dict)
    turned_out: Mapping[str, FloatArray] = field(default_factory=dict)
    lowered: FloatArray = field(default_factory=lambda: np.zeros(0))

    def cut(self, frames: slice) -> Report:
        return Report(
            {limb: values[frames] for limb, values in self.short.items()},
            {part: values[frames] for part, values in self.hits.items()},
            {limb: values[frames] for limb, values in self.turned_out.items()},
            self.lowered[frames],
        )


@dataclass(frozen=True)
class Ratios:
    """stride: of places over the ground, height: of heights, body: of what the body itself spans."""

    stride: float
    height: float
    body: float

    @property
    def plain(self) -> bool:
        return self.stride == self.body and self.height == self.body

    def of_places(self) -> FloatArray:
        return np.array([self.stride, self.height, self.stride])


def ratios(fitting: Fitting) -> Ratios:
    said, body = fitting.settings, fitting.scale
    stride = body if said.stride is None else said.stride
    return Ratios(1.0 if said.path == "absolute" else stride, body if said.height is None else said.height, body)


def travelled(away: FloatArray, ratio: Ratios, fps: float) -> FloatArray:
    """A carrier's way from where it stands ``(F, 3)``, in the target's size: its path by the stride, its sway by the body."""
    if ratio.plain:
        return away * ratio.body
    out = away * ratio.body
    out[:, 1] = away[:, 1] * ratio.height
    if ratio.stride != ratio.body:
        path = averaged(away[:, [0, 2]], round(STRIDE * fps))
        out[:, [0, 2]] += (ratio.stride - ratio.body) * path
    return out


def settle(
    moving: Moving,
    sound: Sound,
    heard: Ear,
    found: Found,
    frames: FloatArray,
    fitting: Fitting,
    led: Mapping[int, Lead],
    carriers: list[int],
) -> Report:
    """All steps between rotations alone and travel, in place. frames: which frames of the clip the rows are."""
    said, ratio = fitting.settings, ratios(fitting)
    swivels = {limb: float(np.radians(degrees)) for limb, degrees in said.bends.items()}
    reaching = limbs(fitting, led)
    owned = {point.limb: point for point in heard.points}
    legs = {name: limb for name, limb in reaching.items() if name in owned and owned[name].is_foot}
    reaches = {name: limb for name, limb in reaching.items() if name in owned and not owned[name].is_foot}
    by_part = {lead.part: joint for joint, lead in led.items() if lead.part}
    chest = moving.rotations[by_part.get("chest", by_part.get("hips", 0))]
    chest_ahead = _ahead(moving, fitting, by_part)
    if said.spread:
        clearing.spread(moving, reaches, said.spread, chest_ahead)
    scale = ratio.of_places()
    mapped = {point.name: rotation.rotate(fitting.turn, sound.path(point)) * scale for point in heard.points}
    before = {
        point.part: moving.positions[point.target] - mapped[point.name] for point in heard.points if not point.is_foot
    }
    short: dict[str, FloatArray] = {}
    lowered = np.zeros(moving.frames)
    alike = _performs_alike(fitting, ratio)
    if heard.leg > 0 and not alike:
        leg = heard.leg * ratio.height
        told = feet.Heard(mapped, frames, found.floor * ratio.height, leg, found.seam)
        strengths = {name: said.holding(name) for name in legs}
        holds = feet.footholds(moving, heard.points, legs, found.contacts, told, strengths)
        if holds:
            lowered = feet.give_way(moving, holds, leg)
            if np.any(lowered > 1e-7):
                for joint in _lowered(moving, carriers):
                    moving.positions[joint, :, 1] -= lowered
            short |= feet.stand(moving, holds, lowered, swivels)
    turned: dict[str, FloatArray] = {}
    allowed: dict[str, FloatArray] = {}
    bulk = clearing.bulk_of(fitting, led, reaches)
    if bulk.trunk and said.clear > 0:
        allowed = clearing.as_deep(moving, reaches, bulk, as_source(moving, sound, fitting, led))
        turned = clearing.clear(moving, reaches, bulk, said.clear, allowed, chest)
    held = (
        {} if alike else _hands(moving, reaches, heard, found, mapped, before, sound, frames, fitting, led, chest_ahead)
    )
    if held and turned:
        # What a hand keeps may have brought it back into the body.
        again = clearing.clear(moving, reaches, bulk, said.clear, allowed, chest)
        turned = {name: angle + again.get(name, 0.0) for name, angle in turned.items()}
    short |= held
    hits: dict[str, NDArray[np.bool_]] = {}
    if said.limits != "off":
        hits = limit(moving, fitting.anatomy, ranges_of(fitting.plan, fitting.ranges), said.limits == "hard")
    return Report(short, hits, turned, lowered)


def _performs_alike(fitting: Fitting, ratio: Ratios) -> bool:
    """Whether rotations alone make the very motion: on the source's own body, in whatever size, in the very stance, and where
    nothing was chosen that changes it. There is nothing to hold then, however a capture trembles."""
    said = fitting.settings
    chosen = said.bends or said.follow or said.spread or said.moved or said.forearm
    stands = all(row.left < 0.01 for row in fitting.rows)
    return not chosen and ratio.plain and stands and fitting.same_build


def _lowered(moving: Moving, carriers: list[int]) -> tuple[int, ...]:
    """What goes down when the hips give way: the lowest carrier of travel and all it carries, not a root bone above it."""
    return moving.below(carriers[-1]) if carriers else tuple(range(len(moving.skeleton)))


def _ahead(moving: Moving, fitting: Fitting, by_part: Mapping[str, int]) -> FloatArray:
    """Where the chest faces over time, ``(F, 3)``. by_part: the joint of every part."""
    joint = by_part.get("chest", by_part.get("hips", 0))
    local = rotation.rotate(rotation.inverse(fitting.target_pose.rotations[joint]), fitting.forward)
    return rotation.rotate(moving.rotations[joint], np.broadcast_to(local, (moving.frames, 3)))


def as_source(moving: Moving, sound: Sound, fitting: Fitting, led: Mapping[int, Lead]) -> dict[int, FloatArray]:
    """Where the target's joints would be on the source's build in the target's size, about the target's hips."""
    hips = next((joint for joint, lead in led.items() if lead.part == "hips"), None)
    out = {}
    for joint, lead in led.items():
        if lead.a not in sound.positions or hips is None or led[hips].a not in sound.positions:
            continue
        away = sound.positions[lead.a] - sound.positions[led[hips].a]
        out[joint] = moving.positions[hips] + fitting.scale * rotation.rotate(fitting.turn, away)
    return out


def _hands(
    moving: Moving,
    reaches: Mapping[str, Limb],
    heard: Ear,
    found: Found,
    mapped: Mapping[str, FloatArray],
    before: Mapping[str, FloatArray],
    sound: Sound,
    frames: FloatArray,
    fitting: Fitting,
    led: Mapping[int, Lead],
    ahead: FloatArray,
) -> dict[str, FloatArray]:
    said = fitting.settings
    swivels = {limb: float(np.radians(degrees)) for limb, degrees in said.bends.items()}
    points = {point.limb: (point.part, point.target) for point in heard.points if not point.is_foot}
    own = [one for one in found.contacts if any(one.point == part for part, _ in points.values())]
    strengths = {name: said.keeping(name) for name in ("floor", "other hand", "body")}
    if not reaches or not own or not any(strengths.values()):
        return {}
    # Between hands lies what they carry, which is as large as they are, whatever arms and legs may be.
    grip = hands_size(fitting, led)
    carried = {
        part: grip * rotation.rotate(fitting.turn, sound.positions[heard.parts[part]])
        for part, _ in points.values()
        if part in heard.parts
    }
    _keep_surfaces(carried, moving, fitting, led, grip)
    against = {(one.point, one.to) for one in own if one.to in heard.parts and not one.to.endswith("hand")}
    on = {(hand, part): _against_body(moving, sound, heard, fitting, led, hand, part) for hand, part in against}
    up = np.array([0.0, 1.0, 0.0])
    left = np.cross(up, ahead)
    moved = {
        limb: place[0] * left + place[1] * up + place[2] * ahead for limb, place in said.moved.items() if limb in points
    }
    wanted = hands.Wanted(mapped, carried, on, before, frames, moved, found.seam)
    return hands.hold(moving, reaches, points, own, wanted, strengths, swivels)


def _keep_surfaces(
    carried: dict[str, FloatArray], moving: Moving, fitting: Fitting, led: Mapping[int, Lead], grip: float
) -> None:
    """Move the places of two hands apart or together, so that what lies between the palms keeps its width, in place.

    Joints lie inside hands: with palms thicker or thinner than the source's, in the hands' size, surfaces that touch would
    cut into each other or part. It counts as far as a palm faces the other hand.
    """
    if len(carried) != 2:
        return
    first, (one, two) = first_leads(led), list(carried)
    between = carried[one] - carried[two]
    apart = lengths(between)
    line = between / np.maximum(apart, 1e-6)[:, None]
    for part, way in ((one, 1.0), (two, -1.0)):
        lead, knuckle = first.get(part), _knuckle(first, part.split()[0])
        palm = fitting.target.observed.palms.get(lead.target) if lead else None
        if lead is None or palm is None or knuckle is None or not palm.any():
            continue
        at, half = fitting.target_pose.positions, float(np.linalg.norm(palm))
        theirs = fitting.source.observed.palms.get(lead.a)
        usual = PALM * float(np.linalg.norm(at[knuckle.target] - at[lead.target]))
        thicker = half - (usual if theirs is None else grip * float(np.linalg.norm(theirs)))
        faces = np.abs(np.sum(rotation.rotate(moving.rotations[lead.target], palm / half) * line, axis=1))
        carried[part] = carried[part] + way * np.maximum(thicker * faces, -0.5 * apart)[:, None] * line


def _against_body(
    moving: Moving, sound: Sound, heard: Ear, fitting: Fitting, led: Mapping[int, Lead], hand: str, part: str
) -> FloatArray:
    """Where a hand is on the target's body as it is on the source's: across by the width of the two, along by their size.

    With o the way from the part to the hand, in the axes of the body's stance as the part carries them.
    """
    joint = next(joint for joint, lead in led.items() if lead.part == part)
    there = heard.parts[part]
    away = sound.positions[heard.parts[hand]] - sound.positions[there]
    turned = rotation.multiply(sound.rotations[there], rotation.inverse(fitting.source_pose.rotations[there]))
    away = rotation.rotate(fitting.turn, rotation.rotate(rotation.inverse(turned), away))
    girth = _girth(fitting, led, "upper leg" if part == "hips" or part.endswith("leg") else "upper arm")
    up = np.array([0.0, 1.0, 0.0])
    along = (away @ up)[:, None] * up
    placed = fitting.scale * along + girth * (away - along)
    carried = rotation.multiply(moving.rotations[joint], rotation.inverse(fitting.target_pose.rotations[joint]))
    return np.asarray(moving.positions[joint] + rotation.rotate(carried, placed))


def hands_size(fitting: Fitting, led: Mapping[int, Lead]) -> float:
    """How much larger the target's hands and forearms are than the source's: the geometric mean of the ratios of their lengths.

    A hand is as long as the way to the first joint of its longest fingers. Of the body's size where neither is known.
    """
    first = first_leads(led)
    at, ratios_found = fitting.target_pose.positions, []
    for side in SIDES:
        hand = first.get(f"{side} hand")
        for other in (first.get(f"{side} lower arm"), _knuckle(first, side)):
            if hand is not None and other is not None:
                there, here = (
                    np.linalg.norm(other.place - hand.place),
                    np.linalg.norm(at[other.target] - at[hand.target]),
                )
                if min(there, here) > 1e-3 * max(fitting.scale, 1e-3):
                    ratios_found.append(float(np.log(here / there)))
    return float(np.exp(np.mean(ratios_found))) if ratios_found else fitting.scale


def _knuckle(first: Mapping[str, Lead], side: str) -> Lead | None:
    """The first joint of the finger by which a hand's length is told; None where it has none."""
    return next((first[name] for kind in FINGERS if (name := f"{side} {kind} proximal") in first), None)


def _girth(fitting: Fitting, led: Mapping[int, Lead], kind: str) -> float:
    """How much wider the target is than the source, between its shoulders or its hips."""
    sides = {lead.part: lead for lead in led.values() if lead.part in (f"left {kind}", f"right {kind}")}
    if len(sides) < 2:
        return fitting.scale
    one, two = sides[f"left {kind}"], sides[f"right {kind}"]
    there = float(np.linalg.norm(one.place - two.place))
    at = fitting.target_pose.positions
    here = float(np.linalg.norm(at[one.target] - at[two.target]))
    return here / there if there > 1e-6 and here > 1e-6 else fitting.scale
