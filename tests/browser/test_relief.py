"""The relief, turned by mouse and keys, and the other ways to see depth."""

import re

from playwright.sync_api import expect

from amber_ladder.work import measure
from tests.browser.measure_page import MeasurePage


class SeeingDepth(MeasurePage):
    def test_a_relief_is_turned_looked_at_closely_and_coloured(self) -> None:
        merge = self.opened("RELIEF-PAGE")
        page = self.page
        page.get_by_role("radio", name="Relief", exact=True).click()
        expect(page.locator("[data-shown=true]")).to_be_visible()
        relief = page.get_by_role("application", name=re.compile("^Relief, .* wide, .* high, .* deep"))
        expect(page.get_by_text(re.compile("Depth as it is; a corner every 2 px"))).to_be_visible()
        # A scale in all three directions.
        expect(relief.get_by_text(re.compile(r"^\d+ µm$"))).to_have_count(2)
        expect(relief.get_by_text(re.compile(r"^\d+ µm deep$"))).to_have_count(1)
        self.assert_accessible()

        def shown() -> bytes:
            return relief.screenshot()

        first = shown()
        relief.focus()
        for _ in range(4):
            page.keyboard.press("ArrowRight")
        turned = shown()
        self.assertNotEqual(first, turned)
        box = relief.bounding_box()
        assert box
        page.mouse.move(box["x"] + 200, box["y"] + 150)
        page.mouse.down()
        page.mouse.move(box["x"] + 180, box["y"] + 140, steps=4)
        page.mouse.up()
        self.assertNotEqual(turned, shown())
        page.get_by_role("checkbox", name="Depth colours").click()
        page.get_by_role("slider", name="Depth").focus()
        page.keyboard.press("ArrowRight")
        expect(page.get_by_text(re.compile("Depth drawn 1.5 times as deep"))).to_be_visible()
        # What others do meanwhile turns nothing back.
        turned = shown()
        with page.expect_response(re.compile("/measures$")):
            measure.take(
                merge,
                measure.MeasureEntry.model_validate({"kind": "length", "points": [(50, 50), (90, 50)]}),
            )
        self.assertEqual(turned, shown())
        # Close by, the surface comes as fine as the depth map is.
        relief.focus()
        for _ in range(8):
            page.keyboard.press("+")
        expect(page.locator("[data-fine=true]")).to_be_visible()
        expect(page.get_by_text(re.compile("a corner every 1 px"))).to_be_visible()
        page.get_by_role("button", name="Show all").click()
        expect(page.get_by_text(re.compile("a corner every 2 px"))).to_be_visible()

    def test_depth_in_colours_with_contour_lines_while_measuring(self) -> None:
        self.opened("DEPTH-PAGE")
        page = self.page
        page.get_by_role("radio", name="Depth", exact=True).click()
        expect(page.get_by_role("figure", name="Depth legend")).to_be_visible()
        self.pick((0.4, 0.5), (0.6, 0.5))
        expect(self.value()).to_have_text(re.compile("±"))
        expect(page.get_by_role("figure", name="Depth legend")).to_contain_text(re.compile("here"))
        page.get_by_role("checkbox", name="Contour lines").click()
        every = page.get_by_role("combobox", name="every")
        expect(every).to_have_text(re.compile(r"^[\d.]+ µm"))
        expect(page.locator("svg polyline").first).to_be_attached()
        self.assert_accessible()
        before = page.locator("svg polyline").count()
        every.click()
        with page.expect_response(re.compile(r"contours\?every=")):
            page.get_by_role("option").nth(1).click()
        expect(page.locator("svg polyline").nth(before)).to_be_attached()  # finer steps, more lines
