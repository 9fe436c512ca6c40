"""What is wrong with a performance, in numbers, on source and rendition alike: the source's faults are its own."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator

import numpy as np

from armuto.body.joint_limits import ranges_of
from armuto.constraints import arms as clearing
from armuto.constraints.feet import BRIDGE, EASE
from armuto.constraints.limbs import limb_chains
from armuto.constraints.limits import violations
from armuto.constraints.solver import source_build
from armuto.contacts.model import ContactSet
from armuto.kinematics import rotation
from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.signals import runs
from armuto.kinematics.statistics import median, percentiles
from armuto.pipeline import RetargetTrace
from armuto.quality.bodies import Bodies
from armuto.quality.comparison import Comparison, Measurement, compare, stretch_around, turned_as_source, worst_frame
from armuto.quality.feet import floats, floor, reach, slides, soles
from armuto.quality.fidelity import deviations
from armuto.retarget.fitting import Fitting
from armuto.stance.measures import sizes

SUDDEN = np.radians(1500.0)  # per second: a joint that turns faster has flipped, unless the source's does, too
NEARLY = 0.5  # of what the target's joint turns: so fast the source's turns, too, where it is no flip
ROUNDING = 1e-6  # degrees: a joint that was brought back onto its limit is not beyond it
SHARE = 99  # of a hundred frames by which jerks are told


def measure(
    clip: Clip,
    rendition: Clip,
    fitting: Fitting,
    contacts: ContactSet | None = None,
    trace: RetargetTrace | None = None,
) -> tuple[Measurement, ...]:
    """Everything that can be measured, whatever its size, in the order of :data:`MEASURES`. contacts, trace: of the
    transfer that made the rendition, where they are at hand."""
    compared = compare(clip, rendition, fitting, contacts, trace)
    return tuple(measurement for measured in MEASURES for measurement in measured(compared))


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
    if motion.frames < 2:
        return
    slow = np.cos(min(SUDDEN / compared.clip.fps, np.pi) / 2) + 1e-12
    still = np.broadcast_to(rotation.IDENTITY, motion.rotations[0].shape)
    for joint, driver in compared.mapping.items():
        above = int(target.parents[joint])
        turns = motion.rotations[joint]
        # Most never turn so fast, which shows without an arc tangent in every frame.
        if rotation.kernels.least_cosine(motion.rotations[above] if above >= 0 else still, turns) > slow:
            continue
        steps = _steps(turns, motion.rotations[above] if above >= 0 else None)
        worst = worst_frame(steps)
        if steps[worst] * compared.clip.fps < SUDDEN:
            continue
        source = compared.clip.rotations[worst : worst + 2, driver.source]
        source_steps = float(_steps(source, None)[0])
        if source_steps < NEARLY * steps[worst]:
            yield Measurement(
                "flip",
                driver.part or target.names[joint],
                worst,
                worst + 1,
                float(np.degrees(steps[worst])),
                float(np.degrees(source_steps)),
                "°",
            )


def _steps(turns: FloatArray, above: FloatArray | None) -> FloatArray:
    """Angle from each frame to the next, against the joint above: ``(F − 1,)`` in radians."""
    relative = turns if above is None else rotation.against(above, turns)
    return rotation.angle_apart(relative[:-1], relative[1:])


def _jerks(compared: Comparison) -> Iterator[Measurement]:
    """How hard joints are accelerated against the source's, as a ratio, at the 99th of a hundred frames."""
    scale, fps = compared.fitting.scale, compared.clip.fps
    if compared.clip.frames < 5:
        return
    alike = {joint: driver for joint, driver in compared.mapping.items() if not driver.resampled and driver.share == 0}
    if not alike:
        return
    sources = np.stack([compared.tracks.positions[driver.source] for driver in alike.values()])
    hard = percentiles(accelerations(sources, fps) * scale, SHARE)
    own = accelerations(compared.motion.positions[list(alike)], fps)
    least = max(median(hard), 0.5 * scale)
    for driver, joint, source, target, worst in zip(
        alike.values(), alike, hard, percentiles(own, SHARE), np.argmax(np.round(own, 9), axis=1) + 1, strict=True
    ):
        part = driver.part or compared.fitting.target.names[joint]
        yield Measurement("jerk", part, int(worst), int(worst), float(target / max(source, least)), 1.0, "times")


def accelerations(at: FloatArray, fps: float) -> FloatArray:
    """Second differences of positions ``(..., F, 3)``: ``(..., F − 2)`` in m/s²."""
    return np.asarray(rotation.kernels.second_difference(at[..., :-2, :], at[..., 1:-1, :], at[..., 2:, :]) * fps**2)


def _limits(compared: Comparison) -> Iterator[Measurement]:
    """How far joints bend beyond their limits, in degrees, and how far they do where they turn as the source does."""
    fitting = compared.fitting
    ranges = ranges_of(fitting.plan, fitting.ranges)
    if not ranges:
        return
    body = fitting.joint_frames
    for part, over in violations(compared.motion.rotations, body, ranges).items():
        worst = worst_frame(over)
        if over[worst] > ROUNDING:
            first, last = stretch_around(over > ROUNDING, worst)
            source = violations(turned_as_source(compared, [worst]), body, {part: ranges[part]})[part]
            yield Measurement("limit", part, first, last, float(over[worst]), float(source[0]), "°")


def clipping(compared: Comparison) -> Iterator[Measurement]:
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
        worst = worst_frame(own - source)
        first, last = stretch_around(own - source > max(0.1, 0.5 * float(own[worst] - source[worst])), worst)
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
        target = rotation.against(compared.motion.rotations[above], compared.motion.rotations[joint])[[0, -1]]
        source = compared.clip.rotations[[0, -1], driver.source]
        degrees = float(np.degrees(_steps(target, None)[0]))
        if degrees > worst[0]:
            worst = (
                degrees,
                float(np.degrees(_steps(source, None)[0])),
                driver.part or compared.fitting.target.names[joint],
            )
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
            worst = worst_frame(deviation.over_time)
            first, until = stretch_around(deviation.over_time > 0.5 * deviation.over_time[worst], worst)
        yield Measurement(
            deviation.kind, deviation.part, first, until, deviation.size, deviation.source, deviation.unit
        )


def _held(compared: Comparison) -> dict[str, BoolArray]:
    """By limb the frames ``(F,)`` in which a hand keeps its place to something, or goes to or from it: its arm
    reaches; and those in which somebody has touched it up, who wants it otherwise than the source has it."""
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
    for limb, touched in compared.touched.items():
        out[limb] = out.get(limb, np.zeros(compared.clip.frames, bool)) | (touched > 0)
    return out


MEASURES: tuple[Callable[[Comparison], Iterator[Measurement]], ...] = (
    slides,
    reach,
    floats,
    floor,
    soles,
    _sizes,
    clipping,
    _flips,
    _jerks,
    _limits,
    _seam,
    _fidelity,
)
