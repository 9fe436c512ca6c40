"""What pages hear of one another: which parts of the studio a request or a task has written."""

import asyncio
import json
from collections.abc import AsyncIterator
from typing import cast

from django.db import DatabaseError, connection
from django.test import AsyncRequestFactory, RequestFactory, TestCase
from django_tasks import task

from studio.changes import api
from studio.changes.api import Stream, follow_changes
from studio.changes.models import Change
from studio.changes.recording import REMEMBERED, recorded
from studio.library.models import Clip, Skeleton
from studio.tests.test_pairing import Pairing


class Recorded(Pairing):
    def setUp(self) -> None:
        super().setUp()
        Change.objects.all().delete()

    def test_what_a_request_writes_is_noted_with_the_page_that_asked(self) -> None:
        path = f"/api/library/clips/{self.walk.pk}"
        headers = {"Armuto-Page": "anna's"}
        self.client.patch(path, json.dumps({"tag": ["x"]}), content_type="application/json", headers=headers)
        row = Change.objects.get()
        self.assertEqual((row.subjects, row.path, row.page), (["library"], path, "anna's"))
        # A change that is refused, one that is only tried, and a look have written nothing.
        fitting = f"/api/fittings/{self.made['id']}"
        self.client.patch(path, json.dumps({"name": ""}), content_type="application/json")
        self.post(f"{fitting}/settings/trial", settings={"hold": 0.4}, clip_id=self.walk.pk, frame=3)
        self.client.get(path)
        self.assertEqual(Change.objects.count(), 1)
        self.post(f"{fitting}/edits", op="confirm", keys=["hips"])
        self.assertIn("fittings", Change.objects.last().subjects)  # type: ignore[union-attr]

    def test_what_a_task_writes_is_noted(self) -> None:
        rename_all.enqueue()
        self.assertEqual((Change.objects.get().subjects, Change.objects.get().path), (["library"], ""))

    def test_rows_that_are_written_together_are_noticed_however_that_is_done(self) -> None:
        for write in (
            lambda: Clip.objects.update(loop=True),
            lambda: Clip.objects.bulk_update([self.walk], ["name"]),
            lambda: Skeleton.objects.bulk_create([Skeleton(identity="x", name="x", tree={}, joints=1, height=1)]),
            lambda: Skeleton.objects.filter(identity="x").delete(),
        ):
            with recorded() as subjects:
                write()
                self.assertIn("library", subjects)

    def test_old_ones_are_forgotten_and_a_full_disk_is_no_failure(self) -> None:
        Change.objects.bulk_create([Change(subjects=["cast"])] * (REMEMBERED + 20))
        with recorded("/api/x"):
            Clip.objects.update(loop=True)
        self.assertEqual(Change.objects.count(), REMEMBERED)

        def full(execute, sql, params, many, context):
            if "changes_change" in sql:
                raise DatabaseError("database or disk is full")
            return execute(sql, params, many, context)

        logs = self.assertLogs("studio.changes.recording", "WARNING")
        with connection.execute_wrapper(full), logs as log, recorded("/api/y"):
            Clip.objects.update(loop=False)
        self.assertIn("Not told to other pages: /api/y", log.output[0])
        self.assertFalse(Clip.objects.filter(loop=True).exists())


@task
def rename_all() -> None:
    Clip.objects.update(name="anew")


class Streams(TestCase):
    def setUp(self) -> None:
        self.addCleanup(api.ending.clear)

    def note(self, *subjects: str) -> int:
        return Change.objects.create(subjects=subjects, path="/api/x", page="p").pk

    def test_a_page_hears_what_was_changed_while_it_loaded_and_all_that_comes(self) -> None:
        before = self.note("cast")
        stream = Stream(None)
        self.assertIn(f"id: {before - 1}\nevent: begin", stream.news())
        later = self.note("library")
        self.assertEqual(
            stream.news(),
            f'id: {before}\ndata: {{"subjects": ["cast"], "path": "/api/x", "page": "p"}}\n\n'
            f'id: {later}\ndata: {{"subjects": ["library"], "path": "/api/x", "page": "p"}}\n\n',
        )
        self.assertEqual(stream.news(), "")
        stream.beat -= 10
        self.assertEqual(stream.news(), ":\n\n")
        # Cut off, it goes on where it was.
        last = self.note("cast")
        request = RequestFactory().get("/api/changes", headers={"Last-Event-ID": str(later)})
        answer = follow_changes(request)
        self.assertEqual(answer["Content-Type"], "text/event-stream")
        content = iter(cast("list[bytes]", answer.streaming_content))
        self.assertTrue(next(content).startswith(f"id: {last}\n".encode()))
        api.ending.set()
        self.assertEqual(list(content), [])

    def test_a_page_that_was_away_for_too_long_is_told_so(self) -> None:
        rows = [self.note("cast") for _ in range(4)]
        Change.objects.filter(pk__lte=rows[1]).delete()
        for after in (rows[0], rows[3] + 50):
            self.assertIn(f"id: {rows[3]}\nevent: missed", Stream(after).news())
        self.assertNotIn("missed", Stream(rows[1]).news())

    def test_an_asynchronous_server_is_not_kept_waiting(self) -> None:
        answer = follow_changes(AsyncRequestFactory().get("/api/changes"))  # type: ignore[arg-type]
        self.assertTrue(answer.is_async)

        async def listen() -> list[bytes]:
            content = aiter(cast("AsyncIterator[bytes]", answer.streaming_content))
            first = await anext(content)
            api.ending.set()
            return [first, *[part async for part in content]]

        heard = asyncio.run(listen())
        self.assertIn(b"event: begin", heard[0])
        self.assertEqual(len(heard), 1)
