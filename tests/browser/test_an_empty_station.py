"""What a person meets first, before there is anything. Runs before the others by its name, for they fill the cabinet."""

import unittest

from playwright.sync_api import expect

from tests.support.browser import PageTest


class EmptyStation(PageTest):
    def test_empty_places_say_what_to_do(self) -> None:
        page = self.page
        page.goto("/")
        expect(page.get_by_text("The cabinet is empty")).to_be_visible()
        self.assert_accessible()
        page.goto("/rigs")
        expect(page.get_by_text("No rig yet.")).to_be_visible()
        expect(page.get_by_role("button", name="Put it on the shelf")).to_be_visible()
        page.get_by_role("button", name="Parts shelf").click()
        expect(page.get_by_text("The shelf is empty.")).to_be_visible()
        self.assert_accessible()


if __name__ == "__main__":
    unittest.main()
