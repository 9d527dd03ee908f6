"""The whole job in Chromium: from a specimen's label to a merged picture, a depth map and its record."""

import json
import re
import unittest

import numpy as np
import tifffile
from PIL import Image
from playwright.sync_api import expect

from tests.support.browser import DROP, PageTest
from tests.support.examples import picture


class WholeJob(PageTest):
    def make_rig(self, name: str) -> None:
        page = self.page
        page.goto("/rigs")
        page.get_by_role("button", name="Make a rig").click()
        page.get_by_label("Name of the rig").fill(name)
        for label, value in (("Sensor width", "384"), ("Sensor height", "256"), ("Pixel pitch", "5")):
            page.get_by_label(label).fill(value)
        page.get_by_role("button", name="Put it on the shelf").click()
        expect(page.get_by_role("button", name=name)).to_be_visible()

    def plan(self, number: str, name: str, rig: str, far: str) -> None:
        page = self.page
        page.goto("/")
        page.get_by_role("button", name="Add a specimen").click()
        page.get_by_label("Catalogue number").fill(number)
        page.get_by_label("Name", exact=True).fill(name)
        page.get_by_label("Kind", exact=True).fill("plant")
        page.get_by_role("button", name="Add and plan its ladder").click()
        expect(page.get_by_role("heading", name=f"{number} {name}")).to_be_visible()
        page.get_by_role("combobox", name="Rig").click()
        page.get_by_role("option", name=rig).click()
        page.get_by_label("Farthest point").fill(far)
        page.get_by_role("button", name="Save this ladder").click()
        page.wait_for_url("**/shoot")

    def test_1_with_the_mouse(self) -> None:  # noqa: PLR0915 - one walk, told in order
        page = self.page
        self.make_rig("Five times")
        expect(page.get_by_role("button", name="Effective aperture")).to_contain_text("f/17.9")
        page.get_by_role("button", name="Effective aperture").click()
        expect(page.get_by_text("N_e = m / (2 NA)")).to_be_visible()
        self.assert_accessible()

        self.plan("TH-1", "moss capsule", "Five times", "300")
        page.get_by_role("link", name="Plan", exact=True).click()
        expect(page.get_by_text("19 frames every 22.5 µm")).to_be_visible()
        page.get_by_label("Overlap", exact=True).fill("60")
        expect(page.get_by_text("frames every 12.5 µm")).to_be_visible()
        page.get_by_label("Overlap", exact=True).fill("30")
        self.assert_accessible()
        page.get_by_role("button", name="Save this ladder").click()
        page.wait_for_url("**/shoot")
        self.assert_accessible()
        self.shoot_ladder()
        expect(page.get_by_role("button", name="Stop after this rung")).to_be_visible()
        expect(page.get_by_role("progressbar")).to_be_visible()
        expect(page.get_by_text("Done: 19 of 19 shot")).to_be_visible()
        page.get_by_text("Press to put away").click()
        expect(page.get_by_text("19 of 19 shot", exact=True)).to_be_visible()

        page.get_by_role("link", name="Merge this take").click()
        page.get_by_role("button", name="Merge take 1").click()
        expect(page.get_by_role("progressbar")).to_be_visible()
        expect(page.get_by_role("button", name="Auto, run 1")).to_be_visible()
        self.assert_accessible()
        page.get_by_role("checkbox", name="Depth pick").check()
        page.get_by_role("button", name="Merge take 1").click()
        expect(page.get_by_role("button", name="Depth pick, run 2")).to_be_visible()
        page.get_by_role("button", name="Auto, run 1").click()
        page.get_by_role("button", name="Rung 5,").click()
        expect(page.get_by_text(re.compile("Frame rung_0005")).first).to_be_visible()
        page.get_by_role("combobox", name="Left").click()
        page.get_by_role("option", name=re.compile("Frame rung_0009")).click()
        expect(page.locator("[data-loaded=true]")).to_be_visible()
        page.get_by_role("button", name="1 : 1").click()
        expect(page.get_by_text("100 %", exact=True)).to_be_visible()

        page.get_by_role("link", name="Record and export").click()
        expect(page.get_by_text("nominal").first).to_be_visible()
        self.assert_accessible()
        self.assertEqual(np.asarray(Image.open(self.saved("Picture with scale bar"))).shape[2], 3)
        self.assertEqual(tifffile.imread(self.saved("Composite")).shape, (256, 384, 3))
        self.assertEqual(tifffile.imread(self.saved("Depth")).dtype, np.float32)
        record = json.loads(self.saved("Full record").read_text())
        # The bench may have shot a rung again: then the record has both frames, one left out.
        kept = [frame for frame in record["take"]["frames"] if not frame["left_out"]]
        self.assertEqual((record["specimen"]["catalogue_number"], len(kept)), ("TH-1", 19))
        self.assertIn("TH-1", self.saved("Ledger of all stacks").read_text())

        page.get_by_role("link", name="Amber Ladder, to the cabinet").click()
        page.get_by_label("Find a specimen").fill("capsule")
        row = page.get_by_role("row", name="TH-1 ")
        expect(row.get_by_role("img", name="done: plan, shoot, sort, merge, record")).to_be_visible()
        self.assert_accessible()
        page.get_by_label("Find a specimen").fill("granite")
        expect(page.get_by_text("Nothing matches")).to_be_visible()

    def test_2_with_the_keyboard(self) -> None:
        page = self.page
        self.make_rig("By keyboard")
        self.plan("TH-2", "fern", "By keyboard", "200")
        press = page.keyboard.press
        press("?")
        expect(page.get_by_role("dialog", name="Keys")).to_be_visible()
        press("Escape")
        expect(page.get_by_role("button", name="Shoot this ladder")).to_be_enabled()
        press("s")
        sheet = page.get_by_role("dialog", name="Before the run")
        expect(sheet.get_by_role("checkbox").first).to_be_visible()
        for box in sheet.get_by_role("checkbox").all():
            box.focus()
            press("Space")
        page.get_by_role("button", name="Start the run").focus()
        press("Enter")
        expect(page.get_by_role("link", name="Merge this take")).to_be_visible()
        press("4")
        page.wait_for_url("**/merge")
        page.get_by_role("checkbox", name="Auto").focus()
        press("Space")
        page.get_by_role("checkbox", name="Depth pick").focus()
        press("Space")
        page.get_by_role("button", name="Merge take 1").focus()
        press("Enter")
        expect(page.get_by_role("button", name="Depth pick, run 1")).to_be_visible()
        slider = page.get_by_role("slider", name="Divider")
        slider.focus()
        press("ArrowRight")
        expect(slider).to_have_attribute("aria-valuenow", "52")
        page.get_by_role("button", name="Rung 1,").focus()
        press("ArrowDown")
        press("ArrowDown")
        expect(page.get_by_text(re.compile("Frame rung_0003")).first).to_be_visible()
        press("7")
        page.wait_for_url("**/record")
        press("d")
        expect(page.locator("html")).to_have_attribute("data-room", "dim")
        self.assert_accessible()
        press("c")
        expect(page.get_by_role("link", name="TH-2 fern")).to_be_visible()

    def test_3_bad_entries_are_said_at_the_field(self) -> None:
        self.allowed = ["/api/rigs/preview", "/api/plan/preview", "/api/specimens"]
        page = self.page
        page.goto("/rigs")
        page.get_by_role("button", name="Make a rig").click()
        aperture = page.get_by_label("Numerical aperture engraved on it")
        aperture.fill("0")
        expect(page.get_by_text("must be more than 0").first).to_be_visible()
        aperture.fill("wide")
        expect(page.get_by_text("This is not a number of").first).to_be_visible()
        expect(page.get_by_role("button", name="Put it on the shelf")).to_be_disabled()
        self.make_rig("Bad entries")
        self.plan("TH-3", "graupel", "Bad entries", "200")
        page.get_by_role("link", name="Plan", exact=True).click()
        page.get_by_label("Farthest point").fill("-5")
        expect(page.get_by_text("the far point must lie beyond the near point").first).to_be_visible()
        expect(page.get_by_role("button", name="Save this ladder")).to_be_disabled()
        page.goto("/")
        page.get_by_role("button", name="Add a specimen").click()
        page.get_by_label("Catalogue number").fill("TH-3")
        page.get_by_role("button", name="Add and plan its ladder").click()
        expect(page.get_by_text("must not be empty").first).to_be_visible()
        page.get_by_label("Name", exact=True).fill("twice")
        page.get_by_label("Kind", exact=True).fill("snow")
        page.get_by_role("button", name="Add and plan its ladder").click()
        expect(page.get_by_text("catalogue number TH-3 is taken")).to_be_visible()

    def test_4_own_frames_dropped_and_chosen_in_the_hundreds(self) -> None:
        from base64 import b64encode

        self.allowed = ["broken.jpg"]
        page = self.page
        self.make_rig("Own frames")
        self.plan("TH-4", "own", "Own frames", "200")
        page.get_by_role("button", name="By hand").click()
        scene = picture(192, 128, seed=5)
        files = [[f"a_{i}.jpg", b64encode(scene).decode()] for i in range(3)]
        files.append(["broken.jpg", b64encode(scene[:900]).decode()])
        page.evaluate(DROP, ["fieldset[aria-label='Drop frames here']", files])
        expect(page.get_by_text("3 frames stored.")).to_be_visible()
        expect(page.get_by_text("1 file not taken.")).to_be_visible()
        expect(page.get_by_text("is damaged or cut short").first).to_be_visible()
        many = [
            {
                "name": f"b_{i}.jpg",
                "mimeType": "image/jpeg",
                "buffer": picture(192, 128, seed=5) + bytes([i % 256, i // 256]),
            }
            for i in range(300)
        ]
        page.get_by_label("Frames to add").set_input_files(many)  # type: ignore[arg-type]
        expect(page.get_by_text("303 frames stored.")).to_be_visible()
        page.get_by_role("button", name="Use these 303 frames").click()
        expect(page.get_by_role("link", name="Merge this take")).to_be_visible()

    def test_5_stopping_a_run_keeps_what_was_shot(self) -> None:
        page = self.page
        self.make_rig("Stops")
        self.plan("TH-5", "stopped", "Stops", "2000")
        self.shoot_ladder()
        expect(page.get_by_role("button", name="Rung 3,")).to_be_attached()
        page.get_by_role("button", name="Stop after this rung").click()
        expect(page.get_by_text("stopped early")).to_be_visible()
        expect(page.get_by_role("button", name="Shoot another take")).to_be_visible()


if __name__ == "__main__":
    unittest.main()
