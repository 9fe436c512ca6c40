"""Other bodies perform an ensemble: the way in.

The space of the recording becomes a stage by one factor, the mean of the performers' sizes where nothing else is said:
every path over the ground is as much longer or shorter, whoever walks it. Each performer's clip is transferred with
that stride (:mod:`armuto.pipeline`), which leaves everybody in the common space; whoever is alone in it moves just as a
transfer alone has them. What met in the recording is then brought together again (:mod:`.solver`).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from armuto.constraints.displacement import BodyDisplacement
from armuto.constraints.limbs import LimbChain, limb_chains
from armuto.constraints.travel import moved
from armuto.contacts.model import ContactSet
from armuto.contacts.probes import SourceTracks, contact_probes, sample_tracks, tracked_joints
from armuto.ensembles.meetings import find_meetings
from armuto.ensembles.model import Casting, Ensemble, Meeting, PlacementKey, Prop
from armuto.ensembles.prop_motion import NoSuchPart, PropMotion, prop_motion
from armuto.ensembles.surfaces import PartSurface, PosedBody, body_surfaces
from armuto.errors import BadInput
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.curves import smooth
from armuto.kinematics.world_motion import WorldMotion
from armuto.pipeline import retarget
from armuto.retarget.context import RetargetContext, context_of
from armuto.retarget.fitting import Fitting
from armuto.retarget.motion import local_clip
from armuto.retarget.settings import Travel

SOFT_END = 0.008  # of a limb's length: only so near to its full length does what meets something stretch more slowly


@dataclass(frozen=True, eq=False)
class Recording:
    """An ensemble as it was recorded, over the frames of the common time from ``first`` on.

    clips: of the performers by name, cut to these frames. bodies: where they are. props: how these move, by name.
    meetings: those that the ensemble says, else those that were found.
    """

    ensemble: Ensemble
    first: int
    clips: Mapping[str, Clip]
    bodies: Mapping[str, PosedBody]
    props: Mapping[str, PropMotion]
    meetings: tuple[Meeting, ...]

    @property
    def frames(self) -> int:
        return next(iter(self.clips.values())).frames

    @property
    def fps(self) -> float:
        return next(iter(self.clips.values())).fps

    @property
    def last(self) -> int:
        return self.first + self.frames - 1

    def prop(self, name: str) -> Prop:
        return next(prop for prop in self.ensemble.props if prop.name == name)


@dataclass(frozen=True, eq=False)
class Stage:
    """How a performer's transfer, or the recording, lies in the space of a casting: ``turn(size · place) + shift``.

    turn ``(4,)`` is about up; shift ``(3,)`` in metres.
    """

    turn: FloatArray = field(default_factory=lambda: rotation.IDENTITY.copy())
    shift: FloatArray = field(default_factory=lambda: np.zeros(3))
    size: float = 1.0

    @property
    def heading(self) -> float:
        """Radians about up."""
        return float(2 * np.arctan2(self.turn[1], self.turn[3]))

    def direction(self, vectors: FloatArray) -> FloatArray:
        return rotation.rotate(np.broadcast_to(self.turn, (*vectors.shape[:-1], 4)), vectors)

    def inverse_direction(self, vectors: FloatArray) -> FloatArray:
        return rotation.rotate(np.broadcast_to(rotation.inverse(self.turn), (*vectors.shape[:-1], 4)), vectors)

    def put(self, motion: WorldMotion) -> None:
        """A motion onto the stage, in place; the size is left to the transfer."""
        nowhere = np.zeros((motion.frames, 3))
        moved(motion, nowhere, np.full(motion.frames, self.heading), np.broadcast_to(self.shift, nowhere.shape))


@dataclass(eq=False)
class Actor:
    """A performer in a casting. motion: on the stage, over the frames of the recording. stage: where the transfer lies
    on it."""

    name: str
    clip: Clip
    fitting: Fitting
    context: RetargetContext
    source: PosedBody
    surfaces: Mapping[str, PartSurface]
    chains: Mapping[str, LimbChain]
    stage: Stage
    motion: WorldMotion
    translated: frozenset[int]
    displacement: BodyDisplacement
    contacts: ContactSet

    @cached_property
    def plan_limbs(self) -> Mapping[str, str]:
        """The limb of every part."""
        return {part.name: part.limb for part in self.fitting.plan.parts}

    def chain_of(self, part: str) -> LimbChain | None:
        """The limb that brings a part to a place: where the part is its end, or is carried by that."""
        chain = self.chains.get(self.plan_limbs.get(part, ""))
        if chain is None or part not in self.surfaces:
            return None
        return chain if self.surfaces[part].joint in self.motion.below(chain.joints[-1]) else None

    def body(self, *parts: str) -> PosedBody:
        """Where the performer is on the stage; parts: of these alone, where any are named."""
        motion, stance = self.motion, self.fitting.target_pose.rotations
        joints = {self.surfaces[part].joint for part in parts or self.surfaces}
        turns = {joint: rotation.multiply(motion.rotations[joint], rotation.inverse(stance[joint])) for joint in joints}
        return PosedBody(self.surfaces, {joint: motion.positions[joint] for joint in joints}, turns, self.source.leg)


def read_recording(ensemble: Ensemble, clips: Mapping[str, Clip], fittings: Mapping[str, Fitting]) -> Recording:
    """An ensemble as it was recorded.

    Parameters
    ----------
    ensemble : Ensemble
    clips : mapping of str to Clip
        By the names that it has for them.
    fittings : mapping of str to Fitting
        By performer: anything that tells the parts of its skeleton and how it stands, such as the skeleton fitted to
        itself.

    Returns
    -------
    Recording

    Raises
    ------
    BadInput
        Where a clip is missing, frame rates differ, or there is no frame that all have.
    """
    for name in ensemble.clips:
        if name not in clips:
            raise BadInput(f"{ensemble.name}: the clip “{name}” is not there; bring it in, or leave its performer out.")
    own = {performer.name: clips[performer.clip] for performer in ensemble.performers}
    rates = {round(clip.fps, 3) for clip in own.values()}
    if len(rates) > 1:
        shown = " and ".join(f"{rate:g}" for rate in sorted(rates))
        raise BadInput(f"{ensemble.name}: its clips have {shown} frames a second; give them one frame rate first.")
    first = max(performer.start for performer in ensemble.performers)
    last = min(performer.start + own[performer.name].frames - 1 for performer in ensemble.performers)
    first = first if ensemble.first is None else max(first, ensemble.first)
    last = last if ensemble.last is None else min(last, ensemble.last)
    if last < first:
        raise BadInput(f"{ensemble.name}: there is no frame that all its performers have; shift them in time.")
    cut = {
        performer.name: own[performer.name].cut(first - performer.start, last - performer.start)
        for performer in ensemble.performers
    }
    bodies = {name: recorded_body(clip, context_of(fittings[name])) for name, clip in cut.items()}
    frames, fps = last - first + 1, next(iter(cut.values())).fps
    props = {}
    for prop in ensemble.props:
        try:
            props[prop.name] = prop_motion(prop, bodies, first, frames, clips.get(prop.recorded))
        except NoSuchPart as problem:
            raise BadInput(f"{ensemble.name}: {problem}.") from None
    meetings = ensemble.meetings
    if meetings is None:
        meetings = find_meetings(bodies, [(prop, props[prop.name]) for prop in ensemble.props], fps, first)
    return Recording(ensemble, first, cut, bodies, props, tuple(meetings))


def recorded_body(clip: Clip, context: RetargetContext, tracks: SourceTracks | None = None) -> PosedBody:
    """The source of a fitting over the frames of a clip, with its surfaces."""
    surfaces = body_surfaces(context, "source")
    joints = sorted({surface.joint for surface in surfaces.values()})
    if tracks is None or any(joint not in tracks.rotations for joint in joints):
        tracks = sample_tracks(clip, {*tracked_joints(context, contact_probes(context)), *joints})
    stance = context.fitting.source_pose.rotations
    turns = {joint: rotation.multiply(tracks.rotations[joint], rotation.inverse(stance[joint])) for joint in joints}
    leg = contact_probes(context).leg or float(np.ptp(context.standing[0][:, 1])) / 2
    return PosedBody(surfaces, {joint: tracks.positions[joint] for joint in joints}, turns, leg)


def space_of(casting: Casting | None, fittings: Mapping[str, Fitting]) -> float:
    """Metres of the stage over those of the recording."""
    if casting is not None and casting.space is not None:
        return casting.space
    return float(np.mean([fitting.scale for fitting in fittings.values()]))


def cast_actor(
    name: str,
    clip: Clip,
    fitting: Fitting,
    space: float,
    alone: bool,
    placement: BodyDisplacement | None = None,
    contacts: ContactSet | None = None,
) -> Actor:
    """A performer's clip transferred into the space of a casting. alone: nobody else performs in it, so that the stage
    is where the transfer has it. placement: how a person has placed the performer, on the stage. contacts: where they
    are known; else they are looked for."""
    context = context_of(_in_space(fitting, space))
    stage = Stage() if alone else _stage_of(context, space)
    by = None if placement is None else in_transfer(placement, stage)
    made = retarget(clip, context.fitting, contacts, displacement=by)
    trace = made.trace
    assert trace is not None
    motion = trace.motion
    stage.put(motion)
    chains = {limb: replace(chain, soft=SOFT_END) for limb, chain in limb_chains(context).items()}
    return Actor(
        name,
        clip,
        context.fitting,
        context,
        recorded_body(clip, context, trace.tracks),
        body_surfaces(context, "target"),
        chains,
        stage,
        motion,
        trace.translated,
        BodyDisplacement.none(clip.frames) if placement is None else placement,
        made.contacts,
    )


def displaced(actor: Actor, displacement: BodyDisplacement) -> Actor:
    """The performer transferred once more, moved off the path that the clip gives."""
    if not displacement.active:
        return actor
    made = retarget(actor.clip, actor.fitting, actor.contacts, displacement=in_transfer(displacement, actor.stage))
    assert made.trace is not None
    motion = made.trace.motion
    actor.stage.put(motion)
    return replace(actor, motion=motion, displacement=displacement)


def in_transfer(displacement: BodyDisplacement, stage: Stage) -> BodyDisplacement:
    """A displacement on the stage, in the world of the transfer that lies on it."""
    shift, lean = stage.inverse_direction(displacement.shift), stage.inverse_direction(displacement.lean)
    return replace(displacement, shift=shift, lean=lean)


def performed_clip(actor: Actor) -> Clip:
    """What the performer does, on the stage."""
    carried = {joint for joint in range(len(actor.motion.skeleton)) if actor.motion.skeleton.parents[joint] < 0}
    return local_clip(actor.clip.name, actor.motion, actor.translated | carried)


def off_stage(actor: Actor) -> Clip:
    """What the performer does where its transfer alone would have it, to be compared with that and with its source."""
    motion = actor.motion.copy()
    nowhere = np.zeros((motion.frames, 3))
    moved(motion, nowhere, np.zeros(motion.frames), nowhere - actor.stage.shift)
    moved(motion, nowhere, np.full(motion.frames, -actor.stage.heading), nowhere)
    return performed_clip(replace(actor, motion=motion))


def _in_space(fitting: Fitting, space: float) -> Fitting:
    settings = fitting.settings
    if settings.travel == Travel() and settings.path == "scaled" and (settings.stride or fitting.scale) == space:
        return fitting
    return fitting.with_settings(replace(settings, stride=space, path="scaled", travel=Travel()))


def _stage_of(context: RetargetContext, space: float) -> Stage:
    """Where a transfer lies on a stage that is the recording's space times the factor: it is turned back to where the
    source faces, and shifted by what its body stands off the origin in its stance."""
    fitting = context.fitting
    back = rotation.inverse(fitting.turn)
    shift = np.zeros(3)
    if context.carriers:
        carrier = context.carriers[-1]
        source, target = context.standing[0][context.mapping[carrier].source], context.standing[1][carrier]
        shift = space * source - rotation.rotate(back, target)
        shift[1] = 0.0
    return Stage(back, shift)


def stage_of_recording(actors: Sequence[Actor], space: float) -> Stage:
    """Where the recording lies on the stage: for one performer alone, so that its transfer stays where it is."""
    if len(actors) > 1:
        return Stage(size=space)
    (actor,) = actors
    alone = _stage_of(actor.context, space)
    turn = rotation.inverse(alone.turn)
    return Stage(turn, -rotation.rotate(turn, alone.shift), space)


def placement_of(keys: Sequence[PlacementKey], first: int, frames: int, fps: float, ease: float) -> BodyDisplacement:
    """A displacement through keys, smooth from one to the next, that stays before and after them, or comes and goes
    over so many seconds."""
    out = BodyDisplacement.none(frames)
    if not keys:
        return out
    rows = sorted(keys, key=lambda key: key.frame)
    at = np.array([key.frame for key in rows], float)
    values = np.array([[key.at[0], key.at[1], np.radians(key.turn)] for key in rows])
    numbers = np.arange(first, first + frames, dtype=float)
    before = np.clip(np.searchsorted(at, numbers, side="right") - 1, 0, len(at) - 1)
    after = np.minimum(before + 1, len(at) - 1)
    share = smooth((numbers - at[before]) / np.maximum(at[after] - at[before], 1e-9))
    curve = values[before] + share[:, None] * (values[after] - values[before])
    if ease > 0:
        come, go = smooth(1 + (numbers - at[0]) / (ease * fps)), smooth(1 + (at[-1] - numbers) / (ease * fps))
        curve *= np.minimum(come, go)[:, None]
    out.shift[:, [0, 2]], out.turn[:] = curve[:, :2], curve[:, 2]
    return out
