"""What worked before: shown in Plan with its cases, used, and told by the history."""

import re

from playwright.sync_api import expect

from tests.support.browser import PageTest
from tests.support.takes import a_merge, new_stack, shot_stack, take_of


class Before(PageTest):
    def test_used_and_told_by_the_history(self) -> None:
        page = self.page
        frames = shot_stack("BEF-0").takes[0].frames
        done = [new_stack(f"BEF-{n}", specimen={"kind": "liverwort cup"}, far_um=700) for n in (1, 2, 3)]
        for stack in done[:2]:
            a_merge(take_of(stack, frames))
        new = new_stack("BEF-4", specimen={"kind": "liverwort cup"}, far_um=1000)
        page.goto(f"/stacks/{new.id}/plan")
        page.get_by_role("tab", name="What worked before").click()
        # Two are too few: they are named, and nothing is proposed.
        expect(page.get_by_text("Too few of kind liverwort cup")).to_be_visible()
        expect(page.get_by_role("list", name="Cases").get_by_role("link")).to_have_text(["BEF-2", "BEF-1"])
        a_merge(take_of(done[2], frames))
        page.reload()
        page.get_by_role("tab", name="What worked before").click()
        expect(page.get_by_text("From 3 stacks of kind liverwort cup, on rigs of like magnification")).to_be_visible()
        self.assert_accessible()
        far = page.get_by_label("Farthest point")
        before = far.input_value()
        page.get_by_role("button", name=re.compile(r"^Use .* µm")).click()
        expect(far).not_to_have_value(before)
        page.get_by_role("button", name="Save this ladder").click()
        page.wait_for_url("**/shoot")
        a_merge(take_of(new, frames))
        page.goto(f"/stacks/{new.id}/record")
        history = page.get_by_role("region", name="History")
        expect(history).to_contain_text("from what worked before: 3 stacks, same kind, like magnification")
