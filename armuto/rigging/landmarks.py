"""Landmarks of a body: the points that tell where its joints lie, their names, and how they are kept."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from armuto.errors import BadInput
from armuto.kinematics.arrays import FloatArray
from armuto.rigging.landmark_sets import LANDMARK_SETS, SIDES, LandmarkSet
from armuto.rigging.symmetry import MirrorPlane
from armuto.text import shown

GUESSED = 0.05  # confidence of landmarks by usual proportions alone
DOUBTFUL = 0.5  # confidence under which a person is told to look


@dataclass(frozen=True)
class Landmark:
    """A point ``(3,)`` in metres, +Y up. confidence: 0 to 1 of a proposal; None where a person has set it."""

    at: tuple[float, float, float]
    confidence: float | None = None

    @property
    def point(self) -> FloatArray:
        return np.array(self.at)


@dataclass(frozen=True)
class Landmarks:
    """The landmarks of a body by name, such as "left elbow", and the plane in which it mirrors itself.

    plan: what kind of body it is, as in :data:`.landmark_sets.LANDMARK_SETS`. ahead ``(3,)``: where the body looks.
    side ``(3,)``: towards its left.
    """

    points: Mapping[str, Landmark]
    origin: tuple[float, float, float]
    side: tuple[float, float, float]
    ahead: tuple[float, float, float]
    plan: str = "two-legged"

    @property
    def landmark_set(self) -> LandmarkSet:
        """Which landmarks bodies of this plan have."""
        return LANDMARK_SETS[self.plan]

    @property
    def has_tail(self) -> bool:
        return "tail root" in self.points and "tail tip" in self.points

    def at(self, name: str) -> FloatArray:
        return self.points[name].point

    @property
    def plane(self) -> MirrorPlane:
        return MirrorPlane(np.array(self.origin), np.array(self.side), 1.0)

    @property
    def doubtful(self) -> list[str]:
        """Proposals that the shape does not show clearly."""
        return [name for name, row in self.points.items() if row.confidence is not None and row.confidence < DOUBTFUL]

    def moved(self, name: str, to: FloatArray, both: bool = True) -> Landmarks:
        """With a landmark set by hand; its twin on the other side follows in the mirror, and one in the middle stays in
        the plane, unless only this is to move."""
        x, y, z = np.asarray(to, float).tolist()
        points = dict(self.points) | {name: Landmark((x, y, z))}
        twin = twin_of(name)
        if both and twin != name and twin in points:
            points[twin] = Landmark(triple(self.plane.mirrored(np.array([x, y, z]))))
        return replace(self, points=points)


def triple(row: FloatArray) -> tuple[float, float, float]:
    """A point ``(3,)`` as it is kept in values."""
    x, y, z = np.asarray(row, float).tolist()
    return x, y, z


def usual_landmarks(low: FloatArray, high: FloatArray, plan: str = "two-legged") -> Landmarks:
    """Landmarks by usual proportions of a body between two corners ``(3,)`` that looks along +Z: to begin with by hand
    where a shape shows none."""
    height = float(high[1] - low[1])
    middle = np.array([(low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2])
    known = LANDMARK_SETS[plan]
    points = {
        name: Landmark(triple(middle + np.array(known.usual_place(name)) * height), GUESSED) for name in known.needed
    }
    return Landmarks(points, triple(middle), (1.0, 0.0, 0.0), (0.0, 0.0, 1.0), plan)


def twin_of(name: str) -> str:
    """The landmark on the other side; one in the middle is its own."""
    for side, other in (SIDES, SIDES[::-1]):
        if name.startswith(f"{side} "):
            return f"{other} {name.removeprefix(f'{side} ')}"
    return name


def to_json(landmarks: Landmarks) -> dict[str, Any]:
    return {
        "plan": landmarks.plan,
        "origin": [round(v, 5) for v in landmarks.origin],
        "side": [round(v, 6) for v in landmarks.side],
        "ahead": [round(v, 6) for v in landmarks.ahead],
        "landmarks": {
            name: {"at": [round(v, 5) for v in row.at]}
            | ({} if row.confidence is None else {"confidence": round(row.confidence, 2)})
            for name, row in landmarks.points.items()
        },
    }


def from_json(data: Any, file: str) -> Landmarks:
    """Raises :class:`BadInput` where a landmark is unknown, missing or no point."""
    if not isinstance(data, dict) or not isinstance(data.get("landmarks"), dict):
        raise BadInput(f"{file}: it has no “landmarks”; write one with --propose and change that.")
    plan = data.get("plan", "two-legged")
    if not isinstance(plan, str) or plan not in LANDMARK_SETS:
        raise BadInput(f"{file}: “{shown(plan)}” is no kind of body; “plan” is one of {', '.join(LANDMARK_SETS)}.")
    known = LANDMARK_SETS[plan]
    points = {}
    for name, row in data["landmarks"].items():
        try:
            known.meaning(name)
        except KeyError:
            raise BadInput(f"{file}: there is no landmark “{shown(name)}”; see docs/cli.md for their names.") from None
        confidence = row.get("confidence") if isinstance(row, dict) else None
        sure = float(confidence) if isinstance(confidence, int | float) and 0 <= confidence <= 1 else None
        points[name] = Landmark(point_of(row.get("at") if isinstance(row, dict) else row, name, file), sure)
    missing = [name for name in known.needed if name not in points]
    if missing:
        raise BadInput(f"{file}: the landmark “{missing[0]}” is missing; add it, or begin with --propose.")
    side, ahead = (point_of(data.get(key), key, file) for key in ("side", "ahead"))
    if abs(np.linalg.norm(side) - 1) > 1e-3 or abs(np.linalg.norm(ahead) - 1) > 1e-3:
        raise BadInput(f"{file}: “side” and “ahead” are directions of length 1; say them so.")
    return Landmarks(points, point_of(data.get("origin"), "origin", file), side, ahead, plan)


def point_of(value: Any, name: str, file: str) -> tuple[float, float, float]:
    right = isinstance(value, list) and len(value) == 3
    if not right or not all(isinstance(v, int | float) and not isinstance(v, bool) for v in value):
        raise BadInput(f"{file}: “{name}” is not three numbers; say where it lies as [x, y, z] in metres.")
    if not all(abs(v) < 1e4 for v in value):  # nor is what is no number
        raise BadInput(f"{file}: “{name}” lies nowhere; say where it lies as [x, y, z] in metres.")
    return triple(np.array(value))
