"""Going on from where one is: with the keys after the pointer, with the focus in another view, and after a reload."""

from playwright.sync_api import Locator, expect

from studio.fittings.models import Fitting
from studio.renditions.models import Rendition
from studio.tests.browser.full_studio import FullStudio

CAMERA = "() => [...armuto.stage.camera.position.toArray(), ...armuto.stage.controls.target.toArray()]"


class GoingOn(FullStudio):
    def setUp(self) -> None:
        super().setUp()
        self.fitting = f"/fittings/{Fitting.objects.get(character__name='porter').pk}"

    def button(self, name: str) -> Locator:
        return self.page.get_by_role("button", name=name, exact=True)

    def focused(self) -> str:
        return self.page.evaluate("() => document.activeElement.id || document.activeElement.textContent.trim()")

    def open_fitting(self, query: str = "") -> None:
        self.go(self.fitting + query)
        self.page.wait_for_function("() => window.armuto?.stage?.positions().character")
        expect(self.page.get_by_text("Fetching")).to_have_count(0)
        self.page.wait_for_load_state("networkidle")

    def test_keys_after_the_pointer_and_back_to_the_pointer(self) -> None:
        self.open_fitting("?leaf=transfer&frame=20")
        self.at_frame(20)
        mesh = self.button("Mesh")
        mesh.click()
        expect(mesh).to_have_attribute("aria-pressed", "false")
        self.page.keyboard.press("Space")
        expect(self.button("Pause")).to_be_visible()
        self.page.keyboard.press("Space")
        expect(self.button("Play")).to_be_visible()
        expect(mesh).to_have_attribute("aria-pressed", "false")
        # Who came to it by Tab presses it by Space.
        self.page.keyboard.press("Tab")
        self.page.keyboard.press("Shift+Tab")
        self.page.keyboard.press("Space")
        expect(mesh).to_have_attribute("aria-pressed", "true")
        expect(self.button("Play")).to_be_visible()
        # After a slider its own keys are the slider's, all others the view's.
        self.page.get_by_role("slider").first.focus()
        self.page.keyboard.press("b")
        expect(self.button("Bones")).to_have_attribute("aria-pressed", "false")
        self.page.keyboard.press(",")
        expect(self.page.get_by_role("tab", name="Stance")).to_have_attribute("aria-selected", "true")
        for key, leaf in ((",", "Pair"), (".", "Stance"), (".", "Transfer"), (".", "Touch up"), (".", "Touch up")):
            self.page.keyboard.press(key)
            expect(self.page.get_by_role("tab", name=leaf)).to_have_attribute("aria-selected", "true")

    def test_it_is_looked_at_from_every_side_and_on_the_whole_screen(self) -> None:
        self.open_fitting("?leaf=pair")
        where = "() => armuto.stage.camera.position.clone().sub(armuto.stage.controls.target).normalize().toArray()"
        far = "() => armuto.stage.camera.position.distanceTo(armuto.stage.controls.target)"
        before = self.page.evaluate(far)
        for side, axis in (("front", (0, 0, 1)), ("side", (1, 0, 0)), ("back", (0, 0, -1))):
            self.page.keyboard.press("q")
            for measured, wanted in zip(self.page.evaluate(where), axis, strict=True):
                self.assertAlmostEqual(measured, wanted, delta=0.08, msg=side)
        self.page.get_by_role("button", name="From the top").click()
        self.assertGreater(self.page.evaluate(where)[1], 0.99)
        self.assertAlmostEqual(self.page.evaluate(far), before, delta=1e-3)
        pane = self.page.get_by_label("The fitting", exact=True)
        self.page.keyboard.press("h")
        expect(self.button("Whole screen")).to_have_attribute("aria-pressed", "true")
        expect(pane).to_be_hidden()
        self.page.keyboard.press("h")
        expect(pane).to_be_visible()
        self.button("Speed 1").click()
        self.page.get_by_text("0.25", exact=True).click()
        expect(self.button("Speed 0.25")).to_be_visible()

    def test_the_focus_is_never_lost(self) -> None:
        self.go("/library")
        self.button("Accept").or_(self.page.get_by_text("walk")).first.wait_for()
        self.page.keyboard.press("Tab")
        self.assertEqual(self.focused(), "To the content")
        self.page.keyboard.press("Enter")
        self.assertEqual(self.focused(), "content")
        # Another view begins at its content, whoever asked for it.
        board = self.page.locator("nav").get_by_role("link", name="Board")
        board.focus()
        self.page.keyboard.press("Enter")
        expect(self.page.get_by_role("heading", name="Board")).to_be_visible()
        expect(self.page.locator("#content:focus-within")).to_be_visible()
        # What is closed hands on to where somebody was before it.
        board.focus()
        for key in ("Control+k", "?"):
            self.page.keyboard.press(key)
            dialog = self.page.get_by_role("dialog").filter(visible=True)
            expect(dialog.locator(":focus")).to_have_count(1)
            self.page.keyboard.press("Escape")
            expect(dialog).to_have_count(0)
            expect(board).to_be_focused()
        # So does what is put away.
        self.nav("Library")
        self.page.get_by_label("Select walk").first.check()
        self.button("Retire").click()
        dismiss = self.button("Dismiss").first
        dismiss.focus()
        self.page.keyboard.press("Enter")
        expect(dismiss).to_have_count(0)
        self.page.wait_for_function("() => document.activeElement !== document.body")

    def test_from_a_bone_to_its_angle_in_eight_keys(self) -> None:
        self.open_fitting("?leaf=stance")
        rows = self.page.get_by_role("group", name="What is left, part by part").get_by_role("button")
        expect(rows.first).to_be_visible()
        # One of them is in the order of Tab, whatever their number.
        self.assertEqual(rows.evaluate_all("(all) => all.filter((row) => row.tabIndex === 0).length"), 1)
        self.page.locator("canvas").first.focus()
        for key in ("w", "ArrowDown", "ArrowDown", "Enter", "d", "1", "2", "Enter"):
            self.page.keyboard.press(key)
        expect(rows.nth(0).or_(rows.nth(1)).or_(rows.nth(2)).get_by_title("turned by hand").first).to_be_visible()
        expect(self.button("Undo")).to_be_enabled()
        # Enter gives the number, Esc gives the keys back to the view.
        self.page.keyboard.press("Escape")
        self.page.keyboard.press("Control+z")
        expect(rows.get_by_title("turned by hand")).to_have_count(0)

    def test_to_any_setting_of_the_transfer_in_ten_keys(self) -> None:
        self.open_fitting("?leaf=transfer")
        expect(self.page.get_by_role("heading", name="Joint limits")).to_be_attached()
        self.page.locator("canvas").first.focus()
        heading = """() => document.activeElement.closest('section')?.querySelector('h2')
            ?.textContent.trim().split(/\\s/)[0] ?? ''"""
        seen = []
        for _ in range(9):
            self.page.keyboard.press("w")
            seen.append(self.page.evaluate(heading))
        for name in ("Feet", "Hands", "Arms", "Proportions", "Travel", "Follow", "Joint"):
            self.assertIn(name, seen)
        at = seen.index("Hands") + 1
        for _ in range(9 - at):
            self.page.keyboard.press("Shift+W")
        self.assertEqual(self.page.evaluate(heading), "Hands")
        # From there the arrow keys change it, and the figure follows.
        shown = self.page.evaluate("window.armuto.shown ?? null")
        self.page.keyboard.press("ArrowLeft")
        self.page.wait_for_function("was => window.armuto.shown && window.armuto.shown !== was", arg=shown)
        # In the other leaves the key is theirs.
        self.page.keyboard.press(",")
        self.page.keyboard.press("w")
        self.assertEqual(self.page.evaluate("() => document.activeElement.getAttribute('role') ?? 'button'"), "button")

    def test_keys_are_written_on_what_they_do(self) -> None:
        """Where a control has a key, those who point read it and those who listen hear it."""
        self.open_fitting("?leaf=pair")
        self.page.get_by_role("button", name="left hand").or_(self.page.locator(".bone.paired")).first.click()
        for name, keys, title in (
            ("Find", "Control+K", "Ctrl K"),
            ("Play", "Space", "Space"),
            ("Mesh", "M", "(M)"),
            ("Laid over", "O", "(O)"),
            ("Remove", "X", "(X)"),
            ("Undo", "Control+Z", "(Ctrl Z)"),
            ("One frame on", "ArrowRight", "(→)"),
        ):
            with self.subTest(name):
                control = self.page.get_by_role("button", name=name).first
                expect(control).to_have_attribute("aria-keyshortcuts", keys)
                self.assertIn(title, control.get_attribute("title") or "")

    def test_a_review_and_a_splice_are_at_the_frame_they_were(self) -> None:
        row = Rendition.objects.get(clip__name="bow")
        self.go(f"/review/{row.pk}?frame=12")
        self.page.wait_for_function("() => window.armuto?.stage?.figure('character')?.frames > 1")
        self.at_frame(12)
        self.page.keyboard.press("ArrowRight")
        self.button("All who perform it").click()
        self.page.wait_for_url("**frame=13**against=cast**")
        self.page.reload()
        self.page.wait_for_function("() => window.armuto?.stage?.figure('character')?.frames > 1")
        self.at_frame(13)
        expect(self.button("All who perform it")).to_have_attribute("aria-pressed", "true")
        # The next result is looked at from its own first finding, beside its source.
        self.page.keyboard.press("n")
        self.page.wait_for_url(lambda url: f"/review/{row.pk}" not in url)
        expect(self.button("Source")).to_have_attribute("aria-pressed", "true")
        self.assertNotIn("against", self.page.url)
        self.go("/splices/1")
        self.page.wait_for_function("() => window.armuto?.stage?.positions().source?.length")
        self.page.wait_for_url("**frame=0**")
        for _ in range(5):
            self.page.keyboard.press("ArrowRight")
        self.page.wait_for_url("**frame=5**")
        self.page.reload()
        self.page.wait_for_function("() => window.armuto?.stage?.positions().source?.length")
        self.at_frame(5)

    def test_a_review_that_opens_is_moved_by_nothing_but_its_reader(self) -> None:
        row, other = (Rendition.objects.get(clip__name=name) for name in ("bow", "walk"))
        held, asked = [], []
        self.page.route(
            "**/api/renditions/queue", lambda route: held.append(route) if held is not None else route.continue_()
        )
        self.page.on("request", lambda request: asked.append(request.url))
        with self.page.expect_response("**/api/changes"), self.page.expect_response("**/api/counts"):
            self.go(f"/review/{row.pk}?frame=12")
        # Somebody judges another result while the queue is still being fetched.
        with self.page.expect_response("**/api/counts"):
            path = f"/api/renditions/{other.pk}/send-back"
            answer = self.client.post(path, {"note": "Slower."}, "application/json")
            self.assertEqual(answer.status_code, 200, answer.content)
        self.page.wait_for_timeout(1000)
        self.assertEqual([url for url in asked if url.endswith("/motion")], [])
        waiting, held = held, None
        for route in waiting:
            route.continue_()
        self.page.wait_for_function("() => window.armuto?.stage?.figure('character')?.frames > 1")
        self.at_frame(12)
        self.page.keyboard.press("ArrowRight")
        self.page.wait_for_load_state("networkidle")
        self.at_frame(13)
        self.assertEqual(len([url for url in asked if url.endswith(f"/renditions/{row.pk}/motion")]), 1)

    def test_a_fitting_is_as_it_was_after_a_reload_and_by_night(self) -> None:
        self.open_fitting()
        self.button("Mesh").click()
        self.page.get_by_role("tab", name="Transfer").click()
        self.button("Laid over").click()
        self.page.locator("canvas").first.hover()
        self.page.mouse.down()
        self.page.mouse.move(700, 300, steps=3)
        self.page.mouse.up()
        self.page.get_by_label("Frame", exact=True).or_(self.page.get_by_role("slider")).first.focus()
        for _ in range(3):
            self.page.keyboard.press("ArrowRight")
        frame = self.page.evaluate("armuto.stage.frame")
        self.assertGreater(frame, 3)
        self.page.wait_for_function("f => new URL(location).searchParams.get('frame') === String(f)", arg=frame)
        camera = self.page.evaluate(CAMERA)
        for how in (lambda: self.button("Night").click(), self.page.reload, self.there_and_back):
            self.page.evaluate("() => (armuto.stage = undefined)")
            how()
            drawn = "window.armuto?.stage?.positions().character"
            self.page.wait_for_function(f"() => {drawn} && armuto.stage.frame === {frame}")
            self.page.wait_for_load_state("networkidle")
            expect(self.page.get_by_role("tab", name="Transfer")).to_have_attribute("aria-selected", "true")
            expect(self.button("Laid over")).to_have_attribute("aria-pressed", "true")
            expect(self.button("Mesh")).to_have_attribute("aria-pressed", "false")
            self.page.wait_for_function(
                f"(then) => ({CAMERA})().every((value, n) => Math.abs(value - then[n]) < 1e-3)", arg=camera
            )

    def test_a_camera_that_is_turned_stays_when_what_is_measured_comes(self) -> None:
        self.open_fitting()
        held: list = []
        self.page.route("**/measures/*", lambda route: held.append(route))
        with self.page.expect_request("**/measures/*"):
            self.page.get_by_role("tab", name="Transfer").click()
        self.page.locator("canvas").first.hover()
        self.page.mouse.down()
        self.page.mouse.move(700, 300, steps=3)
        self.page.mouse.up()
        camera = self.page.evaluate(CAMERA)
        self.assertTrue(held, "nothing is measured")
        for route in held:
            route.continue_()
        self.page.unroute("**/measures/*")
        self.page.wait_for_load_state("networkidle")
        self.page.wait_for_timeout(500)
        for before, now in zip(camera, self.page.evaluate(CAMERA), strict=True):
            self.assertAlmostEqual(before, now, places=3)

    def there_and_back(self) -> None:
        self.nav("Delivery")
        expect(self.page.get_by_role("heading", name="Deliver").first).to_be_visible()
        self.page.go_back()

    def test_board_and_library_are_as_they_were(self) -> None:
        self.go("/board")
        self.page.get_by_label("Find clips").fill("walk")
        cell = self.page.get_by_role("gridcell").filter(visible=True).first
        cell.click()
        expect(self.page.get_by_role("button", name="Sweep nothing")).to_be_visible()
        self.page.wait_for_function("() => new URL(location).searchParams.get('find') === 'walk'")
        for how in (self.page.reload, self.there_and_back):
            how()
            expect(self.page.get_by_label("Find clips")).to_have_value("walk")
            expect(self.page.get_by_role("button", name="Sweep nothing")).to_be_visible()
        self.go("/library")
        self.page.get_by_label("Order", exact=True).select_option("longest")
        self.page.get_by_label("Search clips").first.fill("bow")
        self.page.wait_for_function("() => new URL(location).search === '?order=longest&find=bow'")
        for how in (self.page.reload, self.there_and_back):
            how()
            expect(self.page.get_by_label("Order", exact=True)).to_have_value("longest")
            expect(self.page.get_by_label("Search clips").first).to_have_value("bow")
