"""Two results against each other: by a divider, by turns, and by what differs."""

import io
import unittest

import numpy as np
from PIL import Image
from playwright.sync_api import expect

from tests.support.browser import PageTest
from tests.support.station import running, until
from tests.support.takes import a_merge, shot_stack


class Compared(PageTest):
    def test_two_runs_are_compared_by_turns_and_by_difference(self) -> None:
        running()
        stack = shot_stack("SHOT-COMPARED")
        for method in ("blend", "select"):
            a_merge(stack.takes[0].id, method)
        page = self.page
        page.goto(f"/stacks/{stack.id}/merge")
        expect(page.locator("[data-loaded=true]")).to_be_visible()
        self.against("Contrast blend, run 1")
        ways = page.get_by_role("radiogroup", name="Compare by")
        expect(ways.get_by_role("radio", name="Divider")).to_be_checked()

        ways.get_by_role("radio", name="Divider").focus()
        page.keyboard.press("ArrowRight")
        # The focus moves a moment after the key.
        expect(ways.get_by_role("radio", name="Blink")).to_be_focused()
        page.keyboard.press("Enter")
        expect(page.get_by_role("slider", name="Divider")).to_have_count(0)
        # By itself they take turns; by hand they stay.
        mat = page.locator("[data-loaded=true]")
        expect(mat.locator("p.head")).to_have_text("Depth pick, run 2")
        expect(mat.locator("p.head")).to_have_text("Contrast blend, run 1")
        page.get_by_role("button", name="Other picture").click()
        now = mat.locator("p.head").inner_text()
        first = self.mean_light()
        page.get_by_role("button", name="Other picture").click()
        expect(mat.locator("p.head")).not_to_have_text(now)
        self.assert_accessible()

        ways.get_by_role("radio", name="Difference").click()
        expect(page.get_by_text("what differs is shown 4 times as bright")).to_be_visible()
        until(lambda: 0.5 < self.mean_light() < 0.6 * first, "the difference")
        # A picture differs in nothing from itself.
        self.against("Depth pick, run 2")
        until(lambda: self.mean_light() < 0.2, "no difference")

    def test_the_merge_that_counts_is_the_one_that_is_recorded(self) -> None:
        running()
        stack = shot_stack("SHOT-COUNTS")
        for method in ("blend", "select"):
            a_merge(stack.takes[0].id, method)
        page = self.page
        page.goto(f"/stacks/{stack.id}/record")
        expect(page.get_by_role("combobox", name="Of")).to_contain_text("depth pick, run 2, take 1: counts")
        page.get_by_role("link", name="Merge").click()
        first = page.get_by_role("button", name="Contrast blend, run 1")
        expect(first).not_to_contain_text("counts")
        first.click()
        page.get_by_role("button", name="Let this merge count").click()
        expect(page.get_by_text("This merge counts: record, cabinet and ledger follow it.")).to_be_visible()
        expect(first).to_contain_text("counts")
        self.assert_accessible()
        page.get_by_role("link", name="Record and export").click()
        chosen = page.get_by_role("combobox", name="Of")
        expect(chosen).to_contain_text("contrast blend, run 1, take 1: counts")
        beside = page.get_by_text("Another merge counts for this stack.")
        expect(beside).to_have_count(0)
        chosen.click()
        page.get_by_role("option", name="depth pick, run 2").click()
        expect(beside).to_be_visible()
        page.get_by_role("button", name="Undo").click()
        page.get_by_role("dialog", name="Undo").get_by_role("button", name="Undo this").click()
        expect(page.get_by_text("Undone.")).to_be_visible()
        page.keyboard.press("Escape")
        expect(chosen).to_contain_text("depth pick, run 2, take 1: counts")

    def against(self, picture: str) -> None:
        self.page.get_by_role("combobox", name="Against").click()
        self.page.get_by_role("option", name=picture, exact=True).click()

    def mean_light(self) -> float:
        """Of the middle of what is seen, 0 to 255."""
        seen = self.page.locator("[data-loaded]").bounding_box()
        assert seen
        middle = {"x": seen["x"] + seen["width"] / 3, "y": seen["y"] + seen["height"] / 3,
                  "width": seen["width"] / 3, "height": seen["height"] / 3}  # fmt: skip
        shot = self.page.screenshot(clip=middle)  # type: ignore[arg-type]
        return float(np.asarray(Image.open(io.BytesIO(shot)).convert("L")).mean())


if __name__ == "__main__":
    unittest.main()
