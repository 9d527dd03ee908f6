"""How a plan would look, on the page: marked as simulated, the plan's own patch beside other overlaps and one frame."""

from playwright.sync_api import expect

from tests.support.browser import PageTest
from tests.support.takes import new_stack


class Looking(PageTest):
    def test_the_plan_is_seen_beside_other_overlaps_and_one_frame_alone(self) -> None:
        page = self.page
        stack = new_stack("LOOK-1", specimen={"name": "garnet", "kind": "mineral"}, far_um=400)
        page.goto(f"/stacks/{stack.id}/plan")
        page.get_by_role("tab", name="How it would look").click()
        panel = page.get_by_role("tabpanel", name="How it would look")
        expect(panel).to_contain_text("Simulated.")
        for title in ("As planned", "Overlap 0 %", "Overlap 60 %", "One frame alone"):
            expect(panel.get_by_role("img", name=f"Simulated: {title}")).to_be_visible()
        expect(panel).to_contain_text("200 µm off focus")  # at the end of a depth of 400 µm
        self.assert_accessible()
