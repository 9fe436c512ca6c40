"""Hold: a pose that is kept for a while before the clip goes on."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic.dataclasses import dataclass

from armuto.refining.refined import Body, Refined
from armuto.validation import STRICT, Number, Within

Count = Annotated[int, Within(1, 100_000)]


@dataclass(frozen=True, config=STRICT)
class Hold:
    """at: the frame of the take that is held. frames: how many more it is shown."""

    kind: Literal["hold"] = "hold"
    on: bool = True
    at: Number = 0.0
    frames: Count = 1

    def refine(self, before: Refined, body: Body) -> Refined:
        before.allow(before.clip.frames + self.frames)
        held = before.frame_of(self.at)
        rows = np.arange(before.clip.frames, dtype=float)
        return before.sampled(np.insert(rows, held, np.full(self.frames, float(held))))
