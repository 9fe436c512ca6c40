"""Castings as cells of the board: performed by runs, out of date by comparison, judged, delivered in three ways."""

import io
import json
import tempfile
import zipfile
from pathlib import Path

import numpy as np
from pxr import Usd, UsdGeom, UsdSkel

from armuto import formats
from armuto.intake.detection import ImportOptions
from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip
from armuto.tests.ensembles import TAKES
from studio.ensembles.models import Casting, Ensemble
from studio.ensembles.queries import performance_of
from studio.fittings.models import Fitting
from studio.renditions import worker
from studio.renditions.models import PerformerMotion, Rendition, Revision, RunItem
from studio.tests.test_delivered_files import node, plain
from studio.tests.test_ensembles import EnsembleCase
from studio.tests.test_renditions import WAITING
from studio.verification import damages

NAME = "hand over the crate"
FRAMES = (0, 70, 138)


class CastEnsemble(EnsembleCase):
    """The crate is handed from the porter to the bellringer, performed by nobody yet."""

    def prepare(self):
        super().prepare()
        row = Ensemble.objects.get()
        row.data = {"props": json.loads((TAKES / "hand_over_the_crate.json").read_text())["props"]}
        row.save()
        roles = {"giver": self.porter.pk, "receiver": self.ringer.pk}
        self.post(f"ensembles/{row.pk}/castings", cast=roles, name="first night")

    def setUp(self):
        super().setUp()
        self.casting = Casting.objects.get()

    def cell(self) -> dict | None:
        return self.get(f"renditions/cell?casting_id={self.casting.pk}")

    def performed(self) -> dict:
        self.transfer(self.casting.pk)
        return self.cell()

    def state(self) -> int:
        (mark,) = self.get("board/")["castings"]
        self.assertEqual((mark["id"], mark["ensemble_id"]), (self.casting.pk, self.row.pk))
        return mark["state"]

    def word(self) -> str:
        return self.get("board/")["words"][self.state() & 15]

    def weighed(self, action: str) -> int:
        return self.plan(action, [self.casting.pk])["count"]


class Cells(CastEnsemble):
    def test_a_run_performs_it_for_everybody_as_the_view_shows_it(self):
        self.assertEqual((self.word(), self.cell(), self.weighed("transfer")), ("not yet", None, 1))
        run = self.transfer(self.casting.pk)
        self.assertEqual((run["title"], run["total"]), (f"{NAME} by first night", 1))
        row = self.cell()
        self.assertEqual((row["clip"], row["character"], row["casting_id"]), (NAME, "first night", self.casting.pk))
        self.assertEqual((row["clip_id"], row["fitting_id"], row["ensemble_id"]), (None, None, self.row.pk))
        made = row["newest"]["casting"]
        self.assertEqual([each["name"] for each in made["performers"]], ["giver", "receiver"])
        self.assertEqual([each["character_id"] for each in made["performers"]], [self.porter.pk, self.ringer.pk])
        self.assertEqual([(prop["name"], len(prop["shapes"]) > 0) for prop in made["props"]], [("crate", True)])
        self.assertEqual((made["first"], row["newest"]["frames"]), (2, 139))
        shown = self.get(f"ensembles/castings/{self.casting.pk}/measures")
        self.assertEqual(made["measures"], shown)
        kept, live = (
            self.blocks(path)
            for path in (f"renditions/{row['id']}/motion", f"ensembles/castings/{self.casting.pk}/motion")
        )
        self.assertEqual([block.shape for block in kept], [block.shape for block in live])
        for a, b in zip(kept, live, strict=True):
            np.testing.assert_allclose(a, b, atol=3e-6)
        (item,) = self.get(f"runs/{run['id']}/items")
        self.assertEqual(
            (item["clip"], item["character"], item["grade"]), (NAME, "first night", row["newest"]["grade"])
        )
        self.assertEqual(list(damages()), [])

    def test_findings_say_who_misses_what(self):
        self.change(f"ensembles/castings/{self.casting.pk}", placements={"giver": [{"frame": 2, "at": [0.0, -4.0]}]})
        row = self.performed()
        self.assertEqual((row["state"], row["newest"]["grade"]), ("wrong", "wrong"))
        texts = [finding["text"] for finding in row["newest"]["findings"]]
        self.assertIn("and the crate miss each other by", texts[0])
        self.assertTrue(any(text.startswith("Receiver: the left heel is pulled") for text in texts), texts)
        (queued,) = self.post("renditions/queue")
        self.assertEqual((queued["clip"], queued["character"]), (NAME, "first night"))
        self.assertIn(queued["worst"], texts)
        self.assertGreater(queued["rank"], 200)

    def test_it_is_out_of_date_with_whatever_it_is_made_of(self):
        porters = Fitting.objects.get(character=self.porter)
        clip = self.clips[0]
        changes = (
            lambda: self.change(f"ensembles/castings/{self.casting.pk}", sizes={"crate": 0.8}),
            lambda: self.change(performers={"receiver": {"shift": 1}}),
            lambda: self.post(f"fittings/{porters.pk}/settings", settings={"hold": 0.4}),
            lambda: self.send("patch", f"library/clips/{clip.pk}", last=120),
        )
        for number, change in enumerate(changes):
            with self.subTest(number):
                self.performed()
                self.assertNotEqual(self.word(), "out of date")
                self.assertEqual(self.weighed("update"), 0)
                change()
                self.assertEqual((self.word(), self.weighed("update")), ("out of date", 1))
                self.assertEqual(len(self.cell()["changed"]), 1)
                self.post("board/transfer", 202, cells=[self.casting.pk], update=True)
                self.assertEqual(self.cell()["changed"], [])
        # The newest, and the one before it to be compared with.
        row = Rendition.objects.get()
        self.assertEqual([made.number for made in row.revisions.all()], [7, 8])
        a, b = (made.pk for made in row.revisions.all())
        apart = self.get(f"renditions/{row.pk}/difference?a={a}&b={b}")
        self.assertEqual(len(apart), min(made.frames for made in row.revisions.all()))
        self.assertEqual(PerformerMotion.objects.count(), 4)

    def test_it_is_judged_and_that_is_taken_back(self):
        row = self.performed()
        before = self.post("board/accept", cells=[self.casting.pk])
        self.assertEqual((self.word(), self.state() & 16, self.weighed("accept")), ("accepted", 16, 0))
        # Performed anew to the last digit, it stays accepted.
        self.transfer(self.casting.pk)
        self.assertEqual(self.word(), "accepted")
        self.post("board/restore", rows=before)
        self.assertNotEqual(self.word(), "accepted")
        self.post(f"renditions/{row['id']}/send-back", note="The crate is held too low.")
        self.assertEqual(self.state() & 32, 32)
        self.post("board/retire", cells=[self.casting.pk])
        self.assertEqual((self.word(), self.cell()["newest"]), ("not yet", None))
        self.assertEqual(self.post("renditions/queue", cells=[self.casting.pk]), [])

    def test_runs_of_castings_beside_clips_stop_and_fail_with_a_sentence(self):
        walk = self.clips[0]
        with self.settings(TASKS=WAITING):
            run = self.transfer((walk.pk, self.porter.pk), self.casting.pk)
            self.assertIn("first night", run["title"])
            self.post("runs/first", 204, cells=[self.casting.pk])
            begun = worker.take_next()
            self.assertEqual(begun.rendition.casting_id, self.casting.pk)
            self.assertEqual((self.word(), self.weighed("transfer")), ("running", 0))
            self.post(f"runs/{run['id']}/stop")
            worker.process(begun)
            self.assertEqual(Revision.objects.count(), 0)
            self.post(f"runs/{run['id']}/continue")
            self.ringer.delete()
            while item := worker.take_next():
                worker.process(item)
        self.assertEqual(self.word(), "failed")
        failed = RunItem.objects.get(state="failed")
        self.assertIn("nobody plays “receiver” any more", failed.sentence)
        self.casting.delete()
        self.assertEqual(Rendition.objects.filter(clip=None).count(), 0)

    def test_a_cell_is_named_by_a_clip_and_a_character_or_a_casting(self):
        self.assertIn("name either", self.get("renditions/cell", 422)["detail"])
        self.assertEqual(self.post("board/plan", cells=[999])[0]["count"], 0)
        self.post("board/transfer", 204, cells=[999])
        self.post("board/transfer", 422, cells=["casting"])


class Deliveries(CastEnsemble):
    def setUp(self):
        super().setUp()
        self.performed()
        self.result = performance_of(self.casting)

    def fetched(self, **wanted) -> tuple[zipfile.ZipFile, list[dict]]:
        made = self.post("deliveries/", 201, cells=[self.casting.pk], wanted=wanted, name="crate")
        answer = self.client.get(f"/api/deliveries/{made['id']}/archive")
        archive = zipfile.ZipFile(io.BytesIO(answer.getvalue()))
        self.assertIsNone(archive.testzip())
        return archive, json.loads(archive.read("manifest.json"))["results"]

    def same(self, content: bytes, file: str, clip: Clip, atol: float = 1e-4):
        suffix = file.rpartition(".")[2]
        options = ImportOptions("cm", "+Y") if suffix == "bvh" else ImportOptions("m", "+Y")
        own = formats.read(content, file, options).clips[0]
        names = {plain(name): number for number, name in enumerate(own.skeleton.names)}
        order = [names[plain(name)] for name in clip.skeleton.names]
        np.testing.assert_allclose(own.world().positions[:, order], clip.world().positions, atol=atol)

    def test_everybody_gets_a_file_in_the_common_space(self):
        for kind in ("glb", "bvh", "usd"):
            archive, rows = self.fetched(kind=kind)
            self.assertEqual([row["performer"] for row in rows], ["giver", "receiver"])
            self.assertEqual({(row["ensemble"], row["casting"]) for row in rows}, {(NAME, "first night")})
            for row in rows:
                self.same(archive.read(row["file"]), row["file"], self.result.clips[row["performer"]])
                self.assertNotIn("start", row)
            props = [name for name in archive.namelist() if name.startswith("props/")]
            expected = [] if kind == "bvh" else [f"props/{NAME}_ first night_ crate.{kind}"]
            self.assertEqual(props, expected)

    def test_everybody_begins_at_the_origin_and_the_manifest_says_where_that_is(self):
        archive, rows = self.fetched(ensembles="origin", kind="glb")
        starts = {}
        for row in rows:
            clip = formats.read(archive.read(row["file"]), row["file"]).clips[0]
            start = starts[row["performer"]] = row["start"]
            back = rotation.about([0.0, 1.0, 0.0], np.radians(start["degrees"]))
            own = clip.world().positions
            placed = rotation.rotate(np.broadcast_to(back, (*own.shape[:2], 4)), own) + [start["x"], 0.0, start["z"]]
            wanted = self.result.clips[row["performer"]].world().positions
            np.testing.assert_allclose(placed, wanted, atol=2e-4)
        facing = abs(starts["giver"]["degrees"] - starts["receiver"]["degrees"]) % 360
        self.assertAlmostEqual(facing, 180, delta=20)

    def test_all_in_one_glb_before_readers_that_are_not_ours(self):
        archive, rows = self.fetched(ensembles="one file", kind="glb")
        (file,) = {row["file"] for row in rows}
        self.assertEqual(sorted(archive.namelist()), sorted([file, "manifest.json"]))
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "all.glb"
            path.write_bytes(archive.read(file))
            report = node("validate.mjs", path)
            self.assertEqual((report["numErrors"], report["numWarnings"]), (0, 0), report["messages"])
            (read,) = node("positions.mjs", f"{path}|{rows[0]['fps']}|{','.join(map(str, FRAMES))}|")
            whole = Path(folder) / "all.zip"
            whole.write_bytes(archive.fp.getvalue())
            received = node("../receiver/print.js", whole, "--json")
        # Each performer's places are found under its own node.
        self.assertEqual([(row["same"], len(row["places"])) for row in received], [(True, 9), (True, 9)])
        for who, clip in self.result.clips.items():
            places = clip.world().positions[list(FRAMES)]
            for found, wanted in zip(read, places, strict=True):
                for joint, name in enumerate(clip.skeleton.names):
                    # Of nodes with one name three.js numbers the second.
                    called = {plain(name), plain(f"{name}_1")}
                    off = [np.abs(np.array(at) - wanted[joint]).max() for n, at in found.items() if plain(n) in called]
                    self.assertLess(min(off), 1e-4, (who, name))
        crate = self.result.props["crate"].positions[list(FRAMES)]
        # The crate's own node lies in one of its name, and three.js numbers the second.
        np.testing.assert_allclose([found["crate_1"] for found in read], crate, atol=1e-4)

    def test_all_in_one_usd_before_the_library_of_that_format(self):
        for unit, up in (("m", "+Y"), ("cm", "+Z")):
            archive, rows = self.fetched(ensembles="one file", kind="usd", unit=unit, up=up, first=1)
            with tempfile.TemporaryDirectory() as folder:
                path = Path(folder) / "all.usdc"
                path.write_bytes(archive.read(rows[0]["file"]))
                found = usd_positions(path, [frame + 1 for frame in FRAMES])
            self.assertEqual(set(found), {"giver", "receiver", "crate"})
            for who, clip in self.result.clips.items():
                wanted = clip.world().positions[list(FRAMES)]
                for places, at in zip(found[who], wanted, strict=True):
                    for joint, name in enumerate(clip.skeleton.names):
                        self.assertLess(np.abs(places[name] - at[joint]).max(), 1e-4, (who, name))
            crate = [next(iter(places.values())) for places in found["crate"]]
            np.testing.assert_allclose(crate, self.result.props["crate"].positions[list(FRAMES)], atol=1e-4)

    def test_another_frame_rate_holds_for_props_too(self):
        archive, rows = self.fetched(ensembles="one file", kind="glb", fps=15)
        self.assertEqual({row["fps"] for row in rows}, {15})
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "all.glb"
            path.write_bytes(archive.read(rows[0]["file"]))
            (read,) = node("positions.mjs", f"{path}|15|35|")
        np.testing.assert_allclose(read[0]["crate_1"], self.result.props["crate"].positions[70], atol=1e-4)

    def test_planned_kept_and_made_again(self):
        planned = self.post("deliveries/plan", cells=[self.casting.pk], wanted={})
        self.assertEqual(planned["files"], 2)
        self.assertEqual({row["casting"] for row in planned["rows"]}, {f"{NAME} by first night"})
        whole = self.post("deliveries/plan", cells=[self.casting.pk], wanted={"ensembles": "one file"})
        self.assertEqual([row["file"] for row in whole["rows"]], [f"first night {NAME}.glb"] * 2)
        refused = self.post(
            "deliveries/plan", 422, cells=[self.casting.pk], wanted={"ensembles": "one file", "kind": "bvh"}
        )
        self.assertIn("bvh holds one figure; take glb or usd", refused["detail"])
        self.fetched(fittings=True, ensembles="one file")
        (record,) = self.get("deliveries/")
        self.assertEqual((record["results"], record["files"], record["changed"]), (2, 1, 0))
        self.change(f"ensembles/castings/{self.casting.pk}", sizes={"crate": 0.8})
        self.performed()
        self.assertEqual(self.get("deliveries/")[0]["changed"], 2)
        again = self.post(f"deliveries/{record['id']}/again", 201, only_changed=True)
        self.assertEqual((again["results"], again["changed"]), (2, 0))
        thin = {"degrees": 0.3, "centimetres": 0.2}
        said = self.post("deliveries/thinned", cells=[self.casting.pk], wanted={"thinned": thin})
        self.assertLess(said["keys"], said["of"])

    def test_one_that_has_other_bones_by_now_stays_here_with_all(self):
        PerformerMotion.objects.filter(performer__name="giver").update(skeleton=self.clips[0].skeleton)
        rows = self.post("deliveries/plan", cells=[self.casting.pk], wanted={})["rows"]
        self.assertEqual(len({row["left_out"] for row in rows}), 1)
        self.assertIn("earlier version of porter", rows[0]["left_out"])

    def test_the_result_alone_as_a_file(self):
        row = self.cell()
        for kind in ("glb", "usd"):
            answer = self.client.get(f"/api/renditions/{row['id']}/file?format={kind}")
            self.assertEqual(answer.status_code, 200)
            self.assertIn(f'filename="{NAME} first night.{kind}"', answer["Content-Disposition"])
        refused = self.client.get(f"/api/renditions/{row['id']}/file?format=bvh")
        self.assertEqual(refused.status_code, 409)
        self.assertIn("no more than one figure", refused.json()["detail"])


def usd_positions(path: Path, frames: list[int]) -> dict[str, list[dict[str, np.ndarray]]]:
    """Where every joint of every figure of a layer is in the world, in metres and +Y up, as USD's library says."""
    stage = Usd.Stage.Open(str(path))
    unit = UsdGeom.GetStageMetersPerUnit(stage)
    z_up = UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.z
    out: dict[str, list[dict[str, np.ndarray]]] = {}
    cache = UsdSkel.Cache()
    for prim in stage.Traverse():
        if not prim.IsA(UsdSkel.Root):
            continue
        cache.Populate(UsdSkel.Root(prim), Usd.PrimDefaultPredicate)
        (binding, *_) = cache.ComputeSkelBindings(UsdSkel.Root(prim), Usd.PrimDefaultPredicate)
        query, names = cache.GetSkelQuery(binding.GetSkeleton()), binding.GetSkeleton().GetJointNamesAttr().Get()
        rows = []
        for frame in frames:
            moved = query.ComputeJointWorldTransforms(UsdGeom.XformCache(frame))
            places = [np.array(m.ExtractTranslation()) * unit for m in moved]
            if z_up:
                places = [np.array([x, z, -y]) for x, y, z in places]
            rows.append(dict(zip(names, places, strict=True)))
        out[prim.GetDisplayName()] = rows
    return out
