"""Body plans: which one a skeleton has, its parts by name, what is left over, and fitting across them."""

import unittest
from dataclasses import replace

import numpy as np

from armuto import formats, pairing
from armuto.body.orientation import facing_angle
from armuto.body.plans import NAMES, body_plan, plan_of
from armuto.formats import gltf
from armuto.intake import detection
from armuto.intake.detection import ImportOptions
from armuto.intake.roles import roles
from armuto.kinematics import rotation
from armuto.kinematics.skeleton import Skeleton, in_frame
from armuto.pipeline import transfer
from armuto.retarget import fitting
from armuto.tests import figures
from armuto.tests.files import DEMO, PORTER
from demo import roof, yard


class Plans(unittest.TestCase):
    def test_every_plan_hangs_together(self):
        for name in NAMES:
            plan = body_plan(name)
            for part in plan.parts:
                self.assertTrue(part.follows is None or part.follows in plan.by_name, part)
            self.assertTrue(plan.legs)
            self.assertIs(plan_of(plan.by_name), plan)
        self.assertEqual([len(body_plan(name).legs) for name in NAMES], [2, 4, 2])
        self.assertEqual(plan_of(["hips", "no such part"]).name, "two-legged")

    def test_the_same_names_on_a_level_and_an_upright_body(self):
        """Anatomical names fit both; how the trunk lies against the legs decides."""
        fox = formats.read((DEMO / "fox.glb").read_bytes(), "fox.glb")
        self.assertEqual(plan_of(fox.parts).name, "four-legged")
        porter = formats.read(PORTER.read_bytes(), "porter.glb")
        self.assertEqual(plan_of(porter.parts).name, "two-legged")
        upright = pairing.assign(fox.skeleton, body_plan("two-legged"))
        self.assertIn("left upper arm", upright)  # by names alone it would have passed

    def test_tails_are_parts_where_the_plan_has_one_and_helpers_elsewhere(self):
        for skeleton in (yard.TREE, roof.TREE):
            self.assertGreaterEqual(len(pairing.assign(skeleton)["tail"]), 2)
        body = figures.body()
        tailed = replace(
            body,
            names=(*body.names, "Tail1"),
            parents=np.append(body.parents, 0),
            rest_translation=np.vstack([body.rest_translation, [0, 0, -0.1]]),
            rest_rotation=np.vstack([body.rest_rotation, rotation.IDENTITY]),
        )
        parts = pairing.assign(tailed)
        self.assertNotIn("tail", parts)
        self.assertEqual(roles(tailed, parts, set())[len(body)][0], "accessory")


def turned_file(body: Skeleton, unit: str, up: str, yaw: float, size: float) -> Skeleton:
    """A body as a file in this unit and axes would hold it. Its joints rest without rotation."""
    turn = rotation.multiply(rotation.inverse(detection.upright(up)), rotation.about([0, 1, 0], yaw))
    return replace(
        body,
        rest_translation=rotation.rotate(turn, body.rest_translation * size / detection.UNITS[unit]),
        end_offsets=rotation.rotate(turn, body.end_offsets * size / detection.UNITS[unit]),
    )


class DetectingOthers(unittest.TestCase):
    def test_unit_up_and_facing_of_four_legs_and_wings(self):
        """Of the units, those a factor of ten apart: animals come in too many sizes to tell an inch from a
        centimetre."""
        rng = np.random.default_rng(3)
        right, cases = {"unit": 0, "up": 0, "facing": 0}, 0
        for number, body in enumerate((yard.TREE, roof.TREE)):
            for unit in ("m", "cm", "mm"):
                for up in detection.UP_AXES:
                    for eighth in range(number, 8, 2):  # what the one does not face, the other does
                        cases += 1
                        raw = turned_file(body, unit, up, eighth * np.pi / 4, rng.uniform(0.8, 1.25))
                        parts = pairing.assign(raw)
                        frame = detection.file_frame(raw, parts, ())
                        right["unit"] += frame.unit == detection.UNITS[unit]
                        right["up"] += frame.up == up
                        upright = in_frame(raw, detection.file_frame(raw, parts, (), options=ImportOptions(unit, up)))
                        angle, _ = facing_angle(upright, parts)
                        off = (angle - eighth * 45 + 180) % 360 - 180
                        right["facing"] += abs(off) < 0.5
        self.assertGreaterEqual(cases, 140)
        for what, count in right.items():
            self.assertGreaterEqual(count / cases, 0.98, f"{what}: {count} of {cases}")


class Told_(unittest.TestCase):  # noqa: N801
    def test_a_file_is_turned_as_told_and_goes_back_as_it_came(self):
        data = (DEMO / "yard" / "trot.bvh").read_bytes()
        plain, turned = (
            formats.read(data, "trot.bvh", options) for options in (detection.NOTHING, ImportOptions(turned=90))
        )
        self.assertAlmostEqual(facing_angle(turned.skeleton, turned.parts)[0], 90, places=6)
        quarter = rotation.about([0, 1, 0], np.pi / 2)
        want = rotation.rotate(quarter, plain.clips[0].world().positions)
        np.testing.assert_allclose(turned.clips[0].world().positions, want, atol=1e-9)
        kind = formats.write(turned.clips, turned, "bvh")
        again = formats.read(kind, "again.bvh")
        np.testing.assert_allclose(again.clips[0].world().positions, plain.clips[0].world().positions, atol=1e-5)


class Bound(unittest.TestCase):
    def test_a_pose_that_differs_from_the_bind_is_measured_and_can_be_left(self):
        data = PORTER.read_bytes()
        held = gltf.parse(data, "porter.glb")
        far, turned = gltf.disagreement(held)
        self.assertLess(max(far, turned), 1e-5)
        node = next(row for row in held.json["nodes"] if row["name"] == "humerus.L")
        node["rotation"] = rotation.multiply(np.array(node["rotation"]), rotation.about([1, 0, 0], 0.6)).tolist()
        posed = gltf.container.to_glb(held.json, held.buffers[0])
        far, turned = gltf.disagreement(gltf.parse(posed, "posed.glb"))
        self.assertAlmostEqual(turned, np.degrees(0.6), delta=0.01)
        self.assertGreater(far, 0.2)
        plain, bound = formats.read(data, "porter.glb"), formats.read(posed, "posed.glb", ImportOptions(bound=True))
        np.testing.assert_allclose(bound.skeleton.rest.positions, plain.skeleton.rest.positions, atol=1e-5)
        np.testing.assert_allclose(bound.bounds, plain.bounds, atol=1e-5)
        self.assertGreater(
            np.abs(formats.read(posed, "x.glb").skeleton.rest.positions - plain.skeleton.rest.positions).max(), 0.2
        )


class Roles(unittest.TestCase):
    def test_the_gallery_has_roll_bones_and_the_porter_none_over(self):
        document = formats.read((DEMO / "gallery" / "stroll.glb").read_bytes(), "stroll.glb")
        found = roles(document.skeleton, document.parts, set())
        names = {document.skeleton.names[joint]: role for joint, (role, _) in found.items()}
        self.assertEqual(set(names.values()), {"twist"})
        self.assertEqual(len(names), 6)
        porter = formats.read(PORTER.read_bytes(), "porter.glb")
        over = roles(porter.skeleton, porter.parts, porter.rig.weighted)
        self.assertEqual([porter.skeleton.names[joint] for joint in over], [])

    def test_without_telling_names_by_where_they_lie_and_what_they_carry(self):
        body = figures.body()
        arm, fore, hand = (body.index[f"Left{name}"] for name in ("Arm", "ForeArm", "Hand"))
        extra = replace(
            body,
            names=(*body.names, "q1", "q2", "q3"),
            parents=np.append(body.parents, [arm, hand, fore]),
            rest_translation=np.vstack(
                [body.rest_translation, body.rest_translation[fore] * 0.5, [0.1, 0, 0], [0, 0, 0]]
            ),
            rest_rotation=np.vstack([body.rest_rotation, np.tile(rotation.IDENTITY, (3, 1))]),
        )
        weighted = {*range(len(body)), len(body)}
        found = roles(extra, pairing.assign(extra), weighted)
        self.assertEqual([found[len(body) + n][0] for n in range(3)], ["twist", "end", "end"])


class AcrossKinds(unittest.TestCase):
    def test_the_fox_trots_as_the_yard_does(self):
        source = formats.read((DEMO / "yard" / "trot.bvh").read_bytes(), "trot.bvh")
        fox = formats.read((DEMO / "fox.glb").read_bytes(), "fox.glb")
        made = fitting.fit(source.skeleton, fox.skeleton, source.parts, fox.parts)
        self.assertEqual((made.plan.name, made.missing), ("four-legged", ()))
        self.assertLess(max(row.left for row in made.rows if row.part.endswith("leg")), 1.0)
        clip = transfer(source.clips[0], made)
        way = clip.world().positions[[0, -1], fox.skeleton.index["pelvis"]]
        there = source.clips[0].world().positions[[0, -1], 0]
        share = np.linalg.norm(way[1] - way[0]) / np.linalg.norm(there[1] - there[0])
        self.assertAlmostEqual(share, made.scale, delta=0.01)

    def test_a_two_legged_walk_on_four_legs_shares_the_trunk(self):
        source = formats.read((DEMO / "hall" / "walk.bvh").read_bytes(), "walk.bvh")
        fox = formats.read((DEMO / "fox.glb").read_bytes(), "fox.glb")
        made = fitting.fit(source.skeleton, fox.skeleton, source.parts, fox.parts)
        self.assertTrue({"hips", "chest", "head"} <= {pair.part for pair in made.pairs})
        self.assertTrue(np.isfinite(transfer(source.clips[0], made).rotations).all())
