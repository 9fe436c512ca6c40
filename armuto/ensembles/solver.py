"""What met is brought together again: bodies and props give way until what touched in the recording touches.

Of a meeting, with a and b the two places on the surfaces (:mod:`.surfaces`) and e the way from a to b as it was
recorded, in the size of the stage, the aim is ``b − a = e``. Where no performer can reach, nothing is forced: what is
left is measured. In turn, until nothing changes (a projection onto one constraint after the other, as Müller et al.
2007 have it, over all frames at once):

- *what is held* goes where the parts that hold it are: the point in which two performers meet to the middle between
  them, a prop by the turn and shift that bring its places nearest to all hands (least squares), so that it stays rigid;
  one that stands, or that nothing holds, stays where it is;
- *bodies* come as much nearer, lean and crouch as their limbs fall short, as little as that takes;
- *limbs* are brought to what is held, with the solver that contacts use (:func:`armuto.constraints.limbs.reach`), and
  hands are turned as they would be without it.

Displacements are smoothed over time and go in before feet are planted (:mod:`armuto.constraints.displacement`).

References
----------
Gleicher, *Retargetting motion to new characters*, SIGGRAPH 1998. Müller, Heidelberger, Hennix and Ratcliff, *Position
based dynamics*, J. Vis. Commun. 2007. Ho, Komura and Tai, *Spatial relationship preserving character motion
adaptation*, SIGGRAPH 2010, for what has to be kept.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace

import numpy as np

from armuto.constraints.displacement import BodyDisplacement
from armuto.constraints.limbs import LimbChain, reach
from armuto.ensembles.casting import Actor, Recording, Stage, displaced
from armuto.ensembles.constraints import constraints_of
from armuto.ensembles.giving_way import BodyState, SidePlace, displacement_over_time
from armuto.ensembles.held_props import anchors_of, rigid_step
from armuto.ensembles.prop_motion import PropMotion
from armuto.kinematics import rotation
from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.kinematics.curves import moving_average
from armuto.kinematics.vectors import lengths

ROUNDS = 12
NOTHING = 1e-6  # metres
# Seconds over which what bodies give way by is smoothed, of one transfer after the other: what the first leaves is
# little, and the last may follow it more closely.
SMOOTH = (0.5, 0.5, 0.3)
# Seconds over which the way of what is held is smoothed: of a prop, and of the place where two performers meet.
ROUNDED_PROP, ROUNDED_MEETING = 0.25, 0.12


class EnsembleSolver:
    """Brings together what met. actors, props: as they move by now, on the stage."""

    def __init__(
        self,
        recording: Recording,
        actors: Mapping[str, Actor],
        props: Mapping[str, PropMotion],
        stage: Stage,
        sizes: Mapping[str, float],
    ) -> None:
        self.recording = recording
        self.actors, self.props = dict(actors), dict(props)
        self.natural, self.natural_props = dict(actors), dict(props)
        self.constraints = constraints_of(recording, actors, props, stage, sizes)
        self.anchors = {name: anchors_of(recording, name) for name in props}

    def solve(self, reached: Callable[[float], None] = lambda _: None) -> None:
        """Bodies, props and limbs, in place. reached: told the share that is done, 0 to 1."""
        if all(
            lengths(row.gap(self.actors, self.props))[row.first : row.last + 1].max() < NOTHING
            for row in self.constraints
        ):
            return
        for number, width in enumerate(SMOOTH):
            reached(number / (len(SMOOTH) + 1))
            relaxed = self._relax(bodies=True, width=width)
            if not any(displacement.active for displacement in relaxed.values()):
                break
            for name, displacement in relaxed.items():
                total = _sum(self.actors[name].displacement, displacement)
                self.actors[name] = displaced(self.actors[name], replace(total, held=self._sitting(name)))
            self._turn_ends()
        reached(len(SMOOTH) / (len(SMOOTH) + 1))
        self._relax(bodies=False)
        self._smooth()
        self._turn_ends()
        self._bring_limbs()

    def _relax(self, bodies: bool, width: float = 0.0) -> dict[str, BodyDisplacement]:
        """Where everything is to be: props are moved, and by how much bodies are to be displaced is returned. bodies:
        whether they may be; width: seconds over which that is smoothed."""
        frames = self.recording.frames
        self.props = dict(self.natural_props)
        states = {name: BodyState(actor) for name, actor in self.actors.items()}
        places = [
            [SidePlace(side, self.actors[side.actor.name], states[side.actor.name]) for side in row.sides]
            for row in self.constraints
        ]
        self._goals = [np.zeros((frames, 3)) for _ in self.constraints]
        self._hold(places, natural=True)
        for number, row in enumerate(places):
            for side, place in enumerate(row):
                place.ease(self._goal_of(number, side))
        for _ in range(ROUNDS):
            self._hold(places)
            if not bodies:
                continue
            moving = False
            for name, state in states.items():
                own = [
                    (place, self._goal_of(number, side))
                    for number, row in enumerate(places)
                    for side, place in enumerate(row)
                    if place.side.actor.name == name
                ]
                moving |= state.give(own)
            if not moving:
                break
        fps = self.recording.fps
        return {name: displacement_over_time(state, self._active(name), width, fps) for name, state in states.items()}

    def _goal_of(self, number: int, side: int) -> FloatArray:
        """Where a side of a meeting is to be ``(F, 3)``."""
        row = self.constraints[number]
        if row.b is None:
            return self._goals[number] - row.away
        return self._goals[number] + (-0.5 if side == 0 else 0.5) * row.away

    def _active(self, name: str) -> BoolArray:
        """In which frames a performer meets something."""
        out = np.zeros(self.recording.frames, bool)
        for row in self.constraints:
            if any(side.actor.name == name for side in row.sides):
                out[row.first : row.last + 1] = True
        return out

    def _sitting(self, name: str) -> FloatArray:
        """How much what a performer meets carries the body itself ``(F,)``, rather than a limb's end."""
        own = [side for row in self.constraints for side in row.sides if side.actor.name == name and side.chain is None]
        weights: FloatArray = np.max([np.zeros(self.recording.frames), *(side.weight for side in own)], axis=0)
        return weights

    def _hold(self, places: Sequence[Sequence[SidePlace]], natural: bool = False) -> None:
        """Put what is held where those who hold it can reach it. natural: where they would have it, rather than near to
        where it is by now."""
        by_prop: dict[str, list[int]] = {}
        for number, row in enumerate(self.constraints):
            if row.b is None:
                by_prop.setdefault(row.meeting.b.who, []).append(number)
                continue
            now = None if natural else self._goals[number]
            pairs = zip(places[number], (0.5 * row.away, -0.5 * row.away), strict=True)
            # What no limb brings anywhere, as a shoulder, is reached for where it is.
            fixed = [place.side.chain is None for place in places[number]]
            reached = [place.within_reach(now, offset) for place, offset in pairs]
            chosen = [at for at, stays in zip(reached, fixed, strict=True) if stays == any(fixed)]
            self._goals[number] = np.mean(chosen, axis=0)
        for name, numbers in by_prop.items():
            motion, anchors = self.props[name], self.anchors[name]
            rows = [self.constraints[number] for number in numbers]
            points = np.stack([motion.place(row.place) for row in rows])
            goals = np.stack(
                [
                    places[number][0].within_reach(None if natural else at, row.away)
                    for number, row, at in zip(numbers, rows, points, strict=True)
                ]
            )
            turned = rotation.multiply(motion.rotations, rotation.inverse(self.natural_props[name].rotations))
            weights = np.stack([row.a.weight for row in rows])
            shift, turn, pivot = rigid_step(points, goals, weights, rotation.vector(turned))
            shift, turn = shift * (1 - anchors[:, :3]), turn * (1 - anchors[:, 3:])
            self.props[name] = motion.moved(rotation.from_vector(turn), pivot, shift)
            for number, row in zip(numbers, rows, strict=True):
                self._goals[number] = self.props[name].place(row.place)

    def _smooth(self) -> None:
        """Where reach begins and ends to tell where something is held, its way has a corner, which is rounded off."""
        fps = self.recording.fps
        for name, motion in self.props.items():
            natural = self.natural_props[name]
            shift = moving_average(motion.positions - natural.positions, round(ROUNDED_PROP * fps))
            turned = rotation.vector(rotation.multiply(motion.rotations, rotation.inverse(natural.rotations)))
            turn = rotation.from_vector(moving_average(turned, round(ROUNDED_PROP * fps)))
            self.props[name] = PropMotion(natural.positions + shift, rotation.multiply(turn, natural.rotations))
        for number, row in enumerate(self.constraints):
            if row.b is None:
                self._goals[number] = self.props[row.meeting.b.who].place(row.place)
                continue
            first, second = (side.place(self.actors[side.actor.name]) for side in row.sides)
            middle = (first + second) / 2
            held = np.flatnonzero((row.a.weight > 0) | (row.b.weight > 0))
            if not len(held):
                continue
            nearest = held[np.clip(np.searchsorted(held, np.arange(len(middle))), 0, len(held) - 1)]
            self._goals[number] = middle + moving_average(
                (self._goals[number] - middle)[nearest], round(ROUNDED_MEETING * fps)
            )

    def _by_limb(self) -> Iterator[tuple[Actor, LimbChain, list[tuple[int, int]]]]:
        """Of each limb that meets something, whose it is and the numbers of its meetings and sides."""
        by_limb: dict[tuple[str, str], list[tuple[int, int]]] = {}
        for number, row in enumerate(self.constraints):
            for k, side in enumerate(row.sides):
                if side.chain is not None:
                    by_limb.setdefault((side.actor.name, side.chain.name), []).append((number, k))
        for (name, limb), members in by_limb.items():
            yield self.actors[name], self.actors[name].chains[limb], members

    def _turn_ends(self) -> None:
        """The ends of limbs turned as they would be if no body had given way, along with the prop: before it is said
        what is within reach, since the place that is to touch is turned with them."""
        self.actors = {name: replace(actor, motion=actor.motion.copy()) for name, actor in self.actors.items()}
        for actor, chain, members in self._by_limb():
            end = chain.joints[-1]
            turn = np.zeros((actor.motion.frames, 3))
            for number, k in members:
                row = self.constraints[number]
                turn += row.sides[k].weight[:, None] * row.held(self._turn_back(number, k, end))
            actor.motion.swing(end, actor.motion.below(end), rotation.from_vector(turn))

    def _bring_limbs(self) -> None:
        """Limbs to what they meet."""
        for actor, chain, members in self._by_limb():
            motion = actor.motion
            by = np.zeros((motion.frames, 3))
            for number, k in members:
                row = self.constraints[number]
                side = row.sides[k]
                by += side.weight[:, None] * row.held(self._goal_of(number, k) - side.place(actor))
            reach(motion, chain, motion.positions[chain.joints[-1]] + by, lengths(by) > 1e-7)

    def _turn_back(self, number: int, k: int, end: int) -> FloatArray:
        """By what the end of a limb is to be turned ``(F, 3)``, a rotation vector."""
        row = self.constraints[number]
        name = row.sides[k].actor.name
        natural = self.natural[name].motion.rotations[end]
        if row.b is None:
            before, now = self.natural_props[row.meeting.b.who], self.props[row.meeting.b.who]
            natural = rotation.multiply(rotation.multiply(now.rotations, rotation.inverse(before.rotations)), natural)
        turn = rotation.multiply(natural, rotation.inverse(self.actors[name].motion.rotations[end]))
        return rotation.vector(turn)


def _sum(first: BodyDisplacement, second: BodyDisplacement) -> BodyDisplacement:
    shift, turn, lean = first.shift + second.shift, first.turn + second.turn, first.lean + second.lean
    return BodyDisplacement(shift, turn, lean, np.maximum(first.held, second.held))
