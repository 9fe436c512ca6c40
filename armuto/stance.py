"""Stance: turning the target until it stands as the source does, from the root outwards.

For every paired joint, the directions to its next paired joints are compared with those on the source. Two or more directions
fix the whole orientation (least squares over unit vectors, Wahba 1965, by ``scipy.spatial.transform.Rotation.align_vectors``);
one direction is met by the smallest rotation, its roll taken from the bend of the limb where both limbs are bent. A
foot that stands flat on both sides stays flat: its slope from ankle to toes is anatomy, not posture.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from scipy.spatial.transform import Rotation

from armuto import rotation
from armuto.leads import Lead
from armuto.plans import BodyPlan
from armuto.rotation import FloatArray
from armuto.skeleton import Skeleton

COLLINEAR = np.sin(np.radians(4.0))
BENT = np.sin(np.radians(15.0))
FLAT = 0.04  # of the length from hips to the lowest foot joint
FIRM = 100.0  # weight of the direction that is met exactly where two fix an orientation


@dataclass(frozen=True)
class StanceRow:
    """What alignment did to one part: degrees it was turned from its rest, and degrees still left to the source."""

    part: str
    bone: str
    turned: float
    left: float


def _unit(v: FloatArray) -> FloatArray:
    length = math.sqrt(sum(x * x for x in v.tolist()))
    return v / length if length > 1e-12 else np.zeros(3)


def align(
    target: Skeleton, leads: dict[int, Lead], turn: FloatArray, source_floor: float, plan: BodyPlan
) -> tuple[FloatArray, tuple[StanceRow, ...]]:
    """Local rotations ``(J, 4)`` of the target in its stance, and what was done per part.

    turn: quaternion from the source's facing to the target's. source_floor: height of the source's lowest paired joint
    in its stance, for telling flat feet.
    """
    rest = target.rest
    places = {joint: rotation.rotate(turn, lead.place) for joint, lead in leads.items()}
    next_paired = _next_paired(target, leads)
    flat = _flat_feet(target, leads, places, source_floor, plan)
    stance = rest.rotations.copy()
    rows: list[StanceRow] = []
    for joint in range(len(target)):
        parent = int(target.parents[joint])
        if parent >= 0:
            stance[joint] = rotation.multiply(stance[parent], target.rest_rotation[joint])
        lead = leads.get(joint)
        if lead is None:
            continue
        # Vectors of the rest pose, carried along by what has been turned so far.
        carried = rotation.multiply(stance[joint], rotation.inverse(rest.rotations[joint]))
        wanted, have = [], []
        for child in next_paired[joint]:
            there, here = places[child] - places[joint], rest.positions[child] - rest.positions[joint]
            if min(float(np.linalg.norm(there)), float(np.linalg.norm(here))) > 1e-9:
                wanted.append(_unit(there))
                have.append(rotation.rotate(carried, _unit(here)))
        part = plan.by_name.get(lead.part or "")
        if joint in flat:
            stance[joint] = _heading(
                rest.rotations[joint], rest.positions[flat[joint]] - rest.positions[joint], wanted[0]
            )
        elif not wanted:
            if part and part.upright:
                stance[joint] = rest.rotations[joint]
        else:
            bend = _bend(joint, next_paired, places, rest.positions, carried)
            stance[joint] = rotation.multiply(_aligning(have, wanted, bend), stance[joint])
        if lead.part:
            moved = rotation.multiply(stance[joint], rotation.inverse(rest.rotations[joint]))
            left = 0.0
            if joint not in flat:
                now = rotation.multiply(moved, rotation.inverse(carried))
                for h, w in zip(have, wanted, strict=True):
                    left = max(left, float(np.degrees(rotation.angle(rotation.between(rotation.rotate(now, h), w)))))
            turned = float(np.degrees(rotation.angle(moved)))
            rows.append(StanceRow(lead.part, target.names[joint], round(turned, 3), round(left, 3)))
    local = stance.copy()
    jointed = target.parents >= 0
    local[jointed] = rotation.multiply(rotation.inverse(stance[target.parents[jointed]]), stance[jointed])
    return local, tuple(rows)


def _next_paired(target: Skeleton, leads: dict[int, Lead]) -> dict[int, list[int]]:
    """For every paired joint the nearest paired joints below it."""
    out: dict[int, list[int]] = {joint: [] for joint in leads}
    for joint in leads:
        above = next((a for a in target.ancestors(joint) if a in leads), None)
        if above is not None:
            out[above].append(joint)
    return out


def _aligning(
    have: list[FloatArray], wanted: list[FloatArray], bend: tuple[FloatArray, FloatArray] | None
) -> FloatArray:
    """The world rotation ``(4,)`` that brings the directions ``have`` onto ``wanted`` as well as possible."""
    if _spans(have) and _spans(wanted):
        if _angles_agree(have, wanted):
            return rotation.IDENTITY.copy()
        found, _ = Rotation.align_vectors(np.array(wanted), np.array(have))
        return np.asarray(found.as_quat())
    direct = rotation.between(_unit(np.sum(have, axis=0)), _unit(np.sum(wanted, axis=0)))
    if bend is None or len(have) != 1:
        return direct
    found, _ = Rotation.align_vectors(
        np.array([wanted[0], bend[1]]), np.array([have[0], bend[0]]), weights=np.array([np.inf, 1.0])
    )
    return np.asarray(found.as_quat())


def _angles_agree(have: list[FloatArray], wanted: list[FloatArray]) -> bool:
    return bool(np.abs(np.array(have) - np.array(wanted)).max() < 1e-12)


def _spans(directions: list[FloatArray]) -> bool:
    """Whether the directions fix an orientation: two of them are clearly not on one line."""
    return any(
        float(np.linalg.norm(np.cross(a, b))) > COLLINEAR for n, a in enumerate(directions) for b in directions[:n]
    )


def _bend(
    joint: int,
    next_paired: dict[int, list[int]],
    places: dict[int, FloatArray],
    rest: FloatArray,
    carried: FloatArray,
) -> tuple[FloatArray, FloatArray] | None:
    """Directions of the limb's next stretch ``(have, wanted)`` when both limbs are clearly bent there, else None."""
    if len(next_paired[joint]) != 1 or len(next_paired[next_paired[joint][0]]) != 1:
        return None
    middle = next_paired[joint][0]
    end = next_paired[middle][0]
    have_1 = rotation.rotate(carried, _unit(rest[middle] - rest[joint]))
    have_2 = rotation.rotate(carried, _unit(rest[end] - rest[middle]))
    wanted_1, wanted_2 = _unit(places[middle] - places[joint]), _unit(places[end] - places[middle])
    if min(np.linalg.norm(np.cross(have_1, have_2)), np.linalg.norm(np.cross(wanted_1, wanted_2))) < BENT:
        return None
    return have_2, wanted_2


def _flat_feet(
    target: Skeleton, leads: dict[int, Lead], places: dict[int, FloatArray], source_floor: float, plan: BodyPlan
) -> dict[int, int]:
    """Foot joint to toe joint, for feet that stand on the floor in both rest poses."""
    by_part = {lead.part: joint for joint, lead in leads.items() if lead.part}
    feet = [(by_part.get(f"{s} foot"), by_part.get(f"{s} toes")) for s in ("left", "right")]
    if not all(foot is not None and toe is not None for foot, toe in feet) or "hips" not in by_part:
        return {}
    rest, hips = target.rest.positions, by_part["hips"]
    floor = min(float(rest[joint][1]) for joint in leads)
    reach, source_reach = rest[hips][1] - floor, places[hips][1] - source_floor
    for _, toe in feet:
        assert toe is not None
        if rest[toe][1] - floor > FLAT * reach or places[toe][1] - source_floor > FLAT * source_reach:
            return {}
    return {foot: toe for foot, toe in feet if foot is not None and toe is not None}


def _heading(rest: FloatArray, own: FloatArray, wanted: FloatArray) -> FloatArray:
    """The foot's rest rotation turned about +Y until it points where the source's does."""
    angle = np.arctan2(wanted[0], wanted[2]) - np.arctan2(own[0], own[2])
    return rotation.multiply(rotation.about([0.0, 1.0, 0.0], angle), rest)
