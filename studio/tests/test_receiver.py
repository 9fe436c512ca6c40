"""Delivered archives before the receiver: three.js and nothing of the studio, which compares what it reads with the
places that the manifest says."""

import io
import json
import subprocess
import tempfile
import zipfile
from pathlib import Path

from studio.delivery.models import Delivery
from studio.tests.test_delivered_files import WEB
from studio.tests.test_renditions import TransferredStudio


class Receiver(TransferredStudio):
    def setUp(self):
        super().setUp()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "delivery.zip"

    def delivered(self, cells: list | None = None, **wanted) -> bytes:
        made = self.post("deliveries/", 201, cells=cells or self.cells(), wanted=wanted, name="night shift")
        return self.client.get(f"/api/deliveries/{made['id']}/archive?look=true").getvalue()

    def received(self, archive: bytes, status: int = 0) -> list[dict]:
        self.path.write_bytes(archive)
        done = self.run_receiver("--json")
        self.assertEqual(done.returncode, status, done.stdout[-2000:] + done.stderr)
        return json.loads(done.stdout.splitlines()[-1])

    def run_receiver(self, *more: str) -> subprocess.CompletedProcess:
        command = ["node", "receiver/print.js", str(self.path), *more]
        return subprocess.run(command, cwd=WEB, capture_output=True, text=True, timeout=400)

    def changed(self, archive: bytes, change) -> bytes:
        """The archive with what a function makes of its files."""
        with zipfile.ZipFile(io.BytesIO(archive)) as held:
            files = {name: held.read(name) for name in held.namelist()}
        change(files)
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as packed:
            for name, content in files.items():
                packed.writestr(name, content)
        return out.getvalue()

    def test_every_form_arrives_as_it_was_meant(self):
        for wanted in (
            {"mesh": False}, {"together": True}, {"first": 12, "fps": 48}, {"travel": "root"},
            {"travel": "in place", "mesh": False}, {"thinned": {"degrees": 0.3, "centimetres": 0.2}},
            {"kind": "dae", "unit": "inch", "up": "+Z"}, {"kind": "dae", "first": 7, "mesh": False},
            {"kind": "bvh", "unit": "mm", "up": "+Z"}, {"kind": "bvh", "up": "-X", "first": 5}, {},
        ):  # fmt: skip
            cells = self.cells() if not wanted else self.cells([self.walk, self.bow], [self.porter])
            with self.subTest(**wanted):
                rows = self.received(self.delivered(cells, **wanted))
                self.assertEqual(len(rows), len(cells))
                for row in rows:
                    self.assertTrue(row["read"] and row["same"], row)
                    self.assertEqual(len(row["places"]), 9)
                    self.assertEqual(len({place["joint"] for place in row["places"]}), 3)
                    self.assertLess(row["worst"], 1e-4 if "thinned" not in wanted else 2.1e-3)
        self.assertFalse(Delivery.objects.exclude(fetched=None).exists(), "to look at it is not to fetch it")

    def test_what_three_js_does_not_read_is_said_so(self):
        rows = self.received(self.delivered(kind="csv"))
        self.assertEqual({(row["read"], row["same"]) for row in rows}, {(False, True)})
        text = self.run_receiver().stdout
        self.assertIn("three.js reads glb, dae, bvh alone", text)

    def test_a_file_that_is_another_is_seen(self):
        def swap(files):
            walk, bow = "porter walk.glb", "porter bow.glb"
            files[walk], files[bow] = files[bow], files[walk]

        rows = self.received(self.changed(self.delivered(), swap), status=1)
        self.assertEqual({row["file"] for row in rows if not row["same"]}, {"porter walk.glb", "porter bow.glb"})
        self.assertIn("DIFFERS", self.run_receiver().stdout)

    def test_what_is_damaged_is_a_sentence_and_the_rest_is_looked_at(self):
        archive = self.delivered()

        def damage(files):
            del files["porter walk.glb"]
            files["porter bow.glb"] = files["porter bow.glb"][:500]

        rows = {row["file"]: row for row in self.received(self.changed(archive, damage), status=1)}
        self.assertIn("not in the archive", rows["porter walk.glb"]["problem"])
        self.assertIn("porter bow.glb: three.js cannot read it", rows["porter bow.glb"]["problem"])
        self.assertEqual(sum(row["same"] for row in rows.values()), 4)
        for content, sentence in (
            (archive[: len(archive) // 2], "cut short"),
            (self.changed(archive, lambda files: files.pop("manifest.json")), "no manifest.json"),
            (self.changed(archive, lambda files: files.update({"manifest.json": b"{"})), "damaged"),
            (self.changed(archive, lambda files: files.update({"manifest.json": b"{}"})), "no results"),
        ):
            self.path.write_bytes(content)
            done = self.run_receiver()
            self.assertEqual(done.returncode, 1)
            self.assertIn(sentence, done.stderr)
