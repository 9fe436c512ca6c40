"""The unit by how a body falls, where what it weighs and how fast it falls are known."""

import unittest
from dataclasses import replace

import numpy as np

from armuto import formats, pairing
from armuto.formats import bvh
from armuto.intake.detection import ImportOptions
from armuto.intake.free_fall import GRAVITY, centre_of_mass, free_fall
from armuto.kinematics.clip import Clip
from armuto.kinematics.skeleton import Skeleton
from armuto.tests import figures
from armuto.tests.files import DEMO
from armuto.tests.leaps import leap
from demo.chores import bow
from standins.camera import Faults, capture

UP = np.array([0.0, 1.0, 0.0])
TALL = 1.7


def fall_of(clip: Clip):
    return free_fall([clip], pairing.assign(clip.skeleton), UP, TALL)


class Falling(unittest.TestCase):
    def test_bodies_fall_as_bodies_do(self):
        """A jump tells it to a few hundredths, and flights of a sixth of a second to a tenth, at any rate, with
        weights that differ from those assumed."""
        for flights, within in (((0.5,), 0.04), ((0.35, 0.3), 0.05), ((0.25,) * 4, 0.08), ((0.17,) * 5, 0.1)):
            for seed, fps in enumerate((30.0, 60.0, 120.0)):
                with self.subTest(flights=flights, fps=fps):
                    found = fall_of(leap(flights, seed, fps, ahead=0.2 * seed))
                    self.assertIsNotNone(found)
                    self.assertEqual(found.flights, len(flights))
                    self.assertLess(abs(np.log(found.acceleration / GRAVITY)), within)
                    self.assertLess(abs(np.log(found.acceleration / GRAVITY)), 3 * found.spread)

    def test_a_capture_that_trembles_tells_it_too(self):
        for seed in range(4):
            clip = capture(leap((0.45, 0.3), seed, 60.0, ahead=0.3), Faults(noise=(1.0, 1.0)), seed)
            self.assertLess(abs(np.log(fall_of(clip).acceleration / GRAVITY)), 0.06)

    def test_who_does_not_fly_tells_nothing(self):
        """None of the museum's clips has a body that falls freely, the run's and the gallop's neither: their curves
        are drawn."""
        files = [*(DEMO / "hall").glob("*.bvh"), *(DEMO / "yard").glob("*.bvh"), *(DEMO / "camera").glob("*.glb")]
        self.assertGreater(len(files), 20)
        for path in files:
            document = formats.read(path.read_bytes(), path.name)
            self.assertIsNone(free_fall(document.clips, document.parts, UP, document.height), path.name)

    def test_what_falls_slowly_without_taking_off_is_no_flight(self):
        """Sinking down as on a rope: no foot rests, and nothing pushes."""
        body = figures.body()
        t = np.arange(90) / 30.0
        clip = figures.motion(body, np.random.default_rng(1), reach=0.1)
        falls = np.stack([0 * t, 2.5 - 0.2 * t**2, 0 * t], axis=1)[:, None]
        still = np.repeat(body.rest_rotation[None], 90, axis=0)
        sinks = Clip("sinks", body, 30.0, still, clip.moving[:1], falls)
        self.assertIsNone(free_fall([sinks], pairing.assign(body), UP, TALL))

    def test_a_body_of_which_too_little_is_known_has_no_centre(self):
        clip = leap((0.4,), 1)
        parts = {name: bones for name, bones in pairing.assign(clip.skeleton).items() if name != "left lower leg"}
        self.assertIsNone(centre_of_mass(clip.world().positions, parts))
        self.assertIsNone(free_fall([clip], parts, UP, TALL))
        quick = replace(clip.cut(20, 30), fps=1e5)
        self.assertIsNone(free_fall([quick], pairing.assign(clip.skeleton), UP, TALL))
        self.assertIsNone(free_fall([clip.cut(0, 2)], pairing.assign(clip.skeleton), UP, TALL))
        self.assertIsNone(free_fall([clip], pairing.assign(clip.skeleton), UP, 0.0))


class UnitOfAFile(unittest.TestCase):
    def frame(self, clip: Clip, unit: float, **options) -> tuple[Skeleton, str]:
        data = bvh.serialise(bvh.from_clip(clip, unit=unit))
        skeleton = formats.read(data, "leap.bvh", ImportOptions(**options)).skeleton
        return skeleton, skeleton.file_frame.evidence[1]

    def test_a_unit_of_a_name_stays_it_and_the_fall_is_evidence(self):
        for unit, name in ((0.01, "cm"), (1.0, "m"), (0.0254, "inch")):
            skeleton, why = self.frame(leap((0.5, 0.4), 1), unit)
            self.assertAlmostEqual(skeleton.file_frame.unit, unit)
            self.assertIn(f"the unit is {name}", why)
            self.assertRegex(why, r"seen in free flight 2 times, where it falls by (9\.\d|10\.\d) m/s²")

    def test_the_fall_tells_units_apart_where_the_height_does_not(self):
        """A clock figure of half a metre, of which both 50 cm and 50 inches are heights that figures have."""
        clip = leap((0.5, 0.4), 1)
        small = Clip(clip.name, clip.skeleton, clip.fps * 0.295**-0.5, clip.rotations, clip.moving, clip.translations)
        skeleton, why = self.frame(small, 0.01 / 0.295)
        self.assertIn("the unit is cm", why)
        self.assertAlmostEqual(skeleton.file_frame.unit, 0.01)

    def test_a_unit_of_its_own_is_proposed_with_the_height_it_gives(self):
        for unit in (0.0564, 0.003):
            skeleton, why = self.frame(leap((0.5, 0.4), 1), unit)
            self.assertIn("one of its own", why)
            self.assertIn("which falls by 9.8", why)
            self.assertLess(abs(np.log(skeleton.file_frame.unit / unit)), 0.05)
        skeleton, why = self.frame(bow(), 0.0564)  # nobody flies in it
        self.assertIn("taken to be 1.65 m, the usual height, until its height is said", why)

    def test_a_plausible_unit_that_the_fall_contradicts_stays_and_says_so(self):
        skeleton, why = self.frame(leap((0.5, 0.4), 1), 0.0085)
        self.assertAlmostEqual(skeleton.file_frame.unit, 0.01)
        self.assertRegex(why, r"as one of 1\.6\d m does not: say its height if that is right")

    def test_a_height_says_the_unit(self):
        skeleton, why = self.frame(leap((0.5,), 1), 0.0564, height=1.68)
        points = np.concatenate([skeleton.rest.positions, skeleton.rest.ends])
        self.assertAlmostEqual(float(np.ptp(points[:, 1])), 1.68, places=6)
        self.assertIn("1.68 m tall at rest, as told", why)
