"""Refining clips that there should hardly be: of a frame or two, of nobody, still, at any rate."""

import contextlib
import unittest
from dataclasses import replace

import numpy as np

from armuto import formats
from armuto.body.parts import Assignment
from armuto.errors import BadInput
from armuto.kinematics.clip import Clip
from armuto.kinematics.sampling import sample
from armuto.refining import Recipe, body_of
from armuto.refining.backwards import Backwards
from armuto.refining.emphasis import Emphasis
from armuto.refining.gaps import Gaps
from armuto.refining.ground import Ground
from armuto.refining.hold import Hold
from armuto.refining.loop import Loop
from armuto.refining.measures import effects
from armuto.refining.mirror import Mirror
from armuto.refining.pace import Pace
from armuto.refining.path import Path
from armuto.refining.placement import Placement
from armuto.refining.proposals import propose
from armuto.refining.segmentation import segments
from armuto.refining.smooth import Smooth
from armuto.refining.spikes import Spikes
from armuto.refining.steady import Steady
from armuto.tests.files import DEMO, WALK
from armuto.tests.test_refining import PARTS, chance


class AnyClip(unittest.TestCase):
    """Every step, what it changes, and what is proposed, of clips that there should not be."""

    KINDS = (
        Pace(percent=50.0), Hold(), Backwards(), Emphasis(quick=150.0), Mirror(), Placement(), Path(turn=40.0), Loop(),
        Smooth(), Smooth(cutoff=3.0), Spikes(), Gaps(), Ground(drift=True), Steady(),
        Ground(lean=(1.0, 2.0), height=0.1),
    )  # fmt: skip

    def check(self, clip: Clip, parts: Assignment, name: str) -> None:
        body = body_of(clip.skeleton, parts)
        for step in self.KINDS:
            recipe = Recipe((step,))
            with self.subTest(clip=name, step=step.kind), contextlib.suppress(BadInput):
                stages = recipe.stages(clip, parts)
                self.assertTrue(np.isfinite(stages[-1].clip.rotations).all())
                self.assertTrue(np.isfinite(stages[-1].clip.translations).all())
                self.assertEqual(len(stages[-1].frames), stages[-1].clip.frames)
                self.assertEqual(len(effects(recipe, stages, body)), 1)
        propose(clip, parts)
        segments(clip, body)

    def test_of_a_few_frames(self) -> None:
        document = formats.read(WALK.read_bytes(), "walk.bvh")
        for frames in (1, 2, 3, 4, 5, 8, 16, 20):
            self.check(document.clips[0].cut(2, 1 + frames), document.parts, f"{frames} frames")

    def test_still_slow_fast_and_unknown(self) -> None:
        document = formats.read(WALK.read_bytes(), "walk.bvh")
        walk = document.clips[0].cut(2, 90)
        self.check(sample(walk, np.zeros(60)), document.parts, "still")
        self.check(replace(walk, fps=1.0), document.parts, "a frame a second")
        self.check(replace(walk, fps=1000.0), document.parts, "a thousand")
        self.check(walk, {}, "of nobody")
        self.check(chance(frames=40), PARTS, "at random")

    def test_of_other_bodies(self) -> None:
        for path in ("roof/birds.glb", "yard/gallop.bvh"):
            document = formats.read((DEMO / path).read_bytes(), path)
            for clip in document.clips[:2]:
                self.check(clip, document.parts, clip.name)
