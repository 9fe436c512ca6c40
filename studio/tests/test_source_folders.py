"""Folders that are watched, in which others write. Nothing is lost, nothing is
taken in twice, and whatever is wrong is one sentence."""

import json
import os
import tempfile
import zipfile
from pathlib import Path
from unittest import mock

from django.conf import settings
from django.test import override_settings

from armuto.errors import BadInput
from armuto.formats import gltf
from armuto.tests.files import BOW, DEMO, PORTER, WALK
from standins.capture_stage import takes, write_slowly
from studio.cast.models import Character
from studio.ingest.models import IntakeFile, IntakeRow
from studio.library.models import Clip
from studio.sources import watching
from studio.sources.models import Source
from studio.sources.services import folders
from studio.tests.sources import SourceCase, at_once


class Folders(SourceCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name).resolve() / "stage"
        self.folder.mkdir()
        self.now = 100.0

    def watch(self, **fields: object) -> Source:
        made = self.send("POST", "sources/", 201, kind="folder", location=str(self.folder), **fields)
        return Source.objects.get(pk=made["id"])

    def look(self, source: Source, later: float = 5.0) -> int:
        self.now += later
        return folders.look(source, self.now)

    def settle(self, source: Source) -> int:
        return self.look(source) + self.look(source)

    def test_new_files_come_in_once_they_have_settled_and_never_twice(self):
        source = self.watch()
        (self.folder / "walk.bvh").write_bytes(WALK.read_bytes())
        (self.folder / "far" / "away").mkdir(parents=True)
        (self.folder / "far" / "away" / "porter.glb").write_bytes(PORTER.read_bytes())
        self.assertEqual(self.look(source), 0, "they may still be written")
        self.assertEqual(self.look(source), 2)
        self.assertEqual([self.look(source) for _ in range(3)], [0, 0, 0])
        files = {file.path: file for file in IntakeFile.objects.all()}
        self.assertEqual(set(files), {"stage/walk.bvh", "stage/far/away/porter.glb"})
        self.assertEqual({file.source_name for file in files.values()}, {"stage"})
        self.assertEqual({file.state for file in files.values()}, {"ready"})
        self.accept_all()
        self.assertEqual((Clip.objects.count(), Character.objects.count()), (1, 1))
        # The same bytes by another name, and under another time.
        (self.folder / "again.bvh").write_bytes(WALK.read_bytes())
        os.utime(self.folder / "walk.bvh", (1, 1))
        self.assertEqual(self.settle(source), 0)
        self.assertEqual(
            self.sentences(), {"again.bvh": "again.bvh: it is the same as walk.bvh, which came in already."}
        )
        self.assertEqual(IntakeFile.objects.count(), 0)

    def test_a_file_comes_with_what_it_names_once_that_has_settled_too(self):
        source = self.watch()
        made = gltf.parse((DEMO / "striker.glb").read_bytes(), "striker.glb")
        figures = self.folder / "figures"
        (figures / "data").mkdir(parents=True)
        tree = made.json | {"buffers": [{"byteLength": len(made.buffers[0]), "uri": "data/striker.bin"}]}
        (figures / "striker.gltf").write_text(json.dumps(tree))
        self.look(source)
        (figures / "data" / "striker.bin").write_bytes(made.buffers[0])
        self.assertEqual(self.look(source), 0, "what it names has just been written")
        self.assertEqual(self.look(source), 1)
        self.assertEqual([self.look(source) for _ in range(2)], [0, 0])
        file = IntakeFile.objects.get()
        self.assertEqual((file.path, file.state, file.kind), ("striker/striker.gltf", "ready", "character"))
        self.accept_all()
        self.assertEqual(Character.objects.get().name, "striker")
        # Another version of what it names is another version of it; what it does not name is none.
        (self.folder / "other.bin").write_bytes(b"other")
        (figures / "plan.png").write_bytes(b"plan")
        Path(os.fsdecode(bytes(figures) + b"/caf\xe9.png")).write_bytes(b"a name that is no text")
        self.assertEqual(self.settle(source), 0)
        buffer = bytearray(made.buffers[0])
        buffer[-8:] = bytes(8)
        (figures / "data" / "striker.bin").write_bytes(buffer)
        os.utime(figures / "data" / "striker.bin", ns=(1, 2**62))
        self.assertEqual(self.settle(source), 1)

    @override_settings(LARGEST_UPLOAD=10_000)
    def test_what_is_too_large_with_what_it_names_is_refused(self):
        source = self.watch()
        (self.folder / "keeper.obj").write_text("mtllib keeper.mtl\n")
        (self.folder / "keeper.mtl").write_text("newmtl brass\nmap_Kd brass.png\n")
        (self.folder / "brass.png").write_bytes(bytes(10_000))
        self.assertEqual(self.settle(source), 0)
        self.assertRegex(
            self.sentences()["keeper.obj"], r"^keeper\.obj with what it names: the file has .* MB and the limit"
        )

    def test_a_file_that_grows_is_not_read_before_it_is_whole(self):
        source = self.watch()
        path, data = self.folder / "walk.bvh", WALK.read_bytes()
        for share in (0.1, 0.4, 0.7, 0.95):
            path.write_bytes(data[: int(len(data) * share)])
            self.assertEqual(self.look(source, 1.0), 0)
            self.assertFalse(IntakeFile.objects.exists())
        path.write_bytes(data)
        self.settle(source)
        self.assertEqual(IntakeFile.objects.get().state, "ready")
        self.assertEqual(IntakeFile.objects.get().rows.get().frames, 151)

    def test_one_that_is_written_while_it_is_read_waits(self):
        source = self.watch()
        path = self.folder / "walk.bvh"
        path.write_bytes(WALK.read_bytes())
        self.look(source)
        own = Path.read_bytes

        def written_meanwhile(path: Path) -> bytes:
            data = own(path)
            path.write_bytes(data + b"\n")
            return data

        with mock.patch.object(Path, "read_bytes", written_meanwhile):
            self.assertEqual(self.look(source), 0)
        self.assertFalse(IntakeFile.objects.exists())
        self.assertEqual(self.settle(source), 1)

    def test_what_is_newer_is_a_new_version_of_its_clip(self):
        source = self.watch()
        path = self.folder / "walk.bvh"
        path.write_bytes(WALK.read_bytes())
        self.settle(source)
        self.accept_all()
        clip = Clip.objects.get()
        for frames in (40, 60):
            lines = WALK.read_text().replace("Frames: 151", f"Frames: {frames}").splitlines(keepends=True)
            motion = next(n for n, line in enumerate(lines) if line.startswith("Frame Time"))
            path.write_text("".join(lines[: motion + 1 + frames]))
            self.assertEqual(self.settle(source), 1)
            self.assertEqual(IntakeRow.objects.get().becomes, clip)
            self.accept_all()
            self.assertEqual(Clip.objects.get().frames, frames)
        self.assertEqual(Clip.objects.get().revision, 3)

    def test_what_is_like_what_was_accepted_is_accepted_by_itself(self):
        source = self.watch(accepts=True)
        (self.folder / "walk.bvh").write_bytes(WALK.read_bytes())
        self.settle(source)
        self.assertEqual(Clip.objects.count(), 0, "the first of its kind waits for a look")
        self.accept_all()
        (self.folder / "bow.bvh").write_bytes(BOW.read_bytes())
        (self.folder / "stroll.glb").write_bytes((DEMO / "gallery" / "stroll.glb").read_bytes())
        (self.folder / "porter.glb").write_bytes(PORTER.read_bytes())
        self.settle(source)
        self.assertEqual(set(Clip.objects.values_list("name", flat=True)), {"walk", "bow"})
        self.assertEqual(
            set(IntakeFile.objects.values_list("path", flat=True)), {"stage/stroll.glb", "stage/porter.glb"}
        )

    def test_they_are_put_aside_where_that_is_wanted(self):
        source = self.watch(moves=True)
        for name in ("walk.bvh", "night/walk.bvh"):
            path = self.folder / name
            path.parent.mkdir(exist_ok=True)
            path.write_bytes((WALK if name == "walk.bvh" else BOW).read_bytes())
        self.settle(source)
        self.assertEqual(sorted(p.relative_to(self.folder).as_posix() for p in self.folder.rglob("*.bvh")),
                         ["taken in/night/walk.bvh", "taken in/walk.bvh"])  # fmt: skip
        self.assertEqual(set(self.states().values()), {"taken"})
        self.accept_all()
        # Another of the same name goes beside it.
        (self.folder / "walk.bvh").write_bytes((DEMO / "hall" / "creep.bvh").read_bytes())
        self.assertEqual(self.settle(source), 1)
        self.assertTrue((self.folder / "taken in" / "walk 2.bvh").is_file())
        self.assertEqual(set(IntakeRow.objects.values_list("becomes", flat=True)), {None}, "it is another file")
        self.assertEqual(self.settle(source), 0, "what was put aside is not looked at")

    def test_what_is_unfinished_hidden_or_elsewhere_is_let_alone(self):
        source = self.watch()
        outside = self.folder.parent / "secret.bvh"
        outside.write_bytes(WALK.read_bytes())
        (self.folder / "link.bvh").symlink_to(outside)
        (self.folder / "around").symlink_to(self.folder)
        for name in (".hidden.bvh", "walk.bvh.part", "walk.bvh.tmp", "~", "notes.txt", "walk.bvh~"):
            (self.folder / name).write_bytes(WALK.read_bytes())
        self.assertEqual(self.settle(source), 0)
        self.assertEqual(self.states(), {})

    def test_what_cannot_be_read_is_one_sentence_and_holds_nothing_up(self):
        source = self.watch()
        (self.folder / "broken.bvh").write_bytes(WALK.read_bytes()[:700])
        (self.folder / "large.glb").write_bytes(PORTER.read_bytes())
        (self.folder / "walk.bvh").write_bytes(WALK.read_bytes())
        (self.folder / "empty.bvh").write_bytes(b"")
        with override_settings(LARGEST_UPLOAD=1_000_000):
            self.settle(source)
        self.assertEqual(self.states()["large.glb"], "refused")
        self.assertIn("the limit is", self.sentences()["large.glb"])
        by_path = {file.path: file for file in IntakeFile.objects.all()}
        self.assertEqual(by_path["stage/broken.bvh"].state, "refused")
        self.assertEqual(by_path["stage/empty.bvh"].state, "refused")
        self.assertEqual(by_path["stage/walk.bvh"].state, "ready")
        # Made smaller it comes in by itself.
        (self.folder / "large.glb").write_bytes((DEMO / "gallery" / "stroll.glb").read_bytes())
        self.assertEqual(self.settle(source), 1)

    def test_who_watches_and_who_asks_at_the_same_time_take_a_file_in_once(self):
        source = self.watch(moves=True)
        for number in range(12):
            (self.folder / f"{number}.bvh").write_bytes(WALK.read_bytes() + b"\n" * number)
        problems = []
        with mock.patch("studio.sources.services.intake.read_file"):
            for now in (200.0, 210.0, 220.0):
                problems += at_once(lambda now=now: folders.look(Source.objects.get(pk=source.pk), now), 4)
        self.assertEqual(problems, [])
        self.assertEqual(IntakeFile.objects.count(), 12)
        self.assertEqual(set(self.states().values()), {"taken"})
        self.assertEqual(len(list((self.folder / "taken in").iterdir())), 12)

    def test_a_folder_that_goes_is_said_and_comes_back(self):
        source = self.watch()
        (self.folder / "walk.bvh").write_bytes(WALK.read_bytes())
        self.settle(source)
        away = self.folder.rename(self.folder.with_name("away"))
        watching.look_and_note(Source.objects.get())
        row = self.send("GET", "sources/")[0]
        self.assertIn("the folder cannot be opened; see that it is there.", row["sentence"])
        self.assertEqual(row["taken"], 1)
        away.rename(self.folder)
        watching.look_and_note(Source.objects.get())
        self.assertEqual(self.send("GET", "sources/")[0]["sentence"], "")
        self.assertEqual(self.settle(source), 0)

    def test_takes_of_the_stage(self):
        source = self.watch()
        stage = takes()
        for _ in range(4):
            name, data = next(stage)
            write_slowly(self.folder / name, data, 0.0)
        self.settle(source)
        self.assertEqual({row.state for row in IntakeFile.objects.all()}, {"ready"})
        alone = IntakeRow.objects.filter(file__together=None)
        self.assertEqual({row.first for row in alone}, {12}, "what was held for calibration is left out")
        two = IntakeFile.objects.exclude(together=None)
        self.assertEqual(two.count(), 2)
        self.assertEqual(set(two.values_list("source_name", flat=True)), {"stage"})

    def test_archives_bring_their_files_along(self):
        source = self.watch(accepts=True)
        path = self.folder / "night.zip"
        with zipfile.ZipFile(path, "w") as archive:
            archive.write(WALK, "hall/walk.bvh")
            archive.write(BOW, "hall/bow.bvh")
        self.assertEqual(self.settle(source), 1)
        self.assertEqual(set(IntakeFile.objects.values_list("source_name", flat=True)), {"stage"})
        self.accept_all()
        self.assertEqual(Clip.objects.count(), 2)
        with zipfile.ZipFile(path, "w") as archive:
            archive.writestr("hall/walk.bvh", WALK.read_text().replace("Frame Time: 0.0333333", "Frame Time: 0.05"))
            archive.write(BOW, "hall/bow.bvh")
        self.settle(source)
        self.assertEqual(Clip.objects.get(name="walk").revision, 2, "accepted by itself, as a new version")
        self.assertEqual(Clip.objects.get(name="bow").revision, 1)

    def test_what_may_be_watched(self):
        for location, sentence in (
            ("", "whole path"),
            ("stage", "whole path"),
            (str(self.folder / "nowhere"), "there is no such folder"),
            (str(WALK), "this is a file"),
            (str(settings.DATA), "the studio's own data"),
            ("/", "the studio's own data"),
            ("/\0", "it cannot be opened"),
        ):
            with self.subTest(location):
                refused = self.send("POST", "sources/", 422, kind="folder", location=location)
                self.assertIn(sentence, refused["detail"])
        self.watch()
        refused = self.send("POST", "sources/", 422, kind="folder", location=f"{self.folder}/../stage")
        self.assertIn("watched already", refused["detail"])
        Source.objects.all().delete()
        with override_settings(SOURCE_ROOTS=[Path("/srv/motion")]):
            refused = self.send("POST", "sources/", 422, kind="folder", location=str(self.folder))
            self.assertIn("outside of what may be watched (/srv/motion)", refused["detail"])


class Rows(SourceCase):
    def test_two_people_at_one_source(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        made = self.send("POST", "sources/", 201, kind="folder", location=folder.name, name="  the   stage ")
        self.assertEqual(made["name"], "the stage")
        path = f"/api/sources/{made['id']}"
        headers = {"If-Match": f'"{made["lock_version"]}"'}

        def change(**body: object) -> int:
            return self.client.patch(path, body, content_type="application/json", headers=headers).status_code

        self.assertEqual([change(name="a"), change(active=False), change(name="b")], [200, 200, 409])
        self.assertEqual(self.client.patch(path, {"name": " "}, content_type="application/json").status_code, 422)
        self.assertEqual(self.client.delete(path).status_code, 204)
        self.assertEqual(self.client.delete(path).status_code, 404)

    def test_a_source_that_fails_ends_nothing(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        made = self.send("POST", "sources/", 201, kind="folder", location=folder.name)
        with (
            mock.patch.object(folders, "look", side_effect=RuntimeError("disk")),
            mock.patch.object(watching, "connection"),
            self.assertLogs("studio.sources.watching", "ERROR"),
        ):
            watching._watched(made["id"])
        with mock.patch.object(folders, "look", side_effect=BadInput("It cannot be opened.")):
            self.assertEqual(watching.look(Source.objects.get()), "It cannot be opened.")
