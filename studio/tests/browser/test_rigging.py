"""A sculpture with honest flaws is given bones: by pointer, corrected afterwards, and by keyboard alone."""

import re
from pathlib import Path

import numpy as np
from playwright.sync_api import APIResponse, Route, expect

from armuto import formats
from armuto.formats import gltf
from armuto.formats.gltf.simplification import simplified
from armuto.intake import recording
from armuto.pipeline import transfer
from armuto.retarget import fitting
from armuto.tests.files import DEMO, WALK
from studio.cast.models import Character
from studio.library.models import Clip
from studio.rigs.models import Rig
from studio.tests.browser.studio_case import LONG, StudioCase

CUT = re.compile("/api/rigs/.*/section")
WATCHMAN, HOUND = (DEMO.parent / "without_bones" / f"{name}.glb" for name in ("watchman", "hound"))


class Rigging(StudioCase):
    def bring_in(self, path: Path | None = None):
        """A sculpture, or the watchman of a sixth of his triangles, which are bound in half the time."""
        if path is None:
            path = self.folder / WATCHMAN.name
            path.write_bytes(simplified(WATCHMAN.read_bytes(), path.name))
        self.go("/cast")
        self.drop("main", path)
        self.page.get_by_role("button", name=f"Accept {path.stem}").click()
        expect(self.page.locator(".label:not(.waiting)", has_text=path.stem)).to_be_visible(timeout=LONG)

    def landmark(self, name: str) -> np.ndarray:
        return np.array(Rig.objects.get().definition["landmarks"][name]["at"])

    def kept(self, change, wait: float = 30) -> None:
        """What a change does is kept when the page has nothing on its way."""
        version = Rig.objects.get().lock_version
        change()
        for _ in range(int(wait * 10)):
            if Rig.objects.get().lock_version != version:
                return
            self.page.wait_for_timeout(100)
        self.fail("nothing was kept")

    def draw(self, side: str, name: str, right: float, down: float):
        """Draw a landmark in a view by so many pixels."""
        mark = self.page.get_by_role("group", name=re.compile(f"^{side}")).locator(f'[data-landmark="{name}"] .target')
        box = self.box_at_rest(mark)
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + right / 2, y + down / 2)
        self.page.mouse.move(x + right, y + down)
        self.page.mouse.up()

    def put_in_line_up(self):
        self.page.get_by_role("button", name="To the line-up").click()
        expect(self.page.get_by_text("has these bones in the line-up")).to_be_visible(timeout=LONG)

    def test_a_hound_is_of_another_kind_and_trots(self):
        self.take_in_motion(DEMO / "yard" / "trot.bvh")
        self.bring_in(HOUND)
        character = Character.objects.get()
        self.go(f"/cast/{character.pk}/bones?step=mesh")
        kind = self.page.get_by_label("body", exact=True)
        expect(kind.locator("option:checked")).to_have_text("four legs")
        before = Rig.objects.get().definition
        self.kept(lambda: kind.select_option(label="two legs and wings"))
        self.assertIn("left wing tip", Rig.objects.get().definition["landmarks"])
        self.kept(self.page.get_by_role("button", name="Undo").click)
        self.assertEqual(Rig.objects.get().definition, before)
        expect(kind.locator("option:checked")).to_have_text("four legs")
        self.page.get_by_role("tab", name="Skeleton").click()
        expect(self.page.get_by_label("Fingers of each hand")).to_have_count(0)
        tail = self.page.get_by_label("bones of the tail")
        tail.fill("6")
        self.kept(lambda: tail.press("Enter"))
        expect(self.page.get_by_role("listitem").filter(has_text=re.compile("^ *tail 6 *$"))).to_be_visible()
        self.page.get_by_role("tab", name="Try out").click()
        self.page.wait_for_function("() => window.armuto?.stage?.figure('figure')?.frames > 1", timeout=LONG)
        rest = np.array(self.joint("tail 6"))
        self.page.get_by_role("button", name="tail up").click()
        self.assertGreater(np.array(self.joint("tail 6"))[1], rest[1] + 0.05)
        self.page.get_by_role("button", name=re.compile("^trot")).click()
        frames = Clip.objects.get().last - Clip.objects.get().first + 1
        self.page.wait_for_function("n => window.armuto.stage.figure('figure').frames === n", arg=frames)
        before = np.array(self.joint("hips"))
        self.page.locator("canvas").focus()
        self.page.keyboard.press("End")
        self.at_frame(frames - 1)
        self.assertGreater(np.linalg.norm(np.array(self.joint("hips")) - before), 0.5)

    def test_from_the_file_to_a_walk_and_corrected_afterwards(self):
        self.take_in_motion(WALK)
        self.bring_in(WATCHMAN)
        self.page.locator(".label", has_text="watchman").click()
        self.page.get_by_role("link", name="Give it bones").click()
        self.page.wait_for_url("**/bones*")
        self.page.wait_for_load_state("networkidle")
        # From its left a landmark moves ahead and up, and the one on the other side with it.
        before, twin = self.landmark("left knee"), self.landmark("right knee")
        self.kept(lambda: self.draw("From its left", "left knee", -24, -16))
        step, other = self.landmark("left knee") - before, self.landmark("right knee") - twin
        rig = Rig.objects.get().value()
        ahead, side = np.array(rig.landmarks.ahead), np.array(rig.landmarks.side)
        self.assertGreater(step @ ahead, 0.03)
        self.assertGreater(step[1], 0.02)
        self.assertLess(abs(step @ side), 1e-4)
        np.testing.assert_allclose(other, step, atol=2e-3)
        cut = self.page.get_by_role("img", name=re.compile("The cut through the body"))
        expect(cut).to_be_visible()
        # Pieces: the cap follows the head as it is, the keys stay behind.
        self.page.get_by_role("tab", name="Mesh").click()
        expect(self.page.get_by_text("2 holes, 60 triangles twice")).to_be_visible()
        cap = self.page.get_by_label("What becomes of cap")
        expect(cap.locator("option").first).to_have_text("proposed: head")
        self.kept(lambda: cap.select_option("bone head"))
        self.kept(lambda: self.page.get_by_label("What becomes of keys").select_option("omitted"))
        # Tried with a posture, with the walk, and taken.
        self.page.get_by_role("tab", name="Try out").click()
        self.page.wait_for_function("() => window.armuto?.stage?.figure('figure')?.frames > 1", timeout=LONG)
        self.page.get_by_role("button", name="arms up").click()
        hand, head = (np.array(self.joint(name)) for name in ("left hand", "head"))
        self.assertGreater(hand[1], head[1])
        self.page.get_by_role("button", name=re.compile("^walk")).click()
        self.page.wait_for_function("() => window.armuto.stage.figure('figure').frames === 149")
        self.put_in_line_up()
        character = Character.objects.get()
        source = formats.read(WALK.read_bytes(), WALK.name)
        target = character.document()
        clip = recording.without_calibration(source.clips[0])
        made = transfer(clip, fitting.fit(source.skeleton, target.skeleton, source.parts, target.parts)).world()
        self.page.locator("canvas").focus()
        self.page.keyboard.press("End")
        self.at_frame(148)
        np.testing.assert_allclose(self.joints("figure"), made.positions[148], atol=2e-3)
        held = gltf.parse(character.display(), "watchman.glb")
        self.assertEqual(
            {row["name"] for row in held.rows("nodes") if "mesh" in row and "skin" in row}, {"body", "cap", "boots"}
        )
        # Corrected afterwards: bones and weights follow, and what else was decided stays.
        self.page.get_by_role("tab", name="Landmarks").click()
        self.page.wait_for_load_state("networkidle")
        elbow = self.landmark("left elbow")
        self.kept(lambda: self.draw("From the front", "left elbow", 12, 0))
        self.assertGreater(np.linalg.norm(self.landmark("left elbow") - elbow), 0.01)
        self.put_in_line_up()
        character.refresh_from_db()
        self.assertEqual(character.revision, 3)
        document = character.document()
        lower = document.skeleton.rest.positions[document.skeleton.index["left lower arm"]]
        self.assertLess(np.linalg.norm(lower - self.landmark("left elbow")), 0.012)
        self.assertEqual(len(Rig.objects.get().definition["omitted"]), 1)
        self.page.get_by_role("button", name="Undo").click()
        expect(self.page.get_by_text("these bones are not in the line-up yet")).to_be_visible()
        np.testing.assert_allclose(self.landmark("left elbow"), elbow, atol=1e-5)

    def test_hands_lie_palm_up_names_are_chosen_and_the_cap_is_of_cloth(self):
        self.bring_in()
        self.go(f"/cast/{Character.objects.get().pk}/bones?step=skeleton")
        self.kept(lambda: self.page.get_by_label("Fingers of each hand").select_option("shape"))
        self.kept(lambda: self.page.get_by_label("Names in the file").select_option("ISO/IEC 19774"))
        expect(self.page.get_by_role("listitem").filter(has_text="left lower arm")).to_contain_text("l_elbow")
        self.page.get_by_role("tab", name="Landmarks").click()
        self.page.get_by_role("group", name="Look at").get_by_role("button", name="left hand").click()
        palm = self.page.get_by_role("group", name=re.compile("^The left hand, palm up"))
        expect(palm.locator("[data-landmark]")).to_have_count(8)
        # Drawn towards the thumb: across the hand and in its plane, and on the other hand alike.
        wrist, end, before = (self.landmark(f"left {name}") for name in ("wrist", "hand", "index tip"))
        self.kept(lambda: self.draw("The left hand, palm up", "left index tip", -30, 0))
        step = self.landmark("left index tip") - before
        self.assertGreater(np.linalg.norm(step), 0.005)
        self.assertLess(abs(step @ (end - wrist)) / np.linalg.norm(step) / np.linalg.norm(end - wrist), 0.01)
        opposite = Rig.objects.get().value().landmarks.plane.mirrored(before + step)
        np.testing.assert_allclose(self.landmark("right index tip"), opposite, atol=1e-4)
        palm.press("h")
        expect(self.page.get_by_role("group", name=re.compile("^The right hand, from its thumb"))).to_be_visible()
        self.page.get_by_role("button", name="crown", exact=True).click()
        expect(self.page.get_by_role("group", name=re.compile("^From the front"))).to_be_visible()
        self.page.get_by_role("tab", name="Mesh").click()
        self.kept(lambda: self.page.get_by_label("What becomes of cap").select_option("bends softly, as cloth"))
        softness = self.page.get_by_label("softness")
        softness.fill("80")
        answers: list[tuple[Route, APIResponse]] = []
        own = re.compile(r"/api/rigs/\d+$")
        self.page.route(own, lambda route: answers.append((route, route.fetch())))
        self.kept(lambda: softness.press("Enter"))
        self.assertEqual(list(Rig.objects.get().definition["softness"].values()), [0.8])
        # Kept in the studio, which the page is told only now: what it then binds to look at takes nobody's place.
        self.page.get_by_role("button", name="To the line-up").click()
        for route, answer in answers:
            route.fulfill(response=answer)
        self.page.unroute(own)
        expect(self.page.get_by_text("has these bones in the line-up")).to_be_visible(timeout=LONG)
        self.assertLessEqual(
            {"l_elbow", "l_carpal_interphalangeal_1"}, set(Character.objects.get().document().skeleton.names)
        )

    def test_a_piece_is_moved_before_it_is_bound_and_a_binding_is_stopped(self):
        self.bring_in()
        character = Character.objects.get()
        held = []
        self.page.route("**/binding?job=*", lambda route: held.append(route))
        self.page.route("**/api/rigs/jobs/*", lambda route: route.fulfill(json={"share": None, "doing": ""}))
        self.go(f"/cast/{character.pk}/bones?step=mesh")
        row = Rig.objects.get()
        cap = next(piece for piece in row.facts["pieces"] if piece["name"] == "cap")
        self.page.get_by_role("button", name="cap", exact=True).click()
        front = self.page.get_by_role("group", name=re.compile("^From the front"))
        box = self.box_at_rest(front.locator('[data-hold="box"]'))
        # What is said of the binding, which begins by itself, moves nothing that a hand is about to draw.
        self.page.route("**/api/rigs/jobs/*", lambda route: route.fulfill(json={"share": 0.2, "doing": "Filling it"}))
        expect(self.page.get_by_label("How far the binding is")).to_have_attribute("value", "0.2")
        self.assertEqual(front.locator('[data-hold="box"]').bounding_box(), box)
        for route in held:
            route.continue_()
        self.page.unroute_all()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2

        def draw():
            self.page.mouse.move(x, y)
            self.page.mouse.down()
            self.page.mouse.move(x + 20, y - 20)
            self.page.mouse.move(x + 40, y - 40)
            self.page.mouse.up()

        self.kept(draw)
        number = str(cap["number"])
        offset = Rig.objects.get().definition["moves"][number]["offset"]
        definition = Rig.objects.get().definition
        # To the right in the front view is to its left, and nothing moves towards who looks.
        aside, ahead = (float(np.dot(offset, definition[key])) for key in ("side", "ahead"))
        self.assertTrue(0.02 < aside < 0.4 and abs(offset[1] - aside) < 0.005 and abs(ahead) < 0.005, offset)
        moved = next(piece for piece in Rig.objects.get().facts["pieces"] if piece["name"] == "cap")
        np.testing.assert_allclose(moved["middle"], np.add(cap["middle"], offset), atol=1e-3)
        # By keyboard alone: typed, and by arrow keys in the view.
        turned = self.page.get_by_label("cap turned, round °")
        turned.fill("30")
        self.kept(turned.blur)
        self.assertEqual(Rig.objects.get().definition["moves"][number]["turn"], [0, 30, 0])
        front.focus()
        self.kept(lambda: self.page.keyboard.press("ArrowUp"))
        now = Rig.objects.get().definition["moves"][number]["offset"]
        self.assertAlmostEqual(now[1] - offset[1], 0.002, places=4)
        self.kept(self.page.get_by_role("button", name="Put it back").click)
        self.assertEqual(Rig.objects.get().definition["moves"], {})
        self.kept(self.page.get_by_role("button", name="Undo").click)
        self.assertEqual(Rig.objects.get().definition["moves"][number]["offset"], now)
        # It is bound where it was moved to, once nobody stops that.
        held.clear()
        self.page.route("**/binding?job=*", lambda route: held.append(route))
        self.page.route("**/api/rigs/jobs/*", lambda route: route.fulfill(json={"share": 0.3, "doing": "Filling it"}))
        self.page.get_by_role("tab", name="Weights").click()
        expect(self.page.get_by_label("How far the binding is")).to_have_attribute("value", "0.3", timeout=LONG)
        self.page.keyboard.press("x")
        expect(self.page.get_by_text("The binding was stopped.")).to_be_visible()
        for route in held:
            route.abort()
        self.page.unroute_all()
        self.page.get_by_role("button", name="Bind it").click()
        self.page.wait_for_function("() => window.armuto?.stage?.figure('figure')?.frames > 1", timeout=LONG)
        expect(self.page.get_by_text("The binding was stopped.")).to_have_count(0)
        # A correction without a pointer.
        self.page.get_by_label("Show what follows").select_option("left lower arm")
        self.page.get_by_label("Where", exact=True).select_option("left elbow")
        self.kept(self.page.get_by_role("button", name="Correct there").click)
        (correction,) = Rig.objects.get().definition["corrections"]
        self.assertEqual(correction["bone"], "left lower arm")
        np.testing.assert_allclose(correction["at"], self.landmark("left elbow"), atol=1e-4)
        self.put_in_line_up()
        figure = gltf.parse(Character.objects.get().display(), "watchman.glb")
        self.assertTrue(figure.rows("skins"))

    def joint(self, name: str):
        return self.page.evaluate(
            """name => {
                const figure = window.armuto.stage.figure('figure')
                return figure.worldPositions()[figure.joints.findIndex((joint) => joint.name === name)]
            }""",
            name.replace(" ", "_"),
        )

    def test_by_keyboard_alone(self):
        self.take_in_motion(WALK)
        self.bring_in()
        self.go(f"/cast/{Character.objects.get().pk}/bones")
        self.page.wait_for_load_state("networkidle")
        press = self.page.keyboard.press
        in_hand = self.page.locator(".list button[aria-pressed=true]")
        name = ""
        while name != "left elbow":  # the row in hand follows a key at once, the address a little later
            press("n")
            expect(in_hand).not_to_have_accessible_name(name) if name else expect(in_hand).to_have_count(1)
            name = in_hand.get_attribute("aria-label")
        self.page.wait_for_url("**landmark=left+elbow*")
        press("t")  # this side alone
        press("w")
        before, twin = self.landmark("left elbow"), self.landmark("right elbow")
        cuts: list[Route] = []
        self.page.route(CUT, lambda route: cuts.append(route))
        self.kept(lambda: [press("ArrowUp") for _ in range(5)])
        moved = self.landmark("left elbow") - before
        np.testing.assert_allclose(moved, [0, 0.01, 0], atol=1e-4)
        np.testing.assert_allclose(self.landmark("right elbow"), twin, atol=1e-5)

        def to_the_middle():
            press("c")  # of a cut that is still on its way
            for route in cuts:
                route.continue_()
            self.page.unroute(CUT)

        self.kept(to_the_middle)
        self.assertLess(np.linalg.norm(self.landmark("left elbow") - before), 0.01)
        self.kept(lambda: press("Control+z"))
        np.testing.assert_allclose(self.landmark("left elbow"), before + moved, atol=1e-4)
        press(".")
        expect(self.page.get_by_role("tab", name="Skeleton")).to_have_attribute("aria-selected", "true")
        self.page.get_by_role("tab", name="Skeleton").focus()
        press("Tab")
        press("ArrowUp")
        self.kept(lambda: press("Enter"))
        self.assertEqual(Rig.objects.get().definition["options"]["spine"], 4)
        press(".")
        self.page.wait_for_function("() => window.armuto?.stage?.figure('figure')", timeout=LONG)
        press("Control+Enter")
        expect(self.page.get_by_text("has these bones in the line-up")).to_be_visible(timeout=LONG)
        self.assertIn("spine 3", Character.objects.get().document().skeleton.names)
