"""Ensembles in the studio: they come in, are changed, cast and fetched, and several people work on them."""

import json

import numpy as np
import pygltflib
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import override_settings

from armuto.ensembles import model as core
from armuto.ensembles.files import prop_file
from armuto.ensembles.prop_motion import PropMotion
from armuto.kinematics import rotation
from armuto.tests.ensembles import TAKES
from armuto.tests.files import DEMO, PORTER
from studio.cast.models import Character
from studio.ensembles.models import Casting, Ensemble
from studio.fittings.models import Fitting
from studio.ingest.models import IntakeEnsemble, IntakeFile
from studio.ingest.services.reading import take_in
from studio.ingest.services.together import complete
from studio.library.models import Clip
from studio.tests.browser.full_studio import IMMEDIATE
from studio.tests.test_renditions import Studio

GIVER, RECEIVER = (DEMO / "hall" / f"hand_over_the_crate_{role}.bvh" for role in ("giver", "receiver"))
LADDER = TAKES / "carry_the_ladder.bvh"


class EnsembleCase(Studio):
    FILES = (GIVER, RECEIVER, PORTER, DEMO / "bellringer.glb")

    def find(self):
        self.clips = list(Clip.objects.order_by("name"))
        self.porter, self.ringer = Character.objects.order_by("name").reverse()

    def prepare(self):
        super().prepare()
        self.post("ensembles/", clips=[clip.pk for clip in self.clips])

    def setUp(self):
        super().setUp()
        self.row = Ensemble.objects.get()
        self.path = f"ensembles/{self.row.pk}"
        self.crate = json.loads((TAKES / "hand_over_the_crate.json").read_text())["props"]

    def change(self, path: str = "", status: int = 200, version: int | None = None, **changes):
        headers = {} if version is None else {"headers": {"If-Match": f'"{version}"'}}
        answer = self.client.patch(
            f"/api/{path or self.path}", json.dumps(changes), content_type="application/json", **headers
        )
        self.assertEqual(answer.status_code, status, answer.content[:400])
        return answer.json()

    def cast(self, giver: Character, receiver: Character, **more):
        return self.post(f"{self.path}/castings", cast={"giver": giver.pk, "receiver": receiver.pk}, **more)

    def blocks(self, path: str) -> list[np.ndarray]:
        answer = self.client.get(f"/api/{path}")
        self.assertEqual(answer.status_code, 200, answer.content[:300])
        values = np.frombuffer(answer.content, "<f4")
        out = []
        for shape in answer["X-Armuto-Shape"].split(";"):
            size = [int(n) for n in shape.split(",")]
            out.append(values[: np.prod(size)].reshape(size))
            values = values[np.prod(size) :]
        return out


class Ensembles(EnsembleCase):
    def test_clips_that_were_recorded_side_by_side_are_put_together(self):
        shown = self.get(self.path)
        self.assertEqual((shown["name"], shown["performers"]), ("hand over the crate", ["giver", "receiver"]))
        self.assertEqual([each["start"] for each in shown["people"]], [2, 2])
        self.assertEqual((shown["first"], shown["last"], shown["problem"], shown["found"]), (2, 140, "", True))
        self.assertEqual([row["name"] for row in self.get("ensembles/")], ["hand over the crate"])
        blocks = self.blocks(f"{self.path}/recording")
        self.assertEqual([block.shape[0] for block in blocks], [139, 139])
        # In their common space: 1.3 m from each other, face to face.
        self.assertAlmostEqual(float(blocks[1][0, 0, 2] - blocks[0][0, 0, 2]), 1.3, delta=0.1)

    def test_props_are_met_and_meetings_set_by_hand_stay(self):
        shown = self.change(props=self.crate)
        pairs = {(row["a"]["who"], row["b"]["who"]) for row in shown["meetings"]}
        self.assertEqual(pairs, {("giver", "crate"), ("receiver", "crate")})
        meetings = [row | {"last": row["last"] - 5, "by_hand": True} for row in shown["meetings"][:2]]
        kept = self.change(meetings=meetings)
        self.assertEqual(([row["last"] for row in kept["meetings"]], kept["found"]), ([71, 71], False))
        again = self.change(find_meetings=True)
        self.assertEqual((len(again["meetings"]), again["found"]), (4, True))
        self.assertEqual(len(self.blocks(f"{self.path}/recording")), 3)

    def test_performers_are_named_shifted_and_cut_at_once(self):
        self.change(props=self.crate)
        shown = self.change(performers={"giver": {"name": "porter", "shift": 3}}, range=[20, 60])
        self.assertEqual(shown["performers"], ["porter", "receiver"])
        self.assertEqual([each["start"] for each in shown["people"]], [5, 2])
        self.assertEqual((shown["first"], shown["last"]), (20, 60))
        # What is carried and by whom follows the name.
        self.assertEqual(
            {by["who"] for row in shown["things"][0]["carried"] for by in row["by"]}, {"porter", "receiver"}
        )
        self.assertEqual(self.change(whole=True)["first"], 5)

    def test_a_casting_performs_so_that_hands_stay_on_the_crate(self):
        self.change(props=self.crate)
        made = self.cast(self.porter, self.ringer)
        self.assertEqual((made["name"], made["problem"]), ("porter and bellringer", ""))
        self.assertEqual(Fitting.objects.count(), 2)
        measures = self.get(f"ensembles/castings/{made['id']}/measures")
        self.assertEqual(len(measures["meetings"]), 4)
        self.assertTrue(all(row["kept"] and row["gap"] < 0.5 for row in measures["meetings"]), measures)
        self.assertGreater(max(row["before"] for row in measures["meetings"]), 10)
        blocks = self.blocks(f"ensembles/castings/{made['id']}/motion")
        self.assertEqual([block.shape[0] for block in blocks], [139] * 5)
        file = self.client.get(f"/api/ensembles/castings/{made['id']}/file")
        self.assertIn('filename="hand over the crate porter and bellringer.glb"', file["Content-Disposition"])
        held = pygltflib.GLTF2.load_from_bytes(file.content)
        tops = [held.nodes[n] for n in held.scenes[0].nodes]
        self.assertEqual([top.name for top in tops if top.skin is None], ["giver", "receiver", "crate"])

    def test_a_casting_is_changed_and_who_is_placed_stands_elsewhere(self):
        self.change(props=self.crate)
        made = self.cast(self.porter, self.ringer, name="first night")
        path = f"ensembles/castings/{made['id']}"
        before = self.blocks(f"{path}/motion")
        changed = self.change(
            path, placements={"giver": [{"frame": 2, "at": [0.0, -0.2]}, {"frame": 20, "at": [0.0, -0.2]}]}
        )
        self.assertEqual(changed["placements"]["giver"][1], {"frame": 20, "at": [0.0, -0.2], "turn": 0.0})
        after = self.blocks(f"{path}/motion")
        self.assertGreater(np.abs(after[1][10] - before[1][10]).max(), 0.1)
        self.assertEqual(self.change(path, sizes={"crate": 0.5})["sizes_used"], {"crate": 0.5})
        self.assertEqual(self.change(path, space=1.0)["space_used"], 1.0)
        self.assertEqual(self.change(path, space=None, space_said=True)["space"], None)
        self.assertEqual(self.change(path, cast={"giver": self.ringer.pk})["cast"]["giver"], self.ringer.pk)
        self.assertEqual(self.cast(self.porter, self.ringer, name="first night")["name"], "first night 2")

    def test_a_mesh_without_bones_becomes_a_prop_that_hands_meet(self):
        shown = self.change(props=self.crate)
        people = [{"name": who, "clip": who} for who in ("giver", "receiver")]
        (crate,) = core.from_json({"name": "e", "performers": people, "props": self.crate}).props
        at = PropMotion(np.tile(crate.at, (2, 1)), np.tile(rotation.IDENTITY, (2, 1)))
        upload = SimpleUploadedFile("wooden_crate.glb", prop_file("crate", crate.shapes, at, 30.0))
        self.change(props=[])
        answer = self.client.post(f"/api/{self.path}/props", {"file": upload})
        self.assertEqual(answer.status_code, 200, answer.content)
        (prop,) = answer.json()["things"]
        self.assertEqual((prop["name"], prop["shapes"][0]["kind"]), ("wooden crate", "mesh"))
        np.testing.assert_allclose(prop["at"], crate.at, atol=1e-4)
        # Carried by the same hands it is met by them just as the box is.
        met = self.change(props=[prop | {"carried": shown["things"][0]["carried"]}])["meetings"]
        self.assertEqual(
            [(row["a"]["who"], row["a"]["part"], row["first"], row["last"]) for row in met],
            [(row["a"]["who"], row["a"]["part"], row["first"], row["last"]) for row in shown["meetings"]],
        )
        made = self.cast(self.porter, self.ringer)
        measures = self.get(f"ensembles/castings/{made['id']}/measures")
        self.assertTrue(all(row["kept"] for row in measures["meetings"]), measures)
        held = pygltflib.GLTF2.load_from_bytes(self.client.get(f"/api/ensembles/castings/{made['id']}/file").content)
        self.assertIn("wooden crate", [mesh.name for mesh in held.meshes])
        for content, name, sentence in (
            (b"glTF", "broken.glb", "broken.glb: "),
            (GIVER.read_bytes(), "giver.bvh", "a mesh is read from"),
        ):
            answer = self.client.post(f"/api/{self.path}/props", {"file": SimpleUploadedFile(name, content)})
            self.assertEqual(answer.status_code, 422)
            self.assertIn(sentence, answer.json()["detail"])
        self.assertEqual(len(self.get(self.path)["things"]), 1)

    def test_two_at_once_are_told(self):
        version = self.get(self.path)["lock_version"]
        self.change(name="crate", version=version)
        self.assertIn("named this “crate” since", self.change(name="box", version=version, status=409)["detail"])
        made = self.cast(self.porter, self.ringer)
        path = f"ensembles/castings/{made['id']}"
        self.change(path, ease=2.0, version=1)
        self.assertIn("Somebody else", self.change(path, ease=3.0, version=1, status=409)["detail"])

    def test_what_cannot_be_is_said_and_nothing_is_lost(self):
        def met(who: str, other: tuple[str, str]) -> dict:
            """By somebody's left hand."""
            sides = {"a": {"who": who, "part": "left hand"}, "b": dict(zip(("who", "part"), other, strict=True))}
            return {"first": 0, "last": 2, **sides}

        for changes, sentence in (
            ({"props": [{"name": "giver", "shapes": self.crate[0]["shapes"]}]}, "“giver” stands for two"),
            ({"props": [{"name": "p", "shapes": []}]}, "1 to 200 shapes"),
            (
                {"props": [self.crate[0] | {"carried": [{"first": 0, "last": 9, "by": [{"who": "crate"}]}]}]},
                "only performers carry “crate”",
            ),
            (
                {"props": self.crate, "meetings": [met("giver", ("crate", "rope"))]},
                "the prop “crate” has no handle “rope”",
            ),
            ({"meetings": [met("nobody", ("giver", "head"))]}, "no performer or prop “nobody”"),
            ({"performers": {"nobody": {"shift": 1}}}, "there is no performer “nobody”"),
            ({"performers": {"giver": {"name": "receiver"}}}, "stands for two"),
            ({"performers": {"giver": {"shift": 500}}}, "no frame that all its performers have"),
            ({"range": [60, 20]}, "before it begins"),
            ({"name": ""}, "1 to 120 letters"),
        ):
            with self.subTest(sentence):
                self.assertIn(sentence, self.change(status=422, **changes)["detail"])
        self.assertEqual(self.get(self.path)["lock_version"], 1)
        self.assertIn("nobody plays", self.post(f"{self.path}/castings", 422, cast={"giver": self.porter.pk})["detail"])
        made = self.cast(self.porter, self.ringer)
        bad = self.change(f"ensembles/castings/{made['id']}", 422, placements={"nobody": []})
        self.assertIn("to be placed", bad["detail"])
        self.assertIn("not in the library", self.post("ensembles/", 422, clips=[999])["detail"])
        self.assertEqual(self.client.get("/api/ensembles/999").status_code, 404)

    def test_a_clip_that_goes_takes_only_its_performer_along(self):
        self.cast(self.porter, self.ringer)
        self.ringer.delete()
        casting = Casting.objects.get()
        self.assertIn("problem", self.get(f"ensembles/castings/{casting.pk}"))
        self.assertEqual(self.client.delete(f"/api/ensembles/castings/{casting.pk}").status_code, 204)
        self.assertEqual(self.client.delete(f"/api/{self.path}").status_code, 204)
        self.assertEqual((Ensemble.objects.count(), Clip.objects.count()), (0, 2))


class TakenIn(EnsembleCase):
    def test_a_take_with_several_performers_is_an_ensemble_in_its_common_space(self):
        found = take_in(LADDER.read_bytes(), LADDER.name)
        self.assertEqual(len(found.clips), 2)
        row = Ensemble.objects.get(name="carry the ladder")
        shown = self.get(f"ensembles/{row.pk}")
        self.assertEqual((shown["performers"], shown["props"]), (["rear", "ahead"], ["ladder"]))
        self.assertEqual({clip.skeleton_id for clip in Clip.objects.all()}, {self.clips[0].skeleton_id})
        rear, ahead, ladder = self.blocks(f"ensembles/{row.pk}/recording")
        self.assertAlmostEqual(float(ahead[0, 0, 2] - rear[0, 0, 2]), 1.9, delta=0.1)
        self.assertEqual(ladder.shape, (150, 7))
        self.assertGreater(ladder[-1, 2] - ladder[0, 2], 3.0)
        take_in(LADDER.read_bytes(), LADDER.name)
        self.assertEqual((Ensemble.objects.count(), Clip.objects.count()), (2, 4))

    @override_settings(TASKS=IMMEDIATE)
    def test_the_intake_lays_performers_out_and_puts_them_together_once_all_are_decided_on(self):
        upload = SimpleUploadedFile(LADDER.name, LADDER.read_bytes())
        answer = self.client.post(
            "/api/intake/files", {"files": [upload], "paths": [LADDER.name], "goes_to": "library"}
        )
        self.assertEqual(answer.status_code, 201, answer.content)
        files = list(IntakeFile.objects.order_by("pk"))
        self.assertEqual([(file.performer, file.state) for file in files], [("rear", "ready"), ("ahead", "ready")])
        self.assertEqual([file.rows.get().first for file in files], [2, 2])
        self.post("intake/accept", files=[files[0].pk])
        self.assertFalse(Ensemble.objects.filter(name="carry the ladder").exists())
        self.post("intake/accept", files=[files[1].pk])
        row = Ensemble.objects.get(name="carry the ladder")
        self.assertEqual([each.name for each in row.performers.all()], ["rear", "ahead"])
        self.assertEqual((row.tracks.get().name, IntakeEnsemble.objects.count()), ("ladder", 0))

    def brought(self, *paths) -> list[IntakeFile]:
        uploads = [SimpleUploadedFile(path.name, path.read_bytes()) for path in paths]
        names = [path.name for path in paths]
        answer = self.client.post("/api/intake/files", {"files": uploads, "paths": names, "goes_to": "library"})
        self.assertEqual(answer.status_code, 201, answer.content)
        return list(IntakeFile.objects.order_by("pk"))

    def groups(self) -> dict[str, tuple[str, str, bool]]:
        rows = self.get("intake/files")
        return {row["path"]: (row["ensemble"], row["performer"], row["by_name"]) for row in rows if row["ensemble"]}

    @override_settings(TASKS=IMMEDIATE)
    def test_files_that_were_recorded_side_by_side_become_an_ensemble_unless_a_person_says_otherwise(self):
        Clip.objects.all().delete()
        Ensemble.objects.all().delete()
        walks = [DEMO / "hall" / f"{name}.bvh" for name in ("walk", "bow", "creep")]
        giver, receiver, *_ = files = self.brought(GIVER, RECEIVER, *walks)
        crate = "hand over the crate"
        both = {GIVER.name: (crate, "giver", True), RECEIVER.name: (crate, "receiver", True)}
        self.assertEqual(self.groups(), both)
        self.post("intake/tell", files=[giver.pk], alone=True)
        self.assertEqual((self.groups(), IntakeEnsemble.objects.count()), ({}, 0))
        self.post("intake/tell", files=[giver.pk], alone=False)
        self.assertEqual(self.groups(), both)
        self.post("intake/dismiss", files=[receiver.pk])
        self.assertEqual(self.groups(), {})
        self.brought(RECEIVER)
        self.assertEqual(self.groups(), both)
        self.post("intake/accept", files=[file.pk for file in files[2:]])
        self.post("intake/accept", files=[giver.pk])
        self.assertEqual(Ensemble.objects.count(), 0)
        self.post("intake/accept", files=[IntakeFile.objects.get().pk])
        row = Ensemble.objects.get()
        self.assertEqual((row.name, sorted(each.name for each in row.performers.all())), (crate, ["giver", "receiver"]))
        self.assertEqual(IntakeEnsemble.objects.count(), 0)
        # In their common space, without the calibration frames of either.
        shown = self.get(f"ensembles/{row.pk}")
        self.assertEqual((shown["first"], shown["last"], shown["problem"]), (2, 140, ""))

    @override_settings(TASKS=IMMEDIATE)
    def test_of_two_side_by_side_of_whom_one_is_left_out_there_is_no_ensemble(self):
        Clip.objects.all().delete()
        Ensemble.objects.all().delete()
        giver, receiver = self.brought(GIVER, RECEIVER)
        self.post("intake/accept", files=[giver.pk])
        self.post("intake/dismiss", files=[receiver.pk])
        complete()
        self.assertEqual((Ensemble.objects.count(), Clip.objects.count(), IntakeEnsemble.objects.count()), (0, 1, 0))

    def test_a_character_with_two_bodies_stays_what_it_is_in_the_cast(self):
        with self.assertRaisesRegex(Exception, "mesh|skin|bound|character"):
            take_in(LADDER.read_bytes(), LADDER.name, "cast")
