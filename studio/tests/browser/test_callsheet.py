"""The call sheet in the browser: rows written, pasted and imported, clips taken by keys, the board, and paper."""

from playwright.sync_api import expect

from armuto.tests.files import BOW, DEMO, PORTER, WALK
from studio.callsheet import features
from studio.callsheet.models import WantedMotion
from studio.cast.models import Character
from studio.library.models import Clip
from studio.tests.browser.studio_case import LONG, StudioCase
from studio.tests.snapshots import take_in_once

TABLE = """Motion;Characters;Mood;Prop;Variants;Due;Note
walks through the hall;porter;;;1;2026-12-04;by night
takes a bow, stays in place;porter;;;1;2026-12-01;
dances a waltz;porter, Apprentice;merry;;1;next week;
"""


class CallSheet(StudioCase):
    def setUp(self):
        super().setUp()
        take_in_once(WALK, BOW, DEMO / "hall" / "creep.bvh", PORTER)

    def row(self, motion: str):
        return (
            self.page.get_by_role("list", name="Wanted motions")
            .get_by_role("listitem")
            .filter(has=self.page.get_by_role("button", name=f"{motion}:", exact=False))
        )

    def measured(self):
        """Until the motion of every clip is measured."""
        for _ in range(LONG // 250):
            if next(features.unmeasured(), None) is None:
                return
            self.page.wait_for_timeout(250)
        self.fail("some clips were not measured")

    def state(self, motion: str, state: str):
        expect(self.page.get_by_role("button", name=f"{motion}: {state}", exact=True)).to_be_visible()

    def test_from_a_spreadsheet_to_the_board_and_onto_paper(self):
        page = self.page
        path = self.folder / "night.csv"
        path.write_text(TABLE)
        self.go("/")
        self.nav("Call sheet")
        expect(page.get_by_label("Another wanted motion")).to_be_visible()
        self.choose_files("Import .csv", path)
        expect(page.get_by_text("3 motions came onto the call sheet.")).to_be_visible()
        expect(page.get_by_text("“next week” is no day that can be read")).to_be_visible()
        self.state("dances a waltz", "missing")
        self.state("walks through the hall", "to choose")
        self.state("takes a bow, stays in place", "to choose")
        # By keys: the first row, and the clip by the number that it has been given.
        self.measured()
        page.get_by_role("button", name="walks through the hall: to choose").press("Enter")
        pane = page.get_by_role("complementary", name="Clips for “walks through the hall”")
        expect(pane.get_by_text("takes steps: it takes").first).to_be_visible(timeout=LONG)
        card = pane.get_by_role("button", name="walk fits")
        page.keyboard.press(card.get_attribute("aria-keyshortcuts"))
        self.state("walks through the hall", "in work")
        expect(pane.get_by_role("button", name="walk chosen")).to_have_attribute("aria-pressed", "true")
        page.keyboard.press("ArrowDown")
        expect(page.get_by_role("complementary", name="Clips for “takes a bow, stays in place”")).to_be_visible()
        expect(page.get_by_text("bow: in its name")).to_be_visible()
        page.keyboard.press("1")
        self.state("takes a bow, stays in place", "in work")
        page.keyboard.press("Control+z")
        self.state("takes a bow, stays in place", "to choose")
        page.keyboard.press("Control+Shift+z")
        self.state("takes a bow, stays in place", "in work")
        page.keyboard.press("ArrowDown")
        expect(page.get_by_text("Nothing in the library fits.")).to_be_visible()
        expect(page.get_by_text("To do: porter 3.")).to_be_visible()
        page.keyboard.press("b")
        page.wait_for_url("**/board*")
        expect(page.get_by_text("2 cells: 2 clips on porter")).to_be_visible()
        page.locator(".acts").get_by_role("button", name="Transfer 2").press("Enter")
        expect(page.get_by_text("all 2 transfers are through")).to_be_visible(timeout=LONG)
        page.locator(".acts").get_by_role("button", name="Accept 2").press("Enter")
        page.get_by_role("button", name="Wanted", exact=True).press("Enter")
        done = page.get_by_role("button", name="walks through the hall by porter: done")
        expect(done).to_be_visible()
        expect(page.get_by_text("1 to do")).to_be_visible()
        done.press("Enter")
        expect(page.get_by_text("one cell: one clip on porter")).to_be_visible()
        page.get_by_role("button", name="dances a waltz by porter: missing").press("Enter")
        page.wait_for_url("**/callsheet?row=*")
        expect(page.get_by_role("complementary", name="Clips for “dances a waltz”")).to_be_visible()
        page.get_by_role("link", name="For paper").press("Enter")
        expect(page.get_by_role("row", name="walks through the hall 2026-12-04 done")).to_be_visible()
        page.emulate_media(media="print")
        expect(page.locator("header")).to_be_hidden()
        expect(page.get_by_role("button", name="Print")).to_be_hidden()
        expect(page.get_by_role("cell", name="missing")).to_be_visible()

    def test_written_by_hand_and_pasted(self):
        page = self.page
        self.go("/callsheet")
        page.get_by_label("Another wanted motion").fill("sneaks past the cases, slowly")
        page.keyboard.press("Enter")
        motion = page.get_by_role("textbox", name="Motion", exact=True)
        expect(motion).to_have_value("sneaks past the cases, slowly")
        page.get_by_role("button", name="for whom? nobody yet").press("Enter")
        page.get_by_role("checkbox", name="porter").check()
        page.keyboard.press("Escape")
        page.get_by_label("Mood").fill("afraid")
        page.get_by_label("Variants").fill("2")
        page.get_by_label("Note", exact=True).fill("nobody may hear")
        page.get_by_label("Note", exact=True).press("Tab")
        row = self.stored(mood="afraid", variants=2, note="nobody may hear")
        self.assertEqual([character.name for character in row.characters.all()], ["porter"])
        kept = "() => JSON.parse(sessionStorage.getItem('armuto.callsheet.past')).length === 5"
        page.wait_for_function(kept)
        page.reload()
        expect(page.get_by_label("Note", exact=True)).to_have_value("nobody may hear")
        # A step that was made before the reload can be taken back after it.
        page.get_by_role("button", name="Undo", exact=True).press("Enter")
        expect(page.get_by_label("Note", exact=True)).to_have_value("")
        # Rows of a spreadsheet, wherever they are pasted but into a field.
        page.evaluate(
            """() => {
                const data = new DataTransfer()
                data.setData('text/plain', 'walks\\tporter\\ttired\\nbows\\tporter')
                document.querySelector('.sheet').dispatchEvent(
                    new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true }))
            }"""
        )
        expect(motion).to_have_count(3)
        page.get_by_role("button", name="walks: to choose").press("Enter")
        expect(
            page.get_by_role("complementary", name="Clips for “walks”").get_by_role("listitem").first
        ).to_be_visible()
        page.keyboard.press("Delete")
        expect(motion).to_have_count(2)
        page.get_by_role("button", name="Undo", exact=True).first.press("Enter")
        expect(motion).to_have_count(3)
        # Any other clip, by its name.
        page.get_by_role("button", name="bows: to choose").press("Enter")
        page.get_by_label("Another clip").fill("walk")
        page.get_by_role("button", name="Take walk").press("Enter")
        self.state("bows", "in work")
        self.assertEqual(list(WantedMotion.objects.get(motion="bows").clips.all()), [Clip.objects.get(name="walk")])

    def stored(self, **fields: object) -> WantedMotion:
        for _ in range(100):
            row = WantedMotion.objects.filter(**fields).first()
            if row:
                return row
            self.page.wait_for_timeout(100)
        self.fail(f"not kept: {fields}, but {list(WantedMotion.objects.values())}")

    def test_what_others_write_is_seen(self):
        self.go("/callsheet")
        expect(self.page.get_by_label("Another wanted motion")).to_be_visible()
        other = self.page.context.new_page()
        other.goto(f"{self.live_server_url}/callsheet")
        other.get_by_label("Another wanted motion").fill("walks")
        other.keyboard.press("Enter")
        self.state("walks", "to choose")
        porter = Character.objects.get(name="porter")
        self.assertEqual(WantedMotion.objects.get().characters.filter(pk=porter.pk).count(), 0)
