"""Splices made: spans laid onto one another, gone over into each other, with feet that rest held.

One function for clips of a library skeleton and for what a character performs of clips of several: in the second case
the clips that are handed over are those that it performs, each through its own fitting.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cache, partial
from itertools import pairwise

import numpy as np

from armuto.contacts.model import Contact
from armuto.errors import BadInput
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.curves import smooth
from armuto.kinematics.sampling import sample
from armuto.kinematics.signals import low_pass
from armuto.kinematics.skeleton import same_hierarchy
from armuto.refining.foot_locking import foot_paths, lock_feet
from armuto.refining.path import STRIDE, bent
from armuto.refining.refined import LONGEST, Body
from armuto.refining.rigid import GROUND, IDENTITY, carriers_of, moved, with_translations
from armuto.splicing.blending import SHORTEST_CARRY, blended, weights
from armuto.splicing.candidates import Candidate
from armuto.splicing.features import PreparedClip, point_weights, prepare
from armuto.splicing.layout import LaidPassage, Transition, lay_out, passages_of
from armuto.splicing.measures import JoinMeasures, measure_join, unevenness
from armuto.splicing.model import Splice

LIFT = 0.01  # metres by which a resting foot is lifted: counts as much as twice the unevenness
NEARLY_NOTHING = 0.15  # of what is seen
STEP = 0.25  # metres between the places of a foot from which it has to be lifted
TOUCHED = 1e-4  # metres by which a join moves a foot before it is held


@dataclass(frozen=True, eq=False)
class MadeJoin:
    """A join as it was made. number: of the splice's joins, None for the seam of a span that is repeated. span: the
    number of the first of both. first, last: frames of the splice in which both are seen, last before first where the
    one just follows the other. middle: the frame in which the second takes over. place: of the pivot in the splice's
    world ``(3,)``. turn: degrees by which the second was turned about up."""

    number: int | None
    span: int
    first: int
    last: int
    middle: int
    blend: str
    pivot: str
    place: FloatArray
    turn: float
    candidate: Candidate
    measures: JoinMeasures


@dataclass(frozen=True, eq=False)
class Spliced:
    """clip: the whole. passages: in their places. transitions, joins: between each and the next, before and after they
    were blended."""

    clip: Clip
    passages: tuple[LaidPassage, ...]
    transitions: tuple[Transition, ...]
    joins: tuple[MadeJoin, ...]


def prepare_clips(splice: Splice, clips: Mapping[str, Clip], body: Body) -> dict[str, PreparedClip]:
    """What a splice is made of, at the frame rate of its first span. Raises :class:`BadInput` for a clip that is not
    there, or on another skeleton."""
    for name in splice.clips:
        if name not in clips:
            raise BadInput(
                f"“{name}” is not there, of which “{splice.name}” is made; bring it in or take its span out."
            )
        if not same_hierarchy(clips[name].skeleton, body.skeleton):
            raise BadInput(
                f"“{name}” was not recorded on the skeleton of the first clip; splice what one body performs."
            )
    fps = clips[splice.spans[0].clip].fps
    of_body = {name: replace(clips[name], skeleton=body.skeleton) for name in splice.clips}
    return {name: prepare(at_rate(clip, fps), body) for name, clip in of_body.items()}


def at_rate(clip: Clip, fps: float) -> Clip:
    """The clip with so many frames a second."""
    if abs(clip.fps - fps) < 1e-6:
        return clip
    frames = np.arange(int(np.floor(clip.seconds * fps + 1e-6)) + 1) * (clip.fps / fps)
    return replace(sample(clip, frames), fps=fps)


def splice_clips(splice: Splice, clips: Mapping[str, PreparedClip]) -> Spliced:
    """The clips joined as a splice says.

    Parameters
    ----------
    splice : Splice
    clips : mapping of str to PreparedClip
        By the names that its spans have for them; see :func:`prepare_clips`.

    Returns
    -------
    Spliced

    Raises
    ------
    BadInput
        With one sentence: a span beyond its clip, a pivot that the body does not have, or too many frames.

    Examples
    --------
    >>> from pathlib import Path
    >>> from armuto.formats import read
    >>> from armuto.refining.refined import body_of
    >>> from armuto.splicing.joining import prepare_clips, splice_clips
    >>> from armuto.splicing.model import Join, Span, Splice
    >>> walk, bow = (read(Path(f"demo/files/hall/{name}.bvh").read_bytes(), name) for name in ("walk", "bow"))
    >>> splice = Splice((Span("walk", end=4.0), Span("bow", start=0.5)), (Join(overlap=0.4),))
    >>> clips = {"walk": walk.clips[0], "bow": bow.clips[0]}
    >>> made = splice_clips(splice, prepare_clips(splice, clips, body_of(walk.skeleton, walk.parts)))
    >>> made.clip.frames, made.joins[0].pivot, made.joins[0].last - made.joins[0].first + 1
    (234, 'right foot', 12)
    """
    passages = passages_of(splice, clips)
    # An overlap takes at most half of a passage.
    frames = sum(each.last - each.first + 1 for each in passages) // 2
    if frames > LONGEST:
        raise BadInput(f"“{splice.name}” would come to {frames:,} frames and more; at most {LONGEST:,} are made.")
    laid, transitions = lay_out(splice, passages)
    return _joined(splice.name, laid, transitions)


def splice_like(reference: Spliced, splice: Splice, clips: Mapping[str, PreparedClip], scale: float = 1.0) -> Spliced:
    """A splice made of what another body performs of its clips, so that each of its frames shows what that of another
    making shows: the same frames lie over each other; laid onto one another, blended and held they are on this body.

    reference: the splice made of the clips as they are, each with as many frames as here. splice: what it was made by;
    a pivot that this body does not have is chosen anew. scale: by which places that are said are nearer here.
    """
    passages = [replace(laid.passage, clip=clips[splice.spans[laid.passage.span].clip]) for laid in reference.passages]
    parts = {"auto", "body", "hips", "place", *passages[0].clip.body.joint_of}
    joins = []
    for join in splice.joins:
        pivot, (x, z) = join.pivot if join.pivot in parts else "auto", join.place
        joins.append(replace(join, pivot=pivot, place=(x * scale, z * scale)))
    overlaps = [transition.overlap for transition in reference.transitions]
    return _joined(splice.name, *lay_out(replace(splice, joins=tuple(joins)), passages, overlaps))


def _joined(name: str, laid: list[LaidPassage], transitions: list[Transition]) -> Spliced:
    """Passages in their places, gone over into each other. Raises :class:`BadInput` where they come to too many
    frames."""
    if laid[-1].end >= LONGEST:
        raise BadInput(f"“{name}” would come to {laid[-1].end + 1:,} frames; at most {LONGEST:,} are made.")
    body = laid[0].passage.clip.body
    clip, blends = _blended(name, laid, transitions, body)
    contacts = _contacts(laid, transitions)
    if any(transition.join.feet for transition in transitions):
        held = _held(clip, laid, transitions, contacts)
        clip = lock_feet(clip, body, held, steady=True, like=_foot_motion(clip, laid, transitions)) if held else clip
    clip = _turned(clip, transitions, body, contacts)
    made = (
        _made(clip, pair, transition, blend, contacts)
        for pair, transition, blend in zip(pairwise(laid), transitions, blends, strict=True)
    )
    return Spliced(clip, tuple(laid), tuple(transitions), tuple(made))


def _blended(name: str, laid: list[LaidPassage], transitions: list[Transition], body: Body) -> tuple[Clip, list[str]]:
    """The passages, each where it alone is seen, and blended where two are."""
    carriers = _carriers(laid, body)
    joints = {int(joint) for each in laid for joint in each.passage.clip.clip.moving} | {*carriers, body.hips}
    moving, pieces, blends = sorted(joints), [], []
    begin = 0
    for number, each in enumerate(laid):
        transition = transitions[number] if number < len(transitions) else None
        solo_end = each.end if transition is None else transition.first - 1
        if solo_end >= begin:
            pieces.append(_rows(each, begin, solo_end, moving, carriers))
        if transition is None:
            break
        if transition.last >= transition.first:
            following = laid[number + 1]
            blend, rows = _blend_frames(each, following, transition, moving, carriers)
            pieces.append(rows)
        else:
            blend = "follows"
        blends.append(blend)
        begin = transition.last + 1
    rotations = np.concatenate([piece.rotations for piece in pieces])
    translations = np.concatenate([piece.translations for piece in pieces])
    clip = replace(pieces[0], name=name, rotations=rotations, translations=translations)
    return clip, blends


def _carriers(laid: list[LaidPassage], body: Body) -> list[int]:
    """The joints in which all passages are laid: those that carry travel in any of them, but for what hangs from
    others, so that a root which one of them moves does not stay behind in the next."""
    found = {joint for each in laid for joint in carriers_of(each.passage.clip.clip, body)}
    return sorted(joint for joint in found if not found & set(body.skeleton.ancestors(joint)))


def _rows(laid: LaidPassage, first: int, last: int, moving: list[int], carriers: list[int]) -> Clip:
    """Frames of the splice as a passage has them."""
    whole = laid.passage.clip.clip
    clip = whole.cut(max(first + laid.shift, 0), min(last + laid.shift, whole.frames - 1))
    return with_translations(moved(clip, laid.motion, carriers) if laid.motion is not IDENTITY else clip, moving)


def _blend_frames(
    a: LaidPassage, b: LaidPassage, transition: Transition, moving: list[int], carriers: list[int]
) -> tuple[str, Clip]:
    """The frames in common as they are blended, and how: as was said, else by what moves more evenly with the frames
    around them."""
    body = a.passage.clip.body
    own, other = (_rows(each, transition.first, transition.last, moving, carriers) for each in (a, b))
    if transition.beyond:
        return "carry", blended(_first_two(a, transition.first, moving, carriers), other, "carry", body.hips)
    blends = ["fade", *(["carry"] if own.frames >= SHORTEST_CARRY else [])]
    if transition.join.blend in blends:
        blends = [transition.join.blend]
    made = {blend: blended(own, other, blend, body.hips) for blend in blends}
    if len(made) == 1:
        return next(iter(made.items()))
    around = (
        a.positions(transition.first - 3, transition.first - 1),
        b.positions(transition.last + 1, transition.last + 3),
    )
    joints, _ = point_weights(body)
    uneven = {
        blend: unevenness(np.concatenate([around[0], clip.world().positions, around[1]])[:, joints], clip.fps)
        for blend, clip in made.items()
    }
    least = max(min(uneven.values()), 1e-9)
    best = min(made, key=lambda blend: uneven[blend] / least + _lift(made[blend], a, b, transition) / LIFT)
    return best, made[best]


def _first_two(laid: LaidPassage, first: int, moving: list[int], carriers: list[int]) -> Clip:
    """A frame of the splice as a passage has it, and the next: as it would be if it went on, where the clip ends."""
    last = laid.passage.clip.clip.frames - 1 - laid.shift
    if first < last:
        return _rows(laid, first, first + 1, moving, carriers)
    before = _rows(laid, max(first - 1, -laid.shift), first, moving, carriers)
    step = rotation.multiply(before.rotations[-1], rotation.inverse(before.rotations[0]))
    turned = np.stack([before.rotations[-1], rotation.multiply(step, before.rotations[-1])])
    moved_on = np.stack([before.translations[-1], 2 * before.translations[-1] - before.translations[0]])
    return replace(before, rotations=turned, translations=moved_on)


def _lift(clip: Clip, a: LaidPassage, b: LaidPassage, transition: Transition) -> float:
    """By how many metres, at most, points of feet that rest are off the height at which they rest. clip: the frames in
    common."""
    ground = a.passage.clip.ground
    if ground is None:
        return 0.0
    frames, out = np.arange(transition.first, transition.last + 1), 0.0
    for name, path in foot_paths(clip, ground).items():
        rests = np.where(frames < transition.middle, a.rests(name, frames), b.rests(name, frames))
        out = max(
            out, float(np.max(np.abs(path[:, 1] - _resting_height(name, a, b, transition)), where=rests, initial=0.0))
        )
    return out


def _held(clip: Clip, laid: list[LaidPassage], transitions: list[Transition], contacts: list[Contact]) -> list[Contact]:
    """The contacts of feet in frames of the splice that go through a join which moves them."""
    out = set()
    for (a, b), transition in zip(pairwise(laid), transitions, strict=True):
        if transition.join.feet and _moves(clip, a, b, transition):
            first, last = min(transition.first, transition.last), max(transition.first, transition.last)
            out |= {contact for contact in contacts if contact.first <= last and contact.last >= first}
    return sorted(out, key=lambda contact: (contact.first, contact.point))


def _foot_motion(clip: Clip, laid: list[LaidPassage], transitions: list[Transition]) -> dict[str, FloatArray]:
    """How points of feet move while they rest, and how high they are, ``(F, 3)``: where two passages are over each
    other, as in the one that is seen more, without the way that legs make between both."""
    ground = laid[0].passage.clip.ground
    if ground is None:
        return {}
    out = {name: path.copy() for name, path in foot_paths(clip, ground).items()}
    for name, path in out.items():
        steps = np.diff(path, axis=0)
        for (a, b), transition in zip(pairwise(laid), transitions, strict=True):
            first, last = transition.first, transition.last
            if last < first:
                near = [step for step in (first - 2, first) if 0 <= step < len(steps)]
                steps[first - 1] = steps[near].mean(axis=0) if near else 0.0
                continue
            begin, end = max(first - 1, 0), min(last + 1, clip.frames - 1)
            own, other = (np.diff(each.foot_path(name, begin, end), axis=0) for each in (a, b))
            seen = np.arange(begin, end)[:, None] < transition.middle - 1
            steps[begin:end] = np.where(seen, own, other)
        path[1:, [0, 2]] = path[0, [0, 2]] + np.cumsum(steps[:, [0, 2]], axis=0)
        for (a, b), transition in zip(pairwise(laid), transitions, strict=True):
            path[transition.first : transition.last + 1, 1] = _resting_height(name, a, b, transition)
    return out


def _resting_height(name: str, a: LaidPassage, b: LaidPassage, transition: Transition) -> FloatArray:
    """How high a point of a foot is in both passages, from the one to the other, ``(N,)``."""
    own, other = (each.foot_path(name, transition.first, transition.last)[:, 1] for each in (a, b))
    return np.asarray(own + (other - own) * weights(transition.last - transition.first + 1))


def _moves(clip: Clip, a: LaidPassage, b: LaidPassage, transition: Transition) -> bool:
    """Whether a join makes anything of the body go elsewhere than both clips have it."""
    if transition.alignment.motion is IDENTITY and transition.last < transition.first:
        return False
    first, last = min(transition.first, transition.last), max(transition.first, transition.last)
    places = clip.cut(max(first, 0), min(last, clip.frames - 1)).world().positions
    return max(float(np.abs(places - each.positions(first, last)).max()) for each in (a, b)) > TOUCHED


def _contacts(laid: list[LaidPassage], transitions: list[Transition]) -> list[Contact]:
    """When the points of feet rest in the splice. A point that rests in both passages of a join, not farther than a
    step apart, rests through it; else it does so while nearly nothing is seen but the one passage in which it does."""
    rests: dict[str, list[tuple[int, int]]] = {}
    joins = zip(transitions, pairwise(laid), strict=True)
    taken_over = [cache(partial(_taken_over, transition, *pair)) for transition, pair in joins]
    for number, each in enumerate(laid):
        for contact in each.passage.clip.steps.contacts if each.passage.clip.steps else ():
            begin = taken_over[number - 1](contact.point)[1] if number else 0
            end = taken_over[number](contact.point)[0] if number < len(transitions) else laid[-1].end
            first, last = max(contact.first - each.shift, begin), min(contact.last - each.shift, end)
            if first > last:
                continue
            stretches = rests.setdefault(contact.point, [])
            if stretches and stretches[-1][1] == first - 1 and first == begin:
                stretches[-1] = stretches[-1][0], last
            else:
                stretches.append((first, last))
    return [Contact(point, first, last) for point, rows in rests.items() for first, last in rows]


def _taken_over(transition: Transition, a: LaidPassage, b: LaidPassage, point: str) -> tuple[int, int]:
    """The last frame in which a point of a foot rests as the first passage has it, and the first in which it does as
    the second has it."""
    seen = weights(transition.last - transition.first + 1)
    early = transition.middle if transition.beyond else transition.first + int(np.searchsorted(seen, NEARLY_NOTHING))
    late = transition.first + int(np.searchsorted(seen, 1 - NEARLY_NOTHING))
    places = (each.foot_path(point, transition.middle, transition.middle)[0] for each in (a, b))
    near = float(np.linalg.norm(np.subtract(*places) * GROUND)) < STEP
    a_rests = a.rests(point, np.arange(early - 1, transition.middle)).any()
    if near and a_rests and b.rests(point, np.arange(transition.middle, late + 1)).any():
        return transition.middle - 1, transition.middle
    return early - 1, late


def _turned(clip: Clip, transitions: list[Transition], body: Body, contacts: list[Contact]) -> Clip:
    """The splice with its way bent after joins that are to go on in another heading."""
    if not any(transition.join.turn for transition in transitions):
        return clip
    frames = np.arange(clip.frames)
    by = np.zeros(clip.frames)
    for transition in transitions:
        share = smooth((frames - transition.middle) / (transition.join.over * clip.fps))
        by += np.radians(transition.join.turn) * share
    way = np.asarray(low_pass(clip.world().positions[:, body.hips], STRIDE, clip.fps) * GROUND)
    turned = bent(clip, body, way, by)
    moving = [contact for contact in contacts if np.ptp(by[contact.first : contact.last + 1]) > 1e-9]
    return lock_feet(turned, body, moving, turned=by)


def _made(
    clip: Clip, pair: tuple[LaidPassage, LaidPassage], transition: Transition, blend: str, contacts: list[Contact]
) -> MadeJoin:
    a, b = pair
    measures = measure_join(clip, a, b, transition, contacts)
    turn = float(np.degrees(rotation.vector(transition.alignment.motion.turn)[1]))
    return MadeJoin(
        a.passage.join,
        a.passage.span,
        transition.first,
        transition.last,
        transition.middle,
        blend,
        transition.alignment.pivot,
        transition.alignment.at,
        turn,
        transition.candidate,
        measures,
    )
