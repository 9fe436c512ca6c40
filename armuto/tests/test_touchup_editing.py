"""Changes of layers by hand: what a hand does to a figure is what the figure then does."""

import unittest

import numpy as np

from armuto.errors import BadInput
from armuto.kinematics import rotation
from armuto.kinematics.world_motion import WorldMotion
from armuto.pipeline import retarget
from armuto.retarget.context import context_of
from armuto.tests.test_touchups import joint, layer, motion, over, scene, shift, turn
from armuto.touchups import Key, Layers, TouchUp, editing, posing
from armuto.touchups.model import WeightKey


class ByHand(unittest.TestCase):
    def setUp(self) -> None:
        self.clip, self.fitting = scene("hall/wave_the_lantern.bvh", "porter.glb")
        self.context, self.frame = context_of(self.fitting), 45
        self.time, self.near = 45 / self.clip.fps, 0.5 / self.clip.fps

    def at(self, layers: Layers) -> WorldMotion:
        return motion(self.clip, self.fitting, layers, self.frame, self.frame)

    def test_a_turn_in_the_world_is_that_turn_whatever_other_layers_do(self) -> None:
        arm = joint(self.context, "left upper arm")
        for weight in (1.0, 0.5, (WeightKey(0.0, 0.2), WeightKey(3.0, 1.0))):
            with self.subTest(weight=weight):
                layers = Layers(
                    (
                        layer(
                            turn("left upper arm", (10, 20, 5), self.time),
                            turn("chest", (0, 9, 0), self.time),
                            name="a",
                        ),
                        layer(turn("left upper arm", (0, 5, 20), self.time), name="Mine", weight=weight),
                        layer(turn("left upper arm", (-8, 0, 12), self.time), name="c"),
                    )
                )
                by = rotation.about([0.3, 0.5, 0.81], np.radians(14.0))
                before = self.at(layers)
                made = posing.turned(
                    layers, "Mine", arm, self.context, before, self.time, self.near, rotation.normalised(by)
                )
                after = self.at(made)
                wanted = rotation.multiply(rotation.normalised(by), before.rotations[arm, 0])
                self.assertLess(
                    float(np.degrees(rotation.angle_apart(after.rotations[arm, 0][None], wanted[None])[0])), 0.02
                )
                self.assertEqual(len(made.layers[1].touchups[0].keys), 1)

    def test_a_hand_goes_where_it_is_drawn_to(self) -> None:
        hand = joint(self.context, "left hand")
        for against in ("", "chest"):
            layers = Layers((layer(turn("chest", (0, 9, 0), self.time), name="Mine"),))
            for by in ((0.02, 0.03, -0.01), (-0.01, 0.01, 0.02)):
                before = self.at(layers)
                layers = posing.moved(
                    layers, "Mine", hand, self.context, before, self.time, self.near, np.array(by), against
                )
                after = self.at(layers)
                self.assertLess(np.linalg.norm(after.positions[hand, 0] - before.positions[hand, 0] - by), 0.001)
            self.assertEqual([row.channel for row in layers.layers[0].touchups], ["rotation", "place"])
            self.assertEqual(layers.layers[0].touchups[1].against, against)
            turning = rotation.about([0.0, 1.0, 0.0], np.radians(20.0))
            made = posing.turned(layers, "Mine", hand, self.context, after, self.time, self.near, turning)
            turned = self.at(made)
            wanted = rotation.multiply(turning, after.rotations[hand, 0])
            self.assertLess(
                float(np.degrees(rotation.angle_apart(turned.rotations[hand, 0][None], wanted[None])[0])), 0.05
            )
            self.assertLess(np.linalg.norm(turned.positions[hand, 0] - after.positions[hand, 0]), 0.001)

    def test_the_hips_are_moved_and_an_elbow_cannot_be(self) -> None:
        layers, hips = Layers((layer(name="Mine"),)), joint(self.context, "hips")
        before = self.at(layers)
        made = posing.moved(layers, "Mine", hips, self.context, before, self.time, self.near, np.array([0, -0.02, 0]))
        self.assertEqual(made.layers[0].touchups[0].channel, "translation")
        np.testing.assert_allclose(
            self.at(made).positions[hips, 0] - before.positions[hips, 0], [0, -0.02, 0], atol=1e-4
        )
        elbow = joint(self.context, "left lower arm")
        with self.assertRaisesRegex(BadInput, "cannot be moved to a place"):
            posing.moved(layers, "Mine", elbow, self.context, before, self.time, self.near, np.zeros(3))

    def test_keys(self) -> None:
        head = joint(self.context, "head")
        which = editing.touchup_on(head, "rotation", self.context)
        layers = editing.with_layer(Layers(), "Mine")
        layers = editing.set_key(layers, "Mine", which, 1.0, 0.02, value=(0.0, 10.0, 0.0))
        layers = editing.set_key(layers, "Mine", which, 2.0, 0.02, value=(0.0, 20.0, 0.0), to_next="linear")
        # A key between others that says nothing else is where the curve is.
        layers = editing.set_key(layers, "Mine", which, 1.5, 0.02)
        between = layers.layers[0].touchups[0].keys[1].value[1]
        self.assertTrue(10.0 < between < 20.0)
        self.assertEqual(editing.offset_at(layers.layers[0].touchups[0], 1.5)[0][1], between)
        layers = editing.set_key(layers, "Mine", which, 1.51, 0.02, value=(0.0, 16.0, 0.0))
        self.assertEqual([key.time for key in layers.layers[0].touchups[0].keys], [1.0, 1.5, 2.0])
        layers = editing.shifted_keys(layers, "Mine", [(0, 0), (0, 1)], lambda time: time + 0.5)
        self.assertEqual(
            [(key.time, key.value[1]) for key in layers.layers[0].touchups[0].keys], [(1.5, 10.0), (2.0, 16.0)]
        )
        layers = editing.copied_keys(layers, "Mine", [(0, 0), (0, 1)], 2.0)
        self.assertEqual([key.time for key in layers.layers[0].touchups[0].keys], [1.5, 2.0, 3.5, 4.0])
        layers = editing.eased(layers, "Mine", 0, None, "same")
        self.assertEqual((layers.layers[0].touchups[0].ease_in, layers.layers[0].touchups[0].ease_out), (None, 0.25))
        layers = editing.without_keys(layers, "Mine", [(0, 0), (0, 1), (0, 2)])
        self.assertEqual(len(layers.layers[0].touchups[0].keys), 1)
        layers = editing.without_keys(layers, "Mine", [(0, 0)])
        self.assertEqual(layers.layers[0].touchups, ())
        for wrong in ([(0, 0)], [(5, 0)]):
            with self.assertRaisesRegex(BadInput, "no such key"):
                editing.without_keys(layers, "Mine", wrong)

    def test_layers(self) -> None:
        layers = editing.with_layer(editing.with_layer(Layers(), "a"), "b", weight=0.5)
        self.assertEqual([row.name for row in editing.in_order(layers, ["b", "a"]).layers], ["b", "a"])
        self.assertEqual(editing.free_name(layers, "a"), "a 2")
        self.assertEqual([row.name for row in editing.without_layer(layers, "a").layers], ["b"])
        self.assertEqual([row.name for row in editing.with_layer(layers, "a", name="c").layers], ["c", "b"])
        keyed = editing.set_weight_key(editing.set_weight_key(layers, "b", 1.0, 0.02, 0.0), "b", 2.0, 0.02, 1.0)
        self.assertEqual(keyed.layers[1].weight, (WeightKey(1.0, 0.0), WeightKey(2.0, 1.0)))
        again = editing.set_weight_key(keyed, "b", 1.01, 0.02, 0.5)
        self.assertEqual([key.value for key in again.layers[1].weight], [0.5, 1.0])
        moved = editing.shifted_weight_keys(again, "b", [0], lambda time: time + 0.5)
        self.assertEqual([(key.time, key.value) for key in moved.layers[1].weight], [(1.51, 0.5), (2.0, 1.0)])
        # What comes to lie on another key takes its place; the order is that of time.
        over = editing.shifted_weight_keys(again, "b", [0], lambda time: 2.0)
        self.assertEqual(over.layers[1].weight, (WeightKey(2.0, 0.5),))
        behind = editing.shifted_weight_keys(again, "b", [0], lambda time: 3.0)
        self.assertEqual([key.value for key in behind.layers[1].weight], [1.0, 0.5])
        copied = editing.copied_weight_keys(again, "b", [0, 1], 0.99)
        self.assertEqual([key.time for key in copied.layers[1].weight], [1.01, 2.0, 2.99])
        self.assertEqual([key.value for key in copied.layers[1].weight], [0.5, 0.5, 1.0])
        self.assertEqual(editing.without_weight_keys(again, "b", [0]).layers[1].weight, (WeightKey(2.0, 1.0),))
        self.assertEqual(editing.without_weight_keys(again, "b", [0, 1]).layers[1].weight, 0.5)
        for wrong in ([2], [-1]):
            with self.assertRaisesRegex(BadInput, "weight of “b” has no such key"):
                editing.without_weight_keys(again, "b", wrong)
        for changes, words in (
            ({"name": "b"}, "same name"),
            ({"weight": 5.0}, "not from 0 to 2"),
            ({"name": " "}, "needs a name"),
        ):
            with self.assertRaisesRegex(BadInput, words):
                editing.with_layer(layers, "a", **changes)
        with self.assertRaisesRegex(BadInput, "no layer “gone”"):
            editing.without_layer(layers, "gone")

    def test_mirrored_keys_are_the_mirror_image(self) -> None:
        rows = turn("left upper arm", (5.0, 10.0, 25.0), self.time), turn("left hand", (5.0, 0.0, 25.0), self.time)
        layers = Layers((layer(*rows, shift("right foot", (0.02, 0.04, 0.0), self.time), name="Mine"),))
        made = editing.mirrored_keys(layers, "Mine", [(0, 0), (1, 0), (2, 0)], self.context)
        self.assertEqual(
            [row.part for row in made.layers[0].touchups[3:]], ["right upper arm", "right hand", "left foot"]
        )
        back = editing.mirrored_keys(made, "Mine", [(3, 0), (4, 0), (5, 0)], self.context)
        for a, b in zip(layers.layers[0].touchups, back.layers[0].touchups, strict=False):
            np.testing.assert_allclose(a.keys[0].value, b.keys[0].value, atol=1e-3)
        np.testing.assert_allclose(made.layers[0].touchups[5].keys[0].value, (-0.02, 0.04, 0.0), atol=1e-6)

    def test_a_layer_is_changed_as_it_is_shown_on_a_mirrored_clip(self) -> None:
        rows = turn("left upper arm", (5.0, 10.0, 25.0), self.time), shift("head", (0.02, 0.0, 0.01), self.time)
        layers = Layers((layer(*rows, name="Mine", limbs=("left arm", "head")),))
        made = editing.as_shown(layers, "Mine", True, self.context)
        self.assertTrue(made.layers[0].mirrored)
        self.assertEqual(made.layers[0].touchups[0].part, "right upper arm")
        self.assertIn("right arm", made.layers[0].limbs)
        self.assertIs(editing.as_shown(made, "Mine", True, self.context), made)
        # It does the same on the mirrored clip as it did before it was rewritten.
        a, b = (
            WorldMotion.of_clip(retarget(self.clip, self.fitting, touchups=over(row, self.clip, True)).clip)
            for row in (layers, made)
        )
        self.assertLess(np.linalg.norm(a.positions - b.positions, axis=-1).max(), 0.001)

    def test_a_place_that_has_a_key_is_turned_by_it(self) -> None:
        row = TouchUp("place", (Key(self.time, (0.0, 0.02, 0.0)),), "left hand")
        layers = Layers((layer(row, name="Mine"),))
        hand = joint(self.context, "left hand")
        by = rotation.about([1.0, 0.0, 0.0], np.radians(30.0))
        made = posing.turned(layers, "Mine", hand, self.context, self.at(layers), self.time, self.near, by)
        self.assertEqual(len(made.layers[0].touchups), 1)
        np.testing.assert_allclose(made.layers[0].touchups[0].keys[0].turn, (30.0, 0.0, 0.0), atol=0.01)


if __name__ == "__main__":
    unittest.main()
