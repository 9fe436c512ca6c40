"""The stance leaf in the browser: aligning, makers, rings, typed turns, undo across a reload, and where the joints are
then."""

import json

import numpy as np
from playwright.sync_api import expect

from armuto import formats
from armuto.pipeline import transfer
from armuto.retarget import fitting_file
from armuto.tests.files import BOW
from studio.tests.browser.fitting_case import STRIKER, FittingCase

ARM = ("008", "009")


class Stances(FittingCase):
    def open(self, figure=STRIKER, clip=BOW):
        super().open(figure, clip)
        self.step_to(40)
        self.leaf()

    def leaf(self):
        self.page.get_by_role("tab", name="Stance").click()
        self.page.wait_for_function("() => window.armuto.stage.positions()['stance character']")
        expect(self.page.locator("button.row").first).to_be_visible()

    def state(self) -> dict:
        number = self.page.url.split("/fittings/")[1].split("?")[0]
        return self.page.evaluate("path => fetch(path).then((answer) => answer.json())", f"/api/fittings/{number}")

    def take(self, side: str, item: str):
        self.page.get_by_role("button", name=f"Stance of {side}:").click()
        self.page.locator(".v-list-item-title:visible").get_by_text(item, exact=True).click()

    def joints(self, key: str = "stance character") -> np.ndarray:
        return np.array(self.page.evaluate("key => window.armuto.stage.positions()[key]", key))

    def arm(self, key: str = "stance character") -> np.ndarray:
        """Unit vector along the left upper arm."""
        index = formats.read(STRIKER.read_bytes(), "striker.glb").skeleton.index
        at = self.joints(key)
        line = at[index[ARM[1]]] - at[index[ARM[0]]]
        return line / np.linalg.norm(line)

    def check_motion(self):
        """The figure performs the clip as the core does through the fitting that the studio has."""
        number = self.page.url.split("/fittings/")[1].split("?")[0]
        tree = self.page.evaluate("path => fetch(path).then((answer) => answer.json())", f"/api/fittings/{number}/file")
        source = formats.read(BOW.read_bytes(), "bow.bvh")
        target = formats.read(STRIKER.read_bytes(), "striker.glb")
        made = fitting_file.from_json(json.dumps(tree), "fitting", source.skeleton, target.skeleton, target.capsules)
        moved = transfer(source.clips[0].cut(2, source.clips[0].frames - 1), made).world().positions
        self.check_pose(moved - moved[:, :1])

    def test_arms_down_then_align_all(self):
        self.open()
        aligned = self.arm()
        motion = self.arm("character")
        self.changed(lambda: self.take("striker", "Arms down"))
        self.assertGreater(np.degrees(np.arccos(self.arm() @ aligned)), 60)
        self.assertLess(self.arm()[1], -0.95)
        # The frame in view follows at once, and shows what is wrong.
        self.assertGreater(np.degrees(np.arccos(self.arm("character") @ motion)), 60)
        worst = self.page.locator("button.row").first
        expect(worst).to_contain_text("arm")
        self.assertGreaterEqual(self.page.locator(".fan").count(), 4)
        self.check_motion()
        self.changed(lambda: self.page.get_by_role("button", name="Align all").click())
        self.assertLess(np.degrees(np.arccos(min(1.0, self.arm() @ aligned))), 0.1)
        self.check_motion()
        np.testing.assert_allclose(self.arm("character"), motion, atol=1e-3)

    def test_a_ring_is_drawn_and_let_go(self):
        self.open()
        self.page.locator("button.row", has_text="left upper arm").click()
        before, other = self.arm(), self.joints()
        grip = self.page.locator(".ring path.grip[data-ring=aside]")
        expect(grip).to_be_attached()
        points = grip.evaluate(
            """path => {
                const box = path.ownerSVGElement.getBoundingClientRect()
                return [0.3, 0.32, 0.34, 0.36, 0.38].map((share) => {
                    const at = path.getPointAtLength(path.getTotalLength() * share)
                    return [at.x + box.left, at.y + box.top]
                })
            }"""
        )
        self.page.mouse.move(*points[0])
        self.page.mouse.down()
        for point in points[1:]:
            self.page.mouse.move(*point)
        # While it is drawn the figure is seen turned, and nothing is kept yet.
        self.page.wait_for_function(
            "at => Math.hypot(...window.armuto.stage.positions()['stance character'][9].map((x, n) => x - "
            "at[n])) > 0.05",
            arg=other[9].tolist(),
        )
        self.assertEqual(self.state()["stances"]["target"]["turned"], [])
        self.changed(self.page.mouse.up)
        made = self.state()
        self.assertEqual(made["stances"]["target"]["turned"], ["008", "016"])
        degrees = float(made["how"].split(" by ")[1].rstrip("°"))
        self.assertEqual(degrees % 5, 0)
        self.assertAlmostEqual(np.degrees(np.arccos(before @ self.arm())), abs(degrees), delta=0.2)
        self.check_motion()

        # Esc lets go of a ring without turning anything.
        here = self.arm()
        x, y = grip.evaluate(
            """path => {
                const box = path.ownerSVGElement.getBoundingClientRect()
                const at = path.getPointAtLength(path.getTotalLength() * 0.3)
                return [at.x + box.left, at.y + box.top]
            }"""
        )
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + 14, y + 14)
        self.page.keyboard.press("Escape")
        self.page.mouse.up()
        self.page.wait_for_timeout(400)
        self.assertEqual(self.state()["revision"], made["revision"])
        self.assertGreater(float(here @ self.arm()), 0.999999)

    def test_a_typed_angle_undone_and_kept_across_a_reload(self):
        self.open()
        before = self.arm()
        self.page.locator("button.row", has_text="left upper arm").click()
        self.page.get_by_role("button", name="World", exact=True).click()
        self.page.get_by_label("Other side follows").uncheck()
        field = self.page.get_by_role("textbox", name="Turn about forward, degrees")
        field.fill("-22,5")
        self.changed(lambda: field.press("Enter"))
        turned = self.arm()
        self.assertAlmostEqual(np.degrees(np.arccos(before @ turned)), 22.5, delta=0.2)
        self.assertEqual(self.state()["stances"]["target"]["turned"], ["008"])
        self.check_motion()
        self.page.reload()
        self.ready()
        self.leaf()
        np.testing.assert_allclose(self.arm(), turned, atol=1e-4)
        self.changed(lambda: self.page.keyboard.press("Control+z"))
        np.testing.assert_allclose(self.arm(), before, atol=1e-4)
        self.changed(lambda: self.page.keyboard.press("Control+Shift+z"))
        np.testing.assert_allclose(self.arm(), turned, atol=1e-4)
        # The stance before, as long as it is asked for.
        now = self.joints()[9].tolist()
        self.page.keyboard.press("c")
        self.page.wait_for_function(
            "at => Math.hypot(...window.armuto.stage.positions()['stance character'][9].map((x, n) => x - "
            "at[n])) > 0.02",
            arg=now,
        )
        np.testing.assert_allclose(self.arm(), before, atol=1e-4)
        self.page.keyboard.press("c")
        self.page.locator("button.row", has_text="left upper arm").click()
        self.changed(lambda: self.page.get_by_role("button", name="Reset bone").click())
        np.testing.assert_allclose(self.arm(), before, atol=1e-4)

    def test_a_frame_as_the_sources_stance_and_a_kept_name(self):
        self.open()
        before = self.joints("stance source")
        motion = self.joints("character")
        self.changed(lambda: self.take("source", "This frame, 40"))
        self.assertGreater(np.abs(self.joints("stance source") - before).max(), 0.1)
        # Both are in the same shape again, so the figure performs as it did, but for what their builds differ in.
        now = self.joints("character")
        np.testing.assert_allclose(now - now[0], motion - motion[0], atol=2e-2)
        self.check_motion()
        self.page.get_by_role("button", name="Stance of source:").click()
        self.page.locator(".v-list-item:visible", has_text="Keep it under a name").click()
        self.page.get_by_label("Name of the stance").fill("The deepest bow")
        self.page.get_by_role("button", name="Keep it").click()
        expect(self.page.get_by_role("button", name="Stance of source: The deepest bow")).to_be_visible()
        self.changed(lambda: self.take("source", "Rest pose"))
        self.changed(lambda: self.take("source", "The deepest bow"))
        self.assertEqual(self.state()["stances"]["source"]["name"], "The deepest bow")

    def test_facing_size_and_feathers(self):
        self.open()
        hips = self.joints("character")[0]
        field = self.page.get_by_label("Facing of striker, degrees")
        field.fill("90")
        self.changed(lambda: field.press("Enter"))
        self.assertEqual(self.state()["measures"]["target_facing"], 90)
        self.changed(lambda: self.page.get_by_role("button", name="measure").click())
        size = self.page.get_by_label("Size the hips move by, in percent")
        size.fill("50")
        self.changed(lambda: size.press("Enter"))
        self.assertLess(self.joints("character")[0][1], hips[1] + 0.05)
        self.changed(lambda: self.page.get_by_role("button", name="arms", exact=False).first.click())
        self.assertEqual(self.state()["measures"]["by"], "arms")
        self.page.get_by_role("button", name="Feathers").click()
        self.page.wait_for_function("() => window.armuto.stage.rollMarkers.size === 4")
        marks = self.page.evaluate(
            """() => ['stance source', 'stance character'].map((key) => {
                const { marks } = window.armuto.stage.rollMarkers.get(key)
                return [...marks()]
            })"""
        )
        # Aligned, both arms would bend the same way.
        source = np.array(marks[0]).reshape(-1, 3)
        target = np.array(marks[1]).reshape(-1, 3)
        striker = formats.read(STRIKER.read_bytes(), "striker.glb").skeleton.index
        bow = formats.read(BOW.read_bytes(), "bow.bvh").skeleton.index
        self.assertGreater(float(source[bow["LeftUpperArm"]] @ target[striker["008"]]), 0.99)
