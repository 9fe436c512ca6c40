"""How well clips fit what is asked for: by the words of their names, and by what their motion does.

A word counts the more the fewer clips have it (inverse document frequency; Spärck Jones, *A statistical interpretation
of term specificity*, 1972). What is said of the motion in so many words weighs as a word does and is to hold; what a
word only implies weighs less, and speaks for a clip that is called otherwise.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.retrieval.features import MotionFeature
from armuto.retrieval.query import Query, Stems, stems_of

FITS = 0.5  # the least score of a clip that fits
IMPLIED = 0.35  # of the weight of a word: what its meaning says of the motion
MINOR = 0.5  # of the weight of a word: what only says how, or with what
ABSENT = 2.0  # the weight of a meaning that no clip has: the library lacks it
UNKNOWN = 0.5  # the weight of any other word that no clip has, which may be anything
SYNONYM = 0.85  # what another word of the same meaning counts
ABOUT = 0.8  # what a word counts that is not in the name
AGAINST = 0.5  # of its score is left to a clip of which something said of the motion does not hold at all


@dataclass(frozen=True)
class ClipText:
    """What a clip is searched by. about: its tags, its recipe and whence it came. features: of its motion, empty where
    it has not been measured."""

    name: str
    about: str
    features: Mapping[str, MotionFeature]


@dataclass(frozen=True)
class Match:
    """Something that was asked for, how far it is there from 0 to 1, and the word or the sentence that tells. kind:
    "word", "motion", or "implied"."""

    kind: str
    asked: str
    degree: float
    found: str


@dataclass(frozen=True)
class Ranking:
    """clip: its place among those of the index. score: from 0 to 1. matches: everything asked for."""

    clip: int
    score: float
    matches: tuple[Match, ...]


#: Something that is asked for: its kind, its name, its weight, and how far it is in each clip ``(clips,)``.
_Asked = tuple[str, str, float, FloatArray]


class ClipIndex:
    """Clips to be searched, indexed by the stems of their words."""

    def __init__(self, clips: Sequence[ClipText]) -> None:
        self.clips = clips
        self._texts = [[stems_of(clip.name) for clip in clips], [stems_of(clip.about) for clip in clips]]
        self._measured = np.array([bool(clip.features) for clip in clips])
        self._of_features: dict[str, tuple[FloatArray, BoolArray]] = {}
        self._having: list[dict[str, set[int]]] = [defaultdict(set), defaultdict(set)]
        for texts, having in zip(self._texts, self._having, strict=True):
            for at, stems in enumerate(texts):
                for word in stems:
                    having[word].add(at)

    def scores(self, query: Query) -> FloatArray:
        """How well each clip fits, from 0 to 1, ``(clips,)``; 0 where nothing is asked for."""
        return self._score(list(self._asked(query)))

    def _score(self, asked: Sequence[_Asked]) -> FloatArray:
        if not asked or not self.clips:
            return np.zeros(len(self.clips))
        degrees = np.stack([row for *_, row in asked])
        weights = np.repeat([[weight] for _, _, weight, _ in asked], len(self.clips), axis=1)
        # Of a clip that has not been measured, what words only imply is not asked.
        weights[np.array([kind == "implied" for kind, *_ in asked])] *= self._measured
        score = (degrees * weights).sum(axis=0) / np.maximum(weights.sum(axis=0), 1e-9)
        motions = [row for kind, _, _, row in asked if kind == "motion"]
        if motions:
            score = score * (AGAINST + (1 - AGAINST) * np.min(motions, axis=0))
        return np.asarray(score)

    def rank(self, query: Query) -> Iterator[Ranking]:
        """The clips in which anything is as asked for, the best first; those alike by their names."""
        asked = list(self._asked(query))
        scores = self._score(asked)
        names = [clip.name.lower() for clip in self.clips]
        found = sorted(np.flatnonzero(scores > 0), key=lambda at: (-round(float(scores[at]), 6), names[at], at))
        for at in found:
            yield Ranking(int(at), float(scores[at]), tuple(self._matches(query, asked, int(at))))

    def _asked(self, query: Query) -> Iterator[_Asked]:
        """Everything that is asked for."""
        count = len(self.clips)
        for word, meanings in query.terms.items():
            degrees = np.zeros(count)
            for phrase, counts in self._phrases(word, meanings):
                for text, weight in enumerate((1.0, ABOUT)):
                    held = self._holding(text, phrase)
                    degrees[held] = np.maximum(degrees[held], counts * weight)
            having = int((degrees > 0).sum())
            if having:
                # Between 1, for what every clip has, and 2.
                weight = 1.0 + float(np.log((1 + count) / (1 + having)) / np.log(1 + count))
            elif word in query.moving:
                continue
            else:
                weight = ABSENT if len(meanings) > 1 else UNKNOWN
            yield "word", word, weight * (MINOR if word in query.minor else 1.0), degrees
        for name, wanted in query.wanted.items():
            degrees, known = self._degrees(name)
            yield "motion", name, 1.0, np.where(known, degrees if wanted else 1 - degrees, 0.0)
        for name in sorted(query.implied):
            yield "implied", name, IMPLIED, self._degrees(name)[0]

    def _phrases(self, word: str, meanings: Mapping[Stems, str]) -> list[tuple[Stems, float]]:
        """The word itself, and what means the same, with what each counts."""
        own = stems_of(word)
        return [(own, 1.0), *((phrase, SYNONYM) for phrase in sorted(meanings) if phrase != own)]

    def _holding(self, text: int, phrase: Stems) -> list[int]:
        """The clips in whose text all words of a phrase stand in their order, whatever is between them."""
        rows = set.intersection(*(self._having[text].get(word, set()) for word in phrase)) if phrase else set()
        return [at for at in rows if len(phrase) == 1 or _in_order(self._texts[text][at], phrase)]

    def _degrees(self, name: str) -> tuple[FloatArray, BoolArray]:
        """How far a feature is in each clip, and of which it is known."""
        if name not in self._of_features:
            rows = [clip.features.get(name) for clip in self.clips]
            degrees = np.array([row.degree if row else 0.0 for row in rows])
            self._of_features[name] = degrees, np.array([row is not None for row in rows])
        return self._of_features[name]

    def _matches(self, query: Query, asked: Sequence[_Asked], at: int) -> Iterator[Match]:
        features = self.clips[at].features
        for kind, name, _, degrees in asked:
            degree = float(degrees[at])
            if kind == "word":
                found = self._where(name, query.terms[name], at) if degree else "nowhere in its name"
            elif name in features:
                found = features[name].sentence
            else:
                found = "this cannot be told of its body" if features else "its motion is not measured yet"
            shown = f"not: {name}" if kind == "motion" and not query.wanted[name] else name
            yield Match(kind, shown, degree, found)

    def _where(self, word: str, meanings: Mapping[Stems, str], at: int) -> str:
        """In words, where in a clip's texts a word, or another of its meaning, counts most."""
        held = [
            (counts * weight, phrase, place)
            for phrase, counts in self._phrases(word, meanings)
            for text, (weight, place) in enumerate(((1.0, "its name"), (ABOUT, "its tags, recipe or skeleton")))
            if at in self._holding(text, phrase)
        ]
        _, phrase, place = max(held, key=lambda row: row[0])
        return f"in {place}" if phrase == stems_of(word) else f"as “{meanings[phrase]}” in {place}"


def _in_order(text: Stems, phrase: Stems) -> bool:
    rest = iter(text)
    return all(word in rest for word in phrase)
