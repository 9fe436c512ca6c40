"""The clips stand where they stand and do not pop; the figures are whole; everybody can perform everything."""

import unittest

import numpy as np
from scipy.ndimage import label

from armuto import fitting, formats, rotation
from armuto.findings import contacts, find, speeds
from armuto.formats import bvh
from armuto.tests.files import DEMO
from armuto.transfer import transfer
from demo import chores, curves
from demo.make import _short

CLIPS = sorted((DEMO / "hall").glob("*.bvh"))
FIGURES = sorted(DEMO.glob("*.glb"))
LEG = 0.8


def read(path):
    return formats.read(path.read_bytes(), path.name)


class Clips(unittest.TestCase):
    def test_the_files_are_what_the_descriptions_make(self):
        made = {f"{clip.name.replace(' ', '_')}.bvh": clip for clip in chores.clips()}
        self.assertEqual(sorted(made), [path.name for path in CLIPS])
        for path in CLIPS:
            want = _short(bvh.from_clip(made[path.name]))
            have = bvh.parse(path.read_bytes(), path.name)
            self.assertEqual([j.name for j in have.joints], [j.name for j in want.joints])
            np.testing.assert_allclose(have.motion, want.motion, atol=2e-4)

    def test_feet_really_stand_when_they_stand(self):
        for path in CLIPS:
            clip = read(path).clips[0]
            at = clip.world().positions
            for side in ("Left", "Right"):
                toes = at[:, clip.skeleton.index[f"{side}Toes"]]
                runs, count = label(contacts(toes, clip.fps, LEG))
                self.assertGreater(count, 0)
                for run in range(1, count + 1):
                    inner = np.flatnonzero(runs == run)[4:-4]  # a foot lands and leaves at the edges
                    if len(inner):
                        with self.subTest(clip=path.stem, side=side, run=run):
                            self.assertLess(np.ptp(toes[inner][:, [0, 2]], axis=0).max(), 0.004)
                            self.assertLess(np.ptp(toes[inner][:, 1]), 0.003)

    def test_nothing_pops(self):
        """No joint is accelerated harder than a shin at heel strike."""
        for path in CLIPS:
            clip = read(path).clips[0]
            pull = np.abs(np.diff(clip.world().positions, 2, axis=0)).max() * clip.fps**2
            self.assertLess(pull, 55, path.stem)
            step = rotation.multiply(rotation.inverse(clip.rotations[:-1]), clip.rotations[1:])
            self.assertLess(np.degrees(rotation.angle(step)).max(), 30, path.stem)

    def test_the_walk_travels_and_the_others_stay(self):
        for path in CLIPS:
            hips = read(path).clips[0].world().positions[:, 0, [0, 2]]
            way = np.linalg.norm(hips[-1] - hips[0])
            self.assertTrue(way > 4 if path.stem == "walk" else way < 0.1, path.stem)

    def test_bent_legs_reach_their_goals_and_straight_ones_ease_out(self):
        start, pole = np.zeros((3, 3)), np.tile([0.0, 0, 1], (3, 1))
        goal = np.array([[0, -0.5, 0], [0, -0.75, 0], [0, -2.0, 0]])
        middle, reached = curves.two_bones(start, goal, pole, 0.4, 0.4)
        np.testing.assert_allclose(reached[:2], goal[:2], atol=1e-9)
        self.assertLess(np.linalg.norm(reached[2]), 0.8)
        np.testing.assert_allclose(np.linalg.norm(middle, axis=1), 0.4, atol=1e-9)
        np.testing.assert_allclose(np.linalg.norm(reached - middle, axis=1), 0.4, atol=1e-9)


class Figures(unittest.TestCase):
    def test_small_whole_and_standing_on_the_floor(self):
        heights = {}
        for path in FIGURES:
            self.assertLess(path.stat().st_size, 4_000_000)
            document = read(path)
            heights[path.stem] = document.height
            self.assertTrue(document.skinned)
            self.assertLess(abs(document.bounds[0, 1]), 0.01)
            self.assertEqual((document.skeleton.file_frame.unit, document.skeleton.file_frame.up), (1.0, "+Y"))
        self.assertTrue(heights["bellringer"] < 1.3 < heights["porter"] < 1.8 < heights["keeper"], heights)

    def test_everybody_performs_everything_without_a_finding(self):
        for figure in FIGURES:
            target = read(figure)
            for path in CLIPS:
                with self.subTest(figure=figure.stem, clip=path.stem):
                    source = read(path)
                    made = fitting.fit(source.skeleton, target.skeleton, source.parts, target.parts)
                    self.assertEqual(made.missing, ())
                    arms_and_legs = [row for row in made.rows if row.part.endswith(("arm", "leg"))]
                    self.assertLess(max(row.left for row in arms_and_legs), 1.0)
                    rendition = transfer(source.clips[0], made)
                    self.assertEqual(find(source.clips[0], rendition, made), ())
                    # Whoever stands still throughout stands still here; steps wait for contacts to be held.
                    led = {lead.part: lead for lead in made.leads().values()}
                    there, here = source.clips[0].world().positions, rendition.world().positions
                    for side in ("left", "right"):
                        lead = led[f"{side} toes"]
                        still = speeds(there[:, lead.a], 30) < 0.0005
                        if still.mean() > 0.9:
                            self.assertLess(np.percentile(speeds(here[:, lead.target], 30)[still], 95), 0.03)
