"""What came of a stream: which frames are lost and late, and a stretch of it as a take."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from armuto.formats import bvh
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.sampling import sample
from armuto.live.decoding import ChannelDecoder

LONGEST_GAP = 1.0  # seconds without a frame that are bridged; after more, another take begins
SHORTEST = 2  # frames of a take
KEPT = 4096  # numbers of lost frames that may still come


@dataclass
class FrameCount:
    """Counts the frames of one performer by their numbers. lost: that have not come; late: that came after a later
    one."""

    came: int = 0
    lost: int = 0
    late: int = 0
    newest: int | None = None
    missing: set[int] = field(default_factory=set)

    def take(self, number: int) -> bool:
        """Count a frame; returns whether it is newer than all before it. What comes twice is not counted. A number far
        from the last begins a count anew."""
        if self.newest is not None and abs(number - self.newest) > KEPT:
            self.newest = None
            self.missing.clear()
        if self.newest is None or number > self.newest:
            if self.newest is not None:
                self.lost += number - self.newest - 1
                self.missing.update(range(self.newest + 1, number))
                if len(self.missing) > KEPT:
                    self.missing = {n for n in self.missing if n > number - KEPT}
            self.newest = number
            self.came += 1
            return True
        if number in self.missing:
            self.missing.remove(number)
            self.lost -= 1
            self.late += 1
            self.came += 1
        return False


@dataclass(frozen=True)
class RecordedTake:
    """file: a BVH file. frames: of it, and how many of them were bridged."""

    file: bytes
    frames: int
    bridged: int


class Recording:
    """Frames of one performer, in whatever order they come."""

    def __init__(self, decoder: ChannelDecoder) -> None:
        self.decoder = decoder
        self.rows: dict[int, np.ndarray] = {}

    def __len__(self) -> int:
        return len(self.rows)

    def add(self, number: int, values: FloatArray) -> None:
        """One row of channels ``(C,)``; the first of two with a number counts."""
        self.rows.setdefault(number, values.astype(np.float32))

    def takes(self) -> list[RecordedTake]:
        """What was recorded, every frame in its place: the missing ones between their neighbours, where no more than a
        second of them is missing, and else as two takes."""
        numbers = np.array(sorted(self.rows), int)
        if not len(numbers):
            return []
        breaks = np.flatnonzero(np.diff(numbers) > LONGEST_GAP * self.decoder.fps) + 1
        stretches = [part for part in np.split(numbers, breaks) if len(part) >= SHORTEST]
        return [self._take(part) for part in stretches]

    def _take(self, numbers: np.ndarray) -> RecordedTake:
        # In the digits that were sent; more would be made up.
        known = np.array([self.rows[number] for number in numbers.tolist()], np.float32).astype(str).astype(float)
        parts = [known[:1]]
        for k, gap in enumerate(np.diff(numbers).tolist()):
            if gap > 1:
                parts.append(self._between(known[k], known[k + 1], gap))
            parts.append(known[k + 1 : k + 2])
        motion = np.concatenate(parts)
        return RecordedTake(bvh.serialise(self.decoder.file(motion)), len(motion), len(motion) - len(known))

    def _between(self, before: FloatArray, after: FloatArray, gap: int) -> FloatArray:
        """The rows between two that are so many frames apart ``(gap - 1, C)``: turned and moved evenly."""
        ends = np.stack([before, after])
        inner = sample(self.decoder.pose(ends), np.arange(1, gap) / gap)
        rows = bvh.from_clip(inner, self.decoder.file(ends)).motion
        # A turn that its channels cannot make is held instead.
        return rows if rows.shape[1] == ends.shape[1] else np.repeat(before[None], gap - 1, axis=0)
