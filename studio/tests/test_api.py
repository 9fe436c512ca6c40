"""The API: bringing in, fitting, rendering, fetching, refusing."""

import json
import re
from io import StringIO
from unittest import mock

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command
from django.test import TestCase, TransactionTestCase, override_settings

from armuto import formats
from armuto.tests import scenes
from armuto.tests.files import BOW, PORTER, WALK, bad_files, clip_of, random_bvh
from armuto.tests.test_other_formats import CLIP, zipped
from studio.cast.models import Character
from studio.fittings.models import Fitting, FittingState
from studio.ingest.models import Arrival
from studio.ingest.services import reading
from studio.ingest.tasks import read_arrival
from studio.library.models import Clip, Motion, Original, Plate, Skeleton
from studio.renditions.models import Rendition, Revision, RevisionMotion, Run, RunItem
from studio.tests.snapshots import restore_or_make

TABLES = (
    *(Original, Skeleton, Clip, Motion, Plate, Character, Arrival),
    *(Fitting, FittingState, Rendition, Revision, RevisionMotion, Run, RunItem),
)


def bring_in(client, data: bytes, name: str, goes_to: str = "auto"):
    return client.post("/api/arrivals/", {"file": SimpleUploadedFile(name, data), "goes_to": goes_to})


def counts() -> dict[str, int]:
    return {table.__name__: table.objects.count() for table in TABLES}


class Bringing(TestCase):
    def test_a_clip_is_kept_with_everything_that_belongs_to_it(self):
        answer = bring_in(self.client, WALK.read_bytes(), "walk.bvh")
        self.assertEqual(answer.status_code, 201, answer.content)
        (clip_id,) = answer.json()["clips"]
        clip = self.client.get(f"/api/library/clips/{clip_id}").json()
        self.assertEqual((clip["name"], clip["frames"], clip["fps"], clip["revision"]), ("walk", 149, 30, 1))
        self.assertAlmostEqual(clip["travel"], 5.83, delta=0.02)
        plate = self.client.get(f"/api/library/clips/{clip_id}/plate").json()
        self.assertTrue(8 <= len(plate["poses"]) <= 20)
        self.assertEqual(len(plate["poses"][0]), 4 * len(plate["sides"]))
        self.assertEqual({"left", "right", ""}, set(plate["sides"]))
        motion = self.client.get(f"/api/library/clips/{clip_id}/positions")
        self.assertEqual(motion["X-Armuto-Shape"], "149,56,3")
        positions = np.frombuffer(motion.content, "<f4").reshape(149, 56, 3)
        want = clip_of(WALK).world()
        np.testing.assert_allclose(positions[:, :41], want.positions, atol=2e-6)
        np.testing.assert_allclose(positions[:, 41:], want.ends, atol=2e-6)

    def test_clips_of_one_skeleton_share_it_and_the_same_file_is_kept_once(self):
        for path in (WALK, BOW, WALK):
            bring_in(self.client, path.read_bytes(), path.name)
        self.assertEqual((Skeleton.objects.count(), Clip.objects.count(), Original.objects.count()), (1, 2, 2))
        self.assertEqual(self.client.get("/api/library/skeletons").json()[0]["clips"], 2)
        bring_in(self.client, random_bvh(), "bow.bvh")
        self.assertEqual(
            {clip["name"] for clip in self.client.get("/api/library/clips").json()}, {"walk", "bow", "bow 2"}
        )

    def test_a_character_goes_to_the_cast(self):
        answer = bring_in(self.client, PORTER.read_bytes(), "porter.glb")
        (character_id,) = answer.json()["characters"]
        row = self.client.get(f"/api/cast/{character_id}").json()
        self.assertEqual((row["name"], row["joints"], row["space"]["unit"]), ("porter", 38, 1.0))
        self.assertAlmostEqual(row["height"], 1.637, delta=0.01)
        self.assertEqual(self.client.get(f"/api/cast/{character_id}/file").content, PORTER.read_bytes())
        tree = self.client.get(f"/api/cast/{character_id}/skeleton").json()
        self.assertEqual(tree["parts"][tree["names"].index("ulna.L")], "left lower arm")

    def test_bad_files_give_one_sentence_and_leave_nothing(self):
        before = counts()
        for name, (content, sentence) in bad_files().items():
            with self.subTest(name):
                answer = bring_in(self.client, content, name)
                self.assertEqual(answer.status_code, 422, answer.content)
                detail = answer.json()["detail"]
                self.assertIn(sentence, detail)
                self.assertTrue(detail.startswith(name) and detail.endswith("."), detail)
                self.assertEqual(counts(), before)

    def test_wrong_place(self):
        answer = bring_in(self.client, WALK.read_bytes(), "walk.bvh", "cast")
        self.assertEqual((answer.status_code, counts()["Original"]), (422, 0))
        self.assertIn("no mesh", answer.json()["detail"])
        answer = bring_in(self.client, PORTER.read_bytes(), "porter.glb", "library")
        self.assertIn("no motion", answer.json()["detail"])

    def test_a_failure_half_way_leaves_nothing(self):
        before = counts()
        broken = mock.patch("studio.library.services.plate", side_effect=RuntimeError("the pen broke"))
        with broken, self.assertLogs("django.request", "ERROR") as logged:
            answer = bring_in(self.client, WALK.read_bytes(), "walk.bvh")
        # The cause is for the log; whoever asked is told in a sentence.
        self.assertEqual(answer.status_code, 500)
        self.assertIn("nothing was changed", answer.json()["detail"])
        self.assertNotIn("pen", answer.content.decode())
        self.assertIn("the pen broke", logged.output[0])
        self.assertEqual(counts(), before)

    def test_paths_in_names_are_dropped(self):
        for name in ("../../etc/walk.bvh", "C:\\night\\walk.bvh"):
            bring_in(self.client, WALK.read_bytes(), name)
        self.assertEqual([row.name for row in Original.objects.all()], ["walk.bvh"])

    @override_settings(LARGEST_UPLOAD=1000)
    def test_a_file_over_the_limit(self):
        answer = bring_in(self.client, WALK.read_bytes(), "walk.bvh")
        self.assertEqual(answer.status_code, 413)
        self.assertIn("walk.bvh: the file has", answer.json()["detail"])

    def test_another_site_cannot_change_anything(self):
        file = {"file": SimpleUploadedFile("walk.bvh", WALK.read_bytes())}
        for site in ("cross-site", "same-site"):
            answer = self.client.post("/api/arrivals/", file, headers={"Sec-Fetch-Site": site})
            self.assertEqual((answer.status_code, Clip.objects.count()), (403, 0), site)


class ChangingClips(TestCase):
    def setUp(self):
        for path in (WALK, BOW):
            bring_in(self.client, path.read_bytes(), path.name)
        self.walk = Clip.objects.get(name="walk")

    def change(self, **body):
        return self.client.patch(
            f"/api/library/clips/{self.walk.pk}", json.dumps(body), content_type="application/json"
        )

    def test_a_trim_is_a_range_of_the_take_and_can_be_widened_again(self):
        trimmed = self.change(first=32, last=91).json()
        self.assertEqual((trimmed["frames"], trimmed["take_frames"], trimmed["revision"]), (60, 151, 2))
        self.assertAlmostEqual(trimmed["travel"], 2.33, delta=0.05)
        motion = self.client.get(f"/api/library/clips/{self.walk.pk}/positions")
        self.assertEqual(motion["X-Armuto-Shape"], "60,56,3")
        here = np.frombuffer(motion.content, "<f4").reshape(60, 56, 3)[:, :41]
        want = clip_of(WALK).world().positions[30:90]
        np.testing.assert_allclose(here, want, atol=2e-6)
        plate = self.client.get(f"/api/library/clips/{self.walk.pk}/plate").json()
        self.assertLess(plate["frames"][-1], 60)
        whole = self.change(first=0, last=150).json()
        self.assertEqual((whole["frames"], whole["revision"]), (151, 3))

    def test_names_and_tags(self):
        changed = self.change(name="  night   walk ", tags=["Hall", "hall rounds", " ", "Hall"]).json()
        self.assertEqual(
            (changed["name"], changed["tags"], changed["revision"]), ("night walk", ["Hall", "hall rounds"], 1)
        )
        for body, sentence in (
            ({"name": "bow"}, "another clip has this name"),
            ({"name": " "}, "needs a name"),
            ({"first": 50, "last": 20}, "are not a range of its take"),
            ({"last": 151}, "0 to 150"),
        ):
            answer = self.change(**body)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(sentence, answer.json()["detail"])
        self.assertEqual(self.client.get(f"/api/library/clips/{self.walk.pk}").json(), changed)

    def test_retired_with_a_way_back(self):
        self.assertTrue(self.change(retired=True).json()["retired"])
        self.assertEqual(self.client.get("/api/counts").json()["clips"], 1)
        self.assertFalse(self.change(retired=False).json()["retired"])
        self.assertEqual(self.client.get("/api/counts").json()["clips"], 2)

    def test_calibration_is_proposed(self):
        row = self.client.get(f"/api/library/clips/{self.walk.pk}").json()
        self.assertEqual((row["calibration"], row["first"], row["last"], row["take_frames"]), (2, 2, 150, 151))
        self.assertTrue(any("look like calibration" in note for note in row["notes"]))


@override_settings(READ_AT_ONCE=10)
class ReadingInTheWorker(TransactionTestCase):
    def test_large_files_are_read_by_a_task(self):
        answer = bring_in(self.client, WALK.read_bytes(), "walk.bvh")
        self.assertEqual(answer.status_code, 202)
        arrival = self.client.get(f"/api/arrivals/{answer.json()['id']}").json()
        self.assertEqual((arrival["state"], len(arrival["clips"])), ("accepted", 1))
        self.assertIsNone(Arrival.objects.get().content)
        self.client.delete(f"/api/arrivals/{arrival['id']}")
        self.assertEqual((Arrival.objects.count(), Clip.objects.count()), (0, 1))

    def test_bad_ones_leave_only_their_sentence_until_it_is_dismissed(self):
        before = counts()
        for name, (content, sentence) in bad_files().items():
            if not content:
                continue  # smaller than anything the worker reads
            with self.subTest(name):
                answer = bring_in(self.client, content, name)
                arrival = self.client.get(f"/api/arrivals/{answer.json()['id']}").json()
                self.assertEqual(arrival["state"], "refused")
                self.assertIn(sentence, arrival["sentence"])
                self.client.delete(f"/api/arrivals/{arrival['id']}")
                self.assertEqual(counts(), before)

    def test_taken_back_before_its_turn(self):
        arrival = Arrival.objects.create(name="walk.bvh")
        arrival.delete()
        read_arrival.call(arrival.pk)
        self.assertEqual(Clip.objects.count(), 0)


class OtherFormats(TransactionTestCase):
    def arrived(self, answer) -> dict:
        self.assertEqual(answer.status_code, 202, answer.content)
        return self.client.get(f"/api/arrivals/{answer.json()['id']}").json()

    def test_an_archive_of_many_clips_in_folders(self):
        files = {f"shift {n % 3}/clip {n}.bvh": random_bvh(12, n) for n in range(12)}
        arrival = self.arrived(bring_in(self.client, zipped(files | {"shift 0/cut.bvh": b"HIERARCHY"}), "night.zip"))
        self.assertEqual((arrival["state"], len(arrival["clips"]), arrival["total"]), ("accepted", 12, 13))
        self.assertEqual(len(arrival["refused"]), 1)
        self.assertIn("cut.bvh: ", arrival["refused"][0])
        self.assertEqual((Clip.objects.count(), Skeleton.objects.count()), (12, 1))

    def test_stopping_in_the_middle_keeps_what_is_in(self):
        files = {f"clip {n}.bvh": random_bvh(12, n) for n in range(5)}

        def kept(*arguments, **options):
            if Clip.objects.count() == 2:
                Arrival.objects.all().delete()
            return real(*arguments, **options)

        real = reading.keep_clips
        with mock.patch.object(reading, "keep_clips", kept), mock.patch.object(Arrival, "refresh_from_db"):
            bring_in(self.client, zipped(files), "night.zip")
        self.assertEqual((Clip.objects.count(), Arrival.objects.count()), (3, 0))

    def test_an_archive_without_anything_usable_leaves_nothing(self):
        before = counts()
        for files in ({"notes.txt": b"x"}, {"a.bvh": b"HIERARCHY", "b.bvh": b"MOTION"}):
            arrival = self.arrived(bring_in(self.client, zipped(files), "night.zip"))
            self.assertEqual(arrival["state"], "refused")
            self.client.delete(f"/api/arrivals/{arrival['id']}")
            self.assertEqual(counts(), before)

    def test_a_figure_in_another_format_performs_and_is_delivered_as_gltf(self):
        (walk,) = bring_in(self.client, WALK.read_bytes(), "walk.bvh").json()["clips"]
        for name, data in (("keeper.dae", scenes.dae(CLIP)), ("ringer.usda", scenes.usd(CLIP))):
            with self.subTest(name):
                (character,) = bring_in(self.client, data, name).json()["characters"]
                self.assertEqual(self.client.get(f"/api/cast/{character}/file").content, data)
                shown = self.client.get(f"/api/cast/{character}/display").content
                self.assertEqual(shown[:4], b"glTF")
                body = json.dumps({"clip_id": walk, "character_id": character})
                row = self.client.post("/api/renditions/", body, content_type="application/json").json()
                made = self.client.get(f"/api/renditions/{row['id']}/file?format=glb")
                self.assertEqual(made.status_code, 200, made.content)
                document = formats.read(made.content, "made.glb")
                self.assertEqual((document.clips[0].name, document.clips[0].frames), ("walk", 149))
                self.assertAlmostEqual(document.height, 1.55, delta=0.1)


class Studio(TransactionTestCase):
    """A studio with two clips and the porter."""

    def setUp(self):
        restore_or_make(self.prepare)
        self.walk, self.bow = Clip.objects.get(name="walk"), Clip.objects.get(name="bow")
        self.porter = Character.objects.get(name="porter")

    def prepare(self):
        """What is there when a test begins; made once for all that begin alike."""
        for path in (WALK, BOW, PORTER):
            bring_in(self.client, path.read_bytes(), path.name)

    def post(self, path: str, **body):
        return self.client.post(path, json.dumps(body), content_type="application/json")

    def fitting(self) -> dict:
        return self.post("/api/fittings/", clip_id=self.walk.pk, character_id=self.porter.pk).json()

    def render(self, clip=None) -> dict:
        row = self.post("/api/renditions/", clip_id=(clip or self.walk).pk, character_id=self.porter.pk).json()
        return self.client.get(f"/api/renditions/{row['id']}").json()


class Fittings(Studio):
    def test_made_once_and_complete(self):
        made = self.fitting()
        again = self.post("/api/fittings/", clip_id=self.bow.pk, character_id=self.porter.pk).json()
        self.assertEqual((made["id"], made["missing"]), (again["id"], []))
        self.assertEqual(len(self.client.get("/api/fittings/").json()), 1)

    def test_a_pair_set_by_hand_can_be_undone_and_redone(self):
        made = self.fitting()
        path = f"/api/fittings/{made['id']}"
        changed = self.post(f"{path}/edits", op="remove", keys=["left hand"]).json()
        self.assertEqual(changed["missing"], [{"part": "left hand", "side": "both"}])
        self.assertEqual(changed["undo"], "removed left hand")
        undone = self.post(f"{path}/undo").json()
        self.assertEqual((undone["pairs"], undone["revision"], undone["undo"]), (made["pairs"], made["revision"], None))
        redone = self.post(f"{path}/redo").json()
        self.assertEqual(redone["missing"], changed["missing"])
        self.assertEqual(self.post(f"{path}/redo").json()["revision"], redone["revision"])

    def test_what_was_undone_is_gone_after_another_step(self):
        made = self.fitting()
        path = f"/api/fittings/{made['id']}"
        for part in ("left hand", "left foot"):
            self.post(f"{path}/edits", op="remove", keys=[part])
        for _ in range(2):
            self.post(f"{path}/undo")
        now = self.post(f"{path}/edits", op="remove", keys=["right hand"]).json()
        after = self.post(f"{path}/redo").json()
        self.assertEqual((after["missing"], after["revision"]), (now["missing"], now["revision"]))
        self.assertEqual([row["part"] for row in self.post(f"{path}/undo").json()["missing"]], [])

    def test_a_bone_serves_one_part(self):
        made = self.fitting()
        change = {"op": "set", "keys": ["left hand"], "source": ["LeftHand"], "target": ["ulna.L"]}
        changed = self.post(f"/api/fittings/{made['id']}/edits", **change).json()
        self.assertEqual([row["part"] for row in changed["missing"]], ["left lower arm"])
        hand = next(pair for pair in changed["pairs"] if pair["part"] == "left hand")
        self.assertEqual((hand["target"], hand["confidence"], hand["reasons"]), (["ulna.L"], 1.0, ["set by hand"]))

    def test_unknown_bones_and_parts_are_refused(self):
        made = self.fitting()
        for body, sentence in (
            (
                {"op": "set", "keys": ["left hand"], "source": ["nobody"], "target": ["ulna.L"]},
                "no such bone on the source",
            ),
            ({"op": "remove", "keys": ["left wing"]}, "no such part"),
            ({"op": "connect", "source": ["Head"], "target": ["skull", "neck"]}, "from one bone of the source to one"),
            ({"op": "plan", "plan": "six-legged"}, "no body plan of this name"),
        ):
            answer = self.post(f"/api/fittings/{made['id']}/edits", **body)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(sentence, answer.json()["detail"])
        self.assertEqual(FittingState.objects.count(), 1)

    def test_a_skeleton_without_known_names_is_paired_by_its_shape(self):
        renamed = re.sub(rb"(ROOT|JOINT) (\w+)", lambda m: m[1] + b" q%d" % (hash(m[2]) % 10**9), random_bvh())
        (clip,) = bring_in(self.client, renamed, "strange.bvh").json()["clips"]
        made = self.post("/api/fittings/", clip_id=clip, character_id=self.porter.pk).json()
        self.assertEqual((made["missing"], made["plan"]), ([], "two-legged"))

    def test_the_preview_is_the_transfer(self):
        made, row = self.fitting(), self.render()
        a = self.client.get(f"/api/fittings/{made['id']}/preview/{self.walk.pk}")
        b = self.client.get(f"/api/renditions/{row['id']}/motion")
        self.assertEqual(a["X-Armuto-Shape"], "149,38,4;149,38,3")
        left, right = (np.frombuffer(answer.content, "<f4") for answer in (a, b))
        np.testing.assert_allclose(left, right, atol=2e-6)


class Page(TestCase):
    def test_the_api_shows_itself_without_a_network(self):
        """Its page and everything it loads comes from here, and every operation says what it is for."""
        page = self.client.get("/api/docs").content.decode()
        loaded = re.findall(r'(?:src|href)="([^"]+)"', page)
        self.assertTrue(any(name.endswith("swagger-ui-bundle.js") for name in loaded), loaded)
        for address in loaded:
            self.assertTrue(address.startswith("/static/"), address)
            self.assertEqual(self.client.get(address).status_code, 200, address)
        paths = self.client.get("/api/openapi.json").json()["paths"]
        silent = [way["operationId"] for ways in paths.values() for way in ways.values() if not way.get("description")]
        self.assertEqual(silent, [])

    def test_every_address_is_the_application_and_files_are_not(self):
        for path in ("/", "/library", "/fittings/3?clip=2", "/anything/else"):
            self.assertContains(self.client.get(path), '<div id="app">')
        self.assertEqual(self.client.get("/nothing.js").status_code, 404)
        self.assertEqual(self.client.get("/api/nothing").status_code, 404)


class Demo(TestCase):
    def test_loaded_once_into_an_empty_studio(self):
        call_command("load_demo", stdout=StringIO())
        before = counts()
        self.assertEqual((before["Clip"], before["Character"], before["Skeleton"]), (46, 6, 11))
        call_command("load_demo", stdout=StringIO())
        self.assertEqual(counts(), before)
