"""Naming knowledge as data, one file per language, and how a bone's name is read with it."""

from __future__ import annotations

import json
import re
import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cache, cached_property
from importlib import resources

LANGUAGES = ("english", "german", "french", "spanish", "italian", "japanese")
PIECE = re.compile(r"[A-Z]+(?=[A-Z][a-z])|[A-Z]?[a-z]+|[A-Z]+|\d+|[\u3040-\u30ff\u4e00-\u9fff]+")
MISSPELT = 0.85  # what a word is worth that is one letter off
FOREIGN = 3  # words of a language that make it the one the bones are named in


@dataclass(frozen=True)
class BoneName:
    """A bone's name taken apart: the words that say what it is, its side, its numbers, whether it is a helper.

    misspelt: whether a word was only recognised with one letter changed.
    """

    words: tuple[str, ...]
    side: str
    numbers: tuple[int, ...]
    helper: str
    misspelt: bool = False


Scores = dict[str, tuple[float, str]]  # kind of part to how surely it is named, and the phrase that names it


@dataclass(frozen=True)
class Lexicon:
    """sides: word to side. phrases: for each kind of part, the words of a phrase and its weight."""

    sides: dict[str, str]
    helpers: frozenset[str]
    fillers: frozenset[str]
    phrases: dict[str, dict[tuple[str, ...], float]]
    _read: dict[str, BoneName] = field(default_factory=dict, repr=False, compare=False)
    _scores: dict[BoneName, Scores] = field(default_factory=dict, repr=False, compare=False)

    @cached_property
    def vocabulary(self) -> frozenset[str]:
        """Words that may be found inside a longer run of lower-case letters."""
        words = {word for rows in self.phrases.values() for phrase in rows for word in phrase}
        sides = {word for word in self.sides if len(word) > 3 or not word.isascii()}
        return frozenset(words | sides | self.fillers | self.helpers | {"finger"})

    @cached_property
    def _by_word(self) -> dict[str, list[tuple[str, tuple[str, ...], float]]]:
        """Kind, phrase and weight by the first word of the phrase."""
        out: dict[str, list[tuple[str, tuple[str, ...], float]]] = {}
        for kind, rows in self.phrases.items():
            for phrase, weight in rows.items():
                out.setdefault(phrase[0], []).append((kind, phrase, weight))
        return out

    @cached_property
    def _longest(self) -> int:
        """Letters of the longest known word."""
        return max(map(len, (*self.vocabulary, *self.sides)))

    @cached_property
    def _nearly(self) -> dict[str, str]:
        """Every known word of five letters or more, itself and with any one letter left out."""
        out: dict[str, str] = {}
        for word in sorted(word for word in self.vocabulary if len(word) >= 5 and word.isascii()):
            for rest in (word, *_shortened(word)):
                out.setdefault(rest, word)
        return out

    def read(self, name: str) -> BoneName:
        """Split a name on case, digits and separators, and tell side words and numbers from the rest."""
        found = self._read.get(name)
        if found is None:
            if len(self._read) > 50_000:
                self._read.clear()
            found = self._read[name] = self._taken_apart(name)
        return found

    def _taken_apart(self, name: str) -> BoneName:
        words, numbers, side, helper, misspelt = [], [], "", "", False
        for piece in (word for run in PIECE.findall(plain(name)) for word in self._split(run.lower())):
            if piece.isdigit():
                numbers.append(int(piece[:9]))
                continue
            known = self._known(piece)
            misspelt |= known != piece
            if known in self.sides and (not side or len(known) > 1):
                side = self.sides[known]
            elif known in self.helpers:
                helper = helper or known
            elif known not in self.fillers:
                words.append(known)
        return BoneName(tuple(words), side, tuple(numbers), helper, misspelt)

    def _known(self, piece: str) -> str:
        """The piece, or the known word that it is one letter off from: one more, one less, another, or two
        exchanged."""
        if len(piece) < 4 or piece in self.vocabulary or piece in self.sides:
            return piece
        if piece in self._nearly:
            return self._nearly[piece]
        for rest in _shortened(piece):
            word = self._nearly.get(rest)
            if word and abs(len(word) - len(piece)) <= 1 and len(piece) > 4:
                return word
        return piece

    def _split(self, piece: str) -> list[str]:
        """A run of letters as known words, if all of it is made of them: "leftforearm" to "left", "forearm"."""
        short = 1 if not piece.isascii() else 3
        if piece.isdigit() or piece in self.vocabulary or piece in self.sides or len(piece) < short + 1:
            return [piece]
        if words := self._as_words(piece, short):
            return words
        # One letter for the side before or after known words: "lforearm", "handr".
        for side, rest in ((piece[0], piece[1:]), (piece[-1], piece[:-1])):
            if side in self.sides:
                inner = [rest] if rest in self.vocabulary else self._as_words(rest, short) if len(rest) > 4 else []
                if inner and all(word in self.vocabulary for word in inner):
                    return [side, *inner]
        return [piece]

    def _as_words(self, piece: str, short: int) -> list[str]:
        """The fewest known words, each of at least ``short`` letters, that make up a run of letters; or none."""
        best: dict[int, list[str]] = {0: []}
        for stop in range(1, len(piece) + 1):
            for start in range(max(0, stop - self._longest), stop):
                word = piece[start:stop]
                known = (word in self.vocabulary or word in self.sides) and len(word) >= short
                if start in best and known and (stop not in best or len(best[start]) + 1 < len(best[stop])):
                    best[stop] = [*best[start], word]
        return best.get(len(piece), [])

    def scores(self, name: BoneName) -> Scores:
        """How surely the name says each kind of part, 0 to 1, and the phrase that says so; kinds it does not say are
        absent."""
        found = self._scores.get(name)
        if found is None:
            if len(self._scores) > 50_000:
                self._scores.clear()
            found = self._scores[name] = self._scored(name)
        return found

    def _scored(self, name: BoneName) -> Scores:
        spoken = (*name.words, name.helper) if name.helper else name.words
        out: Scores = {}
        for word in dict.fromkeys(spoken):
            for kind, phrase, weight in self._by_word.get(word, ()):
                # A helper word ("tail", "twist") rules out every reading that does not name it.
                if all(word in spoken for word in phrase) and (not name.helper or name.helper in phrase):
                    value = weight * (0.5 + 0.5 * len(phrase) / len(spoken)) * (MISSPELT if name.misspelt else 1.0)
                    if value > out.get(kind, (0.0, ""))[0]:
                        out[kind] = (value, " ".join(phrase))
        return out

    def score(self, name: BoneName, kind: str) -> tuple[float, str]:
        """How surely the name says this kind of part, 0 to 1, and the phrase that says so."""
        return self.scores(name).get(kind, (0.0, ""))


def plain(text: str) -> str:
    """A text without accents and ligatures: "Épaule" to "Epaule", "Fuß" to "Fuss"."""
    if text.isascii():
        return text
    text = text.replace("ß", "ss").replace("œ", "oe").replace("Œ", "Oe").replace("æ", "ae")
    # Marks on Latin letters go; the voicing marks of Japanese stay with their letters.
    parts = unicodedata.normalize("NFKD", text)
    return unicodedata.normalize("NFC", "".join(c for c in parts if not 0x300 <= ord(c) < 0x370))


def _shortened(word: str) -> set[str]:
    return {word[:n] + word[n + 1 :] for n in range(len(word))}


def _table(language: str) -> dict:  # type: ignore[type-arg]
    return json.loads(resources.files("armuto.body.lexicon").joinpath(f"{language}.json").read_text("utf-8"))  # type: ignore[no-any-return]


@cache
def lexicon(language: str = "english") -> Lexicon:
    """The lexicon of a language, on top of English; raises FileNotFoundError for one that does not exist."""
    tables = [_table("english")] if language == "english" else [_table(language), _table("english")]
    sides: dict[str, str] = {}
    phrases: dict[str, dict[tuple[str, ...], float]] = {}
    for table in tables:
        for side, words in table["sides"].items():
            for word in words:
                sides.setdefault(plain(word), side)
        for kind, rows in table["phrases"].items():
            for phrase, weight in rows.items():
                phrases.setdefault(kind, {}).setdefault(tuple(plain(phrase).split()), weight)
    # What a word means in the language itself goes before what it means in English ("main", "pie", "bras").
    own = {word for rows in tables[0]["phrases"].values() for phrase in rows for word in plain(phrase).split()}
    helpers = frozenset(plain(word) for word in tables[0]["helpers"])
    fillers = frozenset(plain(word) for word in tables[0]["fillers"])
    if len(tables) > 1:
        helpers |= frozenset(tables[1]["helpers"]) - own
        fillers |= frozenset(tables[1]["fillers"]) - own
    return Lexicon(sides, helpers, fillers, phrases)


@cache
def _telling() -> dict[str, re.Pattern[str]]:
    """For every language but English, a pattern of its words that English does not have."""
    english = lexicon().vocabulary
    out = {}
    for language in LANGUAGES[1:]:
        words = {w for w in lexicon(language).vocabulary | set(lexicon(language).sides) if w not in english}
        long = sorted((w for w in words if len(w) > 3 or not w.isascii()), key=len, reverse=True)
        short = sorted(w for w in words if len(w) == 3 and w.isascii())
        out[language] = re.compile("|".join([*long, rf"(?<![a-z])(?:{'|'.join(short)})(?![a-z])"]))
    return out


def lexicon_for(names: Sequence[str]) -> Lexicon:
    """The lexicon of the language that most of these names are in; English where none stands out."""
    text = plain("\n".join(names)).lower()
    counts = {language: len(set(re.findall(pattern, text))) for language, pattern in _telling().items()}
    best = max(counts, key=lambda language: counts[language])
    return lexicon(best if counts[best] >= FOREIGN else "english")
