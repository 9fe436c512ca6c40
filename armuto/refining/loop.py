"""Loop: a stretch whose end goes on in its beginning, repeated along its way.

Let T be the turn about up and the way over the ground from the hips of the first frame a to those of the last b, and
R(t) the stretch brought there: at its end by T⁻¹, so that travel is carried on and not jumped back. What is left
between the two is shared by both ends and eased out over a window: with E the rotation from pose a to pose b, Δ how
much faster a turns than b, and h, k quintics with h(0) = 1, k'(0) = 1 and nothing else at either end of the window::

    R'(a + s) = exp(½ E h(s) − ½ Δ k(s)) R(a + s)
    R'(b − s) = exp(−½ E h(s) − ½ Δ k(s)) R(b − s)

which is done again with what is left of second order. Feet that rest are then held at rest across the seam
(:mod:`armuto.refining.foot_locking`).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Annotated, Any, Literal

import numpy as np
from pydantic.dataclasses import dataclass

from armuto.contacts.model import Contact
from armuto.errors import BadInput
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.refining.foot_locking import footing, lock_feet, steps_of
from armuto.refining.refined import Body, Refined
from armuto.refining.rigid import GROUND, UP, RigidMotion, carriers_of, moved, with_translations
from armuto.validation import STRICT, Number, Within

Seconds = Annotated[float, Within(0.0, 10.0)]
Times = Annotated[int, Within(1, 1000)]
ROUNDS = 4  # so often is what is left between the ends shared out
SHORTEST = 4  # frames of a loop
HELD = 0.1  # seconds that a foot rests at least to be held
AROUND = 3  # repeats in whose middle one feet are held, so that both seams are like those within


@dataclass(frozen=True, config=STRICT)
class Loop:
    """first, last: frames of the take that become one; without, those of the clip. ease: seconds on either side of the
    seam over which the difference goes. times: how often it is in the clip."""

    kind: Literal["loop"] = "loop"
    on: bool = True
    first: Number | None = None
    last: Number | None = None
    ease: Seconds = 0.3
    times: Times = 1

    def refine(self, before: Refined, body: Body) -> Refined:
        """Raises :class:`BadInput` where the two frames are not far enough apart."""
        clip = before.clip
        first = 0 if self.first is None else before.frame_of(self.first)
        last = clip.frames - 1 if self.last is None else before.frame_of(self.last)
        if last - first < SHORTEST:
            raise BadInput(f"A loop has at least {SHORTEST} frames between its ends; set them further apart.")
        before.allow((last - first) * max(self.times, AROUND) + 1)
        cycle = closed(clip.cut(first, last), body, self.ease)
        shown = before.frames[first : last + 1]
        ground = footing(body)
        if ground is not None:
            contacts = _around(steps_of(clip, ground).contacts, first, last, HELD * clip.fps)
            held = lock_feet(repeated(cycle, body, AROUND), body, contacts)
            cycle = held.cut(last - first, 2 * (last - first))
            cycle = _begun_at(cycle, clip.cut(first, first), body)
        rows = np.concatenate([*[shown[:-1]] * self.times, shown[-1:]])
        return replace(before, clip=repeated(cycle, body, self.times), frames=rows)


def closed(clip: Clip, body: Body, ease: float) -> Clip:
    """The clip with the difference between its two ends shared out and eased out over so many seconds."""
    carriers = carriers_of(clip, body)
    clip = with_translations(clip, carriers)
    window = min(max(2, round(ease * clip.fps)), (clip.frames - 1) // 2)
    s = np.arange(window + 1)[:, None, None] / window
    pose = 0.5 * (1 - s**3 * (10 - 15 * s + 6 * s * s))
    slope = 0.5 * window * s * (1 - s) ** 3 * (1 + 3 * s)  # half a frame's step in a frame at the seam
    rows = np.arange(clip.frames - 1, clip.frames - 2 - window, -1)
    for _ in range(ROUNDS):
        travelled = travel(clip, body)
        begin, end = clip.cut(0, window), _rows(clip, rows)
        end = moved(end, travelled.back, carriers)
        a, b, c, d = begin.rotations, end.rotations, begin.translations, end.translations
        turned, hurried = _turn(a[0], b[0]), _turn(a[0], a[1]) - _turn(b[1], b[0])
        gap, faster = d[0] - c[0], (c[1] - c[0]) - (d[0] - d[1])
        a, b = _turned(a, pose * turned - slope * hurried), _turned(b, -pose * turned - slope * hurried)
        c, d = c + pose * gap - slope * faster, d - pose * gap - slope * faster
        end = moved(replace(end, rotations=b, translations=d), travelled, carriers)
        rotations, places = clip.rotations.copy(), clip.translations.copy()
        rotations[rows], places[rows] = end.rotations, end.translations
        rotations[: window + 1], places[: window + 1] = a, c
        clip = replace(clip, rotations=rotation.normalised(rotations), translations=places)
    return clip


def repeated(cycle: Clip, body: Body, times: int) -> Clip:
    """A closed clip so often, each time from where the one before has ended."""
    carriers, travelled, out = carriers_of(cycle, body), travel(cycle, body), [cycle]
    while len(out) < times:
        out.append(moved(out[-1], travelled, carriers))
    return joined([*(clip.cut(0, clip.frames - 2) for clip in out[:-1]), out[-1]])


def travel(clip: Clip, body: Body) -> RigidMotion:
    """The turn about up, and the way over the ground, of the hips from the first frame to the last."""
    ends = _rows(clip, [0, -1]).world()
    hips, ground = body.hips, ends.positions[:, body.hips] * GROUND
    q = rotation.multiply(ends.rotations[1, hips], rotation.inverse(ends.rotations[0, hips]))
    _, turn = rotation.swing_and_twist(q, UP)
    return RigidMotion(turn, ground[0], ground[1] - ground[0])


def seam_of(clip: Clip, body: Body) -> float:
    """Degrees by which the joint that turns most jumps from the last frame to the first, travel left out."""
    carriers = carriers_of(clip, body)
    ends = moved(_rows(clip, [-1]), travel(clip, body).back, carriers)
    return float(np.degrees(rotation.angle_apart(ends.rotations[0], clip.rotations[0]).max()))


def _begun_at(cycle: Clip, first: Clip, body: Body) -> Clip:
    """The cycle moved over the ground and turned about up to where the hips of another clip begin."""
    carriers = carriers_of(cycle, body)
    first = with_translations(first, cycle.moving.tolist())
    return moved(cycle, travel(joined([cycle.cut(0, 0), first]), body), carriers)


def joined(clips: Sequence[Clip]) -> Clip:
    """Clips one after another that have translations of the same joints."""
    rotations = np.concatenate([clip.rotations for clip in clips])
    return replace(clips[0], rotations=rotations, translations=np.concatenate([clip.translations for clip in clips]))


def _rows(clip: Clip, rows: Any) -> Clip:
    return replace(clip, rotations=clip.rotations[rows], translations=clip.translations[rows])


def _turn(a: FloatArray, b: FloatArray) -> FloatArray:
    """The vector of the rotation from the one to the other."""
    return rotation.vector(rotation.multiply(b, rotation.inverse(a)))


def _turned(rotations: FloatArray, by: FloatArray) -> FloatArray:
    return rotation.multiply(rotation.from_vector(by), rotations)


def _around(contacts: tuple[Contact, ...], first: int, last: int, least: float) -> list[Contact]:
    """The contacts of a stretch as they follow each other in its repeats; those that go on across a seam as one, and
    none of which the cut has left less than so many frames."""
    length = last - first
    out: dict[str, list[tuple[int, int]]] = {}
    for turn in range(AROUND):
        for contact in contacts:
            begin, end = max(contact.first, first) - first, min(contact.last, last) - first
            if begin <= end:
                out.setdefault(contact.point, []).append((begin + turn * length, end + turn * length))
    made = []
    for point, spans in out.items():
        spans.sort()
        together = [spans[0]]
        for begin, end in spans[1:]:
            if begin <= together[-1][1] + 1:
                together[-1] = together[-1][0], max(end, together[-1][1])
            else:
                together.append((begin, end))
        made += [Contact(point, begin, end) for begin, end in together if end - begin >= least]
    return made
