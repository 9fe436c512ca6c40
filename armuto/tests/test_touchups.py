"""Touch-ups over what a transfer makes: closed forms, order, holding, frames by themselves, sides exchanged."""

import json
import unittest
from dataclasses import replace
from functools import cache

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from armuto import touchups
from armuto.constraints.limbs import limb_chains
from armuto.contacts.probes import contact_probes
from armuto.errors import BadInput
from armuto.formats import Document, read
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.world_motion import WorldMotion
from armuto.pipeline import retarget
from armuto.quality.findings import find
from armuto.retarget.context import RetargetContext, context_of
from armuto.retarget.fitting import Fitting, fit
from armuto.retarget.settings import Settings
from armuto.tests.files import DEMO
from armuto.touchups import Key, Layer, Layers, TouchUp, from_json, to_json
from armuto.touchups.applying import TouchUps
from armuto.touchups.curves import offsets, presence
from armuto.touchups.model import WeightKey
from armuto.touchups.resolving import joints_of_parts, place


@cache
def document(name: str) -> Document:
    return read((DEMO / name).read_bytes(), name)


@cache
def scene(clip: str = "hall/walk.bvh", character: str = "porter.glb") -> tuple[Clip, Fitting]:
    source, target = document(clip), document(character)
    return source.clips[0], fit(source.skeleton, target.skeleton, source.parts, target.parts)


def over(layers: Layers, clip: Clip, mirrored: bool = False) -> TouchUps:
    return TouchUps(layers, np.arange(clip.frames) / clip.fps, mirrored)


def motion(
    clip: Clip, fitting: Fitting, layers: Layers | None = None, first: int = 0, last: int | None = None
) -> WorldMotion:
    touched = None if layers is None else over(layers, clip)
    return WorldMotion.of_clip(retarget(clip, fitting, None, first, last, touched).clip)


def layer(*rows: TouchUp, name: str = "Mended", **more: object) -> Layer:
    return Layer(name, rows, **more)  # type: ignore[arg-type]


def turn(part: str, value: tuple[float, float, float], time: float = 1.0, **more: object) -> TouchUp:
    return TouchUp("rotation", (Key(time, value),), part, **more)  # type: ignore[arg-type]


def shift(part: str, value: tuple[float, float, float], time: float = 1.0, **more: object) -> TouchUp:
    return TouchUp("place", (Key(time, value),), part, **more)  # type: ignore[arg-type]


def joint(context: RetargetContext, part: str) -> int:
    return joints_of_parts(context)[part][0]


class Curves(unittest.TestCase):
    def test_a_single_key_rises_and_falls_as_a_cubic(self) -> None:
        at = np.linspace(0, 2, 201)
        out = offsets(np.array([1.0]), np.array([[3.0, -1.0]]), ["smooth"], 0.25, 0.5, at)
        x = np.clip((at - 0.75) / 0.25, 0, 1) - np.clip((at - 1.0) / 0.5, 0, 1) * (at > 1.0)
        x = np.where(at <= 1.0, np.clip((at - 0.75) / 0.25, 0, 1), 1 - np.clip((at - 1.0) / 0.5, 0, 1))
        np.testing.assert_allclose(out, (3 * x**2 - 2 * x**3)[:, None] * [3.0, -1.0], atol=1e-12)

    def test_ends_that_are_kept_and_ends_without_an_ease(self) -> None:
        at = np.array([-5.0, 0.999, 1.0, 1.5, 2.0, 2.001, 9.0])
        times, values = np.array([1.0, 2.0]), np.array([[1.0], [2.0]])
        kept = offsets(times, values, ["linear"] * 2, None, None, at)[:, 0]
        np.testing.assert_allclose(kept, [1, 1, 1, 1.5, 2, 2, 2])
        cut = offsets(times, values, ["linear"] * 2, 0.0, 0.0, at)[:, 0]
        np.testing.assert_allclose(cut, [0, 0, 1, 1.5, 2, 0, 0])

    def test_held_until_the_next_key(self) -> None:
        at = np.array([1.0, 1.2, 1.999, 2.0, 2.5, 3.0])
        out = offsets(
            np.array([1.0, 2.0, 3.0]), np.array([[1.0], [4.0], [2.0]]), ["held", "linear", "smooth"], 0.1, 0.1, at
        )
        np.testing.assert_allclose(out[:, 0], [1, 1, 1, 4, 3, 2])

    @given(
        st.lists(st.integers(0, 400), min_size=1, max_size=8, unique=True),
        st.lists(st.floats(-10, 10), min_size=8, max_size=8),
        st.floats(0, 1),
        st.floats(0, 1),
        st.data(),
    )
    @settings(max_examples=80, deadline=None)
    def test_goes_through_its_keys_and_never_beyond_its_neighbours(self, at, values, before, after, data) -> None:  # type: ignore[no-untyped-def]
        times = np.array(sorted(at)) / 50
        rows = np.array(values[: len(times)])[:, None]
        ways = [data.draw(st.sampled_from(["smooth", "linear", "held"])) for _ in times]
        np.testing.assert_allclose(offsets(times, rows, ways, before, after, times), rows, atol=1e-9)
        moments = np.linspace(-2, 10, 1201)
        out = offsets(times, rows, ways, before, after, moments)
        self.assertLessEqual(out.max(), max(rows.max(), 0) + 1e-9)
        self.assertGreaterEqual(out.min(), min(rows.min(), 0) - 1e-9)
        few = moments[::7]
        np.testing.assert_array_equal(offsets(times, rows, ways, before, after, few), out[::7])
        there = presence(times, before, after, moments)
        self.assertTrue(np.all((there >= 0) & (there <= 1)))
        self.assertLess(np.abs(out[there == 0]).max(initial=0.0), 1e-12)


class Values(unittest.TestCase):
    LAYERS = Layers(
        (
            layer(
                turn("left upper arm", (0, 0, 12), ease_in=None),
                TouchUp("place", (Key(0.5, (0, 0.05, 0), (1, 2, 3), "held"), Key(0.2)), "right hand", against="chest"),
                TouchUp("translation", (Key(1.0, (0, 0.02, 0)),), bone="Root"),
                weight=(WeightKey(0.0, 0.5), WeightKey(1.0, 1.0)),
                limbs=("left arm",),
                hold=False,
            ),
            layer(name="Off", on=False),
        )
    )

    def test_there_and_back_through_json(self) -> None:
        text = json.dumps(to_json(self.LAYERS))
        self.assertEqual(from_json(json.loads(text)), self.LAYERS)
        self.assertEqual(to_json(from_json(json.loads(text))), json.loads(text))
        self.assertEqual([key.time for key in from_json(json.loads(text)).layers[0].touchups[1].keys], [0.2, 0.5])

    def test_what_is_wrong_is_said_by_its_path(self) -> None:
        good = {"channel": "rotation", "part": "head", "keys": [{"time": 1, "value": [0, 0, 1]}]}
        for wrong, words in (
            ({}, "one list"),
            ({"layers": [{"name": " "}]}, "needs a name"),
            ({"layers": [{"name": "a", "touchups": [{**good, "keys": []}]}]}, "1 to 2,000 keys"),
            ({"layers": [{"name": "a", "touchups": [{**good, "channel": "scale"}]}]}, "“scale” is not one of"),
            ({"layers": [{"name": "a", "touchups": [good, good]}]}, "touched up twice"),
            ({"layers": [{"name": "a"}, {"name": "a"}]}, "same name"),
            ({"layers": [{"name": "a", "touchups": [{**good, "part": ""}]}]}, "a part or a bone"),
            ({"layers": [{"name": "a", "touchups": [{**good, "keys": [{"time": float("nan")}]}]}]}, "time"),
            ({"layers": [{"name": "a", "weight": 7}]}, "not from 0 to 2"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(ValueError, words):
                from_json(wrong)
        for content in (b"{", b"\xff", b"[" * 100_000):
            with self.assertRaisesRegex(BadInput, "mine.json: it is no JSON"):
                touchups.from_file(content, "mine.json")

    def test_the_digest_is_of_what_layers_do(self) -> None:
        first = Layers((layer(turn("head", (0, 0, 5))),))
        self.assertEqual(
            first.digest, Layers((replace(first.layers[0], name="Other"), layer(name="x", on=False))).digest
        )
        self.assertNotEqual(first.digest, Layers((replace(first.layers[0], weight=0.5),)).digest)
        self.assertEqual(Layers((replace(first.layers[0], weight=0.0),)).digest, "")


class Applied(unittest.TestCase):
    def setUp(self) -> None:
        self.clip, self.fitting = scene()
        self.context = context_of(self.fitting)
        self.plain = motion(self.clip, self.fitting)
        self.frame = round(self.clip.fps)

    def apart(self, a: WorldMotion, b: WorldMotion) -> FloatArray:
        return np.asarray(np.linalg.norm(a.positions - b.positions, axis=-1))

    def test_nothing_changes_nothing(self) -> None:
        with_limits = self.fitting.with_settings(Settings(limits="soft"))
        rows = (turn("left upper arm", (0, 0, 0)), shift("right hand", (0, 0, 0)))
        for fitting in (self.fitting, with_limits):
            plain = motion(self.clip, fitting)
            for layers in (Layers(), Layers((layer(*rows),)), Layers((layer(turn("head", (9, 9, 9)), weight=0.0),))):
                out = motion(self.clip, fitting, layers)
                self.assertLess(self.apart(plain, out).max(), 1e-9)
                self.assertLess(rotation.angle_apart(plain.rotations, out.rotations).max(), 1e-7)

    def test_a_turn_in_the_joints_own_frame(self) -> None:
        value = (10.0, -20.0, 30.0)
        out = motion(self.clip, self.fitting, Layers((layer(turn("left upper arm", value)),)))
        arm = joint(self.context, "left upper arm")
        wanted = rotation.multiply(self.plain.rotations[arm, self.frame], rotation.from_vector(np.radians([value]))[0])
        self.assertLess(float(rotation.angle_apart(out.rotations[arm, self.frame][None], wanted[None])[0]), 1e-6)
        eased = round(0.25 * self.clip.fps) + 1
        away = np.ones(self.clip.frames, bool)
        away[self.frame - eased : self.frame + eased + 1] = False
        self.assertLess(self.apart(self.plain, out)[:, away].max(), 1e-12)
        half = self.frame - round(0.125 * self.clip.fps)
        size = float(
            np.degrees(rotation.angle_apart(out.rotations[arm, half][None], self.plain.rotations[arm, half][None])[0])
        )
        share = 1 - (self.frame - half) / self.clip.fps / 0.25
        self.assertAlmostEqual(size, (3 * share**2 - 2 * share**3) * float(np.linalg.norm(value)), places=3)

    def test_weights_and_limbs(self) -> None:
        row = turn("left upper arm", (0.0, 0.0, 30.0))
        arm = joint(self.context, "left upper arm")

        def turned(**more: object) -> float:
            out = motion(self.clip, self.fitting, Layers((layer(row, **more),)))
            pair = out.rotations[arm, self.frame][None], self.plain.rotations[arm, self.frame][None]
            return float(np.degrees(rotation.angle_apart(*pair)[0]))

        self.assertAlmostEqual(turned(weight=0.5), 15.0, places=3)
        self.assertAlmostEqual(turned(weight=(WeightKey(0.0, 0.0), WeightKey(1.0, 0.2))), 6.0, places=3)
        self.assertLess(turned(limbs=("right arm",)), 1e-9)
        self.assertAlmostEqual(turned(limbs=("left arm",)), 30.0, places=3)

    def test_layers_on_one_bone_go_one_after_the_other(self) -> None:
        first, second = (40.0, 0.0, 0.0), (0.0, 40.0, 0.0)
        arm = joint(self.context, "left upper arm")
        rows = layer(turn("left upper arm", first), name="a"), layer(turn("left upper arm", second), name="b")
        out = motion(self.clip, self.fitting, Layers(rows)).rotations[arm, self.frame]
        back = motion(self.clip, self.fitting, Layers(rows[::-1])).rotations[arm, self.frame]
        steps = [rotation.from_vector(np.radians([value]))[0] for value in (first, second)]
        wanted = rotation.multiply(rotation.multiply(self.plain.rotations[arm, self.frame], steps[0]), steps[1])
        self.assertLess(float(rotation.angle_apart(out[None], wanted[None])[0]), 1e-6)
        self.assertGreater(float(np.degrees(rotation.angle_apart(out[None], back[None])[0])), 5.0)

    def test_layers_on_different_limbs_commute(self) -> None:
        rows = (
            layer(shift("left hand", (0.05, 0.1, 0.0)), name="hand"),
            layer(turn("chest", (0.0, 15.0, 0.0)), shift("head", (0.0, 0.0, 0.05)), name="trunk"),
            layer(TouchUp("translation", (Key(1.0, (0.0, -0.03, 0.0)),), "hips"), name="hips"),
            layer(turn("right upper leg", (20.0, 0.0, 0.0)), name="leg"),
        )
        forth = motion(self.clip, self.fitting, Layers(rows))
        back = motion(self.clip, self.fitting, Layers(rows[::-1]))
        self.assertLess(self.apart(forth, back).max(), 1e-9)
        self.assertGreater(self.apart(forth, self.plain).max(), 0.05)

    def test_an_end_comes_to_its_place_and_its_bend_is_kept(self) -> None:
        for part, by in (
            ("left hand", (0.04, 0.06, -0.03)),
            ("right foot", (0.0, 0.05, 0.02)),
            ("head", (0.03, -0.02, 0.04)),
        ):
            with self.subTest(part=part):
                out = motion(self.clip, self.fitting, Layers((layer(shift(part, by)),)))
                end = joint(self.context, part)
                moved = out.positions[end, self.frame] - self.plain.positions[end, self.frame]
                self.assertLess(np.linalg.norm(moved - by), 0.002)
                turned = rotation.angle_apart(out.rotations[end], self.plain.rotations[end])
                self.assertLess(float(np.degrees(turned.max())), 0.01)
                lengths = [
                    np.linalg.norm(
                        np.diff(m.positions[list(limb_chains(self.context)["left arm"].joints)], axis=0), axis=-1
                    )
                    for m in (out, self.plain)
                ]
                np.testing.assert_allclose(*lengths, atol=1e-9)

    def test_a_place_is_turned_too_and_against_another_part(self) -> None:
        row = TouchUp("place", (Key(1.0, (0.03, 0.06, 0.02), (0.0, 0.0, 40.0)),), "left hand", against="chest")
        out = motion(self.clip, self.fitting, Layers((layer(row),)))
        hand, chest = joint(self.context, "left hand"), joint(self.context, "chest")
        back = rotation.inverse(self.fitting.target_pose.rotations[chest])
        axes = rotation.multiply(self.plain.rotations[chest, self.frame], back)
        moved = out.positions[hand, self.frame] - self.plain.positions[hand, self.frame]
        wanted = rotation.rotate(axes[None], np.array([[0.03, 0.06, 0.02]]))[0]
        self.assertLess(np.linalg.norm(moved - wanted), 0.002)
        about = rotation.multiply(
            out.rotations[hand, self.frame], rotation.inverse(self.plain.rotations[hand, self.frame])
        )
        np.testing.assert_allclose(
            np.degrees(rotation.vector(about[None]))[0],
            rotation.rotate(axes[None], np.array([[0.0, 0.0, 40.0]]))[0],
            atol=0.01,
        )

    def test_feet_stay_where_they_rest_when_the_hips_are_lowered(self) -> None:
        down = TouchUp("translation", (Key(0.8, (0.0, -0.06, 0.0)), Key(1.6, (0.0, -0.06, 0.0))), "hips")
        out = motion(self.clip, self.fitting, Layers((layer(down),)))
        loose = motion(self.clip, self.fitting, Layers((layer(down, hold=False),)))
        hips = joint(self.context, "hips")
        np.testing.assert_allclose(
            out.positions[hips, self.frame] - self.plain.positions[hips, self.frame], [0, -0.06, 0], atol=1e-9
        )
        contacts = retarget(self.clip, self.fitting).contacts.contacts
        feet = {point.name: point.part for point in contact_probes(self.context).points if point.is_foot}
        seen = 0
        for contact in contacts:
            if contact.point not in feet:
                continue
            foot = joint(self.context, feet[contact.point])
            here = slice(
                max(contact.first, round(0.8 * self.clip.fps)), min(contact.last, round(1.6 * self.clip.fps)) + 1
            )
            if here.start < here.stop:
                seen += 1
                self.assertLess(self.apart(out, self.plain)[foot, here].max(), 0.001)
                np.testing.assert_allclose(self.apart(loose, self.plain)[foot, here], 0.06, atol=1e-9)
        self.assertGreater(seen, 1)

    def test_a_hand_follows_the_one_it_carries_with(self) -> None:
        clip, fitting = scene("hall/carry_the_crate.bvh", "keeper.glb")
        context = context_of(fitting)
        contacts = retarget(clip, fitting).contacts
        pairs = [contact for contact in contacts.contacts if contact.to.endswith("hand")]
        self.assertTrue(pairs)
        time = (pairs[0].first + pairs[0].last) / 2 / clip.fps
        plain = motion(clip, fitting)
        out = motion(clip, fitting, Layers((layer(shift("right hand", (0.0, 0.05, 0.03), time)),)))
        frame = round(time * clip.fps)
        left, right = joint(context, "left hand"), joint(context, "right hand")
        for hand in (left, right):
            self.assertLess(
                np.linalg.norm(out.positions[hand, frame] - plain.positions[hand, frame] - [0, 0.05, 0.03]), 0.005
            )
        self.assertLess(self.apart(out, plain)[[left, right]][:, : frame - round(clip.fps)].max(), 1e-9)

    def test_any_frames_by_themselves(self) -> None:
        rows = (
            turn("chest", (0.0, 15.0, 0.0)),
            shift("left hand", (0.05, 0.1, 0.0)),
            TouchUp("translation", (Key(1.0, (0.0, -0.05, 0.0)),), "hips", ease_in=0.6, ease_out=0.6),
        )
        layers = Layers((layer(*rows),))
        whole = motion(self.clip, self.fitting, layers)
        for first, last in ((self.frame, self.frame), (self.frame - 9, self.frame + 4), (0, 3)):
            some = motion(self.clip, self.fitting, layers, first, last)
            np.testing.assert_allclose(some.positions, whole.positions[:, first : last + 1], atol=1e-9)

    def test_over_the_seam_of_a_loop(self) -> None:
        self.clip, self.fitting = scene("yard/gallop.bvh", "fox.glb")
        self.context, self.plain = context_of(self.fitting), motion(self.clip, self.fitting)
        assert self.clip.loop is not None
        end = self.clip.loop / self.clip.fps
        out = motion(
            self.clip, self.fitting, Layers((layer(turn("head", (0.0, 20.0, 0.0), end - 0.05, ease_out=0.5)),))
        )
        head = joint(self.context, "head")
        turned = np.degrees(rotation.angle_apart(out.rotations[head], self.plain.rotations[head]))
        self.assertAlmostEqual(turned[0], turned[self.clip.loop], places=3)
        self.assertGreater(turned[0], 15.0)
        self.assertLess(turned[self.clip.frames // 2], 1e-9)
        both = Layers(
            (
                layer(
                    TouchUp("rotation", (Key(0.0, (0, 20, 0)), Key(end, (0, 20, 0))), "head", ease_in=0.1, ease_out=0.1)
                ),
            )
        )
        turned = np.degrees(
            rotation.angle_apart(motion(self.clip, self.fitting, both).rotations[head], self.plain.rotations[head])
        )
        self.assertLess(turned.max(), 20.001)

    def test_what_cannot_be_placed_is_kept_and_said(self) -> None:
        layers = Layers(
            (
                layer(
                    turn("tail", (0, 0, 9)),
                    shift("left lower arm", (0, 0.1, 0)),
                    TouchUp("translation", (Key(1.0),), "left hand"),
                    TouchUp("rotation", (Key(1.0),), bone="Nowhere"),
                    turn("head", (0, 0, 9)),
                ),
            )
        )
        rows, lost = place(layers, self.context)
        self.assertEqual([row.touchup.part for row in rows], ["head"])
        self.assertEqual(len(lost), 4)
        for sentence, words in zip(lost, ("no tail", "ends no limb", "only the hips", "no Nowhere"), strict=True):
            self.assertIn(words, sentence)
        result = retarget(self.clip, self.fitting, touchups=over(layers, self.clip))
        self.assertEqual(result.touchups.lost, lost)

    def test_limits_hold_what_was_touched(self) -> None:
        wild = Layers((layer(turn("left lower arm", (0.0, 0.0, 120.0)), turn("left lower leg", (120.0, 0.0, 0.0))),))
        limited = self.fitting.with_settings(Settings(limits="hard"))
        result = retarget(self.clip, limited, touchups=over(wild, self.clip))
        self.assertTrue(any(hits[self.frame] for hits in result.report.hits.values()))
        free = retarget(self.clip, self.fitting, touchups=over(wild, self.clip))
        rows = find(self.clip, result.clip, limited, result.contacts, result.trace)
        self.assertFalse([row for row in rows if row.kind == "limit"])
        self.assertTrue(free.touchups.touched["left arm"][self.frame] == 1.0)

    def test_a_place_out_of_reach_says_how_far_it_falls_short(self) -> None:
        result = retarget(
            self.clip, self.fitting, touchups=over(Layers((layer(shift("left hand", (0, 3.0, 0))),)), self.clip)
        )
        short = result.touchups.short["left arm"]
        self.assertGreater(short[self.frame], 1.0)
        self.assertEqual(short[0], 0.0)


if __name__ == "__main__":
    unittest.main()
