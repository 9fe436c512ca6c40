"""The clips stand where they stand and do not pop; the figures are whole; everybody can perform everything."""

import unittest
from dataclasses import replace

import numpy as np

from armuto import formats
from armuto.body.orientation import facing_angle
from armuto.body.plans import plan_of
from armuto.contacts.resting import PointTrack, resting_contacts
from armuto.intake import recording
from armuto.kinematics import rotation
from armuto.pipeline import retarget
from armuto.quality.feet import over_ground
from armuto.quality.findings import findings
from armuto.quality.measures import measure
from armuto.refining import Recipe
from armuto.refining.proposals import propose
from armuto.retarget import fitting
from armuto.tests.files import DEMO
from demo import curves, make

FIGURES = sorted(DEMO.glob("*.glb"))
LIBRARIES = ("hall", "gallery", "yard", "roof")
GROUNDED = ("hall", "gallery", "yard")
LEG = {"hall": 0.8, "gallery": 0.86, "yard": 0.45}


def read(path):
    return formats.read(path.read_bytes(), path.name)


def library(name: str):
    """Every clip of one library without its calibration frames, with the document it came from."""
    for path in sorted((DEMO / name).iterdir()):
        document = read(path)
        for clip in document.clips:
            yield document, recording.without_calibration(clip)


class Clips(unittest.TestCase):
    def test_at_least_thirty_six_on_four_skeletons(self):
        counts = {name: sum(1 for _ in library(name)) for name in LIBRARIES}
        self.assertGreaterEqual(sum(counts.values()), 36, counts)
        self.assertTrue(all(count >= 4 for count in counts.values()), counts)
        for name in LIBRARIES:
            self.assertEqual(len({(d.skeleton.names, tuple(d.skeleton.parents)) for d, _ in library(name)}), 1)

    def test_what_the_workshops_write_is_read_as_it_was_meant(self):
        plans = {"hall": "two-legged", "gallery": "two-legged", "yard": "four-legged", "roof": "winged"}
        frames = {"hall": (0.01, "+Y"), "gallery": (1.0, "+Y"), "yard": (0.0254, "+Z"), "roof": (1.0, "+Y")}
        for name in LIBRARIES:
            for document, clip in library(name):
                with self.subTest(library=name, clip=clip.name):
                    plan, frame = plan_of(document.parts), document.skeleton.file_frame
                    self.assertEqual(plan.name, plans[name])
                    self.assertEqual([part for part in plan.required if part not in document.parts], [])
                    self.assertEqual((frame.unit, frame.up), frames[name])
                    self.assertAlmostEqual(facing_angle(document.skeleton, document.parts)[0], 0.0, places=6)

    def test_the_files_are_what_the_descriptions_make(self):
        made = dict(make.libraries())
        here = {path.relative_to(DEMO).as_posix() for path in DEMO.glob("*/*")}
        self.assertEqual(set(made), here)
        for name, data in made.items():
            want, have = formats.read(data, name), read(DEMO / name)
            for a, b in zip(want.clips, have.clips, strict=True):
                np.testing.assert_allclose(a.world().positions, b.world().positions, atol=2e-4, err_msg=name)

    def test_what_the_camera_caught_needs_mending_and_can_be(self):
        for document, clip in library("camera"):
            found = propose(clip, document.parts)
            kinds = [row.step.kind for row in found]
            self.assertLessEqual({"spikes", "smooth", "ground", "loop"}, set(kinds), clip.name)
            steps = tuple(row.step for row in found if row.step.kind != "loop")
            made = Recipe(steps).refine(clip, document.parts).clip
            self.assertLessEqual({row.step.kind for row in propose(made, document.parts)}, {"loop"}, clip.name)

    def test_feet_really_stand_when_they_stand(self):
        for name in GROUNDED:
            for document, clip in library(name):
                if clip.name == "climb_the_ladder":
                    continue  # it stands on rungs, not on the floor
                at = clip.world().positions
                for part in (part for part in document.parts if part.endswith("toes")):
                    toes = at[:, document.parts[part][0].joint]
                    found, _ = resting_contacts([PointTrack(part, True, toes)], at[:, 0], clip.fps, LEG[name])
                    if clip.name not in ("gallop", "run"):  # whose feet are down too shortly
                        self.assertGreater(len(found), 0, clip.name)
                    for run, contact in enumerate(found):
                        inner = np.arange(contact.first, contact.last + 1)[4:-4]  # a foot lands and leaves at the edges
                        if len(inner):
                            with self.subTest(clip=clip.name, part=part, run=run):
                                self.assertLess(np.ptp(toes[inner][:, [0, 2]], axis=0).max(), 0.012)
                                self.assertLess(np.ptp(toes[inner][:, 1]), 0.012)

    def test_on_the_ladder_each_foot_rests_on_its_rungs(self):
        (clip,) = (clip for _, clip in library("hall") if clip.name == "climb_the_ladder")
        at = clip.world().positions
        for side in ("Left", "Right"):
            toes = at[:, clip.skeleton.index[f"{side}Toes"]]
            rests = toes[np.flatnonzero(over_ground(toes, clip.fps) < 0.003)]
            heights = np.unique(np.round(rests[:, 1], 2))
            self.assertGreaterEqual(len(heights), 3)
            np.testing.assert_allclose(np.diff(heights) / 0.54, np.round(np.diff(heights) / 0.54), atol=0.02)

    def test_nothing_pops(self):
        """No joint of a two-legged body is accelerated harder than the shin of a runner; paws and wings are quicker."""
        limits = {"hall": (80, 30), "gallery": (60, 30), "yard": (135, 80), "roof": (75, 40)}
        for name in LIBRARIES:
            for _, clip in library(name):
                pull = np.abs(np.diff(clip.world().positions, 2, axis=0)).max() * clip.fps**2
                step = rotation.multiply(rotation.inverse(clip.rotations[:-1]), clip.rotations[1:])
                self.assertLess(pull, limits[name][0], clip.name)
                self.assertLess(np.degrees(rotation.angle(step)).max(), limits[name][1], clip.name)

    def test_gaits_travel_and_chores_stay(self):
        far = {"walk", "walk_tired", "walk_proud", "creep", "run", "carry_the_crate", "push_the_cart"}
        far |= {"stroll", "jog", "tiptoe", "carry the tray", "pad", "trot", "gallop", "flap", "glide", "land"}
        near = {"sit_down", "stand_up", "sit", "hop"}
        for name in LIBRARIES:
            for _, clip in library(name):
                way = recording.travel(clip)
                if clip.name in far:
                    self.assertGreater(way, 1.9, clip.name)
                elif clip.name not in near:
                    self.assertLess(way, 0.12, clip.name)

    def test_the_crate_is_handed_over_in_one_space(self):
        by_name = {clip.name: clip for _, clip in library("hall")}
        giver, receiver = (by_name[f"hand_over_the_crate_{role}"] for role in ("giver", "receiver"))
        a, b = giver.world().positions, receiver.world().positions
        hand = {side: giver.skeleton.index[f"{side}Hand"] for side in ("Left", "Right")}
        # While both hold it, the hands of the one lie across from those of the other.
        apart = np.linalg.norm(a[63, hand["Left"]] - b[63, hand["Right"]])
        self.assertLess(apart, 0.2)
        self.assertAlmostEqual(np.linalg.norm((a[0, 0] - b[0, 0])[[0, 2]]), 1.3, delta=0.1)

    def test_bent_legs_reach_their_goals_and_straight_ones_ease_out(self):
        start, pole = np.zeros((3, 3)), np.tile([0.0, 0, 1], (3, 1))
        goal = np.array([[0, -0.5, 0], [0, -0.75, 0], [0, -2.0, 0]])
        middle, reached = curves.two_bones(start, goal, pole, 0.4, 0.4)
        np.testing.assert_allclose(reached[:2], goal[:2], atol=1e-9)
        self.assertLess(np.linalg.norm(reached[2]), 0.8)
        np.testing.assert_allclose(np.linalg.norm(middle, axis=1), 0.4, atol=1e-9)
        np.testing.assert_allclose(np.linalg.norm(reached - middle, axis=1), 0.4, atol=1e-9)


class Figures(unittest.TestCase):
    def test_six_small_whole_and_standing_on_the_floor(self):
        heights, plans = {}, {}
        for path in FIGURES:
            self.assertLess(path.stat().st_size, 4_000_000)
            document = read(path)
            heights[path.stem], plans[path.stem] = document.height, plan_of(document.parts).name
            self.assertTrue(document.skinned)
            self.assertLess(abs(document.bounds[0, 1]), 0.012, path.stem)
            self.assertEqual((document.skeleton.file_frame.unit, document.skeleton.file_frame.up), (1.0, "+Y"))
        self.assertEqual(sorted(heights), ["bellringer", "fox", "heron", "keeper", "porter", "striker"])
        self.assertTrue(heights["bellringer"] < 1.3 < heights["porter"] < 1.8 < heights["striker"] < heights["keeper"])
        self.assertEqual((plans["fox"], plans["heron"]), ("four-legged", "winged"))

    def test_whoever_has_names_performs_everything_of_their_kind(self):
        """Every clip by somebody, and everybody every second one."""
        casts = {"hall": ("porter", "keeper", "bellringer", "striker"), "yard": ("fox",), "roof": ("heron",)}
        casts["gallery"] = casts["hall"]
        for name, figures in casts.items():
            clips = list(library(name))
            for number, figure in enumerate(figures):
                target = read(DEMO / f"{figure}.glb")
                for source, clip in clips[number % 2 :: 2 if len(figures) > 1 else 1]:
                    with self.subTest(figure=figure, clip=clip.name):
                        made = fitting.fit(source.skeleton, target.skeleton, source.parts, target.parts)
                        self.assertEqual(made.missing, ())
                        arms_and_legs = [row for row in made.rows if row.part.endswith(("arm", "leg", "wing"))]
                        self.assertLess(max(row.left for row in arms_and_legs), 1.0)
                        made = replace(made, capsules=target.capsules)
                        done = retarget(clip, made)
                        self.assertTrue(np.isfinite(done.clip.rotations).all())
                        measures = measure(clip, done.clip, made, done.contacts)
                        self.assertEqual(findings(measures, made, clip.frames), ())
                        # What quality asks for, which is stricter than what is worth a look.
                        # Where a heel rolls off a sole that really stands, 0.6 cm/s are left.
                        most = {
                            "foot slide": 0.65,
                            "sole": 0.3,
                            "floor": 0.5,
                            "reach": 0.5,
                            "float": 0.5,
                            "facing": 0.5,
                        }
                        for measured in measures:
                            if measured.kind in most and measured.way > -0.5:
                                self.assertLess(measured.size - measured.source, most[measured.kind], measured)
