"""Ensembles from files and into files: who is in a recording, where they meet, and what is written."""

import json
import re
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
import pygltflib

from armuto import formats
from armuto.ensembles import model
from armuto.ensembles.casting import read_recording
from armuto.ensembles.files import at_origin, ensemble_file
from armuto.ensembles.model import Casting, Ensemble, Performer
from armuto.ensembles.pipeline import perform_ensemble
from armuto.ensembles.splitting import read_split, side_by_side, split
from armuto.errors import BadInput
from armuto.formats import Form, bvh, gltf
from armuto.intake.recording import calibration
from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip
from armuto.kinematics.skeleton import Skeleton
from armuto.tests.ensembles import TAKES, demo_figure, gaps, recorded
from armuto.tests.files import BOW, DEMO, PORTER, WALK, clip_of
from armuto.tests.test_cli import run
from demo import ensembles as museum

LADDER = TAKES / "carry_the_ladder.bvh"
HALL = DEMO / "hall"


def forest(clips: dict[str, Clip]) -> Clip:
    """Clips of the same length as one, each skeleton with a name before its joints' names."""
    names, parents, offsets, rests, turns, places = [], [], [], [], [], []
    for name, clip in clips.items():
        start, body = len(names), clip.skeleton
        names += [f"{name}_{joint}" for joint in body.names]
        parents += [int(parent) + start if parent >= 0 else -1 for parent in body.parents]
        offsets.append(body.rest_translation)
        rests.append(body.rest_rotation)
        turns.append(clip.rotations)
        places.append(clip.all_translations())
    tree = Skeleton(tuple(names), np.array(parents), np.concatenate(offsets), np.concatenate(rests))
    (fps,) = {clip.fps for clip in clips.values()}
    moving = np.arange(len(names))
    return Clip("together", tree, fps, np.concatenate(turns, axis=1), moving, np.concatenate(places, axis=1))


class Splitting(unittest.TestCase):
    def test_a_bvh_with_several_roots_is_taken_apart_in_its_common_space(self) -> None:
        for take in museum.takes():
            with self.subTest(take.name):
                parts = split(museum.take_file(take), f"{take.name}.bvh")
                found = read_split(parts)
                self.assertEqual(set(found.performers), set(take.performers))
                self.assertEqual(set(found.things), set(take.things))
                for who, document in found.performers.items():
                    self.assertEqual(document.skeleton.names[0], "Hips")
                    self.assertEqual(calibration(document.clips[0]).frames, 2)
                    off = document.clips[0].world().positions[2:, 0] - take.performers[who].world().positions[:, 0]
                    self.assertLess(np.abs(off).max(), 1e-4)
                for thing, document in found.things.items():
                    off = document.clips[0].world().positions[2:, 0] - take.things[thing][0]
                    self.assertLess(np.abs(off).max(), 1e-4)

    def test_several_trees_in_other_formats(self) -> None:
        performers = dict(next(iter(museum.takes())).performers)
        whole = forest(performers)
        under_one = Skeleton(
            ("everything", *whole.skeleton.names),
            np.concatenate([[-1], whole.skeleton.parents + 1]),
            np.concatenate([np.zeros((1, 3)), whole.skeleton.rest_translation]),
            np.concatenate([rotation.IDENTITY[None], whole.skeleton.rest_rotation]),
        )
        still = np.tile(rotation.IDENTITY, (whole.frames, 1, 1))
        places = np.concatenate([np.zeros((whole.frames, 1, 3)), whole.all_translations()], axis=1)
        turns = np.concatenate([still, whole.rotations], axis=1)
        carried = Clip("together", under_one, whole.fps, turns, np.arange(len(under_one)), places)
        glb = gltf.skeleton_only(whole.skeleton, [whole])
        document = formats.read(glb, "together.glb")
        files = {
            "together.glb": glb,
            "carried.glb": gltf.skeleton_only(under_one, [carried]),
            "together.dae": formats.write(document.clips, document, "dae"),
            "together.usda": formats.write(document.clips, document, "usd"),
        }
        for name, data in files.items():
            with self.subTest(name):
                found = read_split(split(data, name))
                self.assertEqual(set(found.performers), set(performers))
                for who, row in found.performers.items():
                    off = row.clips[0].world().positions[:, 0] - performers[who].world().positions[:, 0]
                    self.assertLess(np.abs(off).max(), 1e-4)

    def test_one_body_is_no_ensemble(self) -> None:
        for path in (WALK, PORTER, DEMO / "gallery" / "greet.glb", DEMO / "yard" / "trot.bvh"):
            self.assertEqual(split(path.read_bytes(), path.name), (), path.name)
        text = WALK.read_bytes()
        with self.assertRaises(BadInput):
            split(text[: len(text) // 2], "cut.bvh")

    def test_the_bones_and_the_controls_of_one_figure_are_one_body(self) -> None:
        (rear, *_) = next(iter(museum.takes())).performers.values()
        twice = forest({"bones": rear, "controls": rear})
        self.assertEqual(split(gltf.skeleton_only(twice.skeleton, [twice]), "rig.glb"), ())
        resting = replace(twice, moving=np.zeros(0, np.int64), translations=np.zeros((twice.frames, 0, 3)))
        self.assertEqual(split(gltf.skeleton_only(resting.skeleton, [resting]), "rig.glb"), ())

    def test_names_without_prefixes_are_numbered(self) -> None:
        file = bvh.parse(LADDER.read_bytes(), LADDER.name)
        bare = replace(file, joints=tuple(replace(joint, name=joint.name.rpartition(":")[2]) for joint in file.joints))
        parts = split(bvh.serialise(bare), "bare.bvh")
        self.assertEqual([part.name for part in parts], ["performer 1", "performer 2", "ladder"])

    def test_another_unit_and_up_axis_is_the_same_for_all(self) -> None:
        file = bvh.parse(LADDER.read_bytes(), LADDER.name)

        def ten(values):
            return tuple(10 * value for value in values)

        joints = tuple(replace(row, offset=ten(row.offset), ends=tuple(map(ten, row.ends))) for row in file.joints)
        motion = file.motion.copy()
        for joint, start in zip(file.joints, file.columns, strict=True):
            for column, _ in joint.positions:
                motion[:, start + column] *= 10
        found = read_split(split(bvh.serialise(bvh.BvhFile(joints, file.frame_time, motion)), "millimetres.bvh"))
        same = read_split(split(LADDER.read_bytes(), LADDER.name))
        rows, others = ({**part.performers, **part.things} for part in (found, same))
        self.assertEqual(list(rows), list(others))
        for who, row in rows.items():
            other = others[who]
            self.assertAlmostEqual(row.skeleton.file_frame.unit, 0.001, msg=who)
            off = row.clips[0].world().positions[:, 0] - other.clips[0].world().positions[:, 0]
            self.assertLess(np.abs(off).max(), 1e-4)

    def test_takes_side_by_side_are_recognised_by_name_length_and_space(self) -> None:
        clips = [clip_of(path).renamed(path.stem) for path in sorted(HALL.glob("*.bvh"))]
        (group,) = side_by_side(clips)
        self.assertEqual(group.name, "hand over the crate")
        self.assertEqual([name for _, name in group.members], ["giver", "receiver"])
        pair = [clips[number] for number, _ in group.members]
        self.assertEqual(side_by_side([pair[0], pair[1].cut(0, 100)]), ())
        self.assertEqual(side_by_side([pair[0], pair[0].renamed("hand over the crate nobody")]), ())
        paths = HALL / "push_the_cart.bvh", TAKES / "push_the_cart_steadier.bvh"
        cart = [clip_of(path).renamed(path.stem) for path in paths]
        self.assertEqual([name for _, name in side_by_side(cart)[0].members], ["push the cart", "steadier"])


class Meetings(unittest.TestCase):
    def test_who_meets_whom_and_when(self) -> None:
        def hands(prop, *who, sides=("left", "right")):
            return {(name, f"{side} hand", prop, "") for name in who for side in sides}

        rows = {
            "shake hands": {("coming", "right hand", "leaving", "right hand")},
            "hand over the crate": hands("crate", "giver", "receiver"),
            "wind the great clock": hands("crank", "near", "far"),
            "carry the ladder": hands("ladder", "rear", "ahead", sides=("right",)),
            "push the cart": hands("cart", "pusher") | hands("cart", "steadier", sides=("right",)),
            "sit down": {("sitter", "hips", "bench", "")},
        }
        for name, expected in rows.items():
            with self.subTest(name):
                found = recorded(name).recording.meetings
                self.assertEqual({(row.a.who, row.a.part, row.b.who, row.b.part) for row in found}, expected)
        (shake,) = recorded("shake hands").recording.meetings
        # The palms are together from 1.4 s to 2.9 s of the take, which begins two frames later.
        self.assertLess(abs(shake.first - 44), 5)
        self.assertLess(abs(shake.last - 89), 8)

    def test_whoever_passes_by_meets_nobody(self) -> None:
        walk = clip_of(WALK)
        path = walk.translations.copy()
        path[:, 0, 0] += 0.75
        other = replace(walk, translations=path)
        row = recorded("shake hands")
        fitting = row.own["leaving"]
        ensemble = Ensemble("side by side", (Performer("a", "a"), Performer("b", "b")))
        recording = read_recording(ensemble, {"a": walk, "b": other}, {"a": fitting, "b": fitting})
        self.assertEqual(recording.meetings, ())


class Values(unittest.TestCase):
    def test_the_json_form_is_read_back(self) -> None:
        for ensemble in museum.ensembles():
            self.assertEqual(model.from_json(json.loads(json.dumps(model.to_json(ensemble)))), ensemble)

    def test_what_is_wrong_is_said_in_one_sentence(self) -> None:
        two = [{"name": "a", "clip": "x"}, {"name": "b", "clip": "y"}]
        box = {"kind": "box", "size": [1, 1, 1]}
        left, right = ({"who": who, "part": "left hand"} for who in "ab")
        meeting = {"first": 0, "last": 5, "a": left, "b": right}
        flat = {"name": "p", "shapes": [{**box, "size": [0, 1, 1]}]}
        held = {"name": "p", "shapes": [box], "handles": {"grip": [0, 0.5, 0]}}
        thing = {"name": "e", "performers": two, "props": [held]}
        stretch = {"first": 0, "last": 5}
        for table, sentence in (
            ([], "a list, “performers”"),
            ({"name": "e", "performers": []}, "1 to 12 performers"),
            ({"name": "e", "performers": [two[0], two[0]]}, "“a” stands for two"),
            ({"name": "", "performers": two}, "a name has 1 to 120 letters"),
            ({"name": "e", "performers": two, "lights": 3}, "no value “lights”"),
            ({"name": "e", "performers": two, "props": [{"name": "a", "shapes": [box]}]}, "“a” stands for two"),
            ({"name": "e", "performers": two, "props": [{"name": "p", "shapes": []}]}, "1 to 200 shapes"),
            (
                {"name": "e", "performers": two, "props": [flat]},
                "0 is not from",
            ),
            ({"name": "e", "performers": two, "meetings": [{**meeting, "last": -1}]}, "before it begins"),
            (
                {"name": "e", "performers": two, "meetings": [{**meeting, "b": {"who": "c"}}]},
                "no performer or prop",
            ),
            ({"name": "e", "performers": two, "meetings": [{**meeting, "b": {"who": "b"}}]}, "say which"),
            ({**thing, "meetings": [{**meeting, "b": {"who": "p", "part": "rim"}}]}, "“p” has no handle “rim”"),
            ({**thing, "meetings": [{**meeting, "a": {"who": "p", "part": "grip"}}]}, "stands on the second side"),
            ({**thing, "props": [{**held, "carried": [{**stretch, "by": [{"who": "p"}]}]}]}, "only performers carry"),
            ({**thing, "props": [{**held, "handles": {"": [0, 0, 0]}}]}, "a name has 1 to 120 letters"),
            ({"name": "e", "performers": two, "meetings": [{**meeting, "b": meeting["a"]}]}, "cannot meet itself"),
            ({"name": "e", "performers": two, "meetings": [{**meeting, "strength": 2}]}, "2 is not from 0 to 1"),
            ({"name": "e", "performers": two, "first": 9, "last": 3}, "before it begins"),
        ):
            with self.subTest(sentence), self.assertRaises(ValueError) as caught:
                model.from_json(table)
            self.assertIn(sentence, str(caught.exception))
            self.assertNotIn("\n", str(caught.exception))
        for content in (b"{", b"\xff\xfe", b"[" * 100_000):
            with self.assertRaisesRegex(BadInput, "it is no JSON|recursion"):
                model.from_file(content, "e.json")


class Written(unittest.TestCase):
    def test_all_in_one_file_is_read_back_by_others_with_the_same_positions(self) -> None:
        row = recorded("hand over the crate")
        result = perform_ensemble(row.recording, row.cast("porter", "bellringer"))
        figures = {"giver": demo_figure("porter"), "receiver": demo_figure("bellringer")}
        data = ensemble_file(result, figures)
        held = pygltflib.GLTF2.load_from_bytes(data)
        self.assertEqual([animation.name for animation in held.animations], ["hand over the crate"])
        tops = [node.name for node in (held.nodes[number] for number in held.scenes[0].nodes) if node.skin is None]
        self.assertEqual(tops, ["giver", "receiver", "crate"])
        self.assertEqual(len(held.skins), 2)
        whole = formats.read(data, "all.glb")
        self.assertEqual(whole.skeleton.file_frame.unit, 1.0)
        found = read_split(split(data, "all.glb"))
        self.assertEqual(list(found.performers), ["giver", "receiver"])
        for document, (who, clip) in zip(found.performers.values(), result.clips.items(), strict=True):
            places = document.clips[0].world().positions
            own = clip.world().positions
            shared = [name for name in clip.skeleton.names if name in document.skeleton.index]
            self.assertGreater(len(shared), 15)
            for name in shared:
                off = places[:, document.skeleton.index[name]] - own[:, clip.skeleton.index[name]]
                self.assertLess(np.abs(off).max(), 1e-4, (who, name))
        self.assertLess(np.abs(_translations(held, "crate") - result.props["crate"].positions).max(), 1e-6)

    def test_all_in_one_usd_has_everybody_by_name_in_the_same_places(self) -> None:
        row = recorded("carry the ladder")
        result = perform_ensemble(row.recording, row.cast("keeper", "bellringer"))
        figures = {"rear": demo_figure("keeper"), "ahead": demo_figure("bellringer")}
        for form in (Form(), Form(unit=0.01, up="+Z")):
            found = read_split(split(ensemble_file(result, figures, "usd", form), "all.usd"))
            self.assertEqual((list(found.performers), list(found.things)), (["rear", "ahead"], ["ladder"]))
            # The bellringer's own file is in centimetres, which costs it nothing.
            for who, document in found.performers.items():
                own, clip = document.clips[0], result.clips[who]
                names = [re.sub(r"\W", "_", name) for name in own.skeleton.names]
                order = [names.index(re.sub(r"\W", "_", name)) for name in clip.skeleton.names]
                off = own.world().positions[:, order] - clip.world().positions
                self.assertLess(np.abs(off).max(), 2e-5, (who, form))
            ladder = found.things["ladder"].clips[0].world().positions[:, -1]
            self.assertLess(np.abs(ladder - result.props["ladder"].positions).max(), 2e-5)
        with self.assertRaisesRegex(BadInput, r"\.dae holds no more than one figure; take \.glb or \.usd"):
            ensemble_file(result, figures, "dae")

    def test_props_at_another_frame_rate_are_where_they_were(self) -> None:
        row = recorded("wind the great clock")
        motion = row.recording.props["crank"]
        half = motion.resampled(30.0, 15.0)
        np.testing.assert_allclose(half.positions, motion.positions[::2], atol=1e-9)
        self.assertLess(float(rotation.angle_apart(half.rotations, motion.rotations[::2]).max()), 1e-6)
        twice = motion.resampled(30.0, 60.0)
        np.testing.assert_allclose(twice.positions[::2], motion.positions, atol=1e-9)

    def test_at_the_origin_with_where_it_starts_said(self) -> None:
        row = recorded("shake hands")
        result = perform_ensemble(row.recording, row.cast("porter", "keeper"))
        for who, clip in result.clips.items():
            actor = result.actors[who]
            moved, start = at_origin(clip, actor.fitting)
            hips = actor.context.hips
            self.assertLess(np.abs(moved.world().positions[0, hips, [0, 2]]).max(), 1e-9)
            back = rotation.about([0, 1, 0], np.radians(start.degrees))
            there = rotation.rotate(np.broadcast_to(back, (clip.frames, 4)), moved.world().positions[:, hips])
            off = there + [start.x, 0, start.z] - clip.world().positions[:, hips]
            self.assertLess(np.abs(off).max(), 1e-4)
        self.assertAlmostEqual(abs(start.degrees), 180.0, delta=15.0)

    def test_sizes_that_are_said(self) -> None:
        row = recorded("hand over the crate")
        result = perform_ensemble(row.recording, row.cast("porter", "keeper"), Casting("c", {}, sizes={"crate": 1.2}))
        self.assertEqual(result.sizes["crate"], 1.2)
        self.assertLess(max(gaps(result)), 0.005)


def _translations(held: pygltflib.GLTF2, name: str) -> np.ndarray:
    """The keys of a node's translation, by a reader that is not ours."""
    node = max(number for number, row in enumerate(held.nodes) if row.name == name and row.mesh is not None)
    channel = next(
        row for row in held.animations[0].channels if (row.target.node, row.target.path) == (node, "translation")
    )
    accessor = held.accessors[held.animations[0].samplers[channel.sampler].output]
    view = held.bufferViews[accessor.bufferView]
    start = (view.byteOffset or 0) + (accessor.byteOffset or 0)
    return np.frombuffer(held.binary_blob(), "<f4", accessor.count * 3, start).reshape(-1, 3)


class EnsembleCommand(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def ensemble(self, *arguments, code: int = 0):
        done = run("ensemble", *arguments)
        self.assertEqual(done.returncode, code, done.stderr)
        return done

    def test_who_is_in_a_file_and_where_they_meet(self) -> None:
        text = self.ensemble(TAKES / "shake_hands.bvh").stdout
        self.assertIn("leaving: frames 2 to 134", text)
        self.assertIn("the right hand of coming and the right hand of leaving", text)
        described = json.loads(self.ensemble(*sorted(HALL.glob("hand_over*")), "--json").stdout)
        self.assertEqual([row["name"] for row in described["performers"]], ["giver", "receiver"])
        self.assertEqual(described["first"], 2)

    def test_a_casting_is_written_in_one_file_or_a_file_each(self) -> None:
        files = (LADDER, "--ensemble", TAKES / "carry_the_ladder.json")
        cast = ("--cast", f"rear={DEMO / 'keeper.glb'}", "--cast", f"ahead={PORTER}")
        answer = json.loads(self.ensemble(*files, *cast, "--json", "-o", self.folder / "all.glb").stdout)
        self.assertTrue(all(row["gap"] < 0.005 for row in answer["meetings"]))
        parts = split((self.folder / "all.glb").read_bytes(), "all.glb")
        self.assertEqual([part.name for part in parts], ["rear", "ahead"])
        answer = json.loads(self.ensemble(*files, *cast, "--origin", "--json", "-o", self.folder / "each").stdout)
        self.assertEqual([row["performers"] for row in answer["written"]], [["rear"], ["ahead"]])
        self.assertGreater(answer["written"][1]["start"]["z"], 1.0)
        self.assertEqual(len(list((self.folder / "each").iterdir())), 2)

    def test_what_is_wrong_is_said_in_one_sentence(self) -> None:
        out = ("-o", self.folder / "x.glb")
        bad = self.folder / "bad.json"
        bad.write_text('{"performers": 3}')
        both = ("--cast", f"rear={PORTER}", "--cast", f"ahead={PORTER}")
        for arguments, sentence in (
            ((BOW, "--cast", "nobody=x.glb", *out), "the performers are bow"),
            ((LADDER, "--cast", f"rear={PORTER}", *out), "nobody plays ahead"),
            ((LADDER, *both), "with -o"),
            (
                (LADDER, *both, "-o", self.folder / "x.bvh"),
                "name a folder",
            ),
            ((LADDER, "--ensemble", bad), "a list, “performers”"),
            ((BOW, "--ensemble", TAKES / "shake_hands.json"), "is in none of the files"),
            (
                (LADDER, *both, "--space", "0", *out),
                "is not from 0.01",
            ),
            ((LADDER, *both, "--size", "ladder", *out), "PROP=RATIO"),
        ):
            with self.subTest(sentence):
                done = self.ensemble(*arguments, code=2)
                self.assertIn(sentence, done.stderr)
                self.assertEqual(len(done.stderr.strip().splitlines()), 1, done.stderr)
