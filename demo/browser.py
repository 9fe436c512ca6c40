"""Headless Chromium as the browser tests and the pictures use it: Debian's own, drawing in software."""

import shutil
from collections.abc import Iterator
from contextlib import contextmanager

from playwright.sync_api import Browser, sync_playwright

# The first has no window behind its pages that is laid out and painted, too.
PROGRAMS = ("chromium-headless-shell", "chromium", "chromium-browser")
ARGUMENTS = [
    "--no-sandbox",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-gpu-rasterization",  # Debian turns it on; without a graphics card it paints pages through an emulated one
    "--disable-gpu-compositing",
    "--use-gl=angle",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
]

# For pages that are no first visit.
FIRST_STEPS_AWAY = """try { localStorage.getItem('armuto.first-steps') ||
    localStorage.setItem('armuto.first-steps', '{"read": [], "away": true}') } catch {}"""


@contextmanager
def chromium(*more: str) -> Iterator[Browser]:
    path = next(filter(None, map(shutil.which, PROGRAMS)), None)
    if path is None:
        raise RuntimeError("Chromium is missing; run “make test”, which installs it where it may.")
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=path, args=[*ARGUMENTS, *more])
        try:
            yield browser
        finally:
            browser.close()
