"""A list of specimens with three bad lines: matched, tried, brought in, undone."""

import re

from playwright.sync_api import expect

from tests.support.browser import PageTest

LIST = """catalogNumber,Vernacular,kind,decimalLatitude,eventDate
LW-1,sundew tentacle,plant,54.5,2026-05
LW-2,garnet,mineral,,2026-05-31
LW-3,,mineral,,
LW-4,gnat in resin,insect,95,
LW-5,graupel,snow,,May
"""


class Lists(PageTest):
    def test_brought_in_with_three_bad_lines_named_and_undone_at_once(self) -> None:
        page = self.page
        page.goto("/")
        page.get_by_role("button", name="Bring in a list").click()
        sheet = page.get_by_role("dialog", name="Bring in a list of specimens")
        sheet.get_by_label("A list of specimens", exact=True).set_input_files(
            {"name": "field.csv", "mimeType": "text/csv", "buffer": LIST.encode()}
        )
        # The name is not known by its head: it is matched by hand.
        expect(sheet.get_by_role("status")).to_contain_text("0 of 5 lines can be brought in")
        expect(sheet.get_by_label("decimalLatitude is")).to_have_value("latitude")
        sheet.get_by_label("Vernacular is").select_option("name")
        expect(sheet.get_by_role("status")).to_contain_text("2 of 5 lines can be brought in, 3 faults")
        faults = sheet.get_by_role("list", name="Faults").get_by_role("listitem")
        expect(faults).to_have_text([
            "Line 4, Vernacular: is missing", "Line 5, decimalLatitude: must be 90 or less",
            "Line 6, eventDate: must be a day as in 2026-11-28, 2026-11 or 2026",
        ])  # fmt: skip
        self.assert_accessible()
        sheet.get_by_role("button", name="Bring in 2 specimens").click()
        expect(sheet.get_by_text("2 specimens brought in.")).to_be_visible()
        sheet.get_by_role("button", name="To the cabinet").click()
        page.get_by_role("searchbox").fill("LW-")
        expect(page.get_by_role("link", name=re.compile("LW-"))).to_have_count(2)
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_role("dialog", name="Undo")).to_contain_text("2 specimens brought in from a list")
        page.get_by_role("button", name="Undo this").click()
        page.keyboard.press("Escape")
        expect(page.get_by_text("Nothing matches.")).to_be_visible()

    def test_what_is_no_list_is_said(self) -> None:
        page = self.page
        page.goto("/")
        page.get_by_role("button", name="Bring in a list").click()
        page.get_by_label("A list of specimens", exact=True).set_input_files(
            {"name": "moss.csv", "mimeType": "text/csv", "buffer": b"PK\x03\x04 no zip"}
        )
        expect(page.get_by_text("this archive cannot be read")).to_be_visible()
        self.faults.clear()  # refused on purpose
