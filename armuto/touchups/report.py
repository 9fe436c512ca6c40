"""What touch-ups did, and could not do."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from armuto.kinematics.arrays import FloatArray
from armuto.touchups.model import Key, TouchUp


@dataclass(frozen=True)
class ChangedKey:
    """A key under which the motion has changed: by how many metres and degrees, at which frame of the clip."""

    layer: str
    touchup: TouchUp
    key: Key
    frame: int
    far: float
    turned: float


@dataclass(frozen=True, eq=False)
class TouchUpReport:
    """short: by limb how far its end falls short of where it was to be ``(F,)``, in metres. touched: by limb how much
    of a touch-up is there ``(F,)``. lost: sentences of what could not be placed. moved: joints that were moved
    against what they hang from. changed: keys that were set on another motion."""

    short: Mapping[str, FloatArray] = field(default_factory=dict)
    touched: Mapping[str, FloatArray] = field(default_factory=dict)
    lost: tuple[str, ...] = ()
    moved: frozenset[int] = frozenset()
    changed: tuple[ChangedKey, ...] = ()

    def cut(self, frames: slice) -> TouchUpReport:
        return replace(
            self,
            short={limb: values[frames] for limb, values in self.short.items()},
            touched={limb: values[frames] for limb, values in self.touched.items()},
        )
