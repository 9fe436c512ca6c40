"""How long it takes to find where clips meet and to join them, in the core and in the real interface, and how good the
joins of generated gaits are. A part of ``make bench``, or alone ``python -m demo.bench_splicing``."""

import tempfile
import tracemalloc
from collections.abc import Callable
from dataclasses import replace

import numpy as np
from playwright.sync_api import Page

from armuto import formats
from armuto.formats import bvh
from armuto.kinematics.clip import Clip
from armuto.refining.refined import Body, body_of
from armuto.splicing.candidates import candidates
from armuto.splicing.distance import total_distance
from armuto.splicing.features import FrameFeatures, prepare
from armuto.splicing.joining import at_rate, splice_clips
from armuto.splicing.model import Span, Splice
from armuto.tests.files import WALK, clip_of
from demo.browser import FIRST_STEPS_AWAY, chromium
from demo.gaits import Gait, go
from demo.serving import served

PORT = 8737
PAIRS = 100
DRAWN = 60  # steps of a hand that draws a join about


def walking(frames: int) -> FrameFeatures:
    """Of a walk of so many frames."""
    clip = clip_of(WALK)
    document = formats.read(WALK.read_bytes(), WALK.name)
    longer = at_rate(clip, clip.fps * frames / clip.frames)
    every = np.arange(frames) % longer.frames
    longer = replace(longer, rotations=longer.rotations[every], translations=longer.translations[every])
    return prepare(longer, body_of(document.skeleton, document.parts)).features


def distances(best: Callable[..., float]) -> list[str]:
    rows = []
    for frames in (500, 3000):
        features = walking(frames)
        product = best(lambda f=features: f.ground @ f.ground.conj().T, 3)
        whole = best(lambda f=features: total_distance(f, f), 3)
        matrix = features.frames**2 * 8
        tracemalloc.start()
        total_distance(features, features)
        peak = tracemalloc.get_traced_memory()[1]
        tracemalloc.stop()
        rows.append(
            f"| distance of {frames:,} × {frames:,} frames | the matrix product in it | "
            f"{whole / product:.1f} ({whole * 1000:.0f} ms; {peak / matrix:.1f} matrices of memory) |"
        )
    features = walking(10_000)
    whole = best(lambda: candidates(features, features, 30.0, (0, 9999), (0, 9999)), 1)
    rows.append(f"| candidates among 10,000 × 10,000 frames | | {whole * 1000:.0f} ms |")
    return rows


def of_gait(rng: np.random.Generator, name: str) -> tuple[Clip, Body]:
    how, cycle, stride = rng.uniform(0.85, 1.15), 1.1 * rng.uniform(0.85, 1.15), 1.3 * rng.uniform(0.8, 1.1)
    gait = Gait(name, cycle, stride, 3.5, lift=0.055 * how, lean=3 * how, toes_out=6 * how, twist=6.5 * how)
    document = formats.read(bvh.serialise(bvh.from_clip(go(gait))), f"{name}.bvh")
    return document.clips[0], body_of(document.skeleton, document.parts)


def joins() -> str:
    """What joins of generated walks do, at any phase."""
    rng, added, lifts, uneven, heading = np.random.default_rng(2), [], [], [], []
    for _ in range(PAIRS):
        clip, body = of_gait(rng, "a")
        other = replace(of_gait(rng, "b")[0], skeleton=body.skeleton)
        a, b = prepare(clip, body), prepare(other, body)
        out, into = int(rng.integers(40, 60)), int(rng.integers(10, 50))
        found = candidates(a.features, b.features, clip.fps, (out - 15, out + 15), (into, into + 25), 1)[0]
        splice = Splice((Span("a", None, found.out / clip.fps), Span("b", found.into / clip.fps)))
        measures = splice_clips(splice, {"a": a, "b": b}).joins[0].measures
        added.append(measures.slide.joined - measures.slide.clips)
        lifts.append(measures.lift)
        uneven.append(measures.velocity.joined / measures.velocity.clips)
        heading.append(abs(measures.heading))

    def spread(values: list[float], unit: str) -> str:
        return f"{np.median(values):.2f} (worst {max(values):.2f}) {unit}".strip()

    return f"""| of {PAIRS} joins of walks, no two alike, at any phase | median and worst |
|---|---|
| slide of resting feet that the join adds | {spread(added, "cm/s")} |
| resting feet off the height at which they rest | {spread(lifts, "cm")} |
| greatest change of a joint's velocity, of that of the clips | {spread(uneven, "times")} |
| heading before and after | {spread(heading, "°")} |"""


def opened(page: Page, first: str, second: str) -> tuple[float, float]:
    """Milliseconds from the click on Splice to the candidates, and to the joined motion on the stage."""
    page.goto(f"http://127.0.0.1:{PORT}/library")
    page.get_by_label("Find clips").or_(page.locator(".search input")).first.fill("")
    for name in (first, second):
        page.locator(".search input").fill(name)
        page.get_by_label(f"Select {name}", exact=True).check(force=True)
    page.locator(".search input").fill("")
    page.get_by_role("button", name="Splice", exact=True).wait_for()
    page.evaluate(
        """() => addEventListener('click', () => {
            const pressed = performance.now()
            window.seen = {}
            const look = () => {
                const now = performance.now() - pressed
                if (document.querySelector('.candidate')) window.seen.candidates ??= now
                if (window.armuto?.stage?.source?.('source')) window.seen.figure ??= now
                if (!window.seen.candidates || !window.seen.figure) requestAnimationFrame(look)
            }
            look()
        }, { once: true, capture: true })"""
    )
    page.get_by_role("button", name="Splice", exact=True).click()
    page.wait_for_function("() => window.seen?.candidates && window.seen?.figure")
    seen = page.evaluate("window.seen")
    return seen["candidates"], seen["figure"]


def drawn(page: Page) -> list[float]:
    """Milliseconds from each step of a hand that draws a join to the joined motion on the stage."""
    page.wait_for_timeout(2500)
    page.evaluate(
        """() => {
            window.times = []
            let moved = 0
            addEventListener('pointermove', () => (moved ||= performance.now()), true)
            const { stage } = window.armuto
            const add = stage.addSource.bind(stage)
            stage.addSource = (key, ...rest) => {
                add(key, ...rest)
                if (key !== 'source' || !moved) return
                window.times.push(performance.now() - moved)
                moved = 0
            }
        }"""
    )
    box = page.get_by_role("slider", name="Join 1", exact=True).bounding_box()
    assert box is not None
    x, y = box["x"] + 12, box["y"] + 100
    page.mouse.move(x, y)
    page.mouse.down()
    page.evaluate("window.times.splice(0)")
    for n in range(DRAWN):
        page.mouse.move(x + 12 + 8 * (n % 5), y)
        page.wait_for_timeout(250)
    page.keyboard.press("Escape")
    page.mouse.up()
    times: list[float] = page.evaluate("window.times.splice(0)")
    return times


def interface() -> str:
    with tempfile.TemporaryDirectory() as folder, served(folder, PORT, "--demo"), chromium() as browser:
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.add_init_script(FIRST_STEPS_AWAY)
        opened(page, "walk proud", "creep")  # once to warm up
        found, figure = opened(page, "walk", "bow")
        times = drawn(page)
    return (
        f"From the click on Splice, two clips of 149 and 127 frames: their candidates after {found:.0f} ms, the joined "
        f"motion on the stage after {figure:.0f} ms. While a hand draws the join: {np.median(times):.0f} ms to the "
        f"joined motion on the stage, 95 of 100 within {np.percentile(times, 95):.0f} ms ({len(times)} steps)."
    )


def report(best: Callable[..., float]) -> str:
    table = "\n".join(distances(best))
    return f"""Splices:

| what | reference beside it | ratio |
|---|---|---|
{table}

{joins()}

{interface()}"""


if __name__ == "__main__":
    from demo.bench import best

    print(report(best))
