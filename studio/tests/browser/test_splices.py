"""Splices in the browser: clips become one, candidates and the map are chosen from, and it goes on like any clip."""

import json
import re
import zipfile

import numpy as np
from playwright.sync_api import Route, expect

from armuto import formats
from armuto.tests.files import DEMO
from studio.ingest.services.reading import take_in
from studio.library.models import Clip
from studio.splices.models import Splice
from studio.tests.browser.test_board import BoardCase

CANDIDATES = re.compile("/api/splices/.*/candidates")
COST_MAP = re.compile("/api/splices/.*/map")


class Splices(BoardCase):
    def setUp(self):
        super().setUp()
        path = DEMO / "hall" / "wind_the_key.bvh"
        take_in(path.read_bytes(), path.name)
        self.wind = Clip.objects.order_by("-pk").first().name

    def splice(self, *names: str) -> Splice:
        """Tick clips in the library, and splice them."""
        self.go("/library")
        for name in names:
            self.page.get_by_label(f"Select {name}", exact=True).check(force=True)
        self.page.get_by_role("button", name="Splice", exact=True).click()
        self.page.wait_for_url("**/splices/*")
        expect(self.page.get_by_role("group", name="Spans of the splice")).to_be_visible()
        return Splice.objects.select_related("clip").order_by("-pk").first()

    def made(self, row: Splice) -> dict:
        return self.page.evaluate("id => fetch(`/api/splices/${id}`).then((answer) => answer.json())", row.pk)

    def saved(self, row: Splice, work) -> dict:
        """What is kept once work is done and answered."""
        with self.page.expect_response(
            lambda answer: answer.request.method == "PATCH" and "/api/splices/" in answer.url
        ) as answer:
            work()
        self.assertEqual(answer.value.status, 200, answer.value.text()[:300])
        return self.made(row)

    def joined(self, made: dict, join: int = 0) -> tuple[int, int]:
        spans = made["splice"]["spans"]
        return round(spans[join]["end"] * 30), round(spans[join + 1]["start"] * 30)

    def figure(self) -> np.ndarray:
        return np.array(self.joints("source"))

    def test_three_clips_become_one_that_two_characters_perform(self):
        row = self.splice("walk", "bow", self.wind)
        made = self.made(row)
        self.assertEqual(made["parts"], ["walk", "bow", self.wind])
        first = self.joined(made)
        # The best is refused: the next one is taken instead.
        rows = self.page.get_by_role("group", name="Where the clips meet").get_by_role("button")
        expect(rows.first).to_have_attribute("aria-pressed", "true")
        made = self.saved(row, rows.nth(1).click)
        self.assertNotEqual(self.joined(made), first)
        expect(rows.nth(1)).to_have_attribute("aria-pressed", "true")
        # Another place of the map.
        self.page.get_by_role("tab", name="Cost map").click()
        picture = self.page.locator(".picture")
        expect(picture).to_have_attribute("aria-label", re.compile("cm"))
        box = self.box_at_rest(picture)
        made = self.saved(row, lambda: picture.click(position={"x": box["width"] * 0.25, "y": box["height"] * 0.2}))
        out, into = self.joined(made)
        frames = [clip["frames"] - 1 for clip in made["clips"][:2]]
        self.assertAlmostEqual(out / frames[0], 0.8, delta=0.03)
        self.assertAlmostEqual(into / frames[1], 0.25, delta=0.03)
        # The winding is gone through twice.
        before = made["made"]["frames"]
        made = self.saved(row, self.page.get_by_role("button", name="Span 3 once more").click)
        self.assertGreater(made["made"]["frames"], before + 60)
        self.assertEqual([join["number"] for join in made["made"]["joins"]], [0, 1, None])
        # What is on the stage is what is kept.
        expect(self.page.get_by_text(f"of {made['made']['frames'] - 1}").first).to_be_visible()
        self.page.keyboard.press("End")
        clip = Clip.objects.get(pk=row.clip_id)
        world = clip.value().world()
        np.testing.assert_allclose(self.figure()[:41], world.positions[-1], atol=1e-4)
        # It goes on like any clip.
        self.page.get_by_role("button", name="To the board").press("Enter")
        self.page.wait_for_url("**/board*")
        name = clip.name
        self.cell(name, "porter").click()
        self.cell(name, "bellringer").click(modifiers=["Control"])
        self.act("Transfer", 2)
        expect(self.page.get_by_text("through")).to_be_visible()
        self.act("Deliver", 2)
        with self.page.expect_download() as download:
            self.page.get_by_role("button", name="Deliver 2 files").click()
        path = self.folder / "spliced.zip"
        download.value.save_as(path)
        with zipfile.ZipFile(path) as archive:
            rows = json.loads(archive.read("manifest.json"))["results"]
            self.assertEqual({each["character"] for each in rows}, {"porter", "bellringer"})
            for each in rows:
                document = formats.read(archive.read(each["file"]), each["file"])
                self.assertEqual(document.clips[0].frames, made["made"]["frames"])

    def test_by_hand_and_by_keyboard_with_the_way_back(self):
        row = self.splice("walk", "bow")
        out, into = self.joined(self.made(row))
        # A join drawn to the left shows at once and is kept when the hand lets go.
        join = self.page.get_by_role("slider", name="Join 1", exact=True)
        box, was = self.box_at_rest(join), join.get_attribute("aria-valuenow")
        before = self.made(row)["made"]["frames"]
        self.page.mouse.move(box["x"] + 12, box["y"] + 100)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + 40, box["y"] + 100, steps=4)
        expect(join).not_to_have_attribute("aria-valuenow", was)
        self.assertEqual(self.made(row)["made"]["frames"], before)
        made = self.saved(row, self.page.mouse.up)
        drawn = self.joined(made)
        self.assertGreater(drawn[0], out)
        self.assertEqual(drawn[0] - out, drawn[1] - into)
        # By keys: the end of a span, an undo across a reload, and the order of spans.
        end = self.page.get_by_role("slider", name="Last frame of span 1, walk")
        end.focus()

        def nudge():
            for _ in range(3):
                self.page.keyboard.press("ArrowLeft")

        made = self.saved(row, nudge)
        self.assertEqual(self.joined(made), (drawn[0] - 3, drawn[1]))
        self.page.reload()
        expect(self.page.get_by_role("button", name="Undo")).to_be_enabled()
        made = self.saved(row, lambda: self.page.keyboard.press("Control+z"))
        self.assertEqual(self.joined(made), drawn)
        made = self.saved(row, lambda: self.page.keyboard.press("Control+z"))
        self.assertEqual(self.joined(made), (out, into))
        made = self.saved(row, lambda: self.page.keyboard.press("Control+Shift+z"))
        self.assertEqual(self.joined(made), drawn)
        self.page.get_by_role("group", name="Span 1, walk, frames").focus()
        looked_for: list[Route] = []
        self.page.route(CANDIDATES, lambda route: looked_for.append(route))
        made = self.saved(row, lambda: self.page.keyboard.press("Alt+ArrowRight"))
        self.assertEqual(made["parts"], ["bow", "walk"])

        def take():
            self.page.keyboard.press("c")  # of the clips as they are now, whose candidates are still looked for
            for route in looked_for:
                route.continue_()
            self.page.unroute(CANDIDATES)

        found = self.client.get(f"/api/splices/{row.pk}/joins/0/candidates").json()
        made = self.saved(row, take)
        self.assertIn(self.joined(made), [(each["out"], each["into"]) for each in found])
        self.page.get_by_role("button", name="then …").click()
        self.page.get_by_label("The clip that it goes on with").fill("creep")
        made = self.saved(row, lambda: self.page.keyboard.press("Enter"))
        self.assertEqual(made["parts"], ["bow", "walk", "creep"])
        self.page.get_by_role("group", name="Span 2, walk, frames").focus()
        made = self.saved(row, lambda: self.page.keyboard.press("Delete"))
        self.assertEqual(made["parts"], ["bow", "creep"])

    def test_candidates_are_looked_for_in_frames_that_are_said(self):
        row, page = self.splice("walk", "bow"), self.page
        walk, bow = (part["frames"] for part in self.made(row)["clips"])
        joined = self.joined(self.made(row))

        def found(work) -> list[tuple[int, int]]:
            with page.expect_response(CANDIDATES) as looked:
                work()
            places = [(each["out"], each["into"]) for each in looked.value.json()]
            self.assertEqual(places[0], joined)  # where they are joined stays among them
            return places[1:]

        def typed(label: str, text: str) -> list[tuple[int, int]]:
            field = page.get_by_label(label, exact=True)
            field.fill(text)
            return found(lambda: field.press("Enter"))

        # The first half of the walk is looked at as little as the last of the bow, unless somebody says so.
        usual = typed("walk, to", "40")
        self.assertTrue(usual and all(out <= 40 and into <= bow // 2 for out, into in usual), usual)
        typed("walk, out of", "20")
        places = typed("bow, into", str(bow // 2))
        self.assertTrue(places and all(20 <= out <= 40 and into >= bow // 2 for out, into in places), places)
        places = found(page.get_by_role("button", name="As usual").click)
        self.assertTrue(all(out >= walk // 2 and into <= bow // 2 for out, into in places), places)
        expect(page.get_by_label("walk, to", exact=True)).to_have_value("")
        # Drawn where the map will be: a quarter to half of either clip, in which nothing is joined by it.
        held: list[Route] = []
        page.route(COST_MAP, lambda route: held.append(route))
        with page.expect_request(COST_MAP):
            page.get_by_role("tab", name="Cost map").click()
        cost_map = page.get_by_role("application")
        box = self.box_at_rest(cost_map)

        def draw():
            page.mouse.move(box["x"] + box["width"] * 0.25, box["y"] + box["height"] * 0.75)
            page.mouse.down()
            page.mouse.move(box["x"] + box["width"] * 0.5, box["y"] + box["height"] * 0.5, steps=3)
            page.mouse.up()

        places = found(draw)
        self.assertTrue(places)
        for out, into in places:
            self.assertTrue(
                walk * 0.25 - 2 <= out <= walk * 0.5 + 1 and bow * 0.25 - 2 <= into <= bow * 0.5 + 1, places
            )
        self.assertEqual(self.joined(self.made(row)), joined)
        expect(page.get_by_label("walk, out of", exact=True)).not_to_have_value("")
        for route in held:
            route.continue_()
        page.unroute(COST_MAP)
        cost_map.focus()
        page.mouse.move(10, 10)
        self.assertTrue(all(out >= walk // 2 for out, _ in found(lambda: page.keyboard.press("Escape"))))

    def test_fields_of_a_join_and_a_clip_that_changes(self):
        row = self.splice("walk", "bow")
        before = self.made(row)["made"]["joins"][0]
        overlap = self.page.get_by_label("Join 1, Overlap s")
        overlap.fill("0.5")
        made = self.saved(row, lambda: overlap.press("Enter"))
        join = made["made"]["joins"][0]
        self.assertEqual(join["last"] - join["first"] + 1, 15)
        made = self.saved(row, lambda: self.page.get_by_label("what is held still").select_option("hips"))
        self.assertEqual(made["made"]["joins"][0]["pivot"], "hips")
        turn = self.page.get_by_label("Join 1, Goes on turning °")
        turn.fill("60")
        made = self.saved(row, lambda: turn.press("Enter"))
        self.assertEqual(made["splice"]["joins"][0]["turn"], 60)
        self.assertNotEqual(before["pivot"], "hips")
        # One of its clips changes elsewhere: the splice follows, and this page shows it.
        walk = Clip.objects.get(name="walk")
        self.page.evaluate(
            """id => fetch(`/api/library/clips/${id}`, {
                method: 'PATCH',
                headers: { 'Content-Type': 'application/json',
                           'X-CSRFToken': /armuto_csrf=([^;]+)/.exec(document.cookie)[1] },
                body: JSON.stringify({ first: 2, last: 40 }),
            })""",
            walk.pk,
        )
        expect(self.page.get_by_text("the clip ends at")).to_be_visible()
        made = self.saved(row, self.page.get_by_role("button", name="Place its joins anew").click)
        self.assertEqual((made["problem"], made["splice"]["joins"][0]["turn"]), ("", 60))
        self.assertLess(self.joined(made)[0], 39)
        expect(self.page.get_by_text("the clip ends at")).to_be_hidden()
        expect(self.page.get_by_role("group", name="Spans of the splice")).to_be_visible()
