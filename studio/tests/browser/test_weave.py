"""The weave in the browser: pairing by keys alone and by clicks on the figures, undo, patterns, body plans."""

import json
from dataclasses import replace

from playwright.sync_api import expect

from armuto import formats
from armuto.pipeline import transfer
from armuto.retarget import fitting
from armuto.tests.files import BOW, PORTER
from studio.tests.browser.fitting_case import STRIKER, FittingCase
from studio.tests.figures import rigged_like

# What a person types for each bone, and how many bones they pair with it. The other side follows.
BY_HAND = (
    ("Hips", ["001"]), ("Spine", ["002", "003"]), ("Chest", ["004"]), ("Neck", ["005"]), ("Head", ["006"]),
    ("LeftCollar", ["007"]), ("LeftUpperArm", ["008"]), ("LeftForearm", ["009"]), ("LeftHand", ["010"]),
    ("LeftThigh", ["011"]), ("LeftShin", ["012"]), ("LeftFoot", ["013"]), ("LeftToes", ["014"]),
)  # fmt: skip


class Weave(FittingCase):
    def pairs(self) -> dict[str, tuple[list[str], list[str]]]:
        number = self.page.url.split("/fittings/")[1].split("?")[0]
        made = self.page.evaluate("path => fetch(path).then((answer) => answer.json())", f"/api/fittings/{number}")
        return {pair["key"]: (pair["source"], pair["target"]) for pair in made["pairs"]}

    def menu(self, item: str):
        self.page.get_by_role("button", name="All pairs").click()
        self.page.locator(".v-list-item:visible", has_text=item).click()

    def pattern(self, name: str):
        return self.page.get_by_role("list", name="Patterns").get_by_role("button", name=name)

    def count(self, text: str):
        expect(self.page.get_by_role("button", name=text, exact=True)).to_be_visible()

    def truth(self, figure, pairs=None):
        """Joint positions of the figure as the core has them, relative to its first joint, by bone name."""
        source = formats.read(BOW.read_bytes(), "bow.bvh")
        target = formats.read(figure.read_bytes(), figure.name)
        made = fitting.fit(source.skeleton, target.skeleton, source.parts, target.parts, pairs=pairs)
        made = replace(made, capsules=target.capsules)
        moved = transfer(source.clips[0].cut(2, source.clips[0].frames - 1), made).world().positions
        return moved - moved[:, :1]

    def test_a_whole_body_by_the_keyboard(self):
        self.open(STRIKER)
        self.hold()
        self.count("0 missing")
        automatic = self.truth(STRIKER)
        self.check_pose(automatic)
        self.changed(lambda: self.menu("Clear all pairs"))
        self.count("15 missing")
        self.page.locator("canvas").focus()
        for source, targets in BY_HAND:
            for target in targets:
                # Find the bone by its name, take it, type its counterpart.
                self.page.keyboard.press("/")
                self.page.keyboard.type(source)
                self.page.keyboard.press("Enter")
                bone = self.page.locator(f'[data-id="source {source}"]')
                expect(bone).to_be_focused()
                self.page.keyboard.press("Enter")
                expect(self.page.get_by_role("combobox", name=f"Counterpart of {source}")).to_be_focused()
                self.page.keyboard.type(target)
                self.changed(lambda: self.page.keyboard.press("Enter"))
        self.count("0 missing")
        made = self.pairs()
        self.assertEqual((made["spine"], made["right foot"]), ((["Spine"], ["002", "003"]), (["RightFoot"], ["021"])))
        self.assertEqual(len(made), 21)
        self.hold()
        self.check_pose(automatic)

        # Steps are kept across a reload, both ways.
        self.page.reload()
        self.ready()
        self.count("0 missing")
        for _ in range(2):
            self.changed(lambda: self.page.get_by_role("button", name="Undo").click())
        self.assertEqual(len(self.pairs()), 17)
        self.page.reload()
        self.ready()
        self.changed(lambda: self.page.get_by_role("button", name="Redo").click())
        self.changed(lambda: self.page.get_by_role("button", name="Redo").click())
        self.assertEqual(self.pairs(), made)

    def test_clicks_on_the_figures_with_a_list_where_bones_overlap(self):
        self.open(PORTER)
        self.hold()
        before = self.pairs()
        self.page.keyboard.press("2")
        expect(self.page.get_by_role("button", name="Left hand")).to_have_attribute("aria-pressed", "true")
        self.page.locator('[data-id="source LeftIndex1"]').focus()
        self.changed(lambda: self.page.keyboard.press("x"))
        self.assertNotIn("left index proximal", self.pairs())
        self.assertNotIn("right index proximal", self.pairs())
        # From the whole body the fingers lie on top of each other.
        self.page.keyboard.press("1")
        names = {key: self.bones(key) for key in ("source", "character")}
        self.click_ring("source", names["source"].index("LeftIndex1"))
        self.page.get_by_role("menuitem", name="LeftIndex1").click()
        expect(self.page.get_by_text("click its counterpart on the character")).to_be_visible()
        self.click_ring("character", names["character"].index("index_1.L"))
        self.changed(lambda: self.page.get_by_role("menuitem", name="index_1.L").click())
        self.assertEqual(self.pairs(), before)
        self.hold()
        self.check_pose(self.truth(PORTER))

    def bones(self, key: str) -> list[str]:
        number = self.page.url.split("/fittings/")[1].split("?")[0]
        which = "skeleton_id" if key == "source" else "character_id"
        return self.page.evaluate(
            """async ([number, which]) => {
                const read = (path) => fetch(path).then((answer) => answer.json())
                const made = await read(`/api/fittings/${number}`)
                let id = made[which]
                if (which === 'character_id') id = (await read('/api/cast/')).find((one) => one.id === id).skeleton_id
                return (await read(`/api/library/skeletons/${id}`)).names
            }""",
            [number, which],
        )

    def click_ring(self, key: str, joint: int):
        at = self.page.evaluate("([key, joint]) => window.armuto.stage.ringAt(key, joint)", [key, joint])
        self.page.mouse.click(at["x"], at["y"])

    def test_threads_are_dragged_and_swaps_are_seen(self):
        self.open(PORTER)
        self.hold()
        before = self.pairs()

        def drag(start: str, end: str):
            a, b = (self.box_at_rest(self.page.locator(f'[data-id="{bone}"] .ring')) for bone in (start, end))
            self.page.mouse.move(a["x"] + 6, a["y"] + 6)
            self.page.mouse.down()
            self.page.mouse.move(a["x"] + 20, a["y"] + 9, steps=3)
            self.page.mouse.move(b["x"] + 6, b["y"] + 6, steps=5)
            self.page.mouse.up()

        # The end of a thread goes to another bone of the same side; the other side of the body follows.
        self.changed(lambda: drag("target ulna.L", "target humerus.L"))
        self.assertEqual(self.pairs()["left lower arm"], (["LeftForearm"], ["humerus.L"]))
        self.assertEqual(self.pairs()["right lower arm"], (["RightForearm"], ["humerus.R"]))
        self.count("2 missing")
        # The free bone gets a thread of its own.
        self.changed(lambda: drag("source LeftUpperArm", "target ulna.L"))
        self.count("0 missing")
        self.count("2 crossing")
        expect(self.page.locator(".thread.crossing")).to_have_count(2)
        for _ in range(2):
            self.changed(lambda: self.page.keyboard.press("Control+z"))
        self.assertEqual(self.pairs(), before)
        # A swapped limb crosses, on both of its sides.
        self.page.locator('[data-id="source LeftHand"]').focus()
        self.changed(lambda: self.page.keyboard.press("s"))
        expect(self.page.locator(".thread.crossing")).to_have_count(8)
        self.page.locator(".thread.crossing").first.hover(force=True)
        self.page.locator("canvas").focus()
        self.page.keyboard.press("n")
        expect(self.page.get_by_text("on the left of the source")).to_be_visible()

    def test_confirming_leaving_out_and_the_reasons(self):
        self.open(PORTER)
        self.hold()
        self.page.locator('[data-id="source LeftToes"]').focus()
        self.changed(lambda: self.page.keyboard.press("l"))
        expect(self.page.get_by_text("2 left out")).to_be_visible()
        self.page.locator('[data-id="target toe.L"]').hover()
        expect(self.page.get_by_text("was left out on purpose; ankle.L carries it along")).to_be_visible()
        self.page.locator('[data-id="target spine_lower"]').hover()
        expect(self.page.get_by_text("along the length of the limb")).to_be_visible()
        self.page.locator('[data-id="source LeftHand"]').focus()
        self.changed(lambda: self.page.keyboard.press("Shift+C"))
        expect(self.page.locator(".thread.confirmed")).to_have_count(8)
        self.changed(lambda: self.menu("Confirm all from 80"))
        expect(self.page.locator(".thread:not(.confirmed)")).to_have_count(0)
        # With the other side left alone, only one side is changed.
        self.page.get_by_label("Other side follows").uncheck()
        self.page.locator('[data-id="source LeftFoot"]').focus()
        self.changed(lambda: self.page.keyboard.press("x"))
        self.count("1 missing")
        self.page.keyboard.press("n")
        expect(self.page.locator('[data-id="source LeftFoot"]')).to_be_focused()

    def test_what_can_be_done_with_a_bone_is_at_the_pointer(self):
        self.open(STRIKER)
        self.hold()

        def choose(which: str, bone: str, item: str):
            row = self.page.locator(f'[data-id="{which} {bone}"]')
            row.click(button="right")
            self.page.get_by_role("menu").get_by_role("menuitem", name=item).click()

        self.changed(lambda: choose("source", "LeftHand", "Remove the pair"))
        self.assertNotIn("left hand", self.pairs())
        self.changed(lambda: choose("source", "LeftHand", "Leave it out"))
        self.changed(lambda: choose("source", "LeftHand", "Take it back in"))
        choose("source", "LeftHand", "Take it, to pair it")
        expect(self.page.locator('[data-id="source LeftHand"].held')).to_be_visible()
        self.changed(lambda: choose("target", "010", "Pair it with LeftHand"))
        self.assertEqual(self.pairs()["left hand"], (["LeftHand"], ["010"]))
        # By keys, at the bone that has the focus; what cannot be done cannot be chosen.
        bone = self.page.locator('[data-id="target 010"]')
        bone.focus()
        self.page.keyboard.press("Shift+F10")
        menu = self.page.get_by_role("menu", name="010, left hand")
        expect(menu.get_by_role("menuitem", name="Take it, to pair it")).to_be_focused()
        expect(menu.get_by_role("menuitem", name="Confirm the limb")).to_be_enabled()
        expect(menu.get_by_role("menuitem", name="Confirm", exact=False).first).to_be_disabled()
        self.page.keyboard.press("Escape")
        expect(bone).to_be_focused()

    def test_a_pattern_of_one_character_fills_another(self):
        self.open(STRIKER)
        self.changed(lambda: self.menu("Confirm all from 80"))
        self.menu("Keep the naming as a pattern")
        self.page.get_by_label("Name of the pattern").fill("numbers of the night")
        self.page.get_by_role("button", name="Keep it").click()
        self.page.get_by_role("link", name="See the patterns").click()
        self.pattern("numbers of the night").click()
        with self.page.expect_download() as download:
            self.page.get_by_role("link", name="Export .json").click()
        file = self.folder / "numbers.json"
        download.value.save_as(file)
        self.assertEqual(json.loads(file.read_text())["parts"]["left hand"], ["010"])

        # Elsewhere: the pattern is not there, and comes back by its file.
        self.page.get_by_role("button", name="Remove", exact=True).click()
        expect(self.pattern("numbers of the night")).to_have_count(0)
        self.choose_files("Import", file)
        expect(self.pattern("numbers of the night")).to_be_visible()

        second = self.folder / "second.glb"
        second.write_bytes(rigged_like(STRIKER.read_bytes(), prefix="shift:", move=0.02))
        self.take_in_character(second)
        self.nav("Library")
        self.page.locator(".clip", has_text="bow").get_by_role("button", name="See it on").first.hover()
        self.page.goto(self.live_server_url + "/library")
        self.open_on("second")
        self.ready()
        made = self.pairs()
        self.assertEqual(len(made), 21)
        number = self.page.url.split("/fittings/")[1].split("?")[0]
        fitting_row = self.page.evaluate("path => fetch(path).then((a) => a.json())", f"/api/fittings/{number}")
        self.assertTrue(all(pair["confidence"] == 1 for pair in fitting_row["pairs"]))
        self.assertIn("numbers of the night", fitting_row["how"])

        # And it is applied to chosen characters from its own page.
        self.go("/fittings/patterns")
        self.pattern("numbers of the night").click()
        for name in ("second", "striker"):
            self.page.get_by_label(name, exact=True).check()
        self.page.get_by_role("button", name="Apply to 2 characters").click()
        expect(self.page.get_by_text("second has 100 of 100 of its bones")).to_be_visible()

    def open_on(self, character: str):
        """The first clip on a character, whoever the card offers first."""
        ids = self.page.evaluate(
            """async (name) => {
                const read = (path, more) => fetch(path, more).then((answer) => answer.json())
                const [clip] = await read('/api/library/clips')
                const one = (await read('/api/cast/')).find((row) => row.name === name)
                const body = JSON.stringify({ clip_id: clip.id, character_id: one.id })
                const token = /armuto_csrf=([^;]+)/.exec(document.cookie)[1]
                const headers = { 'Content-Type': 'application/json', 'X-CSRFToken': token }
                return (await read('/api/fittings/', { method: 'POST', headers, body })).id
            }""",
            character,
        )
        self.go(f"/fittings/{ids}")

    def test_a_body_plan_of_ones_own(self):
        self.open(PORTER)
        self.menu("Body plan")
        dialog = self.page.get_by_role("dialog")
        dialog.get_by_label("Name of the copy").fill("with a chain")
        dialog.get_by_role("button", name="Copy it").click()
        dialog.get_by_label("Limb", exact=True).fill("watch chain")
        dialog.get_by_label("hangs from").select_option("spine")
        dialog.get_by_label("any number of bones in a row").check()
        dialog.get_by_role("button", name="Add the limb").click()
        expect(dialog.get_by_role("cell", name="watch chain").first).to_be_visible()
        dialog.get_by_role("button", name="Take away thumb").click()
        expect(dialog.get_by_role("cell", name="thumb", exact=False)).to_have_count(0)
        self.changed(lambda: dialog.get_by_role("button", name="Pair by").click())
        self.assertNotIn("left thumb proximal", self.pairs())
        self.assertIn("left index proximal", self.pairs())
