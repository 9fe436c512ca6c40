"""Landmarks of a body: the points that tell where its joints lie, their names, and how they are kept."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from armuto.errors import BadInput
from armuto.kinematics.arrays import FloatArray
from armuto.rigging.symmetry import MirrorPlane

SIDES = ("left", "right")
GUESSED = 0.05  # confidence of landmarks by usual proportions alone
DOUBTFUL = 0.5  # confidence under which a person is told to look
FINGERS = ("thumb", "index", "middle", "ring", "little")
#: Of a two-legged body, in its middle and on either side, with what each means.
MIDDLE = {
    "crown": "the highest point of the skull, without a hat",
    "chin": "where the head turns on the neck, at the height of the chin",
    "neck": "where the neck rises from the shoulders",
    "groin": "where the legs part",
}
SIDED = {
    "shoulder": "the middle of the shoulder's joint",
    "elbow": "the middle of the elbow",
    "wrist": "the middle of the wrist",
    "hand": "the far end of the hand, without fingers that are set by themselves",
    "hip": "the middle of the hip's joint",
    "knee": "the middle of the knee",
    "ankle": "the middle of the ankle",
    "ball": "the ball of the foot, where the toes bend",
    "toes": "the tips of the toes",
    "heel": "the hindmost point of the heel, on the floor",
}


#: Where landmarks of most bodies with lowered arms lie: to the side, up and ahead, over the height.
USUAL = {
    "crown": (0.0, 1.0, 0.0),
    "chin": (0.0, 0.87, 0.0),
    "neck": (0.0, 0.83, 0.0),
    "groin": (0.0, 0.47, 0.0),
    "shoulder": (0.105, 0.81, 0.0),
    "elbow": (0.2, 0.69, -0.01),
    "wrist": (0.28, 0.58, 0.0),
    "hand": (0.335, 0.5, 0.0),
    "hip": (0.055, 0.525, 0.0),
    "knee": (0.058, 0.285, 0.005),
    "ankle": (0.06, 0.05, -0.01),
    "ball": (0.065, 0.015, 0.06),
    "toes": (0.068, 0.015, 0.1),
    "heel": (0.06, 0.0, -0.045),
}


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
    """The landmarks of a two-legged body by name, such as "left elbow", and the plane in which it mirrors itself.

    ahead ``(3,)``: where the body looks. side ``(3,)``: towards its left.
    """

    points: Mapping[str, Landmark]
    origin: tuple[float, float, float]
    side: tuple[float, float, float]
    ahead: tuple[float, float, float]

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
            points[twin] = Landmark(_triple(self.plane.mirrored(np.array([x, y, z]))))
        return replace(self, points=points)


def _triple(row: FloatArray) -> tuple[float, float, float]:
    x, y, z = np.asarray(row, float).tolist()
    return x, y, z


def usual_landmarks(low: FloatArray, high: FloatArray) -> Landmarks:
    """Landmarks by usual proportions of a body between two corners ``(3,)`` that looks along +Z: to begin with by hand
    where a shape shows none."""
    height = float(high[1] - low[1])
    middle = np.array([(low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2])
    points = {}
    for name in needed():
        side, _, rest = name.partition(" ")
        place = np.array(USUAL[rest if rest in SIDED else name]) * height
        points[name] = Landmark(_triple(middle + place * [-1 if side == "right" else 1, 1, 1]), GUESSED)
    return Landmarks(points, _triple(middle), (1.0, 0.0, 0.0), (0.0, 0.0, 1.0))


def twin_of(name: str) -> str:
    """The landmark on the other side; one in the middle is its own."""
    for side, other in (SIDES, SIDES[::-1]):
        if name.startswith(f"{side} "):
            return f"{other} {name.removeprefix(f'{side} ')}"
    return name


def meaning_of(name: str) -> str:
    """What a landmark means, in anatomical words."""
    if name in MIDDLE:
        return MIDDLE[name]
    side, _, rest = name.partition(" ")
    if rest in SIDED:
        return SIDED[rest]
    finger, _, end = rest.partition(" ")
    if side in SIDES and finger in FINGERS and end in ("root", "tip"):
        return (
            f"the {'knuckle' if end == 'root' else 'far end'} of the {finger}{'' if finger == 'thumb' else ' finger'}"
        )
    raise KeyError(name)


def needed() -> list[str]:
    """The landmarks without which no skeleton is made."""
    return [*MIDDLE, *(f"{side} {name}" for side in SIDES for name in SIDED)]


def to_json(landmarks: Landmarks) -> dict[str, Any]:
    return {
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
    points = {}
    for name, row in data["landmarks"].items():
        try:
            meaning_of(name)
        except KeyError:
            raise BadInput(f"{file}: there is no landmark “{name[:60]}”; see docs/cli.md for their names.") from None
        confidence = row.get("confidence") if isinstance(row, dict) else None
        known = float(confidence) if isinstance(confidence, int | float) and 0 <= confidence <= 1 else None
        points[name] = Landmark(point_of(row.get("at") if isinstance(row, dict) else row, name, file), known)
    missing = [name for name in needed() if name not in points]
    if missing:
        raise BadInput(f"{file}: the landmark “{missing[0]}” is missing; add it, or begin with --propose.")
    side, ahead = (point_of(data.get(key), key, file) for key in ("side", "ahead"))
    if abs(np.linalg.norm(side) - 1) > 1e-3 or abs(np.linalg.norm(ahead) - 1) > 1e-3:
        raise BadInput(f"{file}: “side” and “ahead” are directions of length 1; say them so.")
    return Landmarks(points, point_of(data.get("origin"), "origin", file), side, ahead)


def point_of(value: Any, name: str, file: str) -> tuple[float, float, float]:
    right = isinstance(value, list) and len(value) == 3
    if not right or not all(isinstance(v, int | float) and not isinstance(v, bool) for v in value):
        raise BadInput(f"{file}: “{name}” is not three numbers; say where it lies as [x, y, z] in metres.")
    if not all(np.isfinite(v) and abs(v) < 1e4 for v in value):
        raise BadInput(f"{file}: “{name}” lies nowhere; say where it lies as [x, y, z] in metres.")
    return _triple(np.array(value))
