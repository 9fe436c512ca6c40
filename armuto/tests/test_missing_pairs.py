"""Fittings in which pairs are missing: whatever is left performs as far as it can, and what is missing is said.

``python -m armuto.tests.test_missing_pairs`` tries every two pairs removed from the fitting of every demo figure; the
tests every single pair, all of them, and some of the twos.
"""

import random
import unittest
from collections.abc import Collection
from dataclasses import replace
from itertools import combinations

import numpy as np

from armuto.pipeline import retarget
from armuto.quality.findings import findings
from armuto.quality.measures import measure
from armuto.retarget.explanation import follows
from armuto.retarget.fitting import Fitting, fit
from armuto.tests.golden_numbers import demo

FIGURES = {
    "bellringer.glb": "hall/walk.bvh",
    "keeper.glb": "hall/walk.bvh",
    "porter.glb": "hall/walk.bvh",
    "striker.glb": "hall/walk.bvh",
    "fox.glb": "yard/trot.bvh",
    "heron.glb": "roof/birds.glb",
}
TWOS = 6  # of each figure, by chance


def without(made: Fitting, figure: str, removed: Collection[int]) -> Fitting:
    """The fitting without some of its pairs, as somebody leaves it who removes them by hand."""
    source, target = demo(FIGURES[figure]), demo(figure)
    pairs = tuple(pair for at, pair in enumerate(made.pairs) if at not in removed)
    left = fit(
        source.skeleton,
        target.skeleton,
        source.parts,
        target.parts,
        pairs,
        source_stance=made.source_stance,
        target_stance=made.target_stance,
    )
    return replace(left, capsules=target.capsules)


def complaint(made: Fitting, figure: str, removed: Collection[int]) -> str:
    """What is wrong with how a fitting without these pairs performs, or nothing."""
    clip = demo(FIGURES[figure]).clips[0].cut(20, 24)
    left = without(made, figure, removed)
    done = retarget(clip, left)
    if not (np.isfinite(done.clip.rotations).all() and np.isfinite(done.clip.translations).all()):
        return "it does not stay finite"
    if done.clip.frames != clip.frames:
        return "it has another length"
    findings(measure(clip, done.clip, left, done.contacts), left, clip.frames)
    said = {row.bone: row.text for row in follows(left, {})}
    gone = [bone for at in removed for bone in made.pairs[at].target]
    silent = [bone for bone in gone if not said.get(bone)]
    return f"nothing is said of {silent}" if silent else ""


def whole(figure: str) -> Fitting:
    source, target = demo(FIGURES[figure]), demo(figure)
    return fit(source.skeleton, target.skeleton, source.parts, target.parts)


class MissingPairs(unittest.TestCase):
    def check(self, figure: str, removed: Collection[int]) -> None:
        made = whole(figure)
        with self.subTest(figure=figure, removed=[made.pairs[at].key for at in removed]):
            self.assertEqual(complaint(made, figure, removed), "")

    def test_any_single_pair_removed(self) -> None:
        for figure in FIGURES:
            for at in range(len(whole(figure).pairs)):
                self.check(figure, [at])

    def test_some_of_all_twos_and_none_at_all(self) -> None:
        chance = random.Random(17)
        for figure in FIGURES:
            count = len(whole(figure).pairs)
            for removed in chance.sample(list(combinations(range(count), 2)), TWOS):
                self.check(figure, removed)
            self.check(figure, range(count))


if __name__ == "__main__":
    tried = 0
    for figure in FIGURES:
        made = whole(figure)
        for removed in combinations(range(len(made.pairs)), 2):
            wrong = complaint(made, figure, removed)
            tried += 1
            if wrong:
                print(f"{figure} without {', '.join(made.pairs[at].key for at in removed)}: {wrong}")
    print(f"{tried} fittings without two of their pairs were tried.")
