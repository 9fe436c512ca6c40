"""Deliveries: planned, packed, remembered, made again; and before independent readers."""

import io
import json
import tempfile
import zipfile
from pathlib import Path

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile

from armuto import formats
from armuto.errors import BadInput
from armuto.export import settings as delivery_settings
from armuto.intake.detection import ImportOptions
from armuto.tests.files import DEMO, PORTER
from studio.cast.services import keep_character, store_files
from studio.contents.services import store
from studio.delivery.models import Delivery, DeliveryItem
from studio.delivery.services import planning
from studio.renditions import results
from studio.renditions.models import Rendition, Revision
from studio.tests.test_delivered_files import node, plain
from studio.tests.test_renditions import TransferredStudio


class Deliveries(TransferredStudio):
    def make(self, status: int = 201, cells=None, name: str = "", **wanted):
        return self.post("deliveries/", status, cells=cells or self.cells(), wanted=wanted, name=name)

    def fetched(self, delivery: dict) -> zipfile.ZipFile:
        answer = self.client.get(f"/api/deliveries/{delivery['id']}/archive")
        self.assertEqual(answer.status_code, 200)
        archive = zipfile.ZipFile(io.BytesIO(answer.getvalue()))
        self.assertIsNone(archive.testzip())
        return archive

    def manifest(self, archive: zipfile.ZipFile) -> dict:
        return json.loads(archive.read("manifest.json"))

    def test_files_manifest_and_record_agree(self):
        made = self.make(name="night shift")
        self.assertEqual((made["results"], made["files"], made["fetched"], made["changed"]), (6, 6, None, 0))
        archive = self.fetched(made)
        names = ["bellringer bow.glb", "bellringer greet.glb", "bellringer walk.glb"]
        names += [name.replace("bellringer", "porter") for name in names]
        self.assertEqual(sorted(archive.namelist()), sorted([*names, "manifest.json"]))
        manifest = self.manifest(archive)
        self.assertEqual((manifest["armuto_delivery"], manifest["name"]), (1, "night shift"))
        for row in manifest["results"]:
            content = archive.read(row["file"])
            self.assertEqual(len(content), row["bytes"])
            clip = formats.read(content, row["file"]).clips[0]
            revision = Revision.objects.get(
                rendition__clip__name=row["clip_name"], rendition__character__name=row["character"]
            )
            self.assertEqual((row["revision"]["result"], row["grade"]), (revision.number, revision.grade))
            want = results.motion_of(revision).world().positions
            np.testing.assert_allclose(clip.world().positions, want, atol=1e-4)
        record = self.get("deliveries/")[0]
        self.assertIsNotNone(record["fetched"])
        self.assertEqual(record["bytes"], sum(row["bytes"] for row in manifest["results"]))
        self.assertEqual([item["row"] for item in self.get(f"deliveries/{made['id']}/items")], manifest["results"])

    def test_every_format_before_other_readers(self):
        cells = self.cells([self.walk, self.bow], [self.porter])
        want = {
            row.rendition.clip.name: results.motion_of(row)
            for row in Revision.objects.filter(rendition__character=self.porter)
        }
        with tempfile.TemporaryDirectory() as folder:
            jobs, clips = [], []
            for wanted in (
                {}, {"mesh": False}, {"together": True}, {"kind": "dae"}, {"kind": "usd"}, {"kind": "bvh"},
                {"thinned": {"degrees": 0.3, "centimetres": 0.2}}, {"fps": 60},
            ):  # fmt: skip
                archive = self.fetched(self.make(cells=cells, **wanted))
                for row in self.manifest(archive)["results"]:
                    path = Path(folder) / f"{len(jobs)}.{row['file'].rpartition('.')[2]}"
                    path.write_bytes(archive.read(row["file"]))
                    if path.suffix == ".glb" and row["clip_name"] == "walk":
                        report = node("validate.mjs", path)
                        self.assertEqual(
                            (report["numErrors"], report["numWarnings"]), (0, 0), (wanted, report["messages"])
                        )
                    clip, twice = want[row["clip_name"]], 2 if wanted.get("fps") else 1
                    frames = [0, clip.frames // 2, clip.frames - 1]
                    within = 1e-4 + row.get("thinned", {}).get("centimetres", 0) / 100
                    clips.append((clip, frames, path.suffix, within))
                    if path.suffix != ".usd":
                        numbers = ",".join(str(twice * frame) for frame in frames)
                        jobs.append(f"{path}|{row['fps']}|{numbers}|{row['clip'] if wanted.get('together') else ''}")
                    else:
                        document = formats.read(path.read_bytes(), path.name)
                        self.same(clip, frames, document, document.clips[0])
            read = iter(node("positions.mjs", *jobs))
            for clip, frames, suffix, within in clips:
                if suffix == ".usd":
                    continue
                unit = 100.0 if suffix == ".bvh" else 1.0
                for at, places in zip(clip.world().positions[frames], next(read), strict=True):
                    found = {plain(name): np.array(place) for name, place in places.items()}
                    for joint, name in enumerate(clip.skeleton.names):
                        self.assertLess(np.abs(found[plain(name)] / unit - at[joint]).max(), within, (suffix, name))

    def same(self, clip, frames, document, other):
        order = [{plain(n): j for n, j in document.skeleton.index.items()}[plain(name)] for name in clip.skeleton.names]
        off = other.world().positions[frames][:, order] - clip.world().positions[frames]
        self.assertLess(np.abs(off).max(), 1e-4)

    def test_the_plan_says_names_and_what_they_share(self):
        plan = self.post("deliveries/plan", cells=self.cells(), wanted={})
        self.assertEqual((len(plan["rows"]), plan["files"], plan["name"]), (6, 6, "delivery"))
        self.assertEqual({row["which"] for row in plan["rows"]}, {"newest"})
        rule = {"style": "under_scores", "pieces": [{"field": "original"}]}
        self.send("put", "deliveries/rule", **rule)
        plan = self.post("deliveries/plan", cells=self.cells(), wanted={"kind": "bvh"})
        self.assertEqual(
            {row["file"] for row in plan["rows"]}, {f"{n}{s}.bvh" for n in ("walk", "bow", "greet") for s in ("", "_2")}
        )
        self.assertTrue(all(row["clash"] for row in plan["rows"]))
        together = self.post("deliveries/plan", cells=self.cells(), wanted={"together": True})
        self.assertEqual({row["file"] for row in together["rows"]}, {"bellringer.glb", "porter.glb"})
        self.send("put", "deliveries/rule", 422, style="loud", pieces=[])
        self.post("deliveries/plan", 422, wanted={"kind": "pdf"})

    def test_without_cells_what_is_accepted_goes_out_and_the_accepted_result_of_it(self):
        self.assertEqual(self.post("deliveries/plan")["rows"], [])
        self.post("deliveries/", 422)
        self.post("board/accept", cells=self.cells([self.walk]))
        accepted = Rendition.objects.get(clip=self.walk, character=self.porter).accepted_id
        self.send("patch", f"library/clips/{self.walk.pk}", last=60)
        self.transfer((self.walk.pk, self.porter.pk))
        made = self.post("deliveries/", 201)
        self.assertEqual((made["results"], made["characters"]), (2, ["bellringer", "porter"]))
        self.assertIn(accepted, DeliveryItem.objects.values_list("revision", flat=True))
        frames = {row["frames"] for row in self.manifest(self.fetched(made))["results"]}
        self.assertEqual(frames, {149})

    def test_made_again_whole_or_what_has_changed(self):
        first = self.make(name="night")
        self.fetched(first)
        self.post(f"deliveries/{first['id']}/again", 422, only_changed=True)
        self.send("patch", f"library/clips/{self.walk.pk}", last=60)
        self.transfer(*self.cells([self.walk]))
        self.assertEqual(self.get("deliveries/")[0]["changed"], 2)
        again = self.post(f"deliveries/{first['id']}/again", 201, only_changed=True)
        self.assertEqual((again["name"], again["results"], again["again_id"]), ("night 2", 2, first["id"]))
        self.assertEqual({row["frames"] for row in self.manifest(self.fetched(again))["results"]}, {59})
        whole = self.post(f"deliveries/{first['id']}/again", 201)
        self.assertEqual((whole["name"], whole["results"], whole["changed"]), ("night 3", 6, 0))
        # Two more results, and the one that had gone out first is not kept any more.
        self.transfer(*self.cells([self.walk]))
        refused = self.get(f"deliveries/{first['id']}/archive", 422)["detail"]
        self.assertIn("made anew since; deliver it again", refused)

    def test_fittings_go_along_and_read_back(self):
        archive = self.fetched(self.make(fittings=True, kind="csv", unit="m"))
        fittings = [name for name in archive.namelist() if name.startswith("fittings/")]
        self.assertEqual(len(fittings), 4)
        for name in fittings:
            self.assertEqual(json.loads(archive.read(name))["armuto_fitting"], 2)

    def test_travel_is_left_as_it_is_wanted(self):
        archive = self.fetched(self.make(cells=[(self.walk.pk, self.porter.pk)], travel="root", kind="bvh"))
        moved = formats.read(archive.read("porter walk.bvh"), "walk.bvh", ImportOptions("cm", "+Y"))
        self.assertEqual(moved.skeleton.names[0], "root")
        archive = self.fetched(self.make(cells=[(self.walk.pk, self.porter.pk)], travel="in place"))
        still = formats.read(archive.read("porter walk.glb"), "walk.glb").clips[0]
        self.assertLess(np.ptp(still.world().positions[:, 0, 2]), 0.3)

    def test_thinning_is_measured_before_it_goes_out(self):
        answer = self.post(
            "deliveries/thinned", cells=self.cells(), wanted={"thinned": {"degrees": 1, "centimetres": 0.5}}
        )
        self.assertLess(answer["keys"], 0.5 * answer["of"])
        self.assertLessEqual(answer["centimetres"], 0.5)
        self.assertIsNone(self.post("deliveries/thinned", cells=self.cells(), wanted={}))

    def onto(self, status: int = 200, name: str = "scene.glb", data: bytes = b"", **fields):
        row = Rendition.objects.get(clip=self.walk, character=self.porter)
        answer = self.client.post(f"/api/deliveries/onto/{row.pk}", {"file": SimpleUploadedFile(name, data), **fields})
        self.assertEqual(answer.status_code, status, answer.content[:300])
        return answer

    def test_into_a_file_from_elsewhere(self):
        cells = [(self.bow.pk, self.porter.pk), (self.greet.pk, self.porter.pk)]
        archive = self.fetched(self.make(cells=cells, together=True))
        scene = archive.read("porter.glb")
        before = {clip.name: clip for clip in formats.read(scene, "porter.glb").clips}
        answer = self.onto(data=scene, motion="bow", at=30, how="insert", moved=True, x=2, z=1, degrees=90)
        self.assertIn("scene with walk.glb", answer["Content-Disposition"])
        after = {clip.name: clip for clip in formats.read(answer.content, "scene.glb").clips}
        greet = self.greet.name
        np.testing.assert_allclose(after[greet].world().positions, before[greet].world().positions, atol=1e-5)
        bow, old = after["bow"].world().positions, before["bow"].world().positions
        self.assertEqual(len(bow), len(old) + 149)
        np.testing.assert_allclose(bow[30 + 149 :], old[30:], atol=1e-5)
        np.testing.assert_allclose(bow[30, 0, [0, 2]], [2, 1], atol=0.06)
        # Into a figure that does nothing yet, and what cannot be meant.
        answer = self.onto(name="porter.glb", data=PORTER.read_bytes())
        self.assertEqual(formats.read(answer.content, "porter.glb").clips[0].frames, 149)
        for words, fields in (
            ("no motion “dance” in it", {"data": scene, "motion": "dance"}),
            ("not within 0 to", {"data": scene, "at": 9999}),
            ("there is no bone", {"data": (DEMO / "bellringer.glb").read_bytes()}),
            ("this format is not read", {"data": b"closed", "name": "note.txt"}),
        ):
            self.assertIn(words, self.onto(422, **fields).json()["detail"])

    def test_into_the_file_of_a_figure_whose_height_was_said(self):
        """Its file alone reads as a grown porter; the result is one of half a metre."""
        document = formats.read(PORTER.read_bytes(), "small.glb", ImportOptions(height=0.5))
        small = keep_character(document, store_files(document, store(PORTER.read_bytes())), "small porter")
        self.transfer((self.walk.pk, small.pk))
        row = Rendition.objects.get(clip=self.walk, character=small)
        path = f"/api/deliveries/onto/{row.pk}"
        answer = self.client.post(path, {"file": SimpleUploadedFile("porter.glb", PORTER.read_bytes())})
        self.assertEqual(answer.status_code, 200, answer.content[:300])
        made = formats.read(answer.content, "small.glb", ImportOptions(document.skeleton.file_frame.unit))
        wanted = results.motion_of(row.newest)
        np.testing.assert_allclose(made.clips[0].world().positions, wanted.world().positions, atol=1e-5)
        # As the file itself has it, it is a grown porter who walks.
        self.assertGreater(formats.read(answer.content, "porter.glb").clips[0].world().positions[:, :, 1].max(), 1.2)

    def test_bones_of_an_earlier_version_do_not_go_out(self):
        made = Revision.objects.get(rendition__clip=self.walk, rendition__character=self.porter)
        made.motion.skeleton = self.walk.skeleton
        made.motion.save()
        row = next(row for row in planning.chosen(self.cells()) if row.revision == made)
        self.assertIn("earlier version of porter, with other bones", row.left_out)
        self.assertEqual(self.make()["results"], 5)
        with self.assertRaises(BadInput):
            planning.make("x", [row], delivery_settings.DeliverySettings(), planning.USUAL)
        self.assertEqual(Delivery.objects.count(), 1)
