"""The intake: files laid out and nothing kept, told otherwise, named by a rule, accepted file by file, stopped,
refused."""

import io
import json
import zipfile
from unittest import mock

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client as HttpClient
from django.test import TransactionTestCase, override_settings

from armuto import formats
from armuto.formats import bvh
from armuto.kinematics import rotation
from armuto.tests.files import BOW, DEMO, PORTER, WALK, bad_files, random_bvh
from studio.cast.models import Character
from studio.ingest.models import IntakeFile, IntakeRow
from studio.ingest.services.acceptance import skeletons_called
from studio.ingest.services.staging import skeleton_names
from studio.ingest.tasks import accept_file
from studio.library import services
from studio.library.models import Clip, Original, Skeleton


class IntakeCase(TransactionTestCase):
    """Tasks run on the spot here, once the request's transaction is through."""

    client: HttpClient

    def lay(self, *files: tuple[str, bytes], goes_to: str = "auto") -> list[int]:
        body = {
            "files": [SimpleUploadedFile(name.rsplit("/", 1)[-1], data) for name, data in files],
            "paths": [name for name, _ in files],
            "goes_to": goes_to,
        }
        answer = self.client.post("/api/intake/files", body)
        self.assertEqual(answer.status_code, 201, answer.content)
        return answer.json()["ids"]

    def send(self, method: str, path: str, **body):
        call = getattr(self.client, method)
        return call(f"/api/intake/{path}", json.dumps(body), content_type="application/json")

    def version(self, path: str, name: str, data: bytes):
        return self.client.post(f"/api/{path}/version", {"file": SimpleUploadedFile(name, data)})

    def patch(self, path: str, **body):
        return self.client.patch(f"/api/{path}", json.dumps(body), content_type="application/json")

    def rows(self) -> list[dict]:
        return self.client.get("/api/intake/rows").json()

    def files(self) -> list[dict]:
        return self.client.get("/api/intake/files").json()

    def summary(self) -> dict:
        return self.client.get("/api/intake/").json()


def zipped(files: dict[str, bytes]) -> bytes:
    held = io.BytesIO()
    with zipfile.ZipFile(held, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return held.getvalue()


class LayingOut(IntakeCase):
    def test_nothing_is_kept_until_it_is_accepted(self):
        self.lay(("hall/walk.bvh", WALK.read_bytes()))
        (row,) = self.rows()
        self.assertEqual((Clip.objects.count(), Original.objects.count(), Skeleton.objects.count()), (0, 0, 0))
        self.assertEqual((row["frames"], row["first"], row["last"], row["ticked"]), (151, 2, 150, True))
        self.assertEqual((row["found"]["calibration"], row["skeleton"], row["known"]), (2, "hall", False))
        (file,) = self.files()
        self.assertEqual((file["found"]["unit"], file["found"]["up"], file["found"]["facing"]), ("cm", "+Y", 0.0))
        self.assertIn("m tall", file["found"]["evidence"]["unit"])
        plate = self.client.get(f"/api/intake/rows/{row['id']}/plate").json()
        self.assertEqual((plate["frames"][0], plate["frames"][-1]), (0, 150))

        self.assertEqual(self.send("post", "accept").json()["ids"], [file["id"]])
        (clip,) = Clip.objects.all()
        self.assertEqual((clip.name, clip.first, clip.last, clip.frames), ("walk", 2, 150, 151))
        self.assertEqual(clip.skeleton.name, "hall")
        self.assertEqual(self.summary()["files"], [])

    def test_an_archive_is_taken_apart_and_each_file_goes_its_own_way(self):
        data = zipped(
            {
                "hall/walk.bvh": WALK.read_bytes(),
                "hall/bow.bvh": BOW.read_bytes(),
                "roof/birds.glb": (DEMO / "roof" / "birds.glb").read_bytes(),
                "porter.glb": PORTER.read_bytes(),
                "cut.bvh": WALK.read_bytes()[:30_000],
                "readme.txt": b"night shift",
            }
        )
        self.lay(("night.zip", data))
        summary = self.summary()
        self.assertEqual((summary["ready"], summary["refused"], summary["reading"]), (4, 1, 0))
        self.assertEqual(len(summary["rows"]), 7)
        refused = next(file for file in self.files() if file["state"] == "refused")
        self.assertIn("cut.bvh: ", refused["sentence"])
        self.assertEqual([file["kind"] for file in self.files()].count("character"), 1)
        self.send("post", "accept")
        self.assertEqual((Clip.objects.count(), Character.objects.count()), (7, 1))
        self.assertEqual(
            set(Skeleton.objects.filter(clips__isnull=False).values_list("name", flat=True)), {"hall", "roof"}
        )
        # What failed stays with its sentence, while the rest went in.
        self.assertEqual([file["id"] for file in self.files()], [refused["id"]])

    def test_bad_files_get_a_sentence_each_and_leave_when_dismissed(self):
        bad = {name: data for name, (data, _) in bad_files().items()}
        self.lay(*bad.items())
        sentences = {file["path"]: file["sentence"] for file in self.files()}
        for name, (_, part) in bad_files().items():
            self.assertIn(part, sentences[name])
        self.assertEqual(IntakeRow.objects.count(), 0)
        self.assertEqual(self.send("post", "accept").json()["ids"], [])
        self.send("post", "dismiss")
        self.assertEqual(IntakeFile.objects.count(), 0)

    def test_what_is_there_already_is_left_out_unless_the_person_says_otherwise(self):
        self.lay(("walk.bvh", WALK.read_bytes()))
        self.send("post", "accept")
        # The same motion under another name, with another line at its end: told by its content.
        self.lay(
            ("stroll.bvh", WALK.read_bytes() + b"\n"),
            ("bow.bvh", BOW.read_bytes()),
            ("bow_again.bvh", BOW.read_bytes()),
        )
        by = {row["clip"]: row for row in self.rows()}
        self.assertEqual(
            {name: row["ticked"] for name, row in by.items()}, {"stroll": False, "bow": True, "bow_again": False}
        )
        self.assertEqual((by["stroll"]["twin"], by["bow_again"]["twin"]), ("walk", "bow.bvh"))
        self.send("patch", "rows", ids=[by["stroll"]["id"]], ticked=True)
        self.send("post", "accept")
        self.assertEqual(sorted(Clip.objects.values_list("name", flat=True)), ["bow", "stroll", "walk"])


class Telling(IntakeCase):
    def test_what_is_told_is_read_again_at_once_and_changes_the_plate(self):
        (pk,) = self.lay(("trot.bvh", (DEMO / "yard" / "trot.bvh").read_bytes()))
        (before,) = self.rows()
        self.assertEqual(self.files()[0]["found"]["unit"], "inch")
        height = self.client.get(f"/api/intake/rows/{before['id']}/plate").json()["height"]
        (file,) = self.send("post", "tell", files=[pk], unit="cm").json()
        self.assertEqual((file["found"]["unit"], file["told"]), ("cm", {"unit": "cm"}))
        (after,) = self.rows()
        self.assertEqual((after["id"], after["revision"]), (before["id"], 2))
        plate = self.client.get(f"/api/intake/rows/{after['id']}/plate").json()
        self.assertAlmostEqual(plate["height"] / height, 0.01 / 0.0254, delta=0.01)
        (file,) = self.send("post", "tell", files=[pk], unit="detect").json()
        self.assertEqual((file["found"]["unit"], file["told"]), ("inch", {}))

    def test_a_height_says_the_unit_and_a_new_version_keeps_it(self):
        (pk,) = self.lay(("walk.bvh", WALK.read_bytes()))
        self.send("post", "tell", files=[pk], unit="inch")
        (file,) = self.send("post", "tell", files=[pk], height=2.5).json()
        self.assertEqual(file["told"], {"height": 2.5})
        self.assertRegex(file["found"]["unit"], r"^1\.4\d+ cm$")
        self.assertAlmostEqual(file["found"]["height"], 2.5, places=6)
        self.send("post", "accept")
        clip = Clip.objects.get()
        # The same skeleton comes in its unit again, whatever would be found in the file alone.
        answer = self.version(f"library/clips/{clip.pk}", "bow.bvh", BOW.read_bytes())
        self.assertEqual(answer.status_code, 200, answer.content)
        clip.refresh_from_db()
        self.assertEqual((clip.revision, clip.take.name), (2, "bow.bvh"))
        answer = self.send("post", f"clips/{clip.pk}", height=1.2)
        self.assertEqual(answer.status_code, 201, answer.content)
        self.assertEqual(self.files()[0]["told"], {"height": 1.2})
        (file,) = self.send("post", "tell", files=[answer.json()["ids"][0]], unit="detect").json()
        self.assertEqual((file["told"], file["found"]["unit"]), ({}, "cm"))

    def test_turned_and_accepted_it_faces_as_told(self):
        (pk,) = self.lay(("walk.bvh", WALK.read_bytes()))
        self.send("post", "tell", files=[pk], turned=90)
        self.assertAlmostEqual(self.files()[0]["found"]["facing"], 90, places=5)
        self.send("post", "accept")
        clip = Clip.objects.get()
        want = formats.read(WALK.read_bytes(), "walk.bvh").clips[0].world().positions[2:]
        want = rotation.rotate(rotation.about([0, 1, 0], np.pi / 2), want)
        np.testing.assert_allclose(clip.value().world().positions, want, atol=1e-5)
        self.assertEqual(clip.skeleton.tree["file_frame"]["turned"], 90)

    def test_nonsense_is_said(self):
        (pk,) = self.lay(("walk.bvh", WALK.read_bytes()))
        wrong = (
            ({"unit": "ell"}, "no such unit"),
            ({"up": "north"}, "no such axis"),
            ({"height": 0}, "height"),
            ({"height": 1.7, "unit": "cm"}, "say one of them"),
        )
        for body, part in wrong:
            answer = self.send("post", "tell", files=[pk], **body)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(part, answer.json()["detail"])
        (row,) = self.rows()
        answer = self.send("patch", "rows", ids=[row["id"]], first=90, last=20)
        self.assertIn("not a range of its take", answer.json()["detail"])
        answer = self.send("patch", "rows", ids=[row["id"]], fields={"colour": "red"})
        self.assertIn("no such naming field", answer.json()["detail"])
        self.assertEqual(self.rows(), [row])

    def test_many_rows_at_once(self):
        self.lay(*((f"{n}.bvh", random_bvh(seed=n)) for n in range(8)))
        ids = [row["id"] for row in self.rows()]
        self.send("patch", "rows", ids=ids, first=3, last=20, fields={"performer": "porter", "number": "7"})
        found = {(row["first"], row["last"], row["facts"]["performer"], row["facts"]["number"]) for row in self.rows()}
        self.assertEqual(found, {(3, 20, "porter", 7)})
        self.send("post", "tell", files=[row["file_id"] for row in self.rows()], up="-Z")
        self.assertEqual({file["found"]["up"] for file in self.files()}, {"-Z"})
        self.assertEqual({(row["first"], row["last"]) for row in self.rows()}, {(3, 20)})
        self.send("patch", "rows", ids=ids, range="whole")
        self.assertEqual({(row["first"], row["last"]) for row in self.rows()}, {(0, 29)})


class Naming(IntakeCase):
    def rule(self, *pieces, style="as it is"):
        return self.send("put", "rule", style=style, pieces=list(pieces))

    def test_the_rule_names_what_is_not_typed_and_nothing_gets_a_name_twice(self):
        self.lay(("walk.bvh", WALK.read_bytes()))
        self.send("post", "accept")
        self.lay(
            *((f"porter_walk_{n:02d}.bvh", random_bvh(seed=n)) for n in range(1, 4)), ("bow.bvh", BOW.read_bytes())
        )
        self.rule({"field": "action"})
        rows = self.rows()
        names = self.client.get("/api/intake/names").json()
        self.assertEqual([names[str(row["id"])] for row in rows], ["walk 2", "walk 3", "walk 4", "bow"])
        self.rule(
            {"field": "performer"}, {"word": " "}, {"field": "action"}, {"word": " "}, {"field": "number", "width": 3}
        )
        self.send("patch", "rows", ids=[rows[1]["id"]], name="the long way round")
        names = self.client.get("/api/intake/names").json()
        want = ["porter walk 001", "the long way round", "porter walk 003", "bow"]
        self.assertEqual([names[str(row["id"])] for row in rows], want)
        self.send("post", "accept")
        self.assertEqual(sorted(Clip.objects.values_list("name", flat=True)), sorted([*want, "walk"]))

    def test_typed_names_that_clash_get_numbers(self):
        """With each other, and with a name that the library got meanwhile."""
        self.lay(("walk.bvh", WALK.read_bytes()), ("bow.bvh", BOW.read_bytes()))
        for row in self.rows():
            self.send("patch", "rows", ids=[row["id"]], name="the round")
        self.send("post", "accept")
        self.assertEqual(sorted(Clip.objects.values_list("name", flat=True)), ["the round", "the round 2"])
        self.lay(("more.bvh", random_bvh()))
        self.send("patch", "rows", ids=[self.rows()[0]["id"]], name="the round")
        self.send("post", "accept")
        self.assertEqual(
            sorted(Clip.objects.values_list("name", flat=True)), ["the round", "the round 2", "the round 3"]
        )

    def test_a_rule_that_cannot_be_is_refused_and_the_old_one_stays(self):
        before = self.client.get("/api/intake/rule").json()
        answer = self.rule({"field": "weather"})
        self.assertEqual(answer.status_code, 422)
        self.assertIn("Naming rule", answer.json()["detail"])
        self.assertEqual(self.client.get("/api/intake/rule").json(), before)


class Versions(IntakeCase):
    def test_a_row_can_become_a_new_version_of_the_clip_it_is_named_after(self):
        self.lay(("walk.bvh", WALK.read_bytes()))
        self.send("post", "accept")
        clip = Clip.objects.get()
        shorter = bvh.parse(WALK.read_bytes(), "walk.bvh")
        other = bvh.serialise(bvh.BvhFile(shorter.joints, shorter.frame_time, shorter.motion[:100]))
        self.lay(("walk.bvh", other))
        (row,) = self.rows()
        self.assertEqual((row["could_become"], row["twin"]), ([clip.pk], ""))
        self.send("patch", "rows", ids=[row["id"]], becomes_id=clip.pk)
        self.send("post", "accept")
        clip = Clip.objects.get()
        self.assertEqual((clip.revision, clip.frames, clip.first, clip.last), (2, 100, 2, 99))

    def test_not_on_another_skeleton(self):
        self.lay(("walk.bvh", WALK.read_bytes()))
        self.send("post", "accept")
        self.lay(("walk.bvh", random_bvh()))
        (row,) = self.rows()
        self.assertEqual(row["could_become"], [])
        answer = self.send("patch", "rows", ids=[row["id"]], becomes_id=Clip.objects.get().pk)
        self.assertIn("on another skeleton", answer.json()["detail"])


class Accepting(IntakeCase):
    def test_stopped_in_the_middle_loses_nothing(self):
        self.lay(*((f"{n}.bvh", random_bvh(seed=n)) for n in range(6)))
        ids = [file["id"] for file in self.files()]
        with mock.patch("studio.ingest.api.intake.accept_file") as queued:
            self.send("post", "accept")
        self.assertEqual(queued.enqueue.call_count, 6)
        for pk in ids[:2]:
            accept_file.enqueue(pk)
        self.assertEqual(self.send("post", "stop").json()["ready"], 4)
        for pk in ids[2:]:
            accept_file.enqueue(pk)  # what was queued finds that it was stopped
        self.assertEqual((Clip.objects.count(), IntakeFile.objects.count()), (2, 4))
        self.send("post", "accept")
        self.assertEqual((Clip.objects.count(), IntakeFile.objects.count()), (6, 0))

    def test_a_failure_in_the_middle_of_a_file_keeps_nothing_of_it(self):
        self.lay(("birds.glb", (DEMO / "roof" / "birds.glb").read_bytes()), ("bow.bvh", BOW.read_bytes()))
        calls, take_up = {"n": 0}, services.take_up_facts

        def failing(*arguments):
            calls["n"] += 1
            if calls["n"] == 3:
                raise RuntimeError("the disk is full")
            return take_up(*arguments)

        with mock.patch.object(services, "take_up_facts", failing), self.assertLogs("django_tasks", "ERROR"):
            self.send("post", "accept")
        self.assertEqual([clip.name for clip in Clip.objects.all()], ["bow"])
        self.assertEqual([skeleton.name for skeleton in Skeleton.objects.all()], ["skeleton of bow"])
        (file,) = self.files()
        self.assertEqual((file["state"], len(self.rows())), ("refused", 5))
        self.assertIn("nothing was kept", file["sentence"])
        self.send("post", "accept")
        self.assertEqual(Clip.objects.count(), 6)

    def test_rows_that_are_accepted_while_they_are_listed_have_their_skeleton(self):
        self.lay(("walk.bvh", WALK.read_bytes()))
        identity = IntakeRow.objects.get().identity
        asked: list[set[str]] = []

        def accepted_after_the_first(identities: set[str]) -> dict[str, str]:
            asked.append(identities)
            found = skeleton_names(identities)
            if len(asked) == 1:
                self.send("post", "accept")
            return found

        with mock.patch("studio.ingest.services.acceptance.skeleton_names", accepted_after_the_first):
            self.assertEqual(skeletons_called({identity, "nobody's"}), {identity: "skeleton of walk", "nobody's": ""})

    def test_rows_that_are_not_ticked_stay_out(self):
        self.lay(("birds.glb", (DEMO / "roof" / "birds.glb").read_bytes()))
        rows = self.rows()
        self.send("patch", "rows", ids=[row["id"] for row in rows[1:]], ticked=False)
        self.send("post", "accept")
        self.assertEqual([clip.name for clip in Clip.objects.all()], ["flap"])

    @override_settings(LARGEST_UPLOAD=1000)
    def test_too_large(self):
        answer = self.client.post("/api/intake/files", {"files": [SimpleUploadedFile("walk.bvh", WALK.read_bytes())]})
        self.assertEqual(answer.status_code, 413)
        self.assertEqual(IntakeFile.objects.count(), 0)

    @override_settings(LARGEST_UPLOAD=60_000)
    def test_one_that_cannot_be_taken_does_not_refuse_the_others(self):
        deep = "/".join(["of the shift before the last one"] * 12)
        long = f"{'l' * 300}.bvh"
        ids = self.lay(
            ("walk.bvh", WALK.read_bytes()),  # more than the limit
            (f"{deep}/bow.bvh", random_bvh(12)),
            (f"hall/{long}", BOW.read_bytes()[:100]),
        )
        self.assertEqual(len(ids), 3)
        large, deep_file, named = self.files()
        self.assertEqual([row["state"] for row in (large, deep_file, named)], ["refused", "ready", "refused"])
        self.assertIn("the limit is", large["sentence"])
        self.assertIn("rename the file", named["sentence"])
        path = IntakeFile.objects.get(pk=ids[1]).path
        self.assertTrue(path.endswith("of the shift before the last one/bow.bvh") and len(path) <= 255, path)
        # There is nothing of it to look at, to read in another way or to accept; it can be dismissed.
        self.assertEqual(self.client.get(f"/api/intake/files/{ids[0]}/display").status_code, 204)
        self.assertEqual(self.send("post", "tell", files=[ids[0]], up="+Z").json()[0]["state"], "refused")
        self.assertEqual(self.send("post", "accept").json()["ids"], [ids[1]])
        self.send("post", "dismiss")
        self.assertEqual(IntakeFile.objects.count(), 0)
