"""What is measured of feet: how they stand, slide, reach, and how high their soles are."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from armuto.body.estimation import lowest_of
from armuto.body.plans import SIDES
from armuto.contacts.model import Contact
from armuto.contacts.points import Point
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.statistics import median, percentile, percentiles
from armuto.kinematics.vectors import lengths
from armuto.pairing.joint_mapping import footing
from armuto.quality.comparison import Comparison, Measurement, stretch_around, worst_frame
from armuto.retarget.soles import sole_of

EDGE = 1  # frames at either end of a contact in which a foot still lands or already leaves
BEARS = 0.005  # of the leg: a heel or toes so much higher than the other bear the foot no more


def _standing(compared: Comparison) -> Iterator[tuple[Contact, Point, slice]]:
    by_name = {point.name: point for point in compared.probes.points}
    for contact in compared.contacts.contacts:
        point = by_name.get(contact.point)
        inner = slice(contact.first + EDGE, contact.last + 1 - EDGE)
        if point is not None and point.is_foot and not contact.to and inner.stop - inner.start >= 3:
            yield contact, point, inner


def slides(compared: Comparison) -> Iterator[Measurement]:
    """How fast a foot slides while it stands: in cm/s, the 90th of a hundred frames of each contact; its way in cm.

    A heel that leaves the floor while its toes stand does not slide, however it swings about them: only frames count in
    which the source's point bears the foot.
    """
    fps, paths = compared.clip.fps, compared.source_paths
    speed: dict[str, tuple[FloatArray, FloatArray, FloatArray]] = {}
    for contact, point, inner in _standing(compared):
        if point.name not in speed:
            path = compared.target_paths[point.name]
            speed[point.name] = path, over_ground(path, fps), over_ground(paths[point.name], fps)
        path, target, source = speed[point.name]
        foot = [paths[other.name][inner, 1] for other in compared.probes.points if other.limb == point.limb]
        bears = (
            paths[point.name][inner, 1] - np.min(foot, axis=0)
            < BEARS * compared.probes.leg * compared.context.ratios.height
        )
        rows = np.arange(inner.start, inner.stop)[bears]
        if len(rows) < 3:
            continue
        yield Measurement(
            "foot slide",
            point.name,
            contact.first,
            contact.last,
            percentile(target[rows], 90) * 100,
            percentile(source[rows], 90) * 100,
            "cm/s",
            float(
                np.linalg.norm(np.ptp(path[rows][:, [0, 2]], axis=0))
                - np.linalg.norm(np.ptp(paths[point.name][rows][:, [0, 2]], axis=0))
            )
            * 100,
        )


def over_ground(at: FloatArray, fps: float) -> FloatArray:
    """Speed over the ground ``(F,)`` in m/s, by central differences."""
    return np.asarray(lengths(np.gradient(at[:, [0, 2]], axis=0)) * fps)


def reach(compared: Comparison) -> Iterator[Measurement]:
    """How far a foot that stands is pulled off its place, in cm: against the path the source's takes while it
    stands."""
    paths = compared.source_paths
    for contact, point, inner in _standing(compared):
        deviation = compared.target_paths[point.name][inner] - paths[point.name][inner]
        deviation = deviation[:, [0, 2]] - percentiles(deviation[:, [0, 2]].T, 50)
        yield Measurement(
            "reach", point.name, contact.first, contact.last, float(lengths(deviation).max()) * 100, 0.0, "cm"
        )


def floats(compared: Comparison) -> Iterator[Measurement]:
    """How far above the source's a foot is that stands, in cm."""
    paths = compared.source_paths
    for contact, point, inner in _standing(compared):
        high = compared.target_paths[point.name][inner, 1] - paths[point.name][inner, 1]
        yield Measurement("float", point.name, contact.first, contact.last, max(0.0, median(high)) * 100, 0.0, "cm")


def floor(compared: Comparison) -> Iterator[Measurement]:
    """How deep a point of a foot goes into the floor, in cm; the floor is the source's."""
    floor = compared.contacts.floor * compared.context.ratios.height
    for point in compared.probes.points:
        if not point.is_foot:
            continue
        depth = np.maximum(floor - compared.target_paths[point.name][:, 1], 0.0) * 100
        source = np.maximum(floor - compared.source_paths[point.name][:, 1], 0.0) * 100
        worst = worst_frame(depth - source)
        first, last = stretch_around(depth - source > max(0.1, 0.5 * float(depth[worst] - source[worst])), worst)
        yield Measurement("floor", point.name, first, last, float(depth[worst]), float(source[worst]), "cm")


def soles(compared: Comparison) -> Iterator[Measurement]:
    """How far the sole of a foot that rests is from where its source's is, in cm, in the median over the clip.

    The target's soles are the lowest points of its mesh, or as far below the feet as the figure rests. The source's are
    its heels and toes, as far below its foot joints as its mesh, its motion or its rest shows, whatever the fitting
    says of its floor: of a foot that stands on a rung with its ball, the heel hangs below it on both.
    """
    fitting, mapping = compared.fitting, compared.mapping
    feet, hips = footing(mapping), compared.context.first_drivers.get("hips")
    if hips is None or not feet or fitting.settings.height is not None:
        return
    source_sole = sole_of(
        fitting.source, fitting.source_pose, [mapping[joint].source for joint in feet], hips.source, True
    )
    if source_sole is None:
        return
    for side in SIDES:
        mine = [joint for joint in feet if str(mapping[joint].part).startswith(f"{side} ")]
        rows = np.unique(
            [
                k
                for c, point, inner in _standing(compared)
                if point.name.startswith(f"{side} ") and c.height == 0
                for k in range(inner.start, inner.stop)
            ]
        ).astype(int)
        low = _lowest(compared, mine, hips.target)
        if low is None or len(rows) < 3:
            continue
        points = [point for point in compared.probes.points if point.is_foot and point.name.startswith(f"{side} ")]
        lowest = (
            np.min([compared.tracks.path(point)[:, 1] for point in points], axis=0) + fitting.floors[0] - source_sole
        )
        off = low[rows] - compared.context.ratios.height * lowest[rows]
        worst = int(rows[worst_frame(np.abs(off))])
        yield Measurement("sole", f"{side} foot", worst, worst, abs(median(off)) * 100, 0.0, "cm", median(off))


def _lowest(compared: Comparison, feet: list[int], hips: int) -> FloatArray | None:
    """Height ``(F,)`` of the lowest point under some foot joints of the target: of its mesh, or as it rests."""
    target, motion = compared.fitting.target, compared.motion
    soles = {joint: points for joint, points in target.observed.soles.items() if joint in feet}
    lowest = lowest_of(soles, motion.rotations, motion.positions)
    if lowest is not None:
        return lowest
    height = sole_of(target, compared.fitting.target_pose, feet, hips, False) if feet else None
    return None if height is None else np.asarray(motion.positions[feet][..., 1].min(axis=0) - height)
