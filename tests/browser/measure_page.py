"""The stage Measure in the browser, with a merge on it."""

from playwright.sync_api import Locator, expect

from amber_ladder.work import measure
from amber_ladder.work.measure import MeasuringView
from tests.support.browser import PageTest
from tests.support.station import running
from tests.support.takes import a_merge, shot_stack


class MeasurePage(PageTest):
    def setUp(self) -> None:
        super().setUp()
        running()

    def opened(self, number: str) -> int:
        """A merge on the page, of a stack of its own."""
        stack = shot_stack(number)
        done = a_merge(stack.takes[0].id)
        self.show(stack.id)
        return done.id

    def show(self, stack_id: int) -> None:
        """Go to a stack's stage."""
        self.page.goto(f"/stacks/{stack_id}/measure")
        expect(self.page.locator("[data-loaded=true]")).to_be_visible()

    def pick(self, *places: tuple[float, float]) -> None:
        """Click places of the view, as shares of it."""
        box = self.page.get_by_role("application").bounding_box()
        assert box
        for x, y in places:
            self.page.mouse.click(box["x"] + x * box["width"], box["y"] + y * box["height"])

    def choose(self, kind: str) -> None:
        self.page.get_by_role("radio", name=kind, exact=True).check(force=True)

    def value(self) -> Locator:
        return self.page.get_by_label("Value", exact=True)

    def taken(self) -> Locator:
        return self.page.get_by_role("list", name="Measures").get_by_role("listitem")

    def now(self, merge_id: int) -> MeasuringView:
        return measure.measuring(merge_id)
