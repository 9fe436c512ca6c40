"""Every view at every size: what is out of reach, and what those cannot use who hear the page or have no pointer."""

from playwright.sync_api import Request, expect

from studio.cast.models import Character
from studio.ensembles.models import Ensemble
from studio.fittings.models import Fitting
from studio.renditions.models import Rendition
from studio.splices.models import Splice
from studio.tests.browser.full_studio import FullStudio
from studio.tests.browser.reach import DRAWN, hindrances

FOLLOW = """(route) => {
    history.pushState(null, '', route)
    dispatchEvent(new PopStateEvent('popstate', { state: null }))
}"""


class EveryView(FullStudio):
    """What nobody may be kept from, in every view."""

    maxDiff = None

    def setUp(self) -> None:
        super().setUp()
        self.fetching: set[Request] = set()
        self.page.on("request", lambda request: self.fetching.add(request))
        for ended in ("requestfinished", "requestfailed"):
            self.page.on(ended, lambda request: self.fetching.discard(request))
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
            *("/cast", f"/cast?character={porter.pk}", "/cast/live", "/fittings", *leaves, "/fittings/patterns"),
            *("/board", "/runs", "/review", f"/review/{Rendition.objects.get(clip=walk).pk}"),
            *("/delivery", "/delivery/new"),
            *("/ensembles", together, f"{together}?casting={ensemble.castings.get().pk}"),
            *(
                f"/cast/{porter.pk}/bones?step={step}"
                for step in ("mesh", "landmarks", "skeleton", "weights", "tryout")
            ),
            "/nowhere",
        ]

    def visit(self, route: str) -> None:
        """Until nothing is being fetched any more, and what came is drawn. The page is the same for all views, as for
        whoever follows links."""
        self.go(route) if self.page.url == "about:blank" else self.page.evaluate(FOLLOW, route)
        quiet = 0
        while quiet < 4:
            self.page.wait_for_timeout(100)
            quiet = 0 if any(request.resource_type != "eventsource" for request in self.fetching) else quiet + 1
        # A busy machine works on what came for longer than the network is taken to be idle after.
        expect(self.page.locator("h1").first).to_be_attached()
        self.page.evaluate(DRAWN)

    def test_nothing_is_out_of_reach_and_everybody_can_use_it(self) -> None:
        for route in self.routes:
            with self.subTest(route):
                self.visit(route)
                self.assertEqual(hindrances(self.page, self.size), [])
        self.page.get_by_role("button", name="Night", exact=True).click()
        background = "getComputedStyle(document.querySelector('.v-application')).backgroundColor"
        self.assertEqual(self.page.evaluate(background), "rgb(27, 31, 38)")
