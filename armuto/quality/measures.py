"""What is wrong with a performance, in numbers, on source and rendition alike: the source's faults are its own."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from armuto.body.estimation import lowest_of
from armuto.body.joint_limits import ranges_of
from armuto.body.plans import SIDES
from armuto.constraints import arms as clearing
from armuto.constraints.feet import BRIDGE, EASE
from armuto.constraints.limbs import limb_chains
from armuto.constraints.limits import angles, passed
from armuto.constraints.solver import source_build
from armuto.constraints.travel import moved, path_of
from armuto.contacts.detection import contacts_in
from armuto.contacts.model import Contact, ContactSet
from armuto.contacts.points import Point, target_paths
from armuto.contacts.probes import ContactProbes, SourceTracks, contact_probes, sample_tracks
from armuto.kinematics import rotation
from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.signals import runs
from armuto.kinematics.vectors import lengths
from armuto.kinematics.world_motion import WorldMotion
from armuto.pairing.joint_mapping import JointDriver, footing
from armuto.quality.fidelity import Bodies, deviations
from armuto.retarget.context import RetargetContext
from armuto.retarget.fitting import Fitting, sole_of
from armuto.retarget.scaling import scale_path
from armuto.stance.measures import sizes

EDGE = 1  # frames at either end of a contact in which a foot still lands or already leaves
BEARS = 0.005  # of the leg: a heel or toes so much higher than the other bear the foot no more
SUDDEN = np.radians(1500.0)  # per second: a joint that turns faster has flipped, unless the source's does, too
NEARLY = 0.5  # of what the target's joint turns: so fast the source's turns, too, where it is no flip
STAYS = 0.15  # of the source's way: a body that goes no further stays in place
SHARE = 99  # of a hundred frames by which jerks are told


@dataclass(frozen=True)
class Measurement:
    """One measure: its kind, the part, the frames first to last where it holds, its size and that of the source, in
    unit."""

    kind: str
    part: str
    first: int
    last: int
    size: float
    source: float
    unit: str
    way: float = 0.0  # of a slide, in cm; of a sole, metres above the floor; of a size, the ratio itself


@dataclass(frozen=True, eq=False)
class Comparison:
    """Source and rendition side by side."""

    clip: Clip
    context: RetargetContext
    probes: ContactProbes
    tracks: SourceTracks
    contacts: ContactSet
    motion: WorldMotion

    @property
    def fitting(self) -> Fitting:
        return self.context.fitting

    @property
    def mapping(self) -> Mapping[int, JointDriver]:
        return self.context.mapping

    @cached_property
    def target_paths(self) -> dict[str, FloatArray]:
        """Of the target's points, over time."""
        return target_paths(self.motion, self.probes.points)

    @cached_property
    def source_paths(self) -> dict[str, FloatArray]:
        """Of the source's points, in the target's size and facing."""
        scale = self.context.ratios.of_places()
        return {
            point.name: rotation.rotate(self.fitting.turn, self.tracks.path(point)) * scale
            for point in self.probes.points
        }


def compare(clip: Clip, rendition: Clip, fitting: Fitting, contacts: ContactSet | None = None) -> Comparison:
    """contacts: that the rendition was made with; else they are looked for."""
    context = RetargetContext(fitting)
    probes = contact_probes(context)
    tracks = sample_tracks(clip, sorted({*probes.joints, *(driver.source for driver in context.mapping.values())}))
    if contacts is None:
        contacts = contacts_in(tracks, probes, context, clip)
    compared = Comparison(clip, context, probes, tracks, contacts, WorldMotion.of_clip(rendition))
    _as_recorded(compared)
    return compared


def _as_recorded(compared: Comparison) -> None:
    """Put back the travel that was taken out, and stand the body where it was recorded: what was done on purpose is no
    fault.

    A rendition that stays in place where its source travels is taken to have been made so.
    """
    fitting, motion = compared.fitting, compared.motion
    hips = compared.context.hips
    if hips is None or motion.frames < 2:
        return
    settings = fitting.settings.travel
    source_stand, target_stand = compared.context.standing
    there = compared.mapping[hips].source
    away = rotation.rotate(fitting.turn, compared.tracks.positions[there] - source_stand[there])
    wanted = target_stand[hips] + scale_path(away, compared.context.ratios, motion.fps)
    at = motion.positions[hips]
    far, own = (float(np.linalg.norm(np.ptp(path[:, [0, 2]], axis=0))) for path in (wanted, at))
    in_place = settings.mode == "in place" or (far > 0.5 * fitting.scale and own < STAYS * far)
    if not in_place and settings.place == "recorded":
        return
    back = rotation.inverse(fitting.target_pose.rotations[hips])
    turns = rotation.multiply(motion.rotations[hips], back), rotation.multiply(_turned_as_source(compared)[hips], back)
    here, expected = (path_of(at, turn, fitting.forward, motion.fps, settings.smoothing).heading for turn in turns)
    off = (expected - here + np.pi) % (2 * np.pi) - np.pi
    if not (in_place and settings.heading):
        off = np.full(motion.frames, np.arctan2(np.sin(off).mean(), np.cos(off).mean()))
    shift = (wanted - at) * [1.0, float(in_place and settings.up), 1.0]
    moved(motion, at.copy(), off, shift)


def measure(
    clip: Clip, rendition: Clip, fitting: Fitting, contacts: ContactSet | None = None
) -> tuple[Measurement, ...]:
    """Everything that can be measured, whatever its size, in the order of :data:`MEASURES`."""
    compared = compare(clip, rendition, fitting, contacts)
    return tuple(measurement for measured in MEASURES for measurement in measured(compared))


def _standing(compared: Comparison) -> Iterator[tuple[Contact, Point, slice]]:
    by_name = {point.name: point for point in compared.probes.points}
    for contact in compared.contacts.contacts:
        point = by_name.get(contact.point)
        inner = slice(contact.first + EDGE, contact.last + 1 - EDGE)
        if point is not None and point.is_foot and not contact.to and inner.stop - inner.start >= 3:
            yield contact, point, inner


def _slides(compared: Comparison) -> Iterator[Measurement]:
    """How fast a foot slides while it stands: in cm/s, the 90th of a hundred frames of each contact; its way in cm.

    A heel that leaves the floor while its toes stand does not slide, however it swings about them: only frames count in
    which the source's point bears the foot.
    """
    fps, paths = compared.clip.fps, compared.source_paths
    speed: dict[str, tuple[FloatArray, FloatArray, FloatArray]] = {}
    for contact, point, inner in _standing(compared):
        if point.name not in speed:
            here = compared.target_paths[point.name]
            speed[point.name] = here, over_ground(here, fps), over_ground(paths[point.name], fps)
        here, own, source = speed[point.name]
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
            float(np.percentile(own[rows], 90)) * 100,
            float(np.percentile(source[rows], 90)) * 100,
            "cm/s",
            float(
                np.linalg.norm(np.ptp(here[rows][:, [0, 2]], axis=0))
                - np.linalg.norm(np.ptp(paths[point.name][rows][:, [0, 2]], axis=0))
            )
            * 100,
        )


def over_ground(at: FloatArray, fps: float) -> FloatArray:
    """Speed over the ground ``(F,)`` in m/s, by central differences."""
    return np.asarray(lengths(np.gradient(at[:, [0, 2]], axis=0)) * fps)


def _reach(compared: Comparison) -> Iterator[Measurement]:
    """How far a foot that stands is pulled off its place, in cm: against the path the source's takes while it
    stands."""
    paths = compared.source_paths
    for contact, point, inner in _standing(compared):
        apart = compared.target_paths[point.name][inner] - paths[point.name][inner]
        apart = apart[:, [0, 2]] - np.median(apart[:, [0, 2]], axis=0)
        yield Measurement(
            "reach", point.name, contact.first, contact.last, float(lengths(apart).max()) * 100, 0.0, "cm"
        )


def _floats(compared: Comparison) -> Iterator[Measurement]:
    """How far above the source's a foot is that stands, in cm."""
    paths = compared.source_paths
    for contact, point, inner in _standing(compared):
        high = compared.target_paths[point.name][inner, 1] - paths[point.name][inner, 1]
        yield Measurement(
            "float", point.name, contact.first, contact.last, max(0.0, float(np.median(high))) * 100, 0.0, "cm"
        )


def _floor(compared: Comparison) -> Iterator[Measurement]:
    """How deep a point of a foot goes into the floor, in cm; the floor is the source's."""
    floor = compared.contacts.floor * compared.context.ratios.height
    for point in compared.probes.points:
        if not point.is_foot:
            continue
        own = np.maximum(floor - compared.target_paths[point.name][:, 1], 0.0) * 100
        source = np.maximum(floor - compared.source_paths[point.name][:, 1], 0.0) * 100
        worst = int(np.argmax(own - source))
        first, last = _around(own - source > max(0.1, 0.5 * float(own[worst] - source[worst])), worst)
        yield Measurement("floor", point.name, first, last, float(own[worst]), float(source[worst]), "cm")


def _soles(compared: Comparison) -> Iterator[Measurement]:
    """How far the sole of a foot that rests is from where its source's is, in cm, in the median over the clip.

    The target's soles are the lowest points of its mesh, or as far below the feet as the figure rests. The source's are
    its heels and toes, as far below its foot joints as its mesh, its motion or its rest shows, whatever the fitting
    says of its floor: of a foot that stands on a rung with its ball, the heel hangs below it on both.
    """
    fitting, mapping = compared.fitting, compared.mapping
    feet, hips = footing(mapping), compared.context.first_drivers.get("hips")
    if hips is None or not feet or fitting.settings.height is not None:
        return
    own = sole_of(fitting.source, fitting.source_pose, [mapping[joint].source for joint in feet], hips.source, True)
    if own is None:
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
        there = np.min([compared.tracks.path(point)[:, 1] for point in points], axis=0) + fitting.floors[0] - own
        off = low[rows] - compared.context.ratios.height * there[rows]
        worst = int(rows[np.argmax(np.abs(off))])
        yield Measurement(
            "sole", f"{side} foot", worst, worst, abs(float(np.median(off))) * 100, 0.0, "cm", float(np.median(off))
        )


def _lowest(compared: Comparison, feet: list[int], hips: int) -> FloatArray | None:
    """Height ``(F,)`` of the lowest point under some foot joints of the target: of its mesh, or as it rests."""
    target, motion = compared.fitting.target, compared.motion
    soles = {joint: points for joint, points in target.observed.soles.items() if joint in feet}
    lowest = lowest_of(soles, motion.rotations, motion.positions)
    if lowest is not None:
        return lowest
    height = sole_of(target, compared.fitting.target_pose, feet, hips, False) if feet else None
    return None if height is None else np.asarray(motion.positions[feet][..., 1].min(axis=0) - height)


def _sizes(compared: Comparison) -> Iterator[Measurement]:
    """By how much the hips move more or less than the legs are long, as a ratio of at least 1."""
    fitting = compared.fitting
    legs = sizes(compared.mapping, fitting.target, fitting.plan).legs
    if legs and fitting.settings.stride is None and fitting.settings.path != "absolute":
        off = fitting.scale / legs
        yield Measurement("size", "hips", 0, compared.clip.frames - 1, max(off, 1 / off), 1.0, "times", off)


def _flips(compared: Comparison) -> Iterator[Measurement]:
    """Joints that turn over from one frame to the next while those that lead them do not: degrees in that frame."""
    target, motion = compared.fitting.target, compared.motion
    for joint, driver in compared.mapping.items():
        above = int(target.parents[joint])
        own = _steps(motion.rotations[joint], motion.rotations[above] if above >= 0 else None)
        if not len(own):
            continue
        worst = int(np.argmax(own))
        if own[worst] * compared.clip.fps < SUDDEN:
            continue
        source = compared.clip.rotations[:, driver.source]
        there = float(_steps(source, None)[worst])
        if there < NEARLY * own[worst]:
            yield Measurement(
                "flip",
                driver.part or target.names[joint],
                worst,
                worst + 1,
                float(np.degrees(own[worst])),
                float(np.degrees(there)),
                "°",
            )


def _steps(turns: FloatArray, above: FloatArray | None) -> FloatArray:
    """Angle from each frame to the next, against the joint above: ``(F − 1,)`` in radians."""
    own = turns if above is None else rotation.multiply(rotation.inverse(above), turns)
    return np.asarray(rotation.angle(rotation.multiply(rotation.inverse(own[:-1]), own[1:])))


def _jerks(compared: Comparison) -> Iterator[Measurement]:
    """How hard joints are accelerated against the source's, as a ratio, at the 99th of a hundred frames."""
    scale, fps = compared.fitting.scale, compared.clip.fps
    if compared.clip.frames < 5:
        return
    alike = {joint: driver for joint, driver in compared.mapping.items() if not driver.resampled and driver.share == 0}
    hard = {
        joint: accelerations(compared.tracks.positions[driver.source], fps) * scale for joint, driver in alike.items()
    }
    usual = float(np.median([np.percentile(measurement, SHARE) for measurement in hard.values()])) if hard else 0.0
    for joint, driver in alike.items():
        own = accelerations(compared.motion.positions[joint], fps)
        there = max(float(np.percentile(hard[joint], SHARE)), usual, 0.5 * scale)
        here = float(np.percentile(own, SHARE))
        worst = int(np.argmax(own)) + 1
        yield Measurement(
            "jerk", driver.part or compared.fitting.target.names[joint], worst, worst, here / there, 1.0, "times"
        )


def accelerations(at: FloatArray, fps: float) -> FloatArray:
    """Second differences of positions ``(F, 3)``: ``(F − 2,)`` in m/s²."""
    return np.asarray(lengths(np.diff(at, 2, axis=0)) * fps**2)


def _limits(compared: Comparison) -> Iterator[Measurement]:
    """How far joints bend beyond their limits, in degrees, and how far they do where they turn as the source does."""
    fitting = compared.fitting
    ranges = ranges_of(fitting.plan, fitting.ranges)
    if not ranges:
        return
    body = fitting.joint_frames
    own = passed(angles(compared.motion.rotations, body), body, ranges)
    source = passed(angles(_turned_as_source(compared), body), body, ranges)
    for part, over in own.items():
        worst = int(np.argmax(over))
        if over[worst] > 0:
            first, last = _around(over > 0, worst)
            yield Measurement("limit", part, first, last, float(over[worst]), float(source[part][worst]), "°")


def _turned_as_source(compared: Comparison) -> FloatArray:
    """World rotations ``(J, F, 4)`` of the target's led joints, turned from the stance just as the source's are."""
    fitting = compared.fitting
    stance, back = fitting.target_pose.rotations, rotation.inverse(fitting.source_pose.rotations)
    out = compared.motion.rotations.copy()
    for joint, driver in compared.mapping.items():
        turn = rotation.multiply(compared.tracks.rotations[driver.source], back[driver.source])
        turn = rotation.multiply(rotation.multiply(fitting.turn, turn), rotation.inverse(fitting.turn))
        out[joint] = rotation.multiply(turn, stance[joint])
    return out


def _clipping(compared: Comparison) -> Iterator[Measurement]:
    """How deep forearms and hands are in trunk and thighs, in cm, and how deep they would be on the source's build."""
    arms = {
        limb: measurement for limb, measurement in limb_chains(compared.context).items() if not _is_leg(compared, limb)
    }
    bulk = clearing.body_volume(compared.context, arms)
    if not bulk.trunk:
        return
    there = source_build(compared.motion, compared.tracks, compared.context)
    for limb in arms:
        if not bulk.arms.get(limb):
            continue
        own = np.maximum(clearing.penetration(compared.motion, bulk, limb)[0], 0.0) * 100
        source = np.maximum(clearing.penetration(compared.motion, bulk, limb, there)[0], 0.0) * 100
        worst = int(np.argmax(own - source))
        first, last = _around(own - source > max(0.1, 0.5 * float(own[worst] - source[worst])), worst)
        yield Measurement("clipping", limb, first, last, float(own[worst]), float(source[worst]), "cm")


def _is_leg(compared: Comparison, limb: str) -> bool:
    return any(point.limb == limb and point.is_foot for point in compared.probes.points)


def _seam(compared: Comparison) -> Iterator[Measurement]:
    """Of a clip that loops: degrees between the last pose and the first, at the joint where it is most."""
    if compared.clip.loop is None:
        return
    worst = (0.0, 0.0, "")
    for joint, driver in compared.mapping.items():
        above = int(compared.fitting.target.parents[joint])
        if above < 0:
            continue
        own = rotation.multiply(rotation.inverse(compared.motion.rotations[above]), compared.motion.rotations[joint])[
            [0, -1]
        ]
        there = compared.clip.rotations[[0, -1], driver.source]
        here = float(np.degrees(_steps(own, None)[0]))
        if here > worst[0]:
            worst = here, float(np.degrees(_steps(there, None)[0])), driver.part or compared.fitting.target.names[joint]
    last = compared.clip.frames - 1
    yield Measurement("seam", worst[2], last, last, worst[0], worst[1], "°")


def _fidelity(compared: Comparison) -> Iterator[Measurement]:
    """Whether the body stands, faces and moves as the source's (:mod:`armuto.quality.fidelity`)."""
    last = compared.clip.frames - 1
    for deviation in deviations(
        Bodies(
            compared.fitting, compared.mapping, compared.tracks.positions, compared.motion.positions, _held(compared)
        )
    ):
        first, until = 0, last
        if deviation.over_time is not None and len(deviation.over_time) and float(deviation.over_time.max()) > 0:
            worst = int(np.argmax(deviation.over_time))
            first, until = _around(deviation.over_time > 0.5 * deviation.over_time[worst], worst)
        yield Measurement(
            deviation.kind, deviation.part, first, until, deviation.size, deviation.source, deviation.unit
        )


def _held(compared: Comparison) -> dict[str, BoolArray]:
    """By limb the frames ``(F,)`` in which a hand keeps its place to something, or goes to or from it: its arm
    reaches."""
    ease, by_name = round(EASE * compared.clip.fps), {point.name: point for point in compared.probes.points}
    out: dict[str, BoolArray] = {}
    for contact in compared.contacts.contacts:
        for name in (contact.point, contact.to):
            point = by_name.get(name)
            if point is not None and not point.is_foot:
                frames = out.setdefault(point.limb, np.zeros(compared.clip.frames, bool))
                frames[max(0, contact.first - ease) : contact.last + ease + 1] = True
    for frames in out.values():
        for (_, before), (after, _) in itertools.pairwise(runs(frames)):
            if after - before <= BRIDGE * compared.clip.fps:
                frames[before:after] = True
    return out


def _around(over: np.ndarray, frame: int) -> tuple[int, int]:
    """The stretch of True that holds a frame, or the frame itself."""
    return next((run for run in runs(over) if run[0] <= frame <= run[1]), (frame, frame))


MEASURES: tuple[Callable[[Comparison], Iterator[Measurement]], ...] = (
    _slides,
    _reach,
    _floats,
    _floor,
    _soles,
    _sizes,
    _clipping,
    _flips,
    _jerks,
    _limits,
    _seam,
    _fidelity,
)
