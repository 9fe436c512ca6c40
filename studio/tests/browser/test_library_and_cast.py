"""The intake, the library and the cast in the browser: from a drop to an accepted library, and finding it again."""

import io
import re
import zipfile

import numpy as np
from playwright.sync_api import expect

from armuto import formats
from armuto.formats import gltf
from armuto.kinematics import rotation
from armuto.tests import sculptures
from armuto.tests import test_rigging_files as mesh_files
from armuto.tests.files import BOW, DEMO, PORTER, WALK, random_bvh
from studio.library.models import Clip
from studio.tests.browser.studio_case import LONG, StudioCase
from studio.tests.snapshots import take_in_once

YARD = sorted((DEMO / "yard").glob("*.bvh"))


class Intake(StudioCase):
    def row(self, name: str):
        return self.page.locator(".item", has=self.page.locator(".path", has_text=re.compile(rf"^{name}\.")))

    def test_what_is_detected_is_seen_changed_and_accepted(self):
        self.go("/library/intake")
        expect(self.page.get_by_role("heading", name="Nothing waits for a decision")).to_be_visible()
        self.choose_files("Bring in motion", WALK, BOW, YARD[0])
        expect(self.page.locator(".item")).to_have_count(3)
        walk, gallop = self.row("walk"), self.row("gallop")
        for text in ("unit: cm", "up: +Y", "faces: 0°", "calibration: 2 frames, left out"):
            expect(walk.get_by_role("button", name=text)).to_be_visible()
        # Clips on one skeleton are seen to belong together before anything is kept.
        for row in (walk, self.row("bow")):
            expect(row.get_by_role("button", name="skeleton: skeleton of walk, new")).to_be_visible()
        expect(gallop.get_by_role("button", name="up: +Z")).to_be_visible()
        self.assertEqual(Clip.objects.count(), 0)

        # Told otherwise for one: the plate shows it at once, in the evidence's own place.
        box = gallop.locator("svg").get_attribute("viewBox")
        gallop.get_by_role("button", name="unit: inch").click()
        why = self.page.locator(".why:visible")
        expect(why.get_by_text("m tall")).to_be_visible()
        why.get_by_role("button", name="cm", exact=True).click()
        expect(gallop.get_by_role("button", name="unit: cm")).to_be_visible()
        expect(why).to_have_count(0)
        expect(gallop.locator("svg")).not_to_have_attribute("viewBox", box)
        # For all that are ticked.
        walk.get_by_role("button", name="faces: 0°").click()
        why.get_by_label("for all 3 ticked clips").check()
        why.get_by_role("button", name="turn by 180°").click()
        expect(self.page.get_by_role("button", name="faces: 180°")).to_have_count(3)
        self.page.keyboard.press("Escape")

        # The range by its handles: with the keyboard, and by dragging.
        handle = walk.get_by_role("slider", name="First frame of walk")
        handle.focus()
        for _ in range(3):
            self.page.keyboard.press("ArrowRight")
        expect(handle).to_have_attribute("aria-valuenow", "5")
        last = walk.get_by_role("slider", name="Last frame of walk")
        at = self.box_at_rest(last)
        self.page.mouse.move(at["x"] + 12, at["y"] + 30)
        self.page.mouse.down()
        self.page.mouse.move(at["x"] - 80, at["y"] + 30, steps=4)
        self.page.mouse.up()
        expect(last).not_to_have_attribute("aria-valuenow", "150")
        cut = self.at_rest(last)
        self.assertTrue(60 < cut < 140, cut)

        # Names by the rule, live; one typed by hand.
        self.page.get_by_role("button", name="+ field").click()
        self.page.locator(".v-list-item", has_text="number").click()
        self.page.get_by_role("button", name="Take out original").click()
        self.page.get_by_role("button", name="+ field").click()
        self.page.locator(".v-list-item", has_text="action").click()
        self.page.get_by_label("Style of names").select_option("Capitals")
        expect(walk.get_by_label("Name of walk")).to_have_value("Walk")
        bow = self.row("bow").get_by_label("Name of bow")
        bow.fill("deep bow")
        bow.press("Tab")
        self.row("gallop").get_by_role("checkbox").uncheck()
        # What was done is taken back and made again, one by one.
        accept = self.page.get_by_role("button", name="Accept 2 clips")
        expect(accept).to_be_visible()
        self.page.get_by_role("button", name="Undo").click()
        expect(self.page.get_by_role("button", name="Accept 3 clips")).to_be_visible()
        self.page.keyboard.press("Control+z")
        expect(bow).to_have_value("Bow")
        self.page.keyboard.press("Control+Shift+z")
        expect(bow).to_have_value("deep bow")
        self.page.get_by_role("button", name="Redo").click()
        accept.click()
        expect(self.page.get_by_text("The intake has been accepted.")).to_be_visible()
        expect(self.page.get_by_role("heading", name="Intake")).to_be_visible()  # the gallop still waits
        clips = {clip.name: clip for clip in Clip.objects.all()}
        self.assertEqual(set(clips), {"Walk", "deep bow"})
        self.assertEqual((clips["Walk"].first, clips["Walk"].last), (5, cut))
        want = formats.read(WALK.read_bytes(), "walk.bvh").clips[0].world().positions[5 : cut + 1]
        half = rotation.about([0, 1, 0], np.pi)
        np.testing.assert_allclose(clips["Walk"].value().world().positions, rotation.rotate(half, want), atol=1e-5)

    def test_the_window_may_be_closed_while_it_runs(self):
        """What has arrived is read and accepted by the studio, whoever looks on."""
        self.go("/library")
        with self.page.expect_response(lambda answer: answer.request.method == "POST"):
            self.choose_files("Bring in motion", WALK, BOW)
        self.page.goto("about:blank")
        self.go("/library/intake")
        expect(self.page.locator(".item")).to_have_count(2)
        with self.page.expect_response(lambda answer: answer.request.method == "POST"):
            self.page.get_by_role("button", name="Accept 2 clips").click()
        self.page.goto("about:blank")
        self.go("/library")
        expect(self.page.get_by_role("link", name="walk", exact=True)).to_be_visible()

    def test_a_hundred_clips_from_one_archive_with_a_stop_in_the_middle(self):
        """What was accepted when it was stopped stays, and the rest goes on later."""
        held = io.BytesIO()
        with zipfile.ZipFile(held, "w", zipfile.ZIP_DEFLATED) as archive:
            for n in range(100):
                archive.writestr(f"night/patrol_{n:03d}.bvh", random_bvh(frames=40, seed=n))
        path = self.folder / "patrols.zip"
        path.write_bytes(held.getvalue())
        self.go("/library")
        expect(self.page.get_by_role("heading", name="The library is empty")).to_be_visible()
        self.drop("main", path)
        accept = self.page.get_by_role("button", name="Accept 100 clips")
        accept.wait_for(timeout=LONG)
        # Only the rows in sight are drawn.
        self.assertLess(self.page.locator(".item").count(), 30)
        accept.click()
        # In the page itself: a click from outside may come when all is done.
        self.page.wait_for_function(
            """() => {
                const stop = [...document.querySelectorAll('button')].find((one) => one.textContent.trim() === 'Stop')
                const taken = Number(/Taking in (\\d+) of 100/.exec(document.body.innerText)?.[1] ?? 0)
                if (!stop || taken < 8) return false
                stop.click()
                return true
            }""",
            timeout=LONG,
        )
        self.page.get_by_role("button", name="Dismiss all").wait_for()
        expect(self.page.get_by_text("what is in stays in")).to_be_visible()
        summary = self.page.evaluate("async () => (await (await fetch('/api/intake/')).json())")
        stored, waiting = Clip.objects.count(), len(summary["rows"])
        self.assertEqual((stored + waiting, summary["refused"]), (100, 0))
        self.assertTrue(0 < stored < 100, stored)
        self.page.get_by_role("button", name=f"Accept {waiting} clips").click()
        self.page.get_by_text("The intake has been accepted.").wait_for(timeout=LONG)
        self.assertEqual(Clip.objects.count(), 100)
        self.assertEqual(Clip.objects.values("name").distinct().count(), 100)
        self.nav("Library")
        expect(self.page.locator(".clip").first).to_be_visible()
        self.assertLess(self.page.locator(".clip").count(), 40)
        self.page.get_by_label("Search clips").fill("patrol 077")
        expect(self.page.locator(".clip")).to_have_count(1)


class Finding(StudioCase):
    def setUp(self):
        super().setUp()
        take_in_once(WALK, BOW, *YARD[:3])
        self.go("/library")

    def names(self):
        return self.page.locator(".clip .name").all_inner_texts()

    def test_search_filter_sort_select_tag_rename_retire_and_undo(self):
        expect(self.page.locator(".clip")).to_have_count(5)
        self.assertEqual(self.names(), ["bow", "gallop", "pad", "shake", "walk"])
        self.page.get_by_label("Order", exact=True).select_option("farthest first")
        self.assertEqual(self.names()[0], "gallop")
        self.page.get_by_label("Travel", exact=True).select_option("stays")
        expect(self.page.locator(".clip")).to_have_count(2)
        self.page.get_by_label("Travel", exact=True).select_option("any travel")
        self.page.get_by_label("Order", exact=True).select_option("by name")
        # From the first to the third with Shift, then together.
        self.page.get_by_label("Select bow").check()
        self.page.get_by_label("Select pad").click(modifiers=["Shift"])
        expect(self.page.get_by_text("3 clips selected")).to_be_visible()
        self.page.get_by_role("button", name="Tag", exact=True).click()
        self.page.get_by_label("Tag for the selected clips").fill("first night")
        self.page.keyboard.press("Enter")
        expect(self.page.locator(".clip .tags", has_text="first night")).to_have_count(3)
        self.page.keyboard.press("Escape")
        self.page.get_by_label("Search clips").fill("first night")
        expect(self.page.locator(".clip")).to_have_count(3)
        self.page.get_by_role("button", name="Rename by a rule").click()
        dialog = self.page.get_by_role("dialog")
        dialog.get_by_label("Style of names").select_option("Capitals")
        expect(dialog.get_by_text("Gallop", exact=True)).to_be_visible()
        dialog.get_by_role("button", name="Rename 3 clips").click()
        expect(self.page.get_by_role("link", name="Gallop", exact=True)).to_be_visible()
        self.page.get_by_role("button", name="Undo").click()
        expect(self.page.get_by_role("link", name="gallop", exact=True)).to_be_visible()
        self.page.get_by_role("button", name="Retire", exact=True).click()
        expect(self.page.get_by_text("No clip is like that.")).to_be_visible()
        self.page.get_by_role("button", name="Show all").click()
        self.assertEqual(self.names(), ["shake", "walk"])
        self.page.get_by_role("button", name="Retired clips (3)").click()
        expect(self.page.locator(".clip")).to_have_count(3)
        self.page.keyboard.press("Control+a")
        self.page.get_by_role("button", name="Restore", exact=True).click()
        self.page.get_by_role("button", name="Back to the clips in use").click()
        expect(self.page.locator(".clip")).to_have_count(5)

    def test_a_clips_own_page(self):
        self.page.get_by_role("link", name="walk", exact=True).click()
        self.page.get_by_role("tab", name="About").click()
        self.page.wait_for_function("() => window.armuto?.stage?.positions().source")
        self.at_frame(2)
        take = formats.read(WALK.read_bytes(), "walk.bvh").clips[0].world().positions
        np.testing.assert_allclose(self.joints("source"), take[2], atol=1e-4)
        # A trim by keys, kept; undone, across a reload too.
        self.page.locator("canvas").focus()
        for _ in range(8):
            self.page.keyboard.press("ArrowRight")
        self.at_frame(10)
        self.page.keyboard.press("[")
        trim = self.page.get_by_role("button", name="Trim", exact=True)
        trim.click()
        expect(self.page.get_by_text("151 f, kept 10 to 150")).to_be_visible()
        self.page.reload()
        self.page.wait_for_function("() => window.armuto?.stage?.positions().source")
        self.page.keyboard.press("Control+z")
        expect(self.page.get_by_text("151 f, kept 2 to 150")).to_be_visible()
        self.page.keyboard.press("Control+Shift+z")
        expect(self.page.get_by_text("151 f, kept 10 to 150")).to_be_visible()
        # A segment of its own from the same take, by dragging the end of the range.
        edge = self.page.get_by_role("slider", name="Last frame of the range")
        box = self.box_at_rest(edge)
        self.page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 20)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] - 300, box["y"] + 20, steps=5)
        self.page.mouse.up()
        last = self.at_rest(edge)
        self.assertTrue(40 < last < 140, last)
        self.page.get_by_role("button", name="Cut out").click()
        self.page.get_by_role("link", name="Open it").click()
        expect(self.page.get_by_role("heading", name="walk 2")).to_be_visible()
        expect(self.page.get_by_text(f"151 f, kept 10 to {last}")).to_be_visible()
        expect(self.page.get_by_text("Cut from walk.")).to_be_visible()
        # A new version by dropping a file: the same clip, the next version.
        self.drop(".workspace", WALK)
        expect(self.page.get_by_text("is now at version 2")).to_be_visible()
        # A file on another skeleton is refused with the reason, and nothing changes.
        self.drop(".workspace", YARD[0])
        expect(self.page.get_by_text("it is on another skeleton")).to_be_visible()
        self.console.clear()  # the browser notes the 422


class Cast(StudioCase):
    def test_a_figure_is_set_right_before_it_is_accepted(self):
        held = gltf.parse(PORTER.read_bytes(), "porter.glb")
        root = held.json["scenes"][0]["nodes"]
        held.json["nodes"].append({"name": "export", "rotation": [0, 0.7071068, 0, 0.7071068], "children": [root[0]]})
        held.json["scenes"][0]["nodes"] = [len(held.json["nodes"]) - 1, *root[1:]]
        path = self.folder / "sideways.glb"
        path.write_bytes(gltf.container.to_glb(held.json, held.buffers[0]))
        self.go("/cast")
        self.choose_files("Bring in a character", path)
        expect(self.page.get_by_role("button", name="faces: 90°")).to_be_visible()
        key = "Object.keys(window.armuto?.stage?.positions() ?? {})[0]"
        self.page.wait_for_function(f"() => {key}")
        name = self.page.evaluate(key)
        arms = [self.joints(name)[n] for n in (7, 11)]
        self.assertLess(abs(arms[0][0] - arms[1][0]), 0.1)  # seen from the side, one shoulder hides the other
        self.page.get_by_role("button", name="faces: 90°").click()
        self.page.locator(".why:visible").get_by_role("button", name="turn it to face forward").click()
        expect(self.page.get_by_role("button", name="faces: 0°")).to_be_visible()
        self.page.wait_for_function(
            "name => "
            "{ const a = window.armuto.stage.positions()[name]; return a && Math.abs(a[7][0] - a[11][0]) > 0.2 }",
            arg=name,
        )
        self.page.keyboard.press("Escape")
        self.page.get_by_label("Name of the character").fill("night porter")
        self.page.keyboard.press("Tab")
        self.page.get_by_role("button", name="Accept night porter").click()
        label = self.page.locator(".label:not(.waiting)", has_text="night porter")
        label.click()
        sheet = self.page.get_by_role("complementary")
        expect(sheet.get_by_text("0.0° from forward")).to_be_visible()
        expect(sheet.get_by_text("coat")).to_be_visible()
        # Tags and notes stay; bones light up on the figure; a new version says what changed.
        sheet.get_by_label("Add a tag to night porter").fill("brass")
        self.page.keyboard.press("Enter")
        sheet.get_by_label("Notes", exact=True).fill("the key squeaks")
        self.page.keyboard.press("Tab")
        sheet.get_by_text("Bones by part").click()
        sheet.get_by_role("button", name="hands").click()
        expect(sheet.locator(".bones li")).to_have_count(16)
        self.choose_files("New version", PORTER)
        expect(sheet.get_by_text("porter.glb replaced sideways.glb")).to_be_visible()
        self.page.reload()
        expect(sheet.get_by_text("brass").first).to_be_visible()
        expect(sheet.get_by_label("Notes", exact=True)).to_have_value("the key squeaks")

    def test_a_mesh_is_chosen_with_its_materials(self):
        row = sculptures.figure("keeper")
        mesh, materials = self.folder / "keeper.obj", self.folder / "keeper.mtl"
        mesh.write_bytes(mesh_files.obj(row.points, row.faces, "mtllib keeper.mtl"))
        materials.write_bytes(b"newmtl brass\nKd 0.8 0.5 0.1\n")
        self.go("/cast")
        self.choose_files("Bring in a character", mesh, materials)
        self.page.get_by_role("button", name="Accept keeper").click()
        self.page.locator(".label:not(.waiting)", has_text="keeper").press("Enter")
        expect(self.page.get_by_role("complementary").get_by_text("brass", exact=True)).to_be_visible()

    def test_retired_with_a_way_back(self):
        self.go("/cast")
        self.take_in_character(PORTER)
        # By its key: a name goes along with its figure while that is still fetched, away from under a pointer.
        self.page.locator(".label", has_text="porter").press("Enter")
        self.page.get_by_role("button", name="Retire", exact=True).click()
        expect(self.page.get_by_role("heading", name="Nobody is in the cast yet")).to_be_visible()
        self.page.get_by_role("button", name="Undo").click()
        expect(self.page.locator(".label", has_text="porter")).to_be_visible()
