"""What is out of reach in a page as it stands, and what those cannot use who hear it or have no pointer."""

from pathlib import Path

from django.conf import settings
from playwright.sync_api import Page

LAYOUT = (Path(__file__).parent / "layout.js").read_text()
AXE = (settings.WEB.parent / "node_modules" / "axe-core" / "axe.min.js").read_text()
DRAWN = "() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))"
# The last is a screen of 1280 by 800 at twice its size.
SIZES = [
    {"width": width, "height": height}
    for width, height in ((1024, 768), (1280, 800), (1440, 900), (1920, 1080), (640, 400))
]


def hindrances(page: Page, size: tuple[int, int]) -> list[str]:
    """By day and night and at every size; the page is left by day and at its own."""
    page.evaluate(AXE)
    wrong = [f"axe: {sentence}" for sentence in violations(page)]
    page.get_by_role("button", name="Night", exact=True).click()
    page.evaluate(DRAWN)
    wrong += [f"axe at night: {sentence}" for sentence in violations(page, "color-contrast")]
    for at in SIZES:
        page.set_viewport_size(at)
        page.evaluate(DRAWN)
        wrong += [f"{at['width']} wide: {sentence}" for sentence in page.evaluate(LAYOUT)]
    page.set_viewport_size({"width": size[0], "height": size[1]})
    page.get_by_role("button", name="Day", exact=True).click()
    return wrong


def violations(page: Page, *rules: str) -> list[str]:
    """What axe-core finds, by all of its rules or by some."""
    only = {"runOnly": rules} if rules else {}
    found = page.evaluate("(only) => axe.run(document, { resultTypes: ['violations'], ...only })", only)
    return [
        f"{rule['id']} ({rule['impact']}): {node['target']} {node['failureSummary']}"
        for rule in found["violations"]
        for node in rule["nodes"][:3]
    ]
