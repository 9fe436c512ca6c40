"""How pieces of a mesh are moved and turned before it is bound, as a person says it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from armuto.errors import BadInput
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.rigging.landmarks import point_of, triple

Triple = tuple[float, float, float]
FARTHEST = 10.0  # metres that a piece may be moved


@dataclass(frozen=True)
class PieceMove:
    """A piece is turned about a place and then moved.

    offset ``(3,)``: in metres. turn ``(3,)``: the axis about which it is turned, as long as the angle in degrees.
    pivot ``(3,)``: the place about which it is turned, where that lies in the mesh as it came, in metres.
    """

    offset: Triple
    turn: Triple
    pivot: Triple

    @property
    def rotation(self) -> FloatArray:
        """The turn as a unit quaternion ``(4,)``."""
        return rotation.from_vector(np.radians(self.turn))

    @property
    def stays(self) -> bool:
        """Whether everything stays where it is."""
        return not any(self.offset) and not any(self.turn)

    def applied(self, points: FloatArray) -> FloatArray:
        """Where points of the piece ``(…, 3)`` come to lie."""
        pivot = np.array(self.pivot)
        return np.asarray(rotation.rotate(self.rotation, points - pivot) + pivot + np.array(self.offset))

    def undone(self, points: FloatArray) -> FloatArray:
        """Where points ``(…, 3)`` of the piece that was moved lay before."""
        pivot = np.array(self.pivot)
        back = rotation.inverse(self.rotation)
        return np.asarray(rotation.rotate(back, points - pivot - np.array(self.offset)) + pivot)

    def scaled(self, share: float) -> PieceMove:
        """The same where the file is read in a unit so many times as large."""
        offset, pivot = (triple(np.array(row) * share) for row in (self.offset, self.pivot))
        return replace(self, offset=offset, pivot=pivot)


def to_json(moves: Mapping[int, PieceMove]) -> dict[str, Any]:
    return {
        str(piece): {
            "offset": [round(v, 5) for v in row.offset],
            "turn": [round(v, 3) for v in row.turn],
            "pivot": [round(v, 5) for v in row.pivot],
        }
        for piece, row in sorted(moves.items())
    }


def from_json(data: Any, file: str) -> dict[int, PieceMove]:
    """Moves by the numbers of pieces. Raises :class:`BadInput`."""
    if not isinstance(data, dict) or not all(piece.isdecimal() and len(piece) < 10 for piece in data):
        raise BadInput(f"{file}: “moves” says for a piece, by its number, how it is moved; see docs/cli.md.")
    out = {}
    for piece, row in data.items():
        if not isinstance(row, dict):
            raise BadInput(f"{file}: a move has an “offset”, a “turn” and a “pivot”; see docs/cli.md.")
        move = PieceMove(*(point_of(row.get(key), key, file) for key in ("offset", "turn", "pivot")))
        if max(map(abs, move.offset)) > FARTHEST:
            raise BadInput(f"{file}: a piece is moved by {FARTHEST:g} m at most; say less.")
        out[int(piece)] = move
    return out
