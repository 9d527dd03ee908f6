"""What is wrong with a merge is outlined, and a button goes there."""

import re
import unittest

from playwright.sync_api import expect

from tests.support.browser import PageTest
from tests.support.station import running, until
from tests.support.takes import a_merge, shot_stack, take_of


class Findings(PageTest):
    def test_an_end_that_was_not_reached_is_a_button_that_goes_to_the_frame_there(self) -> None:
        running()
        stack = shot_stack("SHOT-FINDINGS")
        # Nearly all of this capsule lies at the depth of its 21st rung and of those beside it.
        take_id = take_of(stack, stack.takes[0].frames[:20])
        a_merge(take_id, "auto")
        page = self.page
        page.goto(f"/stacks/{stack.id}/merge?take={take_id}")
        expect(page.locator("[data-loaded=true]")).to_be_visible()
        finding = page.get_by_role("list", name="Findings").get_by_role("button", name=re.compile("End not reached"))
        expect(finding).to_contain_text("what lies there is sharp in arrived_019.jpg")
        self.assert_accessible()
        finding.focus()
        page.keyboard.press("Enter")
        expect(page.get_by_role("combobox", name="Against")).to_contain_text("Frame arrived_019.jpg")
        # And on to the bench, while the specimen still lies there.
        page.get_by_role("link", name="Shoot further rungs at the far end").click()
        expect(page.get_by_label("Rungs added farther")).to_have_value("2")
        expect(page.get_by_label("Rungs added nearer")).to_have_value("")
        expect(page.get_by_role("button", name="Shoot 2 rungs more")).to_be_visible()
        self.assertIn(f"take={take_id}", page.url)

    def test_lines_of_equal_depth_lie_on_the_picture(self) -> None:
        running()
        stack = shot_stack("SHOT-FINDINGS")
        a_merge(stack.takes[0].id, "auto")
        page = self.page
        page.goto(f"/stacks/{stack.id}/merge")
        expect(page.locator("[data-loaded=true]")).to_be_visible()
        lines = page.locator("[data-loaded] svg polyline")
        expect(lines).to_have_count(0)
        page.get_by_label("Contour lines").check()
        expect(page.get_by_text(re.compile(r"one every \d+ µm"))).to_be_visible()
        until(lambda: lines.count() > 10, "lines")
        self.assert_accessible()
        page.get_by_label("Contour lines").uncheck()
        expect(lines).to_have_count(0)

    def test_a_sharp_range_is_set_and_stands_with_the_run(self) -> None:
        running()
        stack = shot_stack("SHOT-FINDINGS")
        page = self.page
        page.goto(f"/stacks/{stack.id}/merge")
        page.get_by_text("Window, calm, sharp range, movement").click()
        page.get_by_label("Sharp from").fill("40")
        page.get_by_label("Sharp to").fill("150")
        # What cannot be used is not sent, nor replaced in silence: the button goes to it.
        merge = page.get_by_role("button", name="Merge take 1")
        for label, wrong, why in (
            ("Window", "", "Enter a number."),
            ("Calm", "7", "Enter 0 to 1."),
            ("Sharp to", "far", "This is not a number of µm."),
            ("Sharp to", "30", "This is nearer than where it begins."),
        ):
            field = page.get_by_label(label)
            right = field.input_value()
            field.fill(wrong)
            expect(page.get_by_text(why)).to_be_visible()
            merge.click()
            expect(field).to_be_focused()
            field.fill(right)
        expect(page.get_by_role("progressbar")).to_have_count(0)
        page.get_by_label("Calm").fill("0.5")
        page.get_by_role("combobox", name="What moved").click()
        page.get_by_role("option", name="By the farther frames").click()
        self.assert_accessible()
        merge.click()
        expect(page.get_by_role("button", name="Auto, run 1")).to_contain_text(
            "calm 0.5, sharp 40 to 150 µm, what moved by the farther frames"
        )


if __name__ == "__main__":
    unittest.main()
