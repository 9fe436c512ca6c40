"""What is known of a body beside its rest pose: the hinges of its elbows and knees, its soles, and how thick its palms
are."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Annotated, Any

import numpy as np
from numpy.typing import NDArray
from pydantic import AfterValidator, BaseModel, Field, TypeAdapter

from armuto.kinematics import rotation
from armuto.kinematics.vectors import cross
from armuto.validation import Number, Numbers3, Within, read

Vector = NDArray[np.float64]


def _not_zero(vector: Numbers3) -> Numbers3:
    if not any(vector):
        raise ValueError("a direction has a length")
    return vector


Direction = Annotated[Numbers3, AfterValidator(_not_zero)]
Certainty = Annotated[float, Within(0.0, 1.0)]


@dataclass(frozen=True)
class Hinge:
    """How a limb's second bone turns about its first, as motion shows it: along a circle on the unit sphere.

    axis ``(3,)``: of the circle, in the first bone's joint frame, such that the limb bends by turning about it. along:
    its height over the circle's centre, the cosine between the second bone and the axis. bent ``(3,)``: the second
    bone's mean direction. certainty: 0 to 1. span: degrees of the circle that were seen.

    second_axis ``(3,)``: the same axis in the second bone's joint frame, and second_certainty: how surely that frame
    shows it, 0 where it does not, as of a forearm whose own joint turns the palm.
    """

    axis: Vector
    along: float
    bent: Vector
    certainty: float
    span: float
    second_axis: Vector = field(default_factory=lambda: np.zeros(3))
    second_certainty: float = 0.0

    def turned(self, q: Vector) -> Hinge:
        """The same hinge with the first bone's frame brought elsewhere by ``q (4,)``."""
        return replace(self, axis=rotation.rotate(q, self.axis), bent=rotation.rotate(q, self.bent))

    def flexed(self, onward: Vector, degrees: float) -> Vector | None:
        """The way the limb bends, ``(3,)`` square to its first bone, when it is bent by so many degrees in all.

        At an elbow that does not straighten into one line (its carrying angle) that changes as it bends. onward: unit
        vector along the first bone, in the hinge's frame. None where the hinge lies along the bone.
        """
        straight = onward - (onward @ self.axis) * self.axis
        if float(np.linalg.norm(straight)) < 0.2:
            return None
        straight = straight / np.linalg.norm(straight)
        ahead = cross(self.axis, straight)
        radius = float(np.sqrt(max(1.0 - self.along**2, 0.0)))
        angles = np.radians(np.arange(0.0, 171.0, 0.5))[:, None]
        way = self.along * self.axis + radius * (np.cos(angles) * straight + np.sin(angles) * ahead)
        bends = np.degrees(np.arccos(np.clip(way @ onward, -1.0, 1.0)))
        chosen = way[int(np.argmin(np.abs(bends - degrees)))] if bends[0] < degrees else ahead
        off = chosen - (chosen @ onward) * onward
        length = float(np.linalg.norm(off))
        return np.asarray(off / length) if length > 1e-6 else None

    def to_json(self) -> dict[str, Any]:
        second = {
            "second_axis": [round(float(v), 6) for v in self.second_axis],
            "second_certainty": round(self.second_certainty, 4),
        }
        return {
            "axis": [round(float(v), 6) for v in self.axis],
            "along": round(self.along, 6),
            "bent": [round(float(v), 6) for v in self.bent],
            "certainty": round(self.certainty, 4),
            "span": round(self.span, 2),
        } | (second if self.second_certainty > 0 else {})


@dataclass(frozen=True)
class Observed:
    """hinges: by the limb's first joint. soles: ``(K, 3)`` lowest points of the skin of foot and toe joints, in metres
    in the joint's frame. sole: height in metres of the lowest foot joint above the floor while feet rest, as motion
    shows it, or None. sole_clips: in how many clips it was seen; in a single clip it is not told apart from where that
    clip's floor lies. palms: of hand joints ``(3,)`` in the joint's frame, square to the palm and as long as half its
    thickness, in metres."""

    hinges: Mapping[int, Hinge] = field(default_factory=dict)
    soles: Mapping[int, Vector] = field(default_factory=dict)
    sole: float | None = None
    sole_clips: int = 0
    palms: Mapping[int, Vector] = field(default_factory=dict)

    def certainty_of(self, joint: int) -> float:
        """How sure the hinge of a limb is, 0 where none is known."""
        return self.hinges[joint].certainty if joint in self.hinges else 0.0

    def __bool__(self) -> bool:
        return bool(self.hinges or self.soles or self.palms or self.sole is not None)


NOTHING = Observed()


def to_json(observed: Observed, names: Sequence[str]) -> dict[str, Any]:
    """As plain data, by bone name; only what is known."""
    out: dict[str, Any] = {}
    if observed.hinges:
        out["hinges"] = {names[joint]: hinge.to_json() for joint, hinge in sorted(observed.hinges.items())}
    if observed.soles:
        out["soles"] = {names[joint]: points.round(5).tolist() for joint, points in sorted(observed.soles.items())}
    if observed.palms:
        out["palms"] = {names[joint]: palm.round(6).tolist() for joint, palm in sorted(observed.palms.items())}
    if observed.sole is not None:
        out["sole"], out["sole_clips"] = round(observed.sole, 5), observed.sole_clips
    return out


class HingeFile(BaseModel):
    """See :class:`Hinge`."""

    axis: Direction
    along: Number
    bent: Direction
    certainty: Certainty
    span: Number
    second_axis: Direction | None = None
    second_certainty: Certainty = 0.0

    def hinge(self) -> Hinge:
        second = np.zeros(3) if self.second_axis is None else _unit(self.second_axis)
        axis, bent = _unit(self.axis), _unit(self.bent)
        return Hinge(axis, self.along, bent, self.certainty, self.span, second, self.second_certainty)


class ObservedFile(BaseModel):
    """The JSON form of what is known of a body, by bone name; see :class:`Observed`."""

    hinges: dict[str, HingeFile] = {}
    soles: dict[str, list[Numbers3]] = {}
    palms: dict[str, Numbers3] = {}
    sole: Number | None = None
    sole_clips: Annotated[int, Field(ge=0)] | None = None

    def observed(self, index: Mapping[str, int]) -> Observed:
        """By joint. Bones that are not in the index are passed over."""
        seen = int(self.sole is not None)
        return Observed(
            {index[name]: row.hinge() for name, row in self.hinges.items() if name in index},
            {index[name]: np.array(rows).reshape(-1, 3) for name, rows in self.soles.items() if name in index},
            self.sole,
            seen if self.sole_clips is None else self.sole_clips,
            {index[name]: np.array(palm) for name, palm in self.palms.items() if name in index},
        )


OBSERVED_FILE = TypeAdapter(ObservedFile)


def from_json(table: Any, index: Mapping[str, int]) -> Observed:
    """Bones that are not in the index are passed over. Raises ValueError, saying where it is damaged."""
    return read(OBSERVED_FILE, table, "observation").observed(index)


def _unit(values: Numbers3) -> Vector:
    out = np.array(values)
    return np.asarray(out / np.linalg.norm(out))
