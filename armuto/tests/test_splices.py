"""Splices: clips cut and joined again, gaits of any phase, headings, repeats, characters, and what a join says."""

import unittest
from dataclasses import replace
from itertools import pairwise

import numpy as np

from armuto import formats
from armuto.errors import BadInput
from armuto.formats import bvh
from armuto.intake.recording import without_calibration
from armuto.kinematics import rotation
from armuto.pipeline import transfer
from armuto.refining.foot_locking import footing, steps_of
from armuto.refining.measures import turning
from armuto.refining.refined import body_of
from armuto.retarget.fitting import fit
from armuto.splicing.candidates import candidates
from armuto.splicing.features import prepare
from armuto.splicing.findings import findings
from armuto.splicing.joining import prepare_clips, splice_clips, splice_like
from armuto.splicing.model import Join, Span, Splice
from armuto.tests.files import DEMO
from armuto.tests.test_splicing import of_hall
from demo.gaits import Gait, go


def of_gait(gait: Gait):
    """A generated gait as it comes out of a file, and its body."""
    document = formats.read(bvh.serialise(bvh.from_clip(go(gait))), f"{gait.name}.bvh")
    return document.clips[0], body_of(document.skeleton, document.parts)


def gait(rng: np.random.Generator, name: str = "a") -> Gait:
    how = rng.uniform(0.85, 1.15)
    cycle, stride = 1.1 * rng.uniform(0.85, 1.15), 1.3 * rng.uniform(0.8, 1.1)
    return Gait(name, cycle, stride, 3.5, lift=0.055 * how, lean=3 * how, toes_out=6 * how, twist=6.5 * how)


class Cut(unittest.TestCase):
    def same(self, made, clip) -> None:
        self.assertEqual(made.frames, clip.frames)
        worlds = made.world(), clip.world()
        self.assertLess(np.abs(worlds[0].positions - worlds[1].positions).max(), 1e-3)
        self.assertLess(np.degrees(rotation.angle_apart(worlds[0].rotations, worlds[1].rotations).max()), 0.1)

    def test_a_clip_that_was_cut_and_is_joined_again_is_the_clip(self) -> None:
        for name in ("walk", "bow", "run", "climb_the_ladder"):
            clip, body = of_hall(name)
            last = clip.frames - 1
            for at in (last // 3, last // 2, 3 * last // 4):
                for first, overlap in ((at, None), (at + 1, None), (at + 1, 0.0), (at - 8, 0.3)):
                    pieces = {"a": clip.cut(0, at), "b": clip.cut(first, last)}
                    meets = at if first <= at else None
                    end = None if meets is None else (at + first) // 2 / clip.fps
                    start = None if meets is None else ((at + first) // 2 - first) / clip.fps
                    splice = Splice((Span("a", None, end), Span("b", start)), (Join(overlap),))
                    made = splice_clips(splice, prepare_clips(splice, pieces, body))
                    self.same(made.clip, clip)

    def test_a_clip_alone_is_itself(self) -> None:
        clip, body = of_hall("sweep")
        splice = Splice((Span("a"),))
        made = splice_clips(splice, prepare_clips(splice, {"a": clip}, body))
        self.same(made.clip, clip)
        self.assertEqual(made.joins, ())


class Gaits(unittest.TestCase):
    PAIRS, GAITS = 100, 20

    def test_walks_of_any_phase_keep_their_feet_on_the_ground_in_turn(self) -> None:
        rng = np.random.default_rng(11)
        clip, body = of_gait(gait(rng))
        others = [of_gait(gait(rng))[0] for _ in range(1, self.GAITS)]
        walks = [prepare(replace(each, skeleton=body.skeleton), body) for each in (clip, *others)]
        for number in range(self.PAIRS):
            a, b = (walks[n] for n in rng.choice(self.GAITS, 2, replace=False))
            out, into = int(rng.integers(40, 60)), int(rng.integers(10, 50))
            found = candidates(a.features, b.features, clip.fps, (out - 15, out + 15), (into, into + 25))
            self.assertTrue(found, number)
            splice = Splice((Span("a", None, found[0].out / clip.fps), Span("b", found[0].into / clip.fps)))
            made = splice_clips(splice, {"a": a, "b": b})
            join = made.joins[0]
            with self.subTest(pair=number):
                slide = join.measures.slide
                # Heels and toes roll in the clips themselves; what a join adds to that is asked for.
                self.assertLessEqual(slide.joined, slide.clips + 0.5)
                self.assertLess(join.measures.lift, 1.0)
                self.assertLess(join.measures.velocity.joined, 1.6 * join.measures.velocity.clips)
                self.assertLess(abs(join.measures.heading), 15)
                self.assertEqual(findings(made.joins, ["a", "b"]), [])
                self.in_turn(made.clip, body, join)

    def in_turn(self, clip, body, join) -> None:
        """One foot after the other rests, and none comes down twice running."""
        ground = footing(body)
        limb_of = {point.name: point.limb for point in ground.points}
        begins = sorted(
            (contact.first, limb_of[contact.point])
            for contact in steps_of(clip, ground).contacts
            if "heel" in contact.point and abs(contact.first - join.middle) < 45
        )
        for (_, limb), (_, following) in pairwise(begins):
            self.assertNotEqual(limb, following)

    def test_the_best_place_is_the_same_phase(self) -> None:
        rng = np.random.default_rng(5)
        for _ in range(12):
            walk = gait(rng)
            clip, body = of_gait(walk)
            begins = int(rng.integers(3, 30))
            a, b = prepare(clip, body), prepare(clip.cut(begins, clip.frames - 1), body)
            found = candidates(a.features, b.features, clip.fps, (45, 75), (5, 40))[0]
            cycle = walk.cycle * clip.fps
            apart = (found.out - found.into - begins) % cycle
            self.assertLessEqual(min(apart, cycle - apart), 2.0)


class Joined(unittest.TestCase):
    def setUp(self) -> None:
        self.walk, self.body = of_hall("walk")
        self.bow, _ = of_hall("bow", self.body)
        self.wind, _ = of_hall("wind_the_key", self.body)
        self.clips = {"walk": self.walk, "bow": self.bow, "wind": self.wind}

    def made(self, splice: Splice):
        return splice_clips(splice, prepare_clips(splice, self.clips, self.body))

    def test_the_way_goes_on_or_turns_as_it_is_wanted(self) -> None:
        spans = (Span("walk", None, 2.5), Span("walk", 1.4))
        straight = self.made(Splice(spans)).clip
        self.assertLess(abs(turning(straight, self.body)), 8.0)
        for turn in (60.0, -90.0):
            made = self.made(Splice(spans, (Join(turn=turn, over=0.8),)))
            self.assertAlmostEqual(turning(made.clip, self.body) - turning(straight, self.body), turn, delta=12.0)
            steps = np.diff(made.clip.world().positions[:, self.body.hips, [0, 2]], axis=0)
            heading = np.unwrap(np.arctan2(steps[:, 0], steps[:, 1]))
            self.assertLess(np.abs(np.diff(heading)).max(), np.radians(20))

    def test_a_pivot_is_held_where_it_is(self) -> None:
        for pivot in ("left foot", "hips", "right hand"):
            join = self.made(Splice((Span("bow", None, 3.5), Span("wind", 0.5)), (Join(0.4, pivot, feet=False),))).joins
            self.assertEqual(join[0].pivot, pivot)
        made = self.made(Splice((Span("walk"), Span("bow", 0.5)), (Join(0.2, "place", (1.0, -2.0), 90.0),)))
        join, hips = made.joins[0], made.passages[1].positions(made.joins[0].middle, made.joins[0].middle)
        np.testing.assert_allclose(hips[0, self.body.hips, [0, 2]], [1.0, -2.0], atol=1e-9)
        self.assertEqual(join.pivot, "place")
        with self.assertRaisesRegex(BadInput, "“tail” is no part of this body"):
            self.made(Splice((Span("walk"), Span("bow")), (Join(0.2, "tail"),)))

    def test_three_clips_and_a_span_twice(self) -> None:
        single = self.made(Splice((Span("walk", None, 3.0), Span("bow", 0.5, 3.5), Span("wind", 0.5))))
        twice = self.made(Splice((Span("walk", None, 3.0), Span("bow", 0.5, 3.5), Span("wind", 0.5, None, 2))))
        self.assertEqual([join.number for join in single.joins], [0, 1])
        self.assertEqual([join.number for join in twice.joins], [0, 1, None])
        self.assertGreater(twice.clip.frames, single.clip.frames + 100)
        for splice in (single, twice):
            for before, after in pairwise(splice.passages):
                self.assertLessEqual(after.begin, before.end + 1)

    def test_resting_feet_stay_and_where_they_need_not_they_do_not(self) -> None:
        spans = (Span("bow", None, 3.2), Span("wind", 2.2))
        held, free = (self.made(Splice(spans, (Join(feet=feet),))).joins[0].measures.slide for feet in (True, False))
        self.assertLess(held.joined, 0.5)
        self.assertGreater(free.joined, 5.0)

    def test_clips_that_do_not_meet_say_so(self) -> None:
        climb, _ = of_hall("climb_the_ladder", self.body)
        self.clips["climb"] = climb
        splice = Splice((Span("bow", None, 1.6), Span("climb", 2.0)))
        said = findings(self.made(splice).joins, [span.clip for span in splice.spans])
        self.assertTrue(any("do not meet here" in sentence for sentence in said), said)

    def test_what_lies_beyond_a_clip_is_refused(self) -> None:
        with self.assertRaisesRegex(BadInput, "reaches 99.00 s; the clip ends at"):
            self.made(Splice((Span("walk", None, 99.0), Span("bow"))))
        with self.assertRaisesRegex(BadInput, "no frames"):
            self.made(Splice((Span("walk", None, 0.2, 2), Span("bow"))))

    def test_one_that_ends_where_the_other_begins_is_carried_over_into_it(self) -> None:
        last = self.walk.frames - 1
        spans = (Span("walk", None, last / 30), Span("bow", 0.0))
        join = self.made(Splice(spans, (Join(0.5),))).joins[0]
        self.assertEqual((join.blend, join.last - join.first + 1, join.middle), ("carry", 15, join.first + 1))
        self.assertLess(join.measures.velocity.joined, 2.5 * join.measures.velocity.clips)
        faded = self.made(Splice(spans, (Join(0.5, blend="fade"),))).joins[0]
        self.assertGreater(faded.measures.velocity.joined, 2 * join.measures.velocity.joined)

    def test_what_would_come_to_too_much_is_refused_at_once(self) -> None:
        many = Splice(tuple(Span("walk", repeat=200) for _ in range(60)))
        with self.assertRaisesRegex(BadInput, "at most 500,000 are made"):
            self.made(many)


class Any(unittest.TestCase):
    """Splices of any clips of a skeleton, at any places, with anything said of them."""

    COUNT = 35

    def test_every_splice_is_whole(self) -> None:
        rng = np.random.default_rng(4)
        groups = []
        for folder in ("hall", "gallery", "yard", "roof", "camera"):
            documents = [formats.read(path.read_bytes(), path.name) for path in sorted((DEMO / folder).iterdir())]
            clips = [without_calibration(clip) for document in documents for clip in document.clips]
            groups.append((body_of(clips[0].skeleton, documents[0].parts), clips))
        for number in range(self.COUNT):
            body, clips = groups[number % len(groups)]
            body = body_of(body.skeleton, {}) if number % 7 == 0 else body
            with self.subTest(number):
                self.whole(*self.any_splice(rng, clips), body)

    def any_splice(self, rng: np.random.Generator, clips):
        picked, spans = {}, []
        for n in range(int(rng.integers(2, 5))):
            clip = clips[int(rng.integers(len(clips)))]
            if rng.random() < 0.25:
                clip = clip.cut(0, int(rng.integers(0, min(12, clip.frames))))
            clip = replace(clip, fps=clip.fps * float(rng.choice([0.5, 1, 1, 2])))
            start, end = sorted(rng.uniform(0, clip.seconds, 2))
            times = [None if rng.random() < 0.4 else float(time) for time in (start, end)]
            spans.append(Span(f"{n}", *times, repeat=int(rng.integers(1, 4))))
            picked[f"{n}"] = clip
        joins = tuple(
            Join(
                None if rng.random() < 0.5 else float(rng.uniform(0, 2)),
                str(rng.choice(["auto", "hips", "body", "place"])),
                blend=str(rng.choice(["auto", "fade", "carry"])),
                turn=float(rng.choice([0, 0, 70, -160])),
                feet=bool(rng.random() < 0.8),
            )
            for _ in spans[1:]
        )
        return Splice(tuple(spans), joins), picked

    def whole(self, splice: Splice, clips, body) -> None:
        try:
            made = splice_clips(splice, prepare_clips(splice, clips, body))
        except BadInput as problem:
            self.assertRegex(str(problem), "no frames|reaches")
            return
        frames = sum(each.end - each.begin + 1 for each in made.passages)
        shared = sum(max(0, a.end - b.begin + 1) for a, b in pairwise(made.passages))
        self.assertEqual(made.clip.frames, frames - shared)
        self.assertTrue(np.isfinite(made.clip.world().positions).all())
        np.testing.assert_allclose(np.linalg.norm(made.clip.rotations, axis=-1), 1.0, atol=1e-9)
        self.assertTrue(all(isinstance(sentence, str) for sentence in findings(made.joins, splice.clips * 4)))


class OnCharacters(unittest.TestCase):
    def test_clips_of_two_skeletons_are_joined_on_the_character(self) -> None:
        hall = formats.read((DEMO / "hall" / "walk.bvh").read_bytes(), "walk.bvh")
        gallery = formats.read((DEMO / "gallery" / "stroll.glb").read_bytes(), "stroll.glb")
        for name in ("porter", "keeper", "striker"):
            character = formats.read((DEMO / f"{name}.glb").read_bytes(), f"{name}.glb")
            performed = {
                clip: transfer(
                    document.clips[0].cut(2, document.clips[0].frames - 1),
                    fit(document.skeleton, character.skeleton, document.parts, character.parts),
                )
                for clip, document in (("walk", hall), ("stroll", gallery))
            }
            body = body_of(character.skeleton, character.parts)
            splice = Splice((Span("walk"), Span("stroll")))
            clips = prepare_clips(splice, performed, body)
            a, b = clips["walk"], clips["stroll"]
            best = candidates(a.features, b.features, a.clip.fps)[0]
            splice = Splice((Span("walk", None, best.out / a.clip.fps), Span("stroll", best.into / a.clip.fps)))
            made = splice_clips(splice, clips)
            measures = made.joins[0].measures
            with self.subTest(name):
                self.assertLessEqual(measures.slide.joined, measures.slide.clips + 0.5)
                self.assertLess(measures.velocity.joined, 1.5 * measures.velocity.clips)
                self.assertEqual(made.clip.skeleton, character.skeleton)

    def test_each_frame_shows_what_that_of_another_making_shows(self) -> None:
        hall = formats.read((DEMO / "hall" / "walk.bvh").read_bytes(), "walk.bvh")
        walk, bow = of_hall("walk")[0], of_hall("bow")[0]
        body = body_of(hall.skeleton, hall.parts)
        splice = Splice(
            (Span("walk", None, 3.0, 2), Span("bow", 0.5), Span("walk", 1.0)),
            (Join(), Join(0.4, "place", (2.0, 1.0), 90.0)),
        )
        prepared = prepare_clips(splice, {"walk": walk, "bow": bow}, body)
        reference = splice_clips(splice, prepared)
        np.testing.assert_array_equal(splice_like(reference, splice, prepared).clip.rotations, reference.clip.rotations)
        for name in ("porter", "striker"):
            character = formats.read((DEMO / f"{name}.glb").read_bytes(), f"{name}.glb")
            through = fit(hall.skeleton, character.skeleton, hall.parts, character.parts)
            own = body_of(character.skeleton, character.parts)
            performed = {clip.name: prepare(transfer(clip, through), own) for clip in (walk, bow)}
            made = splice_like(reference, splice, performed, through.scale)
            with self.subTest(name):
                self.assertEqual(made.clip.frames, reference.clip.frames)
                spans = [[(each.begin, each.end, each.shift) for each in row.passages] for row in (made, reference)]
                self.assertEqual(*spans)
                middle = made.joins[-1].middle
                place = made.passages[-1].positions(middle, middle)[0, own.hips]
                np.testing.assert_allclose(place[[0, 2]], np.array([2.0, 1.0]) * through.scale, atol=0.03)
                # Up to the step with which feet are held over a join it moves as it does in the clip.
                alone = slice(0, made.passages[1].begin - 15)
                first, second = (clip.world().positions for clip in (made.clip, performed["walk"].clip))
                np.testing.assert_allclose(first[alone], second[alone], atol=1e-6)


if __name__ == "__main__":
    unittest.main()
