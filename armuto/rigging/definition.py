"""What a person decides about the bones of a mesh, as one value: everything else follows from it and the mesh."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, TypeGuard

from armuto.choices import UP_AXES
from armuto.errors import BadInput
from armuto.kinematics.arrays import FloatArray
from armuto.rigging import landmarks as marks
from armuto.rigging import naming as names
from armuto.rigging import piece_moves
from armuto.rigging.landmarks import Landmarks
from armuto.rigging.naming import BoneNaming
from armuto.rigging.piece_moves import PieceMove
from armuto.rigging.skeleton import usual_options
from armuto.rigging.skeleton_draft import SkeletonOptions
from armuto.text import shown

MOST_BONES = {"spine": (1, 6), "neck": (1, 8), "tail": (1, 12), "twists": (0, 3)}
MOST_CORRECTIONS = 500
MOST_PIECES = 1_000_000_000
LARGEST_UNIT = 1000.0  # metres
POSES = ("bound", "standing")  # as a mesh was bound to the bones that it had, or as these stand
FARTHEST = 0.5  # of a body's longest side, up to which a landmark may lie beside it


@dataclass(frozen=True)
class WeightCorrection:
    """A region of the surface that follows a bone more or less than was found.

    at ``(3,)``: its middle, in metres. radius: how far it reaches along the surface, in metres. amount: -1 to 1, what
    is added to the weights in its middle. mirrored: whether the other side of the body is corrected alike.
    """

    bone: str
    at: tuple[float, float, float]
    radius: float
    amount: float
    mirrored: bool = True


@dataclass(frozen=True)
class RigDefinition:
    """Landmarks, numbers of bones, what becomes of the pieces of the mesh, and corrections by hand.

    omitted: pieces that are left out, by number (:func:`armuto.rigging.components.components_of`). follows: the bone
    that a piece goes along with as it is, or None for one that bends with the body; others as they are proposed.
    softness: of pieces that bend more gradually than the body, as cloth does, above 0 and up to 1. moves: of pieces,
    before all else. pose: in which of :data:`POSES` a mesh is that had bones. unit: metres per unit of the file, and
    up: its up axis, where they are not as they were found. naming: what bones are called in the file that is written,
    where that is not as everywhere else.
    """

    landmarks: Landmarks
    options: SkeletonOptions = field(default_factory=SkeletonOptions)
    omitted: frozenset[int] = frozenset()
    follows: Mapping[int, str | None] = field(default_factory=dict)
    corrections: tuple[WeightCorrection, ...] = ()
    unit: float | None = None
    up: str | None = None
    naming: BoneNaming | None = None
    softness: Mapping[int, float] = field(default_factory=dict)
    moves: Mapping[int, PieceMove] = field(default_factory=dict)
    pose: str = "bound"

    @property
    def digest(self) -> str:
        data = to_json(self)
        # As those were told apart that were kept before there were other bodies.
        if self.landmarks.plan == "two-legged":
            del data["plan"]
        if not self.landmarks.has_tail:
            del data["options"]["tail"]
        if self.naming is None:
            del data["naming"]
        if not self.softness:
            del data["softness"]
        if not self.moves:
            del data["moves"]
        if self.pose == "bound":
            del data["pose"]
        return hashlib.sha256(json.dumps(data, sort_keys=True).encode()).hexdigest()

    def check_near(self, low: FloatArray, high: FloatArray, file: str) -> None:
        """Raises :class:`BadInput` where a landmark lies nowhere near a body between two corners ``(3,)``."""
        reach = FARTHEST * float((high - low).max())
        for name, row in self.landmarks.points.items():
            if not ((row.point > low - reach) & (row.point < high + reach)).all():
                raise BadInput(f"{file}: the landmark “{name}” lies far outside the body; move it to where it belongs.")

    def scaled(self, unit: float, before: float) -> RigDefinition:
        """The same body where its file is read in another unit."""
        share = unit / before

        def larger(at: tuple[float, float, float]) -> tuple[float, float, float]:
            return at[0] * share, at[1] * share, at[2] * share

        points = {name: replace(row, at=larger(row.at)) for name, row in self.landmarks.points.items()}
        return replace(
            self,
            unit=unit,
            landmarks=replace(self.landmarks, points=points, origin=larger(self.landmarks.origin)),
            corrections=tuple(replace(row, at=larger(row.at), radius=row.radius * share) for row in self.corrections),
            moves={piece: move.scaled(share) for piece, move in self.moves.items()},
        )


def proposed_definition(landmarks: Landmarks, unit: float | None = None, up: str | None = None) -> RigDefinition:
    """What follows from landmarks alone."""
    return RigDefinition(landmarks, usual_options(landmarks.plan), unit=unit, up=up)


def to_json(definition: RigDefinition) -> dict[str, Any]:
    options = definition.options
    return {
        **marks.to_json(definition.landmarks),
        "options": {
            "spine": options.spine,
            "neck": options.neck,
            "tail": options.tail,
            "twists": options.twists,
            "toes": options.toes,
            "root": options.root,
        },
        "omitted": sorted(definition.omitted),
        "follows": {str(piece): bone for piece, bone in sorted(definition.follows.items())},
        "corrections": [
            {
                "bone": row.bone,
                "at": [round(v, 5) for v in row.at],
                "radius": round(row.radius, 5),
                "amount": round(row.amount, 3),
                "mirrored": row.mirrored,
            }
            for row in definition.corrections
        ],
        "unit": definition.unit,
        "up": definition.up,
        "softness": {str(piece): round(value, 3) for piece, value in sorted(definition.softness.items())},
        "pose": definition.pose,
        "moves": piece_moves.to_json(definition.moves),
        "naming": None if definition.naming is None else names.to_json(definition.naming),
    }


def from_json(data: Any, file: str) -> RigDefinition:
    """Raises :class:`BadInput` for what is no definition."""
    found = marks.from_json(data, file)
    unit, up = data.get("unit"), data.get("up")
    if unit is not None and not (_number(unit) and 0 < unit <= LARGEST_UNIT):
        raise BadInput(f"{file}: a unit is a length in metres, up to {LARGEST_UNIT:g}; say another.")
    if up is not None and up not in UP_AXES:
        raise BadInput(f"{file}: “{str(up)[:20]}” is no axis; up is one of {', '.join(UP_AXES)}.")
    pose = data.get("pose", "bound")
    if pose not in POSES:
        raise BadInput(f"{file}: “{shown(pose)}” is no pose; it is one of {', '.join(POSES)}.")
    omitted = data.get("omitted", [])
    follows = data.get("follows", {})
    corrections = data.get("corrections", [])
    if not isinstance(omitted, list) or not all(isinstance(row, int) and 0 <= row < MOST_PIECES for row in omitted):
        raise BadInput(f"{file}: pieces that are left out are said by their numbers.")
    if not isinstance(follows, dict) or not all(
        piece.isdecimal() and len(piece) < 10 and (bone is None or isinstance(bone, str))
        for piece, bone in follows.items()
    ):
        raise BadInput(f"{file}: “follows” says the bone that each piece goes along with, by its number.")
    if not isinstance(corrections, list) or len(corrections) > MOST_CORRECTIONS:
        raise BadInput(f"{file}: corrections are a list of at most {MOST_CORRECTIONS}.")
    return RigDefinition(
        found,
        _options(data.get("options", {}), usual_options(found.plan), file),
        frozenset(omitted),
        {int(piece): None if bone is None else bone[:120] for piece, bone in follows.items()},
        tuple(_correction(row, file) for row in corrections),
        None if unit is None else float(unit),
        up,
        names.from_json(data.get("naming"), file),
        _softness(data.get("softness", {}), file),
        {piece: move for piece, move in piece_moves.from_json(data.get("moves", {}), file).items() if not move.stays},
        pose,
    )


def read(text: str, file: str) -> RigDefinition:
    """A definition from JSON; landmarks alone are one, too. Raises :class:`BadInput`."""
    try:
        data = json.loads(text)
    except (ValueError, RecursionError) as problem:
        raise BadInput(f"{file}: its JSON cannot be read ({str(problem)[:80]}); correct it there.") from None
    return from_json(data, file)


def _options(data: Any, usual: SkeletonOptions, file: str) -> SkeletonOptions:
    if not isinstance(data, dict):
        raise BadInput(f"{file}: “options” says how many bones there are; see docs/cli.md.")
    counts: dict[str, int] = {}
    for name, (least, most) in MOST_BONES.items():
        value = data.get(name, getattr(usual, name))
        if not isinstance(value, int) or isinstance(value, bool) or not least <= value <= most:
            raise BadInput(f"{file}: there can be {least} to {most} {name} bones; say another number.")
        counts[name] = value
    toes, root = bool(data.get("toes", True)), bool(data.get("root", True))
    return SkeletonOptions(counts["spine"], counts["neck"], counts["tail"], counts["twists"], toes, root)


def _softness(data: Any, file: str) -> dict[int, float]:
    if not isinstance(data, dict) or not all(
        piece.isdecimal() and len(piece) < 10 and _number(value) and 0 < value <= 1 for piece, value in data.items()
    ):
        raise BadInput(f"{file}: “softness” says for a piece, by its number, how soft it is, above 0 and up to 1.")
    return {int(piece): float(value) for piece, value in data.items()}


def _correction(row: Any, file: str) -> WeightCorrection:
    sentence = f"{file}: a correction of weights has a bone, a place, a radius and an amount from -1 to 1."
    if not isinstance(row, dict) or not isinstance(row.get("bone"), str):
        raise BadInput(sentence)
    radius, amount = row.get("radius"), row.get("amount")
    if not (_number(radius) and 0 < radius <= 10 and _number(amount) and -1 <= amount <= 1):
        raise BadInput(sentence)
    return WeightCorrection(
        row["bone"][:120],
        marks.point_of(row.get("at"), "at", file),
        float(radius),
        float(amount),
        bool(row.get("mirrored", True)),
    )


def _number(value: Any) -> TypeGuard[float]:
    return isinstance(value, int | float) and not isinstance(value, bool) and value == value
