"""A series of measures over three specimens: made, offered in order, compared."""

import csv
import io
import re

from playwright.sync_api import expect

from tests.browser.measure_page import MeasurePage
from tests.support.takes import a_merge, new_stack, shot_stack, take_of


class OverThreeSpecimens(MeasurePage):
    def test_made_once_offered_in_order_and_compared(self) -> None:
        frames = shot_stack("SERIES-PAGE-0").takes[0].frames
        stacks = [new_stack(f"SERIES-PAGE-{n}", specimen={"kind": "liverwort"}, far_um=700) for n in (1, 2, 3)]
        for stack in stacks:
            a_merge(take_of(stack, frames))
        page = self.page
        self.show(stacks[0].id)
        page.get_by_role("radio", name="Series", exact=True).click()
        expect(page.get_by_text("No series yet for “liverwort”")).to_be_visible()
        page.get_by_role("button", name="Make one").click()
        sheet = page.get_by_role("dialog")
        for number, (name, kind) in enumerate((("mouth, across", "Length"), ("mouth, area", "Area")), 1):
            sheet.get_by_role("button", name="Add a measure").click()
            sheet.get_by_label(f"Name of number {number}").fill(name)
            sheet.get_by_role("combobox", name="Kind").nth(number - 1).click()
            page.get_by_role("option", name=kind, exact=True).click()
        self.assert_accessible()
        sheet.get_by_role("button", name="Keep the series").click()
        expect(sheet).to_be_hidden()
        series = page.get_by_role("list", name="Series")
        expect(series.get_by_role("listitem")).to_have_count(2)

        for place, stack in enumerate(stacks):
            if place:
                self.show(stack.id)
                page.get_by_role("radio", name="Series", exact=True).click()
                expect(page.get_by_text("For “liverwort”, 2 to take")).to_be_visible()
            page.keyboard.press("i")
            expect(page.get_by_label("Name (its number, if empty)")).to_have_value("mouth, across")
            if place:
                last = page.get_by_role("img", name=f"mouth, across as it was taken on SERIES-PAGE-{place}")
                expect(last).to_be_visible()
                expect(last).to_have_js_property("naturalWidth", 360)
            self.pick((0.4, 0.5), (0.55 + 0.02 * place, 0.5))
            expect(self.value()).to_have_text(re.compile("±"))
            page.keyboard.press("t")
            # The next one is at hand by itself: its kind, and its name.
            expect(page.get_by_label("Name (its number, if empty)")).to_have_value("mouth, area")
            expect(series.get_by_role("button", name=re.compile("mouth, area"))).to_have_attribute(
                "aria-current", "step"
            )
            self.pick((0.42, 0.42), (0.55, 0.42), (0.5, 0.55))
            expect(self.value()).to_have_text(re.compile("±"))
            page.keyboard.press("t")
            expect(page.get_by_text("For “liverwort”, all taken")).to_be_visible()

        page.get_by_role("button", name="All specimens").click()
        table = page.get_by_role("dialog").get_by_role("table")
        expect(table.get_by_role("row")).to_have_count(1 + 3 + 3)
        expect(table.get_by_role("row", name=re.compile("^n"))).to_have_text(re.compile("n33"))
        expect(page.get_by_text("fewer than five values")).to_be_visible()
        self.assert_accessible()
        with page.expect_download() as saved:
            page.get_by_role("link", name="Table (CSV)").last.click()
        rows = list(csv.reader(io.StringIO(saved.value.path().read_text())))
        self.assertEqual([row[0] for row in rows[1:4]], [f"SERIES-PAGE-{n}" for n in (1, 2, 3)])
        widths = [float(row[3]) for row in rows[1:4]]
        self.assertEqual(widths, sorted(widths))
