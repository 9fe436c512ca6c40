"""Where clips meet: distance against a loop over pairs, candidates, and how one motion goes over into another."""

import unittest
from dataclasses import replace

import numpy as np
from scipy.optimize import minimize_scalar

from armuto import formats
from armuto.errors import BadInput
from armuto.kinematics import rotation
from armuto.refining.refined import Body, body_of
from armuto.refining.rigid import with_translations
from armuto.splicing import model
from armuto.splicing.alignment import Overlap, overlap_at, proposed_overlap
from armuto.splicing.blending import blended
from armuto.splicing.candidates import candidates, cost_map, minima
from armuto.splicing.distance import distance, total_distance
from armuto.splicing.features import AHEAD, SHARES, WINDOW, FrameFeatures, point_weights, prepare
from armuto.splicing.joining import at_rate, prepare_clips
from armuto.splicing.model import Join, Span, Splice
from armuto.tests.files import DEMO


def of_hall(name: str, body: Body | None = None):
    """A clip of the hall without its calibration frames, and its body."""
    document = formats.read((DEMO / "hall" / f"{name}.bvh").read_bytes(), f"{name}.bvh")
    body = body or body_of(document.skeleton, document.parts)
    clip = document.clips[0]
    return replace(clip.cut(2, clip.frames - 1), skeleton=body.skeleton), body


class Distance(unittest.TestCase):
    def setUp(self) -> None:
        self.walk, self.body = of_hall("walk")
        self.bow, _ = of_hall("bow", self.body)

    def test_it_is_the_least_over_all_turns_and_shifts(self) -> None:
        """Against a search over turns, with the sum over points written out."""
        a, b = prepare(self.walk, self.body), prepare(self.bow, self.body)
        costs = distance(a.features, b.features)
        joints, weights = point_weights(self.body)
        span = WINDOW * 30
        for i, j in ((40, 30), (70, 90), (100, 12)):

            def places(clip, frame):
                every = np.arange(clip.clip.frames)
                rows = [
                    [np.interp(frame + share * span, every, clip.positions[:, n, axis]) for axis in range(3)]
                    for share in (-1, -0.5, 0, 0.5, 1)
                    for n in joints
                ]
                moving = np.gradient(clip.positions[:, joints], 1 / 30, axis=0)[frame] * AHEAD
                return np.array(rows), moving

            (p, v), (q, u) = places(a, i), places(b, j)
            each = (SHARES[:, None] * weights).ravel()
            p, q = (points - (each @ points) * [1, 0, 1] for points in (p, q))

            def apart(angle, p=p, q=q, v=v, u=u, each=each):
                turn = rotation.about([0, 1, 0], angle)
                squares = (each @ (p - rotation.rotate(turn, q)) ** 2).sum()
                return squares + (weights @ (v - rotation.rotate(turn, u)) ** 2).sum()

            start = costs.turn[i, j]
            found = minimize_scalar(apart, bounds=(start - 0.5, start + 0.5), method="bounded", options={"xatol": 1e-9})
            self.assertAlmostEqual(costs.pose[i, j], np.sqrt(found.fun), places=6)
            self.assertAlmostEqual(start, found.x, places=4)

    def test_where_it_was_recorded_does_not_count(self) -> None:
        turn = rotation.about([0, 1, 0], 1.1)
        root = self.walk.translations.copy()
        column = self.walk.moving.tolist().index(0)
        root[:, column] = rotation.rotate(turn, root[:, column]) + [3.0, 0.0, -2.0]
        turned = self.walk.rotations.copy()
        turned[:, 0] = rotation.multiply(turn, turned[:, 0])
        away = replace(self.walk, rotations=turned, translations=root)
        a, b = prepare(self.walk, self.body).features, prepare(away, self.body).features
        costs = distance(a, b)
        self.assertLess(np.diag(costs.total).max(), 1e-6)
        np.testing.assert_allclose(np.diag(costs.turn), -1.1, atol=1e-6)

    def test_the_sum_is_the_sum_and_left_onto_right_is_refused(self) -> None:
        features = prepare(self.walk, self.body).features
        costs = distance(features, features)
        np.testing.assert_allclose(total_distance(features, features), costs.total, atol=1e-6)
        left, right = (features.feet.index(name) for name in ("left leg", "right leg"))
        rests = features.resting > 0.5
        only_left = np.flatnonzero(rests[:, left] & ~rests[:, right])
        only_right = np.flatnonzero(rests[:, right] & ~rests[:, left])
        self.assertTrue(len(only_left) and len(only_right))
        self.assertTrue(np.isinf(costs.total[np.ix_(only_left, only_right)]).all())
        self.assertTrue(np.isfinite(costs.total[np.ix_(only_left, only_left)]).all())

    def test_one_frame_and_bodies_without_feet(self) -> None:
        for clip, body in ((self.walk.cut(4, 4), self.body), (self.walk, body_of(self.walk.skeleton, {}))):
            features = prepare(clip, body).features
            self.assertTrue(np.isfinite(total_distance(features, features)).all())


class Candidates(unittest.TestCase):
    def test_the_range_that_is_wanted_is_kept_and_they_are_apart(self) -> None:
        walk, body = of_hall("walk")
        features = prepare(walk, body).features
        found = candidates(features, features, 30.0, (100, 140), (5, 60))
        self.assertGreater(len(found), 1)
        for n, row in enumerate(found):
            self.assertTrue(100 <= row.out <= 140 and 5 <= row.into <= 60)
            for other in found[:n]:
                self.assertGreaterEqual(max(abs(row.out - other.out), abs(row.into - other.into)), 5)
                self.assertGreaterEqual(row.cost, other.cost)
        with self.assertRaises(ValueError):
            candidates(features, features, 30.0, (100, 400), (0, 5))

    def test_a_coarse_pass_finds_what_all_frames_find(self) -> None:
        walk, body = of_hall("walk")
        several = at_rate(walk, 480.0)
        features = prepare(several, body).features
        found = candidates(features, features, 480.0, (1700, several.frames - 1), (0, several.frames - 1), 3)
        fine = total_distance(features.rows(np.arange(1700, several.frames)), features)
        self.assertAlmostEqual(found[0].cost, fine.min() * 100, delta=0.05)

    def test_minima_are_local(self) -> None:
        cost = np.add.outer((np.arange(40) - 11.0) ** 2, (np.arange(30) - 7.0) ** 2)
        self.assertEqual(minima(cost, 3, 5), [(11, 7)])
        self.assertEqual(minima(np.full((4, 4), np.inf), 1, 5), [])

    def test_the_map_has_all_frames_or_as_many_as_are_wanted(self) -> None:
        walk, body = of_hall("walk")
        features = prepare(walk, body).features
        costs, rows, columns = cost_map(features, features, 50)
        self.assertEqual(costs.shape, (50, 50))
        self.assertEqual((rows[0], rows[-1], columns[-1]), (0, walk.frames - 1, walk.frames - 1))


class Transitions(unittest.TestCase):
    def test_both_begin_with_the_first_and_end_with_the_second(self) -> None:
        walk, body = of_hall("walk")
        run, _ = of_hall("run", body)
        a, b = walk.cut(20, 50), run.cut(10, 40)
        begins = {"fade": 2e-3, "carry": 1e-9}
        for blend, apart in begins.items():
            made = blended(a, b, blend, body.hips)
            self.assertLess(rotation.angle_apart(made.rotations[0], a.rotations[0]).max(), apart)
            self.assertLess(rotation.angle_apart(made.rotations[-1], b.rotations[-1]).max(), 2e-3)
            np.testing.assert_allclose(made.translations[0], a.translations[0], atol=2e-3)

    def test_what_is_carried_over_begins_with_the_speed_of_the_first(self) -> None:
        walk, body = of_hall("walk")
        run, _ = of_hall("run", body)
        a, b = walk.cut(20, 80), run.cut(10, 70)
        made = blended(a, b, "carry", body.hips)
        steps = [clip.translations[1] - clip.translations[0] for clip in (a, b, made)]
        self.assertLess(np.abs(steps[2] - steps[0]).max(), 0.25 * np.abs(steps[1] - steps[0]).max())

    def test_a_root_far_from_the_hips_does_not_swing_them_about(self) -> None:
        document = formats.read((DEMO / "gallery" / "stroll.glb").read_bytes(), "stroll.glb")
        body = body_of(document.skeleton, document.parts)
        self.assertGreaterEqual(document.skeleton.parents[body.hips], 0)
        a = with_translations(document.clips[0].cut(10, 30), [0, body.hips])
        # The same motion, carried by the root, which stands elsewhere and is turned another way.
        turn = rotation.about([0, 1, 0], 2.5)
        root = np.array([6.0, 0.0, -9.0])
        world, local, moved = a.world(), a.rotations.copy(), a.translations.copy()
        local[:, 0] = turn
        moved[:, a.moving.tolist().index(0)] = root
        back = rotation.inverse(turn)
        local[:, body.hips] = rotation.multiply(back, world.rotations[:, body.hips])
        moved[:, a.moving.tolist().index(body.hips)] = rotation.rotate(back, world.positions[:, body.hips] - root)
        b = replace(a, rotations=local, translations=moved)
        np.testing.assert_allclose(b.world().positions[:, 1:], world.positions[:, 1:], atol=1e-9)
        for blend in ("fade", "carry"):
            made = blended(a, b, blend, body.hips).world()
            np.testing.assert_allclose(made.positions[:, 1:], world.positions[:, 1:], atol=1e-6)

    def test_overlaps_stay_within_their_clips(self) -> None:
        self.assertEqual(overlap_at(50, 20, 11, (0, 100), (0, 100)), Overlap(45, 15, 11))
        self.assertEqual(overlap_at(50, 0, 11, (0, 100), (0, 100)), Overlap(50, 0, 11))
        self.assertEqual(overlap_at(100, 20, 11, (0, 100), (0, 100)), Overlap(90, 10, 11))
        self.assertEqual(overlap_at(100, 0, 11, (0, 100), (0, 100)), Overlap(100, 0, 1))
        self.assertEqual(overlap_at(30, 9, 0, (0, 100), (0, 100)), Overlap(31, 9, 0))
        self.assertLess(proposed_overlap(0.0), proposed_overlap(5.0))
        self.assertLessEqual(proposed_overlap(500.0), 0.7)


class Values(unittest.TestCase):
    WHOLE = Splice(
        (Span("walk", None, 3.2), Span("bow", 0.4, 2.0), Span("wind", 0.1, None, 2)),
        (Join(0.3), Join(pivot="place", place=(1.0, 2.0), facing=90.0, turn=30.0, feet=False)),
        "Up, bow and wind",
    )

    def test_there_and_back(self) -> None:
        self.assertEqual(model.from_json(model.to_json(self.WHOLE)), self.WHOLE)
        self.assertEqual(model.to_json(self.WHOLE)["joins"][0], {"overlap": 0.3})
        renamed = replace(self.WHOLE, name="Else")
        self.assertEqual(renamed.digest, self.WHOLE.digest)
        self.assertNotEqual(self.WHOLE.with_join(0, overlap=0.4).digest, self.WHOLE.digest)
        self.assertEqual(self.WHOLE.clips, ("walk", "bow", "wind"))
        self.assertEqual(len(Splice((Span("a"), Span("b"))).joins), 1)

    def test_what_is_wrong_is_said_by_name(self) -> None:
        for table, words in (
            ([], "a table"),
            ({"spans": []}, "1 to 60 spans"),
            ({"spans": [{"clip": "a", "repeat": 0}]}, "1 to 200 times"),
            ({"spans": [{"clip": "a", "start": 3, "end": 2}]}, "before it starts"),
            ({"spans": [{"clip": "a", "begin": 3}]}, "begin"),
            ({"spans": [{"clip": "a"}], "joins": [{}]}, "joins"),
            ({"spans": [{"clip": "a"}, {"clip": "b"}], "joins": [{"blend": "melt"}]}, "melt"),
            ({"spans": [{"clip": "a"}, {"clip": "b"}], "joins": [{"overlap": float("nan")}]}, "overlap"),
            ({"spans": [{"clip": "a"}] * 1000}, "at most 60"),
        ):
            with self.assertRaisesRegex(ValueError, words):
                model.from_json(table)
        with self.assertRaisesRegex(BadInput, "s.json: it is no JSON"):
            model.from_file(b"\xff", "s.json")

    def test_clips_that_are_not_there_or_of_another_body(self) -> None:
        walk, body = of_hall("walk")
        stroll = formats.read((DEMO / "gallery" / "stroll.glb").read_bytes(), "stroll.glb").clips[0]
        splice = Splice((Span("walk"), Span("stroll")))
        with self.assertRaisesRegex(BadInput, "“stroll” is not there"):
            prepare_clips(splice, {"walk": walk}, body)
        with self.assertRaisesRegex(BadInput, "was not recorded on the skeleton of the first"):
            prepare_clips(splice, {"walk": walk, "stroll": stroll}, body)

    def test_two_clips_of_a_kind_are_compared_alike_at_any_rate(self) -> None:
        walk, body = of_hall("walk")
        quick = at_rate(walk, 60.0)
        self.assertEqual((quick.fps, quick.frames), (60.0, 2 * walk.frames - 1))
        one, other = prepare(walk, body).features, prepare(quick, body).features
        self.assertIsInstance(other, FrameFeatures)
        np.testing.assert_allclose(one.size[10:-10], other.size[20:-20:2], rtol=0.02)


if __name__ == "__main__":
    unittest.main()
