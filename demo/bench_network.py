"""What views need of a line, and what they leave behind: ``python -m demo.bench_network``."""

import json
import tempfile
import time
import urllib.request
from dataclasses import dataclass
from typing import Any

from playwright.sync_api import Browser, BrowserContext, Page

from demo.browser import FIRST_STEPS_AWAY, chromium
from demo.serving import CSRF, served

PORT = 8737
SLOW = {"offline": False, "latency": 100, "downloadThroughput": 400_000 / 8, "uploadThroughput": 400_000 / 8}
PATIENCE = 300_000  # milliseconds
FIGURES = "() => [...window.armuto?.stage?.figures?.keys() ?? []].length >= %d"
PLATES = "() => [...document.querySelectorAll('main svg, main canvas')].length > 0"
#: Views, and what is there once their figures are.
VIEWS = {
    "Library": ("/library", PLATES),
    "Cast, six figures": ("/cast", FIGURES % 6),
    "Fitting": ("/fittings/%(fitting)s?leaf=transfer", FIGURES % 1),
    "Board": ("/board", PLATES),
}
VISITS = 30
# Shares of the beats of the screen, while a clip is played, in which its frame was drawn.
BEATS = """async (count) => {
    const { stage } = window.armuto
    const drawn = new Set()
    const done = stage.afterDrawing(() => drawn.add(stage.frame))
    const shown = new Set()
    for (let n = 0; n < count; n++) {
        await new Promise(requestAnimationFrame)
        shown.add(stage.frame)
    }
    done()
    return [...shown].filter((frame) => drawn.has(frame)).length / shown.size
}"""


@dataclass(frozen=True)
class Visit:
    """kilobytes: over the line until the figures are there. text, figures: seconds until something can be read, and
    until they are. again: kilobytes of the second visit, with what the browser has kept."""

    kilobytes: float
    text: float
    figures: float
    again: float


def visited(context: BrowserContext, address: str, there: str) -> tuple[float, float, float]:
    page = context.new_page()
    line = context.new_cdp_session(page)
    line.send("Network.enable")
    line.send("Network.emulateNetworkConditions", SLOW)
    received: list[float] = []
    line.on("Network.dataReceived", lambda event: received.append(event["encodedDataLength"]))
    begun = time.perf_counter()
    page.goto(address, wait_until="commit")
    page.wait_for_function("() => document.body?.innerText.trim().length > 5", timeout=PATIENCE)
    text = time.perf_counter() - begun
    page.wait_for_function(there, timeout=PATIENCE)
    figures = time.perf_counter() - begun
    page.close()
    return sum(received) / 1000, text, figures


def visits(browser: Browser, base: str, fitting: int) -> dict[str, Visit]:
    out = {}
    for name, (path, there) in VIEWS.items():
        context = browser.new_context(viewport={"width": 1280, "height": 800}, reduced_motion="reduce")
        context.add_init_script(FIRST_STEPS_AWAY)
        address = base + path % {"fitting": fitting}
        first = visited(context, address, there)
        again, _, _ = visited(context, address, there)
        out[name] = Visit(*first, again)
        context.close()
    return out


def beats(page: Page, address: str) -> float:
    page.goto(address)
    page.wait_for_function(FIGURES % 1)
    page.wait_for_load_state("networkidle")
    page.get_by_role("button", name="Play", exact=True).click()
    return float(page.evaluate(BEATS, 60))


def left_behind(page: Page, base: str, fitting: int) -> dict[str, tuple[int, int]]:
    """DOM nodes and geometries on the graphics card after one round through the views and after many."""
    line = page.context.new_cdp_session(page)

    def counted() -> dict[str, Any]:
        page.wait_for_function(FIGURES % 1)
        page.wait_for_load_state("networkidle")
        line.send("HeapProfiler.collectGarbage")
        nodes = line.send("Memory.getDOMCounters")["nodes"]
        return {
            "DOM nodes": nodes,
            "geometries": page.evaluate("() => window.armuto.stage.renderer.info.memory.geometries"),
        }

    page.goto(f"{base}/fittings/{fitting}")
    first: dict[str, Any] = {}
    for visit in range(VISITS):
        page.locator("nav").get_by_role("link", name=("Cast", "Board", "Library")[visit % 3]).click()
        page.wait_for_timeout(300)
        page.go_back()
        page.wait_for_timeout(300)
        if visit == 2:
            first = counted()
    last = counted()
    return {what: (first[what], last[what]) for what in last}


def open_fitting(base: str) -> int:
    """Of the porter, who performs a walk."""

    def ask(path: str, **body: int) -> Any:
        data = json.dumps(body).encode() if body else None
        request = urllib.request.Request(base + path, data, {"Content-Type": "application/json", **CSRF})
        with urllib.request.urlopen(request) as answer:
            return json.load(answer)

    clip = next(row["id"] for row in ask("/api/library/clips") if row["name"] == "walk")
    porter = next(row["id"] for row in ask("/api/cast/") if row["name"] == "porter")
    return int(ask("/api/fittings/", clip_id=clip, character_id=porter)["id"])


def report() -> str:
    with tempfile.TemporaryDirectory() as folder, served(folder, PORT, "--demo"), chromium() as browser:
        base = f"http://127.0.0.1:{PORT}"
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.add_init_script(FIRST_STEPS_AWAY)
        fitting = open_fitting(base)
        seen = visits(browser, base, fitting)
        drawn = beats(page, f"{base}/fittings/{fitting}?leaf=transfer")
        left = left_behind(page, base, fitting)
    rows = "\n".join(
        f"| {name} | {visit.kilobytes:.0f} | {visit.text:.1f} | {visit.figures:.0f} | {visit.again:.0f} |"
        for name, visit in seen.items()
    )
    kept = "\n".join(f"| {what} | {first} | {last} |" for what, (first, last) in left.items())
    return f"""Views on a line of 400 kbit/s with 100 ms of delay, until their figures or plates are there (to reach: Cast 2,000 kB, a fitting 1,000,
12 s, and something to read from the first second). Again: a second visit with what the browser has kept.

| view | kB | seconds to something to read | to the figures | kB again |
|---|---|---|---|---|
{rows}

While a clip is played, {drawn:.2f} of the frames of the screen are drawn (to reach: 1.0).

| left behind | after 3 visits | after {VISITS} |
|---|---|---|
{kept}"""


if __name__ == "__main__":
    print(report())
