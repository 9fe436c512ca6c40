"""Every view at every size: what is out of reach, and what those cannot use who hear the page or have no pointer."""

from pathlib import Path

from django.conf import settings
from playwright.sync_api import expect

from studio.cast.models import Character
from studio.ensembles.models import Ensemble
from studio.fittings.models import Fitting
from studio.renditions.models import Rendition
from studio.splices.models import Splice
from studio.tests.browser.full_studio import FullStudio

LAYOUT = (Path(__file__).parent / "layout.js").read_text()
AXE = (settings.WEB.parent / "node_modules" / "axe-core" / "axe.min.js").read_text()
DRAWN = "() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))"
# The last is a screen of 1280 by 800 at twice its size.
SIZES = [
    {"width": width, "height": height}
    for width, height in ((1024, 768), (1280, 800), (1440, 900), (1920, 1080), (640, 400))
]


class EveryView(FullStudio):
    """What nobody may be kept from, in every view."""

    maxDiff = None

    def setUp(self) -> None:
        super().setUp()
        (walk,) = self.clips("walk")
        porter = Character.objects.get(name="porter")
        fitting = Fitting.objects.get(character=porter)
        ensemble = Ensemble.objects.get()
        together = f"/ensembles/{ensemble.pk}"
        leaves = [
            f"/fittings/{fitting.pk}?clip={walk.pk}&leaf={leaf}" for leaf in ("pair", "stance", "transfer", "touchup")
        ]
        self.routes = [
            *("/callsheet", "/callsheet/print", "/library/sources", "/board?rows=wanted"),
            *("/library", "/library/intake", f"/library/clips/{walk.pk}", f"/splices/{Splice.objects.get().pk}"),
            *("/cast", f"/cast?character={porter.pk}", "/fittings", *leaves, "/fittings/patterns"),
            *("/board", "/runs", f"/review/{Rendition.objects.get(clip=walk).pk}", "/delivery", "/delivery/new"),
            *("/ensembles", together, f"{together}?casting={ensemble.castings.get().pk}"),
            *(
                f"/cast/{porter.pk}/bones?step={step}"
                for step in ("mesh", "landmarks", "skeleton", "weights", "tryout")
            ),
            "/nowhere",
        ]

    def visit(self, route: str) -> None:
        """Until nothing is being fetched any more, and what came is drawn."""
        self.go(route)
        self.page.wait_for_load_state("networkidle")
        # A busy machine works on what came for longer than the network is taken to be idle after.
        expect(self.page.locator("h1").first).to_be_attached()
        self.page.evaluate(DRAWN)
        self.page.evaluate(AXE)

    def test_nothing_is_out_of_reach_and_everybody_can_use_it(self) -> None:
        for route in self.routes:
            with self.subTest(route):
                self.visit(route)
                wrong = [f"axe: {sentence}" for sentence in self.violations()]
                self.page.get_by_role("button", name="Night", exact=True).click()
                self.page.evaluate(DRAWN)
                wrong += [f"axe at night: {sentence}" for sentence in self.violations("color-contrast")]
                for size in SIZES:
                    self.page.set_viewport_size(size)
                    self.page.evaluate(DRAWN)
                    wrong += [f"{size['width']} wide: {sentence}" for sentence in self.page.evaluate(LAYOUT)]
                self.page.set_viewport_size({"width": self.size[0], "height": self.size[1]})
                self.page.get_by_role("button", name="Day", exact=True).click()
                self.assertEqual(wrong, [])

    def violations(self, *rules: str) -> list[str]:
        """What axe-core finds, by all of its rules or by some."""
        only = {"runOnly": rules} if rules else {}
        found = self.page.evaluate("(only) => axe.run(document, { resultTypes: ['violations'], ...only })", only)
        return [
            f"{rule['id']} ({rule['impact']}): {node['target']} {node['failureSummary']}"
            for rule in found["violations"]
            for node in rule["nodes"][:3]
        ]
