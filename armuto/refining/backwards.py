"""Backwards: the clip from its end to its beginning."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic.dataclasses import dataclass

from armuto.refining.refined import Body, Refined
from armuto.validation import STRICT


@dataclass(frozen=True, config=STRICT)
class Backwards:
    kind: Literal["backwards"] = "backwards"
    on: bool = True

    def refine(self, before: Refined, body: Body) -> Refined:
        return before.sampled(np.arange(before.clip.frames - 1, -1, -1, dtype=float))
