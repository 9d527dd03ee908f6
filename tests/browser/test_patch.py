"""A rectangle drawn on the picture is merged in four ways at once, each of which can be changed and then run."""

import re
import unittest

from playwright.sync_api import Locator, expect

from tests.support.browser import PageTest
from tests.support.station import running, until
from tests.support.takes import a_merge, new_stack, shot_stack, take_of


class Patched(PageTest):
    def open(self, number: str) -> None:
        running()
        stack = new_stack(number, far_um=700)
        a_merge(take_of(stack, shot_stack().takes[0].frames[8:20]), "select")
        self.page.goto(f"/stacks/{stack.id}/merge")
        expect(self.page.locator("[data-loaded=true]")).to_be_visible()

    def picture(self, place: int) -> Locator:
        return self.page.get_by_role("region", name=f"Try {place}").get_by_role("img")

    def test_drawn_tried_changed_and_run(self) -> None:
        self.open("PATCH-1")
        page = self.page
        page.get_by_text("Window, calm, sharp range, movement").click()
        page.get_by_label("Calm").fill("0.25")
        page.get_by_label("Depth pick").check()
        page.get_by_role("button", name="Try a patch").click()
        over = page.get_by_role("button", name=re.compile("Draw a rectangle"))
        expect(over).to_be_focused()
        self.assert_accessible()
        seen = over.bounding_box()
        assert seen
        middle = (seen["x"] + seen["width"] / 2, seen["y"] + seen["height"] / 2)
        page.mouse.move(middle[0] - 80, middle[1] - 50)
        page.mouse.down()
        page.mouse.move(middle[0] + 80, middle[1] + 50, steps=4)
        page.mouse.up()
        expect(page.get_by_role("dialog", name=re.compile(r"A patch of \d+ × \d+ px"))).to_be_visible()
        # What was ticked comes first, with what was set.
        expect(self.picture(1)).to_have_attribute("alt", "The patch by depth pick")
        pyramid = page.get_by_role("region", name="Try 3")
        expect(pyramid.get_by_label("Calm")).to_have_value("0.25")
        for place in range(1, 5):
            expect(self.picture(place)).to_be_visible()
        self.assert_accessible()

        before = self.picture(3).get_attribute("src")
        pyramid.get_by_label("Calm").fill("2")
        expect(pyramid.get_by_text("Enter 0 to 1.")).to_be_visible()
        expect(pyramid.get_by_role("button", name="like this")).to_be_disabled()
        pyramid.get_by_label("Calm").fill("1")
        until(lambda: self.picture(3).get_attribute("src") != before, "another picture")
        pyramid.get_by_role("button", name="Merge take 1 like this").click()
        expect(page.get_by_role("dialog")).to_have_count(0)
        expect(page.get_by_role("button", name="Pyramid, run 2")).to_contain_text("calm 1")

    def test_by_keys_alone_and_given_up(self) -> None:
        self.open("PATCH-2")
        page = self.page
        page.get_by_role("button", name="Try a patch").focus()
        page.keyboard.press("Enter")
        over = page.get_by_role("button", name=re.compile("Draw a rectangle"))
        expect(over).to_be_focused()
        page.keyboard.press("Escape")
        expect(over).to_have_count(0)
        page.get_by_role("button", name="Try a patch").press("Enter")
        expect(over).to_be_focused()
        page.keyboard.press("Enter")
        for place in range(1, 5):
            expect(self.picture(place)).to_be_visible()
        page.keyboard.press("Escape")
        expect(page.get_by_role("dialog")).to_have_count(0)


if __name__ == "__main__":
    unittest.main()
