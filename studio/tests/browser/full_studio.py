"""A studio with something of everything, for tests that go through its views."""

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import override_settings

from armuto.tests.files import BOW, DEMO, PORTER, WALK
from studio.callsheet.models import WantedMotion
from studio.callsheet.services import read_table
from studio.cast.models import Character
from studio.ensembles import services as ensembles
from studio.ingest.services.reading import take_in
from studio.library.models import Clip
from studio.renditions.models import Rendition
from studio.renditions.services import board
from studio.sources.models import Source
from studio.splices import services as splices
from studio.tests.browser.studio_case import StudioCase
from studio.tests.snapshots import restore_or_make

WANTED = """Motion,Characters,Mood,Prop,Variants,Due,Note
walks the round,porter; fox,tired,lantern,2,2026-12-04,"as long as the night, and then some"
takes a bow,porter,,,,,
dances a waltz,"porter, Apprentice",,,,2020-01-01,
"""
IMMEDIATE = {"default": {"BACKEND": "django_tasks.backends.immediate.ImmediateBackend"}}


class FullStudio(StudioCase):
    """A studio in the middle of its night: clips and figures, results good and wrong, a splice, an ensemble, and a
    file that waits."""

    def setUp(self) -> None:
        super().setUp()
        restore_or_make(self.prepare)

    def prepare(self) -> None:
        with override_settings(TASKS=IMMEDIATE):
            for path in (WALK, BOW, DEMO / "gallery" / "greet.glb", PORTER, DEMO / "fox.glb"):
                take_in(path.read_bytes(), path.name)
            porter, walk, bow = Character.objects.get(name="porter"), *self.clips("walk", "bow")
            board.transfer([(walk.pk, porter.pk), (bow.pk, porter.pk)])
            row = Rendition.objects.get(clip=bow)
            board.send_back(row, "The left hand goes through the belly.")
            splices.create([walk.pk, bow.pk], "Up and bow, and whatever else there is to be done in a long night")
            ensembles.cast(ensembles.create([walk.pk, bow.pk], "Up and bow"), {"walk": porter.pk, "bow": porter.pk})
            read_table(WANTED, "night.csv")
            call_sheet = WantedMotion.objects.get(motion="walks the round")
            call_sheet.clips.add(walk)
            source = Source.objects.create(kind="folder", name="stage", location="/nowhere/takes", active=False)
            source.items.create(key="walk.bvh", state="refused", sentence="walk.bvh: it cannot be opened.")
            source.items.create(key="bow.bvh", state="taken", version="1", taken_version="1")
            creep = DEMO / "hall" / "creep.bvh"
            files = {"files": [SimpleUploadedFile(creep.name, creep.read_bytes())], "paths": [creep.name]}
            answer = self.client.post("/api/intake/files", files | {"goes_to": "library"})
            self.assertEqual(answer.status_code, 201, answer.content)

    @staticmethod
    def clips(*names: str) -> list[Clip]:
        return [Clip.objects.get(name=name) for name in names]
