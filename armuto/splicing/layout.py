"""Where the passages of a splice lie: in what order, each laid onto the one before, over which frames."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from armuto.errors import BadInput
from armuto.kinematics.arrays import BoolArray, FloatArray, IntArray
from armuto.refining.rigid import IDENTITY, RigidMotion
from armuto.splicing.alignment import (
    SAME,
    Alignment,
    Overlap,
    align,
    align_to_place,
    misfit,
    overlap_at,
    proposed_overlap,
)
from armuto.splicing.candidates import Candidate, candidate_at, candidates
from armuto.splicing.features import PreparedClip
from armuto.splicing.model import Join, Span, Splice


@dataclass(frozen=True, eq=False)
class Passage:
    """One time through a clip, from frame first to last of it. span: its number. join: the number of the join with
    which it goes over into the next passage; None at the end, and within a span that is repeated."""

    span: int
    clip: PreparedClip
    first: int
    last: int
    join: int | None = None


@dataclass(frozen=True, eq=False)
class LaidPassage:
    """A passage in its place. motion: what lays its clip there. shift: frame ``t`` of the splice is frame ``t + shift``
    of the clip. begin, end: frames of the splice in which it is seen, overlaps included."""

    passage: Passage
    motion: RigidMotion
    shift: int
    begin: int
    end: int

    def positions(self, first: int, last: int) -> FloatArray:
        """Where its joints would be in frames of the splice, ``(N, J, 3)``, as far as the clip goes on."""
        frames = np.arange(first, last + 1) + self.shift
        return self.motion.place(self.passage.clip.positions[frames.clip(0, self.passage.clip.clip.frames - 1)])

    def foot_path(self, point: str, first: int, last: int) -> FloatArray:
        """Where a point of a foot would be in frames of the splice, ``(N, 3)``, as far as the clip goes on."""
        clip = self.passage.clip
        frames = (np.arange(first, last + 1) + self.shift).clip(0, clip.clip.frames - 1)
        return self.motion.place(clip.steps.paths[point][frames] if clip.steps else np.zeros((len(frames), 3)))

    def rests(self, point: str, frames: IntArray) -> BoolArray:
        """Whether a point of a foot rests in frames of the splice."""
        own = self.passage.clip.resting[point]
        shown = frames + self.shift
        within = (shown >= 0) & (shown < len(own))
        return np.asarray(within & own[shown.clip(0, len(own) - 1)])


@dataclass(frozen=True, eq=False)
class Transition:
    """Two passages over each other, before they are blended. first, last: frames of the splice in which they are, last
    before first where the second just follows. overlap: the same in frames of both clips. beyond: how many of these the
    first has ended before."""

    join: Join
    first: int
    last: int
    overlap: Overlap
    alignment: Alignment
    candidate: Candidate

    @property
    def beyond(self) -> int:
        return self.overlap.beyond

    @property
    def middle(self) -> int:
        """The frame in which the second takes over."""
        if self.beyond:
            return self.last - self.beyond + 1
        return self.first + (self.last - self.first + 1) // 2


def passages_of(splice: Splice, clips: Mapping[str, PreparedClip]) -> list[Passage]:
    """Every time through a clip, in their order. Raises :class:`BadInput` for a span that its clip does not have."""
    out = []
    for number, span in enumerate(splice.spans):
        clip = clips[span.clip]
        first, last = span_frames(span, clip)
        join = number if number < len(splice.spans) - 1 else None
        seam = loop_seam(clip) if span.repeat > 1 else (0, 0)
        starts = [first] + [seam[1]] * (span.repeat - 1)
        ends = [seam[0]] * (span.repeat - 1) + [last]
        for n, (start, end) in enumerate(zip(starts, ends, strict=True)):
            if end < start:
                raise BadInput(
                    f"A span of “{clip.clip.name}” has no frames from {start} to {end}; move its start or its end."
                )
            out.append(Passage(number, clip, start, end, join if n == span.repeat - 1 else None))
    return out


def span_frames(span: Span, clip: PreparedClip) -> tuple[int, int]:
    """The frames with which a span begins and ends. Raises :class:`BadInput` where they lie beyond the clip."""
    last = clip.clip.frames - 1
    out = [0 if span.start is None else round(span.start * clip.clip.fps)]
    out.append(last if span.end is None else round(span.end * clip.clip.fps))
    for frame in out:
        if frame > last:
            raise BadInput(
                f"A span of “{clip.clip.name}” reaches {frame / clip.clip.fps:.2f} s; the clip ends at "
                f"{clip.clip.seconds:.2f} s."
            )
    return out[0], out[1]


def loop_seam(clip: PreparedClip) -> tuple[int, int]:
    """The frames from and to which a clip that is repeated goes over into itself: its ends where it is a loop, else
    the best place between its last and its first quarter."""
    last = clip.clip.frames - 1
    if clip.clip.loop is not None or last < 8:
        return last, 0
    quarter = max(last // 4, 1)
    best = candidates(clip.features, clip.features, clip.clip.fps, (last - quarter, last), (0, quarter), 1)
    return (best[0].out, best[0].into) if best else (last, 0)


def lay_out(
    splice: Splice, passages: Sequence[Passage], overlaps: Sequence[Overlap] = ()
) -> tuple[list[LaidPassage], list[Transition]]:
    """Every passage laid onto the one before. overlaps: the frames in common, where they are known."""
    laid: list[LaidPassage] = []
    transitions: list[Transition] = []
    motion, shift, begin = IDENTITY, passages[0].first, 0
    fresh = passages[0].first  # the first frame of the clip that is in no overlap yet
    for number, (passage, following) in enumerate(pairwise(passages)):
        a, b = passage.clip, following.clip
        join = Join() if passage.join is None else splice.joins[passage.join]
        candidate = candidate_at(a.features, b.features, passage.last, following.first)
        # An overlap takes at most the half of a passage that is on its side.
        low = max(fresh, (passage.first + passage.last) // 2) if laid else passage.first
        high = following.last if following is passages[-1] else (following.first + following.last) // 2
        within = (low, a.clip.frames - 1), (0, max(high, following.first))
        if overlaps:
            overlap = overlaps[number]
        else:
            overlap = _overlap(passage.last, following.first, join, candidate, a, b, within)
        if join.pivot == "place":
            alignment = align_to_place(b, overlap, join.place, join.facing)
            onto = alignment.motion
        else:
            alignment = align(a, b, overlap, join)
            alignment = replace(alignment, at=motion.place(alignment.at))
            onto = motion.compose(alignment.motion)
        first = overlap.out - shift
        shared = first + overlap.frames - 1
        laid.append(LaidPassage(passage, motion, shift, begin, max(shared, first - 1)))
        transitions.append(Transition(join, first, shared + overlap.beyond, overlap, alignment, candidate))
        motion, shift, begin = onto, overlap.into - first, first
        fresh = overlap.into + overlap.frames + overlap.beyond
    laid.append(LaidPassage(passages[-1], motion, shift, begin, passages[-1].last - shift))
    return laid, transitions


def _overlap(
    out: int,
    into: int,
    join: Join,
    candidate: Candidate,
    a: PreparedClip,
    b: PreparedClip,
    within: tuple[tuple[int, int], tuple[int, int]],
) -> Overlap:
    seconds = proposed_overlap(candidate.pose) if join.overlap is None else join.overlap
    length = max(1, round(seconds * a.clip.fps)) if seconds > 0 else 0
    overlap = overlap_at(out, into, length, *within)
    if not 0 < overlap.frames < length:
        return overlap
    if join.overlap is None and overlap.frames == 1:
        # With a single frame in common, the second may as well follow the first: as it fits better.
        follows = Overlap(out + 1, into, 0)
        if misfit(a, b, follows) < min(SAME, misfit(a, b, overlap)):
            return follows
    if 2 * overlap.frames > length or join.blend == "fade" or misfit(a, b, overlap) < SAME:
        return overlap
    # One of them ends before both can go over into each other: the rest is carried over into the second.
    room = within[1][1] - overlap.into + 1
    return replace(overlap, beyond=max(0, min(length, room) - overlap.frames))
