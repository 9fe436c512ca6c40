"""A character that performs a stream: each frame through its fitting when it comes, with nothing known of later ones.

The steps are those of a transfer (:mod:`armuto.pipeline`): rotations alone, arms spread, feet on their contacts with
the pelvis lowered where legs are too short, arms kept clear of the body, joints within their limits, travel. Where a
transfer looks ahead, what was done before goes on softly here. Hands that keep a place, touch-ups and the smoothing of
a path by frames to come are left to the transfer of the take.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from armuto.constraints import arms, feet, travel
from armuto.constraints.limbs import limb_chains
from armuto.constraints.root_bone import root_of
from armuto.constraints.solver import chest_ahead, hold_limits, is_exact_copy, lower_body, source_build
from armuto.contacts.probes import SourceTracks, contact_probes, tracked_joints
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.world_motion import WorldMotion
from armuto.live.footplants import LiveFootplants
from armuto.retarget.context import context_of
from armuto.retarget.fitting import Fitting
from armuto.retarget.motion import local_clip, retarget_rotations
from armuto.retarget.settings import Travel

ATTACK, RELEASE = 0.05, 0.3  # seconds in which what a frame needs is given, and taken back
LOST = 1.0  # seconds without a frame after which nothing goes on from before


class LivePerformer:
    """Performs poses of the fitting's source on its target. Frames come in the order of time; after a pause of more
    than a second, or one that comes before its predecessor, everything begins anew."""

    def __init__(self, fitting: Fitting) -> None:
        self.fitting = fitting
        self.context = context_of(fitting)
        self.probes = contact_probes(self.context)
        self.tracked = tracked_joints(self.context, self.probes)
        chains = limb_chains(self.context)
        limbs = {point.limb: point for point in self.probes.points}
        self.legs = {name: chain for name, chain in chains.items() if name in limbs and limbs[name].is_foot}
        self.arms = {name: chain for name, chain in chains.items() if name in limbs and not limbs[name].is_foot}
        self.volume = arms.body_volume(self.context, self.arms)
        self.exact = is_exact_copy(self.context)
        self._begin()

    def _begin(self) -> None:
        settings = self.fitting.settings
        self.time: float | None = None
        self.feet = LiveFootplants(
            self.probes.points,
            self.legs,
            self.probes.leg,
            self.context.ratios.of_places(),
            {limb: settings.holding(limb) for limb in self.legs},
        )
        self.lowered = 0.0
        self.turned_out = {name: np.zeros(3) for name in self.arms}
        self.first: tuple[FloatArray, float] | None = None
        self.looks = np.zeros(2)

    def perform(self, pose: Clip, time: float) -> Clip:
        """One frame of the target for one of the source.

        Parameters
        ----------
        pose : Clip
            One frame on the fitting's source.
        time : float
            When it is, in seconds of any beginning.

        Returns
        -------
        Clip
            One frame on the fitting's target.
        """
        if self.time is not None and not 0 < time - self.time < LOST:
            self._begin()
        passed = 0.0 if self.time is None else time - self.time
        self.time = time
        raw = retarget_rotations(pose, self.context, self.tracked)
        motion, settings = raw.motion, self.fitting.settings
        tracks = SourceTracks(raw.source_positions, raw.source_rotations)
        if settings.constrained:
            if settings.spread:
                arms.spread(motion, self.arms, settings.spread, chest_ahead(motion, self.context))
            if not self.exact and self.probes.leg > 0:
                self._plant_feet(motion, tracks, time, passed)
            if self.volume.trunk and settings.clear > 0:
                self._clear_arms(motion, tracks, passed)
            hold_limits(motion, self.context)
        self._place_travel(motion, passed)
        return local_clip(pose.name, motion, raw.translated | self.context.carrier_chain)

    def _plant_feet(self, motion: WorldMotion, tracks: SourceTracks, time: float, passed: float) -> None:
        context = self.context
        source = {point.name: tracks.path(point)[0] for point in self.probes.points if point.is_foot}
        scale = context.ratios.of_places()
        paths = {name: rotation.rotate(self.fitting.turn, place) * scale for name, place in source.items()}
        plants = self.feet.plants(motion, source, paths, time)
        if not plants:
            return
        wanted = float(feet.lower_pelvis(motion, plants, self.probes.leg * context.ratios.height)[0])
        self.lowered += (wanted - self.lowered) * _share(passed, wanted > self.lowered)
        lowered = np.array([self.lowered if self.lowered > 1e-5 else 0.0])
        if lowered[0]:
            lower_body(motion, context, lowered)
        swivels = {limb: float(np.radians(degrees)) for limb, degrees in self.fitting.settings.bends.items()}
        feet.plant(motion, plants, lowered, swivels)

    def _clear_arms(self, motion: WorldMotion, tracks: SourceTracks, passed: float) -> None:
        """Each arm out of the body by a turn that is kept from frame to frame, in the frame of the chest."""
        chest = motion.rotations[self.context.chest]
        built: FloatArray | None = None
        for name, limb in self.arms.items():
            if not self.volume.arms.get(name):
                continue
            deepest = arms.penetration(motion, self.volume, name)
            goal, now = np.zeros(3), self.turned_out[name]
            if deepest[0][0] > arms.CLEAN:
                built = source_build(motion, tracks, self.context) if built is None else built
                allowed = arms.source_depths(motion, {name: limb}, self.volume, built)[name]
                q = arms.way_out(motion, limb, deepest, allowed, chest, self.fitting.settings.clear)
                if q is not None:
                    goal = rotation.rotate(rotation.inverse(chest), rotation.vector(q))[0]
            rises = bool(np.linalg.norm(goal) > np.linalg.norm(now))
            now = now + (goal - now) * _share(passed, rises)
            self.turned_out[name] = now
            if np.linalg.norm(now) > 1e-5:
                turn = rotation.from_vector(rotation.rotate(chest, now[None]))
                motion.swing(limb.joints[0], motion.below(limb.joints[0]), turn)

    def _place_travel(self, motion: WorldMotion, passed: float) -> None:
        """Travel where it is wanted, its heading smoothed by what has passed alone."""
        wanted, context = self.fitting.settings.travel, self.context
        if wanted == Travel() or not context.carriers:
            return
        leader = context.last_joints.get(wanted.lead, context.carriers[-1])
        rest = self.fitting.target_pose.rotations[leader]
        turned = rotation.multiply(motion.rotations[leader][0], rotation.inverse(rest))
        ahead = rotation.rotate(turned, self.fitting.forward)[[0, 2]]
        place = motion.positions[leader][0].copy()
        share = 1.0 if not np.any(self.looks) or wanted.smoothing <= 0 else 1 - np.exp(-passed / wanted.smoothing)
        self.looks = self.looks + share * (ahead - self.looks)
        heading = float(np.arctan2(self.looks[0], self.looks[1]))
        if self.first is None:
            self.first = place, heading
        both = travel.Path(np.stack([self.first[0], place]), np.unwrap([self.first[1], heading]))
        if wanted.place != "recorded":
            both = self._placed(motion, both)
        shift, turn = (values[1:] for values in travel.chosen(both, wanted))
        if wanted.mode == "in place":
            travel.moved(motion, both.places[1:], -turn, -shift)
        elif wanted.mode == "root" and (root := root_of(context)) is not None:
            places, turns = travel.carried(both, wanted)
            motion.positions[root], motion.rotations[root] = (
                places[1:],
                rotation.multiply(turns[1:], self.fitting.target_pose.rotations[root]),
            )

    def _placed(self, motion: WorldMotion, both: travel.Path) -> travel.Path:
        """The body moved as its first frame was, to where that is wanted; returns its path from there."""
        wanted = self.fitting.settings.travel
        x, z, degrees = wanted.at if wanted.place == "given" else (0.0, 0.0, 0.0)
        start, goal = both.places[:1] * [1.0, 0.0, 1.0], np.array([[x, 0.0, z]])
        turn = np.radians(degrees) - both.heading[:1]
        travel.moved(motion, start, turn, goal - start)
        q = rotation.about([0.0, 1.0, 0.0], turn)
        places = goal + rotation.rotate(q, both.places - start)
        return replace(both, places=places, heading=both.heading + turn)


def _share(passed: float, rises: bool) -> float:
    """How much of the way to what a frame needs is made by it."""
    return float(1 - np.exp(-passed / (ATTACK if rises else RELEASE))) if passed > 0 else 1.0
