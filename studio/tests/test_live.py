"""Characters that perform what a stage streams, over real WebSockets; also from one that misbehaves. What is recorded
is there once, and whatever is wrong is one sentence."""

import threading
import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from unittest import mock

import numpy as np
from django.db import OperationalError
from websockets.exceptions import ConnectionClosed, InvalidStatus
from websockets.sync.client import connect

from armuto.formats.numbers import numbers
from armuto.tests.files import PORTER, WALK
from standins.live_stage import PERFORMERS, LiveBehaviour, live_stage, performance
from studio.cast.models import Character
from studio.fittings.models import Fitting
from studio.ingest.models import IntakeFile
from studio.ingest.services.reading import take_in
from studio.library.models import Clip, Skeleton
from studio.live import consumer, session
from studio.sources.models import Source, SourceItem
from studio.tests.live_server import live_server, page
from studio.tests.sources import SourceCase


class LiveCase(SourceCase):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        served = live_server()
        cls.host = served.__enter__()
        cls.addClassCleanup(served.__exit__, None, None, None)

    def setUp(self):
        take_in(PORTER.read_bytes(), "porter.glb")
        self.porter = Character.objects.get()
        self.behaviour = LiveBehaviour()
        stage = live_stage(self.behaviour)
        self.address = stage.__enter__()
        self.addCleanup(stage.__exit__, None, None, None)

    def know_skeleton(self):
        take_in(WALK.read_bytes(), "walk.bvh")

    def source(self, **fields: object) -> Source:
        made = self.send("POST", "sources/", 201, **{"kind": "stage", "location": self.address, **fields})
        return Source.objects.get(pk=made["id"])

    def watching(self, **fields: object):
        return page(self.host, self.source(**fields).pk)

    def role(self, performer: int = 0) -> list[dict[str, int]]:
        return [{"character": self.porter.pk, "performer": performer}]

    def record(self, opened, seconds: float):
        """Begin a recording, and let it become so long."""
        opened.until(lambda: opened.state and opened.state["recording"] is None)
        opened.say(record=True)
        opened.until(lambda: (opened.state["recording"] or 0) > seconds)

    def ended_with(self, opened) -> int:
        """The code with which the studio ends a connection."""
        with self.assertRaises(ConnectionClosed) as ended:
            while True:
                opened.socket.recv(timeout=30)
        return ended.exception.rcvd.code


class Performing(LiveCase):
    def test_a_character_performs_a_skeleton_that_is_known_through_its_fitting(self):
        self.know_skeleton()
        with self.watching() as opened:
            opened.say(perform=self.role())
            opened.until_frames(40)
            opened.until(lambda: opened.state["characters"][0]["fitting"])
            state = opened.state
        self.assertEqual((state["state"], state["sentence"], state["fps"]), ("live", "", 60.0))
        self.assertEqual(state["performers"][0]["name"], "Ines")
        self.assertEqual(state["performers"][0]["skeleton"], Skeleton.objects.get(clips=Clip.objects.get()).name)
        self.assertEqual(state["performers"][0]["lost"], 0)
        self.assertEqual(state["characters"][0]["fitting"], Fitting.objects.get().pk)
        self.assertEqual({frame[0] for frame in opened.frames}, {self.porter.pk})
        numbers_ = [frame[1] for frame in opened.frames]
        self.assertEqual(numbers_, sorted(set(numbers_)), "no frame comes twice or after a later one")
        joints = len(self.porter.figure())
        values = np.array([np.frombuffer(frame[3], "<f4") for frame in opened.frames])
        self.assertEqual(values.shape[1], joints * 7)
        turns = values[:, : joints * 4].reshape(-1, joints, 4)
        np.testing.assert_allclose(np.linalg.norm(turns, axis=2), 1.0, atol=1e-4)
        self.assertGreater(np.ptp(turns, axis=0).max(), 0.01, "it moves")
        self.assertLess(max(abs(time.time() - frame[2]) for frame in opened.frames), 120)

    def test_a_skeleton_that_is_new_is_paired_for_the_moment_until_it_is_known(self):
        with self.watching() as opened:
            opened.say(perform=self.role())
            opened.until_frames(10)
            opened.until(lambda: opened.state["characters"][0]["note"])
            self.assertIn("does not know this skeleton", opened.state["characters"][0]["note"])
            self.assertFalse(Fitting.objects.exists())
            self.know_skeleton()
            opened.until(lambda: opened.state["characters"][0]["fitting"])
            self.assertEqual(opened.state["characters"][0]["note"], "")
            opened.until(lambda: opened.state["performers"][0]["skeleton"])
            opened.until_frames(10)

    def test_what_is_changed_of_a_fitting_is_seen_at_once(self):
        self.know_skeleton()
        with self.watching() as opened:
            opened.say(perform=self.role())
            opened.until_frames(5)
            fitting = Fitting.objects.get()
            heights = lambda: [np.frombuffer(frame[3], "<f4") for frame in opened.frames[-3:]]  # noqa: E731
            before = np.mean(heights(), axis=0)
            self.send("POST", f"fittings/{fitting.pk}/settings", 200, settings={"spread": 60.0})
            own = lambda: np.abs(np.mean(heights(), axis=0) - before).max() > 0.15  # noqa: E731
            opened.until(own)

    def test_who_cannot_perform_says_so_and_the_others_go_on(self):
        with self.watching() as opened:
            opened.say(perform=[*self.role(), {"character": 999, "performer": 0}, {"character": 999, "performer": 7}])
            opened.until_frames(5)
            opened.until(lambda: any(row["failed"] for row in opened.state["characters"]))
            notes = {(row["character"], row["performer"]): row["note"] for row in opened.state["characters"]}
            self.assertEqual(notes[999, 0], "This character is not in the cast any more.")
            opened.say(perform=[])
            opened.until(lambda: opened.state["characters"] == [])

    def test_a_performing_process_that_is_killed_is_replaced(self):
        made = []
        before = session.PerformingProcess.__init__

        def noted(self):
            before(self)
            made.append(self)

        self.addCleanup(setattr, session.PerformingProcess, "__init__", before)
        session.PerformingProcess.__init__ = noted
        with self.watching() as opened:
            opened.say(perform=self.role())
            opened.until_frames(5)
            with self.assertLogs("studio.live", "WARNING"):
                made[0].process.kill()
                opened.until(lambda: len(made) > 1)
            opened.until_frames(20)

    def test_clocks_are_told_and_that_of_the_stage_is_taken_off(self):
        self.behaviour.clock = 5000.0
        with self.watching() as opened:
            opened.say(clock=12.5, perform=self.role())
            opened.until(lambda: opened.clock)
            self.assertEqual(opened.clock["clock"], 12.5)
            self.assertLess(abs(opened.clock["here"] - time.time()), 60)
            opened.until_frames(5)
            self.assertLess(abs(time.time() - opened.frames[-1][2]), 60)
        self.behaviour.answers = False
        with page(self.host, Source.objects.get().pk) as opened:
            opened.say(perform=self.role())
            opened.until_frames(5)
            self.assertLess(abs(time.time() - opened.frames[-1][2]), 60)


class Recording(LiveCase):
    def take(self, **misbehaving: object) -> tuple[list[dict], list[IntakeFile]]:
        vars(self.behaviour).update(misbehaving)
        with self.watching(name="North gallery") as opened:
            opened.until(lambda: all(p["recognised"] for p in opened.state.get("performers") or [{"recognised": 0}]))
            self.record(opened, 1.0)
            opened.say(record=False)
            opened.until(lambda: len(opened.kept) >= self.behaviour.performers)
        return opened.kept, list(IntakeFile.objects.order_by("path"))

    def motion(self, file: IntakeFile) -> np.ndarray:
        data = file.content.data
        block = data[data.index(b"Frame Time") :].split(b"\n", 1)[1]
        return numbers(block).reshape(len(block.strip().splitlines()), -1)

    def test_two_performers_become_takes_with_just_the_frames_that_came(self):
        kept, files = self.take(performers=2)
        self.assertEqual([take["name"] for take in kept], ["Ines take 01", "Tove take 01"])
        self.assertEqual([take["bridged"] for take in kept], [0, 0])
        self.assertEqual(
            [file.path for file in files], ["North gallery/Ines take 01.bvh", "North gallery/Tove take 01.bvh"]
        )
        self.assertEqual({(file.state, file.source_name) for file in files}, {("ready", "North gallery")})
        for file, path in zip(files, PERFORMERS.values(), strict=False):
            rows = self.motion(file)
            sent = performance(path, 60.0)[2].astype(np.float32).astype(float)
            first = int(np.argmin(np.abs(sent - rows[0]).max(axis=1)))
            expected = sent[np.arange(first, first + len(rows)) % len(sent)]
            np.testing.assert_allclose(rows, expected, rtol=1e-6, atol=1e-6)
        self.assertGreater(kept[0]["frames"], 30)
        self.accept_all()
        self.assertEqual({clip.name for clip in Clip.objects.all()}, {"Ines take 01", "Tove take 01"})
        self.assertEqual(set(self.states().values()), {"taken"})

    def test_frames_that_are_lost_and_late_are_bridged_and_counted(self):
        kept, files = self.take(lose=0.1, late=0.1)
        self.assertGreater(kept[0]["bridged"], 0)
        rows = self.motion(files[0])
        self.assertEqual(len(rows), kept[0]["frames"])
        sent = performance(PERFORMERS["Ines"], 60.0)[2]
        first = int(np.argmin(np.abs(sent - rows[0]).max(axis=1)))
        apart = np.abs(rows - sent[np.arange(first, first + len(rows)) % len(sent)]).max(axis=1)
        self.assertGreaterEqual((apart < 1e-3).sum(), len(rows) - kept[0]["bridged"], "what came is in its place")

    def test_a_stage_that_goes_away_leaves_what_was_recorded_and_is_come_back_to(self):
        with self.watching() as opened:
            opened.until_state("live")
            self.record(opened, 0.5)
            self.behaviour.break_off = 1
            opened.until_state("away")
            self.assertIn("the stage ended the connection", opened.state["sentence"])
            opened.until(lambda: opened.kept)
            self.behaviour.break_off = 0
            opened.until_state("live")
            self.assertIsNone(opened.state["recording"])
        self.assertEqual(IntakeFile.objects.count(), 1)
        self.assertEqual(opened.kept[0]["came_in"], True)

    def test_two_pages_that_record_at_once_make_two_takes(self):
        source = self.source()
        with page(self.host, source.pk) as one, page(self.host, source.pk) as other:
            for opened in (one, other):
                opened.until_state("live")
                self.record(opened, 0.4)
            one.say(record=False)
            other.say(record=False)
            for opened in (one, other):
                opened.until(lambda: opened.kept)  # noqa: B023
        self.assertEqual({take["came_in"] for take in one.kept + other.kept}, {True})
        self.assertEqual(IntakeFile.objects.count(), 2)
        self.assertEqual(len(set(IntakeFile.objects.values_list("path", flat=True))), 2)

    def test_what_cannot_be_written_at_once_is_kept_when_it_can(self):
        before, failures = session.keep_take, [OperationalError("database or disk is full")] * 2

        def full(*arguments):
            if failures:
                raise failures.pop()
            return before(*arguments)

        with mock.patch.object(session, "keep_take", full), self.assertLogs("studio.live", "WARNING"):
            kept, files = self.take(performers=2)
        self.assertEqual([take["name"] for take in kept], ["Ines take 01", "Tove take 01"])
        self.assertEqual(len(files), 2)

    def test_a_page_that_leaves_while_it_records_loses_nothing(self):
        with self.watching() as opened:
            opened.until_state("live")
            self.record(opened, 0.5)
        ends = time.monotonic() + 30
        while not IntakeFile.objects.exists() and time.monotonic() < ends:
            time.sleep(0.05)
        self.assertEqual(IntakeFile.objects.get().path.split("/")[-1], "Ines take 01.bvh")

    def test_takes_are_numbered_on_and_one_of_a_stage_that_is_forgotten_meanwhile_is_kept_too(self):
        self.take()
        with page(self.host, Source.objects.get().pk) as opened:
            opened.until_state("live")
            self.record(opened, 0.3)
            opened.say(record=False)
            opened.until(lambda: opened.kept)
            self.assertEqual(opened.kept[0]["name"], "Ines take 02")
            self.record(opened, 0.3)
            self.send("DELETE", f"sources/{Source.objects.get().pk}", 204)
            opened.say(record=False)
            opened.until(lambda: len(opened.kept) > 1)
        self.assertEqual(IntakeFile.objects.count(), 3)
        self.assertEqual(Source.objects.get().location, self.address)


class Misbehaving(LiveCase):
    def test_a_stage_that_falls_silent_says_so_and_is_heard_again(self):
        with self.watching() as opened:
            opened.until_state("live")
            self.behaviour.stop = 1
            opened.until_state("silent")
            self.assertIn("nothing comes from the stage", opened.state["sentence"])
            self.behaviour.stop = 0
            opened.until_state("live")
            self.assertEqual(opened.state["sentence"], "")

    def test_what_is_no_live_motion_is_left_with_a_sentence(self):
        for header, sentence in (
            ("nonsense", "no header of live motion"),
            ('{"armuto_live": 1, "name": "x", "fps": 60, "performers": []}', "no header of live motion"),
            (
                '{"armuto_live": 1, "name": "x", "fps": 60, "performers": [{"name": "x", "hierarchy": "ROOT"}]}',
                "there are no joints in it",
            ),
        ):
            with self.subTest(header=header[:40]):
                self.behaviour.header = header
                Source.objects.all().delete()
                with self.watching() as opened:
                    opened.until_state("away")
                    self.assertIn(sentence, opened.state["sentence"])

    def test_noise_between_frames_is_passed_over(self):
        told = f'{{"clock": {time.time()}, "here": NaN}}'
        for noise in (b"\0" * 7, "hello", '{"clock": "x"}', "[" * 5000, told):
            self.behaviour.noise = noise
            Source.objects.all().delete()
            with self.subTest(noise=noise[:10]), self.watching() as opened:
                opened.say(perform=self.role())
                opened.until_frames(30)
                self.assertEqual(opened.state["sentence"], "")
                self.assertLess(abs(time.time() - opened.frames[-1][2]), 60)

    def test_nobody_there_and_somebody_else_there_are_told_apart(self):
        class Elsewhere(BaseHTTPRequestHandler):
            def do_GET(self):
                asked.append(self.path)
                self.send_response(302 if self.path == "/moved" else 200)
                self.send_header("Location", there)
                self.send_header("Content-Length", "0")
                self.end_headers()

            def log_message(self, *_):
                pass

        asked: list[str] = []
        there = self.address
        server = ThreadingHTTPServer(("127.0.0.1", 0), Elsewhere)
        threading.Thread(target=server.serve_forever, daemon=True).start()
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        port = server.server_address[1]
        for location, sentence in (
            ("ws://127.0.0.1:9/", "cannot be reached"),
            (f"ws://127.0.0.1:{port}/plain", "no live stage"),
            (f"ws://127.0.0.1:{port}/moved", "no live stage"),
        ):
            with self.subTest(location), self.watching(location=location) as opened:
                opened.until_state("away")
                self.assertIn(sentence, opened.state["sentence"])
        self.assertEqual(self.behaviour.connections, 0, "where it was sent to is not asked")


class Doors(LiveCase):
    def test_only_a_page_of_the_studio_is_let_in(self):
        source = self.source()
        for origin in ("http://elsewhere.example", "null", f"http://{self.host}.elsewhere.example", "http://["):
            with self.subTest(origin), self.assertRaises(InvalidStatus), page(self.host, source.pk, origin):
                pass
        with self.assertRaises(InvalidStatus), connect(f"ws://{self.host}/live/{source.pk}", proxy=None):
            pass
        self.assertEqual(self.behaviour.connections, 0)

    def test_what_is_no_stage_is_not_connected_to(self):
        folder = Source.objects.create(kind="folder", name="x", location="/nowhere")
        for number in (folder.pk, 999, 10**17):
            with self.subTest(number), page(self.host, number) as opened:
                self.assertEqual(self.ended_with(opened), consumer.REFUSED)
        with self.assertRaises(InvalidStatus), page(self.host, 10**20):
            pass

    def test_what_a_page_does_not_say_ends_it(self):
        source = self.source()
        for said in (
            "nonsense",
            "[]",
            '{"perform": [{"character": -1, "performer": 0}]}',
            '{"other": 1}',
            '{"clock": NaN}',
        ):
            with self.subTest(said), page(self.host, source.pk) as opened:
                opened.socket.send(said)
                self.assertEqual(self.ended_with(opened), consumer.NOT_UNDERSTOOD)
        with page(self.host, source.pk) as opened:
            opened.socket.send(b"\0\1")
            self.assertEqual(self.ended_with(opened), consumer.NOT_UNDERSTOOD)

    def test_more_pages_than_can_be_served_are_turned_away(self):
        source = self.source()
        self.addCleanup(setattr, consumer, "MOST_SESSIONS", consumer.MOST_SESSIONS)
        consumer.MOST_SESSIONS = 1
        with page(self.host, source.pk) as opened:
            opened.until(lambda: opened.state)
            with page(self.host, source.pk) as another:
                self.assertEqual(self.ended_with(another), consumer.FULL)
        ends = time.monotonic() + 30
        while consumer.open_sessions and time.monotonic() < ends:
            time.sleep(0.05)
        self.assertEqual(consumer.open_sessions, 0)

    def test_a_stage_has_an_address_of_a_websocket(self):
        for location in ("http://127.0.0.1:8142/", "/tmp/stage", "ws://", "ws://name:word@127.0.0.1/"):
            with self.subTest(location):
                self.send("POST", "sources/", 422, kind="stage", location=location)
        source = self.source()
        self.assertEqual((source.kind, source.name), ("stage", self.address.split("/")[2]))
        self.assertEqual(self.send("GET", f"sources/{source.pk}/items"), [])
        self.assertEqual(self.send("POST", f"sources/{source.pk}/look")["sentence"], "")
        self.assertFalse(SourceItem.objects.exists())
