"""Characters on their way in, new versions of them, and what the library shows of files."""

import json

import numpy as np

from armuto import formats
from armuto.formats import bvh, gltf
from armuto.kinematics import rotation
from armuto.tests import figures, sculptures
from armuto.tests import test_rigging_files as mesh_files
from armuto.tests.files import BOW, DEMO, PORTER, WALK, random_bvh
from studio.cast.models import Character
from studio.fittings.models import Fitting
from studio.ingest.models import IntakeFile
from studio.library.models import Clip
from studio.renditions.models import Rendition
from studio.tests.test_intake import IntakeCase, zipped


class Characters(IntakeCase):
    def test_what_is_found_in_a_figure(self):
        (pk,) = self.lay(("figures/bellringer.glb", (DEMO / "bellringer.glb").read_bytes()), goes_to="cast")
        (file,) = self.files()
        found = file["found"]
        self.assertEqual((file["kind"], found["joints"], found["skins"], found["roots"]), ("character", 22, 1, 1))
        self.assertEqual((found["plan"], found["missing"], found["facing"]), ("two-legged", [], 0.0))
        self.assertIn("tunic", [row["name"] for row in found["materials"]])
        self.assertLess(found["apart"], 1e-4)
        figure = self.client.get(f"/api/intake/files/{pk}/figure").json()
        self.assertIsNone(self.client.get(f"/api/intake/files/{pk + 99}/figure").json())
        self.assertEqual(self.client.get(f"/api/intake/files/{pk + 99}/display").status_code, 204)
        self.assertEqual((len(figure["names"]), len(figure["nodes"]), figure["space"]["unit"]), (22, 22, 1.0))
        shown = self.client.get(f"/api/intake/files/{pk}/display").content
        self.assertEqual(len(gltf.parse(shown, "x.glb").rows("skins")), 1)

    def test_a_mesh_in_an_archive_comes_with_its_materials(self):
        row = sculptures.figure("keeper")
        mesh = mesh_files.obj(row.points, row.faces, "mtllib k.mtl")
        held = {
            "keeper/keeper.obj": mesh,
            "keeper/k.mtl": b"newmtl brass\nKd 1 0 0\n",
            "keeper/torn.obj": mesh[:2000] + b"\nf 1 2 999999999\n",
            "keeper/read me.txt": b"night shift",
        }
        self.lay(("keeper.zip", zipped(held)), goes_to="cast")
        kept, torn = sorted(self.files(), key=lambda file: file["state"])
        self.assertEqual((kept["state"], kept["kind"], torn["state"]), ("ready", "character", "refused"))
        self.assertIn("torn.obj: ", torn["sentence"])
        self.assertEqual([material["name"] for material in kept["found"]["materials"]], ["brass"])
        self.send("post", "accept")
        self.assertEqual(Character.objects.get().name, "keeper")
        # Beside files that hold figures or motion, and for the library, a mesh alone is passed over.
        self.lay(("mixed.zip", zipped({"a.obj": mesh, "walk.bvh": WALK.read_bytes()})), goes_to="cast")
        self.assertEqual([file["path"] for file in self.files() if file["state"] != "refused"], ["mixed/walk.bvh"])
        self.lay(("meshes.zip", zipped({"a.obj": mesh})), goes_to="library")
        self.assertIn("nothing in the archive can be read", self.files()[-1]["sentence"])

    def test_a_mesh_and_the_materials_that_came_with_it_are_read_as_packed_together(self):
        row = sculptures.figure("keeper")
        self.lay(
            ("clock figures/clay/keeper.obj", mesh_files.obj(row.points, row.faces, "mtllib brass%20parts.mtl")),
            ("clock figures/clay/brass parts.mtl", b"newmtl brass\nKd 1 0 0\n"),
            ("clock figures/clay/plan.png", b"named by nobody"),
            ("clock figures/read me.txt", b"night shift"),
            goes_to="cast",
        )
        files = {file["path"]: file for file in self.files()}
        kept = files.pop("clay/keeper.glb")
        self.assertEqual((kept["state"], kept["kind"]), ("ready", "character"))
        self.assertEqual([material["name"] for material in kept["found"]["materials"]], ["brass"])
        self.assertEqual(
            {path: file["state"] for path, file in files.items()},
            {"clock figures/clay/plan.png": "refused", "clock figures/read me.txt": "refused"},
        )

    def test_a_mesh_without_bones_gets_some(self):
        """A sculpture for the cast comes to stand in the line-up with bones, from a .glb as from an .obj with +Z up."""
        row = sculptures.figure("keeper")
        lying = (row.points * [1, 1, 1])[:, [0, 2, 1]] * [1, -1, 1] * 100
        for name, content in (
            ("keeper.glb", sculptures.bare("keeper", 40.0)),
            ("clay.obj", mesh_files.obj(lying, row.faces)),
        ):
            with self.subTest(name):
                (pk,) = self.lay((name, content), goes_to="cast")
                (file,) = [file for file in self.files() if file["id"] == pk]
                found = file["found"]
                self.assertEqual((file["state"], file["kind"], file["sentence"]), ("ready", "character", ""))
                self.assertEqual((found["joints"], found["missing"], found["plan"]), (23, [], "two-legged"))
                self.assertRegex(found["notes"][0], "^It had no bones: 23 were made from its shape. It does not show")
                self.assertAlmostEqual(found["height"], row.height, places=2)
                # What is said about it afterwards is said of the file with bones, and the note stays.
                (told,) = self.send("post", "tell", files=[pk], turned=90).json()
                self.assertRegex(told["found"]["notes"][0], "^It had no bones")
                self.send("post", "accept", files=[pk])
                character = Character.objects.latest("pk")
                self.assertEqual((character.name, len(character.nodes)), (name.rpartition(".")[0], 23))
                self.assertTrue(character.document().skinned)

    def test_what_cannot_be_given_bones_says_why(self):
        for name, content, goes_to, sentence in (
            ("crate.obj", mesh_files.obj(mesh_files.CUBE, mesh_files.FACES), "cast", "neither arms nor legs"),
            ("torn.obj", b"v 0 0 0\nf 1 2 3\n", "cast", "damaged|no mesh"),
            ("keeper.glb", sculptures.bare("keeper"), "library", "has no bones"),
            ("torn.glb", sculptures.bare("keeper")[:3000], "cast", "its header promises"),
        ):
            with self.subTest(name):
                (pk,) = self.lay((name, content), goes_to=goes_to)
                file = IntakeFile.objects.get(pk=pk)
                self.assertEqual(file.state, "refused")
                self.assertRegex(file.sentence, f"^{name}: .*({sentence})")

    def test_told_named_and_accepted(self):
        (pk,) = self.lay(("porter.glb", PORTER.read_bytes()))
        self.send("post", "tell", files=[pk], turned=-90)
        self.send("patch", f"files/{pk}", name="night porter")
        figure = self.client.get(f"/api/intake/files/{pk}/figure").json()
        self.assertAlmostEqual(abs(figure["space"]["turn"][1]), np.sqrt(0.5), places=6)
        self.send("post", "accept", files=[pk])
        row = Character.objects.get()
        self.assertEqual((row.name, round(row.facing)), ("night porter", -90))
        self.assertAlmostEqual(row.document().skeleton.file_frame.turned, -90)

    def test_a_height_and_the_bind_pose_can_be_said_and_stay(self):
        held = gltf.parse(PORTER.read_bytes(), "porter.glb")
        node = next(row for row in held.json["nodes"] if row["name"] == "humerus.L")
        node["rotation"] = rotation.multiply(np.array(node["rotation"]), rotation.about([1, 0, 0], 0.6)).tolist()
        posed = gltf.container.to_glb(held.json, held.buffers[0])
        (pk,) = self.lay(("porter.glb", posed))
        self.assertGreater(self.files()[0]["found"]["apart_degrees"], 30)
        (file,) = self.send("post", "tell", files=[pk], bound=True, height=0.5).json()
        self.assertLess(file["found"]["apart_degrees"], 0.1)
        self.send("post", "accept", files=[pk])
        row = Character.objects.get()
        document, plain = row.document(), formats.read(PORTER.read_bytes(), "porter.glb")
        share = document.height / plain.height
        np.testing.assert_allclose(document.skeleton.rest.positions, plain.skeleton.rest.positions * share, atol=1e-4)
        self.assertAlmostEqual(row.height, 0.5, places=5)
        # A new file of it is as tall as was said.
        self.assertEqual(self.version(f"cast/{row.pk}", "porter.glb", PORTER.read_bytes()).status_code, 200)
        row.refresh_from_db()
        self.assertAlmostEqual(row.height, 0.5, places=3)

    def test_a_new_version_keeps_the_fittings_and_says_what_changed(self):
        self.lay(("walk.bvh", WALK.read_bytes()), ("porter.glb", PORTER.read_bytes()))
        self.send("post", "accept")
        porter, clip = Character.objects.get(), Clip.objects.get()
        self.patch(f"cast/{porter.pk}", tags=["night"], remarks="oil the key")
        body = json.dumps({"clip_id": clip.pk, "character_id": porter.pk})
        pairs = len(self.client.post("/api/fittings/", body, content_type="application/json").json()["pairs"])
        self.client.post("/api/renditions/", body, content_type="application/json")
        cell = f"/api/renditions/cell?clip_id={clip.pk}&character_id={porter.pk}"
        self.assertEqual(self.client.get(cell).json()["changed"], [])
        held = gltf.parse(PORTER.read_bytes(), "porter.glb")
        for node in held.json["nodes"]:
            node["name"] = node["name"].replace("toe.L", "left_ball_of_the_foot")
        renamed = gltf.container.to_glb(held.json, held.buffers[0])
        answer = self.version(f"cast/{porter.pk}", "porter_2.glb", renamed)
        self.assertEqual(answer.status_code, 200, answer.content)
        row = answer.json()
        self.assertEqual(
            (row["name"], row["revision"], row["tags"], row["remarks"]), ("porter", 2, ["night"], "oil the key")
        )
        for part in ("porter_2.glb replaced porter.glb", "toe.L", "left_ball_of_the_foot", "1 pair lost a bone"):
            self.assertIn(part, row["changed"])
        made = Fitting.objects.get()
        again = self.client.get(f"/api/fittings/{made.pk}").json()
        self.assertEqual((len(again["pairs"]), again["undo"]), (pairs - 1, None))
        now = self.client.get(cell).json()
        self.assertEqual((now["state"], now["changed"]), ("out of date", ["the character", "the fitting"]))
        self.assertEqual(Rendition.objects.count(), 1)

    def test_a_version_without_a_mesh_changes_nothing(self):
        self.lay(("porter.glb", PORTER.read_bytes()))
        self.send("post", "accept")
        before = self.client.get("/api/cast/").json()
        answer = self.version(f"cast/{before[0]['id']}", "walk.bvh", WALK.read_bytes())
        self.assertEqual(answer.status_code, 422)
        self.assertEqual(self.client.get("/api/cast/").json(), before)


class TheLibrary(IntakeCase):
    def setUp(self):
        self.lay(("hall/walk.bvh", WALK.read_bytes()), ("hall/bow.bvh", BOW.read_bytes()))
        self.send("post", "accept")
        self.walk, self.bow = Clip.objects.get(name="walk"), Clip.objects.get(name="bow")

    def post(self, path: str, **body):
        return self.client.post(f"/api/library/{path}", json.dumps(body), content_type="application/json")

    def test_many_at_once_tagged_retired_and_restored(self):
        ids = [self.walk.pk, self.bow.pk]
        rows = self.post("changes", ids=ids, tag=["night", "hall"]).json()
        self.assertEqual([row["tags"] for row in rows], [["hall", "night"]] * 2)
        rows = self.post("changes", ids=ids, untag=["hall"], retired=True).json()
        self.assertEqual([(row["tags"], row["retired"], row["revision"]) for row in rows], [(["night"], True, 1)] * 2)
        self.post("changes", ids=ids, retired=False)
        self.assertEqual(self.client.get("/api/counts").json()["clips"], 2)

    def test_renamed_by_a_rule_after_a_look(self):
        pieces = [{"field": "skeleton"}, {"word": "-"}, {"field": "action"}]
        body = {"ids": [self.walk.pk, self.bow.pk], "style": "under_scores", "pieces": pieces}
        want = {str(self.walk.pk): "hall-walk", str(self.bow.pk): "hall-bow"}
        self.assertEqual(self.post("names", **body).json(), want)
        self.assertTrue(Clip.objects.filter(name="walk").exists())
        self.assertEqual(self.post("names", **body, apply=True).json(), want)
        self.assertEqual(sorted(Clip.objects.values_list("name", flat=True)), ["hall-bow", "hall-walk"])

    def test_a_segment_is_a_clip_of_its_own_from_the_same_take(self):
        made = self.post(f"clips/{self.walk.pk}/segments", first=32, last=91, name="two steps").json()
        self.assertEqual((made["name"], made["frames"], made["segment_of_id"]), ("two steps", 60, self.walk.pk))
        segment = Clip.objects.get(pk=made["id"])
        self.assertEqual(segment.take, self.walk.take)
        want = self.walk.whole().world().positions[32:92]
        np.testing.assert_allclose(segment.value().world().positions, want, atol=1e-6)
        # It is trimmed on its own, and reaches beyond what it was cut as.
        body = json.dumps({"first": 20, "last": 120})
        self.client.patch(f"/api/library/clips/{segment.pk}", body, content_type="application/json")
        segment.refresh_from_db()
        self.walk.refresh_from_db()
        self.assertEqual((segment.length, self.walk.length), (101, 149))
        answer = self.post(f"clips/{self.walk.pk}/segments", first=90, last=400)
        self.assertIn("not a range of its take", answer.json()["detail"])

    def test_a_new_version_of_a_clip(self):
        held = bvh.parse(WALK.read_bytes(), "walk.bvh")
        data = bvh.serialise(bvh.BvhFile(held.joints, held.frame_time, held.motion[:80]))
        answer = self.version(f"library/clips/{self.walk.pk}", "walk_b.bvh", data)
        row = answer.json()
        self.assertEqual((row["name"], row["revision"], row["take_name"], row["frames"]), ("walk", 2, "walk_b.bvh", 78))
        wrong = self.version(f"library/clips/{self.walk.pk}", "x.bvh", random_bvh())
        self.assertEqual(wrong.status_code, 422)
        self.assertIn("on another skeleton", wrong.json()["detail"])
        self.assertEqual(self.client.get(f"/api/library/clips/{self.walk.pk}").json(), row)
        file = self.client.get(f"/api/library/clips/{self.walk.pk}/file").content
        self.assertEqual(file, data)

    def test_loops_are_marked(self):
        body = figures.body()
        whole = figures.motion(body, np.random.default_rng(0), frames=61)
        self.lay(
            ("ring.bvh", bvh.serialise(bvh.from_clip(whole))),
            ("half.bvh", bvh.serialise(bvh.from_clip(whole.cut(0, 30)))),
        )
        found = {row["clip"]: row["found"]["loop"] for row in self.rows()}
        self.assertEqual(found, {"ring": True, "half": False})

    def test_names_are_exchanged_and_taken_back_in_one_request(self):
        bow, walk = self.bow, self.walk

        def put(*rows):
            body = [{"id": row.pk, "was": was, "name": name} for row, was, name in rows]
            return self.client.put("/api/library/names", json.dumps(body), content_type="application/json")

        self.assertEqual(
            put((bow, "bow", "walk"), (walk, "walk", " bow ")).json(), {str(bow.pk): "walk", str(walk.pk): "bow"}
        )
        # What somebody has renamed since keeps that name; the rest is taken back.
        Clip.objects.filter(pk=bow.pk).update(name="deep bow")
        self.assertEqual(
            put((bow, "walk", "bow"), (walk, "bow", "walk")).json(), {str(bow.pk): "deep bow", str(walk.pk): "walk"}
        )
        for name, sentence in (("Deep Bow", "another clip has this name"), ("  ", "needs a name")):
            answer = put((walk, "walk", name))
            self.assertEqual((answer.status_code, sentence in answer.json()["detail"]), (422, True))
        self.assertEqual(set(Clip.objects.values_list("name", flat=True)), {"deep bow", "walk"})

    def test_skeletons_can_be_renamed(self):
        (body,) = self.client.get("/api/library/skeletons").json()
        path = f"library/skeletons/{body['id']}"
        self.assertEqual(
            self.patch(path, name=" the  hall ").status_code,
            204,
        )
        self.assertEqual(self.client.get("/api/library/skeletons").json()[0]["name"], "the hall")
        self.assertEqual(self.patch(path, name=" ").status_code, 422)
