"""Practice: exercises begun, answered by keyboard and mouse, judged against the truth; one's progress; a trainer's file."""

import json
import re
import tempfile
from pathlib import Path

from playwright.sync_api import expect

from tests.support.browser import PageTest

_SET = {
    "format": "amber-ladder exercises 1",
    "title": "first week",
    "exercises": [
        {"kind": "light", "level": 1, "seed": 3, "specimen": "garnet", "flaws": [], "note": "mind the rim", "limit_s": 600},
        {"kind": "bad-frames", "level": 1, "seed": 3, "specimen": "garnet", "flaws": []},
    ],
}  # fmt: skip


class Practising(PageTest):
    def begin(self, title: str) -> None:
        self.page.goto("/practice")
        self.page.get_by_role("button", name=f"Begin: {title}").click()
        self.page.wait_for_url(re.compile(r"/practice/\d+"))

    def test_aperture_and_step_are_judged_beside_the_program_and_the_best(self) -> None:
        page = self.page
        self.begin("Aperture and step")
        answer = page.get_by_role("button", name="That is my answer")
        expect(answer).to_be_disabled()
        page.get_by_label("Marked aperture").fill("5.6")
        page.get_by_label("Step").fill("900")
        self.assert_accessible()
        answer.click()
        verdict = page.get_by_role("region", name="Verdict")
        expect(verdict).to_contain_text("Of what could be reached")
        expect(verdict.get_by_role("row", name=re.compile("Frames"))).to_be_visible()
        expect(verdict).to_contain_text("the detail is lost")
        expect(page.get_by_role("img", name="What you answered, beside what would have been right")).to_be_visible()
        self.assert_accessible()
        # It is counted as one's own, and another one is drawn.
        address = page.url
        page.get_by_role("button", name="Another one").click()
        page.wait_for_url(lambda url: url != address and re.search(r"/practice/\d+$", url) is not None)
        page.get_by_role("link", name="Practice").click()
        expect(page.get_by_text("An exercise is not answered yet.")).to_be_visible()
        progress = page.get_by_role("list", name="Progress")
        expect(progress.get_by_role("listitem").filter(has_text="planning")).to_contain_text("1 answer")
        self.assert_accessible()

    def test_a_place_is_pointed_at_or_told_and_a_word_is_chosen(self) -> None:
        page = self.page
        self.begin("What went wrong in a merge")
        answer = page.get_by_role("button", name="That is my answer")
        page.get_by_label("A part moved while it was shot").check()
        expect(answer).to_be_disabled()
        page.get_by_role("button", name="Point at it").click()
        picture = page.get_by_role("img", name="Frame 1 of 1, simulated")
        box = picture.bounding_box()
        assert box is not None
        picture.click(position={"x": 0.25 * box["width"], "y": 0.5 * box["height"]})
        expect(page.get_by_label("From the left")).to_have_value("25")
        # Without a mouse: the same place in words.
        page.get_by_label("From the top").fill("40")
        expect(answer).to_be_enabled()
        self.assert_accessible()
        answer.click()
        verdict = page.get_by_role("region", name="Verdict")
        expect(verdict.get_by_role("row", name=re.compile("Spoilt by"))).to_be_visible()
        expect(page.get_by_text("Where it shows, in truth")).to_be_visible()
        expect(page.get_by_role("img", name="What you answered, beside what would have been right")).to_be_visible()
        self.assert_accessible()

    def test_a_day_is_put_in_order_by_buttons(self) -> None:
        page = self.page
        self.begin("Order a day")
        listed = page.get_by_role("list", name="Shoot in this order").get_by_role("listitem")
        first = listed.first.inner_text()
        listed.first.get_by_role("button", name=re.compile("later")).click()
        expect(listed.first).not_to_have_text(first)
        page.get_by_role("button", name="That is my answer").click()
        expect(page.get_by_role("region", name="Verdict")).to_contain_text("Changes of rig")

    def test_a_trainers_file_is_brought_done_and_made(self) -> None:
        page = self.page
        self.allowed = ["/practice/sets"]
        page.goto("/practice")
        folder = Path(tempfile.mkdtemp(prefix="amber-ladder-practice-"))
        broken, wrong, good = (folder / f"{name}.json" for name in ("broken", "wrong", "good"))
        broken.write_text("{")
        wrong.write_text(json.dumps({**_SET, "exercises": [{"kind": "juggling", "seed": 1}]}))
        good.write_text(json.dumps(_SET))
        trainer = page.get_by_role("region", name="Exercises from a trainer")
        for path, words in ((broken, "it is not JSON"), (wrong, "exercise 1: no exercise is called 'juggling'")):
            trainer.get_by_label("File of exercises").set_input_files(path)
            expect(trainer).to_contain_text(words)
        trainer.get_by_label("File of exercises").set_input_files(good)
        page.get_by_role("button", name="Begin 2: Tell bad frames").click()
        page.wait_for_url(re.compile(r"/practice/\d+"))
        frame = page.get_by_role("img", name=re.compile("^Frame"))
        expect(frame).to_have_js_property("complete", value=True)
        slider = page.get_by_role("slider", name="Frame")
        slider.focus()
        for _ in range(4):
            page.keyboard.press("ArrowRight")
        expect(frame).to_have_attribute("alt", "Frame 5 of 18, simulated")
        page.get_by_role("button", name="Frame 5 goes out").click()
        expect(page.get_by_role("complementary", name="Answer")).to_contain_text("5")
        self.assert_accessible()
        page.goto("/practice")
        page.get_by_role("button", name="Put some together").click()
        sheet = page.get_by_role("dialog", name="Exercises for others")
        sheet.get_by_label("What they are called").fill("second week")
        sheet.get_by_label("What to mind").fill("only the dark ones")
        sheet.get_by_role("button", name="Add it").click()
        with page.expect_download() as told:
            sheet.get_by_role("button", name="Save 1 exercise as a file").click()
        made = json.loads(Path(told.value.path()).read_text())
        self.assertEqual((made["title"], made["exercises"][0]["note"]), ("second week", "only the dark ones"))
