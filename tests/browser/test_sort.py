"""A take along its ladder: frames left out and back, a neutral place clicked, a repair planned."""

import re

from playwright.sync_api import expect

from amber_ladder.work import card, plan
from amber_ladder.work.stack.views import StackView
from tests.support.browser import PageTest
from tests.support.cards import brought_in
from tests.support.station import running
from tests.support.takes import new_stack


def accepted() -> StackView:
    """A stack whose take came from a card, shot farthest first, with a hole."""
    running()
    number = brought_in().id
    one = card.read(number).stacks[2]
    if one.accepted:
        return plan.read_stack(one.accepted.stack_id)
    stack = new_stack("SORT-1", near_um=1000, far_um=1700)
    card.set_goes(number, one.first, card.GoesEntry(stack_id=stack.id))
    card.accept(number, card.AcceptEntry(stacks=[one.first]))
    return plan.read_stack(stack.id)


class OneTake(PageTest):
    def setUp(self) -> None:
        super().setUp()
        self.stack = accepted()
        self.page.goto(f"/stacks/{self.stack.id}/sort")

    def test_frames_are_left_out_and_back_by_keyboard_and_a_repair_is_planned(self) -> None:
        page, take = self.page, self.stack.takes[0]
        heading = page.get_by_role("heading", name=re.compile("frames of"))
        before = f"{take.series.used} frames of {len(take.frames)} are merged"
        expect(heading).to_have_text(before)
        expect(page.get_by_text("though shot farthest first")).to_be_visible()
        self.assert_accessible()
        kept = next(frame for frame in take.frames if frame.left_out is None)
        page.get_by_role("button", name=kept.name).first.click()
        page.keyboard.press("x")
        expect(heading).to_have_text(f"{take.series.used - 1} frames of {len(take.frames)} are merged")
        expect(page.get_by_role("button", name=re.compile(f"{kept.name}.*left out by hand"))).to_be_visible()
        page.keyboard.press("x")
        expect(heading).to_have_text(before)
        page.get_by_role("button", name="Plan a ladder for them").click()
        expect(page.get_by_text("reckoned from the plan, not measured")).to_be_visible()
        page.get_by_role("status").get_by_role("link", name=re.compile("Stack")).click()
        expect(page).to_have_url(re.compile("/plan$"))
        self.assertEqual(len(plan.read_stack(self.stack.id).siblings), 2)

    def test_a_neutral_place_is_clicked_in_a_frame_and_set_for_all(self) -> None:
        page = self.page
        development = page.get_by_role("region", name="Development")
        picture = development.get_by_role("img", name=re.compile("developed"))
        expect(picture).to_be_visible()
        first = picture.get_attribute("src")
        development.get_by_role("button", name="Neutral place").click()
        self.assert_accessible()
        aim = development.get_by_role("button", name=re.compile("grey in truth"))
        box = aim.bounding_box()
        assert box is not None
        page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        expect(development.get_by_text(re.compile("neutral at 240, 180 of"))).to_be_visible()
        expect(picture).not_to_have_attribute("src", first or "")
        development.get_by_role("slider", name="Exposure").focus()
        page.keyboard.press("ArrowRight")
        expect(development.get_by_text("+0.05 stops")).to_be_visible()
        development.get_by_role("button", name=re.compile("Set for all")).click()
        expect(development.get_by_role("button", name="Frames as they are")).to_be_visible()
        kept = plan.read_stack(self.stack.id).takes[0].development
        assert kept is not None
        self.assertEqual(kept["exposure_stops"], 0.05)
        self.assertEqual(kept["white_balance"]["x"], 240)
        page.reload()
        expect(development.get_by_text("+0.05 stops")).to_be_visible()
        development.get_by_role("button", name="Frames as they are").click()
        expect(development.get_by_role("button", name="Frames as they are")).to_have_count(0)
        self.assertIsNone(plan.read_stack(self.stack.id).takes[0].development)

    def test_white_balance_is_taken_from_a_file_beside_the_take(self) -> None:
        page = self.page
        development = page.get_by_role("region", name="Development")
        development.get_by_role("button", name="Grey card").click()
        panel = page.get_by_role("dialog", name="Grey card")
        # The hand before the lens, right before this take.
        choice = panel.get_by_role("button", name=re.compile("1 file before it"))
        expect(choice).to_be_visible()
        self.assert_accessible()
        choice.focus()
        page.keyboard.press("Enter")
        aim = panel.get_by_role("button", name=re.compile("Click a place of the grey card"))
        expect(aim).to_be_focused()
        expect(aim.locator("img")).to_have_js_property("naturalWidth", 480)
        page.keyboard.press("Enter")
        expect(panel).to_have_count(0)
        expect(development.get_by_text(re.compile("neutral at 240, 180 of"))).to_be_visible()
        development.get_by_role("button", name="Back to what is set").click()
        expect(development.get_by_text("as shot")).to_be_visible()
