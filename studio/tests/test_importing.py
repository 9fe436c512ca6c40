"""Large imports: written in portions that are seen together at the end, or not at all."""

import random
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TransactionTestCase, override_settings

from armuto import formats
from armuto.errors import BadInput
from armuto.tests.files import DEMO, WALK, random_bvh
from armuto.tests.test_other_formats import zipped
from studio import recovery
from studio.contents.services import store
from studio.ingest.models import IntakeFile, IntakeRow
from studio.ingest.services import staging
from studio.ingest.services.reading import take_in
from studio.ingest.tasks import read_file
from studio.library import importing
from studio.library.importing import NewClip, keep_clips
from studio.library.models import Clip, Motion, Original, Plate, Skeleton
from studio.platform import workers
from studio.tests.test_api import counts

BIRDS = DEMO / "roof" / "birds.glb"
NOBODY = {"default": {"BACKEND": "django_tasks.backends.dummy.DummyBackend"}}


class Portions(TransactionTestCase):
    def setUp(self) -> None:
        small = mock.patch.multiple(importing, MOST_AT_ONCE=2)
        small.start()
        self.addCleanup(small.stop)
        self.data = BIRDS.read_bytes()
        self.document = formats.read(self.data, "birds.glb")

    def keep(self, with_them=lambda: None, name: str | None = None) -> list[Clip]:
        clips = [NewClip(clip, name or clip.name, (0, clip.frames - 1)) for clip in self.document.clips]
        return keep_clips(self.document, store(self.data), "birds.glb", "birds", clips, with_them)

    def test_are_seen_together_when_the_last_is_in(self) -> None:
        insert, seen = importing._insert, []

        def watched(portion):
            insert(portion)
            seen.append((len(portion), Clip.objects.count(), Skeleton.objects.get().clips.count()))

        with mock.patch.object(importing, "_insert", watched):
            made = self.keep()
        self.assertEqual(seen, [(2, 0, 0), (2, 0, 0), (1, 0, 0)])
        self.assertEqual([clip.pk for clip in made], list(Clip.objects.order_by("pk").values_list("pk", flat=True)))
        self.assertEqual((Motion.objects.count(), Plate.objects.count()), (5, 5))
        self.assertFalse(Clip.everything.exclude(arriving="").exists())

    def test_hold_the_same_as_when_written_at_once(self) -> None:
        columns = ("name", "frames", "fps", "travel", "first", "last", "loop", "ground", "content", "digest", "notes")
        self.keep()
        apart = list(Clip.objects.order_by("pk").values(*columns))
        observed = Skeleton.objects.get().observed
        Clip.objects.all().delete(), Original.objects.all().delete(), Skeleton.objects.all().delete()
        with mock.patch.multiple(importing, MOST_AT_ONCE=200):
            self.keep()
        self.assertEqual(list(Clip.objects.order_by("pk").values(*columns)), apart)
        self.assertEqual(Skeleton.objects.get().observed, observed)

    def test_leave_nothing_where_the_end_fails(self) -> None:
        before = counts()

        def fails() -> None:
            raise RuntimeError("taken back")

        with self.assertRaises(RuntimeError):
            self.keep(fails)
        self.assertEqual(counts(), before)
        self.assertFalse(Clip.everything.exists())

    def test_of_a_worker_that_is_gone_are_removed(self) -> None:
        self.keep()
        Clip.everything.update(arriving=f"{workers.HOST}.1.gone/abcdefgh")
        recovery.of_the_gone()
        self.assertFalse(Clip.everything.exists() or Original.objects.exists() or Skeleton.objects.exists())

    def test_of_a_worker_that_lives_are_left_alone(self) -> None:
        self.keep()
        Clip.everything.update(arriving=f"{workers.name}/abcdefgh")
        recovery.of_the_gone()
        self.assertEqual((Clip.objects.count(), Clip.everything.count()), (0, 5))
        recovery.everything()  # nobody works when the studio starts
        self.assertEqual(Clip.everything.count(), 0)

    def test_what_others_are_on_stays(self) -> None:
        self.keep()
        other = Clip.objects.latest("pk")
        Clip.everything.exclude(pk=other.pk).update(arriving=f"{workers.HOST}.1.gone/abcdefgh")
        recovery.of_the_gone()
        self.assertEqual(list(Clip.everything.all()), [other])
        self.assertTrue(Original.objects.exists() and Skeleton.objects.exists())

    def test_names_that_were_taken_meanwhile_get_numbers(self) -> None:
        insert = importing._insert
        taken = iter(("sweep", "sweep 3"))

        def watched(portion):
            insert(portion)
            if name := next(taken, ""):
                take_in(random_bvh(12, len(name)), f"{name}.bvh")

        with mock.patch.object(importing, "_insert", watched):
            self.keep(name="Sweep")
        names = list(Clip.objects.values_list("name", flat=True))
        self.assertEqual(len({name.casefold() for name in names}), len(names), names)
        self.assertIn("sweep", names)

    def test_the_same_file_brought_in_twice_at_once_is_kept_once(self) -> None:
        insert, other = importing._insert, iter((True,))

        def watched(portion):
            insert(portion)
            if next(other, False):
                with mock.patch.object(importing, "_insert", insert), mock.patch.object(importing, "MOST_AT_ONCE", 200):
                    self.assertEqual(len(take_in(self.data, "birds.glb").clips), 5)

        with mock.patch.object(importing, "_insert", watched):
            second = take_in(self.data, "birds.glb")
        self.assertEqual(second.clips, list(Clip.objects.order_by("pk").values_list("pk", flat=True)))
        self.assertEqual((len(second.clips), Clip.everything.count(), Original.objects.count()), (5, 5, 1))

    def test_many_of_one_name(self) -> None:
        self.keep(name="chore")
        self.assertEqual(
            set(Clip.objects.values_list("name", flat=True)), {"chore", *(f"chore {n}" for n in range(2, 6))}
        )


class Archives(TransactionTestCase):
    def row(self, data: bytes, path: str = "night.zip") -> IntakeFile:
        return IntakeFile.objects.create(path=path, content=store(data), state="reading")

    def test_their_files_are_seen_together(self) -> None:
        row, seen = self.row(zipped({f"{n}.bvh": random_bvh(6, n) for n in range(4)})), []
        alone = staging._alone

        def watched(*arguments):
            seen.append(list(IntakeFile.objects.values_list("path", flat=True)))
            return alone(*arguments)

        with mock.patch.object(staging, "_alone", watched):
            ids = staging.unpack(row, row.content.data)
        self.assertEqual(seen, [["night.zip"]] * 4)
        self.assertEqual(list(IntakeFile.objects.values_list("pk", flat=True)), ids)
        self.assertEqual(set(IntakeFile.objects.values_list("state", "archive")), {("waiting", None)})

    def test_what_a_killed_worker_left_is_not_kept_twice(self) -> None:
        data = zipped({f"{n}.bvh": random_bvh(6, n) for n in range(3)})
        row = self.row(data)
        IntakeFile.everything.create(path="night/0.bvh", archive=row, state="unpacking")
        self.assertEqual(self.client.get("/api/intake/").json()["files"], [row.pk])
        self.assertEqual(len(staging.unpack(row, data)), 3)
        self.assertEqual(IntakeFile.everything.count(), 3)

    def test_one_that_is_dismissed_meanwhile_brings_nothing(self) -> None:
        data = zipped({f"{n}.bvh": random_bvh(6, n) for n in range(3)})
        row, alone = self.row(data), staging._alone

        def dismissing(*arguments):
            if IntakeFile.everything.count() == 3:
                IntakeFile.everything.all().delete()
            return alone(*arguments)

        with mock.patch.object(staging, "_alone", dismissing), self.settings(TASKS=NOBODY):
            IntakeFile.objects.update(state="waiting")
            read_file.call(row.pk)
        self.assertFalse(IntakeFile.everything.exists())

    def test_a_file_takes_along_what_it_names_and_nothing_else(self) -> None:
        text = b'{"images": [{"uri": "brass%20plate.png"}], "buffers": [{"uri": "figure.bin"}]}'
        near = {"brass plate.png": b"png", "figure.bin": b"bin", "other.bin": b"x" * 1000, "walk.bvh": b"x"}
        path, held = staging._alone("hall/figure.gltf", text, near)
        self.assertEqual(path, "hall/figure.gltf")
        inside = formats.archive.unpack(held, "figure.zip")
        self.assertEqual(set(inside), {"figure.gltf", "brass plate.png", "figure.bin"})
        for path, content in (("hall/walk.bvh", b"HIERARCHY"), ("hall/figure.gltf", b"{}")):
            self.assertEqual(staging._alone(path, content, near), (path, content))

    @override_settings(LARGEST_UNPACKED=50_000)
    def test_more_than_may_be_unpacked_is_refused_before_it_is(self) -> None:
        data = zipped({"a.bvh": random_bvh(200), "b.bvh": random_bvh(200, 1)})
        row = self.row(data)
        with self.assertRaisesRegex(BadInput, r"^night\.zip: the archive unpacks to .* MB and the limit is "):
            staging.unpack(row, data)
        self.assertEqual(IntakeFile.everything.count(), 1)

    def test_files_that_share_much_do_not_multiply_it(self) -> None:
        files = {f"{n}.gltf": b'{"buffers": [{"uri": "shared.bin"}]}' for n in range(10)}
        data = zipped(files | {"shared.bin": random.Random(1).randbytes(100_000)})
        row = self.row(data)
        with (
            override_settings(LARGEST_UNPACKED=300_000),
            self.assertRaisesRegex(BadInput, "with what each refers to"),
        ):
            staging.unpack(row, data)
        self.assertEqual(IntakeFile.everything.count(), 1)


class Dismissed(TransactionTestCase):
    def test_a_file_that_goes_while_it_is_read_does_not_come_back(self) -> None:
        for path, data in (("walk.bvh", WALK.read_bytes()), ("porter.glb", (DEMO / "porter.glb").read_bytes())):
            row = IntakeFile.objects.create(path=path, content=store(data), state="waiting")
            read = staging.document_of

            def dismissed(given, read=read):
                document = read(given)
                IntakeFile.objects.all().delete()
                return document

            with mock.patch.object(staging, "document_of", dismissed):
                read_file.call(row.pk)
            with self.subTest(path):
                self.assertFalse(IntakeFile.everything.exists() or IntakeRow.objects.exists())

    def test_rows_of_a_file_are_seen_when_it_is_read_to_its_end(self) -> None:
        seen: list[int] = []
        keep = staging._keep_row

        def watched(*arguments):
            keep(*arguments)
            seen.append(len(self.client.get("/api/intake/rows").json()))

        with mock.patch.object(staging, "_keep_row", watched), mock.patch.object(staging, "CLIPS_AT_ONCE", 2):
            self.client.post("/api/intake/files", {"files": [SimpleUploadedFile("birds.glb", BIRDS.read_bytes())]})
        self.assertEqual(seen, [0] * 5)
        self.assertEqual(len(self.client.get("/api/intake/rows").json()), 5)
