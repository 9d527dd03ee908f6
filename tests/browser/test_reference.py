"""The scale of a merge from something in its own picture, by mouse."""

import re

from playwright.sync_api import expect

from tests.browser.measure_page import MeasurePage


class FromThePicture(MeasurePage):
    def test_two_points_give_the_scale_and_it_is_taken_back(self) -> None:
        merge = self.opened("REFERENCE-PAGE")
        page = self.page
        self.pick((0.4, 0.5), (0.6, 0.5))
        expect(self.value()).to_have_text(re.compile("±"))
        page.get_by_role("radio", name="Scale", exact=True).click()
        scale = page.get_by_label("Scale", exact=True).last
        self.pick((0.3, 0.5))
        page.get_by_label("Their true distance").fill("250")
        expect(scale).to_have_text("–")
        self.pick((0.7, 0.5))
        expect(scale).to_have_text(re.compile(r"^[\d.]+ ± [\d.]+ µm a px$"))
        self.assert_accessible()
        page.get_by_role("button", name="Use this scale").click()
        expect(page.get_by_text("from this picture", exact=False).first).to_be_visible()
        expect(page.get_by_text("This merge has its scale from its own picture")).to_be_visible()
        now = self.now(merge)
        assert now.reference is not None
        self.assertEqual(now.reference["size_um"], 250.0)
        # What is measured rests on it at once; a coin where there is none is refused in words.
        page.get_by_role("radio", name="A coin or disk").check(force=True)
        self.pick((0.3, 0.3), (0.5, 0.35), (0.4, 0.6))
        page.get_by_label("Its diameter").fill("250")
        expect(page.get_by_text(re.compile("rim is found"))).to_be_visible()
        expect(page.get_by_role("button", name="Use this scale")).to_be_disabled()
        self.faults.clear()  # what was refused on purpose
        page.get_by_role("button", name="Take the stack's again").click()
        expect(page.get_by_text("scale nominal")).to_be_visible()
        self.assertIsNone(self.now(merge).reference)
