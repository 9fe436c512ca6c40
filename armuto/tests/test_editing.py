"""Changing pairs: every change on its own, on one side and on both, and that nothing else moves."""

import unittest
from dataclasses import replace

from armuto import pairing
from armuto.body.mirror import mirrored
from armuto.pairing import Pair, editing
from armuto.pairing.editing import Pairing, PairingContext
from armuto.retarget import fitting
from armuto.tests import figures


class Edits(unittest.TestCase):
    def setUp(self):
        self.source = figures.body()
        names = tuple(name.replace("Left", "l_").replace("Right", "r_") for name in self.source.names)
        self.target = replace(self.source, names=names)
        value = fitting.fit(self.source, self.target)
        self.context = PairingContext(
            self.source, self.target, pairing.assign(self.source), pairing.assign(self.target), value.plan
        )
        self.all = Pairing(value.pairs)

    def keys(self, now: Pairing) -> list[str]:
        return [pair.key for pair in now.pairs]

    def test_parts_are_known_and_in_the_plans_order(self):
        self.assertEqual(self.context.part_of("source", "LeftForeArm"), "left lower arm")
        self.assertEqual(self.context.part_of("target", "r_Toe"), "right toes")
        self.assertEqual(self.context.twin("target", "l_Hand"), "r_Hand")
        self.assertIsNone(self.context.twin("source", "Head"))
        order = list(self.context.plan.by_name)
        self.assertEqual(self.keys(self.all), sorted(self.keys(self.all), key=order.index))
        self.assertEqual(self.context.ordered("source", ["LeftHand", "Hips", "LeftHand"]), ("Hips", "LeftHand"))

    def test_remove(self):
        without = editing.remove(self.all, ["left hand"])
        both = editing.remove(self.all, ["left hand"], mirror=True)
        self.assertEqual(set(self.keys(self.all)) - set(self.keys(without)), {"left hand"})
        self.assertEqual(set(self.keys(self.all)) - set(self.keys(both)), {"left hand", "right hand"})
        self.assertEqual(editing.remove(self.all, ["jaw"], mirror=True), self.all)

    def test_set_pair_takes_its_bones_from_others(self):
        made = editing.set_pair(self.all, self.context, "left hand", ["LeftHand"], ["l_ForeArm"], mirror=True)
        self.assertEqual((made.of("left hand").target, made.of("right hand").target), (("l_ForeArm",), ("r_ForeArm",)))
        self.assertIsNone(made.of("left lower arm"))
        self.assertEqual(made.of("right hand").reasons, ("mirror of what was set by hand on the other side",))
        self.assertEqual((made.of("left hand").confirmed, made.of("left hand").confidence), (True, 1.0))

    def test_set_pair_with_nothing_removes(self):
        for source, target in (([], ["l_Hand"]), (["LeftHand"], []), ([], [])):
            made = editing.set_pair(self.all, self.context, "left hand", source, target, mirror=False)
            self.assertIsNone(made.of("left hand"))

    def test_a_run_that_only_the_target_has_follows_its_neighbours(self):
        made = editing.set_pair(Pairing(()), self.context, "spine", [], ["Spine"], mirror=False)
        self.assertEqual((made.of("spine").source, made.of("spine").target), ((), ("Spine",)))

    def test_connect_confirms_what_is_there_already(self):
        made = editing.connect(self.all, self.context, "LeftHand", "l_Hand", mirror=False)
        self.assertEqual([pair.key for pair in made.pairs if pair.confirmed], ["left hand"])
        self.assertEqual(made.of("left hand").reasons, self.all.of("left hand").reasons)

    def test_connect_replaces_or_adds(self):
        instead = editing.connect(self.all, self.context, "LeftHand", "l_ForeArm", mirror=False)
        beside = editing.connect(self.all, self.context, "LeftHand", "l_ForeArm", mirror=False, add=True)
        self.assertEqual(instead.of("left hand").target, ("l_ForeArm",))
        self.assertEqual(beside.of("left hand").target, ("l_ForeArm", "l_Hand"))
        self.assertIsNone(beside.of("left lower arm"))

    def test_bones_of_no_part_make_a_pair_of_their_own(self):
        context = replace(self.context, source_parts={}, target_parts={})
        made = editing.connect(Pairing(()), context, "LeftHand", "r_Toe", mirror=False)
        self.assertEqual((made.pairs[0].part, made.pairs[0].key), (None, "+r_Toe"))
        again = editing.connect(made, context, "LeftForeArm", "r_Toe", mirror=False)
        self.assertEqual([(pair.source, pair.target) for pair in again.pairs], [(("LeftForeArm",), ("r_Toe",))])

    def test_a_bone_on_the_middle_has_no_other_side(self):
        made = editing.connect(Pairing(()), self.context, "Head", "Head", mirror=True)
        self.assertEqual(self.keys(made), ["head"])

    def test_leaving_out_and_taking_back(self):
        out = editing.leave_out(self.all, self.context, ["left toes"], mirror=True)
        self.assertEqual(out.left_out, ("left toes", "right toes"))
        self.assertNotIn("right toes", self.keys(out))
        back = editing.bring_back(out, self.context, ["left toes"], self.all.pairs)
        self.assertEqual((back.left_out, back.of("left toes")), (("right toes",), self.all.of("left toes")))
        # A bone that has found another part since then stays there.
        used = editing.set_pair(out, self.context, "left foot", ["LeftFoot"], ["l_Toe"], mirror=False)
        returned = editing.bring_back(used, self.context, ["left toes"], self.all.pairs)
        self.assertIsNone(returned.of("left toes"))
        self.assertEqual(editing.leave_out(self.all, self.context, ["no part"]), self.all)

    def test_pairing_a_part_takes_back_that_it_was_left_out(self):
        out = editing.leave_out(self.all, self.context, ["left toes"])
        made = editing.connect(out, self.context, "LeftToe", "l_Toe", mirror=False)
        self.assertEqual((made.left_out, made.of("left toes").target), ((), ("l_Toe",)))

    def test_confirm_by_key_and_by_confidence(self):
        doubtful = Pairing(
            tuple(replace(pair, confidence=0.5) if pair.key == "head" else pair for pair in self.all.pairs)
        )
        sure = editing.confirm(doubtful, above=0.6)
        self.assertEqual([pair.key for pair in sure.pairs if not pair.confirmed], ["head"])
        confirmed = editing.confirm(doubtful, ["head"])
        self.assertEqual([pair.key for pair in confirmed.pairs if pair.confirmed], ["head"])

    def test_swap_exchanges_targets_and_is_its_own_way_back(self):
        arm = ["left upper arm", "left lower arm", "left hand", "left shoulder"]
        made = editing.swap(self.all, self.context, arm)
        for key in (*arm, *(mirrored(key) for key in arm)):
            self.assertEqual(made.of(key).target, self.all.of(mirrored(key)).target)
        self.assertEqual(made.of("left foot"), self.all.of("left foot"))
        back = editing.swap(made, self.context, arm)
        self.assertEqual([(p.key, p.target) for p in back.pairs], [(p.key, p.target) for p in self.all.pairs])

    def test_a_pair_of_one_side_alone_changes_side(self):
        alone = editing.remove(self.all, ["right hand"])
        made = editing.swap(alone, self.context, ["left hand"])
        self.assertIsNone(made.of("left hand"))
        self.assertEqual(made.of("right hand").target, ("l_Hand",))
        self.assertEqual(editing.swap(self.all, self.context, ["head"]), self.all)

    def test_what_is_found_by_key_and_by_bone(self):
        self.assertEqual(self.all.with_bone("target", "l_Hand"), self.all.of("left hand"))
        self.assertIsNone(self.all.with_bone("source", "nobody"))
        extra = Pair(None, ("LeftToe",), ("r_Toe",), 1.0, ())
        made = editing.give(self.all, self.context, extra)
        self.assertEqual(made.of("+r_Toe"), extra)
        self.assertIsNone(made.of("right toes"))
