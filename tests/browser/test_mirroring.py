"""Light that reflects, in the browser: a face followed while a lamp is turned, diffusers, heads, and a meter."""

import re

from playwright.sync_api import expect

from tests.support.bench import bench_stack
from tests.support.browser import PageTest


class Mirroring(PageTest):
    def setUp(self) -> None:
        super().setUp()
        usual = {"lit_by": "heads", "diffused": True, "lamp_deg": 0, "scene": "", "camera": "simulated"}
        self.addCleanup(lambda: self.page.request.patch("/api/bench", data=usual))

    def open(self, number: str, scene: str) -> None:
        stack = bench_stack(number)
        self.page.goto(f"/stacks/{stack.id}/shoot")
        expect(self.page.get_by_role("region", name="Light that reflects")).to_be_visible()
        self.assertTrue(self.page.request.patch("/api/bench", data={"scene": scene}).ok)

    def test_a_face_is_followed_while_the_lamp_is_turned(self) -> None:
        page = self.page
        self.open("MI-1", "wulfenite")
        light = page.get_by_role("region", name="Light that reflects")
        light.get_by_role("combobox", name="Lit by").click()
        page.get_by_role("option", name="a lamp on an arm").click()
        lamp = light.get_by_role("slider", name="Lamp at")
        lamp.fill("-60")
        expect(lamp).to_have_attribute("aria-valuetext", "-60°")
        page.keyboard.press("l")
        page.keyboard.press("h")  # neither key belongs to the slider that has the focus
        reading = page.get_by_role("status", name="Light of the marked place")
        expect(reading).to_contain_text(re.compile(r"−\d\.\d stops"))
        kept = light.get_by_text("There the lamp was at").locator("xpath=following-sibling::*")
        expect(kept).to_have_text("-60°")
        lamp.fill("30")
        expect(kept).to_have_text("30°")  # only then is it left again: a best is kept after a few calm moments
        expect(light.get_by_alt_text("Live view at the brightest")).to_be_visible()
        light.get_by_label("A tone that rises").check()
        self.assert_accessible()
        lamp.fill("-60")
        expect(reading).to_contain_text("below the brightest so far")
        light.get_by_label("Where things stood then").fill("arm at the third mark")
        light.get_by_role("button", name="Note it").click()
        expect(light.get_by_role("button", name="Noted")).to_be_visible()
        page.reload()
        # What was found stays, whoever looks.
        expect(light.get_by_label("Where things stood then")).to_have_value("arm at the third mark")
        light.get_by_role("button", name="Follow it no more").click()
        expect(reading).to_be_hidden()

    def test_a_diffuser_is_compared_heads_are_evened_and_a_meter_is_read(self) -> None:
        page = self.page
        self.open("MI-2", "capped-column")
        light = page.get_by_role("region", name="Light", exact=True)
        light.get_by_text("Diffuser, before and after").click()
        diffuser = light.get_by_label("Simulated diffuser is on")
        diffuser.click()
        expect(diffuser).not_to_be_checked()
        page.keyboard.press("t")
        keep = light.get_by_role("button", name="Keep the last test frame as before")
        expect(keep).to_be_enabled()
        keep.click()
        expect(light).to_contain_text("Now change the diffuser")
        diffuser.click()
        expect(diffuser).to_be_checked()
        expect(light.get_by_text("Black level")).to_be_hidden()  # of another light
        page.keyboard.press("t")
        expect(light.get_by_role("row", name=re.compile("Glare"))).to_be_visible()
        page.get_by_role("group", name="What is shown").get_by_role("button", name="Test frame").click()
        expect(page.get_by_alt_text("Test frame before")).to_be_visible()
        expect(page.get_by_alt_text("Test frame", exact=True)).to_be_visible()
        light.get_by_text("Balance of the flash heads").click()
        light.get_by_role("button", name="Fire each alone").click()
        expect(light.get_by_text(re.compile("even on this specimen|brighter on this specimen"))).to_be_visible()
        light.get_by_text("A meter's reading").click()
        light.get_by_label("It read, beside the specimen").fill("8")
        light.get_by_role("button", name="Reckon").click()
        expect(light.get_by_text(re.compile(r"effective this rig needs \d"))).to_be_visible()
        self.assert_accessible()
