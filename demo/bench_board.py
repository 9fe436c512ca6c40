"""The board in the real interface: 100 clips on 5 characters transferred, and 2,000 × 20 opened and scrolled.

``python -m demo.bench_board``
"""

import multiprocessing
import os
import re
import sqlite3
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator, Mapping
from concurrent.futures import ProcessPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from playwright.sync_api import Page

from demo.browser import FIRST_STEPS_AWAY, chromium
from demo.serving import ROOT, served

PORT = 8734
CLIPS, CHARACTERS = 100, 5
BROKEN = "walk"  # the clip whose motion is spoilt
# Pages are put together by the processor, as browsers do where there is no graphics card, and not by an emulated one.
PLAIN = ("--disable-gpu-compositing",)
WHEEL = 100  # pixels of a notch of the wheel
SCROLLS = 240
PACES = {3: "a fast hand, a notch of the wheel every third frame", 1: "a notch every frame"}
# Notes when frames come; the page itself turns the wheel by a notch before every so many of them, as a steady hand
# does.
SCROLL = """async ([selector, frames, pixels, every]) => {
    const sheet = document.querySelector(selector)
    const gaps = []
    let last = await new Promise(requestAnimationFrame)
    for (let n = 0; n < frames; n++) {
        if (n % every === 0) sheet.scrollTop += pixels
        const now = await new Promise(requestAnimationFrame)
        gaps.push(now - last)
        last = now
    }
    return gaps
}"""


@dataclass(frozen=True)
class Batch:
    """seconds: of the run, stopped time left out. core: of the same work by as many processes of the core. memory: the
    largest worker's peak in MB after a fifth of the items and at the end."""

    items: int
    failed: int
    workers: int
    seconds: float
    core: float
    memory: tuple[float, float]


@dataclass(frozen=True)
class Large:
    """Milliseconds: from the click on “Board” to the first cells; between frames while it scrolls, by how many frames
    lie between two notches."""

    opened: list[float]
    frames: dict[int, list[float]]


@contextmanager
def studio(folder: str, *making: str) -> Iterator[subprocess.Popen]:
    """A large studio made for this, served."""
    environment = {**os.environ, "ARMUTO_DATA": folder}
    subprocess.run(
        [sys.executable, "manage.py", "large_studio", *making],
        cwd=ROOT,
        env=environment,
        check=True,
        stdout=subprocess.DEVNULL,
    )
    _spoil(folder)
    with served(folder, PORT) as process:
        yield process


def _spoil(folder: str) -> None:
    """Half of one clip's motion is lost."""
    with sqlite3.connect(Path(folder) / "armuto.sqlite3") as base:
        base.execute(
            "UPDATE library_motion SET rotations = substr(rotations, 1, 1000) "
            "WHERE clip_id = (SELECT id FROM library_clip WHERE name = ?)",
            [BROKEN],
        )


def batch() -> Batch:
    """100 clips on 5 characters from the board: swept and started, stopped in the middle, gone on with."""
    with tempfile.TemporaryDirectory() as folder:
        making = ["--clips", str(CLIPS), "--characters", str(CHARACTERS), "--plan", "two-legged", "--bare"]
        with studio(folder, *making) as process, chromium(*PLAIN) as browser:
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            page.add_init_script(FIRST_STEPS_AWAY)
            page.goto(f"http://127.0.0.1:{PORT}/board")
            page.get_by_role("button", name="Sweep all").click()
            page.get_by_role("button", name=re.compile(rf"Transfer\s*{CLIPS * CHARACTERS}")).click()
            page.goto(f"http://127.0.0.1:{PORT}/runs")
            early = _followed(page, process.pid, 0.2)
            _followed(page, process.pid, 0.5)
            page.get_by_role("button", name="Stop").click()
            page.get_by_role("button", name="Continue").wait_for()
            page.wait_for_timeout(2000)
            page.get_by_role("button", name="Continue").click()
            peak = _followed(page, process.pid, 1.0)
            run = page.evaluate("() => fetch('/api/runs/').then((answer) => answer.json())")[0]
            workers = len(_memory(process.pid))
        core = _core_alone(folder, workers)
        return Batch(run["total"], run["failed"], workers, run["worked"], core, (early, peak))


def _followed(page: Page, server: int, share: float) -> float:
    """Wait until so much of the run is through. Returns the largest peak of a worker in MB."""
    bar = page.locator(".wide[role=progressbar]")
    page.get_by_role("heading", name="Runs").wait_for()
    while True:
        memory = max(_memory(server).values(), default=0.0)
        if not bar.is_visible():
            return memory
        through = float(bar.get_attribute("aria-valuenow") or 0) / float(bar.get_attribute("aria-valuemax") or 1)
        if through >= share:
            return memory
        page.wait_for_timeout(250)


def _memory(server: int) -> Mapping[int, float]:
    """Peak resident memory in MB of each worker of a studio."""
    out = {}
    for status in Path("/proc").glob("[0-9]*/status"):
        try:
            status_text = status.read_text()
            command = (status.parent / "cmdline").read_bytes()
        except OSError:
            continue
        if b"work" in command.split(b"\0") and re.search(rf"^PPid:\t{server}$", status_text, re.MULTILINE):
            peak = re.search(r"^VmHWM:\s+(\d+)", status_text, re.MULTILINE)
            out[int(status.parent.name)] = int(peak[1]) / 1024 if peak else 0.0
    return out


def _core_alone(folder: str, processes: int) -> float:
    """Seconds for the same transfers and findings by the core in as many processes, values at hand, nothing kept."""
    os.environ |= {"DJANGO_SETTINGS_MODULE": "studio.settings", "ARMUTO_DATA": folder}
    context = multiprocessing.get_context("spawn")
    with ProcessPoolExecutor(processes, mp_context=context, initializer=_begin) as pool:
        clips, *_ = pool.map(_ready, range(processes))
        began = time.perf_counter()
        list(pool.map(_performed, clips))
        return time.perf_counter() - began


_values: dict = {}


def _begin() -> None:
    import django

    os.nice(5)  # as workers are
    django.setup()
    from studio.fittings.models import Fitting
    from studio.fittings.services.steps import value_of
    from studio.library.models import Clip

    for row in Fitting.objects.select_related("state", "skeleton", "character"):
        _values.setdefault(row.skeleton_id, []).append(value_of(row))
    _values["clips"] = {
        row.pk: (row.skeleton_id, row.value())
        for row in Clip.objects.select_related("skeleton", "motion").exclude(name=BROKEN)
    }


def _ready(_: int) -> list[int]:
    time.sleep(0.5)  # so that every process takes one of these
    return list(_values["clips"])


def _performed(pk: int) -> None:
    from armuto.pipeline import retarget
    from armuto.quality.findings import find

    skeleton, clip = _values["clips"][pk]
    for fitting in _values[skeleton]:
        done = retarget(clip, fitting)
        find(clip, done.clip, fitting, done.contacts, done.trace)


def large() -> Large:
    """The board with 2,000 clips and 20 characters."""
    with tempfile.TemporaryDirectory() as folder, studio(folder), chromium(*PLAIN) as browser:
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.add_init_script(FIRST_STEPS_AWAY)
        page.goto(f"http://127.0.0.1:{PORT}/cast")
        page.locator(".label").first.wait_for()
        page.wait_for_timeout(3000)
        opened = []
        for _ in range(5):
            opened.append(
                page.evaluate(
                    """async () => {
                            const began = performance.now()
                            document.querySelector('nav a[href="/board"]').click()
                            while (!document.querySelector('.sheet .cell')) await new Promise(requestAnimationFrame)
                            await new Promise(requestAnimationFrame)
                            return performance.now() - began
                        }"""
                )
            )
            page.wait_for_timeout(1500)
            page.locator('nav a[href="/delivery"]').click()
            page.wait_for_timeout(1500)
        page.locator('nav a[href="/board"]').click()
        page.locator(".sheet .cell").first.wait_for()
        page.wait_for_timeout(2000)
        return Large(opened, {every: page.evaluate(SCROLL, [".sheet", SCROLLS, WHEEL, every]) for every in PACES})


def report() -> str:
    done, seen = batch(), large()
    rows = "\n".join(
        f"| between frames, {PACES[every]} | {np.median(gaps):.0f} | {max(gaps):.0f} | {sum(gap > 50.5 for gap in gaps)} of {len(gaps)} | 50 |"
        for every, gaps in seen.frames.items()
    )
    return f"""The board in the real interface. A batch of {CLIPS} clips on {CHARACTERS} characters, one clip of which was spoilt ({done.items} transfers,
{done.failed} of them failed with a sentence), swept and started on the board, stopped in the middle and gone on with; beside it the same
transfers and findings by the core alone in as many processes ({done.workers}):

| what | reference beside it | ratio | to reach |
|---|---|---|---|
| the run, {done.seconds:.1f} s | the core's own time, {done.core:.1f} s | {done.seconds / done.core:.2f} | ≤ 1.5 |
| the largest worker's peak memory, {done.memory[1]:.0f} MB | the same after a fifth of the transfers | {done.memory[1] / done.memory[0]:.2f} | does not grow |

The board with 2,000 clips and 20 characters, drawn in software by a browser that shares two cores with the server:

| milliseconds | median | worst | longer than 50 | to reach |
|---|---|---|---|---|
| opened from another view | {np.median(seen.opened):.0f} | {max(seen.opened):.0f} | | 500 |
{rows}

A notch is {WHEEL} pixels, nearly two rows."""


if __name__ == "__main__":
    print(report())
