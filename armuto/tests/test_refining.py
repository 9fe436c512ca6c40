"""Recipes: each step against truth, where it must change nothing, and what a recipe may not say."""

import json
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from armuto import formats, pairing, refining
from armuto.body.orientation import facing_angle
from armuto.body.parts import Assignment
from armuto.contacts.detection import detect_contacts
from armuto.errors import BadInput
from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip
from armuto.kinematics.sampling import sample
from armuto.refining import Body, Recipe, Refined
from armuto.refining.backwards import Backwards
from armuto.refining.contacts import contacts_of_take, contacts_shown
from armuto.refining.emphasis import Emphasis
from armuto.refining.gaps import Gaps
from armuto.refining.ground import Ground
from armuto.refining.hold import Hold
from armuto.refining.loop import Loop
from armuto.refining.mirror import Mirror, symmetry
from armuto.refining.pace import Pace
from armuto.refining.placement import Placement
from armuto.refining.smooth import Smooth
from armuto.refining.spikes import Spikes
from armuto.refining.steady import Steady
from armuto.retarget.context import context_of
from armuto.retarget.fitting import fit
from armuto.tests import figures, rests
from armuto.tests.files import DEMO, WALK
from armuto.tests.test_cli import run

PARTS = pairing.assign(figures.body())
DEMO_CLIPS = ("hall/walk.bvh", "hall/carry_the_crate.bvh", "yard/gallop.bvh", "gallery/greet.glb", "roof/birds.glb")


def chance(seed: int = 0, frames: int = 40, reach: float = 0.8) -> Clip:
    return figures.motion(figures.body(), np.random.default_rng(seed), frames, reach)


def refined(clip: Clip, *steps: refining.recipe.Step, parts: Assignment = PARTS) -> Refined:
    return Recipe(steps).refine(clip, parts)


def same(a: Clip, b: Clip, atol: float = 1e-12) -> None:
    np.testing.assert_allclose(a.world().positions, b.world().positions, atol=atol)


class Times(unittest.TestCase):
    def test_half_the_pace_shows_every_pose_and_what_lies_between(self) -> None:
        clip = chance()
        slow = refined(clip, Pace(percent=50.0))
        self.assertEqual(slow.clip.frames, 2 * clip.frames - 1)
        same(replace(clip, name=""), replace(sample(slow.clip, np.arange(0, slow.clip.frames, 2.0)), name=""))
        between = slow.clip.world().positions[1::2]
        ends = clip.world().positions
        self.assertLess(np.abs(between - (ends[1:] + ends[:-1]) / 2).max(), 0.02)
        np.testing.assert_allclose(slow.frames, np.arange(slow.clip.frames) / 2, atol=1e-9)

    def test_a_length_is_landed_on_and_both_ends_are_kept(self) -> None:
        clip = chance(frames=70)
        for seconds in (0.5, 2.0, 2.3333, 7.1):
            made = refined(clip, Pace(length=seconds)).clip
            self.assertLessEqual(abs(made.seconds - seconds), 0.5 / clip.fps + 1e-9)
            for end in (0, -1):
                np.testing.assert_array_equal(made.rotations[end], clip.rotations[end])
                np.testing.assert_array_equal(made.translations[end], clip.translations[end])

    def test_a_curve_takes_as_long_as_its_pace_says_at_every_moment(self) -> None:
        clip = chance(frames=90)
        made = refined(clip, Pace(keys=((10.0, 50.0), (60.0, 200.0))))
        passed = np.diff(made.frames)
        self.assertTrue((passed > 0).all())
        # What passes in a frame is the pace there: held before the first key and after the last, monotone in between.
        np.testing.assert_allclose(passed[:15], 0.5, atol=0.01)
        np.testing.assert_allclose(passed[-10:], 2.0, atol=0.05)
        self.assertTrue((np.diff(passed) > -1e-6).all())
        shaped = refined(clip, Pace(keys=((10.0, 50.0), (60.0, 200.0)), length=5.0))
        self.assertEqual(shaped.clip.frames, 151)
        ratio = np.diff(shaped.frames)
        self.assertAlmostEqual(ratio[-1] / ratio[0], 4.0, delta=0.1)

    @given(st.floats(25.0, 400.0), st.integers(2, 30))
    @settings(max_examples=30, deadline=None)
    def test_any_pace_goes_from_the_first_frame_to_the_last(self, percent: float, frames: int) -> None:
        made = refined(chance(frames=frames), Pace(percent=percent))
        self.assertEqual((made.frames[0], made.frames[-1]), (0.0, frames - 1))
        self.assertTrue((np.diff(made.frames) > 0).all())
        self.assertLessEqual(abs(made.clip.frames - 1 - (frames - 1) * 100 / percent), 1.0)

    def test_nothing_is_changed_by_its_own_pace_nor_in_a_single_frame(self) -> None:
        clip = chance()
        self.assertIs(refined(clip, Pace()).clip, clip)
        still = clip.cut(3, 3)
        self.assertIs(refined(still, Pace(percent=300.0)).clip, still)

    def test_a_pose_is_held_and_the_clip_goes_on(self) -> None:
        clip = chance()
        made = refined(clip, Hold(at=12.0, frames=5))
        self.assertEqual(made.clip.frames, clip.frames + 5)
        np.testing.assert_array_equal(made.clip.rotations[:13], clip.rotations[:13])
        for frame in range(12, 18):
            np.testing.assert_array_equal(made.clip.rotations[frame], clip.rotations[12])
        np.testing.assert_array_equal(made.clip.rotations[18:], clip.rotations[13:])

    def test_a_hold_means_the_same_frame_of_the_take_after_other_steps(self) -> None:
        clip = chance(frames=41)
        for steps in ((Pace(percent=50.0),), (Backwards(),), (Pace(percent=200.0), Backwards())):
            made = refined(clip, *steps, Hold(at=12.0, frames=5))
            shown = np.flatnonzero(np.abs(made.frames - 12.0) < 1e-9)
            self.assertEqual(len(shown), 6)
            np.testing.assert_allclose(made.clip.rotations[shown[3]], clip.rotations[12], atol=1e-12)

    def test_backwards_twice_is_the_clip(self) -> None:
        clip = chance()
        once = refined(clip, Backwards())
        np.testing.assert_array_equal(once.clip.rotations, clip.rotations[::-1])
        np.testing.assert_array_equal(refined(clip, Backwards(), Backwards()).clip.rotations, clip.rotations)

    def test_frames_of_the_take_are_found_again(self) -> None:
        clip = chance(frames=60)
        made = refined(clip, Pace(percent=40.0), Hold(at=20.0, frames=7))
        for take in (0.0, 13.0, 20.0, 41.0, 59.0):
            self.assertAlmostEqual(made.take_frame(made.frame_of(take)), take, delta=0.21)
        self.assertEqual(made.frame_of(20.0), 50)


class ContactsSetByHand(unittest.TestCase):
    ROWS = ({"point": "left heel", "first": 12, "last": 14, "to": ""},)

    def test_a_stretch_that_is_shown_several_times_is_kept_once(self) -> None:
        repeated = Refined(chance().cut(0, 29), np.tile(np.arange(10.0, 25.0), 2))
        shown = contacts_shown(self.ROWS, repeated)
        self.assertEqual([(row.first, row.last) for row in shown], [(2, 4), (17, 19)])
        self.assertEqual(contacts_of_take(shown, repeated), list(self.ROWS))

    def test_they_are_found_at_any_pace(self) -> None:
        for percent in (30.0, 100.0, 170.0, 400.0):
            made = refined(chance(), Pace(percent=percent))
            (shown,) = contacts_shown(self.ROWS, made)
            first, last = made.take_span(shown.first, shown.last)
            self.assertLess(abs(first - 12) + abs(last - 14), 2 * max(1.0, percent / 100))

    def test_what_is_left_out_is_not_shown(self) -> None:
        self.assertEqual(contacts_shown(self.ROWS, Refined.of_take(chance().cut(20, 30), 20)), [])
        self.assertEqual(contacts_shown(self.ROWS, Refined.of_take(chance().cut(13, 13), 13))[0].last, 0)

    def test_the_other_side_of_a_mirrored_clip(self) -> None:
        made = refined(chance(), Mirror())
        shown = contacts_shown(self.ROWS, made)
        self.assertEqual([row.point for row in shown], ["right heel"])
        self.assertEqual(contacts_of_take(shown, made), list(self.ROWS))


class Mirrored(unittest.TestCase):
    def check(self, clip: Clip, parts: Assignment, name: str) -> float:
        """Twice is the clip itself, and once is its reflection in the plane in which it faces at first. Returns how far
        that brought a joint."""
        made = refined(clip, Mirror(), parts=parts).clip
        same(refined(made, Mirror(), parts=parts).clip, clip, 1e-9)
        about = symmetry(Body(clip.skeleton, parts))
        world = clip.world()
        turned = rotation.multiply(world.rotations[0, about.hips], rotation.inverse(about.stance[about.hips]))
        ahead = rotation.rotate(turned, np.array([0.0, 0.0, 1.0]))
        across = np.array([ahead[2], 0.0, -ahead[0]]) / np.hypot(ahead[0], ahead[2])
        away = (world.positions - world.positions[0, about.hips]) @ across
        image = world.positions - 2 * away[..., None] * across
        self.assertTrue((about.twins >= 0).all(), name)
        np.testing.assert_allclose(made.world().positions, image[:, about.twins], atol=1e-6, err_msg=name)
        return float(np.abs(made.world().positions - world.positions).max())

    def test_a_symmetrical_body(self) -> None:
        self.assertGreater(self.check(chance(), PARTS, "plain"), 0.1)

    def test_bodies_that_rest_in_the_middle_of_something(self) -> None:
        for seed in range(4):
            clip = rests.rested(chance(seed), np.random.default_rng(seed), "action")
            self.check(clip, PARTS, f"seed {seed}")

    def test_a_stance_that_leans_to_one_side_is_straightened_out(self) -> None:
        rng = np.random.default_rng(8)
        turns = {name: tuple(rng.uniform(-40, 40, 3)) for name in figures.body().names[1:]}
        leaning = figures.disguised(figures.posed(figures.body(), turns), rng, 2.0)
        about = symmetry(Body(leaning, PARTS))
        local = places_of(leaning, about.stance)
        np.testing.assert_allclose(local[about.twins] * [-1, 1, 1], local, atol=1e-6)

    def test_the_clips_of_the_museum(self) -> None:
        for path in DEMO_CLIPS:
            document = formats.read((DEMO / path).read_bytes(), path)
            moved = [self.check(clip, document.parts, f"{path}, {clip.name}") for clip in document.clips]
            self.assertGreater(max(moved), 0.01, path)

    def test_the_left_foot_stands_when_the_right_one_stood(self) -> None:
        document = formats.read(WALK.read_bytes(), "walk.bvh")
        clip = document.clips[0].cut(2, 148)
        context = context_of(fit(clip.skeleton, clip.skeleton, document.parts, document.parts))
        before = detect_contacts(clip, context).contacts
        after = detect_contacts(refined(clip, Mirror(), parts=document.parts).clip, context).contacts
        other = {"left": "right", "right": "left"}
        self.assertGreater(len(before), 8)
        self.assertEqual(
            {(other[row.point.split()[0]], row.point.split()[1], row.first, row.last) for row in before},
            {(*row.point.split(), row.first, row.last) for row in after},
        )

    def test_it_is_said_what_is_missing(self) -> None:
        with self.assertRaisesRegex(BadInput, "left, right and hips have to be known"):
            refined(chance(), Mirror(), parts={})


def places_of(skeleton, world: np.ndarray) -> np.ndarray:
    """Places from the root of joints that are turned so in the world, ``(J, 3)``."""
    out = np.zeros((len(skeleton), 3))
    for joint, parent in enumerate(skeleton.parents):
        if parent >= 0:
            out[joint] = out[parent] + rotation.rotate(world[parent], skeleton.rest_translation[joint])
    return out


class Placed(unittest.TestCase):
    def test_the_first_frame_stands_there_and_nothing_else_changes(self) -> None:
        for path in DEMO_CLIPS:
            document = formats.read((DEMO / path).read_bytes(), path)
            clip, parts = document.clips[0], document.parts
            made = refined(clip, Placement(at=(2.0, -1.0), facing=70.0), parts=parts).clip
            here, there = made.world().positions, clip.world().positions
            hips = Body(clip.skeleton, parts).joint_of["hips"]
            np.testing.assert_allclose(here[0, hips, [0, 2]], [2.0, -1.0], atol=1e-9, err_msg=path)
            self.assertAlmostEqual(float(facing_angle(clip.skeleton, parts, here[0])[0] or 0.0), 70.0, places=6)
            np.testing.assert_allclose(here[..., 1], there[..., 1], atol=1e-9)
            apart = np.linalg.norm(np.diff(here.reshape(-1, 3), axis=0), axis=1)
            np.testing.assert_allclose(apart, np.linalg.norm(np.diff(there.reshape(-1, 3), axis=0), axis=1), atol=1e-9)
            same(refined(made, Placement(at=(2.0, -1.0), facing=70.0), parts=parts).clip, made, 1e-9)

    def test_it_is_said_what_is_missing(self) -> None:
        with self.assertRaisesRegex(BadInput, "hips, left and right have to be known"):
            refined(chance(), Placement(), parts={})


STEPS = st.one_of(
    st.builds(Pace, percent=st.floats(25, 400), length=st.none() | st.floats(0.1, 20), on=st.booleans()),
    st.builds(Hold, at=st.floats(0, 100), frames=st.integers(1, 50), on=st.booleans()),
    st.builds(Backwards, on=st.booleans()),
    st.builds(Mirror, on=st.booleans()),
    st.builds(Emphasis, slow=st.floats(0, 200), limbs=st.lists(st.text(max_size=9), max_size=2).map(tuple)),
    st.builds(Loop, first=st.none() | st.floats(0, 99), times=st.integers(1, 9)),
    st.builds(Smooth, cutoff=st.none() | st.floats(0.5, 60), on=st.booleans()),
    st.builds(Ground, lean=st.none() | st.tuples(st.floats(-9, 9), st.floats(-9, 9)), drift=st.booleans()),
    st.sampled_from([Spikes(), Gaps(longest=0.3), Steady(on=False)]),
    st.builds(Placement, at=st.tuples(st.floats(-5, 5), st.floats(-5, 5)), facing=st.floats(-180, 180)),
)


class Recipes(unittest.TestCase):
    @given(st.lists(STEPS, max_size=6))
    @settings(max_examples=60, deadline=None)
    def test_json_there_and_back(self, steps: list[refining.recipe.Step]) -> None:
        recipe = Recipe(tuple(steps))
        again = refining.from_json(json.loads(json.dumps(refining.to_json(recipe))))
        self.assertEqual(again, recipe)
        self.assertEqual(again.digest, recipe.digest)

    def test_what_is_off_is_not_done_and_does_not_count(self) -> None:
        clip, off = chance(), Recipe((Mirror(on=False), Pace(percent=50.0, on=False)))
        self.assertIs(off.refine(clip, PARTS).clip, clip)
        self.assertEqual(off.digest, Recipe().digest)
        self.assertNotEqual(Recipe((Mirror(),)).digest, Recipe().digest)
        self.assertNotEqual(Recipe((Mirror(), Backwards())).digest, Recipe((Backwards(), Mirror())).digest)

    def test_the_take_is_left_as_it_is(self) -> None:
        clip = chance()
        kept = clip.rotations.copy(), clip.translations.copy()
        refined(clip, Mirror(), Pace(percent=70.0), Placement(), Backwards(), Hold(at=3.0))
        np.testing.assert_array_equal(clip.rotations, kept[0])
        np.testing.assert_array_equal(clip.translations, kept[1])

    def test_what_a_recipe_may_not_say_is_said_in_a_sentence(self) -> None:
        for table, sentence in (
            ([], "a recipe is a table with one list"),
            ({"steps": [], "name": "x"}, "a recipe is a table with one list"),
            ({"steps": [{"kind": "wobble"}]}, "step 1: “wobble” is not one of pace, hold"),
            ({"steps": [{"kind": "mirror"}, {"percent": 3}]}, "step 2: “kind” is missing"),
            ({"steps": [{"kind": "pace", "percent": 5}]}, "step 1: pace, percent: 5 is not from 25 to 400"),
            ({"steps": [{"kind": "pace", "percent": "x"}]}, "step 1: pace, percent: 'x' is not a number"),
            ({"steps": [{"kind": "pace", "speed": 5}]}, "step 1: there is no value “pace, speed”"),
            ({"steps": [{"kind": "pace", "keys": [[5, 50], [5, 60]]}]}, "keys of a pace come one after another"),
            ({"steps": [{"kind": "hold", "frames": 0}]}, "step 1: hold, frames: 0 is not from 1"),
            ({"steps": ["mirror"]}, "step 1: "),
            ({"steps": [{"kind": "hold"}] * 101}, "a recipe has at most 100 steps"),
        ):
            with self.assertRaises(ValueError) as caught:
                refining.from_json(table)
            self.assertIn(sentence, str(caught.exception))

    def test_a_clip_does_not_grow_without_bound(self) -> None:
        with mock.patch("armuto.refining.refined.LONGEST", 5_000):
            refined(chance(), *[Hold(frames=1_000) for _ in range(4)])
            with self.assertRaisesRegex(BadInput, "It would have 5,040 frames"):
                refined(chance(), *[Hold(frames=1_000) for _ in range(5)])
        # What would not find room is not begun.
        for step in (Loop(times=1000), Pace(length=3600.0)):
            with self.assertRaisesRegex(BadInput, "It would have .* frames"):
                refined(replace(sample(chance(), np.zeros(5000)), fps=1000.0), step)


class Shell(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_steps_of_a_file_and_typed_in_their_order(self) -> None:
        recipe = self.folder / "r.json"
        recipe.write_text('{"steps": [{"kind": "mirror"}, {"kind": "backwards", "on": false}]}')
        out = self.folder / "made.bvh"
        done = run(
            "refine", str(WALK), "--recipe", str(recipe), "--step", "pace:keys=[[0, 50],[100, 150]],length=4",
            "--step", "placement:at=[1,2],facing=90", "-o", str(out), "--json",
        )  # fmt: skip
        self.assertEqual(done.returncode, 0, done.stderr)
        told = json.loads(done.stdout)
        self.assertEqual([row["kind"] for row in told["recipe"]["steps"]], ["mirror", "backwards", "pace", "placement"])
        self.assertEqual(told["clips"], [{"clip": "walk", "frames": 151, "refined_frames": 121, "fps": 30.0}])
        document, source = formats.read(out.read_bytes(), "made.bvh"), formats.read(WALK.read_bytes(), "walk.bvh")
        wanted = refining.from_json(told["recipe"]).refine(source.clips[0], source.parts).clip
        np.testing.assert_allclose(document.clips[0].world().positions, wanted.world().positions, atol=1e-4)

    def test_what_a_clip_could_be_refined_by_is_said_and_done(self) -> None:
        taken = DEMO / "camera" / "lantern_round.glb"
        done = run("inspect", str(taken), "--json")
        (clip,) = json.loads(done.stdout)["clips"]
        kinds = [row["step"]["kind"] for row in clip["proposals"]]
        self.assertEqual(kinds[-1], "loop")
        self.assertIn("It trembles by", run("inspect", str(taken)).stdout)
        recipe, out = self.folder / "r.json", self.folder / "clean.glb"
        recipe.write_text(json.dumps({"steps": [row["step"] for row in clip["proposals"][:-1]]}))
        done = run("refine", str(taken), "--recipe", str(recipe), "-o", str(out))
        self.assertEqual(done.returncode, 0, done.stderr)
        (left,) = json.loads(run("inspect", str(out), "--json").stdout)["clips"]
        self.assertEqual([row["step"]["kind"] for row in left["proposals"]], ["loop"])

    def test_what_cannot_be_done_leaves_no_file(self) -> None:
        out = self.folder / "made.bvh"
        for steps, sentence in (
            (("--step", "pace:percent=2"), "step 1: pace, percent: 2 is not from 25 to 400"),
            (("--step", "pace:percent"), "not of the form name=value"),
            (("--recipe", str(self.folder / "none.json")), f"{self.folder}/none.json: cannot be opened"),
            (("--recipe", str(WALK)), "walk.bvh: it is no JSON"),
        ):
            done = run("refine", str(WALK), *steps, "-o", str(out))
            self.assertEqual((done.returncode, done.stderr.count("\n")), (2, 1), done.stderr)
            self.assertIn(sentence, done.stderr)
            self.assertEqual(done.stderr.count("none.json"), int("none.json" in sentence))
        self.assertEqual(list(self.folder.iterdir()), [])
