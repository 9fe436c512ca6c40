"""Two bodies side by side, as whether one stands and moves as the other is measured on them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from itertools import pairwise

import numpy as np

from armuto.body.plans import Part
from armuto.kinematics import rotation, vectors
from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.kinematics.statistics import median, percentiles
from armuto.pairing.joint_mapping import JointDriver, first_drivers
from armuto.retarget.fitting import Fitting

LIMBS = ("arm", "leg", "wing", "neck")


@dataclass(frozen=True)
class Deviation:
    """One measure: kind, part, size and the source's own, the frames in which it is largest ``(F,)`` or None for
    throughout."""

    kind: str
    part: str
    size: float
    source: float = 0.0
    over_time: FloatArray | None = None
    unit: str = "°"


@dataclass(frozen=True)
class Bodies:
    """Places of paired joints over time: by part ``(F, 3)``, the source's turned to where the target faces.

    held: by limb the frames ``(F,)`` in which its hand keeps its place to something, so that its arm has to reach.
    """

    fitting: Fitting
    mapping: Mapping[int, JointDriver]
    source: Mapping[int, FloatArray]
    target: FloatArray
    held: Mapping[str, BoolArray] = field(default_factory=dict)

    @cached_property
    def first(self) -> dict[str, JointDriver]:
        """The lead of every part's first joint."""
        return first_drivers({joint: driver for joint, driver in self.mapping.items() if driver.source in self.source})

    @cached_property
    def there(self) -> dict[str, FloatArray]:
        return {
            part: rotation.rotate(self.fitting.turn, self.source[driver.source]) for part, driver in self.first.items()
        }

    @cached_property
    def here(self) -> dict[str, FloatArray]:
        return {part: self.target[driver.target] for part, driver in self.first.items()}

    @property
    def both(self) -> tuple[dict[str, FloatArray], dict[str, FloatArray]]:
        return self.there, self.here

    def runs(self) -> Iterator[list[Part]]:
        """The parts of every limb that are paired, from the trunk outwards."""
        for limb, parts in self.fitting.plan.limbs.items():
            if limb.split()[-1] in LIMBS:
                yield [part for part in parts if part.name in self.first]

    @cached_property
    def bones(self) -> tuple[tuple[Part, Part], ...]:
        """Every two parts of a limb of which one follows the other."""
        return tuple(bone for run in self.runs() for bone in pairwise(run))

    @cached_property
    def directions(self) -> tuple[FloatArray, FloatArray]:
        """Of the source's bones and the target's, from the one part to the next, ``(bones, F, 3)``."""
        source, target = (
            np.array([at[onward.name] - at[part.name] for part, onward in self.bones]) for at in self.both
        )
        return source, target

    @cached_property
    def lengths(self) -> tuple[FloatArray, FloatArray]:
        """Of the source's bones and the target's, ``(bones, F)``."""
        source, target = (vectors.lengths(directions) for directions in self.directions)
        return source, target

    @cached_property
    def usual_lengths(self) -> dict[tuple[str, str], tuple[float, float]]:
        """Of the source's bone and the target's, in the median, by the names of its parts."""
        source, target = (percentiles(lengths, 50).tolist() for lengths in self.lengths)
        names = ((part.name, onward.name) for part, onward in self.bones)
        return dict(zip(names, zip(source, target, strict=True), strict=True))

    def usual_length(self, part: Part, onward: Part) -> tuple[float, float]:
        """:attr:`usual_lengths` from one part to another one, which need not be the next."""
        known = self.usual_lengths.get((part.name, onward.name))
        if known is not None:
            return known
        source, target = (median(vectors.lengths(at[onward.name] - at[part.name])) for at in self.both)
        return source, target
