"""Take the pictures in docs/screenshots from a fresh studio with the demo data: ``python -m demo.pictures``."""

import re
import tempfile
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page

from armuto.formats import bvh
from demo.browser import FIRST_STEPS_AWAY, chromium
from demo.serving import ROOT, served
from standins.live_stage import LiveBehaviour, live_stage
from standins.outside_library import outside_library

OUT = ROOT / "docs" / "screenshots"
FILES = ROOT / "demo" / "files"
PORT = 8177
LIBRARY_PORT, STAGE_PORT = 8178, 8179


def main() -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder, served(folder, PORT, "--demo"), chromium() as browser:
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.add_init_script(FIRST_STEPS_AWAY)
        live(page)
        # Drawn as on a machine with a graphics card.
        page.add_init_script("localStorage.setItem('armuto.drawing', 'full')")
        take(page)


def keep(page: Page, name: str) -> None:
    page.screenshot(path=OUT / f"{name}.png")
    print(f"docs/screenshots/{name}.png", flush=True)


def take(page: Page) -> None:
    def picture(name: str, path: str | None = None, settle: int = 700) -> None:
        if path:
            page.goto(f"http://127.0.0.1:{PORT}{path}")
        page.wait_for_timeout(settle)
        keep(page, name)

    wanted(page, picture)
    picture("library", "/library", 1500)
    taken = page.evaluate(
        "async () => (await (await fetch('/api/library/clips')).json()).find((row) => row.name === 'lantern round').id"
    )
    page.goto(f"http://127.0.0.1:{PORT}/library/clips/{taken}")
    page.get_by_role("button", name="Take all").click()
    page.get_by_role("listitem", name="Ground", exact=True).get_by_text("slide").wait_for()
    page.locator(".proposal").get_by_role("button", name="Take").click()
    page.get_by_role("listitem", name="Loop", exact=True).get_by_text("seam").wait_for()
    page.get_by_label("As it was").check()
    page.get_by_label("Trace").check()
    page.get_by_label("Graph of the bone").select_option("height")
    page.get_by_role("listitem", name="Loop", exact=True).scroll_into_view_if_needed()
    for _ in range(14):
        page.keyboard.press("ArrowRight")
    page.locator(".loop").nth(1).hover()
    picture("clip", settle=1800)

    # The same files once more, a little different, as they come from another night.
    with tempfile.TemporaryDirectory() as folder:
        paths = [
            Path(folder) / name for name in ("porter_walk_02.bvh", "keeper_bow_01.bvh", "fox_trot_03.bvh", "walk.bvh")
        ]
        sources = ("hall/walk.bvh", "hall/bow.bvh", "yard/trot.bvh", "hall/walk_tired.bvh")
        for path, source in zip(paths, sources, strict=True):
            file = bvh.parse((FILES / source).read_bytes(), source)
            path.write_bytes(bvh.serialise(bvh.BvhFile(file.joints, file.frame_time, file.motion[:-9])))
        page.goto(f"http://127.0.0.1:{PORT}/library/intake")
        with page.expect_file_chooser() as chooser:
            page.get_by_role("button", name="Bring in motion").click()
        chooser.value.set_files(paths)
        page.get_by_role("button", name="Accept 4 clips").wait_for()
        page.get_by_role("button", name="Take out original").click()
        for field in ("performer", "action", "number"):
            page.get_by_role("button", name="+ field").click()
            page.locator(".v-list-item:visible", has_text=field).click()
            page.wait_for_timeout(300)
        page.get_by_role("button", name="calibration: 2 frames, left out").first.click()
        picture("intake", settle=900)
        page.goto(f"http://127.0.0.1:{PORT}/cast")
        page.wait_for_function("() => Object.keys(window.armuto?.stage?.positions() ?? {}).length > 5")
        picture("cast", settle=2500)
        with page.expect_file_chooser() as chooser:
            page.get_by_role("button", name="Bring in a character").click()
        bell = Path(folder) / "night_watchman.glb"
        bell.write_bytes((FILES / "porter.glb").read_bytes())
        chooser.value.set_files([bell])
        page.get_by_role("button", name="Accept night watchman").wait_for()
        page.get_by_role("button", name="unit: m").click()
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Dismiss").click()
    page.locator(".label", has_text="porter").click()
    page.get_by_text("Bones by part").click()
    page.locator(".bones li", has_text="ulna.L").hover()
    picture("cast-sheet", settle=1500)
    page.get_by_role("button", name=re.compile(r"^walk \d")).click()
    page.wait_for_function("() => window.armuto?.stage?.figure('character')?.frames > 1")
    page.get_by_role("button", name="Pause").click()
    page.keyboard.press("Home")
    for _ in range(44):
        page.keyboard.press("ArrowRight")
    page.locator('[data-id="source LeftForearm"]').hover()
    picture("fitting-pair", settle=1500)
    page.get_by_role("tab", name="Stance").click()
    page.wait_for_function("() => window.armuto.stage.positions()['stance character']")
    page.get_by_role("button", name="walk").click()
    page.get_by_text("wave the lantern").click()
    page.wait_for_timeout(1500)
    for _ in range(60):
        page.keyboard.press("ArrowRight")
    picture("fitting-stance", settle=1200)
    page.get_by_role("tab", name="Transfer").click()
    page.get_by_text("nothing to look at").wait_for()
    page.get_by_role("button", name="wave the lantern").click()
    page.locator(".v-list-item-title:visible").get_by_text("push the cart", exact=True).click()
    page.get_by_text("in push the cart").wait_for()
    page.keyboard.press("Escape")
    for _ in range(44):
        page.keyboard.press("ArrowRight")
    picture("fitting-transfer", settle=3000)
    page.get_by_role("button", name="push the cart").click()
    page.locator(".v-list-item-title:visible").get_by_text("wave the lantern", exact=True).click()
    page.get_by_text("in wave the lantern").wait_for()
    touched_up(page, picture)
    page.get_by_role("button", name="Transfer to porter").click()
    page.locator(".rendition .state", has_text="good").wait_for()
    page.goto(f"http://127.0.0.1:{PORT}/board")
    page.get_by_role("button", name="Sweep all").click()
    page.locator(".acts").get_by_role("button", name="Transfer ", exact=False).first.click()
    page.wait_for_timeout(5000)
    page.goto(f"http://127.0.0.1:{PORT}/board")
    page.locator("header .work").wait_for(state="detached", timeout=180_000)
    page.locator(".column", has_text="keeper").click()
    page.locator(".acts").get_by_role("button", name="Accept ", exact=False).click()
    page.locator(".cell[aria-label^='greet on keeper: accepted']").wait_for()
    page.locator(".messages button", has_text="Dismiss").last.click()
    picture("board", settle=900)
    picture("review", "/review", 4000)
    page.get_by_role("button", name="All who perform it").click()
    for _ in range(48):
        page.keyboard.press("ArrowRight")
    picture("review", settle=5000)
    page.goto(f"http://127.0.0.1:{PORT}/delivery/new")
    page.get_by_label("thin them out").check()
    page.get_by_text("of the keys stay").wait_for()
    picture("delivery", settle=600)
    spliced(page, picture)
    together(page, picture)
    boned(page, picture)


def boned(page: Page, picture: Callable[..., None]) -> None:
    """The watchman, who came without bones: a landmark in hand."""
    page.goto(f"http://127.0.0.1:{PORT}/cast")
    with page.expect_file_chooser() as chooser:
        page.get_by_role("button", name="Bring in a character").click()
    chooser.value.set_files([ROOT / "demo" / "without_bones" / "watchman.glb"])
    page.get_by_role("button", name="Accept watchman").click(timeout=60_000)
    page.locator(".label:not(.waiting)", has_text="watchman").click(timeout=60_000)
    page.locator(".messages button", has_text="Dismiss").last.click()
    page.get_by_role("link", name="Give it bones").click()
    page.get_by_role("button", name="left elbow", exact=True).click()
    page.get_by_role("img", name=re.compile("The cut through the body")).wait_for()
    page.wait_for_load_state("networkidle")
    picture("bones", settle=3000)


def touched_up(page: Page, picture: Callable[..., None]) -> None:
    """A hand drawn away from the body and the head turned, as it was beside it; taken back afterwards."""
    page.get_by_role("tab", name="Touch up").click()
    page.locator("canvas").first.focus()
    for _ in range(62):
        page.keyboard.press("ArrowRight")
    bone = page.get_by_label("Bone to touch up")
    bone.select_option(label="head")
    for _ in range(2):
        page.get_by_label("Turn about along, degrees").fill("9")
        page.get_by_label("Turn about along, degrees").press("Enter")
        page.wait_for_timeout(900)
    bone.select_option(label="left hand")
    for way, far in (("left", "11"), ("up", "14"), ("ahead", "9")):
        page.get_by_label(f"Move {way}, centimetres").fill(far)
        page.get_by_label(f"Move {way}, centimetres").press("Enter")
        page.wait_for_timeout(900)
    page.get_by_label("As it was").check()
    page.get_by_label("Curve").check()
    page.locator("[data-key='1.0']").focus()
    page.keyboard.press("Enter")
    page.mouse.move(640, 24)
    picture("fitting-touchup", settle=2500)
    for _ in range(5):
        page.get_by_role("button", name="Undo", exact=True).click()
        page.wait_for_timeout(700)


def spliced(page: Page, picture: Callable[..., None]) -> None:
    """Walk up, bow, wind the key: joined, at the join into the bow."""
    number = page.evaluate(
        """async () => {
            const clips = await (await fetch('/api/library/clips')).json()
            const ids = ['walk', 'bow', 'wind the key'].map((name) => clips.find((clip) => clip.name === name).id)
            const token = /armuto_csrf=([^;]+)/.exec(document.cookie)[1]
            const headers = { 'Content-Type': 'application/json', 'X-CSRFToken': token }
            const body = JSON.stringify({ clips: ids, name: 'up, bow and wind' })
            return (await (await fetch('/api/splices/', { method: 'POST', headers, body })).json()).id
        }"""
    )
    page.goto(f"http://127.0.0.1:{PORT}/splices/{number}")
    page.locator(".candidate").first.wait_for()
    page.wait_for_function("() => window.armuto?.stage?.positions().source")
    for _ in range(52):
        page.keyboard.press("ArrowRight")
    picture("splice", settle=1500)


def together(page: Page, picture: Callable[..., None]) -> None:
    """The crate goes from the keeper to the bellringer."""
    number = page.evaluate(
        """async () => {
            const [rows, figures] = await Promise.all(
                ['ensembles', 'cast'].map(async (what) => (await fetch(`/api/${what}/`)).json()),
            )
            const { id } = rows.find((row) => row.name === 'hand over the crate')
            const of = (name) => figures.find((figure) => figure.name === name).id
            const token = /armuto_csrf=([^;]+)/.exec(document.cookie)[1]
            const headers = { 'Content-Type': 'application/json', 'X-CSRFToken': token }
            const body = JSON.stringify({ cast: { giver: of('keeper'), receiver: of('bellringer') } })
            const made = await (await fetch(`/api/ensembles/${id}/castings`, { method: 'POST', headers, body })).json()
            return `${id}?casting=${made.id}&frame=60`
        }"""
    )
    page.goto(f"http://127.0.0.1:{PORT}/ensembles/{number}")
    page.get_by_text("all 4 meetings kept").wait_for()
    page.wait_for_function("() => window.armuto?.stage?.figure('receiver')?.frames > 1")
    picture("ensemble", settle=3000)
    page.get_by_role("button", name="Transfer", exact=True).click()
    page.locator(".bar .state", has_text="look").wait_for(timeout=60_000)
    page.get_by_role("button", name="Review", exact=True).click()
    page.wait_for_function("() => window.armuto?.stage?.source?.('source giver')")
    for _ in range(40):
        page.keyboard.press("ArrowRight")
    picture("review-casting", settle=6000)


def wanted(page: Page, picture: Callable[..., None]) -> None:
    """The call sheet with some clips chosen, and a library elsewhere."""
    page.goto(f"http://127.0.0.1:{PORT}/callsheet")
    page.get_by_text("still being measured").wait_for(state="detached")
    page.get_by_role("button", name="climbs the ladder: to choose").press("Enter")
    page.get_by_text("climbs: where its feet rest").first.wait_for()
    page.keyboard.press("1")
    page.get_by_role("button", name="climbs the ladder: in work").wait_for()
    page.get_by_role("button", name="polishes the glass with the right hand: to choose").press("Enter")
    page.get_by_text("uses its right hand: its hands move").first.wait_for()
    picture("call-sheet", settle=1500)
    with outside_library(LIBRARY_PORT) as (address, _):
        page.goto(f"http://127.0.0.1:{PORT}/library/sources")
        page.get_by_role("button", name="An address").click()
        page.get_by_label("Its address").fill(address)
        page.get_by_role("button", name="Watch it").click()
        page.get_by_role("checkbox", name="turn around in the stroll").check()
        page.get_by_label("Name of the source").fill("the lighthouse across the bay")
        page.get_by_label("Name of the source").press("Tab")
        page.wait_for_load_state("networkidle")
        picture("sources", settle=1500)
        page.get_by_role("button", name="Watch no longer").click()


def live(page: Page) -> None:
    """Two of the cast perform what a stage streams, drawn as fast as a machine without a graphics card can."""
    with live_stage(LiveBehaviour(performers=2, fps=30.0), STAGE_PORT) as address:
        page.goto(f"http://127.0.0.1:{PORT}/cast/live")
        page.get_by_label("Its address").fill(address)
        page.get_by_role("button", name="Connect").click()
        page.get_by_label("Who performs what Ines does").select_option("porter")
        page.get_by_label("Who performs what Tove does").select_option("keeper")
        page.get_by_role("link", name="fitting").nth(1).wait_for()
        page.get_by_role("button", name="Record").click()
        page.wait_for_timeout(3000)
        page.get_by_role("button", name="End the recording").click()
        page.get_by_text("Tove take 01").wait_for()
        page.get_by_role("button", name="Record").click()
        page.wait_for_timeout(2500)
        keep(page, "live")
        page.get_by_role("button", name="End the recording").click()
        page.get_by_text("Tove take 02").wait_for()
    # What was recorded is not what the other pictures show.
    page.goto(f"http://127.0.0.1:{PORT}/library/sources")
    page.get_by_role("button", name="Forget it").click()
    page.get_by_role("heading", name="Nothing is watched yet").wait_for()
    page.goto(f"http://127.0.0.1:{PORT}/library/intake")
    page.get_by_role("button", name="Dismiss all").click()
    page.get_by_role("button", name="Dismiss all").wait_for(state="detached")


if __name__ == "__main__":
    main()
