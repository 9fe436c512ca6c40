"""Handing on: other rates, fewer keys, travel left as it is wanted, and every format read back by others."""

import csv
import io
import json
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from xml.etree import ElementTree

import numpy as np
from pxr import Usd, UsdGeom, UsdSkel
from scipy.spatial.transform import Rotation, Slerp

from armuto import formats
from armuto.choices import UNITS
from armuto.errors import BadInput
from armuto.export import package
from armuto.export import settings as delivery_settings
from armuto.export.insert_motion import Start, insert_motion, placed
from armuto.export.resampling import resample
from armuto.export.root_motion import apply_travel
from armuto.export.thinning import Bound, at_keys, thin
from armuto.formats import Form, gltf
from armuto.formats.collada_writer import SPACE
from armuto.intake import naming
from armuto.intake.detection import ImportOptions
from armuto.kinematics import rotation
from armuto.pipeline import transfer
from armuto.retarget import fitting
from armuto.retarget.settings import Travel
from armuto.tests import figures
from armuto.tests.files import BOW, PORTER, WALK, clip_of


def performed(path: Path = WALK):
    """A demo clip on the porter: the motion, the fitting, and the porter's document."""
    source = formats.read(path.read_bytes(), path.name)
    porter = formats.read(PORTER.read_bytes(), PORTER.name)
    fits = replace(fitting.fit(source.skeleton, porter.skeleton, source.parts, porter.parts), capsules=porter.capsules)
    return transfer(clip_of(path), fits), fits, porter


def _plain(name: str) -> str:
    return "".join(letter for letter in name if letter.isalnum())


def positions(clip) -> np.ndarray:
    return clip.world().positions


class Resampling(unittest.TestCase):
    def setUp(self):
        self.clip = figures.motion(figures.body(), np.random.default_rng(3), 61)

    def test_times_are_met_and_the_pace_is_kept(self):
        for fps, frames in ((60.0, 121), (24.0, 49), (15.0, 31), (29.97, 60), (7.0, 15)):
            made = resample(self.clip, fps)
            self.assertEqual((made.frames, made.fps), (frames, fps))
            self.assertLessEqual(made.seconds, self.clip.seconds + 1e-9)
            self.assertLess(self.clip.seconds - made.seconds, 1 / fps)
        np.testing.assert_allclose(positions(resample(self.clip, 60.0))[::2], positions(self.clip), atol=1e-12)
        np.testing.assert_allclose(positions(resample(self.clip, 15.0)), positions(self.clip)[::2], atol=1e-12)

    def test_between_frames_as_scipy_interpolates(self):
        made = resample(self.clip, 44.1)
        at = np.arange(made.frames) / 44.1
        own = np.arange(self.clip.frames) / self.clip.fps
        for joint in range(len(self.clip.skeleton)):
            want = Slerp(own, Rotation.from_quat(self.clip.rotations[:, joint]))(np.minimum(at, own[-1]))
            apart = (Rotation.from_quat(made.rotations[:, joint]).inv() * want).magnitude()
            self.assertLess(apart.max(), 1e-6)

    def test_there_and_back(self):
        back = resample(resample(self.clip, 120.0), self.clip.fps)
        np.testing.assert_allclose(positions(back), positions(self.clip), atol=1e-9)

    def test_what_is_no_rate_is_refused(self):
        for fps in (0.0, -3.0, float("nan"), float("inf")):
            with self.assertRaises(ValueError):
                resample(self.clip, fps)


class Thinning(unittest.TestCase):
    def test_within_the_bound_and_worth_it(self):
        for path in (WALK, BOW):
            clip, _, _ = performed(path)
            files = []
            for bound in (Bound(0.1, 0.0005), Bound(0.5, 0.002), Bound(3.0, 0.02)):
                keys = thin(clip, bound)
                made = at_keys(clip, keys)
                places = np.linalg.norm(positions(made) - positions(clip), axis=-1).max()
                turns = rotation.multiply(rotation.inverse(clip.rotations), made.rotations)
                self.assertLessEqual(places, bound.metres)
                self.assertLessEqual(np.degrees(rotation.angle(turns)).max(), bound.degrees)
                self.assertAlmostEqual(keys.metres, places, delta=1e-9)
                files.append(keys.kept / keys.of)
            self.assertTrue(files[0] > files[1] > files[2], files)
            self.assertLess(files[1], 0.45)

    def test_a_still_channel_has_one_key_and_a_straight_one_two(self):
        body = figures.body()
        frames, joints = 40, len(body)
        rotations = np.broadcast_to(body.rest_rotation, (frames, joints, 4)).copy()
        steady = rotation.about([0.0, 0.0, 1.0], np.linspace(0, 1.2, frames))
        rotations[:, 3] = rotation.multiply(steady, rotations[:, 3])
        root = body.rest_translation[0] + np.linspace(0, 2, frames)[:, None] * [0.0, 0.0, 1.0]
        clip = figures.Clip("steady", body, 30.0, rotations, np.array([0]), root[:, None])
        keys = thin(clip, Bound(0.01, 1e-5))
        self.assertEqual([len(at) for at in keys.rotations], [1, 1, 1, 2, *[1] * (joints - 4)])
        self.assertEqual([len(at) for at in keys.translations], [2, *[1] * (joints - 1)])

    def test_where_nothing_can_go_every_key_stays(self):
        rng = np.random.default_rng(1)
        clip = figures.motion(figures.body(), rng, 20)
        shaken = rotation.about(np.array([1.0, 0, 0]), rng.uniform(-1, 1, clip.rotations.shape[:2]))
        clip = replace(clip, rotations=rotation.multiply(shaken, clip.rotations))
        keys = thin(clip, Bound(1e-7, 1e-10))
        self.assertLessEqual(keys.metres, 1e-10)
        self.assertGreater(keys.kept, 0.45 * keys.of)


class Leaving(unittest.TestCase):
    def setUp(self):
        self.clip, self.fits, self.porter = performed()

    def test_in_place_as_if_it_had_been_made_so(self):
        settings = replace(self.fits.settings, travel=Travel(mode="in place"))
        want = transfer(clip_of(WALK), replace(self.fits, settings=settings))
        made = apply_travel(self.clip, self.fits, "in place")
        self.assertLess(np.abs(positions(made) - positions(want)).max(), 0.02)
        self.assertLess(np.ptp(positions(made)[:, 0, [0, 2]], axis=0).max(), 0.25)
        np.testing.assert_allclose(positions(made)[0], positions(self.clip)[0], atol=1e-9)

    def test_on_a_root_bone_nothing_else_moves(self):
        made = apply_travel(self.clip, self.fits, "root")
        self.assertEqual(made.skeleton.names, ("root", *self.clip.skeleton.names))
        np.testing.assert_allclose(positions(made)[:, 1:], positions(self.clip), atol=1e-9)
        self.assertGreater(np.ptp(positions(made)[:, 0, 2]), 3.0)

    def test_on_the_root_bone_that_is_there(self):
        rooted = apply_travel(self.clip, self.fits, "root")
        pairs = self.fits.pairs
        own = fitting.fit(self.fits.source, rooted.skeleton, pairs=pairs)
        made = apply_travel(replace(rooted, name="again"), own, "root")
        self.assertEqual(made.skeleton.names, rooted.skeleton.names)
        np.testing.assert_allclose(positions(made)[:, 1:], positions(rooted)[:, 1:], atol=1e-9)
        self.assertGreater(np.ptp(positions(made)[:, 0, 2]), 3.0)


class Onto(unittest.TestCase):
    def setUp(self):
        self.clip, self.fits, _ = performed()
        self.bow, _, _ = performed(BOW)

    def test_replaced_and_inserted_at_a_frame(self):
        made = insert_motion(self.clip, self.bow, 20, "replace")
        self.assertEqual(made.frames, 20 + 149)
        np.testing.assert_allclose(positions(made)[:20], positions(self.bow)[:20], atol=1e-12)
        np.testing.assert_allclose(positions(made)[20:], positions(self.clip), atol=1e-12)
        short = insert_motion(self.clip.cut(0, 9), self.bow, 20, "replace")
        self.assertEqual(short.frames, self.bow.frames)
        np.testing.assert_allclose(positions(short)[30:], positions(self.bow)[30:], atol=1e-12)
        wider = insert_motion(self.clip.cut(0, 9), self.bow, 20, "insert")
        self.assertEqual(wider.frames, self.bow.frames + 10)
        np.testing.assert_allclose(positions(wider)[30:], positions(self.bow)[20:], atol=1e-12)
        behind = insert_motion(self.clip, self.bow, self.bow.frames, "insert")
        np.testing.assert_allclose(positions(behind)[self.bow.frames :], positions(self.clip), atol=1e-12)

    def test_in_the_rate_and_the_order_of_what_is_there(self):
        there = resample(self.bow, 60.0)
        made = insert_motion(self.clip, there, 0)
        self.assertEqual((made.fps, made.frames), (60.0, 297))
        rooted = apply_travel(self.bow, self.fits, "root")
        made = insert_motion(self.clip, rooted, 5)
        want = positions(made)[5 : 5 + 40, 1:]
        # The root bone that only the other has goes on carrying its own travel.
        self.assertEqual(want.shape, positions(self.clip)[:40].shape)
        with self.assertRaisesRegex(ValueError, "there is no bone “root” on it"):
            insert_motion(rooted, self.clip, 0)
        for at, how in ((-1, "replace"), (self.bow.frames + 1, "insert"), (0, "over")):
            with self.assertRaises(ValueError):
                insert_motion(self.clip, self.bow, at, how)

    def test_relative_to_a_start(self):
        start = Start(2.0, -1.0, 90.0)
        made = placed(self.clip, self.fits, start)
        hips = positions(made)[:, 0]
        np.testing.assert_allclose(hips[0, [0, 2]], [2.0, -1.0], atol=0.05)
        # It walked along +Z, and now along +X, over the same way and at the same height.
        way, before = hips[-1] - hips[0], positions(self.clip)[-1, 0] - positions(self.clip)[0, 0]
        self.assertAlmostEqual(np.linalg.norm(way), np.linalg.norm(before), places=9)
        self.assertGreater(way[0], 0.95 * np.linalg.norm(way))
        np.testing.assert_allclose(positions(made)[..., 1], positions(self.clip)[..., 1], atol=1e-9)


class Parcels(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.clip, cls.fits, cls.porter = performed()
        cls.bow, cls.fits_bow, _ = performed(BOW)

    def result(self, name: str = "walk", clip=None) -> package.Result:
        about = {"revision": 1, "findings": []}
        return package.Result("porter", name, clip or self.clip, self.fits, "porter", self.porter, about)

    def packed(self, *results, **wanted) -> list[package.File]:
        settings = delivery_settings.settings_from_json(wanted)
        rows = results or (self.result(),)
        facts = [(row.character, naming.facts(row.name)) for row in rows]
        names = package.file_names(settings, naming.AS_IT_CAME, facts)
        return list(package.pack(zip(names, rows, strict=True), settings))

    def read(self, file: package.File, **options):
        return formats.read(file.content, file.name, ImportOptions(**options))

    def same(self, document, want=None, within: float = 1e-4):
        """The joints of what was read, by name, are where they were."""
        want = want or self.clip
        clip = document.clips[0]
        # Some formats take marks out of names.
        index = {_plain(name): joint for name, joint in document.skeleton.index.items()}
        order = [index[_plain(name)] for name in want.skeleton.names]
        self.assertEqual(clip.frames, want.frames)
        self.assertLess(np.abs(positions(clip)[:, order] - positions(want)).max(), within)

    def test_each_format_with_and_without_its_mesh(self):
        for kind in ("glb", "dae", "usd"):
            for mesh in (True, False):
                with self.subTest(kind, mesh=mesh):
                    (file,) = self.packed(kind=kind, mesh=mesh)
                    document = self.read(file)
                    self.assertEqual((document.skinned, document.bounds is not None), (mesh, mesh))
                    self.same(document)
        small, large = (len(self.packed(mesh=mesh)[0].content) for mesh in (False, True))
        self.assertLess(small, 0.8 * large)

    def test_units_and_axes_where_the_format_leaves_them_open(self):
        for unit in ("cm", "m", "inch"):
            for up in ("+Y", "+Z", "-X"):
                with self.subTest(unit, up=up):
                    (file,) = self.packed(kind="bvh", unit=unit, up=up)
                    self.same(self.read(file, unit=unit, up=up))

    def test_units_and_axes_that_the_format_declares(self):
        for kind, ups in (("dae", ("+Y", "+Z", "+X")), ("usd", ("+Y", "+Z"))):
            for unit, up in zip(("cm", "m", "inch"), ups, strict=False):
                with self.subTest(kind, unit=unit, up=up):
                    (file,) = self.packed(kind=kind, unit=unit, up=up, mesh=unit == "m")
                    # The file says both itself, so that it reads back as it was without being told.
                    self.same(self.read(file))
                    self.assertEqual(self.declared(file.content, kind), (UNITS[unit], up))

    def declared(self, content: bytes, kind: str) -> tuple[float, str]:
        if kind == "dae":
            asset = ElementTree.fromstring(content).find(f"{{{SPACE}}}asset")
            unit, up = asset.find(f"{{{SPACE}}}unit"), asset.find(f"{{{SPACE}}}up_axis")
            return float(unit.get("meter")), f"+{up.text[0]}"
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "x.usdc"
            path.write_bytes(content)
            stage = Usd.Stage.Open(str(path))
            return UsdGeom.GetStageMetersPerUnit(stage), f"+{UsdGeom.GetStageUpAxis(stage)}"

    def test_values_are_turned_with_the_axes(self):
        """A root's height is its third number in a file that says Z is up, in its own unit."""
        (file,) = self.packed(kind="usd", unit="cm", up="+Z", mesh=False)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "x.usdc"
            path.write_bytes(file.content)
            stage = Usd.Stage.Open(str(path))
            animation = next(UsdSkel.Animation(prim) for prim in stage.Traverse() if prim.IsA(UsdSkel.Animation))
            names = list(animation.GetJointsAttr().Get())
            moved = np.array(animation.GetTranslationsAttr().Get(stage.GetStartTimeCode()))
        hips = min(range(len(names)), key=lambda n: names[n].count("/"))
        want = positions(self.clip)[0, 0] * 100
        np.testing.assert_allclose(moved[hips], [want[0], -want[2], want[1]], atol=0.01)

    def test_positions_as_numbers(self):
        (file,) = self.packed(kind="csv", unit="m", up="+Z", first=1001)
        rows = list(csv.reader(io.StringIO(file.content.decode())))
        self.assertEqual(rows[0][:5], ["frame", "seconds", *(f"{self.clip.skeleton.names[0]} {a}" for a in "xyz")])
        self.assertEqual([row[0] for row in rows[1:4]], ["1001", "1002", "1003"])
        values = np.array(rows[1:], float)[:, 2:].reshape(self.clip.frames, -1, 3)
        # Z up: what is our height is the third number.
        want = positions(self.clip)
        np.testing.assert_allclose(values[..., 2], want[..., 1], atol=1e-5)
        np.testing.assert_allclose(np.linalg.norm(values, axis=-1), np.linalg.norm(want, axis=-1), atol=1e-4)

    def test_thinned_within_what_the_manifest_says(self):
        (file,) = self.packed(thinned={"degrees": 1.0, "centimetres": 0.5})
        thinned = file.rows[0]["thinned"]
        self.assertLess(thinned["keys"], 0.4 * thinned["of"])
        held = gltf.parse(file.content, file.name)
        inputs = {row["sampler"]: row for row in held.json["animations"][0]["channels"]}
        self.assertEqual(len(inputs), 2 * len(self.clip.skeleton))
        self.same(self.read(file), within=thinned["centimetres"] / 100 + 1e-4)
        self.assertLessEqual(thinned["centimetres"], 0.5)

    def test_another_rate_and_another_first_frame(self):
        (file,) = self.packed(fps=60, first=24)
        row = file.rows[0]
        self.assertEqual((row["frames"], row["fps"], row["first"]), (297, 60, 24))
        held = gltf.parse(file.content, file.name)
        times = held.json["accessors"][held.json["animations"][0]["samplers"][0]["input"]]
        self.assertAlmostEqual(times["min"][0], 24 / 60, places=6)

    def test_all_clips_of_a_character_in_one_file(self):
        (file,) = self.packed(self.result(), self.result("bow", self.bow), together=True)
        document = self.read(file)
        self.assertEqual((file.name, [clip.name for clip in document.clips]), ("porter.glb", ["walk", "bow"]))
        self.assertEqual([row["frames"] for row in file.rows], [149, 127])
        self.assertEqual(len({row["sha256"] for row in file.rows}), 1)

    def test_names_never_clash_and_say_where_they_would(self):
        settings = delivery_settings.DeliverySettings()
        rule = naming.Rule((naming.Field("action"),))
        rows = [
            ("porter", naming.facts("walk_01.bvh")),
            ("porter", naming.facts("walk_02.bvh")),
            ("keeper", naming.facts("bow.bvh")),
        ]
        self.assertEqual(package.file_names(settings, rule, rows), ["walk.glb", "walk 2.glb", "bow.glb"])
        self.assertEqual(package.clashing(settings, rule, rows), {0, 1})
        rule = naming.Rule((naming.Field("character"), naming.Word(" "), naming.Field("original")))
        self.assertEqual(package.file_names(settings, rule, rows)[2], "keeper bow.glb")
        self.assertEqual(package.clashing(settings, rule, rows), set())

    def test_the_manifest_reads_back(self):
        (file,) = self.packed(kind="bvh", fps=24)
        settings = delivery_settings.settings_from_json({"kind": "bvh", "fps": 24})
        tree = json.loads(json.dumps(package.manifest(file.rows, settings, name="night")))
        self.assertEqual((tree["armuto_delivery"], tree["name"], tree["results"][0]["file"]), (1, "night", "walk.bvh"))
        self.assertEqual(delivery_settings.settings_from_json(tree["wanted"]), settings)
        self.assertEqual(tree["results"][0]["settings"].get("hold", 1.0), 1.0)

    def test_what_cannot_be_meant_is_refused(self):
        for wanted, words in (
            ({"kind": "pdf"}, "kind: “pdf” is not one of glb"),
            ({"speed": 2}, "no option “speed”"),
            ({"fps": 0}, "fps: 0 is not from 1 to 480"),
            ({"fps": True}, "fps: True is not a number"),
            ({"first": -1}, "first: -1 is not from 0 to 1,000,000"),
            ({"mesh": "yes"}, "mesh: 'yes' is neither true nor false"),
            ({"thinned": {"degrees": 0, "centimetres": 1}}, "thinned, degrees: 0 is not from"),
            ({"thinned": 3}, "damaged at thinned"),
            ({"travel": "sideways"}, "travel: “sideways” is not one of"),
            ({"kind": "usd", "up": "+X"}, "usd cannot say that +X is up"),
            ({"kind": "dae", "up": "-Y"}, "dae cannot say that -Y is up"),
        ):
            with self.subTest(wanted), self.assertRaises(BadInput) as caught:
                delivery_settings.settings_from_json(wanted)
            self.assertIn(words, str(caught.exception))

    def test_a_form_by_itself(self):
        data = formats.write([self.clip], self.porter, "usd", form=Form(first=7))
        self.same(formats.read(data, "x.usd"))
