"""What a simulated single-camera capture does to clean clips, and how much of it is put right: the table of truth.

Every row has a seed; what a step makes is held against the clean clip it never saw.
"""

import unittest
from dataclasses import replace
from functools import cache

import numpy as np

from armuto import formats
from armuto.errors import BadInput
from armuto.intake import recording
from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip
from armuto.kinematics.sampling import sample
from armuto.refining import Recipe, Refined, body_of
from armuto.refining import measures as measured
from armuto.refining.foot_locking import footing, steps_of
from armuto.refining.gaps import Gaps
from armuto.refining.ground import Ground, lean_of
from armuto.refining.proposals import propose
from armuto.refining.recipe import Step
from armuto.refining.refined import Body
from armuto.refining.residual import residual_of
from armuto.refining.smooth import Smooth, tremble
from armuto.refining.spikes import Spikes, wrong_frames
from armuto.refining.steady import Steady
from armuto.tests.files import DEMO
from standins import camera

CLIPS = ("walk", "walk_proud", "look_around", "carry_the_crate", "sit_down", "sweep", "run")
SLOW = ("walk", "look_around", "sweep", "wave_the_lantern", "stand_up")


@cache
def clean(name: str) -> tuple[Clip, Body]:
    path = next(DEMO.glob(f"*/{name}.bvh"))
    document = formats.read(path.read_bytes(), path.name)
    clip = document.clips[0]
    found = recording.calibration(clip)
    return clip.cut(found.frames if found else 0, clip.frames - 1), body_of(clip.skeleton, document.parts)


def refine(step: Step, clip: Clip, body: Body) -> Clip:
    return step.refine(Refined.of_take(clip), body).clip


def off(a: Clip, b: Clip) -> np.ndarray:
    """How far joints of two clips are apart, ``(F, J)``, in metres."""
    return np.linalg.norm(a.world().positions - b.world().positions, axis=-1)


def rms(values: np.ndarray) -> float:
    return float(np.sqrt((values**2).mean()))


class CleanClips(unittest.TestCase):
    def test_they_are_left_alone(self) -> None:
        for name in (*CLIPS, *SLOW, "climb_the_ladder", "wind_the_key", "hand_over_the_crate_giver"):
            clip, body = clean(name)
            for step in (Smooth(), Spikes(), Gaps(), Steady()):
                moved = off(refine(step, clip, body), clip).max() * 1000
                self.assertLess(moved, 2.0 if name == "run" else 1.0, (name, step.kind))

    def test_nothing_is_proposed_but_loops(self) -> None:
        for name in (*CLIPS, *SLOW, "wind_the_key"):
            clip, body = clean(name)
            kinds = {proposal.step.kind for proposal in propose(clip, body.parts)}
            self.assertLessEqual(kinds, {"loop"}, name)


class Noise(unittest.TestCase):
    def test_at_least_half_of_it_goes_and_quick_limbs_keep_their_speed(self) -> None:
        for name in CLIPS:
            clip, body = clean(name)
            for degrees in (0.5, 1.0, 2.0):
                shaken = camera.trembling(clip, degrees, degrees, np.random.default_rng(7))
                made = refine(Smooth(), shaken, body)
                self.assertLess(rms(off(made, clip)), 0.5 * rms(off(shaken, clip)), (name, degrees))
                self.assertAlmostEqual(np.degrees(tremble(shaken)[0]), degrees, delta=0.12 * degrees)
            ends = [body.joint_of[part] for part in ("left hand", "right hand", "left foot", "right foot")]
            shaken = camera.trembling(clip, 0.5, 0.5, np.random.default_rng(7))
            peaks = [peak(motion, ends) for motion in (clip, refine(Smooth(), shaken, body))]
            quick = peaks[0] > 1.0  # m/s
            np.testing.assert_allclose(peaks[1][quick], peaks[0][quick], rtol=0.05, err_msg=name)

    def test_it_is_halved_at_higher_rates_and_in_long_takes(self) -> None:
        clip, body = clean("walk")
        fast = replace(sample(clip, np.arange(0, clip.frames - 1, 0.25)), fps=120.0)
        long = sample(clip, np.concatenate([np.arange(149.0), np.arange(148.0, -1, -1)] * 2))
        for truth in (fast, long):
            shaken = camera.trembling(truth, 1.0, 1.0, np.random.default_rng(3))
            self.assertLess(rms(off(refine(Smooth(), shaken, body), truth)), 0.5 * rms(off(shaken, truth)))

    def test_a_cutoff_that_is_said_takes_off_what_is_quicker(self) -> None:
        clip, body = clean("look_around")
        time = np.arange(clip.frames) / clip.fps
        for hertz, left in ((1.0, 0.99), (4.0, 0.707), (10.0, 0.05)):
            turn = rotation.about([1.0, 0.0, 0.0], 0.1 * np.sin(2 * np.pi * hertz * time))
            rotations = np.broadcast_to(rotation.IDENTITY, clip.rotations.shape).copy()
            rotations[:, 5] = turn
            made = refine(Smooth(cutoff=4.0), replace(clip, rotations=rotations), body)
            inner = slice(30, -30)
            share = np.ptp(rotation.vector(made.rotations[inner, 5])[:, 0]) / 0.2
            self.assertAlmostEqual(share, left, delta=0.06)

    def test_a_residual_shows_the_noise_and_where_to_cut_it_off(self) -> None:
        """White noise leaves a straight line, whose height at 0 Hz is as much as there is."""
        for degrees in (0.5, 1.0, 2.0):
            walk, _ = clean("walk")
            noisy = camera.capture(walk, camera.Faults(noise=(degrees, 0.0)), seed=5)
            found = residual_of(noisy, walk.skeleton.index["Chest"])
            assert found is not None and found.cutoff is not None
            self.assertTrue(np.all(np.diff(found.degrees) < 0.02 * degrees))
            self.assertAlmostEqual(found.noise[0] / (degrees * np.sqrt(1.35)), 1.0, delta=0.15)
            self.assertTrue(0.5 < found.cutoff < 8.0, found.cutoff)
        still = residual_of(walk, walk.skeleton.index["Chest"])
        assert still is not None
        self.assertLess(still.noise[0], 0.05)
        self.assertIsNone(residual_of(walk.cut(0, 8), 0))

    def test_half_of_it_is_half_of_it(self) -> None:
        clip, body = clean("look_around")
        shaken = camera.trembling(clip, 1.0, 0.0, np.random.default_rng(3))
        whole, half = refine(Smooth(), shaken, body), refine(Smooth(strength=50.0), shaken, body)
        between = rotation.slerp(shaken.rotations, whole.rotations, 0.5)
        self.assertLess(np.degrees(rotation.angle_apart(half.rotations, between)).max(), 0.05)
        self.assertIs(refine(Smooth(strength=0.0), shaken, body), shaken)


def peak(clip: Clip, joints: list[int]) -> np.ndarray:
    path = clip.world().positions[:, joints]
    return np.asarray(np.percentile(np.linalg.norm(np.gradient(path, axis=0), axis=-1) * clip.fps, 99, axis=0))


class SingleFrames(unittest.TestCase):
    def test_99_of_100_are_mended_and_hardly_any_good_one_is_touched(self) -> None:
        hits = mended = touched = good = 0
        for name in CLIPS:
            clip, body = clean(name)
            for seed in range(3):
                bad, hit = camera.spiking(clip, 0.3, np.random.default_rng(seed))
                made = refine(Spikes(), bad, body)
                left = np.degrees(rotation.angle_apart(made.rotations, clip.rotations))
                hits, mended = hits + hit.sum(), mended + (left[hit] < 10.0).sum()
                changed = rotation.angle_apart(made.rotations, bad.rotations) > 1e-9
                touched, good = touched + (changed & ~hit).sum(), good + (~hit).sum()
        self.assertGreater(hits, 300)
        self.assertGreaterEqual(mended / hits, 0.99)
        self.assertLessEqual(touched / good, 0.005)

    def test_translations_too(self) -> None:
        clip, body = clean("walk")
        places = clip.translations.copy()
        places[[40, 90]] += [0.3, 0.1, -0.2]
        made = refine(Spikes(), replace(clip, translations=places), body)
        self.assertLess(np.abs(made.translations - clip.translations).max(), 0.01)

    def test_among_noise(self) -> None:
        clip, _ = clean("look_around")
        shaken = camera.trembling(clip, 1.0, 0.5, np.random.default_rng(2))
        bad, hit = camera.spiking(shaken, 0.3, np.random.default_rng(2))
        found, _ = wrong_frames(bad)
        self.assertGreaterEqual((found & hit).sum() / hit.sum(), 0.95)
        self.assertLessEqual((found & ~hit).mean(), 0.005)


class LostTracks(unittest.TestCase):
    def test_gaps_of_15_frames_are_bridged_within_3_centimetres(self) -> None:
        within = []
        for name in ("walk", "walk_proud", "walk_tired", "look_around", "sweep", "stand_up", "run"):
            clip, body = clean(name)
            for seed in range(6):
                bad, rows = camera.losing(clip, 15, np.random.default_rng(seed))
                made = refine(Gaps(), bad, body)
                self.assertEqual(len(rows), 6)
                # A bone that comes back about where it was lost cannot be told from one that stood.
                self.assertLessEqual(off(made, clip).max(), off(bad, clip).max() + 1e-6, (name, seed))
                within.append(off(made, clip).max() < 0.03)
        self.assertGreaterEqual(np.mean(within), 0.85)

    def test_what_stands_still_on_purpose_stays(self) -> None:
        clip, body = clean("look_around")
        rotations = clip.rotations.copy()
        rotations[40:70] = rotations[40]
        rotations[70:] = clip.rotations[41 : 41 + clip.frames - 70]
        paused = replace(clip, rotations=rotations, translations=np.repeat(clip.translations[:1], clip.frames, axis=0))
        self.assertIs(refine(Gaps(), paused, body), paused)


class Floors(unittest.TestCase):
    def test_lean_within_a_fifth_of_a_degree_and_height_within_half_a_centimetre(self) -> None:
        for name in CLIPS:
            clip, body = clean(name)
            ground = footing(body)
            assert ground is not None
            for seed, (degrees, high) in enumerate(((5.0, 10.0), (2.0, -6.0), (0.7, 3.0))):
                bad = camera.leaning(clip, degrees, high, np.random.default_rng(seed))
                found = lean_of(bad, ground)
                assert found is not None
                self.assertAlmostEqual(found.lean, degrees, delta=0.2, msg=name)
                made = refine(Ground(feet=False), bad, body)
                turn = rotation.multiply(made.world().rotations, rotation.inverse(clip.world().rotations))
                up = rotation.rotate(turn, np.array([0.0, 1.0, 0.0]))[..., 1].clip(-1, 1)
                self.assertLess(np.degrees(np.arccos(up)).max(), 0.2, name)
                self.assertLess(np.abs((made.world().positions - clip.world().positions)[..., 1]).max(), 0.005, name)

    def test_said_rather_than_measured(self) -> None:
        clip, body = clean("walk")
        ahead = np.array([0.0, 0.0, 1.0])
        tilted = refine(Ground(lean=(0.0, -3.0), height=0.0, feet=False), clip, body)
        turn = rotation.multiply(tilted.world().rotations[:, 0], rotation.inverse(clip.world().rotations[:, 0]))
        self.assertAlmostEqual(np.degrees(np.arcsin(rotation.rotate(turn, ahead)[0, 1])), 3.0, places=6)
        raised = refine(Ground(lean=(0.0, 0.0), height=-0.25, feet=False), clip, body)
        np.testing.assert_allclose(raised.world().positions[..., 1] - clip.world().positions[..., 1], 0.25, atol=1e-9)

    def test_a_ladder_is_no_floor(self) -> None:
        clip, body = clean("climb_the_ladder")
        bad = camera.leaning(clip, 4.0, 7.0, np.random.default_rng(0))
        with self.assertRaisesRegex(BadInput, "does not tell where its floor is; say its lean and height"):
            refine(Ground(), bad, body)

    def test_a_body_without_known_feet(self) -> None:
        clip, _ = clean("walk")
        with self.assertRaisesRegex(BadInput, "the feet and hips of a body have to be known"):
            Recipe((Ground(),)).refine(clip, {})


class Drift(unittest.TestCase):
    def test_within_3_centimetres_after_10_seconds(self) -> None:
        for name in CLIPS:
            clip, body = clean(name)
            for seed in range(3):
                bad = camera.drifting(clip, 60.0, np.random.default_rng(seed))
                made = refine(Ground(level=False, drift=True, feet=False), bad, body)
                path = (made.world().positions - clip.world().positions)[:, body.hips]
                drifted = (bad.world().positions - clip.world().positions)[:, body.hips]
                self.assertGreater(np.ptp(drifted, axis=0).max(), 0.1)
                left = np.linalg.norm((path - path[0])[:, [0, 2]], axis=1).max()
                self.assertLess(left * min(1.0, 10 / clip.seconds), 0.03, (name, seed))

    def test_resting_feet_rest(self) -> None:
        for name in ("walk", "carry_the_crate", "look_around"):
            clip, body = clean(name)
            bad = camera.drifting(clip, 60.0, np.random.default_rng(1))
            made = refine(Ground(drift=True), bad, body)
            self.assertLess(measured.slide(made, body) or 0.0, max(1.0, measured.slide(clip, body) or 0.0), name)


class Bones(unittest.TestCase):
    def test_lengths_are_constant_and_the_body_is_where_it_was(self) -> None:
        for name in CLIPS:
            clip, body = clean(name)
            bad = camera.swimming(clip, 5.0, np.random.default_rng(4))
            made = refine(Steady(), bad, body)
            length = np.linalg.norm(made.translations, axis=-1)
            bones = [n for n, joint in enumerate(made.moving) if joint > body.hips]
            self.assertLess(np.ptp(length[:, bones], axis=0).max(), 1e-6)
            self.assertLess(rms(off(made, clip)), 0.35 * rms(off(bad, clip)), name)


class Everything(unittest.TestCase):
    FAULTS = camera.Faults(noise=(1.0, 1.0), spikes=0.3, gaps=15, lean=4.0, height=8.0, drift=60.0, swim=4.0)

    def test_proposals_put_most_of_it_right(self) -> None:
        for name in ("look_around", "sweep", "stand_up", "wave_the_lantern", "push_the_cart"):
            clip, body = clean(name)
            bad = camera.capture(clip, self.FAULTS, 3)
            steps = tuple(row.step for row in propose(bad, body.parts) if row.step.kind != "loop")
            self.assertEqual({step.kind for step in steps} - {"gaps"}, {"spikes", "smooth", "ground", "steady"}, name)
            made = Recipe(steps).refine(bad, body.parts).clip
            self.assertLess(rms(about(made, clip, body)), 0.3 * rms(about(bad, clip, body)), name)
            ground = footing(body)
            assert ground is not None
            self.assertLess(abs(steps_of(made, ground).floor), 0.005, name)


def about(clip: Clip, truth: Clip, body: Body) -> np.ndarray:
    """How far joints are off, from where the hips are in the first frame."""
    a, b = clip.world().positions, truth.world().positions
    flat = np.array([1.0, 0.0, 1.0])
    away = (a - a[0, body.hips] * flat) - (b - b[0, body.hips] * flat)
    return np.linalg.norm(away, axis=-1)
