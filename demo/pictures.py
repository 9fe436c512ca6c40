"""Take the pictures in docs/screenshots from a fresh studio with the demo data: ``python -m demo.pictures``."""

import os
import signal
import subprocess
import sys
import tempfile
from pathlib import Path

from playwright.sync_api import Page

from demo.browser import chromium

ROOT = Path(__file__).resolve().parent.parent
OUT = ROOT / "docs" / "screenshots"
PORT = 8177


def main() -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        environment = {**os.environ, "ARMUTO_DATA": folder, "PYTHONUNBUFFERED": "1"}
        command = [sys.executable, "manage.py", "serve", "--demo", "--port", str(PORT)]
        studio = subprocess.Popen(command, cwd=ROOT, env=environment, stdout=subprocess.PIPE, text=True)
        try:
            assert studio.stdout
            for line in studio.stdout:
                if "is open at" in line:
                    break
            with chromium() as browser:
                take(browser.new_page(viewport={"width": 1280, "height": 800}))
        finally:
            studio.send_signal(signal.SIGINT)
            studio.wait(20)


def take(page: Page) -> None:
    def picture(name: str, path: str | None = None, settle: int = 700) -> None:
        if path:
            page.goto(f"http://127.0.0.1:{PORT}{path}")
        page.wait_for_timeout(settle)
        page.screenshot(path=OUT / f"{name}.png")
        print(f"docs/screenshots/{name}.png")

    picture("library", "/library", 1500)
    page.goto(f"http://127.0.0.1:{PORT}/cast")
    page.wait_for_function("() => Object.keys(window.armuto?.stage?.positions() ?? {}).length > 0")
    page.get_by_role("button", name="porter").click()
    picture("cast", settle=1500)
    page.get_by_role("button", name="walk").click()
    page.wait_for_function("() => window.armuto?.stage?.figure('character')?.frames > 1")
    page.get_by_role("button", name="Pause").click()
    page.keyboard.press("Home")
    for _ in range(44):
        page.keyboard.press("ArrowRight")
    picture("fitting-pair", settle=1500)
    page.get_by_role("tab", name="Stance").click()
    page.keyboard.press("o")
    page.keyboard.press("b")
    page.get_by_role("button", name="walk").click()
    page.get_by_text("wave the lantern").click()
    page.wait_for_timeout(1500)
    for _ in range(60):
        page.keyboard.press("ArrowRight")
    picture("fitting-stance", settle=1200)
    page.get_by_role("button", name="Transfer to porter").click()
    page.get_by_text("good").wait_for()
    page.goto(f"http://127.0.0.1:{PORT}/board")
    page.get_by_role("button", name="Transfer the").click()
    page.get_by_role("button", name="All cells are up to date").wait_for()
    picture("board", settle=1200)
    picture("delivery", "/delivery")


if __name__ == "__main__":
    main()
