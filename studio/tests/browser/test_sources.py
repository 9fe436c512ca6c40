"""From a call sheet to the receiver: what is missing comes from a library elsewhere and from a watched folder."""

import json
import threading
import zipfile

from playwright.sync_api import expect

from armuto.tests.files import BOW, PORTER, WALK
from standins.capture_stage import takes, write_slowly
from standins.outside_library import outside_library
from studio.ingest.models import IntakeFile
from studio.ingest.services.reading import take_in
from studio.library.models import Clip
from studio.sources.watching import watch
from studio.tests.browser.studio_case import LONG, StudioCase

TABLE = """Motion,Characters,Due
takes a bow,porter,2026-12-01
walks backwards,porter,2026-12-04
"""
TENTH = 0.1  # millimetres


class FromElsewhere(StudioCase):
    def state(self, motion: str, state: str):
        expect(self.page.get_by_role("button", name=f"{motion}: {state}", exact=True)).to_be_visible(timeout=LONG)

    def watch_for_good(self):
        ending = threading.Event()
        watching = threading.Thread(target=watch, args=(ending,))
        watching.start()
        self.addCleanup(watching.join)
        self.addCleanup(ending.set)

    def test_from_the_call_sheet_by_way_of_a_library_elsewhere_to_the_receiver(self):
        page = self.page
        for path in (WALK, BOW, PORTER):
            take_in(path.read_bytes(), path.name)
        served = outside_library()
        address, _ = served.__enter__()
        self.addCleanup(served.__exit__, None, None, None)
        path = self.folder / "night.csv"
        path.write_text(TABLE)
        self.go("/callsheet")
        self.choose_files("Import .csv", path)
        self.state("takes a bow", "to choose")
        self.state("walks backwards", "missing")
        page.get_by_role("button", name="takes a bow: to choose").press("Enter")
        expect(page.get_by_text("bow: in its name")).to_be_visible()
        page.keyboard.press("1")
        self.state("takes a bow", "in work")
        # What is missing is lent elsewhere.
        self.go("/library/sources")
        expect(page.get_by_role("heading", name="Nothing is watched yet")).to_be_visible()
        page.get_by_role("button", name="An address").press("Enter")
        page.get_by_label("Its address").fill(address)
        page.get_by_role("button", name="Watch it").press("Enter")
        pack = page.get_by_role("region", name="Moves for the night")
        expect(pack.get_by_text("free to use and change")).to_be_visible()
        plate = pack.locator("img").first
        expect(plate).to_have_js_property("complete", True)
        self.assertGreater(plate.evaluate("(image) => image.naturalWidth"), 0, "a plate is shown")
        page.get_by_label("Find in this source").fill("backwards walk")
        pack.get_by_role("checkbox", name="walk backwards").check()
        page.get_by_role("button", name="Bring in 1").press("Enter")
        expect(pack.get_by_text("came in")).to_be_visible(timeout=LONG)
        page.get_by_role("link", name="To the intake").press("Enter")
        expect(page.get_by_text("from the source “127.0.0.1”")).to_be_visible(timeout=LONG)
        page.get_by_role("button", name="Accept 1 clip").press("Enter")
        expect(page.get_by_text("The intake has been accepted.")).to_be_visible()
        self.nav("Call sheet")
        self.state("walks backwards", "to choose")
        page.get_by_role("button", name="walks backwards: to choose").press("Enter")
        expect(page.get_by_text("travels backward: it travels").first).to_be_visible()
        page.keyboard.press("1")
        self.state("walks backwards", "in work")
        page.keyboard.press("b")
        acts = page.locator(".acts")
        acts.get_by_role("button", name="Transfer 2").press("Enter")
        expect(page.get_by_text("all 2 transfers are through")).to_be_visible(timeout=LONG)
        acts.get_by_role("button", name="Deliver 2").press("Enter")
        with page.expect_download() as download:
            page.get_by_role("button", name="Deliver 2 files").press("Enter")
        out = self.folder / "out.zip"
        download.value.save_as(out)
        with zipfile.ZipFile(out) as archive:
            rows = json.loads(archive.read("manifest.json"))["results"]
        self.assertEqual({row["clip_name"] for row in rows}, {"bow", "walk backwards"})
        with page.context.expect_page() as opened:
            page.get_by_role("link", name="Open as the receiver sees it").press("Enter")
        receiver = opened.value
        expect(receiver.get_by_role("status")).to_have_text("2 of 2 are as they were meant", timeout=LONG)
        for n in range(2):
            receiver.locator("#results button").nth(n).press("Enter")
            places = receiver.locator("#places tbody tr")
            expect(places).to_have_count(9)
            for row in places.all_inner_texts():
                self.assertLessEqual(float(row.split()[-2]), TENTH, row)
        receiver.close()

    def test_takes_of_a_stage_come_by_themselves(self):
        page = self.page
        folder = self.folder / "stage"
        folder.mkdir()
        self.watch_for_good()
        self.go("/library/sources")
        page.get_by_label("Its whole path").fill(str(folder))
        page.get_by_label("Its whole path").press("Enter")
        expect(page.get_by_text("No file that can be read lies in it yet.")).to_be_visible()
        page.get_by_label("accept what is like before").check()
        stage = takes()
        name, data = next(stage)
        write_slowly(folder / name, data, 3.0)
        expect(page.get_by_role("row", name=f"{name} came in")).to_be_visible(timeout=LONG)
        page.get_by_role("link", name="To the intake").press("Enter")
        page.get_by_role("button", name="Accept 1 clip").press("Enter")
        expect(page.get_by_text("The intake has been accepted.")).to_be_visible()
        # The next one is on the skeleton of the first, and is accepted by itself, whoever looks.
        name, data = next(stage)
        write_slowly(folder / name, data, 0.5)
        self.nav("Library")
        expect(page.locator(".clip")).to_have_count(2, timeout=LONG)
        self.assertFalse(IntakeFile.objects.exists())
        self.assertEqual({clip.first for clip in Clip.objects.all()}, {12}, "without what was held for calibration")
        page.go_back()
        self.go("/library/sources")
        page.get_by_role("button", name="Watch no longer").press("Enter")
        expect(page.get_by_role("heading", name="Nothing is watched yet")).to_be_visible()
        page.get_by_role("button", name="Undo").press("Enter")
        expect(page.get_by_label("Name of the source")).to_have_value("stage")
        self.assertEqual(Clip.objects.count(), 2)
