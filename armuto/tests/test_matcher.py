"""The matcher: names and shape together, many against many, trees without a plan."""

import json
import unittest
from dataclasses import replace

import numpy as np

from armuto import formats, pairing
from armuto.body.lexicon import lexicon, lexicon_for
from armuto.body.mirror import mirror_joints
from armuto.body.names import without_prefix
from armuto.body.plans import body_plan, plan_of, read_plan
from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip
from armuto.kinematics.skeleton import Skeleton
from armuto.pairing import Pair
from armuto.pairing.conflicts import crossings
from armuto.pairing.editing import Pairing, PairingContext, connect, leave_out, set_pair, swap
from armuto.pairing.twist_joints import twists
from armuto.pipeline import transfer
from armuto.retarget import fitting, fitting_file
from armuto.retarget.explanation import follows
from armuto.tests import bodies, bone_names, figures, matching
from armuto.tests.files import DEMO

CONVENTIONS = ("convention", "misspelt", "hip as thigh")
NOTHING_SAID = ("nonsense", "numbers", "none")


def demo(name: str) -> formats.Document:
    return formats.read((DEMO / name).read_bytes(), name.split("/")[-1])


class Generated(unittest.TestCase):
    """A part of what `make bench` measures; the targets are those of the project."""

    @classmethod
    def setUpClass(cls):
        cls.tally = matching.tally(84, seed=11)

    def test_conventions_are_read_whole(self):
        self.assertGreaterEqual(self.tally.share(*CONVENTIONS), 0.995, self.tally.misses[:9])
        self.assertEqual(sum(self.tally.swapped[style] for style in CONVENTIONS), 0)

    def test_bodies_without_a_telling_name_are_read_by_their_shape(self):
        self.assertGreaterEqual(self.tally.share(*NOTHING_SAID), 0.95, self.tally.misses[:9])
        self.assertEqual(sum(self.tally.swapped[style] for style in NOTHING_SAID), 0)

    def test_names_that_lie_about_sides_are_mostly_seen_through(self):
        self.assertGreaterEqual(self.tally.share("swapped"), 0.8)

    def test_what_is_claimed_for_sure_is_right(self):
        count, right = self.tally.sure(0.9)
        self.assertGreater(count, 1000)
        self.assertGreaterEqual(right, 0.98)


class Animals(unittest.TestCase):
    def test_other_bodies_under_numbers(self):
        rng = np.random.default_rng(4)
        for name, plan in (("heron.glb", "winged"), ("yard/trot.bvh", "four-legged"), ("keeper.glb", "two-legged")):
            document = demo(name)
            hits = total = known = 0
            for _ in range(8):
                shape = bone_names.disguised(document.skeleton, rng)
                found = pairing.assign(replace(shape, names=tuple(f"{n:03d}" for n in range(len(shape)))))
                if plan_of(found).name != plan:
                    continue
                known += 1
                for part, bones in document.parts.items():
                    total += len(bones)
                    hits += len({b.joint for b in bones} & {b.joint for b in found.get(part, ())})
            # A fox of other proportions may be taken for a man on all fours now and then, not often.
            self.assertGreaterEqual(known, 7, name)
            self.assertGreaterEqual(hits / total, 0.95, name)


class Words(unittest.TestCase):
    def test_languages_and_accents(self):
        for names, word, kind in (
            (["Becken", "Wirbelsäule", "Oberarm_L", "Unterschenkel_R"], "Oberarm_L", "upper arm"),
            (["bassin", "colonne", "cuisse_g", "épaule_d", "tête"], "épaule_d", "shoulder"),
            (["cadera", "columna", "muslo.izq", "antebrazo.der"], "antebrazo.der", "lower arm"),
            (["bacino", "collo", "ginocchio_sx", "caviglia_dx"], "ginocchio_sx", "lower leg"),
            (["腰", "左腕", "右膝", "左足首", "頭"], "左足首", "foot"),
        ):
            with self.subTest(word):
                words = lexicon_for(names)
                read = words.read(word)
                scores = words.scores(read)
                self.assertEqual(max(scores, key=lambda row: scores[row][0]), kind)
                self.assertTrue(read.side)

    def test_one_letter_off(self):
        words = lexicon()
        for name, kind in (
            ("left_forarm", "lower arm"),
            ("Clavcile.R", "shoulder"),
            ("pelvvis", "hips"),
            ("indxe1_l", "index"),
        ):
            read = words.read(name)
            self.assertTrue(read.misspelt, name)
            self.assertGreater(words.score(read, kind)[0], 0.4, name)
        self.assertFalse(words.read("forearm").misspelt)

    def test_prefixes_of_any_kind(self):
        for prefix in ("night:", "shift|", "a/b:", "Keeper_", "keeper"):
            names = [f"{prefix}{name}" for name in ("Hips", "Spine", "Head", "LeftHand", "RightHand")]
            self.assertEqual(without_prefix(names)[3], "LeftHand", prefix)


class Reasons(unittest.TestCase):
    def test_every_claim_says_why(self):
        found = pairing.assign(demo("striker.glb").skeleton)
        self.assertIn("third bone from the chest outwards, mirror of the right", found["left lower arm"][0].reason)
        self.assertIn("since the feet point forwards", found["left upper leg"][0].reason)
        self.assertEqual(found["spine"][0].reason, "first bone from the hips upwards")

    def test_a_bone_that_moves_no_skin_is_no_part(self):
        rng = np.random.default_rng(21)
        while True:
            skeleton, truth, keys = bodies.two_legged(rng)
            if "left toes" not in truth and "head end" in keys:
                break
        ends = {n for n, key in enumerate(keys) if key.endswith(" end")}
        found = pairing.assign(skeleton, weighted=set(range(len(keys))) - ends)
        self.assertEqual(keys[found["head"][0].joint], "head")
        self.assertFalse(ends & {bone.joint for bones in found.values() for bone in bones})


class Trees(unittest.TestCase):
    def test_bodies_of_no_plan_are_matched_joint_by_joint(self):
        """A lamp with three arms and a base, under other names, sizes and frames."""
        names, parents, at = ["base", "stem", "collar"], [-1, 0, 1], [[0, 0, 0], [0, 0.4, 0], [0, 0.5, 0]]
        for k, length in enumerate((0.3, 0.5, 0.2)):
            way = np.array([np.cos(k * 2.1), 0.2 * k, np.sin(k * 2.1)])
            for n in range(3):
                names.append(f"arm {k} {n}")
                parents.append(2 if n == 0 else len(names) - 2)
                at.append((way * length if n else way * 0.05).tolist())
        lamp = Skeleton(
            tuple(names), np.array(parents), np.array(at, float), np.tile(rotation.IDENTITY, (len(names), 1))
        )
        other = figures.disguised(lamp, np.random.default_rng(1), 0.0, 2.5)
        pairs = pairing.trees(lamp, other)
        self.assertEqual(
            [(a, b) for p in pairs for a, b in [(lamp.index[p.source[0]], other.index[p.target[0]])]],
            [(n, n) for n in range(12)],
        )
        self.assertTrue(all(pair.confidence <= 0.6 for pair in pairs))
        made = fitting.fit(lamp, other)
        self.assertEqual(len(made.pairs), 12)

    def test_a_bone_more_on_one_side_is_passed_over(self):
        line = lambda names: Skeleton(  # noqa: E731
            names,
            np.arange(len(names)) - 1,
            np.tile([0.0, 0.1, 0.0], (len(names), 1)),
            np.tile(rotation.IDENTITY, (len(names), 1)),
        )
        pairs = pairing.trees(line(("fin", "rod", "hook")), line(("fin", "extra", "rod", "hook")))
        self.assertEqual(
            {(p.source[0], p.target[0]) for p in pairs} & {("rod", "rod"), ("hook", "hook")},
            {("rod", "rod"), ("hook", "hook")},
        )


class ManyAgainstMany(unittest.TestCase):
    def split_arm(self) -> Skeleton:
        """The test body whose left upper arm is two bones."""
        plain = figures.body()
        arm = plain.index["LeftArm"]
        names = [*plain.names[: arm + 1], "LeftArmLower", *plain.names[arm + 1 :]]
        old = [*range(arm + 1), -1, *range(arm + 1, len(plain))]
        new = {o: n for n, o in enumerate(old) if o >= 0}
        parents = [arm if o < 0 else (new[int(plain.parents[o])] if plain.parents[o] >= 0 else -1) for o in old]
        half = plain.rest_translation[plain.index["LeftForeArm"]] / 2
        offsets = np.array([half if o < 0 else plain.rest_translation[o] for o in old])
        fore = names.index("LeftForeArm")
        parents[fore], offsets[fore] = arm + 1, half
        return Skeleton(tuple(names), np.array(parents), offsets, np.tile(rotation.IDENTITY, (len(names), 1)))

    def test_one_bone_on_two_of_a_limb_bends_at_the_joints_alone(self):
        source, target = figures.body(), self.split_arm()
        value = fitting.fit(source, target)
        context = PairingContext(source, target, pairing.assign(source), pairing.assign(target), value.plan)
        now = set_pair(Pairing(value.pairs), context, "left upper arm", ["LeftArm"], ["LeftArm", "LeftArmLower"], False)
        made = fitting.fit(source, target, pairs=now.pairs)
        clip = figures.motion(source, np.random.default_rng(3))
        here = transfer(clip, made).world().positions
        there = clip.world().positions
        for name in ("LeftHand", "LeftForeArm", "RightHand", "LeftToe"):
            np.testing.assert_allclose(here[:, target.index[name]], there[:, source.index[name]], atol=1e-6)

    def test_bones_for_twist_take_their_share(self):
        plain = figures.body()
        fore, hand = plain.index["LeftForeArm"], plain.index["LeftHand"]
        count = len(plain)
        target = Skeleton(
            (*plain.names, "Roll"),
            np.append(plain.parents, fore),
            np.vstack([plain.rest_translation, 0.5 * plain.rest_translation[hand]]),
            np.tile(rotation.IDENTITY, (count + 1, 1)),
        )
        made = fitting.fit(plain, target)
        (twist,) = twists(target, made.joint_mapping)
        self.assertEqual((twist.joint, twist.upper, twist.lower), (count, fore, hand))
        self.assertAlmostEqual(twist.share, 0.5)
        turned = np.tile(plain.rest_rotation, (1, 1, 1)).copy()
        axis = plain.rest_translation[hand] / np.linalg.norm(plain.rest_translation[hand])
        turned[0, hand] = rotation.about(axis, np.radians(80))
        still = Clip("turn", plain, 30.0, turned, np.array([0]), plain.rest_translation[None, [0]])
        moved = transfer(still, made)
        angle = np.degrees(
            rotation.angle(
                rotation.multiply(rotation.inverse(made.target_stance.rotations[count]), moved.rotations[0, count])
            )
        )
        self.assertAlmostEqual(float(angle), 40.0, places=4)
        explained = {row.bone: row for row in follows(made, pairing.assign(target))}
        self.assertEqual(explained["Roll"].text, "Takes 50 of 100 of the turn of LeftHand about LeftForeArm.")

    def test_translation_can_be_left_behind(self):
        source = figures.body()
        head = source.index["Head"]
        rest = source.rest_translation[head]
        clip = figures.motion(source, np.random.default_rng(1))
        up = np.tile(rest + [0, 0.05, 0], (clip.frames, 1, 1))
        clip = replace(clip, moving=np.array([0, head]), translations=np.concatenate([clip.translations, up], axis=1))
        for moves in (True, False):
            pairs = [replace(pair, moves=moves) for pair in fitting.fit(source, source).pairs]
            made = transfer(clip, fitting.fit(source, source, pairs=pairs)).all_translations()[:, head]
            np.testing.assert_allclose(made, np.tile(rest + [0, 0.05 * moves, 0], (clip.frames, 1)), atol=1e-9)


class ByHand(unittest.TestCase):
    def setUp(self):
        self.source, self.target = demo("hall/bow.bvh"), demo("porter.glb")
        self.value = fitting.fit(self.source.skeleton, self.target.skeleton)
        self.context = PairingContext(
            self.source.skeleton, self.target.skeleton, self.source.parts, self.target.parts, self.value.plan
        )
        self.now = Pairing(self.value.pairs)

    def crossed(self, now: Pairing) -> dict[str, str]:
        source, target = (self.context.source, self.source.parts), (self.context.target, self.target.parts)
        return crossings(now.pairs, *source, *target, self.context.plan)

    def test_a_thread_takes_the_other_side_with_it(self):
        made = connect(Pairing(()), self.context, "LeftForearm", "ulna.L", mirror=True)
        self.assertEqual([(p.part, p.source, p.target) for p in made.pairs], [
            ("left lower arm", ("LeftForearm",), ("ulna.L",)), ("right lower arm", ("RightForearm",), ("ulna.R",)),
        ])  # fmt: skip
        self.assertEqual(len(connect(Pairing(()), self.context, "LeftForearm", "ulna.L", mirror=False).pairs), 1)

    def test_parts_of_many_bones_take_a_bone_in(self):
        connected = connect(Pairing(()), self.context, "Spine", "spine_middle", mirror=True)
        two = connect(connected, self.context, "Spine", "spine_lower", mirror=True)
        self.assertEqual([(p.part, p.target) for p in two.pairs], [("spine", ("spine_lower", "spine_middle"))])

    def test_a_bone_serves_one_part(self):
        made = connect(self.now, self.context, "LeftHand", "ulna.L", mirror=False)
        self.assertEqual(made.of("left hand").target, ("ulna.L",))
        self.assertIsNone(made.of("left lower arm"))

    def test_left_out_is_not_missing(self):
        out = leave_out(self.now, self.context, ["left hand"], mirror=True)
        self.assertEqual(out.left_out, ("left hand", "right hand"))
        made = fitting.fit(self.context.source, self.context.target, pairs=out.pairs, left_out=out.left_out)
        self.assertEqual(made.missing, ())
        explained = {row.bone: row for row in follows(made, self.target.parts)}
        self.assertEqual(
            (explained["wrist.L"].kind, explained["ulna.L"].kind, explained["spine_lower"].kind),
            ("left out", "paired", "resampled"),
        )
        self.assertIn("ulna.L carries it along", explained["wrist.L"].text)
        again = fitting_file.from_json(
            json.dumps(fitting_file.to_json(made)), "fit", self.context.source, self.context.target
        )
        self.assertEqual((again.left_out, again.pairs), (made.left_out, made.pairs))

    def test_still_sources_are_said(self):
        explained = {row.bone: row for row in follows(self.value, self.target.parts, {"LeftToes"})}
        self.assertTrue(explained["toe.L"].still)
        self.assertIn("LeftToes has no motion in this clip", explained["toe.L"].text)

    def test_swapped_limbs_cross_and_the_facing_stays(self):
        arm = ["left shoulder", "left upper arm", "left lower arm", "left hand"]
        made = swap(self.now, self.context, arm)
        crossed = crossings(
            made.pairs,
            self.context.source,
            self.source.parts,
            self.context.target,
            self.target.parts,
            self.context.plan,
        )
        self.assertLessEqual({*arm, *(part.replace("left", "right") for part in arm)}, set(crossed))
        self.assertIn("on the left of the source", crossed["left hand"])
        self.assertEqual(
            crossings(
                self.now.pairs,
                self.context.source,
                self.source.parts,
                self.context.target,
                self.target.parts,
                self.context.plan,
            ),
            {},
        )
        value = fitting.fit(
            self.context.source, self.context.target, self.source.parts, self.target.parts, pairs=made.pairs
        )
        self.assertAlmostEqual(value.target_facing, self.value.target_facing)
        self.assertEqual(swap(made, self.context, arm).of("left hand").target, self.now.of("left hand").target)

    def test_wrong_order_crosses(self):
        paired = set_pair(self.now, self.context, "left lower arm", ["LeftForearm"], ["wrist.L"], False)
        two = set_pair(paired, self.context, "left hand", ["LeftHand"], ["ulna.L"], False)
        crossed = crossings(
            two.pairs, self.context.source, self.source.parts, self.context.target, self.target.parts, self.context.plan
        )
        self.assertIn("wrong order", crossed["left hand"])

    def test_pairs_outside_the_plan(self):
        made = set_pair(self.now, self.context, None, ["LeftToes"], ["index_2.L"], False)
        extra = next(pair for pair in made.pairs if pair.part is None)
        self.assertEqual((extra.key, extra.source), ("+index_2.L", ("LeftToes",)))

    def test_nothing_paired_rests(self):
        made = fitting.fit(self.context.source, self.context.target, pairs=[])
        clip = self.source.clips[0].cut(0, 10)
        moved = transfer(clip, made)
        np.testing.assert_allclose(moved.rotations[5], self.context.target.rest_rotation, atol=1e-12)
        self.assertEqual(len(made.missing), len(made.plan.required))

    def test_twins_by_part_name_and_place(self):
        skeleton = self.context.target
        by_name = mirror_joints(skeleton, {})
        self.assertEqual(skeleton.names[by_name[skeleton.index["ulna.L"]]], "ulna.R")
        nameless = replace(skeleton, names=tuple(f"{n:03d}" for n in range(len(skeleton))))
        hips_and_hands = {part: self.target.parts[part] for part in ("left hand", "right hand")}
        by_place = mirror_joints(nameless, hips_and_hands)
        self.assertEqual(by_place[skeleton.index["ankle.L"]], skeleton.index["ankle.R"])


class OwnPlans(unittest.TestCase):
    def test_a_copied_plan_with_a_limb_more_finds_it(self):
        table = body_plan().table | {"name": "with a tail"}
        table["parts"] = [*table["parts"], {"part": "tail", "limb": "tail", "follows": "hips", "many": True}]
        plan = read_plan(table)
        rng = np.random.default_rng(2)
        while True:
            skeleton, _, keys = bodies.two_legged(rng)
            if any(key.startswith("tail") for key in keys):
                break
        found = pairing.assign(bone_names.named(skeleton, keys, rng, "numbers"), plan)
        self.assertEqual([keys[bone.joint] for bone in found["tail"]], [key for key in keys if key.startswith("tail")])
        target = figures.disguised(skeleton, rng, 0.3)
        made = fitting.fit(skeleton, target, plan=plan)
        self.assertIn("tail", [pair.part for pair in made.pairs])
        text = json.dumps(fitting_file.to_json(made))
        self.assertEqual(fitting_file.from_json(text, "fit", skeleton, target).plan, plan)

    def test_damaged_plans_are_refused(self):
        good = body_plan().table
        for change, sentence in (
            ({"parts": [*good["parts"], good["parts"][0]]}, "same name"),
            ({"parts": [*good["parts"], {"part": "fin", "limb": "fin", "follows": "gill"}]}, "does not have"),
            ({"parts": [row for row in good["parts"] if row["part"] == "root"]}, "“hips”"),
            ({"height": None}, "damaged"),
        ):
            with self.assertRaisesRegex(ValueError, sentence):
                read_plan(good | change)


class Keys(unittest.TestCase):
    def test_a_pair_keeps_its_key(self):
        self.assertEqual(Pair(None, ("a",), ("b", "c"), 1.0, ()).key, "+b")
        self.assertEqual(Pair("head", ("a",), ("b",), 1.0, ()).key, "head")
