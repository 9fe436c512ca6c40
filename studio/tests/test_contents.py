"""Contents of files: kept once, in chunks that nobody waits for, and swept once nothing refers to them."""

import threading
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test import TestCase, TransactionTestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase as GeneratedCase

from armuto.tests.files import PORTER, WALK
from studio.cast.models import Character
from studio.contents import services
from studio.contents.models import Chunk, Content
from studio.contents.services import UNREFERRED, store, sweep
from studio.ingest.models import IntakeFile
from studio.ingest.services.reading import take_in
from studio.library.models import Clip, Original, Skeleton


def age() -> None:
    """Let everything have been stored long ago."""
    Content.objects.update(stored=services.now() - 2 * UNREFERRED)


class Storing(GeneratedCase):
    @settings(max_examples=40, deadline=None, database=None, derandomize=True)
    @given(st.binary(max_size=40), st.integers(1, 12))
    def test_whatever_is_stored_is_read_back(self, data: bytes, size: int) -> None:
        with mock.patch.object(services, "CHUNK", size):
            content = store(data)
            self.assertEqual(store(data), content)
        again, starts = Content.objects.get(pk=content.pk), range(0, len(data), size)
        self.assertEqual((again.data, again.size, again.whole), (data, len(data), True))
        self.assertTrue(again.is_intact())
        self.assertEqual(list(again.read()), [data[at : at + size] for at in starts])


class Locking(TransactionTestCase):
    def test_nobody_waits_for_a_large_file(self) -> None:
        """Between any two chunks, somebody else can save."""
        done: list[int] = []

        def save(_: float) -> None:
            # On a connection of its own, which waits for nothing.
            def other() -> None:
                with connection.cursor() as cursor:
                    cursor.execute("PRAGMA busy_timeout = 0")
                Skeleton.objects.filter(pk=1).update(height=1.0)
                done.append(Chunk.objects.count())
                connection.close()

            thread = threading.Thread(target=other)
            thread.start()
            thread.join()

        with mock.patch.object(services, "CHUNK", 4), mock.patch.object(services.time, "sleep", save):
            store(b"the night shift")
        self.assertEqual(done, [0, 1, 2, 3])


class Once(TestCase):
    def test_a_file_on_its_way_in_and_in_the_library_is_kept_once(self) -> None:
        files = [SimpleUploadedFile("walk.bvh", WALK.read_bytes()), SimpleUploadedFile("again.bvh", WALK.read_bytes())]
        self.client.post("/api/intake/files", {"files": files})
        self.assertEqual((IntakeFile.objects.count(), Content.objects.count()), (2, 1))
        ids = list(IntakeFile.objects.values_list("pk", flat=True))
        self.client.post("/api/intake/accept", {"files": ids}, content_type="application/json")
        self.assertEqual(Original.objects.get().content, Content.objects.get())

    def test_what_somebody_stores_again_is_stored_whole(self) -> None:
        """Half of it was written by a process that was killed, or half of it swept."""
        with mock.patch.object(services, "CHUNK", 4):
            content = store(b"the night shift")
            content.chunks.filter(number__in=(1, 2)).delete()
            Content.objects.update(whole=False)
            self.assertEqual(store(b"the night shift"), content)
        self.assertTrue(Content.objects.get().is_intact())


class Sweeping(TestCase):
    def test_what_nothing_refers_to_goes_after_a_while(self) -> None:
        with mock.patch.object(services, "CHUNK", 4):
            store(b"an unfinished chore")
        sweep()
        self.assertEqual(Content.objects.count(), 1)
        age()
        sweep()
        self.assertEqual((Content.objects.count(), Chunk.objects.count()), (0, 0))

    def test_whatever_refers_to_one_keeps_it(self) -> None:
        take_in(WALK.read_bytes(), "walk.bvh")
        take_in(PORTER.read_bytes(), "porter.glb")
        porter = Character.objects.get()
        self.client.post(f"/api/rigs/{porter.pk}")
        porter.display_file = store(b"a figure")
        porter.save(update_fields=["display_file"])
        IntakeFile.everything.create(path="late.bvh", content=store(b"a file"), state="unpacking")
        store(b"nobody's")
        before = Content.objects.count()
        age()
        sweep()
        self.assertEqual(Content.objects.count(), before - 1)
        self.assertTrue(all(content.is_intact() for content in Content.objects.all()))
        Clip.objects.all().delete()
        Original.objects.filter(name="walk.bvh").delete()
        sweep()
        self.assertEqual(Content.objects.count(), before - 2)

    def test_what_is_stored_again_while_it_is_swept_stays_whole(self) -> None:
        with mock.patch.object(services, "CHUNK", 4):
            for step in range(2, 7):
                content = store(b"the night shift")
                age()
                unreferred, looked = services._unreferred, []

                def looks(step=step, looked=looked, unreferred=unreferred):
                    looked.append(Content.objects.get().chunks.count())
                    if len(looked) == step:
                        store(b"the night shift")
                    return unreferred()

                with mock.patch.object(services, "_unreferred", looks), self.subTest(step=step):
                    sweep()
                    self.assertEqual(len(looked), step)
                    self.assertEqual(Content.objects.get(), content)
                    self.assertTrue(Content.objects.get().is_intact())
