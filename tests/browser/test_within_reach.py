"""What was done is within reach, by hand and by keyboard, in every size of window."""

import re
import unittest
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import ClassVar

from playwright.sync_api import expect

from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.launch.serve import SOURCE
from amber_ladder.work import cabinet, day, measure, mend, plan, rigs
from amber_ladder.work.rigs import scales
from amber_ladder.work.stack.views import StackView
from tests.support.browser import PageTest
from tests.support.examples import PLAN, RIG, SPECIMEN, picture
from tests.support.station import running
from tests.support.takes import a_merge, new_stack, shot_stack, take_of

BOXES = (Path(SOURCE) / "tests" / "support" / "boxes.js").read_text()
SIZES = ((1024, 700, "normal"), (1024, 700, "large"), (1280, 800, "large"), (1920, 1080, "normal"),
         (2560, 1440, "large"), (853, 533, "normal"), (640, 400, "normal"))  # fmt: skip
"""Windows, two of them one of 1280 × 800 at 150 and 200 %, and the size of text."""


class Chosen(PageTest):
    first: ClassVar[StackView]

    @classmethod
    def setUpClass(cls) -> None:
        running()
        cls.first = shot_stack()
        frames = cls.first.takes[0].frames
        a_merge(take_of(cls.first, frames[::-1]), "blend")
        take_of(cls.first, frames[:-1])
        rig = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": "rig of stack 2"}))
        entry = plan.PlanEntry(rig_id=rig.id, plan=LadderRequestJson(**PLAN))
        plan.save_ladder(cls.first.specimen.id, entry)

    def test_1_two_stacks_and_three_takes_are_reached_and_merged(self) -> None:
        page = self.page
        page.goto("/")
        page.get_by_label("Find a specimen").fill("SHOT-1")
        page.get_by_role("button", name=re.compile(r"2 stacks\W+3 takes")).click()
        sheet = page.get_by_role("dialog", name="Stacks and takes")
        expect(sheet.get_by_role("link", name="Stack 2")).to_contain_text("rig of stack 2")
        expect(sheet.get_by_role("link", name="Take 2")).to_contain_text("1 merge")
        self.assert_accessible()
        sheet.get_by_role("link", name="Take 3").click()
        page.wait_for_url("**/merge?take=*")
        many = len(self.first.takes[0].frames)
        expect(page.get_by_text(f"Stored {many - 1}, used {many - 1}.")).to_be_visible()

        # A frame is left out with its reason, and taken back.
        opener = page.get_by_role("button", name="Leave frames out, or take them back")
        opener.click()
        sheet = page.get_by_role("dialog", name="Frames of take 3")
        expect(sheet.get_by_label("Reason to leave out")).to_be_focused()
        sheet.get_by_label("Reason to leave out").fill("a wing moved")
        sheet.get_by_role("button", name="Leave out arrived_001.jpg").click()
        expect(sheet.get_by_role("cell", name="a wing moved")).to_be_visible()
        sheet.get_by_role("button", name="Leave out arrived_002.jpg").click()
        sheet.get_by_role("button", name="Take back arrived_002.jpg").click()
        expect(sheet.get_by_role("button", name="Leave out arrived_002.jpg")).to_be_visible()
        self.assert_accessible()
        page.keyboard.press("Escape")
        expect(opener).to_be_focused()
        expect(page.get_by_text("Left out: arrived_001.jpg a wing moved.")).to_be_visible()

        page.get_by_role("checkbox", name="Depth pick").check()
        page.get_by_role("button", name="Merge by these 2").click()
        expect(page.get_by_role("button", name="Auto, run 1, take 3")).to_be_visible()
        expect(page.get_by_role("button", name="Depth pick, run 2, take 3")).to_be_visible()
        expect(page.get_by_role("button", name="Auto, run 1, take 3")).to_contain_text(f"{many - 2} of {many - 1}")
        # The depth has a legend, and a value under the pointer.
        viewer = page.locator("[data-loaded=true]").bounding_box()
        assert viewer is not None
        page.mouse.move(viewer["x"] + 0.6 * viewer["width"], viewer["y"] + 0.5 * viewer["height"])
        expect(page.get_by_role("figure", name="Depth legend")).to_contain_text(
            re.compile(r"[\d.]+ µm near.*[\d.]+ µm far.*known on \d+\s%.*(µm here|not known here)", re.DOTALL)
        )
        self.assert_accessible()
        # The take stays chosen from stage to stage and over a reload.
        page.get_by_role("link", name="Record", exact=True).click()
        page.wait_for_url("**/record?take=*")
        page.reload()
        expect(page.get_by_role("combobox", name="Of")).to_contain_text("take 3")

        page.get_by_role("button", name="all stacks and takes").click()
        page.get_by_role("link", name="Take 2").click()
        expect(page.get_by_role("button", name="Contrast blend, run 1, take 2")).to_have_attribute(
            "aria-pressed", "true"
        )
        page.get_by_role("button", name="all stacks and takes").click()
        page.get_by_role("link", name="Stack 2").click()
        expect(page.get_by_role("heading", name="stack 2 of 2")).to_be_visible()

    def test_2_a_scale_measured_after_the_run_is_applied_by_hand(self) -> None:
        page, sensor = self.page, self.first.rig.sensor
        kept = scales.bring_scale_picture(
            self.first.rig_id, "coin.jpg", [picture(sensor.width_px, sensor.height_px, seed=3)]
        ).picture
        entry = scales.ScaleEntry(picture=kept, length_um=210, points=(40, 50, 240, 50))
        scales.save_scale(self.first.rig_id, entry)
        page.goto(f"/stacks/{self.first.id}/record")
        expect(page.get_by_text("nominal", exact=True)).to_be_visible()
        page.get_by_role("combobox", name="Scale to use").click()
        page.get_by_role("option", name="measured").first.click()
        expect(page.get_by_text(re.compile(r"1\.05\d* ± 0\.0\d+ µm/px \(k = 2\), measured$"))).to_be_visible()
        expect(page.get_by_text("The scale is nominal.")).to_have_count(0)
        expect(page.get_by_text("below the nearest frame, known on")).to_be_visible()
        self.assert_accessible()

    def test_3_nothing_is_cut_off_or_covered_in_any_window(self) -> None:
        page = self.page
        take = plan.read_stack(self.first.id).takes[1]
        mend.begin(take.merges[0].id, mend.MendEntry())
        for kind in ("length", "profile"):
            entry = {"kind": kind, "points": [(80, 80), (160, 120)]}
            measure.take(take.merges[0].id, measure.MeasureEntry.model_validate(entry))
        noon = datetime.now(UTC)
        hours = {"starts_at": noon - timedelta(hours=1), "ends_at": noon + timedelta(minutes=5)}
        items = [{"stack_id": self.first.id, "by_at": noon + timedelta(hours=3)}]
        listed = day.read(date.today())
        told = {**hours, "items": items, "seen": listed.revision if listed else 0}
        day.change(date.today(), day.DayEntry.model_validate(told))
        looked_at = ("plan", "merge", f"mend?take={take.id}", f"measure?take={take.id}", "record")
        stages = [f"/stacks/{self.first.id}/{one}" for one in looked_at]
        pages = ["/", "/day", "/rigs", "/ledger", "/practice", "/nowhere", *stages]
        for width, height, text in SIZES:
            page.set_viewport_size({"width": width, "height": height})
            for where in (*pages, f"/stacks/{self.first.id}/shoot"):
                with self.subTest(f"{where} at {width} × {height}, {text} text"):
                    page.goto(where)
                    page.evaluate(f"localStorage.setItem('text', '{text}')")
                    page.reload()
                    page.wait_for_load_state("load")
                    if where.endswith("shoot"):
                        expect(page.get_by_role("img", name="Live view")).to_be_visible()
                    elif "/mend" in where:
                        expect(page.locator("[data-loaded=true]")).to_be_visible()
                        expect(page.get_by_role("button", name="Write the mended picture")).to_be_visible()
                    elif "/measure" in where:
                        expect(page.locator("[data-loaded=true]")).to_be_visible()
                        page.get_by_role("list", name="Measures").get_by_role("button").first.click()
                        expect(page.get_by_role("button", name="Rename")).to_be_visible()
                    else:
                        expect(page.locator("main")).not_to_contain_text(re.compile("^$|Fetching|Opening"))
                    self.assertEqual(page.evaluate(BOXES), [])
        live = page.get_by_role("img", name="Live view").bounding_box()
        self.assertIsNotNone(live)

    def test_4_the_live_picture_takes_what_room_there_is(self) -> None:
        page = self.page
        page.set_viewport_size({"width": 1920, "height": 1080})
        page.goto(f"/stacks/{self.first.id}/shoot")
        live = page.get_by_role("img", name="Live view")
        expect(live).to_be_visible()
        box = live.bounding_box()
        assert box is not None
        self.assertGreater(box["width"], 1100)
        sensor = self.first.rig.sensor
        self.assertAlmostEqual(box["width"] / box["height"], sensor.width_px / sensor.height_px, delta=0.01)

    def test_5_pages_without_a_test_of_their_own_are_accessible(self) -> None:
        for where in ("/nowhere", f"/stacks/{self.first.id}/nowhere", f"/specimens/{self.first.specimen.id}/plan"):
            self.page.goto(where)
            expect(self.page.locator("main")).to_contain_text(re.compile("There is no such|Ladder"))
            self.assert_accessible()
        self.sheets()
        self.page.get_by_role("button", name="Desk").click()
        self.page.get_by_role("button", name="Large text").click()
        self.page.get_by_role("button", name="Dim the page").click()
        self.page.keyboard.press("Escape")
        self.page.reload()
        self.page.get_by_role("button", name="Desk").click()
        expect(self.page.get_by_role("button", name="Normal text")).to_be_visible()
        expect(self.page.get_by_role("button", name="Light the page")).to_be_visible()
        self.assert_accessible()

    def sheets(self) -> None:
        """What opens over a page, and that it gives the focus back."""
        page = self.page
        for where, opener, sheet in (
            (f"/stacks/{self.first.id}/plan", "Keys ?", "Keys"),
            (f"/stacks/{self.first.id}/plan", "air n 1", "Label"),
            ("/", "Add a specimen", "Add a specimen"),
            ("/ledger", "Columns", "Columns"),
            ("/rigs", "Focus units from a ramp", "Focus units of"),
        ):
            page.goto(where)
            page.get_by_role("button", name=opener).click()
            expect(page.get_by_role("dialog", name=sheet)).to_be_visible()
            self.assert_accessible()
            page.keyboard.press("Escape")
            expect(page.get_by_role("button", name=opener)).to_be_focused()


class Hundreds(PageTest):
    @classmethod
    def setUpClass(cls) -> None:
        running()
        for number in range(1, 121):
            label = {**SPECIMEN, "catalogue_number": f"MANY-{number}", "name": "capsule " + "very " * (number % 9)}
            cabinet.add_specimen(cabinet.SpecimenEntry(**label))

    def test_they_are_sorted_and_lie_on_pages(self) -> None:
        page = self.page
        page.goto("/")
        page.get_by_label("Find a specimen").fill("MANY-")
        expect(page.get_by_text("1 to 50 of 120")).to_be_visible()
        first = page.get_by_role("row").nth(1)
        expect(first).to_contain_text("MANY-120")  # the newest
        page.get_by_role("button", name="Specimen", exact=True).click()
        expect(first).to_contain_text("MANY-1 ")
        expect(page.get_by_role("row").nth(2)).to_contain_text("MANY-2 ")
        page.get_by_role("button", name="Later page").click()
        page.get_by_role("button", name="Later page").click()
        expect(page.get_by_role("row")).to_have_count(21)
        # One long name squeezes no row.
        heights = {box["height"] for row in page.get_by_role("row").all()[1:] if (box := row.bounding_box())}
        self.assertEqual(len(heights), 1)
        self.assert_accessible()

    def test_the_keyboard_goes_from_the_search_to_its_first_result_in_two_steps(self) -> None:
        page = self.page
        page.goto("/")
        expect(page.get_by_role("row").nth(1)).to_be_visible()
        page.keyboard.press("/")
        expect(page.get_by_label("Find a specimen")).to_be_focused()
        page.keyboard.type("MANY-77")
        link = page.get_by_role("link", name="MANY-77")
        expect(page.get_by_role("row")).to_have_count(2)
        page.keyboard.press("Tab")
        page.keyboard.press("Tab")
        expect(link).to_be_focused()
        page.keyboard.press("Enter")
        page.wait_for_url("**/plan")


class Typed(PageTest):
    def test_numbers_as_people_type_them_and_refusals_in_the_units_of_the_page(self) -> None:
        self.allowed = ["/plan/preview"]
        page = self.page
        new_stack("TYPED-0")  # so that there is a rig
        label = {**SPECIMEN, "catalogue_number": "TYPED-1", "depth_mm": 1.4}
        specimen = cabinet.add_specimen(cabinet.SpecimenEntry(**label))
        page.goto(f"/specimens/{specimen.id}/plan")
        near, far = page.get_by_label("Nearest point"), page.get_by_label("Farthest point")
        expect(far).to_have_value(re.compile(r"\d+"))
        self.assertEqual(float(far.input_value()) - float(near.input_value()), 1400)  # as the label says
        near.fill("0")
        far.fill("1,2 mm")
        expect(page.get_by_text("Understood: 1200 µm.")).to_be_visible()
        page.get_by_label("Exposure").fill("1/125")
        expect(page.get_by_text("Understood: 0.008 s.")).to_be_visible()
        page.get_by_label("Overlap").fill("99.9")
        expect(page.get_by_text("must lie between 0 and 95 %").first).to_be_visible()
        page.get_by_label("Overlap").fill("30")
        page.get_by_label("Rail click").fill("0")
        expect(page.get_by_text("must be more than 0").first).to_be_visible()
        expect(page.get_by_text("Infinity")).to_have_count(0)
        page.get_by_label("Rail click").fill("three")
        expect(page.get_by_text("This is not a number of µm.")).to_be_visible()
        page.get_by_label("Rail click").fill("2.5")
        page.get_by_role("button", name="Save this ladder").click()
        page.wait_for_url("**/shoot")
        page.go_back()
        page.wait_for_url("**/stacks/*/plan")
        expect(page.get_by_label("Farthest point")).to_have_value("1200")


if __name__ == "__main__":
    unittest.main()
