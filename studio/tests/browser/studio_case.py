"""A live studio for a test: server, worker, browser, and a console that must stay quiet."""

import atexit
import os
import subprocess
import sys
import tempfile
from base64 import b64encode
from collections.abc import Callable
from contextlib import AbstractContextManager
from functools import partialmethod
from pathlib import Path
from typing import TypeVar

from django.conf import settings
from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from django.db import connection
from django.test import override_settings, tag
from playwright.sync_api import Browser, Error, Locator, Page, expect

from demo.browser import FIRST_STEPS_AWAY, chromium

# Playwright runs an event loop in this thread; the database is only used between its calls.
os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")
T = TypeVar("T")
PATIENCE = 120_000  # milliseconds; the machine may be busy with other tests
LONG = 400_000  # for what takes a while on a quiet machine, too
DRAWN_AT = 0.5  # pixels for each of the page's: without a graphics card the processor has to draw them
SHORT_LIVED = "--js-flags=--no-turbofan"  # no page of a test lives until compiling its code with most care has paid
expect.set_options(timeout=PATIENCE)
# As it is by itself, a page would be asked at each frame, and have to make sixty of them a second meanwhile.
Page.wait_for_function = partialmethod(Page.wait_for_function, polling=50)


_worker: subprocess.Popen | None = None


def hire() -> None:
    """Have a worker for all the classes of this process, and wait until it works: starting one takes seconds."""
    global _worker
    if _worker and _worker.poll() is None:
        return
    environment = {**os.environ, "ARMUTO_DATABASE": str(connection.settings_dict["NAME"])}
    command = [sys.executable, "manage.py", "work", "--interval", "0.1", "-v", "0", "--with-parent", str(os.getpid())]
    _worker = subprocess.Popen(
        command, env=environment, cwd=settings.BASE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True
    )
    atexit.register(_worker.terminate)
    line = _worker.stdout.readline()
    if not line.endswith("works.\n"):
        raise RuntimeError("The worker did not start; try “manage.py work” by hand.")


_browser: tuple[AbstractContextManager[Browser], Browser] | None = None


def browser() -> Browser:
    """A browser for all the classes of this process: starting one takes seconds. Each test has a context of its own."""
    global _browser
    if _browser is None or not _browser[1].is_connected():
        held = chromium(SHORT_LIVED)
        _browser = held, held.__enter__()
        atexit.register(held.__exit__, None, None, None)
    return _browser[1]


@tag("browser")
@override_settings(TASKS={"default": {"BACKEND": "django_tasks_db.DatabaseBackend"}})
class StudioCase(StaticLiveServerTestCase):
    """Every test starts with an empty studio on one page of 1280×800."""

    size = (1280, 800)
    reduced_motion = "reduce"  # nothing plays unless it is asked to: drawing takes most of the time there is

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        if not (settings.WEB / "index.html").is_file():
            raise RuntimeError("The web application is not built; run “make build”.")
        cls.browser = browser()

    def setUp(self):
        hire()  # a worker that ended with the test before would leave this one without
        self.console: list[str] = []
        context = self.browser.new_context(
            viewport={"width": self.size[0], "height": self.size[1]},
            device_scale_factor=DRAWN_AT,
            accept_downloads=True,
            reduced_motion=self.reduced_motion,
        )
        context.set_default_timeout(PATIENCE)
        context.add_init_script(FIRST_STEPS_AWAY)
        self.addCleanup(context.close)
        self.page: Page = context.new_page()
        self.page.on("console", lambda m: self.console.append(m.text) if m.type == "error" else None)
        self.page.on("response", self._refusal)
        self.page.on("pageerror", lambda problem: self.console.append(str(problem)))
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def _refusal(self, response):
        """What the server refused, beside the browser's own line about it."""
        if response.status < 400:
            return
        try:
            said = response.text()[:200]
        except Error:
            said = "(the page was closed before it was read)"
        print(f"{response.status} {response.request.method} {response.url} {said}", file=sys.stderr)

    def tearDown(self):
        self.assertEqual(self.console, [], "errors in the browser's console")

    def go(self, path: str):
        self.page.goto(self.live_server_url + path)

    def choose_files(self, button: str, *paths: Path):
        with self.page.expect_file_chooser() as chooser:
            self.page.get_by_role("button", name=button).first.click()
        chooser.value.set_files(paths)

    def take_in_motion(self, *paths: Path):
        """Through the intake into the library, as it proposes."""
        self.go("/library")
        self.choose_files("Bring in motion", *paths)
        count = len(paths)
        self.page.get_by_role("button", name=f"Accept {count} clips" if count > 1 else "Accept 1 clip").click()
        expect(self.page.get_by_text("The intake has been accepted.")).to_be_visible()

    def take_in_character(self, path: Path):
        self.nav("Cast")
        self.choose_files("Bring in a character", path)
        self.page.get_by_role("button", name=f"Accept {path.stem}").click()
        expect(self.page.locator(".label:not(.waiting)", has_text=path.stem)).to_be_visible()

    def nav(self, word: str):
        self.page.locator("nav").get_by_role("link", name=word).click()

    def _at_rest(self, read: Callable[[], T], pause: int) -> T:
        """What is read of a page once it is the same again after so many milliseconds."""
        before = None
        for _ in range(40):
            now = read()
            if now is not None and now == before:
                return now
            before = now
            self.page.wait_for_timeout(pause)
        self.fail(f"It does not come to rest: {before}")

    def box_at_rest(self, target: Locator) -> dict[str, float]:
        """Where something is that a hand is about to take, once it stays there: a page under load is still laid out
        when it is there to be seen."""
        return self._at_rest(target.bounding_box, 150)

    def at_rest(self, slider: Locator) -> int:
        """Where a slider stands once it moves no more: a page under load is drawn for the first steps of a hand before
        the last of them."""
        return self._at_rest(lambda: int(slider.get_attribute("aria-valuenow")), 400)

    def joints(self, key: str) -> list[list[float]]:
        """World positions of the joints of a figure or source, as the stage draws them."""
        return self.page.evaluate("key => window.armuto.stage.positions()[key]", key)

    def at_frame(self, frame: int):
        self.page.wait_for_function("n => window.armuto?.stage?.frame === n", arg=frame)

    def drop(self, selector: str, *paths: Path, x: float = 0.5, y: float = 0.5):
        """Drop files on an element, as a hand would: the events, with the files in them."""
        self.page.evaluate("() => { window.dropped = new DataTransfer() }")
        for path in paths:
            self.page.evaluate(
                """([name, base64]) => {
                    const bytes = Uint8Array.from(atob(base64), (c) => c.charCodeAt(0))
                    window.dropped.items.add(new File([bytes], name))
                }""",
                [path.name, b64encode(path.read_bytes()).decode()],
            )
        self.page.eval_on_selector(
            selector,
            """(element, [x, y]) => {
                const box = element.getBoundingClientRect()
                const at = { clientX: box.left + box.width * x, clientY: box.top + box.height * y }
                for (const kind of ['dragenter', 'dragover', 'drop'])
                    element.dispatchEvent(
                        new DragEvent(kind, { bubbles: true, cancelable: true, dataTransfer: window.dropped, ...at })
                    )
            }""",
            [x, y],
        )
