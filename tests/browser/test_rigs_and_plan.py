"""Rigs from the shelf, what is measured on them, and every way into a ladder, in Chromium."""

import re
import unittest
from typing import Any

import cv2
import numpy as np
from playwright.sync_api import expect

from amber_ladder.formats.part_json import BodyJson, ObjectivePartJson, RailPartJson, TubePartJson
from amber_ladder.work import rigs
from amber_ladder.work.rigs import parts
from tests.support.browser import PageTest
from tests.support.examples import RIG
from tests.support.rulings import ruled_slide
from tests.support.station import running


def shelf() -> None:
    """Parts, once for all tests here."""
    if parts.shelf():
        return
    for name, part in (
        ("small body", BodyJson(width_px=480, height_px=320, pixel_um=16)),
        ("five", ObjectivePartJson(nominal_magnification=5, na=0.14, design_tube_mm=200, working_distance_mm=34)),
        ("four, finite", ObjectivePartJson(corrected="finite", nominal_magnification=4, na=0.1, design_tube_mm=160)),
        ("short tube lens", TubePartJson(tube_mm=150)),
        ("fine rail", RailPartJson(click_um=1.25, min_um=0, max_um=30_000, backlash_um=40)),
    ):
        parts.add_part(parts.PartEntry(name=name, part=part))


class RigsAndPlan(PageTest):
    def setUp(self) -> None:
        running()
        shelf()
        super().setUp()

    def rig(self, name: str, **more: Any) -> rigs.RigView:
        sensor = {"width_px": 480, "height_px": 320, "pixel_um": 16.0}
        return rigs.add_rig(rigs.RigEntry(**{**RIG, "name": name, "sensor": sensor, **more}))

    def new_ladder(self, number: str, rig: str, **label: str) -> None:
        page = self.page
        page.goto("/")
        page.get_by_role("button", name="Add a specimen").click()
        entered = {"Catalogue number": number, "Name": "specimen", "Kind": "plant", **label}
        for name, value in entered.items():
            page.get_by_label(name, exact=True).fill(value)
        page.get_by_role("button", name="Add and plan its ladder").click()
        page.get_by_role("combobox", name="Rig").click()
        page.get_by_role("option", name=rig).click()

    def headline(self, text: str) -> None:
        expect(self.page.locator("p.head[aria-live]")).to_contain_text(text)

    def test_a_rig_is_put_together_from_the_shelf_with_the_keyboard_only(self) -> None:
        page = self.page
        press = page.keyboard.press

        def choose(label: str, option: str) -> None:
            page.get_by_role("combobox", name=label).focus()
            press("Enter")
            # The list takes the focus, and then what is typed moves it: each a moment later.
            expect(page.locator("[role=option]:focus")).to_be_visible()
            page.keyboard.type(option[:6])
            expect(page.get_by_role("option", name=option)).to_be_focused()
            press("Enter")
            expect(page.get_by_role("combobox", name=label)).to_contain_text(option)

        page.goto("/rigs")
        page.get_by_role("button", name="Make a rig").focus()
        press("Enter")
        page.get_by_label("Name of the rig").focus()
        page.keyboard.type("From the shelf")
        choose("Body", "small body")
        choose("Objective", "five")
        choose("Tube", "short tube lens")
        choose("Rail", "fine rail")
        expect(page.get_by_label("Working distance")).to_have_value("34")
        # 5 × 150 / 200, f/13.39: the worked value.
        expect(page.get_by_role("button", name="Magnification", exact=False).first).to_contain_text("3.75")
        expect(page.get_by_role("img", name="Rig to scale")).to_be_visible()
        page.get_by_role("button", name="Put it on the shelf").focus()
        press("Enter")
        expect(page.get_by_role("button", name="From the shelf")).to_be_visible()
        self.assert_accessible()
        saved = next(one for one in rigs.shelf() if one.name == "From the shelf")
        self.assertEqual(saved.parts["tube"], "short tube lens")
        choose("Objective", "four, finite")
        expect(page.get_by_role("combobox", name="Optical train")).to_contain_text("Finite objective")

    def test_in_a_dim_room_everything_can_be_read(self) -> None:
        self.rig("In the dim room", train={"kind": "lens", "f_number": 2.8, "magnification": 5})
        page = self.page
        page.goto("/rigs")
        page.keyboard.press("d")
        page.get_by_role("button", name="In the dim room").click()
        expect(page.get_by_text("Pupil magnification not given")).to_be_visible()
        self.assert_accessible()
        page.get_by_text("Version 1. Stacks keep").click()
        expect(page.get_by_text("1, since")).to_be_visible()
        self.new_ladder("TH-34", "In the dim room", Kind="mineral")
        for tab in ("Frame and turning", "By hand", "It will not wait", "Cautions"):
            page.get_by_role("tab", name=tab).click()
            self.assert_accessible()

    def test_parts_are_added_and_corrected(self) -> None:
        page = self.page
        page.goto("/rigs")
        page.get_by_role("button", name="Parts shelf").click()
        page.get_by_role("button", name="Add a part").click()
        page.get_by_role("combobox", name="What it is").click()
        page.get_by_role("option", name="Light").click()
        page.get_by_label("Name of the part").fill("twin flash")
        page.get_by_label("Recycling after a full pop").fill("4")
        page.get_by_role("button", name="Put it on the parts shelf").click()
        expect(page.get_by_role("button", name="twin flash")).to_contain_text("4 s")
        page.get_by_label("Recycling after a full pop").fill("5")
        page.get_by_role("button", name="Save the part").click()
        expect(page.get_by_role("button", name="twin flash")).to_contain_text("5 s")
        self.assert_accessible()

    def test_a_scale_from_a_picture(self) -> None:
        self.allowed = ["/calibrations/scale", "small.png"]
        self.rig("To be measured")
        page = self.page
        page.goto("/rigs")
        page.get_by_role("button", name="To be measured").click()
        page.get_by_role("button", name="Scale from a picture").click()
        upload = page.get_by_label("Picture of a ruling", exact=True)
        small = bytes(cv2.imencode(".png", np.zeros((100, 100), np.uint8))[1])
        upload.set_input_files({"name": "small.png", "mimeType": "image/png", "buffer": small})
        expect(page.get_by_text("this rig's sensor 480 × 320")).to_be_visible()
        slide = np.rint(ruled_slide(12, 4, size=(480, 320)) * 255).astype(np.uint8)
        content = bytes(cv2.imencode(".png", slide)[1])
        upload.set_input_files({"name": "slide.png", "mimeType": "image/png", "buffer": content})
        expect(page.get_by_text("Lines every")).to_be_visible()
        use = page.get_by_role("button", name="Use this scale")
        page.get_by_label("True distance of neighbouring lines").fill("400")
        page.get_by_label("The distance is right all the same").check()
        expect(use).to_be_enabled()
        page.get_by_label("The distance is right all the same").uncheck()
        expect(use).to_be_disabled()
        page.get_by_label("True distance of neighbouring lines").fill("40")
        expect(page.get_by_text("The parts compute to 3.2 µm/px")).to_be_visible()
        expect(page.get_by_text("with ± 0.1 % assumed")).to_be_visible()
        self.assert_accessible()
        use.click()
        expect(page.get_by_text("Saved:")).to_be_visible()
        page.get_by_role("button", name="Done").click()
        expect(page.get_by_role("button", name="To be measured")).to_contain_text("measured")

    def test_a_scale_by_two_points_with_the_keyboard(self) -> None:
        self.rig("By two points")
        page = self.page
        page.goto("/rigs")
        page.get_by_role("button", name="By two points").click()
        page.get_by_role("button", name="Scale from a picture").click()
        page.get_by_role("button", name="Shoot the ruled slide on the simulated bench").click()
        page.get_by_role("button", name="Set two points by hand instead").click()
        page.get_by_label("First point, x").fill("40")
        page.get_by_label("First point, y").fill("100")
        page.get_by_label("Second point, y").fill("100")
        point = page.get_by_role("slider", name="Second point")
        before = float(page.get_by_label("Second point, x").input_value())
        point.focus()
        page.keyboard.press("Shift+ArrowRight")
        expect(page.get_by_label("Second point, x")).to_have_value(f"{before + 10:g}")
        page.get_by_label("True distance of the two points").fill("1000")
        page.get_by_label("The distance is right all the same").check()
        page.get_by_role("button", name="Use this scale").click()
        expect(page.get_by_text("Saved:")).to_be_visible()

    def test_focus_units_from_a_ramp_and_a_plan_in_them(self) -> None:
        self.allowed = ["broken.jpg"]
        self.rig("Counts steps")
        page = self.page
        page.goto("/rigs")
        page.get_by_role("button", name="Counts steps").click()
        page.get_by_role("button", name="Focus units from a ramp").click()
        broken = {"name": "broken.jpg", "mimeType": "image/jpeg", "buffer": b"no picture"}
        page.get_by_label("Frames of the ramp").set_input_files([broken])  # type: ignore[arg-type]
        expect(page.get_by_text("1 file not taken.")).to_be_visible()
        expect(page.get_by_text("frames are awaited")).to_have_count(0)
        page.get_by_label("Units between two frames").fill("4")
        page.get_by_label("One unit of the simulated body").fill("8")
        page.get_by_role("button", name="Shoot and measure the simulated ramp").click()
        expect(page.get_by_text("One step", exact=True)).to_be_visible()
        expect(page.get_by_role("img", name="Residuals of")).to_be_visible()
        self.new_ladder("TH-31", "Counts steps")
        page.get_by_role("combobox", name="Focus is moved by").click()
        page.get_by_role("option", name="the camera").click()
        self.headline("of the camera between frames")
        page.get_by_label("Step", exact=False).first.fill("3")
        self.headline("3 steps")

    def test_a_plan_by_each_way_in(self) -> None:
        self.allowed = ["/api/plan/preview"]
        self.rig("Each way")
        self.new_ladder("TH-32", "Each way")
        page = self.page
        field = lambda name: page.get_by_label(name).first
        page.get_by_label("Rail click").fill("2.5")
        # Ends and overlap: the count follows.
        field("Nearest point").fill("0")
        field("Farthest point").fill("700")
        field("Overlap").fill("30")
        expect(page.get_by_text("The number of frames follows")).to_be_visible()
        expect(page.get_by_label("Frames computed")).to_have_value("")
        # Count and both ends: the spacing is freed, for it was set before the ends.
        field("Frames").fill("25")
        self.headline("25 frames")
        # Near, step and count: the far point is freed in turn.
        field("Step").fill("30")
        expect(page.get_by_label("Farthest point computed")).to_have_attribute("placeholder", "600")
        self.headline("25 frames every 30 µm")
        # A time budget in place of the count.
        field("Time").fill("2")
        expect(page.get_by_label("Frames computed")).to_be_visible()
        field("Farthest point").fill("700")
        expect(page.get_by_text("follows from the rest")).to_be_visible()
        page.get_by_role("tab", name="It will not wait").click()
        page.get_by_role("textbox", name="Minutes").fill("1")
        page.get_by_role("button", name="Plan within this time").first.click()
        expect(page.get_by_label("Time", exact=True)).to_have_value("1")
        # Nonsense is said at the field.
        field("Frames").fill("3")
        expect(page.get_by_text("frames are too few")).to_be_visible()
        # With too little set, nothing claims to be computed.
        field("Frames").fill("")
        expect(page.get_by_text("Set one more:")).to_be_visible()
        expect(page.get_by_label("Frames computed")).to_have_count(0)
        expect(page.get_by_role("button", name="Save this ladder")).to_be_disabled()
        self.assert_accessible()

    def test_other_ways_by_hand_cautions_and_the_bench_sheet(self) -> None:
        self.rig("Ways lens", train={"kind": "lens", "f_number": 2.8, "magnification": 2, "focal_mm": 100})
        self.new_ladder("TH-33", "Ways lens", Kind="snow")
        page = self.page
        ways = page.get_by_role("region", name="Other ways to shoot it")
        expect(ways.get_by_text("For the chosen use, 480 px wide, one frame will do.")).to_be_visible()
        expect(ways.get_by_text("one frame, no stack").first).to_be_visible()
        ways.get_by_role("button", name="Time").click()
        every = ways.get_by_role("button", name=re.compile(r"^All \d+ ways"))
        if every.count():
            every.click()
        ways.get_by_role("button", name="Load Ways lens at f/5.6", exact=True).click()
        expect(page.get_by_text("Set to f/5.6")).to_be_visible()
        expect(page.get_by_role("button", name="Effective aperture")).to_contain_text("f/16.8")
        page.get_by_role("tab", name="By hand").click()
        expect(page.get_by_role("button", name="Frames for 99 %")).to_be_visible()
        page.get_by_role("tab", name="Frame and turning").click()
        expect(page.get_by_role("img", name="Inner frame")).to_be_visible()
        page.get_by_role("button", name="Save this ladder").click()
        page.wait_for_url("**/shoot")
        page.get_by_role("link", name="Plan", exact=True).click()
        page.get_by_role("tab", name="Cautions, 4 to read").click()
        page.get_by_role("button", name="I have read it: Cold and wet.").click()
        expect(page.get_by_role("tab", name="Cautions, 3 to read")).to_be_visible()
        self.assert_accessible()
        sheet = page.get_by_role("link", name="Bench sheet").get_attribute("href") or ""
        page.goto(sheet)
        expect(page.get_by_role("heading", name="TH-33 specimen")).to_be_visible()
        expect(page.get_by_text("at f/5.6, version 1")).to_be_visible()
        self.assert_accessible()
        answer = page.request.get(f"{sheet}.pdf")
        self.assertEqual((answer.status, answer.body()[:5]), (200, b"%PDF-"))


if __name__ == "__main__":
    unittest.main()
