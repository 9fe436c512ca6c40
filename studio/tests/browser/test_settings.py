"""The transfer leaf in the browser: choices drawn and typed, contacts by pointer and by keys, what they do, and
undo."""

import json
import re

import numpy as np
from playwright.sync_api import expect

from armuto import formats
from armuto.pipeline import transfer
from armuto.retarget import fitting_file
from armuto.tests.files import DEMO, WALK
from studio.ingest.services.reading import take_in
from studio.tests.browser.fitting_case import FittingCase

PORTER = DEMO / "porter.glb"


class Settling(FittingCase):
    def open(self, figure=PORTER, clip=WALK, *more):
        super().open(figure, clip, *more)
        self.step_to(12)
        self.page.get_by_role("tab", name="Transfer").click()
        expect(self.page.get_by_text("nothing to look at in walk")).to_be_visible()

    def number(self) -> str:
        return self.page.url.split("/fittings/")[1].split("?")[0]

    def ask(self, path: str):
        return self.page.evaluate("path => fetch(path).then((answer) => answer.json())", path)

    def settings(self) -> dict:
        return self.ask(f"/api/fittings/{self.number()}")["settings"]

    def contacts(self) -> list[dict]:
        clip = self.ask("/api/library/clips")[0]["id"]
        return self.ask(f"/api/fittings/{self.number()}/contacts/{clip}")["contacts"]

    def joints(self) -> np.ndarray:
        return np.array(self.page.evaluate("() => window.armuto.stage.positions().character"))

    def check_motion(self):
        """The figure performs the clip as the core does through the fitting that the studio has."""
        tree = self.ask(f"/api/fittings/{self.number()}/file")
        source = formats.read(WALK.read_bytes(), "walk.bvh")
        target = formats.read(PORTER.read_bytes(), "porter.glb")
        made = fitting_file.from_json(json.dumps(tree), "fitting", source.skeleton, target.skeleton, target.capsules)
        moved = transfer(source.clips[0].cut(2, source.clips[0].frames - 1), made).world().positions
        self.check_pose(moved - moved[:, :1])

    def test_a_slider_is_seen_while_it_is_drawn_and_kept_when_let_go(self):
        self.open()
        before = self.joints()
        slider = self.page.get_by_role("slider", name="Spread or tuck")
        box = self.box_at_rest(slider)
        middle = box["y"] + box["height"] / 2
        self.page.mouse.move(box["x"] + box["width"] * 0.4, middle)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + box["width"] * 0.8, middle, steps=5)
        self.page.wait_for_function(
            "was => Math.abs(window.armuto.stage.positions().character.flat()[was[0]] - was[1]) > 0.02",
            arg=self.widest(before),
        )
        self.assertEqual(self.settings()["spread"], 0.0)
        self.changed(self.page.mouse.up)
        self.assertGreater(self.settings()["spread"], 15)
        self.check_motion()
        self.page.keyboard.press("Escape")
        self.changed(lambda: self.page.get_by_role("button", name="Undo").click())
        self.assertEqual(self.settings()["spread"], 0.0)
        self.check_motion()

    def widest(self, joints: np.ndarray) -> list:
        """The flat number and value of the coordinate that spread arms change most: the outermost hand's."""
        at = int(np.argmax(joints[:, 0]))
        return [at * 3, float(joints[at, 0])]

    def test_what_holding_does_stands_beside_it(self):
        self.open()
        row = self.page.locator(".share", has_text="Hold contacts")
        # Held, it slides by next to nothing more than the source does.
        expect(row).to_contain_text(re.compile(r"→ 0\.[0-3] cm/s"))
        share = self.page.get_by_label("Hold contacts, %")
        share.fill("0")
        self.changed(lambda: share.press("Enter"))
        expect(self.page.get_by_text("to look at in walk").first).to_be_visible()
        finding = self.page.locator(".findings li").first
        expect(finding).to_contain_text("while")
        # A finding leads to its frame, and to the control that mends it.
        where = finding.get_by_role("button", name="frame").inner_text().split()[-1]
        finding.get_by_role("button", name="frame").click()
        self.page.wait_for_function("frame => window.armuto.stage.frame === frame", arg=int(where))
        finding.get_by_role("button", name="mend").click()
        expect(self.page.get_by_role("slider", name="Hold contacts")).to_be_focused()
        self.check_motion()

    def test_contacts_by_pointer_and_keys(self):
        self.open()
        found = self.contacts()
        strip = self.page.locator(".contact").first
        strip.focus()
        words = strip.get_attribute("aria-label")
        last = int(words.split(".")[0].split()[-1])
        self.changed(lambda: self.page.keyboard.press("ArrowRight"))
        expect(self.page.get_by_text("contacts set by hand")).to_be_visible()
        self.assertIn(last + 1, [contact["last"] for contact in self.contacts()])
        # A new one, drawn in the lane of the left arm, which has none: lanes of feet only are shown, so draw on a
        # foot's.
        self.page.locator(".contact").first.focus()
        count = len(self.contacts())
        self.changed(lambda: self.page.keyboard.press("Delete"))
        self.assertEqual(len(self.contacts()), count - 1)
        box = self.box_at_rest(self.page.locator(".strips svg"))
        self.page.mouse.move(box["x"] + 30, box["y"] + 6)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + 120, box["y"] + 6, steps=5)
        self.changed(self.page.mouse.up)
        self.assertEqual(len(self.contacts()), count)
        self.page.keyboard.press("Escape")
        for _ in range(3):
            self.changed(lambda: self.page.get_by_role("button", name="Undo").click())
        self.assertEqual(self.contacts(), found)
        expect(self.page.get_by_text("contacts as found")).to_be_visible()

    def test_travel_limits_and_one_bone(self):
        self.open()
        self.changed(lambda: self.page.get_by_role("button", name="In place").click())
        self.check_motion()
        expect(self.page.get_by_text("nothing to look at in walk")).to_be_visible()
        self.changed(lambda: self.page.get_by_role("button", name="At the origin").click())
        self.page.get_by_role("combobox", name="A limb, a part or a bone").fill("head")
        self.page.locator(".v-list-item-title:visible").get_by_text("head", exact=True).click()
        pitch = self.page.get_by_label("Pitch ahead, °")
        pitch.fill("25")
        self.changed(lambda: pitch.press("Enter"))
        self.assertEqual(self.settings()["follow"]["head"]["offset"], [25, 0, 0])
        self.changed(lambda: self.page.get_by_role("button", name="Hard").click())
        self.check_motion()
        self.page.reload()
        self.ready()
        settings = self.settings()
        self.assertEqual(
            (settings["travel"]["mode"], settings["travel"]["place"], settings["limits"]),
            ("in place", "origin", "hard"),
        )

    def test_all_clips_are_measured_and_can_be_stopped(self):
        self.open(PORTER, WALK, DEMO / "hall" / "bow.bvh")
        self.page.get_by_role("button", name="Measure all 2 clips").click()
        expect(self.page.get_by_text("2 of 2 clips: 2 good, 0 to look at, 0 wrong")).to_be_visible()

    def test_joint_limits_on_the_sheet(self):
        take_in(PORTER.read_bytes(), PORTER.name)
        self.go("/cast")
        self.page.wait_for_function("() => Object.keys(window.armuto?.stage?.positions() ?? {}).length === 1")
        number = self.ask("/api/cast/")[0]["id"]
        self.page.goto(self.page.url.split("/cast")[0] + f"/cast?character={number}")
        self.page.wait_for_function("() => Object.keys(window.armuto?.stage?.positions() ?? {}).length === 1")
        key = f"character {number}"
        rest = np.array(self.page.evaluate("key => window.armuto.stage.positions()[key]", key))
        self.page.get_by_text("Joint limits").click()
        self.page.get_by_label("Part whose limits are shown").select_option("left lower arm")
        self.page.get_by_label("See the left lower arm: bend from back to ahead").fill("90")
        self.page.wait_for_function(
            "([key, was]) => Math.abs(window.armuto.stage.positions()[key].flat().reduce((a, b) => a + b) "
            "- was) > 0.05",
            arg=[key, float(rest.sum())],
        )
        ahead = self.page.get_by_label("bend, ahead, degrees")
        ahead.fill("100")
        ahead.press("Enter")
        expect(self.page.get_by_role("button", name="As the body plan has it")).to_be_visible()
        limits = {row["part"]: row for row in self.ask(f"/api/cast/{number}/limits")}
        self.assertEqual(limits["right lower arm"]["own"]["bend"][1], 100)
        self.page.get_by_role("button", name="Undo").click()
        expect(self.page.get_by_role("button", name="As the body plan has it")).to_be_hidden()
