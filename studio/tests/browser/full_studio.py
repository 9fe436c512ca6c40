"""A studio with something of everything, for tests that go through its views."""

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import override_settings

from armuto.tests.files import BOW, DEMO, PORTER, WALK
from studio.cast.models import Character
from studio.ensembles import services as ensembles
from studio.ingest.services.reading import take_in
from studio.library.models import Clip
from studio.renditions.models import Rendition
from studio.renditions.services import board
from studio.splices import services as splices
from studio.tests.browser.studio_case import StudioCase
from studio.tests.snapshots import restore_or_make

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
            creep = DEMO / "hall" / "creep.bvh"
            files = {"files": [SimpleUploadedFile(creep.name, creep.read_bytes())], "paths": [creep.name]}
            answer = self.client.post("/api/intake/files", files | {"goes_to": "library"})
            self.assertEqual(answer.status_code, 201, answer.content)

    @staticmethod
    def clips(*names: str) -> list[Clip]:
        return [Clip.objects.get(name=name) for name in names]
