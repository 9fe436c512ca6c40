"""Naming knowledge as data, and how a bone's name is read with it."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass
from functools import cache, cached_property
from importlib import resources

PIECE = re.compile(r"[A-Z]+(?=[A-Z][a-z])|[A-Z]?[a-z]+|[A-Z]+|\d+")


@dataclass(frozen=True)
class BoneName:
    """A bone's name taken apart: the words that say what it is, its side, its numbers, whether it is a helper."""

    words: tuple[str, ...]
    side: str
    numbers: tuple[int, ...]
    helper: str


@dataclass(frozen=True)
class Lexicon:
    """sides: word to side. phrases: for each kind of part, the words of a phrase and its weight."""

    sides: dict[str, str]
    helpers: frozenset[str]
    fillers: frozenset[str]
    phrases: dict[str, dict[tuple[str, ...], float]]

    @cached_property
    def vocabulary(self) -> frozenset[str]:
        """Words that may be found inside a longer run of lower-case letters."""
        words = {word for rows in self.phrases.values() for phrase in rows for word in phrase}
        sides = {word for word in self.sides if len(word) > 3}
        return frozenset(words | sides | self.fillers | self.helpers | {"finger"})

    def read(self, name: str) -> BoneName:
        """Split a name on case, digits and separators, and tell side words and numbers from the rest."""
        pieces = [part for piece in PIECE.findall(name) for part in self._split(piece.lower())]
        words, numbers, side, helper = [], [], "", ""
        for piece in pieces:
            if piece.isdigit():
                numbers.append(int(piece))
            elif piece in self.sides and (not side or len(piece) > 1):
                side = self.sides[piece]
            elif piece in self.helpers:
                helper = helper or piece
            elif piece not in self.fillers:
                words.append(piece)
        return BoneName(tuple(words), side, tuple(numbers), helper)

    def _split(self, piece: str) -> list[str]:
        """A run of letters as known words, if all of it is made of them: "leftforearm" to "left", "forearm"."""
        if piece.isdigit() or piece in self.vocabulary or len(piece) < 5:
            return [piece]
        best: dict[int, list[str]] = {0: []}
        for stop in range(2, len(piece) + 1):
            for start in range(stop - 1):
                word = piece[start:stop]
                known = word in self.vocabulary and len(word) > 2
                if start in best and known and (stop not in best or len(best[start]) + 1 < len(best[stop])):
                    best[stop] = [*best[start], word]
        if len(piece) in best:
            return best[len(piece)]
        # One letter for the side before or after known words: "lforearm", "handr".
        for side, rest in ((piece[0], piece[1:]), (piece[-1], piece[:-1])):
            if side in "lr" and rest in self.vocabulary:
                return [side, rest]
        return [piece]

    def score(self, name: BoneName, kind: str) -> tuple[float, str]:
        """How surely the name says this kind of part, 0 to 1, and the phrase that says so."""
        best, why = 0.0, ""
        said = (*name.words, name.helper) if name.helper else name.words
        for phrase, weight in self.phrases[kind].items():
            # A helper word ("tail", "twist") rules out every reading that does not name it.
            if all(word in said for word in phrase) and (not name.helper or name.helper in phrase):
                covered = len(phrase) / len(said)
                value = weight * (0.5 + 0.5 * covered)
                if value > best:
                    best, why = value, " ".join(phrase)
        return best, why


@cache
def lexicon(language: str = "english") -> Lexicon:
    """A lexicon by language; raises FileNotFoundError for one that does not exist."""
    table = json.loads(resources.files("armuto.lexicon").joinpath(f"{language}.json").read_text("utf-8"))
    return Lexicon(
        {word: side for side, words in table["sides"].items() for word in words},
        frozenset(table["helpers"]),
        frozenset(table["fillers"]),
        {kind: {tuple(p.split()): w for p, w in rows.items()} for kind, rows in table["phrases"].items()},
    )
