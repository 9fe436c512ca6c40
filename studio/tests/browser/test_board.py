"""The board and the review in the browser: swept, transferred, stopped, looked at, judged, and brought up to date."""

import json
from itertools import product

import numpy as np
from django.test import override_settings
from playwright.sync_api import expect

from armuto.tests.files import BOW, DEMO, PORTER, WALK, random_bvh
from studio.cast.models import Character
from studio.fittings.models import Fitting
from studio.ingest.services.reading import take_in
from studio.library.models import Clip
from studio.renditions.models import Rendition, Revision, Run, RunItem
from studio.renditions.services import board
from studio.tests.browser.full_studio import IMMEDIATE
from studio.tests.browser.studio_case import StudioCase
from studio.tests.snapshots import restore_or_make

RINGER = DEMO / "bellringer.glb"
CREEP = DEMO / "hall" / "creep.bvh"


class BoardCase(StudioCase):
    def setUp(self):
        super().setUp()
        restore_or_make(self.prepare)
        self.porter, self.ringer = Character.objects.get(name="porter"), Character.objects.get(name="bellringer")

    def prepare(self):
        """What is there when a test begins."""
        for path in (WALK, BOW, CREEP, PORTER, RINGER):
            take_in(path.read_bytes(), path.name)

    def cell(self, clip: str, character: str):
        return self.page.get_by_role("gridcell", name=f"{clip} on {character}:")

    def state(self, clip: str, character: str, state: str):
        expect(self.page.get_by_role("gridcell", name=f"{clip} on {character}: {state}")).to_be_visible()

    def swept(self, count: int):
        expect(self.page.locator("[role=gridcell][aria-selected=true]")).to_have_count(count)

    def sweep(self, first: tuple[str, str], last: tuple[str, str]):
        a, b = self.box_at_rest(self.cell(*first)), self.box_at_rest(self.cell(*last))
        self.page.mouse.move(a["x"] + 20, a["y"] + 20)
        self.page.mouse.down()
        self.page.mouse.move(b["x"] + b["width"] - 20, b["y"] + 30, steps=5)
        self.page.mouse.up()

    def act(self, word: str, count: int):
        self.page.locator(".acts").get_by_role("button", name=f"{word} {count}", exact=True).click()


class Board(BoardCase):
    def test_sweeping_by_pointer_and_keyboard(self):
        self.go("/board")
        expect(self.page.get_by_text("no fitting")).to_have_count(6)
        self.sweep(("bow", "porter"), ("creep", "bellringer"))
        self.swept(4)
        expect(self.page.get_by_text("4 cells: 2 clips on 2 characters")).to_be_visible()
        self.cell("walk", "porter").click(modifiers=["Control"])
        self.swept(5)
        self.cell("bow", "porter").click(modifiers=["Control"])
        self.swept(4)
        self.page.locator(".column", has_text="bellringer").click()
        self.swept(3)
        self.page.locator(".rows .clip", has_text="walk").click(modifiers=["Control"])
        self.swept(4)
        # From the keyboard: the focus moves, Shift draws on, Space adds one, Esc lets go.
        self.page.keyboard.press("Escape")
        self.swept(0)
        grid = self.page.get_by_role("grid")
        grid.focus()
        for key in ("Home", "PageUp", "ArrowLeft"):
            self.page.keyboard.press(key)
        self.page.keyboard.press("Shift+ArrowDown")
        self.swept(2)
        self.page.keyboard.press("ArrowDown")
        self.page.keyboard.press("Space")
        self.swept(3)
        self.page.keyboard.press("Control+a")
        self.swept(6)
        # What is filtered away is not swept any more.
        self.page.get_by_label("Find clips").fill("bo")
        self.swept(2)
        self.page.get_by_role("button", name="Show all").click()
        self.swept(2)

    def test_transferred_accepted_changed_and_brought_up_to_date(self):
        self.go("/board")
        self.page.get_by_role("button", name="Sweep all").click()
        expect(
            self.page.get_by_text("6 transfers: all through a fitting that is proposed, not confirmed.")
        ).to_be_visible()
        expect(self.page.get_by_text("Without a fitting yet, proposed with the transfer")).to_be_visible()
        self.act("Transfer", 6)
        expect(self.page.get_by_text("3 clips on 2 characters: all 6 transfers are through, 6 good.")).to_be_visible()
        self.state("walk", "porter", "good; its fitting is proposed")
        self.act("Accept", 6)
        self.state("walk", "bellringer", "accepted")
        # Taken back and made again.
        self.page.get_by_role("grid").focus()
        self.page.keyboard.press("Control+z")
        self.state("walk", "bellringer", "good")
        self.page.keyboard.press("Control+Shift+z")
        self.state("walk", "bellringer", "accepted")
        clip = Clip.objects.get(name="walk")
        self.client.patch(f"/api/library/clips/{clip.pk}", json.dumps({"last": 80}), content_type="application/json")
        self.page.reload()
        for name in ("porter", "bellringer"):
            self.state("walk", name, "out of date; an accepted result is kept")
        self.state("bow", "porter", "accepted")
        self.page.get_by_role("button", name="out of date 2").click()
        expect(self.page.locator(".rows .clip")).to_have_count(1)
        self.page.get_by_role("button", name="Sweep all").click()
        expect(
            self.page.get_by_text("2 transfers: 2 of them are accepted already; the accepted result stays")
        ).to_be_visible()
        self.act("Bring up to date", 2)
        # As soon as nothing is out of date any more, the empty list offers it as well.
        self.page.get_by_role("button", name="Show all").first.click()
        for name in ("porter", "bellringer"):
            self.state("walk", name, "good; an accepted result is kept")
        self.assertEqual(Revision.objects.count(), 8)
        # Retired, and back again.
        self.sweep(("walk", "porter"), ("walk", "porter"))
        self.act("Retire", 1)
        self.state("walk", "porter", "not yet")
        self.page.locator(".messages").get_by_role("button", name="Undo").last.click()
        self.state("walk", "porter", "good; an accepted result is kept")
        # What was sent back is found by that, whatever its state.
        row = Rendition.objects.get(clip__name="bow", character=self.ringer)
        note = json.dumps({"note": "the hat slips"})
        self.client.post(f"/api/renditions/{row.pk}/send-back", note, content_type="application/json")
        self.page.reload()
        self.page.get_by_role("button", name="sent back 1").click()
        expect(self.page.locator(".rows .clip")).to_have_count(1)
        self.state("bow", "bellringer", "good; sent back")

    def test_a_cell_leads_to_its_fitting_or_its_result(self):
        self.go("/board")
        self.cell("bow", "porter").dblclick()
        self.page.wait_for_url("**/fittings/*")
        self.page.go_back()
        self.state("bow", "porter", "not yet; its fitting is proposed")
        self.cell("bow", "porter").click()
        self.act("Transfer", 1)
        self.state("bow", "porter", "good")
        self.page.keyboard.press("Enter")
        self.page.wait_for_url("**/review/*")

    def test_a_run_is_stopped_gone_on_with_and_seen_from_another_view(self):
        for number in range(12):
            take_in(random_bvh(600, number), f"chore {number:02}.bvh")
        broken = Clip.objects.get(name="chore 05")
        broken.motion.rotations = b"\0" * 16
        broken.motion.save()
        self.go("/board")
        self.page.locator(".rows .heading", has_text="chore").click()
        self.act("Transfer", 24)
        self.page.locator("header .work").click()
        self.page.get_by_role("button", name="Stop").click()
        expect(self.page.get_by_role("button", name="Continue")).to_be_visible()
        run = Run.objects.get()
        through = run.items.filter(state="done").count()
        self.assertLess(through, 24)
        self.page.wait_for_timeout(1200)
        self.assertEqual(run.items.filter(state="done").count(), through, "it goes on although it was stopped")
        self.assertFalse(Rendition.objects.filter(work__in=["waiting", "running"]).exists())
        self.page.get_by_role("button", name="Continue").click()
        self.nav("Library")
        # One broken clip does not stop the rest, and the end is said wherever one is.
        expect(self.page.get_by_text("all 24 transfers are through")).to_be_visible()
        self.assertEqual(RunItem.objects.filter(state="failed").count(), 2)
        self.page.get_by_role("link", name="See the run").click()
        expect(self.page.locator("tbody tr").first).to_contain_text("failed")  # before what is done
        self.page.get_by_role("button", name="failed 2").click()
        expect(self.page.get_by_text("chore 05: transferring it to porter failed")).to_be_visible()
        broken.motion.rotations = Clip.objects.get(name="chore 06").motion.rotations
        broken.motion.save()
        self.page.get_by_role("button", name="Try the 2 failed again").click()
        self.page.get_by_role("button", name="all 24").click()
        expect(self.page.locator("tbody tr", has_text="chore 05").get_by_role("link")).to_have_count(2)
        self.assertEqual((Revision.objects.count(), Run.objects.get().state), (24, "finished"))


class PerformedCase(BoardCase):
    """All three clips performed by both characters."""

    def prepare(self):
        super().prepare()
        with override_settings(TASKS=IMMEDIATE):
            board.transfer(product(*(rows.values_list("pk", flat=True) for rows in (Clip.objects, Character.objects))))

    def setUp(self):
        super().setUp()
        self.go("/board")
        self.state("walk", "porter", "good")
        self.page.get_by_role("button", name="Sweep all").click()


class Review(PerformedCase):
    def figure(self, frames: int, key: str = "character"):
        self.page.wait_for_function(f"() => window.armuto?.stage?.figure('{key}')?.frames === {frames}")

    def test_one_after_the_other_from_the_keyboard(self):
        made = Revision.objects.get(rendition__clip__name="creep", rendition__character=self.porter)
        made.findings = [
            {
                "kind": "floor", "part": "left toes", "frames": [40, 52], "size": 3.0, "source": 0.0, "unit": "cm",
                "text": "The left toes go 3.0 cm into the floor.", "grade": "look", "mend": "hold", "spans": [[40, 52]],
            }
        ]  # fmt: skip
        made.rank, made.grade = 103.0, "look"
        made.save()
        self.go("/review")
        expect(self.page.locator(".queue li")).to_have_count(6)
        expect(self.page.get_by_role("heading", name="creep on porter")).to_be_visible()
        self.figure(made.frames)
        self.at_frame(40)  # it opens where the worst is
        self.page.keyboard.press("Home")
        self.page.keyboard.press("Shift+ArrowRight")
        self.at_frame(40)
        self.page.keyboard.press("a")
        self.page.wait_for_url(f"**/review/{self.rendition('bow', 'bellringer').pk}")
        self.assertEqual(self.rendition("creep", "porter").accepted_id, made.pk)
        self.page.keyboard.press("s")
        self.page.keyboard.type("hands too far apart")
        self.page.keyboard.press("Enter")
        self.page.wait_for_url(f"**/review/{self.rendition('bow', 'porter').pk}")
        self.assertEqual(self.rendition("bow", "bellringer").note, "hands too far apart")
        expect(self.page.get_by_text("Sent back: hands too far apart")).to_be_visible()
        expect(self.page.get_by_text("4 wait")).to_be_visible()
        self.page.keyboard.press("Control+z")
        expect(self.page.get_by_text("5 wait")).to_be_visible()
        self.page.keyboard.press("p")
        self.page.wait_for_url(f"**/review/{self.rendition('bow', 'bellringer').pk}")
        self.page.keyboard.press("g")
        self.page.wait_for_url("**/fittings/*leaf=transfer*")
        fitting = Fitting.objects.get(character=self.ringer).pk
        self.assertIn(f"/fittings/{fitting}?clip=", self.page.url)

    def rendition(self, clip: str, character: str) -> Rendition:
        return Rendition.objects.get(clip__name=clip, character__name=character)

    def test_two_results_and_the_whole_cast(self):
        row = self.rendition("walk", "porter")
        self.client.post(
            "/api/board/accept",
            json.dumps({"cells": [[row.clip_id, row.character_id]]}),
            content_type="application/json",
        )
        self.client.patch(
            f"/api/library/clips/{row.clip_id}", json.dumps({"first": 10}), content_type="application/json"
        )
        self.go(f"/review/{row.pk}")
        expect(self.page.get_by_text("the clip changed since it was made")).to_be_visible()
        self.figure(149)
        self.page.get_by_role("button", name="Bring up to date").click()
        self.page.get_by_role("button", name="Accepted, result 1").click()
        self.figure(141)
        self.figure(149, "other")
        # The first frame of the new one is the ninth of the old: the two are apart, and where most can be gone to.
        expect(self.page.get_by_text("furthest apart")).to_be_visible()
        self.page.keyboard.press("Home")
        self.page.get_by_role("button", name="All who perform it").click()
        # What is stepped to while they are fetched is where they are then seen.
        for _ in range(3):
            self.page.keyboard.press("ArrowRight")
        self.figure(149, f"cast {self.ringer.pk}")
        self.assertEqual(self.page.evaluate("() => window.armuto.stage.frame"), 3)
        roots = [np.array(self.joints(key))[0, 0] for key in ("source", "character", f"cast {self.ringer.pk}")]
        self.assertTrue(roots[0] < roots[1] < roots[2] and roots[2] - roots[0] > 1.0, roots)
        self.page.keyboard.press("o")
        roots = [np.array(self.joints(key))[0, 0] for key in ("source", "character", f"cast {self.ringer.pk}")]
        self.assertLess(np.ptp(roots), 0.3)

    def test_what_was_swept_is_what_is_reviewed(self):
        self.page.keyboard.press("Escape")
        self.sweep(("bow", "porter"), ("bow", "porter"))
        self.act("Review", 1)
        expect(self.page.locator(".queue li")).to_have_count(1)
        self.page.reload()
        expect(self.page.locator(".queue li")).to_have_count(1)
        self.page.get_by_role("button", name="all instead").click()
        expect(self.page.locator(".queue li")).to_have_count(6)
