"""What is asked for: a person's words as meanings to be found in names, and as features that the motion should have.

Words are compared by their stems (Porter's second stemmer), so that “carries”, “carrying” and “carry” are one word.
"""

from __future__ import annotations

import json
import re
from dataclasses import dataclass, field
from functools import cached_property, lru_cache
from importlib.resources import files

from armuto.lazy import lazily

snowballstemmer = lazily("snowballstemmer")

WORD = re.compile(r"[^\W\d_]+(?:['’][^\W\d_]+)?|\d+")
CAMEL = re.compile(r"(?<=[a-z])(?=[A-Z])")
LONGEST = 4_000  # characters of what is asked for that are read

Stems = tuple[str, ...]


@dataclass(frozen=True)
class Query:
    """What is asked for.

    terms: each word as it was written, with all words of its meanings by their stems. minor: those of them that only
    say how or with what; moving: that ask for a feature as well, which tells it whatever a clip is called. wanted:
    features the motion is to have, and which it is not to have, each said in so many words. implied: features that go
    with the terms' meanings.
    """

    terms: dict[str, dict[Stems, str]] = field(default_factory=dict)
    minor: frozenset[str] = frozenset()
    moving: frozenset[str] = frozenset()
    wanted: dict[str, bool] = field(default_factory=dict)
    implied: frozenset[str] = frozenset()

    @property
    def empty(self) -> bool:
        return not self.terms and not self.wanted


@dataclass(frozen=True)
class _Vocabulary:
    """meanings: per word or phrase, the numbers of its meanings. words: per meaning, all of them. implies: per meaning,
    features. phrases: of features."""

    meanings: dict[Stems, tuple[int, ...]]
    words: tuple[dict[Stems, str], ...]
    implies: tuple[tuple[str, ...], ...]
    phrases: dict[Stems, str]
    fillers: frozenset[str]
    negations: frozenset[str]

    @cached_property
    def longest(self) -> int:
        return max(map(len, [*self.phrases, *self.meanings]))

    def has(self, phrase: Stems) -> bool:
        return phrase in self.phrases or phrase in self.meanings


def read_query(motion: str, *manner: str) -> Query:
    """What is asked for of a motion: in words, and how or with what in texts of their own. A word that stands in a
    phrase for a feature alone is not looked for in names."""
    reading = _Reading({}, set(), {}, set())
    reading.read(motion)
    of_motion = set(reading.terms)
    for text in manner:
        reading.read(text)
    minor = frozenset(reading.terms.keys() - of_motion)
    implied = frozenset(reading.implied - reading.wanted.keys())
    return Query(reading.terms, minor, frozenset(reading.moving), reading.wanted, implied)


@dataclass
class _Reading:
    """A query while it is read."""

    terms: dict[str, dict[Stems, str]]
    moving: set[str]
    wanted: dict[str, bool]
    implied: set[str]

    def read(self, text: str) -> None:
        for clause in re.split(r"[,;.:\n]", text[:LONGEST]):
            self._read_clause(clause)

    def _read_clause(self, text: str) -> None:
        known, words = _vocabulary(), words_of(text)
        stems = tuple(stem(word) for word in words)
        at, negated = 0, False
        while at < len(words):
            # The longest phrase that is known begins here, or a word by itself.
            most = min(known.longest, len(words) - at)
            lengths = range(most, 0, -1)
            length = next((count for count in lengths if known.has(stems[at : at + count])), 1)
            phrase, written = stems[at : at + length], " ".join(words[at : at + length])
            at += length
            feature = known.phrases.get(phrase)
            if feature is not None:
                self.wanted[feature] = not negated
            # What names a thing or a doing may name the clip as well; a word that only says how is the motion's.
            if phrase in known.meanings and not negated:
                numbers = known.meanings[phrase]
                self.terms[written] = {stems: word for n in numbers for stems, word in known.words[n].items()}
                self.implied |= set(known.implies[numbers[0]])
                if feature is not None:
                    self.moving.add(written)
            elif feature is None and written in known.negations:
                negated = True
                continue
            elif feature is None and written not in known.fillers and not negated:
                self.terms[written] = {phrase: written}
            negated = negated and written in known.fillers


def words_of(text: str) -> list[str]:
    """The words of a text or of a name, in small letters: “Carry_TheCrate01” has four."""
    return [word.lower().replace("’", "'") for word in WORD.findall(CAMEL.sub(" ", text))]


@lru_cache(maxsize=8192)
def stem(word: str) -> str:
    return str(snowballstemmer.stemmer("english").stemWord(word))


def stems_of(text: str) -> Stems:
    return tuple(stem(word) for word in words_of(text))


@lru_cache(maxsize=1)
def _vocabulary() -> _Vocabulary:
    table = json.loads(files("armuto.retrieval").joinpath("vocabulary.json").read_text("utf-8"))
    meanings: dict[Stems, tuple[int, ...]] = {}
    words = []
    for number, row in enumerate(table["terms"]):
        own = [stems_of(word) for word in row]
        words.append(dict(zip(own, row, strict=True)))
        # A word names its own meaning before those in which it is one of several.
        for place, phrase in enumerate(own):
            before = meanings.get(phrase, ())
            meanings[phrase] = (number, *before) if place == 0 else (*before, number)
    return _Vocabulary(
        meanings,
        tuple(words),
        tuple(tuple(table["implies"].get(row[0], ())) for row in table["terms"]),
        {stems_of(phrase): name for name, phrases in table["features"].items() for phrase in phrases},
        frozenset(table["fillers"]),
        frozenset(table["negations"]),
    )
