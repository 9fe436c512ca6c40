"""What is at hand where the pointer is: menus of clips, cells, figures and bones, the list of clips, preferences."""

import re

from playwright.sync_api import Locator, expect

from studio.cast.models import Character
from studio.fittings.models import Fitting
from studio.library.models import Clip
from studio.tests.browser.full_studio import FullStudio

CONTROLS = "() => ({...armuto.stage.controls.mouseButtons, zoom: armuto.stage.controls.zoomSpeed})"


class AtHand(FullStudio):
    def items(self, title: str) -> list[str]:
        menu = self.page.get_by_role("menu", name=title)
        expect(menu.get_by_role("menuitem").first).to_be_focused()
        return [text.split("\n")[0] for text in menu.get_by_role("menuitem").all_inner_texts()]

    def item(self, name: str) -> Locator:
        return self.page.get_by_role("menuitem", name=re.compile(f"^{name}"))

    def test_clips_and_their_list(self) -> None:
        self.go("/library")
        card = self.page.locator(".clip", has_text="bow").first
        card.click(button="right")
        items = self.items("bow")
        self.assertEqual(items[:4], ["Open", "Select", "See it on porter", "See it on fox"])
        # By keys: on to the second, which selects it; the menu is gone and nothing else happened.
        self.page.keyboard.press("ArrowDown")
        self.page.keyboard.press("Enter")
        expect(self.page.get_by_role("menu")).to_have_count(0)
        expect(card.get_by_role("checkbox")).to_be_checked()
        card.get_by_role("link", name="Open bow").focus()
        self.page.keyboard.press("Shift+F10")
        self.assertIn("Select it no longer", self.items("bow"))
        self.page.keyboard.press("Escape")
        expect(self.page.get_by_role("menu")).to_have_count(0)
        expect(card.get_by_role("link", name="Open bow")).to_be_focused()
        expect(card.get_by_role("checkbox")).to_be_checked()
        card.get_by_role("checkbox").uncheck()
        self.page.keyboard.press("l")
        rows = self.page.get_by_role("table", name="Clips").get_by_role("row")
        expect(rows).to_have_count(5)
        names = rows.get_by_role("link")

        def order() -> list[str]:
            return [text.split(" ")[0] for text in names.all_inner_texts()]

        self.assertEqual(order(), ["bow", "greet", "Up", "walk"])
        by_length = self.page.get_by_role("columnheader", name="length")
        by_length.get_by_role("button").click()
        expect(by_length).to_have_attribute("aria-sort", "descending")
        longest = order()
        self.assertEqual(longest[0], "Up")
        by_length.get_by_role("button").click()
        expect(by_length).to_have_attribute("aria-sort", "ascending")
        self.assertEqual(order(), longest[::-1])
        self.page.wait_for_url("**order=longest**reverse=yes**")
        self.page.reload()
        expect(rows).to_have_count(5)
        self.assertEqual(order(), longest[::-1])
        rows.nth(1).get_by_role("checkbox").check()
        rows.nth(3).get_by_role("checkbox").click(modifiers=["Shift"])
        expect(self.page.get_by_role("checkbox", checked=True)).to_have_count(3)
        self.page.keyboard.press("l")
        expect(self.page.locator(".clip")).to_have_count(4)
        card.click(button="right")
        self.item("See it on porter").click()
        self.page.wait_for_url("**/fittings/**")

    def test_a_cell_of_the_board(self) -> None:
        self.go("/board")
        bow, porter = Clip.objects.get(name="bow"), Character.objects.get(name="porter")
        cell = self.page.locator(f"[id='cell-{bow.pk}.{porter.pk}']")
        expect(cell).to_be_visible()
        cell.click(button="right")
        self.assertEqual(self.items("bow on porter")[:2], ["Open", "Transfer"])
        expect(self.item("Retire")).to_be_enabled()  # what can be done is told while the menu is open
        expect(self.item("Bring up to date")).to_be_disabled()
        self.page.keyboard.press("Escape")
        expect(self.page.get_by_role("grid")).to_be_focused()
        self.page.keyboard.press("Shift+F10")
        self.items("bow on porter")
        self.item("Review").click()
        self.page.wait_for_url("**/review**")

    def test_figures_and_bones(self) -> None:
        porter = Character.objects.get(name="porter")
        self.go("/cast")
        self.page.locator(".label", has_text="porter").click(button="right")
        self.assertEqual(self.items("porter")[:2], ["Its sheet", "Fetch its file"])
        with self.page.expect_download() as fetched:
            self.item("Fetch its file").click()
        self.assertEqual(fetched.value.path().read_bytes(), porter.original.content.data)
        self.page.locator(".label", has_text="porter").click(button="right")
        self.item("Its sheet").click()
        self.page.wait_for_url(f"**character={porter.pk}")
        # On the stage, and not where the pointer was drawn along.
        self.go(f"/fittings/{Fitting.objects.get(character=porter).pk}?leaf=transfer&frame=20")
        self.page.wait_for_function("() => window.armuto?.stage?.figure('character')?.frames > 1")
        self.at_frame(20)
        wrist = porter.skeleton.value().names.index("wrist.L")
        ring = self.page.evaluate("joint => armuto.stage.ringAt('character', joint)", wrist)
        self.page.mouse.click(ring["x"], ring["y"], button="right")
        title = self.page.get_by_role("menu").get_attribute("aria-label")
        self.assertIn(".L", title)
        self.item("Its trace").click()
        expect(self.page.get_by_label("Bone to look at").locator("option:checked")).to_have_text(title.split(",")[0])
        ring = self.page.evaluate("joint => armuto.stage.ringAt('character', joint)", wrist)
        self.page.mouse.move(ring["x"], ring["y"])
        self.page.mouse.down(button="right")
        self.page.mouse.move(ring["x"] + 60, ring["y"], steps=3)
        self.page.mouse.up(button="right")
        expect(self.page.get_by_role("menu")).to_have_count(0)

    def test_preferences(self) -> None:
        self.go(f"/fittings/{Fitting.objects.get(character__name='porter').pk}?leaf=transfer&frame=45")
        self.page.wait_for_function("() => window.armuto?.stage?.figure('character')?.frames > 1")
        self.at_frame(45)
        time = self.page.locator(".time")
        expect(time).to_contain_text("1.50 s")
        self.page.keyboard.press("Control+,")
        dialog = self.page.get_by_role("dialog", name="Preferences")
        expect(dialog.get_by_role("button", name="Close")).to_be_focused()
        dialog.get_by_label("Time beside frames").select_option("timecode")
        expect(time).to_contain_text("00:01:15")
        for label, to in (("left", "move"), ("middle", "turn"), ("right", "nothing")):
            dialog.get_by_label(f"With the {label} button").select_option(to)
        dialog.get_by_label("The wheel goes farther").check()
        self.assertEqual(self.page.evaluate(CONTROLS), {"LEFT": 2, "MIDDLE": 0, "RIGHT": None, "zoom": -1})
        dialog.get_by_label("Day and night").select_option("night")
        expect(self.page.locator(".v-theme--night").first).to_be_attached()
        dialog.get_by_label("Whole meshes").check()
        self.page.keyboard.press("Escape")
        expect(dialog).to_have_count(0)
        with self.page.expect_request("**/display?whole=true"):
            self.page.reload()
        self.page.wait_for_function("() => window.armuto?.stage?.figure('character')?.frames > 1")
        expect(time).to_contain_text("00:01:15")
        self.assertEqual(self.page.evaluate(CONTROLS), {"LEFT": 2, "MIDDLE": 0, "RIGHT": None, "zoom": -1})
        far = "() => armuto.stage.camera.position.distanceTo(armuto.stage.controls.target)"
        before = self.page.evaluate(far)
        box = self.box_at_rest(self.page.locator("canvas").first)
        self.page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        self.page.mouse.wheel(0, -240)
        self.page.wait_for_function(f"before => ({far})() > before * 1.02", arg=before)
        self.page.keyboard.press("Control+,")
        dialog.get_by_role("button", name="As usual").click()
        self.assertEqual(self.page.evaluate(CONTROLS), {"LEFT": 0, "MIDDLE": 1, "RIGHT": 2, "zoom": 1})
        dialog.get_by_label("Day and night").select_option("")
        expect(self.page.locator(".v-theme--paper").first).to_be_attached()

    def test_units_and_numbers_of_frames(self) -> None:
        """What is written and typed follows the preference; what is kept stays in metres and counts from 0."""
        porter, clip = Character.objects.get(name="porter"), Clip.objects.get(name="bow")
        fitting = Fitting.objects.get(character=porter)
        self.go(f"/fittings/{fitting.pk}?leaf=transfer&frame=45")
        self.page.wait_for_function("() => window.armuto?.stage?.figure('character')?.frames > 1")
        self.at_frame(45)
        time = self.page.locator(".time")
        expect(time).to_contain_text(re.compile(r"45 of \d+"))
        last = int(time.inner_text().split("of ")[1].split(" ")[0])
        self.page.keyboard.press("Control+,")
        dialog = self.page.get_by_role("dialog", name="Preferences")
        dialog.get_by_label("The first frame is").select_option("frame 1")
        dialog.get_by_label("Lengths").select_option("inches")
        expect(time).to_contain_text(f"46 of {last + 1}")
        self.page.keyboard.press("Escape")
        self.at_frame(45)  # the same, by another number
        self.assertIn("frame=45", self.page.url)
        self.go(f"/fittings/{fitting.pk}?leaf=stance&frame=45")
        feet = self.page.get_by_label("Height of the lowest foot joint of porter, inches")
        feet.fill("4")
        with self.page.expect_response("**/api/fittings/*/stance") as edit:
            feet.press("Enter")
        self.assertAlmostEqual(edit.value.json()["measures"]["target_floor"], 0.1016, places=9)
        self.go(f"/library/clips/{clip.pk}")
        self.page.wait_for_function("() => window.armuto?.stage?.positions().source")
        self.page.get_by_role("tab", name="About").click()
        floor = self.page.get_by_label("Height of the floor, inches")
        floor.fill("1.5")
        floor.press("Enter")
        expect(self.page.get_by_role("button", name="at: 1.5 inch")).to_be_visible()
        self.assertAlmostEqual(Clip.objects.get(pk=clip.pk).floor, 0.0381, places=9)
        self.page.get_by_role("tab", name="Refine").click()
        self.page.get_by_role("combobox", name="Add a step").fill("Hold")
        self.page.locator(".v-list-item:visible", has_text="a pose that is kept").click()
        at = self.page.get_by_label("Hold, at")
        expect(at).to_have_value(str(clip.first + 1))
        at.fill("9")
        with self.page.expect_request(  # the one that adds the step may still be on its way
            lambda asked: asked.method == "PATCH" and asked.post_data_json["recipe"]["steps"][-1]["at"] == 8
        ) as edit:
            at.press("Enter")
        self.assertEqual(edit.value.response().status, 200)
        expect(at).to_have_value("9")
