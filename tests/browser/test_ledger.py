"""The ledger by mouse and keyboard: filters, plot, columns, views, side by side, and what is to be shot again."""

import csv
import re
from pathlib import Path
from typing import Any, ClassVar

from playwright.sync_api import expect

from tests.support.browser import HeldBack, PageTest
from tests.support.takes import a_merge, new_stack, shot_stack, take_of

KIND = "peat moss"


class Ledger(PageTest):
    made: ClassVar[bool] = False
    stacks: ClassVar[dict[str, Any]] = {}

    def setUp(self) -> None:
        super().setUp()
        if not Ledger.made:
            frames = shot_stack("LP-0").takes[0].frames
            for number in ("LP-1", "LP-2", "LP-3"):
                self.stacks[number] = new_stack(number, specimen={"kind": KIND}, far_um=700)
            a_merge(take_of(self.stacks["LP-2"], frames))
            a_merge(take_of(self.stacks["LP-3"], [one for one in frames if one.place not in range(8, 24)]))
            Ledger.made = True
        self.page.goto("/ledger")
        expect(self.page.get_by_role("table")).to_be_visible()

    def only_mine(self) -> None:
        self.page.get_by_label("Find stacks").fill(KIND)
        expect(self.rows()).to_have_count(3)

    def rows(self) -> Any:
        return self.page.get_by_role("row").filter(has=self.page.get_by_role("checkbox"))

    def numbers(self) -> list[str]:
        return [link.inner_text() for link in self.rows().get_by_role("link", name=re.compile("^LP-")).all()]

    def test_found_by_words_and_filters_that_stand_in_the_address(self) -> None:
        page = self.page
        self.only_mine()
        page.get_by_role("button", name="Add a filter").click()
        page.get_by_role("checkbox", name="a gap").check()
        self.assert_accessible()
        page.keyboard.press("Escape")
        expect(self.rows()).to_have_count(1)
        self.assertEqual(self.numbers(), ["LP-3"])
        self.assertIn("gap", page.url)
        page.reload()
        expect(self.rows()).to_have_count(1)
        expect(page.get_by_label("Find stacks")).to_have_value(KIND)
        page.get_by_role("button", name="Take away the filter a gap").click()
        expect(self.rows()).to_have_count(3)
        page.get_by_label("Find stacks").fill("nothing is called this")
        expect(page.get_by_text("No stack is like that.")).to_be_visible()
        expect(page.get_by_text("There is nothing to draw.")).to_be_visible()

    def test_a_figure_between_and_an_order(self) -> None:
        page = self.page
        self.only_mine()
        page.get_by_role("button", name="Add a filter").click()
        page.get_by_role("combobox", name="Figure").select_option("frames_used")
        page.get_by_label("Least").fill("1")
        page.get_by_label("Least").press("Enter")
        page.keyboard.press("Escape")
        expect(self.rows()).to_have_count(2)
        page.get_by_role("button", name="Frames used", exact=True).click()
        expect(page.get_by_role("columnheader", name="Frames used")).to_have_attribute("aria-sort", "ascending")
        expect(self.rows().first).to_contain_text("LP-3")
        page.get_by_role("button", name="Frames used", exact=True).click()
        expect(self.rows().first).to_contain_text("LP-2")

    def test_a_frame_over_the_plot_filters_the_table_and_a_click_opens_a_stack(self) -> None:
        page = self.page
        self.only_mine()
        page.get_by_role("combobox", name="Plot").click()
        page.get_by_role("option", name="Frames shot against those that carried").click()
        plot = page.get_by_role("img", name=re.compile("Frames shot .*: 2 points"))
        expect(plot).to_be_visible()
        dots = [dot.bounding_box() for dot in plot.locator("circle").all()]
        left = min((one for one in dots if one), key=lambda one: one["x"])  # LP-3 has fewer frames
        page.mouse.move(left["x"] - 12, left["y"] - 12)
        page.mouse.down()
        page.mouse.move(left["x"] + 20, left["y"] + 20, steps=4)
        page.mouse.up()
        expect(self.rows()).to_have_count(1)
        self.assertEqual(self.numbers(), ["LP-3"])
        expect(page.get_by_role("button", name=re.compile("Take away the filter frames shot"))).to_be_visible()
        one = page.get_by_role("img", name=re.compile(": 1 point")).locator("circle").bounding_box()
        assert one
        page.mouse.click(one["x"] + one["width"] / 2, one["y"] + one["height"] / 2)
        page.wait_for_url(re.compile(rf"/stacks/{self.stacks['LP-3'].id}/plan"))

    def test_points_of_one_plot_are_never_drawn_under_the_names_of_another(self) -> None:
        page = self.page
        answers = HeldBack(page, "**/ledger/plot?*")
        self.only_mine()
        page.get_by_role("combobox", name="Plot").click()
        page.get_by_role("option", name="Frames shot against those that carried").click()
        expect(page.get_by_role("img", name=re.compile("Frames shot .*: 2 points"))).to_be_visible()
        answers.waits = True
        page.get_by_role("combobox", name="Plot").click()
        page.get_by_role("option", name="Depth needed, by kind").click()
        expect(page.get_by_role("combobox", name="Plot")).to_contain_text("Depth needed")
        expect(page.get_by_role("img", name=re.compile("points?$"))).to_have_count(0)
        answers.release()
        expect(page.get_by_role("img", name=re.compile("^Depth needed.*: [23] points"))).to_be_visible()

    def test_to_shoot_again_leads_to_what_repairs_it(self) -> None:
        page = self.page
        self.only_mine()
        page.get_by_role("navigation", name="Views").get_by_role("button", name=re.compile("To shoot again")).click()
        expect(self.rows()).to_have_count(1)
        row = self.rows().first
        expect(row).to_contain_text("a gap: frames are missing")
        self.assert_accessible()
        row.get_by_role("link", name="shoot what is missing").click()
        page.wait_for_url(re.compile(rf"/stacks/{self.stacks['LP-3'].id}/sort"))

    def test_a_plan_that_repairs_is_made_at_once(self) -> None:
        page = self.page
        stack = new_stack("LQ-1", specimen={"kind": "moss cut short"}, far_um=700)
        a_merge(take_of(stack, shot_stack("LP-0").takes[0].frames[:19]))
        page.goto("/ledger?words=LQ-1")
        row = self.rows().first
        expect(row).to_contain_text("the far end was not reached")
        row.get_by_role("button", name="plan more beyond the far end").click()
        page.wait_for_url(re.compile(r"/stacks/\d+/plan"))
        expect(page.get_by_role("banner")).to_contain_text("stack 2 of 2")

    def test_side_by_side_with_what_differs(self) -> None:
        page = self.page
        self.only_mine()
        for number in ("LP-2", "LP-3"):
            page.get_by_role("checkbox", name=f"Choose {number}, stack 1").check()
        page.get_by_role("button", name="Side by side, 2 chosen").click()
        sheet = page.get_by_role("dialog", name="Side by side, at the same scale")
        pictures = [sheet.get_by_role("img", name=f"Composite of {number}") for number in ("LP-2", "LP-3")]
        for picture in pictures:
            expect(picture).to_be_visible()
        expect(sheet.get_by_role("row", name=re.compile("^Gaps 0 1$"))).to_be_visible()
        expect(sheet.get_by_role("row", name=re.compile("^Effective aperture"))).to_have_count(0)  # alike in both
        self.assert_accessible()

    def test_columns_views_and_the_table_as_a_file(self) -> None:
        page = self.page
        self.only_mine()
        page.get_by_role("button", name="Columns").click()
        page.get_by_role("checkbox", name="Gaps").check()
        page.keyboard.press("Escape")
        expect(page.get_by_role("columnheader", name="Gaps")).to_be_visible()
        page.get_by_role("button", name="Views").click()
        page.get_by_label("Save what is shown as").fill("mosses with gaps")
        page.get_by_role("button", name="Save the view").click()
        expect(page.get_by_role("button", name="mosses with gaps", exact=True)).to_be_visible()
        page.goto("/ledger")
        page.get_by_role("button", name="Views").click()
        page.get_by_role("button", name="mosses with gaps", exact=True).click()
        expect(page.get_by_role("columnheader", name="Gaps")).to_be_visible()
        expect(self.rows()).to_have_count(3)
        page.keyboard.press("Escape")
        with page.expect_download() as saving:
            page.get_by_role("link", name="CSV of these").click()
        table = list(csv.reader(Path(saving.value.path()).read_text("utf-8-sig").splitlines()))
        self.assertEqual((table[0][0], table[0][-1], len(table)), ("Specimen", "Gaps", 4))

    def test_an_address_that_means_nothing_is_said_and_left(self) -> None:
        page = self.page
        self.allowed = ["by=password"]
        page.goto("/ledger?by=password")
        expect(page.get_by_text("there is no such column")).to_be_visible()
        page.get_by_role("button", name="Show all stacks").click()
        expect(page.get_by_role("table")).to_be_visible()
