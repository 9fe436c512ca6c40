"""What a browser may withhold, what a file may break, and where the studio may not stand: the rest goes on."""

import json
import struct

from playwright.sync_api import expect

from armuto.tests.files import PORTER, WALK
from studio.cast.models import Character
from studio.contents.services import store
from studio.library.models import Clip
from studio.tests.browser.studio_case import StudioCase

STRIKER = PORTER.with_name("striker.glb")
DENIED = "get() { throw new DOMException('denied', 'SecurityError') }"
WITHOUT_STORAGE = f"""for (const kind of ['localStorage', 'sessionStorage'])
    Object.defineProperty(window, kind, {{ configurable: true, {DENIED} }})"""
WITHOUT_WEBGL = """
    const getContext = HTMLCanvasElement.prototype.getContext
    HTMLCanvasElement.prototype.getContext = function (kind, ...more) {
        return kind.startsWith('webgl') ? null : getContext.call(this, kind, ...more)
    }"""


def with_weights_of_no_bone(glb: bytes) -> bytes:
    """The file with its skin cut down to one joint, as a careless exporter may leave it."""
    length = struct.unpack_from("<I", glb, 12)[0]
    tree = json.loads(glb[20 : 20 + length])
    for skin in tree["skins"]:
        skin["joints"] = skin["joints"][:1]
        skin.pop("inverseBindMatrices", None)
    text = json.dumps(tree).encode()
    text += b" " * (-len(text) % 4)
    rest = glb[20 + length :]
    head = struct.pack("<4sII", b"glTF", 2, 20 + len(text) + len(rest))
    return head + struct.pack("<I4s", len(text), b"JSON") + text + rest


class Withheld(StudioCase):
    def test_a_figure_that_cannot_be_drawn_takes_nobody_with_it(self):
        self.go("/cast")
        for path in (PORTER, STRIKER):
            self.take_in_character(path)
        porter = Character.objects.get(name="porter")
        porter.display_file = store(with_weights_of_no_bone(PORTER.read_bytes()))
        porter.save(update_fields=["display_file"])
        self.go("/cast")
        label = self.page.locator(".label", has_text="porter")
        expect(label).to_contain_text("porter cannot be shown here, its mesh is damaged")
        expect(self.page.locator(".label")).to_have_count(2)
        there = "key => !!window.armuto.stage.figure(key)"
        striker = Character.objects.get(name="striker")
        self.page.wait_for_function(there, arg=f"character {striker.pk}")
        self.assertFalse(self.page.evaluate(there, f"character {porter.pk}"))
        # His sheet opens all the same.
        label.click()
        expect(self.page.locator(".sheet").get_by_text("porter.glb").first).to_be_visible()

    def test_a_browser_that_cannot_draw(self):
        self.take_in_motion(WALK)
        self.take_in_character(PORTER)
        self.page.add_init_script(WITHOUT_WEBGL)
        missing = self.page.get_by_text("WebGL is switched off or missing")
        self.go("/cast")
        expect(missing).to_be_visible()
        self.page.locator(".label", has_text="porter").click()
        expect(self.page.locator(".sheet").get_by_text("porter.glb").first).to_be_visible()
        self.page.locator(".sheet").get_by_role("button", name="walk").click()
        expect(missing).to_be_visible()
        self.page.locator(".weave").wait_for()
        self.page.get_by_role("button", name="Transfer to porter").click()
        expect(self.page.get_by_text("good", exact=True).first).to_be_visible()
        self.page.get_by_role("button", name="Play").click()
        self.page.wait_for_function("() => window.armuto.stage.frame > 2")

    def test_drawings_that_are_lost_come_back(self):
        self.take_in_motion(WALK)
        self.go(f"/library/clips/{Clip.objects.get().pk}")
        self.page.wait_for_function("() => window.armuto?.stage?.positions().source")
        self.page.evaluate(
            """() => {
                const gl = document.querySelector('.stage canvas').getContext('webgl2')
                window.lost = gl.getExtension('WEBGL_lose_context')
                window.lost.loseContext()
            }"""
        )
        expect(self.page.get_by_text("they come back by themselves")).to_be_visible()
        self.page.evaluate("() => window.lost.restoreContext()")
        expect(self.page.get_by_text("they come back by themselves")).to_have_count(0)
        self.console = [line for line in self.console if "Context Lost" not in line]

    def test_each_beat_draws_what_is_played(self):
        self.take_in_motion(WALK)
        self.go(f"/library/clips/{Clip.objects.get().pk}")
        self.page.wait_for_function("() => window.armuto?.stage?.positions().source")
        self.page.get_by_role("button", name="Play").click()
        beats = self.page.evaluate(
            """async () => {
                const seen = new Set()
                const done = window.armuto.stage.afterDrawing(() => seen.add(window.armuto.stage.frame))
                const shown = new Set()
                while (shown.size < 30) {
                    await new Promise(requestAnimationFrame)
                    shown.add(window.armuto.stage.frame)
                }
                done()
                return { seen: seen.size, shown: shown.size }
            }"""
        )
        self.assertGreaterEqual(beats["seen"], beats["shown"] - 2, beats)

    def test_a_browser_that_keeps_nothing(self):
        self.take_in_motion(WALK)
        self.page.add_init_script(WITHOUT_STORAGE)
        self.go("/library")
        expect(self.page.get_by_text("This browser keeps nothing for the studio")).to_be_visible()
        self.page.get_by_role("button", name="Dismiss").click()
        clip = Clip.objects.get()
        self.go(f"/library/clips/{clip.pk}")
        expect(self.page.get_by_text("walk").first).to_be_visible()
        self.go("/delivery/new")
        expect(self.page.get_by_role("heading").first).to_be_visible()

    def test_inside_another_page_it_does_not_work(self):
        held = f'<iframe src="{self.live_server_url}/library" width="800" height="600"></iframe>'
        self.page.route("http://elsewhere.example/", lambda route: route.fulfill(body=held, content_type="text/html"))
        self.page.goto("http://elsewhere.example/")
        frame = self.page.frames[-1]
        self.assertFalse(frame.locator("#app").count(), "the browser shows nothing of it")
        self.console.clear()  # it says why

        def without_policy(route):
            answer = route.fetch()
            kept = {
                name: value
                for name, value in answer.headers.items()
                if name not in ("content-security-policy", "x-frame-options")
            }
            route.fulfill(response=answer, headers=kept)

        # A proxy that strips the policy: the page itself will not have it.
        self.page.route("**/library", without_policy)
        self.page.goto("http://elsewhere.example/")
        expect(self.page.frame_locator("iframe").get_by_text("does not work inside another page")).to_be_visible()
        expect(self.page.frame_locator("iframe").get_by_role("link", name="/library")).to_be_visible()

    def test_a_studio_that_does_not_answer(self):
        self.take_in_motion(WALK)
        self.take_in_character(PORTER)
        note = self.page.get_by_text("The studio does not answer.")
        self.go("/library")
        expect(self.page.locator(".clip", has_text="walk")).to_be_visible()
        self.page.context.set_offline(True)
        for place in ("Fittings", "Delivery"):  # parts of the page that are not there yet
            self.nav(place)
            expect(note).to_be_visible()
        expect(self.page.locator(".message")).to_have_count(0)
        expect(self.page.locator(".clip", has_text="walk")).to_be_visible()
        self.page.context.set_offline(False)
        expect(note).to_have_count(0)
        # It goes on where somebody wanted to go last.
        expect(self.page.get_by_role("heading", name="Nothing is ready to deliver")).to_be_visible()
        self.console = [line for line in self.console if "ERR_INTERNET_DISCONNECTED" not in line]
