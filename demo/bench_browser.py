"""How long a change of a pair, a stance or a touch-up takes to be seen on the figure, in the real interface, and where
that time goes: ``python -m demo.bench_browser``."""

import tempfile
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from playwright.sync_api import Page

from armuto.formats import bvh
from armuto.kinematics.skeleton import Skeleton
from demo import porter
from demo.browser import FIRST_STEPS_AWAY, chromium
from demo.figure_file import figure_glb
from demo.serving import ROOT, served

PORT = 8733
CHANGES, FRAMES = 120, 1000
MANY = 300  # bones of the large rig
PACE = 900  # milliseconds between changes, as quick hands make them
BONES = ("LeftForearm", "LeftHand", "LeftShin", "LeftFoot", "LeftUpperArm", "Chest")
# The time from a key to the moment the changed pose has been handed to the graphics system, and the parts of it: until
# the request leaves, until the answer begins, what the server says of that, until the answer is here, until the figure.
WATCH = """() => {
    window.times = []
    let pressed = 0
    addEventListener('keydown', () => (pressed = performance.now()), true)
    let shown = window.armuto.shown
    Object.defineProperty(window.armuto, 'shown', {
        get: () => shown,
        set(now) {
            shown = now
            const done = performance.now()
            const asked = performance.getEntriesByType('resource')
                .filter((row) => row.startTime >= pressed && /edits|undo|stance/.test(row.name)).at(-1)
            performance.clearResourceTimings()
            const server = asked?.serverTiming.find((row) => row.name === 'total')?.duration ?? 0
            window.times.push({
                whole: done - pressed,
                page: (asked?.startTime ?? pressed) - pressed,
                server,
                way: asked ? asked.responseEnd - asked.startTime - server : 0,
                figure: asked ? done - asked.responseEnd : 0,
            })
        },
    })
}"""
# The same from a move of the pointer that draws a hand to the drawing of the figure that the trial's answer poses.
WATCH_TRIALS = """() => {
    window.times = []
    let moved = 0
    addEventListener('pointermove', () => (moved = performance.now()), true)
    const { stage } = window.armuto
    const draw = stage.draw.bind(stage)
    stage.draw = () => {
        draw()
        const done = performance.now()
        const asked = performance.getEntriesByType('resource')
            .filter((row) => row.startTime >= moved && /touchups.*trial/.test(row.name)).at(-1)
        if (!asked || !moved) return
        performance.clearResourceTimings()
        const server = asked.serverTiming.find((row) => row.name === 'total')?.duration ?? 0
        window.times.push({
            whole: done - moved,
            page: asked.startTime - moved,
            server,
            way: asked.responseEnd - asked.startTime - server,
            figure: done - asked.responseEnd,
        })
        moved = 0
    }
}"""


@dataclass
class Times:
    """Milliseconds of every change, by their part."""

    rows: list[dict[str, float]] = field(default_factory=list)

    def of(self, part: str, share: float) -> float:
        return float(np.percentile([row[part] for row in self.rows], share))

    def __str__(self) -> str:
        parts = " | ".join(f"{self.of(part, 50):.0f}" for part in ("page", "server", "way", "figure"))
        return f"{self.of('whole', 50):.0f} | {self.of('whole', 95):.0f} | {parts}"


def figure_of_many_bones() -> bytes:
    """The porter with strands of five bones each on his chest and hips, as coats and hair have, in which nothing is."""
    body = porter.skeleton()
    names, parents = list(body.names), list(body.parents)
    translations, rotations = list(body.rest_translation), list(body.rest_rotation)
    roots = [number for number, name in enumerate(names) if parents[number] >= 0][:2]
    while len(names) < MANY:
        number = len(names) - len(body)
        first = number % 5 == 0
        parents.append(roots[number // 5 % len(roots)] if first else len(names) - 1)
        names.append(f"strand_{number // 5:02d}_{number % 5}")
        turn = 2 * np.pi * (number // 5) * 0.618
        translations.append(np.array([0.2 * np.cos(turn), 0.05, 0.2 * np.sin(turn)] if first else [0.0, -0.06, 0.0]))
        rotations.append(np.array([0.0, 0.0, 0.0, 1.0]))
    nothing = np.zeros(0, np.int64), np.zeros((0, 3))
    large = Skeleton(tuple(names), np.array(parents), np.array(translations), np.array(rotations), *nothing)
    meshes = [
        (name, material, shape, np.pad(weights, ((0, 0), (0, len(large) - len(body)))))
        for name, material, shape, weights in porter.meshes(body)
    ]
    return figure_glb("coachman", large, meshes, porter.MATERIALS)


def changes() -> dict[str, Times]:
    """From a key to the moved figure on a clip of 1,000 frames: pairs removed and brought back, angles changed, on the
    porter and on a rig of many bones."""
    with tempfile.TemporaryDirectory() as folder:
        walk = bvh.parse((ROOT / "demo" / "files" / "hall" / "walk.bvh").read_bytes(), "walk.bvh")
        rows = np.resize(walk.motion, (FRAMES, walk.motion.shape[1]))
        files = Path(folder) / "long walk.bvh", Path(folder) / "coachman.glb"
        files[0].write_bytes(bvh.serialise(bvh.BvhFile(walk.joints, walk.frame_time, rows)))
        files[1].write_bytes(figure_of_many_bones())
        with served(folder, PORT, "--demo"), chromium() as browser:
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            page.add_init_script(FIRST_STEPS_AWAY)
            bring_in(page, *files)
            pairs, angles = measured(page, "porter")
            drawn = trials(page)
            large, _ = measured(page, "coachman", angles=False)
    return {
        "a pair": pairs,
        "an angle of a stance": angles,
        "a hand drawn in a touch-up (trial)": drawn,
        f"a pair, on a rig of {MANY} bones": large,
    }


def trials(page: Page) -> Times:
    """Of a hand that is drawn about in the fitting that is open, step by step, with keys on other limbs beside it."""
    page.get_by_role("tab", name="Touch up").click()
    bone = page.get_by_label("Bone to touch up")
    for part in ("head", "hips", "left foot"):
        bone.select_option(label=part)
        page.get_by_role("button", name="Move on up").click()
        page.wait_for_timeout(PACE)
    bone.select_option(label="left hand")
    page.locator("[data-handle]").wait_for()
    page.wait_for_timeout(10 * PACE)  # until the clip is measured again, which the keys on other limbs asked for
    page.evaluate(WATCH_TRIALS)
    box = page.locator("[data-handle]").bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    for n in range(CHANGES):
        before = page.evaluate("window.times.length")
        angle = 2 * np.pi * n / 24
        page.mouse.move(x + 25 * np.cos(angle), y - 25 * np.sin(angle))
        page.wait_for_function("before => window.times.length > before", arg=before)
        page.wait_for_timeout(120)
    page.keyboard.press("Escape")
    page.mouse.up()
    return Times(page.evaluate("window.times.splice(0)"))


def bring_in(page: Page, *files: Path) -> None:
    page.goto(f"http://127.0.0.1:{PORT}/library")
    token = page.evaluate("/armuto_csrf=([^;]+)/.exec(document.cookie)[1]")
    for file in files:
        part = {"name": file.name, "mimeType": "application/octet-stream", "buffer": file.read_bytes()}
        answer = page.request.post(
            f"http://127.0.0.1:{PORT}/api/arrivals/",
            multipart={"file": part, "goes_to": "auto"},
            headers={"X-CSRFToken": token, "Origin": f"http://127.0.0.1:{PORT}"},
        )
        if answer.status != 201:
            raise RuntimeError(f"{file.name}: {answer.status} {answer.text()}")


def measured(page: Page, figure: str, angles: bool = True) -> tuple[Times, Times]:
    """Of pairs and angles, on one character."""
    number = page.evaluate(
        """async (figure) => {
            const read = (path, more) => fetch(path, more).then((answer) => answer.json())
            const clip = (await read('/api/library/clips')).find((row) => row.name.includes('long'))
            const character = (await read('/api/cast/')).find((row) => row.name === figure)
            const body = JSON.stringify({ clip_id: clip.id, character_id: character.id })
            const token = /armuto_csrf=([^;]+)/.exec(document.cookie)[1]
            const headers = { 'Content-Type': 'application/json', 'X-CSRFToken': token }
            return `${(await read('/api/fittings/', { method: 'POST', headers, body })).id}?clip=${clip.id}`
        }""",
        figure,
    )
    page.goto(f"http://127.0.0.1:{PORT}/fittings/{number}")
    page.wait_for_function("() => window.armuto?.stage?.figure('character')?.frames > 900")
    page.wait_for_timeout(1500)
    page.evaluate(WATCH)
    for n in range(CHANGES // 2):
        page.locator(f'[data-id="source {BONES[n % len(BONES)]}"]').evaluate("bone => bone.focus()")
        for key in ("x", "Control+z"):
            _press(page, key)
    pairs = Times(page.evaluate("window.times.splice(0)"))
    if not angles:
        return pairs, Times()
    page.get_by_role("tab", name="Stance").click()
    page.wait_for_function("() => window.armuto.stage.positions()['stance character']")
    page.wait_for_timeout(1500)
    for part in ("left upper arm", "left lower leg"):
        page.locator("button.row", has_text=part).click()
        for n in range(CHANGES // 2):
            page.get_by_role("button", name=f"Turn {'on' if n % 2 else 'back'} about bend").focus()
            _press(page, "Enter")
    return pairs, Times(page.evaluate("window.times"))


def _press(page: Page, key: str) -> None:
    before = page.evaluate("window.times.length")
    page.keyboard.press(key)
    page.wait_for_function("before => window.times.length > before", arg=before)
    page.wait_for_timeout(PACE)


def report() -> str:
    table = "\n".join(f"| {what} | {times} | {len(times.rows)} |" for what, times in changes().items())
    return f"""Changes in the real interface on a clip of 1,000 frames, in milliseconds from the key to the moved figure (to reach: 100 at the
95th percentile). Measured until the pose is handed to the graphics system; the browser, the server and the drawing shared the
two cores of this machine, without a graphics card. The parts are medians: until the request leaves, what the server says it worked,
the way there and back, and from the answer to the figure.

| change of | median | 95 of 100 within | page | server | way | figure | changes |
|---|---|---|---|---|---|---|---|
{table}"""


if __name__ == "__main__":
    print(report())
