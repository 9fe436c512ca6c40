"""The museum's figures for an empty studio, and how skeletons of an archive are called."""

import io
import tempfile
import zipfile
from pathlib import Path

from django.test import TestCase, override_settings

from armuto.tests.ensembles import TAKES
from armuto.tests.files import BOW, DEMO, WALK, random_bvh
from studio.ensembles.models import Ensemble
from studio.ingest.models import Arrival
from studio.ingest.services.reading import take_in
from studio.library.models import Clip, Skeleton

NOBODY_WORKS = {"default": {"BACKEND": "django_tasks.backends.dummy.DummyBackend"}}
AT_ONCE = {"default": {"BACKEND": "django_tasks.backends.immediate.ImmediateBackend"}}


def archive(**files: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as held:
        for name, data in files.items():
            held.writestr(name.replace("__", "/").replace("_bvh", ".bvh"), data)
    return out.getvalue()


class Museum(TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        for name in ("hall/bow.bvh", "fox.glb"):
            to = self.folder / name
            to.parent.mkdir(exist_ok=True)
            to.write_bytes((DEMO / name).read_bytes())

    def ask(self):
        with override_settings(DEMO_FILES=str(self.folder)):
            return self.client.post("/api/arrivals/museum")

    @override_settings(TASKS=AT_ONCE)
    def test_it_comes_into_an_empty_studio_alone(self):
        answer = self.ask()
        self.assertEqual(answer.status_code, 202, answer.content)
        arrived = self.client.get(f"/api/arrivals/{answer.json()['id']}").json()
        self.assertEqual((len(arrived["clips"]), len(arrived["characters"])), (1, 1))
        self.assertEqual(Clip.objects.get().skeleton.name, "hall")
        again = self.ask()
        self.assertEqual(again.status_code, 422)
        self.assertIn("not empty any more", again.json()["detail"])

    @override_settings(TASKS=AT_ONCE)
    def test_its_ensembles_come_along_with_their_props(self):
        files, takes = self.folder / "files", self.folder / "takes"
        copies = {
            DEMO / "hall" / "push_the_cart.bvh": files / "hall",
            DEMO / "porter.glb": files,
            **{TAKES / f"push_the_cart{end}": takes for end in ("_steadier.bvh", ".json")},
            **{TAKES / f"carry_the_ladder{end}": takes for end in (".bvh", ".json")},
            TAKES / "sit_down.json": takes,  # its clip is not there
        }
        for source, to in copies.items():
            to.mkdir(parents=True, exist_ok=True)
            (to / source.name).write_bytes(source.read_bytes())
        with override_settings(DEMO_FILES=str(files)):
            answer = self.client.post("/api/arrivals/museum")
        arrived = self.client.get(f"/api/arrivals/{answer.json()['id']}").json()
        self.assertEqual((arrived["state"], len(arrived["clips"])), ("accepted", 4))
        self.assertEqual(set(Skeleton.objects.filter(clips__isnull=False).values_list("name", flat=True)), {"hall"})
        found = {row["name"]: (row["performers"], row["props"]) for row in self.client.get("/api/ensembles/").json()}
        expected = {
            "carry the ladder": (["rear", "ahead"], ["ladder"]),
            "push the cart": (["pusher", "steadier"], ["cart"]),
        }
        self.assertEqual(found, expected)
        ladder = Ensemble.objects.get(name="carry the ladder").data["props"][0]
        self.assertGreater(len(ladder["shapes"]), 3)

    @override_settings(TASKS=NOBODY_WORKS)
    def test_it_is_on_its_way_once(self):
        self.assertEqual(self.ask().status_code, 202)
        self.assertEqual(self.ask().status_code, 422)
        self.assertEqual(Arrival.objects.count(), 1)

    def test_an_installation_without_it_says_so(self):
        with override_settings(DEMO_FILES=str(self.folder / "nowhere")):
            answer = self.client.post("/api/arrivals/museum")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("do not come with this installation", answer.json()["detail"])


class Folders(TestCase):
    def test_a_new_skeleton_is_called_after_the_folder_of_its_clips(self):
        take_in(archive(night_shift__walk_bvh=WALK.read_bytes(), night_shift__bow_bvh=BOW.read_bytes()), "all.zip")
        self.assertEqual(Skeleton.objects.get().name, "night shift")

    def test_two_skeletons_of_one_folder_are_told_apart(self):
        take_in(archive(hall__walk_bvh=WALK.read_bytes(), hall__turn_bvh=random_bvh()), "all.zip")
        self.assertEqual(sorted(Skeleton.objects.values_list("name", flat=True))[0], "hall")
        self.assertEqual(Skeleton.objects.values("name").distinct().count(), 2)

    def test_a_file_in_no_folder_names_its_skeleton_itself(self):
        take_in(WALK.read_bytes(), "walk.bvh")
        self.assertEqual(Skeleton.objects.get().name, "skeleton of walk")
