"""How long a change of a pair or a stance takes to be seen on the figure, in the real interface: ``python -m
demo.bench_browser``."""

import tempfile
from pathlib import Path

import numpy as np
from playwright.sync_api import Page

from armuto.formats import bvh
from demo.browser import chromium
from demo.serving import ROOT, served

PORT = 8733
CHANGES, FRAMES = 120, 1000
PACE = 900  # milliseconds between changes, as quick hands make them
BONES = ("LeftForearm", "LeftHand", "LeftShin", "LeftFoot", "LeftUpperArm", "Chest")
# The time from a key to the moment the changed pose has been handed to the graphics system.
WATCH = """() => {
    window.times = []
    let pressed = 0
    addEventListener('keydown', () => (pressed = performance.now()), true)
    let shown = window.armuto.shown
    Object.defineProperty(window.armuto, 'shown', {
        get: () => shown,
        set(now) { shown = now; window.times.push(performance.now() - pressed) },
    })
}"""


def changes() -> tuple[list[float], list[float]]:
    """Milliseconds from a key to the moved figure on a clip of 1,000 frames: pairs removed and brought back, angles
    changed."""
    with tempfile.TemporaryDirectory() as folder:
        walk = bvh.parse((ROOT / "demo" / "files" / "hall" / "walk.bvh").read_bytes(), "walk.bvh")
        rows = np.resize(walk.motion, (FRAMES, walk.motion.shape[1]))
        clip = Path(folder) / "long walk.bvh"
        clip.write_bytes(bvh.serialise(bvh.BvhFile(walk.joints, walk.frame_time, rows)))
        with served(folder, PORT, "--demo"), chromium() as browser:
            return measured(browser.new_page(viewport={"width": 1280, "height": 800}), clip)


def measured(page: Page, clip: Path) -> tuple[list[float], list[float]]:
    page.goto(f"http://127.0.0.1:{PORT}/library/intake")
    with page.expect_file_chooser() as chooser:
        page.get_by_role("button", name="Bring in motion").click()
    chooser.value.set_files([clip])
    page.get_by_role("button", name="Accept 1 clip").click()
    page.get_by_text("The intake has been accepted.").wait_for()
    number = page.evaluate(
        """async () => {
            const read = (path, more) => fetch(path, more).then((answer) => answer.json())
            const clip = (await read('/api/library/clips')).find((row) => row.name.includes('long'))
            const figure = (await read('/api/cast/')).find((row) => row.name === 'porter')
            const body = JSON.stringify({ clip_id: clip.id, character_id: figure.id })
            const token = /armuto_csrf=([^;]+)/.exec(document.cookie)[1]
            const headers = { 'Content-Type': 'application/json', 'X-CSRFToken': token }
            return `${(await read('/api/fittings/', { method: 'POST', headers, body })).id}?clip=${clip.id}`
        }"""
    )
    page.goto(f"http://127.0.0.1:{PORT}/fittings/{number}")
    page.wait_for_function("() => window.armuto?.stage?.figure('character')?.frames > 900")
    page.wait_for_timeout(1500)
    page.evaluate(WATCH)
    for n in range(CHANGES // 2):
        page.locator(f'[data-id="source {BONES[n % len(BONES)]}"]').evaluate("bone => bone.focus()")
        for key in ("x", "Control+z"):
            before = page.evaluate("window.times.length")
            page.keyboard.press(key)
            page.wait_for_function("before => window.times.length > before", arg=before)
            page.wait_for_timeout(PACE)
    pairs = page.evaluate("window.times.splice(0)")
    page.get_by_role("tab", name="Stance").click()
    page.wait_for_function("() => window.armuto.stage.positions()['stance character']")
    page.wait_for_timeout(1500)
    for part in ("left upper arm", "left lower leg"):
        page.locator("button.row", has_text=part).click()
        for n in range(CHANGES // 2):
            step = page.get_by_role("button", name=f"Turn {'on' if n % 2 else 'back'} about bend")
            step.focus()
            before = page.evaluate("window.times.length")
            page.keyboard.press("Enter")
            page.wait_for_function("before => window.times.length > before", arg=before)
            page.wait_for_timeout(PACE)
    return pairs, page.evaluate("window.times")


if __name__ == "__main__":
    for what, times in zip(("pairs", "angles"), map(np.array, changes()), strict=True):
        print(
            f"{len(times)} {what}: median {np.median(times):.0f} ms, 95 of 100 within {np.percentile(times, 95):.0f} ms"
        )
