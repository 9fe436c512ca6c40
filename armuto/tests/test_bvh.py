"""BVH: what reads, what is refused and with which sentence, and that nothing is lost on the way back."""

import unittest
from dataclasses import replace

import numpy as np

from armuto import formats
from armuto.errors import BadInput
from armuto.formats import bvh
from armuto.formats.numbers import numbers
from armuto.intake.detection import ImportOptions
from armuto.kinematics import rotation
from armuto.tests import figures

PLAIN = """HIERARCHY
ROOT Hips
{
  OFFSET 0.0 0.0 0.0
  CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation
  JOINT Chest
  {
    OFFSET 0 20.5 -1e-1
    CHANNELS 3 Zrotation Xrotation Yrotation
    End Site
    {
      OFFSET 0 10 0
    }
  }
}
MOTION
Frames: 2
Frame Time: 0.0333333
0 90 0 0 0 0 90 0 0
1.25 90 -3e-2 10 20 30 40 50 60
"""


def parse(text: str) -> bvh.BvhFile:
    return bvh.parse(text.encode(), "night.bvh")


class Reading(unittest.TestCase):
    def test_tree_numbers_and_motion(self):
        file = parse(PLAIN)
        self.assertEqual([j.name for j in file.joints], ["Hips", "Chest"])
        self.assertEqual(file.joints[1].offset, (0, 20.5, -0.1))
        self.assertEqual(file.joints[1].ends, ((0, 10, 0),))
        self.assertEqual(file.motion.shape, (2, 9))
        clip = bvh.to_clip(file, "night")
        self.assertEqual(clip.fps, 30)
        np.testing.assert_allclose(clip.world().ends[0, 0], [-10, 110.5, -0.1], atol=1e-9)

    def test_channel_order_is_honoured(self):
        for order in ("ZXY", "XYZ", "YXZ", "ZYX"):
            channels = " ".join(f"{axis}rotation" for axis in order)
            text = PLAIN.replace("CHANNELS 3 Zrotation Xrotation Yrotation", f"CHANNELS 3 {channels}")
            q = bvh.to_clip(parse(text), "x").rotations[1, 1]
            want = rotation.IDENTITY
            for axis, degrees in zip(order, (40, 50, 60), strict=True):
                want = rotation.multiply(want, rotation.about(np.eye(3)["XYZ".index(axis)], np.radians(degrees)))
            np.testing.assert_allclose(q, want, atol=1e-12)

    def test_layouts_people_send(self):
        want = bvh.to_clip(parse(PLAIN), "x")
        for name, text in {
            "windows": PLAIN.replace("\n", "\r\n"),
            "tabs": PLAIN.replace("  ", "\t").replace("Frames: ", "Frames:\t").replace("1.25 90", "1.25\t90"),
            "no newline": PLAIN.rstrip("\n"),
            "brace beside": PLAIN.replace("ROOT Hips\n{", "ROOT Hips {"),
            "byte order mark": "\ufeff" + PLAIN,
            "upper case": PLAIN.replace("End Site", "END SITE").replace("Xposition", "XPOSITION"),
            "blank lines": PLAIN.replace("MOTION\n", "MOTION\n\n").replace("}\n", "}\n\n"),
            "wrapped rows": PLAIN.replace("0 0 0 0 90 0 0\n", "0 0 0 0\n90 0 0\n"),
        }.items():
            with self.subTest(name):
                clip = bvh.to_clip(parse(text), "x")
                np.testing.assert_array_equal(clip.rotations, want.rotations)
                np.testing.assert_array_equal(clip.translations, want.translations)

    def test_positions_on_any_joint_replace_or_add(self):
        six = "CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation"
        text = PLAIN.replace("CHANNELS 3 Zrotation Xrotation Yrotation", six)
        replaced = text.replace("0 90 0 0 0 0 90 0 0", "0 90 0 0 0 0 0 21 0 90 0 0").replace(
            "30 40 50", "30 0 22 0 40 50"
        )
        clip = bvh.to_clip(parse(replaced), "x")
        np.testing.assert_allclose(clip.translations[:, 1], [[0, 21, 0], [0, 22, 0]])
        added = text.replace("0 90 0 0 0 0 90 0 0", "0 90 0 0 0 0 0 1 0 90 0 0").replace("30 40 50", "30 0 2 0 40 50")
        clip = bvh.to_clip(parse(added), "x")
        np.testing.assert_allclose(clip.translations[:, 1], [[0, 21.5, -0.1], [0, 22.5, -0.1]])
        # Either way the numbers go back as they came.
        for source in (replaced, added):
            file = parse(source)
            np.testing.assert_allclose(bvh.from_clip(bvh.to_clip(file, "x"), file).motion, file.motion, atol=1e-6)

    def test_joints_with_fewer_channels(self):
        text = PLAIN.replace("CHANNELS 3 Zrotation Xrotation Yrotation", "CHANNELS 1 Xrotation")
        text = text.replace("0 90 0 0 0 0 90 0 0", "0 90 0 0 0 0 90").replace("30 40 50 60", "30 40")
        file = parse(text)
        clip = bvh.to_clip(file, "x")
        np.testing.assert_allclose(clip.rotations[0, 1], rotation.about([1, 0, 0], np.pi / 2))
        self.assertEqual(bvh.from_clip(clip, file).joints[1].channels, ("Xrotation",))
        turned = clip.rotations.copy()
        turned[:, 1] = rotation.about([0, 1, 0], 0.5)
        wider = bvh.from_clip(replace(clip, rotations=turned), file)
        self.assertEqual(wider.joints[1].channels, ("Zrotation", "Xrotation", "Yrotation"))
        np.testing.assert_allclose(bvh.to_clip(wider, "x").rotations[0, 1], turned[0, 1], atol=1e-9)

    def test_duplicate_names_and_two_roots(self):
        second = PLAIN.split("MOTION")[0].removeprefix("HIERARCHY\n")
        text = PLAIN.replace("MOTION", second + "MOTION").replace("90 0 0\n", "90 0 0 0 50 0 0 0 0 0 0 0\n")
        text = text.replace("40 50 60\n", "40 50 60 0 50 0 0 0 0 0 0 0\n")
        document = formats.read(text.encode(), "two.bvh", ImportOptions("cm", "+Y"))
        self.assertEqual(document.skeleton.names, ("Hips", "Chest", "Hips.2", "Chest.2"))
        self.assertEqual(document.skeleton.parents.tolist(), [-1, 0, -1, 2])
        self.assertTrue(any("2 roots" in note for note in document.notes))
        self.assertTrue(any("several joints" in note for note in document.notes))
        self.assertEqual([j.name for j in parse(bvh.serialise(parse(text)).decode()).joints], ["Hips", "Chest"] * 2)

    def test_a_frame_count_that_does_not_match_is_read_and_said(self):
        for promised in (1, 7):
            file = parse(PLAIN.replace("Frames: 2", f"Frames: {promised}"))
            self.assertEqual(len(file.motion), 2)
            self.assertEqual(file.notes, (f"The file says {promised} frames and holds 2; all 2 were read.",))

    def test_frame_rates(self):
        for frame_time, fps in (
            (0.0333333, 30),
            (0.008333, 120),
            (0.0416667, 24),
            (0.0417083, 23.976),
            (0.01, 100),
            (0.07, 1 / 0.07),
        ):
            self.assertAlmostEqual(bvh.frame_rate(frame_time), fps)


class Refusing(unittest.TestCase):
    def test_one_sentence_with_the_place(self):
        cases = {
            "": "does not begin with HIERARCHY",
            "Once upon a night": "does not begin with HIERARCHY",
            PLAIN[:120]: "cut",
            PLAIN.split("MOTION")[0]: "no MOTION section",
            PLAIN[:-6]: "frame 2, which has 7 of 9",
            PLAIN.replace("1.25 90", "1.25 NaN"): "line 20: “NaN”",
            PLAIN.replace("1.25 90", "1.25 9O"): "line 20: “9O”",
            PLAIN.replace("1.25 90", "1.25 9e99"): "line 20: “9e99”",
            PLAIN.replace("1.25 90", "1,25 90"): "line 20: “1,25”",
            PLAIN.replace("OFFSET 0 20.5 -1e-1", "OFFSET 0 20.5"): "line 8: OFFSET needs 3 numbers",
            PLAIN.replace("CHANNELS 3 Zrotation", "CHANNELS 3 Wrotation"): "line 9: CHANNELS promises 3",
            PLAIN.replace("CHANNELS 3 Zrotation Xrotation", "CHANNELS 3 Zrotation Zrotation"): "listed twice",
            PLAIN.replace("  }\n}\nMOTION", "  }\nMOTION"): "not closed",
            PLAIN.replace("Frame Time: 0.0333333", "Frame Time: 0"): "cannot be played",
            PLAIN.replace("Frame Time", "Time"): "are missing after MOTION",
            PLAIN.replace("JOINT Chest", "BONE Chest"): "line 6: “BONE” is not expected",
            "HIERARCHY\nMOTION\nFrames: 0\nFrame Time: 1\n": "no joints",
            PLAIN[: PLAIN.index("0 90 0")]: "no frames",
        }
        for text, sentence in cases.items():
            with self.subTest(sentence), self.assertRaises(BadInput) as caught:
                parse(text)
            message = str(caught.exception)
            self.assertIn(sentence, message)
            self.assertTrue(
                message.startswith("night.bvh: ") and message.endswith(".") and "\n" not in message, message
            )


class RoundTrip(unittest.TestCase):
    def test_nothing_in_the_tree_or_the_numbers_is_lost(self):
        rng = np.random.default_rng(0)
        numbers = rng.normal(0, 1, (40, 9)) * 10.0 ** rng.integers(-12, 6, (40, 9))
        file = replace(parse(PLAIN), motion=numbers, frame_time=1 / 119.88)
        again = bvh.parse(bvh.serialise(file), "again.bvh")
        self.assertEqual(again.joints, file.joints)
        self.assertEqual(again.frame_time, file.frame_time)
        np.testing.assert_array_equal(again.motion, file.motion)

    def test_a_deep_chain_is_no_trouble(self):
        depth = 3000
        text = "HIERARCHY\n" + "".join(
            f"{'JOINT' if n else 'ROOT'} j{n}\n{{\nOFFSET 0 1 0\nCHANNELS 1 Xrotation\n" for n in range(depth)
        )
        text += "}\n" * depth + "MOTION\nFrames: 1\nFrame Time: 0.04\n" + "1 " * depth + "\n"
        file = parse(text)
        self.assertEqual(parse(bvh.serialise(file).decode()).joints, file.joints)

    def test_clips_come_back_through_their_own_file_in_any_unit_and_axis(self):
        skeleton = figures.body()
        clip = figures.motion(skeleton, np.random.default_rng(3), reach=2.5)
        first = bvh.from_clip(clip)
        for unit, up in (("cm", "+Y"), ("inch", "+Z"), ("m", "-X")):
            with self.subTest(unit=unit, up=up):
                document = formats.read(bvh.serialise(first), "x.bvh", ImportOptions(unit, up))
                again = formats.read(formats.write(document.clips, document, "bvh"), "y.bvh", ImportOptions(unit, up))
                np.testing.assert_allclose(
                    again.clips[0].world().positions, document.clips[0].world().positions, atol=1e-7
                )

    def test_a_skeleton_with_rest_rotations_keeps_its_positions(self):
        rng = np.random.default_rng(4)
        skeleton = figures.disguised(figures.body(), rng, 0.7)
        clip = figures.motion(skeleton, rng)
        document = formats.read(bvh.serialise(bvh.from_clip(clip)), "x.bvh", ImportOptions("cm", "+Y"))
        order = [document.skeleton.index[name] for name in skeleton.names]
        np.testing.assert_allclose(document.clips[0].world().positions[:, order], clip.world().positions, atol=1e-7)


class Decimals(unittest.TestCase):
    """Numbers are read as Python reads each, to the last digit and its sign."""

    WORDS = """-0 +5 1e5 1E-7 0.000000 123456789012345678901234567890 9007199254740993 9007199254740992 1e22 1e23 1e-22
        1e-23 4.9e-324 1e400 .5 5. -.5e3 00012 1e0005 179769313486231580793728971405301e276"""
    NO_NUMBERS = (
        "1 2 x",
        "1e",
        "--1",
        "1.2.3",
        "nan",
        "inf",
        "0x10",
        "1_000",
        "1,5",
        "-",
        ".",
        "e5",
        "1e+",
        "1 \0",
        "é",
    )

    def read(self, words: list[str], between: str = " ") -> None:
        found, wanted = numbers(between.join(words).encode()), np.array([float(word) for word in words])
        np.testing.assert_array_equal(found, wanted)
        np.testing.assert_array_equal(np.signbit(found), np.signbit(wanted))

    def test_any_decimal_in_any_company(self) -> None:
        rng = np.random.default_rng(9)
        long = [repr(float(v)) for v in rng.normal(size=500) * 10.0 ** rng.integers(-30, 30, 500)]
        short = [f"{v:.6f}" for v in rng.normal(size=4000) * 100]
        edges = [*self.WORDS.split(), "1" * 400, "0." + "0" * 450 + "1", "0" * 1200 + "7"]
        self.read([*short, *edges])
        self.read(long)  # most of them left to Python
        self.read([*short[:40], *long, *edges], "\r\n \t")
        self.assertEqual((numbers(b"").tolist(), numbers(b" \n").tolist(), numbers(b"7").tolist()), ([], [], [7.0]))

    def test_what_is_no_number(self) -> None:
        for text in self.NO_NUMBERS:
            with self.subTest(text), self.assertRaises(ValueError):
                numbers(text.encode())
