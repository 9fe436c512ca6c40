"""How thick bodies are where they meet: a capsule for every part, on source and target alike, and where two of them,
or one and a prop, are nearest.

A place on a part is told by how far along it lies and which way out, so that it means the same on a body of any
build: with A and B the ends of the part, R its radius, and n the way out as the body stands in its stance::

    place = A + share · (B − A) + R n
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from armuto.contacts.points import Point
from armuto.contacts.probes import contact_probes
from armuto.ensembles.model import Shape
from armuto.ensembles.shapes import nearest
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.vectors import dot, lengths
from armuto.pairing.joint_mapping import JointDriver
from armuto.retarget.context import RetargetContext
from armuto.retarget.scaling import knuckle

# Half the thickness of parts over the height of the hips, where no mesh tells (Tilley, *The Measure of Man and Woman*,
# 1993: depths of chest, waist and limbs of an adult of 1.75 m, whose hips are 0.92 m high).
THICKNESS = {
    "hips": 0.1,
    "spine": 0.115,
    "chest": 0.125,
    "neck": 0.06,
    "head": 0.09,
    "upper arm": 0.047,
    "lower arm": 0.037,
    "hand": 0.016,
    "upper leg": 0.08,
    "lower leg": 0.055,
    "foot": 0.0,
}
PALM = 0.15  # half a palm's thickness over the way from wrist to knuckles (14 of 95 mm, ibid.)
HEAD = 0.13  # the head's length above its joint, over the height of the hips
HAND = 0.38  # from wrist to knuckles over the forearm, where a hand has no fingers
LEAST, MOST = 0.6, 1.8  # a mesh tells a part's thickness within these times the usual one
NEAR = 0.02  # of the hips' height: places so much farther apart than the nearest count for little
SHARES = np.linspace(0.0, 1.0, 5)
ONWARD = {
    "spine": ("chest", "neck"),
    "chest": ("neck", "head"),
    "neck": ("head",),
    "upper arm": ("lower arm",),
    "lower arm": ("hand",),
    "upper leg": ("lower leg",),
    "lower leg": ("foot",),
}


@dataclass(frozen=True, eq=False)
class PartSurface:
    """A capsule. start, end ``(3,)``: from its joint, in the world's axes as the body stands in its stance; radius in
    metres. sole: whether it is the underside of a foot, with no thickness."""

    joint: int
    start: FloatArray
    end: FloatArray
    radius: float
    sole: bool = False


@dataclass(frozen=True, eq=False)
class PosedBody:
    """A body over time. surfaces: by part. positions ``(F, 3)``: of the joints. turns ``(F, 4)``: how joints are turned
    from the stance. leg: height of its hips in the stance in metres."""

    surfaces: Mapping[str, PartSurface]
    positions: Mapping[int, FloatArray]
    turns: Mapping[int, FloatArray]
    leg: float

    def turn(self, part: str) -> FloatArray:
        return self.turns[self.surfaces[part].joint]

    def along(self, part: str, share: FloatArray | float) -> FloatArray:
        """The place on a part's axis at a share ``(F,)`` of it, ``(F, 3)``."""
        surface = self.surfaces[part]
        at = surface.start + np.multiply.outer(np.asarray(share, float), surface.end - surface.start)
        positions = self.positions[surface.joint]
        return np.asarray(positions + rotation.rotate(self.turns[surface.joint], np.broadcast_to(at, positions.shape)))

    def place(self, part: str, share: float, out: FloatArray) -> FloatArray:
        """The place on a part's surface ``(F, 3)``. out ``(3,)``: a unit vector in the stance's axes."""
        surface = self.surfaces[part]
        at = surface.start + share * (surface.end - surface.start) + surface.radius * out
        positions = self.positions[surface.joint]
        return np.asarray(positions + rotation.rotate(self.turns[surface.joint], np.broadcast_to(at, positions.shape)))


@dataclass(frozen=True, eq=False)
class Nearness:
    """How near a part is to something over time. gap ``(F,)``: metres between the surfaces, negative in each other.
    share ``(F,)`` along it, and out ``(F, 3)``, the way to the other in the stance's axes. other_share, other_out: the
    same of the part that it is near to; place ``(F, 3)``: or where on a prop, in its frame."""

    gap: FloatArray
    share: FloatArray
    out: FloatArray
    other_share: FloatArray | None = None
    other_out: FloatArray | None = None
    place: FloatArray | None = None


def body_surfaces(context: RetargetContext, side: str) -> dict[str, PartSurface]:
    """The surfaces of the "source" or the "target" of a fitting, by part, for those that both have."""
    fitting, drivers = context.fitting, context.first_drivers
    source = side == "source"
    pose = fitting.source_pose if source else fitting.target_pose
    standing = context.standing[0] if source else context.standing[1]
    at = {part: driver.source if source else driver.target for part, driver in drivers.items()}
    kinds = {name: part.kind for name, part in fitting.plan.by_name.items()}
    leg = float(standing[at["hips"]][1]) if "hips" in at else float(np.ptp(standing[:, 1])) / 2
    out: dict[str, PartSurface] = {}
    for part, joint in at.items():
        kind = kinds.get(part, "")
        if kind not in THICKNESS or kind == "foot":
            continue
        ends = _ends(part, kind, at, pose.positions, leg, drivers, source)
        radius = THICKNESS[kind] * leg
        if kind == "hand":
            radius = _palm(context, joint, source, float(np.linalg.norm(ends[1])))
        elif not source:
            radius = _from_mesh(context, joint, radius)
        out[part] = PartSurface(joint, ends[0], ends[1], radius)
    return out | _soles(context, source)


def _ends(
    part: str,
    kind: str,
    at: Mapping[str, int],
    positions: FloatArray,
    leg: float,
    drivers: Mapping[str, JointDriver],
    source: bool,
) -> tuple[FloatArray, FloatArray]:
    """Where the capsule of a part begins and ends, from its joint."""
    place = positions[at[part]]
    side = part.split()[0] + " " if part.split()[0] in ("left", "right") else ""
    if kind == "hips":
        legs = [at[name] for name in ("left upper leg", "right upper leg") if name in at]
        if len(legs) == 2:
            return positions[legs[0]] - place, positions[legs[1]] - place
        return np.zeros(3), np.zeros(3)
    if kind == "hand":
        finger = knuckle(drivers, part.split()[0])
        if finger is not None:
            return np.zeros(3), positions[finger.source if source else finger.target] - place
        fore = at.get(f"{side}lower arm")
        return np.zeros(3), HAND * (place - positions[fore]) if fore is not None else np.array([0.0, -0.1 * leg, 0.0])
    if kind == "head":
        neck = at.get("neck", at.get("chest"))
        way = place - positions[neck] if neck is not None else np.array([0.0, 1.0, 0.0])
        size = float(np.linalg.norm(way))
        return np.zeros(3), way * (HEAD * leg / size) if size > 1e-9 else np.array([0.0, HEAD * leg, 0.0])
    onward = next((at[name] for other in ONWARD[kind] for name in (f"{side}{other}", other) if name in at), None)
    return np.zeros(3), positions[onward] - place if onward is not None else np.zeros(3)


def _palm(context: RetargetContext, hand: int, source: bool, length: float) -> float:
    skeleton = context.fitting.source if source else context.fitting.target
    palm = skeleton.observed.palms.get(hand)
    seen = 0.0 if palm is None else float(np.linalg.norm(palm))
    return seen or PALM * length


def _from_mesh(context: RetargetContext, joint: int, usual: float) -> float:
    capsule = context.fitting.capsules.get(joint)
    return usual if capsule is None else float(np.clip(capsule.radius, LEAST * usual, MOST * usual))


def _soles(context: RetargetContext, source: bool) -> dict[str, PartSurface]:
    """Feet from heel to toes along the floor that they stand on in the stance."""
    pose = context.fitting.source_pose if source else context.fitting.target_pose
    points: dict[str, dict[str, Point]] = {}
    for point in contact_probes(context).points:
        if point.is_foot:
            points.setdefault(point.part, {})[point.kind] = point
    out = {}
    for part, own in points.items():
        first = own.get("heel", own["toes"])
        joint = first.source if source else first.target
        ends = []
        for point in (first, own["toes"]):
            holder = point.source if source else point.target
            offset = point.source_offset if source else point.target_offset
            place = pose.positions[holder] + rotation.rotate(pose.rotations[holder], offset)
            ends.append(place - pose.positions[joint])
        out[part] = PartSurface(joint, ends[0], ends[1], 0.0, True)
    return out


def part_to_part(a: PosedBody, part: str, b: PosedBody, other: str) -> Nearness:
    """How near two parts are. Where they lie along each other, the middle of where they are near counts, so that it
    does not jump from one end to the other."""
    first = np.stack([a.along(part, share) for share in SHARES])
    second = np.stack([b.along(other, share) for share in SHARES])
    between = second[None] - first[:, None]  # (S, S, F, 3)
    far = lengths(between)
    weights = _weights(far.reshape(-1, far.shape[-1]), NEAR * a.leg).reshape(far.shape)
    share, other_share = (np.einsum("stf,s->f", weights, SHARES), np.einsum("stf,t->f", weights, SHARES))
    way = b.along(other, other_share) - a.along(part, share)
    distance = lengths(way)
    radii = a.surfaces[part].radius + b.surfaces[other].radius
    way = way / np.maximum(distance, 1e-9)[:, None]
    return Nearness(
        distance - radii,
        share,
        rotation.rotate(rotation.inverse(a.turn(part)), way),
        other_share,
        rotation.rotate(rotation.inverse(b.turn(other)), -way),
    )


def part_to_prop(
    a: PosedBody, part: str, shapes: Sequence[Shape], at: FloatArray, turns: FloatArray, size: float = 1.0
) -> Nearness:
    """How near a part is to a prop, whose origin is at ``at (F, 3)`` and turned by ``turns (F, 4)``."""
    back = rotation.inverse(turns)
    radius = a.surfaces[part].radius
    found = [nearest(shapes, rotation.rotate(back, a.along(part, share) - at), size) for share in SHARES]
    distance = np.stack([row.distance for row in found])
    weights = _weights(distance, NEAR * a.leg)
    share = weights.T @ SHARES
    centre = a.along(part, share)
    surface = nearest(shapes, rotation.rotate(back, centre - at), size)
    way = -rotation.rotate(turns, surface.normals)
    if a.surfaces[part].sole:
        way = np.broadcast_to([0.0, -1.0, 0.0], way.shape)
        out = np.ascontiguousarray(way)
    else:
        out = rotation.rotate(rotation.inverse(a.turn(part)), way)
    return Nearness(surface.distance - radius, share, out, place=surface.places)


def part_to_place(a: PosedBody, part: str, places: FloatArray) -> Nearness:
    """How near a part is to places ``(F, 3)``."""
    start, along = a.along(part, 0.0), a.along(part, 1.0) - a.along(part, 0.0)
    share = np.clip(dot(places - start, along) / np.maximum(dot(along, along), 1e-12), 0.0, 1.0)
    way = places - a.along(part, share)
    distance = lengths(way)
    out = rotation.rotate(rotation.inverse(a.turn(part)), way / np.maximum(distance, 1e-9)[:, None])
    return Nearness(distance - a.surfaces[part].radius, share, out)


def _weights(far: FloatArray, scale: float) -> FloatArray:
    """Of distances ``(N, F)``: weights that add up to 1, the most for the nearest."""
    w = np.exp(-(far - far.min(axis=0)) / scale)
    return np.asarray(w / w.sum(axis=0))


def depth_between(a: PosedBody, part: str, b: PosedBody, other: str) -> FloatArray:
    """How deep two parts are in each other ``(F,)``, in metres, negative where they are apart: by the shortest way
    between their axes."""
    first = np.stack([a.along(part, share) for share in SHARES])
    start, end = b.along(other, 0.0), b.along(other, 1.0)
    line = end - start
    share = np.clip(dot(first - start, line) / np.maximum(dot(line, line), 1e-12), 0.0, 1.0)
    distance = lengths(first - start - share[..., None] * line).min(axis=0)
    return np.asarray(a.surfaces[part].radius + b.surfaces[other].radius - distance)
