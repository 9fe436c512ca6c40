"""Finding clips by words and by what moves: the museum's own clips, these turned, mirrored, enlarged and run backwards,
and leaps whose truth is known."""

import unittest
from dataclasses import replace
from functools import cache
from itertools import islice
from typing import ClassVar

import numpy as np

from armuto import formats
from armuto.body.parts import Assignment
from armuto.intake.recording import without_calibration
from armuto.kinematics.clip import Clip
from armuto.kinematics.sampling import sample
from armuto.kinematics.skeleton import Skeleton
from armuto.pairing import assign
from armuto.refining import Recipe
from armuto.refining.backwards import Backwards
from armuto.refining.mirror import Mirror
from armuto.refining.path import Path
from armuto.refining.placement import Placement
from armuto.retrieval import FITS, ClipIndex, ClipText, MotionFeature, features_of, read_query
from armuto.tests.files import DEMO
from armuto.tests.leaps import leap

FOLDERS = ("gallery", "hall", "roof", "yard")


@cache
def museum() -> tuple[tuple[str, Clip, Assignment], ...]:
    """Name, motion and parts of every clip of the demo."""
    out = []
    for folder in FOLDERS:
        for path in sorted((DEMO / folder).glob("*")):
            document = formats.read(path.read_bytes(), path.name)
            for clip in document.clips:
                name = clip.name if len(document.clips) > 1 else path.stem
                out.append((name.replace("_", " "), without_calibration(clip), document.parts))
    return tuple(out)


@cache
def index() -> ClipIndex:
    return ClipIndex([ClipText(name, "", features_of(clip, parts)) for name, clip, parts in museum()])


def clip_named(wanted: str) -> tuple[Clip, Assignment]:
    return next((clip, parts) for name, clip, parts in museum() if name == wanted)


def degrees(clip: Clip, parts: Assignment) -> dict[str, float]:
    return {name: feature.degree for name, feature in features_of(clip, parts).items()}


def enlarged(clip: Clip, times: float) -> Clip:
    """The same motion of a body so many times as large, at the pace that its size has: slower by the root of that."""
    skeleton = clip.skeleton
    large = Skeleton(
        skeleton.names,
        skeleton.parents,
        skeleton.rest_translation * times,
        skeleton.rest_rotation,
        skeleton.end_parents,
        skeleton.end_offsets * times,
    )
    return replace(clip, skeleton=large, fps=clip.fps / times**0.5, translations=clip.translations * times)


class WhatMoves(unittest.TestCase):
    def assert_does(self, name: str, *features: str) -> None:
        found = degrees(*clip_named(name))
        for feature in features:
            wanted = not feature.startswith("not ")
            with self.subTest(clip=name, feature=feature):
                degree = found.get(feature.removeprefix("not "), 0.0)
                self.assertTrue(degree > 0.7 if wanted else degree < 0.3, f"{degree:.2f}")

    def test_the_museums_night(self):
        self.assert_does("walk", "travels forward", "takes steps", "not goes fast", "not both feet leave the floor")
        self.assert_does("run", "travels forward", "goes fast")
        self.assert_does("creep", "goes slowly", "travels forward", "not goes fast")
        self.assert_does("sweep", "stays in place", "feet stay", "moves its hands", "loops")
        self.assert_does("look around", "looks around", "feet stay", "not moves its hands")
        self.assert_does("climb the ladder", "climbs", "ends higher", "not both feet leave the floor")
        self.assert_does("sit down", "ends lower", "crouches", "not climbs")
        self.assert_does("stand up", "ends higher", "not ends lower")
        self.assert_does("wave the lantern", "raises a hand", "uses its right hand", "not raises both hands")
        self.assert_does("gallop", "both feet leave the floor", "travels forward", "loops")
        self.assert_does("glide", "both feet leave the floor", "not crouches")

    def test_both_feet_leave_the_floor_for_as_long_as_they_do(self):
        for seconds, ahead in ((0.25, 0.0), (0.4, 0.6), (0.5, 0.0)):
            clip = leap((seconds,), 3, ahead=ahead)
            found = features_of(clip, assign(clip.skeleton))["both feet leave the floor"]
            with self.subTest(seconds=seconds):
                self.assertGreater(found.degree, 0.9)
                told = float(found.sentence.split()[-2])
                self.assertAlmostEqual(told, seconds, delta=0.12)
        before = leap((0.4,), 3).cut(0, 20)
        self.assertEqual(degrees(before, assign(before.skeleton))["both feet leave the floor"], 0.0)

    def test_left_is_right_in_the_mirror(self):
        for name in ("wave the lantern", "dust the case", "walk"):
            clip, parts = clip_named(name)
            turned = Recipe((Path(turn=90.0),)).refine(clip, parts).clip
            mirrored = Recipe((Mirror(),)).refine(turned, parts).clip
            own, other = degrees(turned, parts), degrees(mirrored, parts)
            for feature in own:
                swapped = " ".join({"left": "right", "right": "left"}.get(word, word) for word in feature.split())
                with self.subTest(clip=name, feature=feature):
                    self.assertAlmostEqual(own[feature], other[swapped], delta=0.12)
        clip, parts = clip_named("walk")
        turned = degrees(Recipe((Path(turn=90.0),)).refine(clip, parts).clip, parts)
        self.assertGreater(turned["turns left"], 0.8)
        self.assertLess(turned["turns right"], 0.1)

    def test_backwards_it_travels_backward(self):
        for name in ("walk", "carry the crate", "trot"):
            clip, parts = clip_named(name)
            found = degrees(Recipe((Backwards(),)).refine(clip, parts).clip, parts)
            with self.subTest(clip=name):
                self.assertGreater(found["travels backward"], 0.8)
                self.assertLess(found["travels forward"], 0.1)

    def test_size_direction_and_rate_of_frames_change_nothing(self):
        for name in ("walk", "sweep", "climb the ladder", "gallop", "sit down", "wave the lantern"):
            clip, parts = clip_named(name)
            own = degrees(clip, parts)
            at = np.linspace(0, clip.frames - 1, round((clip.frames - 1) * 100 / clip.fps) + 1)
            others = {
                "giant": enlarged(clip, 9.0),
                "mouse": enlarged(clip, 0.05),
                "turned": Recipe((Placement(facing=130.0),)).refine(clip, parts).clip,
                "rate": replace(sample(clip, at), fps=100.0),
            }
            for kind, other in others.items():
                found = degrees(other, parts)
                for feature, degree in own.items():
                    with self.subTest(clip=name, kind=kind, feature=feature):
                        self.assertAlmostEqual(found.get(feature, 0.0), degree, delta=0.3)

    def test_clips_that_there_should_not_be(self):
        clip, parts = clip_named("walk")
        for name, odd in (
            ("one frame", clip.cut(0, 0)),
            ("two frames", clip.cut(0, 1)),
            ("still", clip.cut(5, 5)),
            ("slow", replace(clip, fps=0.5)),
            ("quick", replace(clip, fps=1000.0)),
        ):
            with self.subTest(clip=name):
                for feature in features_of(odd, parts).values():
                    self.assertTrue(0 <= feature.degree <= 1 and np.isfinite(feature.degree))
                    self.assertNotIn("nan", feature.sentence)
        self.assertEqual(features_of(clip, {}), {}, "nothing is known of a body without parts")
        held = Clip("held", clip.skeleton, 30.0, np.repeat(clip.rotations[:1], 60, 0), clip.moving,
                    np.repeat(clip.translations[:1], 60, 0))  # fmt: skip
        self.assertGreater(degrees(held, parts)["holds still"], 0.99)


class WhatIsAskedFor(unittest.TestCase):
    def test_words_and_what_moves_are_told_apart(self):
        query = read_query("Travels forward, both feet leave the floor; loops")
        self.assertEqual(query.terms, {})
        self.assertEqual(query.wanted, {"travels forward": True, "both feet leave the floor": True, "loops": True})
        query = read_query("polishes the glass case with the right hand")
        self.assertEqual(list(query.terms), ["polishes", "glass", "case"])
        self.assertEqual(query.wanted, {"uses its right hand": True})
        self.assertIn(("dust",), query.terms["polishes"])

    def test_what_is_not_wanted(self):
        for text in ("does not travel", "without travelling", "never travels"):
            with self.subTest(text):
                self.assertEqual(read_query(text).wanted, {"travels": False})
        query = read_query("not a jump, raises a hand")
        self.assertEqual((query.terms, query.wanted), ({}, {"raises a hand": True}))

    def test_how_and_with_what_weigh_less(self):
        query = read_query("walks", "tired", "lantern")
        self.assertEqual(query.minor, {"tired", "lantern"})
        self.assertEqual(read_query("walks tired", "tired").minor, frozenset())

    def test_anything_can_be_asked(self):
        for text in ("", "   ", "...", "the of and", "🕰️", "\0", "walk " * 5000, "Ω ξ", "not", "a\nb;c,d.e"):
            with self.subTest(text[:12]):
                index().scores(read_query(text))
        self.assertTrue(read_query("the of and").empty)
        self.assertEqual(list(index().rank(read_query(""))), [])


class WhatFits(unittest.TestCase):
    #: What is asked for, and which clip of the museum is to come first.
    ASKED: ClassVar = {
        "winds up the pocket watch": "wind the watch",
        "carrying a box": "carry the crate",
        "sneaks": "creep",
        "takes a bow": "bow",
        "sneaks past the cases, slowly": "creep",
        "polishes the glass case": "dust the case",
        "says hello": "greet",
        "a weary walk": "walk tired",
        "struts about": "walk proud",
        "climbs up": "climb the ladder",
        "takes a seat": "sit",
        "brooms the floor": "sweep",
        "looks around, stands still": "look around",
        "pushes the trolley": "push the cart",
        "sprints": "run",
        "raises both hands, climbs": "climb the ladder",
    }

    def test_the_first_that_comes_is_the_right_one(self):
        for text, name in self.ASKED.items():
            with self.subTest(text):
                best = list(islice(index().rank(read_query(text)), 1))
                self.assertTrue(best, "nothing was found")
                self.assertTrue(index().clips[best[0].clip].name.startswith(name), index().clips[best[0].clip].name)
                self.assertGreaterEqual(best[0].score, FITS)

    def test_what_nothing_fits_is_missing(self):
        for text in (
            "dances a waltz",
            "kicks a ball",
            "walks backwards",
            "dives into the water",
            "dances with the broom",
        ):
            with self.subTest(text):
                self.assertLess(float(index().scores(read_query(text)).max()), FITS)

    def test_by_motion_alone_whatever_a_clip_is_called(self):
        nameless = ClipIndex([ClipText(f"take {n}", "", clip.features) for n, clip in enumerate(index().clips)])
        for text, names in {
            "both feet leave the floor, loops": {"gallop", "hop"},
            "goes up": {"climb the ladder"},
            "ends lower, stays in place": {"sit", "sit down"},
        }.items():
            found = {index().clips[row.clip].name for row in nameless.rank(read_query(text)) if row.score >= 0.95}
            with self.subTest(text):
                self.assertEqual({name for name in found if name not in ("glide", "land")}, names)

    def test_a_synonym_counts_less_and_a_rare_word_more(self):
        clips = [ClipText(name, "", {}) for name in ("carry lamp", "haul lamp", "carry crate", "stroll")]
        found = [row.clip for row in ClipIndex(clips).rank(read_query("carry lamp"))]
        self.assertEqual(found[:2], [0, 1])
        scores = ClipIndex(clips).scores(read_query("haul stroll"))
        self.assertGreater(scores[1], scores[0])

    def test_what_was_said_of_the_motion_is_to_hold(self):
        travels = {"travels": MotionFeature(1.0, "it travels 4.0 m")}
        stays = {"travels": MotionFeature(0.0, "it travels 0.0 m")}
        clips = [ClipText("wave a", "", travels), ClipText("wave b", "", stays), ClipText("wave c", "", {})]
        rows = list(ClipIndex(clips).rank(read_query("waves, does not travel")))
        self.assertEqual(rows[0].clip, 1)
        scores = {row.clip: row.score for row in rows}
        self.assertLess(scores[0], FITS)
        told = {match.asked: match for match in rows[0].matches}
        self.assertEqual(told["not: travels"].found, "it travels 0.0 m")
        unknown = next(row for row in rows if row.clip == 2)
        self.assertIn("not measured", {match.asked: match for match in unknown.matches}["not: travels"].found)

    def test_the_order_does_not_depend_on_the_order_of_the_library(self):
        backwards = ClipIndex(list(reversed(index().clips)))
        for text in ("walk", "carries a ladder", "loops", "turns"):
            names = [index().clips[row.clip].name for row in index().rank(read_query(text))]
            self.assertEqual(names, [backwards.clips[row.clip].name for row in backwards.rank(read_query(text))])
