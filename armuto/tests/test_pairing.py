"""Reading names and assigning parts."""

import unittest
from dataclasses import replace

import numpy as np

from armuto import formats, pairing
from armuto.body.lexicon import lexicon
from armuto.body.plans import body_plan
from armuto.kinematics import rotation
from armuto.kinematics.skeleton import Skeleton
from armuto.tests.files import BOW, PORTER


def tree(text: str) -> Skeleton:
    """A skeleton from indented names; rest poses play no part in pairing by name."""
    names, parents, open_at = [], [], []
    for row in text.strip("\n").splitlines():
        depth = len(row) - len(row.lstrip())
        open_at = open_at[:depth]
        parents.append(open_at[-1] if open_at else -1)
        open_at.append(len(names))
        names.append(row.strip())
    count = len(names)
    return Skeleton(tuple(names), np.array(parents), np.zeros((count, 3)), np.tile(rotation.IDENTITY, (count, 1)))


def parts(skeleton: Skeleton) -> dict[str, str | list[str]]:
    found = pairing.assign(skeleton)
    named = {part: [skeleton.names[bone.joint] for bone in bones] for part, bones in found.items()}
    return {part: names[0] if len(names) == 1 else names for part, names in named.items()}


ANATOMY = """
root
 pelvis
  lumbar
   thorax
    cervical
     cranium
      mandible
    clavicle_{l}
     humerus_{l}
      radius_{l}
       wrist_{l}
        thumb1_{l}
         thumb2_{l}
        index1_{l}
         index2_{l}
          index3_{l}
           index_end_{l}
    clavicle_{r}
     humerus_{r}
      radius_{r}
       wrist_{r}
  femur_{l}
   tibia_{l}
    talus_{l}
     metatarsal_{l}
  femur_{r}
   tibia_{r}
    talus_{r}
     metatarsal_{r}
"""


class Kept(unittest.TestCase):
    def test_what_was_found_is_nobodys_to_change_and_holds_for_what_is_the_same(self) -> None:
        skeleton = formats.read(PORTER.read_bytes(), "porter.glb").skeleton
        first = pairing.assign(skeleton)
        want = dict(first)
        first.clear()
        self.assertEqual(pairing.assign(replace(skeleton)), want)
        self.assertNotEqual(pairing.assign(skeleton, body_plan("four-legged")), want)
        self.assertNotEqual(pairing.assign(replace(skeleton, names=skeleton.names[::-1])), want)


class Names(unittest.TestCase):
    def test_taken_apart(self):
        read = lexicon().read
        for name, words, side, helper in (
            ("LeftForeArm", ("fore", "arm"), "left", ""),
            ("upper_arm.R", ("upper", "arm"), "right", ""),
            ("leftforearm", ("forearm",), "left", ""),
            ("rHandThumb2", ("hand", "thumb"), "right", ""),
            ("L_Thigh_Twist", ("thigh",), "left", "twist"),
            ("HeadTop_End", ("head", "top"), "", "end"),
            ("DEF-spine.003", ("spine",), "", ""),
        ):
            with self.subTest(name):
                got = read(name)
                self.assertEqual((got.words, got.side, got.helper), (words, side, helper))


class Assigning(unittest.TestCase):
    def test_anatomical_names_with_any_side_words(self):
        for left, right in (("l", "r"), ("L", "R"), ("left", "right"), ("LEFT", "RIGHT"), ("lft", "rgt")):
            with self.subTest(left):
                found = parts(tree(ANATOMY.format(l=left, r=right)))
                self.assertEqual(found["root"], "root")
                self.assertEqual(found["hips"], "pelvis")
                self.assertEqual((found["spine"], found["chest"]), ("lumbar", "thorax"))
                self.assertEqual((found["neck"], found["head"], found["jaw"]), ("cervical", "cranium", "mandible"))
                for side, mark in (("left", left), ("right", right)):
                    want = {
                        "shoulder": "clavicle", "upper arm": "humerus", "lower arm": "radius", "hand": "wrist",
                        "upper leg": "femur", "lower leg": "tibia", "foot": "talus", "toes": "metatarsal",
                    }  # fmt: skip
                    for part, bone in want.items():
                        self.assertEqual(found[f"{side} {part}"], f"{bone}_{mark}")
                self.assertEqual(found["left index distal"], f"index3_{left}")
                self.assertEqual(found["left thumb proximal"], f"thumb2_{left}")

    def test_the_chain_tells_what_one_name_leaves_open(self):
        collar = tree("""
hip
 chest
  leftCollar
   leftShoulder
    leftElbow
     leftWrist
 leftHip
  leftKnee
   leftAnkle
""")
        found = parts(collar)
        self.assertEqual((found["left shoulder"], found["left upper arm"]), ("leftCollar", "leftShoulder"))
        self.assertEqual((found["hips"], found["left upper leg"]), ("hip", "leftHip"))
        plain = parts(tree("Hips\n Chest\n  LeftShoulder\n   LeftElbow\n    LeftWrist\n"))
        self.assertNotIn("left shoulder", plain)
        self.assertEqual(plain["left upper arm"], "LeftShoulder")
        arm = parts(
            tree("Hips\n Spine\n  LeftShoulder\n   LeftArm\n    LeftForeArm\n     LeftHand\n LeftUpLeg\n  LeftLeg\n")
        )
        self.assertEqual((arm["left shoulder"], arm["left upper arm"]), ("LeftShoulder", "LeftArm"))
        self.assertEqual((arm["left upper leg"], arm["left lower leg"]), ("LeftUpLeg", "LeftLeg"))

    def test_helpers_are_left_alone_and_namespaces_are_ignored(self):
        found = parts(
            tree("""
hall:Hips
 hall:Spine
  hall:Bend
   hall:Chest
    hall:Neck
     hall:Head
      hall:Head_end
    hall:LeftUpperArm
     hall:LeftUpperArmTwist
     hall:LeftForearm
      hall:LeftHand
""")
        )
        self.assertEqual(found["left upper arm"], "hall:LeftUpperArm")
        self.assertEqual(found["head"], "hall:Head")
        self.assertEqual(found["spine"], ["hall:Spine", "hall:Bend"])

    def test_the_demo_is_paired_completely_and_no_side_is_swapped(self):
        source = formats.read(BOW.read_bytes(), "bow.bvh")
        target = formats.read(PORTER.read_bytes(), "porter.glb")
        pairs, missing = pairing.pair(source.skeleton, source.parts, target.skeleton, target.parts)
        self.assertEqual(missing, ())
        self.assertEqual(sum(len(pair.target) for pair in pairs), 38)
        for pair in pairs:
            for word, mark in (("left", "L"), ("right", "R")):
                if pair.part.startswith(word):
                    self.assertTrue(
                        pair.source[0].lower().startswith(word) and pair.target[0].endswith(f".{mark}"), pair
                    )

    def test_nonsense_is_not_recognised(self):
        self.assertEqual(parts(tree("xq1\n xq2\n  xq3\n   xq4\n")), {})
