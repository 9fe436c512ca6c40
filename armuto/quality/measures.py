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
from armuto.constraints.limbs import limbs
from armuto.constraints.limits import angles, passed
from armuto.constraints.solver import as_source, ratios, travelled
from armuto.constraints.travel import moved, path_of
from armuto.contacts.detection import BoolArray
from armuto.contacts.model import Contact
from armuto.contacts.points import Point, target_paths
from armuto.contacts.probes import Ear, Found, Sound, ear, found_in, listen
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.loop import loops
from armuto.kinematics.signals import runs
from armuto.kinematics.vectors import lengths
from armuto.kinematics.world_motion import Moving
from armuto.pairing.joint_mapping import Lead, first_leads, footing
from armuto.quality.fidelity import Bodies, deviations
from armuto.retarget.fitting import Fitting, sole_of
from armuto.retarget.grounding import standing_places
from armuto.stance.measures import sizes

EDGE = 1  # frames at either end of a contact in which a foot still lands or already leaves
BEARS = 0.005  # of the leg: a heel or toes so much higher than the other bear the foot no more
SUDDEN = np.radians(1500.0)  # per second: a joint that turns faster has flipped, unless the source's does, too
NEARLY = 0.5  # of what the target's joint turns: so fast the source's turns, too, where it is no flip
STAYS = 0.15  # of the source's way: a body that goes no further stays in place
SHARE = 99  # of a hundred frames by which jerks are told


@dataclass(frozen=True)
class Measured:
    """One measure: its kind, the part, the frames first to last where it holds, its size and that of the source, in unit."""

    kind: str
    part: str
    first: int
    last: int
    size: float
    source: float
    unit: str
    way: float = 0.0  # of a slide, in cm; of a sole, metres above the floor; of a size, the ratio itself


@dataclass(frozen=True)
class Bench:
    """Source and rendition side by side."""

    clip: Clip
    fitting: Fitting
    led: Mapping[int, Lead]
    heard: Ear
    sound: Sound
    found: Found
    moving: Moving

    @cached_property
    def places(self) -> dict[str, FloatArray]:
        """Of the target's points, over time."""
        return target_paths(self.moving, self.heard.points)

    @cached_property
    def paths(self) -> dict[str, FloatArray]:
        """Of the source's points, in the target's size and facing."""
        scale = ratios(self.fitting).of_places()
        return {p.name: rotation.rotate(self.fitting.turn, self.sound.path(p)) * scale for p in self.heard.points}


def bench_of(clip: Clip, rendition: Clip, fitting: Fitting, found: Found | None = None) -> Bench:
    """found: the contacts that the rendition was made with; else they are looked for."""
    led = fitting.leads()
    heard = ear(fitting, led)
    sound = listen(clip, sorted({*heard.joints, *(lead.a for lead in led.values())}))
    if found is None:
        found = found_in(sound, heard, fitting, clip) if heard.leg > 0 and clip.frames > 2 else Found((), 0.0)
    world = rendition.world()
    turns = np.ascontiguousarray(np.moveaxis(world.rotations, 1, 0))
    places = np.ascontiguousarray(np.moveaxis(world.positions, 1, 0))
    moving = Moving(rendition.skeleton, turns, places, rendition.fps)
    bench = Bench(clip, fitting, led, heard, sound, found, moving)
    _as_recorded(bench)
    return bench


def _as_recorded(bench: Bench) -> None:
    """Put back the travel that was taken out, and stand the body where it was recorded: what was done on purpose is no fault.

    A rendition that stays in place where its source travels is taken to have been made so.
    """
    fitting, moving = bench.fitting, bench.moving
    hips = next((joint for joint, lead in bench.led.items() if lead.part == "hips"), None)
    if hips is None or moving.frames < 2:
        return
    said = fitting.settings.travel
    source_stand, target_stand = standing_places(fitting, bench.led)
    there = bench.led[hips].a
    away = rotation.rotate(fitting.turn, bench.sound.positions[there] - source_stand[there])
    wanted = target_stand[hips] + travelled(away, ratios(fitting), moving.fps)
    at = moving.positions[hips]
    far, own = (float(np.linalg.norm(np.ptp(path[:, [0, 2]], axis=0))) for path in (wanted, at))
    in_place = said.mode == "in place" or (far > 0.5 * fitting.scale and own < STAYS * far)
    if not in_place and said.place == "recorded":
        return
    back = rotation.inverse(fitting.target_pose.rotations[hips])
    turns = rotation.multiply(moving.rotations[hips], back), rotation.multiply(_turned_as_source(bench)[hips], back)
    here, expected = (path_of(at, turn, fitting.forward, moving.fps, said.smoothing).heading for turn in turns)
    off = (expected - here + np.pi) % (2 * np.pi) - np.pi
    if not (in_place and said.heading):
        off = np.full(moving.frames, np.arctan2(np.sin(off).mean(), np.cos(off).mean()))
    shift = (wanted - at) * [1.0, float(in_place and said.up), 1.0]
    moved(moving, at.copy(), off, shift)


def measure(clip: Clip, rendition: Clip, fitting: Fitting, found: Found | None = None) -> tuple[Measured, ...]:
    """Everything that can be measured, whatever its size, in the order of :data:`MEASURES`."""
    bench = bench_of(clip, rendition, fitting, found)
    return tuple(one for measured in MEASURES for one in measured(bench))


def _standing(bench: Bench) -> Iterator[tuple[Contact, Point, slice]]:
    by_name = {point.name: point for point in bench.heard.points}
    for contact in bench.found.contacts:
        point = by_name.get(contact.point)
        inner = slice(contact.first + EDGE, contact.last + 1 - EDGE)
        if point is not None and point.is_foot and not contact.to and inner.stop - inner.start >= 3:
            yield contact, point, inner


def _slides(bench: Bench) -> Iterator[Measured]:
    """How fast a foot slides while it stands: in cm/s, the 90th of a hundred frames of each contact; its way in cm.

    A heel that leaves the floor while its toes stand does not slide, however it swings about them: only frames count in which
    the source's point bears the foot.
    """
    fps, paths = bench.clip.fps, bench.paths
    speed: dict[str, tuple[FloatArray, FloatArray, FloatArray]] = {}
    for contact, point, inner in _standing(bench):
        if point.name not in speed:
            here = bench.places[point.name]
            speed[point.name] = here, over_ground(here, fps), over_ground(paths[point.name], fps)
        here, own, source = speed[point.name]
        foot = [paths[other.name][inner, 1] for other in bench.heard.points if other.limb == point.limb]
        bears = (
            paths[point.name][inner, 1] - np.min(foot, axis=0) < BEARS * bench.heard.leg * ratios(bench.fitting).height
        )
        rows = np.arange(inner.start, inner.stop)[bears]
        if len(rows) < 3:
            continue
        yield Measured(
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


def _reach(bench: Bench) -> Iterator[Measured]:
    """How far a foot that stands is pulled off its place, in cm: against the path the source's takes while it stands."""
    paths = bench.paths
    for contact, point, inner in _standing(bench):
        apart = bench.places[point.name][inner] - paths[point.name][inner]
        apart = apart[:, [0, 2]] - np.median(apart[:, [0, 2]], axis=0)
        yield Measured("reach", point.name, contact.first, contact.last, float(lengths(apart).max()) * 100, 0.0, "cm")


def _floats(bench: Bench) -> Iterator[Measured]:
    """How far above the source's a foot is that stands, in cm."""
    paths = bench.paths
    for contact, point, inner in _standing(bench):
        high = bench.places[point.name][inner, 1] - paths[point.name][inner, 1]
        yield Measured(
            "float", point.name, contact.first, contact.last, max(0.0, float(np.median(high))) * 100, 0.0, "cm"
        )


def _floor(bench: Bench) -> Iterator[Measured]:
    """How deep a point of a foot goes into the floor, in cm; the floor is the source's."""
    floor = bench.found.floor * ratios(bench.fitting).height
    for point in bench.heard.points:
        if not point.is_foot:
            continue
        own = np.maximum(floor - bench.places[point.name][:, 1], 0.0) * 100
        source = np.maximum(floor - bench.paths[point.name][:, 1], 0.0) * 100
        worst = int(np.argmax(own - source))
        first, last = _around(own - source > max(0.1, 0.5 * float(own[worst] - source[worst])), worst)
        yield Measured("floor", point.name, first, last, float(own[worst]), float(source[worst]), "cm")


def _soles(bench: Bench) -> Iterator[Measured]:
    """How far the sole of a foot that rests is from where its source's is, in cm, in the median over the clip.

    The target's soles are the lowest points of its mesh, or as far below the feet as the figure rests. The source's are its
    heels and toes, as far below its foot joints as its mesh, its motion or its rest shows, whatever the fitting says of its
    floor: of a foot that stands on a rung with its ball, the heel hangs below it on both.
    """
    fitting, led = bench.fitting, bench.led
    feet, hips = footing(led), first_leads(led).get("hips")
    if hips is None or not feet or fitting.settings.height is not None:
        return
    own = sole_of(fitting.source, fitting.source_pose, [led[joint].a for joint in feet], hips.a, True)
    if own is None:
        return
    for side in SIDES:
        mine = [joint for joint in feet if str(led[joint].part).startswith(f"{side} ")]
        rows = np.unique(
            [
                k
                for c, point, inner in _standing(bench)
                if point.name.startswith(f"{side} ") and c.height == 0
                for k in range(inner.start, inner.stop)
            ]
        ).astype(int)
        low = _lowest(bench, mine, hips.target)
        if low is None or len(rows) < 3:
            continue
        points = [point for point in bench.heard.points if point.is_foot and point.name.startswith(f"{side} ")]
        there = np.min([bench.sound.path(point)[:, 1] for point in points], axis=0) + fitting.floors[0] - own
        off = low[rows] - ratios(fitting).height * there[rows]
        worst = int(rows[np.argmax(np.abs(off))])
        yield Measured(
            "sole", f"{side} foot", worst, worst, abs(float(np.median(off))) * 100, 0.0, "cm", float(np.median(off))
        )


def _lowest(bench: Bench, feet: list[int], hips: int) -> FloatArray | None:
    """Height ``(F,)`` of the lowest point under some foot joints of the target: of its mesh, or as it rests."""
    target, moving = bench.fitting.target, bench.moving
    soles = {joint: points for joint, points in target.observed.soles.items() if joint in feet}
    lowest = lowest_of(soles, moving.rotations, moving.positions)
    if lowest is not None:
        return lowest
    height = sole_of(target, bench.fitting.target_pose, feet, hips, False) if feet else None
    return None if height is None else np.asarray(moving.positions[feet][..., 1].min(axis=0) - height)


def _sizes(bench: Bench) -> Iterator[Measured]:
    """By how much the hips move more or less than the legs are long, as a ratio of at least 1."""
    fitting = bench.fitting
    legs = sizes(bench.led, fitting.target, fitting.plan).legs
    if legs and fitting.settings.stride is None and fitting.settings.path != "absolute":
        off = fitting.scale / legs
        yield Measured("size", "hips", 0, bench.clip.frames - 1, max(off, 1 / off), 1.0, "times", off)


def _flips(bench: Bench) -> Iterator[Measured]:
    """Joints that turn over from one frame to the next while those that lead them do not: degrees in that frame."""
    target, moving = bench.fitting.target, bench.moving
    for joint, lead in bench.led.items():
        above = int(target.parents[joint])
        own = _steps(moving.rotations[joint], moving.rotations[above] if above >= 0 else None)
        if not len(own):
            continue
        worst = int(np.argmax(own))
        if own[worst] * bench.clip.fps < SUDDEN:
            continue
        source = bench.clip.rotations[:, lead.a]
        there = float(_steps(source, None)[worst])
        if there < NEARLY * own[worst]:
            yield Measured(
                "flip",
                lead.part or target.names[joint],
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


def _jerks(bench: Bench) -> Iterator[Measured]:
    """How hard joints are accelerated against the source's, as a ratio, at the 99th of a hundred frames."""
    scale, fps = bench.fitting.scale, bench.clip.fps
    if bench.clip.frames < 5:
        return
    alike = {joint: lead for joint, lead in bench.led.items() if not lead.spread and lead.share == 0}
    hard = {joint: accelerations(bench.sound.positions[lead.a], fps) * scale for joint, lead in alike.items()}
    usual = float(np.median([np.percentile(one, SHARE) for one in hard.values()])) if hard else 0.0
    for joint, lead in alike.items():
        own = accelerations(bench.moving.positions[joint], fps)
        there = max(float(np.percentile(hard[joint], SHARE)), usual, 0.5 * scale)
        here = float(np.percentile(own, SHARE))
        worst = int(np.argmax(own)) + 1
        yield Measured("jerk", lead.part or bench.fitting.target.names[joint], worst, worst, here / there, 1.0, "times")


def accelerations(at: FloatArray, fps: float) -> FloatArray:
    """Second differences of positions ``(F, 3)``: ``(F − 2,)`` in m/s²."""
    return np.asarray(lengths(np.diff(at, 2, axis=0)) * fps**2)


def _limits(bench: Bench) -> Iterator[Measured]:
    """How far joints bend beyond their limits, in degrees, and how far they do where they turn as the source does."""
    fitting = bench.fitting
    ranges = ranges_of(fitting.plan, fitting.ranges)
    if not ranges:
        return
    body = fitting.anatomy
    own = passed(angles(bench.moving.rotations, body), body, ranges)
    source = passed(angles(_turned_as_source(bench), body), body, ranges)
    for part, over in own.items():
        worst = int(np.argmax(over))
        if over[worst] > 0:
            first, last = _around(over > 0, worst)
            yield Measured("limit", part, first, last, float(over[worst]), float(source[part][worst]), "°")


def _turned_as_source(bench: Bench) -> FloatArray:
    """World rotations ``(J, F, 4)`` of the target's led joints, turned from the stance just as the source's are."""
    fitting = bench.fitting
    stance, back = fitting.target_pose.rotations, rotation.inverse(fitting.source_pose.rotations)
    out = bench.moving.rotations.copy()
    for joint, lead in bench.led.items():
        turn = rotation.multiply(bench.sound.rotations[lead.a], back[lead.a])
        turn = rotation.multiply(rotation.multiply(fitting.turn, turn), rotation.inverse(fitting.turn))
        out[joint] = rotation.multiply(turn, stance[joint])
    return out


def _clipping(bench: Bench) -> Iterator[Measured]:
    """How deep forearms and hands are in trunk and thighs, in cm, and how deep they would be on the source's build."""
    arms = {limb: one for limb, one in limbs(bench.fitting, bench.led).items() if not _is_leg(bench, limb)}
    bulk = clearing.bulk_of(bench.fitting, bench.led, arms)
    if not bulk.trunk:
        return
    there = as_source(bench.moving, bench.sound, bench.fitting, bench.led)
    for limb in arms:
        if not bulk.arms.get(limb):
            continue
        own = np.maximum(clearing.clipping(bench.moving, bulk, limb)[0], 0.0) * 100
        source = np.maximum(clearing.clipping(bench.moving, bulk, limb, there)[0], 0.0) * 100
        worst = int(np.argmax(own - source))
        first, last = _around(own - source > max(0.1, 0.5 * float(own[worst] - source[worst])), worst)
        yield Measured("clipping", limb, first, last, float(own[worst]), float(source[worst]), "cm")


def _is_leg(bench: Bench, limb: str) -> bool:
    return any(point.limb == limb and point.is_foot for point in bench.heard.points)


def _seam(bench: Bench) -> Iterator[Measured]:
    """Of a clip that loops: degrees between the last pose and the first, at the joint where it is most."""
    if not loops(bench.clip):
        return
    worst = (0.0, 0.0, "")
    for joint, lead in bench.led.items():
        above = int(bench.fitting.target.parents[joint])
        if above < 0:
            continue
        own = rotation.multiply(rotation.inverse(bench.moving.rotations[above]), bench.moving.rotations[joint])[[0, -1]]
        there = bench.clip.rotations[[0, -1], lead.a]
        here = float(np.degrees(_steps(own, None)[0]))
        if here > worst[0]:
            worst = here, float(np.degrees(_steps(there, None)[0])), lead.part or bench.fitting.target.names[joint]
    last = bench.clip.frames - 1
    yield Measured("seam", worst[2], last, last, worst[0], worst[1], "°")


def _fidelity(bench: Bench) -> Iterator[Measured]:
    """Whether the body stands, faces and moves as the source's (:mod:`armuto.quality.fidelity`)."""
    last = bench.clip.frames - 1
    for one in deviations(
        Bodies(bench.fitting, bench.led, bench.sound.positions, bench.moving.positions, _held(bench))
    ):
        first, until = 0, last
        if one.over_time is not None and len(one.over_time) and float(one.over_time.max()) > 0:
            worst = int(np.argmax(one.over_time))
            first, until = _around(one.over_time > 0.5 * one.over_time[worst], worst)
        yield Measured(one.kind, one.part, first, until, one.size, one.source, one.unit)


def _held(bench: Bench) -> dict[str, BoolArray]:
    """By limb the frames ``(F,)`` in which a hand keeps its place to something, or goes to or from it: its arm reaches."""
    ease, by_name = round(EASE * bench.clip.fps), {point.name: point for point in bench.heard.points}
    out: dict[str, BoolArray] = {}
    for contact in bench.found.contacts:
        for name in (contact.point, contact.to):
            point = by_name.get(name)
            if point is not None and not point.is_foot:
                frames = out.setdefault(point.limb, np.zeros(bench.clip.frames, bool))
                frames[max(0, contact.first - ease) : contact.last + ease + 1] = True
    for frames in out.values():
        for (_, before), (after, _) in itertools.pairwise(runs(frames)):
            if after - before <= BRIDGE * bench.clip.fps:
                frames[before:after] = True
    return out


def _around(over: np.ndarray, frame: int) -> tuple[int, int]:
    """The stretch of True that holds a frame, or the frame itself."""
    return next((run for run in runs(over) if run[0] <= frame <= run[1]), (frame, frame))


MEASURES: tuple[Callable[[Bench], Iterator[Measured]], ...] = (
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
