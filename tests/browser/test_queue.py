"""Several merges wait in one queue, which is seen from every page, with what is before each and a stop."""

import re
import unittest

from playwright.sync_api import expect

from tests.support.browser import PageTest
from tests.support.station import running
from tests.support.takes import new_stack, shot_stack, take_of


class Queued(PageTest):
    def test_seen_from_another_page_and_one_that_waits_is_stopped(self) -> None:
        running()
        shot = shot_stack()
        stack = new_stack("QUEUE-1", far_um=700)
        take_of(stack, [*shot.takes[0].frames])
        page = self.page
        page.goto(f"/stacks/{stack.id}/merge")
        expect(page.get_by_role("button", name=re.compile("Queue"))).to_have_count(0)
        for way in ("Pyramid", "Depth pick", "Contrast blend"):
            page.get_by_label(way).check()
        page.get_by_role("button", name="Merge by these 4").click()  # auto was ticked
        last = page.get_by_role("progressbar", name=re.compile(r"Contrast blend, run 4: waiting for QUEUE-1, stack 1"))
        expect(last).to_be_visible()
        page.get_by_role("link", name="Cabinet").first.click()
        page.get_by_role("button", name="Queue, 4").click()
        queue = page.get_by_role("dialog", name="Queue")
        expect(queue.get_by_role("listitem")).to_have_count(4)
        expect(queue.get_by_role("listitem").first).to_contain_text("QUEUE-1, stack 1, take 1: auto, run 1")
        self.assert_accessible()
        waiting = "QUEUE-1, stack 1, take 1: contrast blend, run 4"
        queue.get_by_role("button", name=f"Stop {waiting}").click()
        expect(queue.get_by_text(waiting)).to_have_count(0)
        queue.get_by_role("link", name="To its stack").first.click()
        for run in ("Auto, run 1", "Pyramid, run 2", "Depth pick, run 3"):
            expect(page.get_by_role("button", name=run)).to_be_visible()
        expect(page.get_by_role("button", name=re.compile("Queue"))).to_have_count(0)
        expect(page.get_by_text("Contrast blend, run 4 was stopped.")).to_be_visible()


if __name__ == "__main__":
    unittest.main()
