"""The two invariants of transfer, stance alignment, and what happens where bodies differ."""

import itertools
import unittest
from dataclasses import replace

import numpy as np

from armuto import pairing
from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip
from armuto.kinematics.skeleton import Skeleton
from armuto.pairing import Pair
from armuto.pipeline import transfer
from armuto.quality.findings import find, grade
from armuto.retarget import fitting
from armuto.retarget.settings import ROTATIONS_ALONE
from armuto.tests import figures

TENTH_MILLIMETRE = 1e-4


def parts_of(skeleton: Skeleton) -> dict[int, str]:
    return {bone.joint: part for part, bones in pairing.assign(skeleton).items() for bone in bones}


class Invariants(unittest.TestCase):
    def test_the_same_body_in_disguise_gives_the_same_positions(self):
        source = figures.body()
        for seed in range(25):
            with self.subTest(seed=seed):
                rng = np.random.default_rng(seed)
                yaw, scale = rng.uniform(-np.pi, np.pi), float(np.exp(rng.uniform(-3, 3)))
                target = figures.disguised(source, rng, yaw, scale)
                clip = figures.motion(source, rng)
                made = fitting.fit(source, target, pairs=figures.one_to_one(source, target, parts_of(source)))
                here = transfer(clip, made).world().positions / scale
                there = rotation.rotate(rotation.about([0, 1, 0], yaw), clip.world().positions)
                self.assertLess(np.abs(here - there).max(), TENTH_MILLIMETRE)
                self.assertAlmostEqual(made.scale, scale, delta=1e-9 * scale)

    def test_a_body_resting_in_another_pose_gives_the_same_positions(self):
        source = figures.body()
        for seed in range(10):
            with self.subTest(seed=seed):
                rng = np.random.default_rng(100 + seed)
                turns = {
                    f"{s}{n}": tuple(rng.uniform(-50, 50, 3))
                    for s in ("Left", "Right")
                    for n in ("Arm", "ForeArm", "Hand")
                }
                turns |= {"Neck": tuple(rng.uniform(-20, 20, 3)), "Head": tuple(rng.uniform(-20, 20, 3))}
                target = figures.posed(source, turns)
                clip = figures.motion(source, rng)
                # Shoulders stay where they were, so the facing is the same and only the stance differs.
                here = transfer(clip, fitting.fit(source, target)).world().positions
                self.assertLess(np.abs(here - clip.world().positions).max(), TENTH_MILLIMETRE)

    def test_transfer_onto_itself_returns_the_clip(self):
        for seed in range(10):
            rng = np.random.default_rng(200 + seed)
            for source in (figures.body(), figures.disguised(figures.body(), rng, 1.0)):
                clip = figures.motion(source, rng)
                pairs = figures.one_to_one(source, source, parts_of(figures.body()))
                again = transfer(clip, fitting.fit(source, source, pairs=pairs))
                between = rotation.multiply(rotation.inverse(clip.rotations), again.rotations)
                self.assertLess(rotation.angle(between).max(), 1e-6)
                self.assertLess(np.abs(again.all_translations() - clip.all_translations()).max(), 1e-6)

    def test_bones_outside_the_plan_and_a_travelling_root_come_back_too(self):
        plain = figures.body()
        source = Skeleton(
            ("root", *plain.names, "lantern"),
            np.array([-1, *(plain.parents + 1), plain.index["LeftHand"] + 1]),
            np.vstack([[0, 0, 0], plain.rest_translation, [0.1, 0, 0]]),
            np.tile(rotation.IDENTITY, (len(plain) + 2, 1)),
        )
        rng = np.random.default_rng(5)
        clip = figures.motion(source, rng)
        slider = source.index["lantern"]
        drift = clip.translations[:, :1] * 0.1
        clip = replace(
            clip, moving=np.array([0, slider]), translations=np.concatenate([clip.translations, drift], axis=1)
        )
        again = transfer(clip, fitting.fit(source, source))
        self.assertLess(
            rotation.angle(rotation.multiply(rotation.inverse(clip.rotations), again.rotations)).max(), 1e-6
        )
        self.assertLess(np.abs(again.all_translations() - clip.all_translations()).max(), 1e-6)

    def test_there_and_back_through_another_body(self):
        source = figures.body()
        target = figures.posed(source, {"LeftArm": (0, 0, -45), "RightArm": (0, 0, 45)})
        stretched = target.rest_translation * np.linspace(0.8, 1.3, len(target))[:, None]
        target = replace(target, rest_translation=stretched)
        clip = figures.motion(source, np.random.default_rng(7))
        there, again = (
            replace(fitting.fit(*pair), settings=ROTATIONS_ALONE) for pair in ((source, target), (target, source))
        )
        back = transfer(transfer(clip, there), again)
        off = rotation.angle(rotation.multiply(rotation.inverse(clip.world().rotations), back.world().rotations))
        self.assertLess(np.degrees(off).max(), 0.5)


class Stance(unittest.TestCase):
    def test_an_a_pose_is_brought_to_a_t_and_back(self):
        t_pose = figures.body()
        a_pose = figures.posed(t_pose, {"LeftArm": (0, 0, -45), "RightArm": (0, 0, 45)})
        for source, target in ((t_pose, a_pose), (a_pose, t_pose)):
            made = fitting.fit(source, target)
            rows = {row.part: row for row in made.rows}
            self.assertAlmostEqual(rows["left upper arm"].turned, 45, delta=0.1)
            self.assertLess(max(row.left for row in made.rows), 1.0)

    def test_flat_feet_stay_flat_on_a_body_with_higher_ankles(self):
        source = figures.body()
        offsets = source.rest_translation.copy()
        for side in ("Left", "Right"):
            offsets[source.index[f"{side}Leg"]] *= 0.9
            offsets[source.index[f"{side}Toe"], 1] -= 0.042
        target = replace(source, rest_translation=offsets)
        made = fitting.fit(source, target)
        turned = {row.part: row.turned for row in made.rows}
        self.assertLess(turned["left foot"], 0.01)
        # Against the direction from ankle to toes this would have been a tilt of more than ten degrees.
        self.assertGreater(abs(np.degrees(np.arctan2(0.102, 0.13) - np.arctan2(0.06, 0.13))), 10)

    def test_bend_decides_the_roll_where_both_limbs_are_bent(self):
        bent = figures.posed(figures.body(), {"LeftForeArm": (0, -60, 0)})
        rolled = figures.posed(bent, {"LeftArm": (35, 0, 0)})
        made = fitting.fit(bent, rolled)
        self.assertAlmostEqual({r.part: r.turned for r in made.rows}["left upper arm"], 35, delta=0.1)


class DifferentBodies(unittest.TestCase):
    def longer_spine(self) -> Skeleton:
        """The body with its trunk cut into five bones of the same line instead of two."""
        plain = figures.body()
        names = [n for n in plain.names if n not in ("Spine", "Chest")]
        rows = [("Hips", None), *((f"Spine{k}", "Hips" if k == 1 else f"Spine{k - 1}") for k in range(1, 6))]
        offsets = {"Hips": plain.rest_translation[0], "Spine1": plain.rest_translation[plain.index["Spine"]]}
        for k in range(2, 6):
            offsets[f"Spine{k}"] = plain.rest_translation[plain.index["Chest"]] / 4
        for name in names[1:]:
            parent = plain.names[plain.parents[plain.index[name]]]
            rows.append((name, "Spine5" if parent == "Chest" else parent))
            offsets[name] = plain.rest_translation[plain.index[name]]
        order = [name for name, _ in rows]
        return Skeleton(
            tuple(order),
            np.array([order.index(p) if p else -1 for _, p in rows]),
            np.array([offsets[name] for name in order]),
            np.tile(rotation.IDENTITY, (len(order), 1)),
        )

    def test_a_trunk_of_two_bones_bends_one_of_five_evenly_to_the_same_chest(self):
        source, target = figures.body(), self.longer_spine()
        made = fitting.fit(source, target)
        spine = next(pair for pair in made.pairs if pair.part == "spine")
        self.assertEqual(spine.target, ("Spine1", "Spine2", "Spine3", "Spine4"))
        bend = rotation.about([1, 0, 0], np.radians([0.0, 40.0]))
        rotations = np.tile(rotation.IDENTITY, (2, len(source), 1))
        rotations[:, source.index["Spine"]] = rotations[:, source.index["Chest"]] = bend
        clip = Clip("bow", source, 30, rotations, np.array([0]), np.tile(source.rest_translation[0], (2, 1, 1)))
        world = transfer(clip, made).world()
        turned = [np.degrees(rotation.angle(world.rotations[1, target.index[f"Spine{k}"]])) for k in range(1, 6)]
        self.assertAlmostEqual(turned[-1], 80, delta=1e-6)
        self.assertTrue(all(b >= a for a, b in itertools.pairwise(turned)), turned)
        self.assertLess(max(np.diff([0, *turned])), 35)
        self.assertLess(np.linalg.norm(world.positions[1, target.index["Head"]] - clip.world().positions[1, 4]), 0.08)

    def test_hips_move_in_leg_lengths_and_the_floor_stays_the_floor(self):
        source = figures.body()
        target = replace(source, rest_translation=source.rest_translation * 1.5)
        clip = figures.motion(source, np.random.default_rng(1))
        here = transfer(clip, fitting.fit(source, target)).world().positions
        np.testing.assert_allclose(here, clip.world().positions * 1.5, atol=1e-9)

    def test_a_root_that_only_the_target_has_stays_and_is_written_on_every_frame(self):
        source = figures.body()
        lift = rotation.about([1, 0, 0], np.pi / 2)
        rooted = Skeleton(
            ("carrier", *source.names),
            np.array([-1, *(source.parents + 1)]),
            np.vstack([[0.3, 0, 0], source.rest_translation]),
            np.vstack(
                [lift, rotation.multiply(rotation.inverse(lift), source.rest_rotation[:1]), source.rest_rotation[1:]]
            ),
        )
        clip = figures.motion(source, np.random.default_rng(8), frames=2500)
        rendition = transfer(clip, fitting.fit(source, rooted))
        self.assertIn(0, rendition.moving)
        np.testing.assert_allclose(rendition.all_translations()[:, 0], np.tile([0.3, 0, 0], (2500, 1)))
        here = rendition.world().positions[:, 1:]
        off = here - clip.world().positions
        np.testing.assert_allclose(off, np.broadcast_to(off[0, 0], off.shape), atol=1e-9)

    def test_unpaired_bones_keep_their_stance_and_are_named(self):
        source = figures.body()
        keep = [n for n in range(len(source)) if "RightHand" not in source.names[n]]
        short = Skeleton(
            tuple(source.names[n] for n in keep),
            np.array([keep.index(int(source.parents[n])) if source.parents[n] >= 0 else -1 for n in keep]),
            source.rest_translation[keep],
            source.rest_rotation[keep],
        )
        made = fitting.fit(short, source)
        self.assertEqual([(row.part, row.side) for row in made.missing], [("right hand", "source")])
        clip = figures.motion(short, np.random.default_rng(2))
        rendition = transfer(clip, made)
        self.assertLess(rotation.angle(rendition.rotations[:, source.index["RightHand"]]).max(), 1e-6)
        self.assertIn("unpaired", [finding.kind for finding in find(clip, rendition, made)])

    def test_nothing_to_pair_is_refused(self):
        line = Skeleton(
            ("q1", "q2", "q3"),
            np.array([-1, 0, 1]),
            np.tile([0.0, 0.1, 0.0], (3, 1)),
            np.tile(rotation.IDENTITY, (3, 1)),
        )
        # A body that fits no plan is matched by its tree, and nothing of that is taken for sure.
        made = fitting.fit(figures.body(), line)
        self.assertTrue(all(pair.confidence <= 0.6 for pair in made.pairs))
        nobody = Skeleton((), np.zeros(0, np.int64), np.zeros((0, 3)), np.zeros((0, 4)))
        with self.assertRaisesRegex(ValueError, "could be paired"):
            fitting.fit(figures.body(), nobody)

    def test_a_wrong_pair_is_seen_in_the_numbers(self):
        """The invariants can fail: swap two pairs and the positions are far off."""
        source = figures.body()
        swap = {"LeftArm": "RightArm", "RightArm": "LeftArm"}
        pairs = [Pair(part, (a,), (swap.get(a, a),), 1.0, ()) for a, part in ((n, None) for n in source.names)]
        clip = figures.motion(source, np.random.default_rng(3))
        here = transfer(clip, fitting.fit(source, source, pairs=pairs)).world().positions
        self.assertGreater(np.abs(here - clip.world().positions).max(), 0.1)


class Findings(unittest.TestCase):
    def test_sliding_and_sinking_are_measured_against_the_source(self):
        source = figures.body()
        frames = 60
        rotations = np.tile(rotation.IDENTITY, (frames, len(source), 1))
        still = np.tile(source.rest_translation[0], (frames, 1, 1))
        clip = Clip("stand", source, 30, rotations, np.array([0]), still)
        made = fitting.fit(source, source)
        self.assertEqual(find(clip, transfer(clip, made), made), ())
        pushed = still + np.linspace(0, 1, frames)[:, None, None] * np.array([0.5, -0.1, 0])
        found = find(clip, replace(clip, translations=pushed), made)
        kinds = {(finding.kind, finding.part) for finding in found}
        soles = [f"{side} {end}" for side in ("left", "right") for end in ("heel", "toes")]
        wanted = {(kind, sole) for kind in ("foot slide", "floor", "reach") for sole in soles}
        self.assertEqual(kinds, wanted | {("sole", "left foot"), ("sole", "right foot")})
        self.assertEqual({finding.mend for finding in found}, {"hold", "stride", "floor"})
        self.assertEqual(grade(found), "wrong")
        slide = next(finding for finding in found if finding.kind == "foot slide")
        self.assertAlmostEqual(slide.size, 50 / (frames - 1) * 30, delta=0.1)
        self.assertEqual(slide.source, 0.0)
