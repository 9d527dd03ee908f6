"""Debian's Chromium on the running station; any console error or failed request fails the test."""

import atexit
import unittest
from functools import cache
from pathlib import Path
from typing import Any

from playwright.sync_api import Browser, Page, Route, expect, sync_playwright

from amber_ladder.launch.serve import SOURCE
from tests.support.station import PATIENCE_S, running

AXE = SOURCE / "web/node_modules/axe-core/axe.min.js"
_FLAGS = [
    "--headless",
    "--no-sandbox",
    "--disable-gpu",
    "--enable-unsafe-swiftshader",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]

DROP = """async ([selector, files]) => {
  const transfer = new DataTransfer();
  for (const [name, data] of files)
    transfer.items.add(new File([Uint8Array.from(atob(data), c => c.charCodeAt(0))], name));
  const target = document.querySelector(selector);
  for (const type of ['dragover', 'drop'])
    target.dispatchEvent(new DragEvent(type, { dataTransfer: transfer, bubbles: true, cancelable: true }));
}"""
"""Drops files (name and base64 each) on what a selector finds."""

expect.set_options(timeout=PATIENCE_S * 1000)


@cache
def chromium() -> Browser:
    """One browser for a test process."""
    driver = sync_playwright().start()
    browser = driver.chromium.launch(executable_path="/usr/bin/chromium", args=_FLAGS)
    atexit.register(driver.stop)
    atexit.register(browser.close)
    return browser


class HeldBack:
    """Answers to a page's requests like ``pattern``, which are held back while it ``waits``."""

    def __init__(self, page: Page, pattern: str) -> None:
        self.waits = False
        self._asked = list[Route]()
        page.route(pattern, lambda route: self._asked.append(route) if self.waits else route.continue_())

    def release(self) -> None:
        """Let all of them through, and those that follow."""
        self.waits = False
        for route in self._asked:
            route.continue_()


class PageTest(unittest.TestCase):
    """A fresh page at 1280×800 for each test. ``self.allowed`` lists refusals that the test provokes."""

    def setUp(self) -> None:
        self.station = running()
        self.allowed: list[str] = []
        self.faults: list[str] = []
        context = chromium().new_context(viewport={"width": 1280, "height": 800}, base_url=self.station.address)
        self.addCleanup(context.close)
        self.page: Page = context.new_page()
        self.page.set_default_timeout(PATIENCE_S * 1000)
        self.page.on("pageerror", lambda error: self.faults.append(f"page error: {error}"))
        self.page.on("console", self._console)
        self.page.on("response", self._response)
        self.page.on("requestfailed", self._failed)

    def tearDown(self) -> None:
        self.assertEqual(self.faults, [])

    def _console(self, message: Any) -> None:
        # Chromium repeats every refused request on the console; those are judged by their response.
        if message.type == "error" and "Failed to load resource" not in message.text:
            self.faults.append(f"console: {message.text}")

    def _response(self, response: Any) -> None:
        if response.status >= 400 and not any(part in response.url for part in self.allowed):
            self.faults.append(f"{response.status} {response.request.method} {response.url}")

    def _failed(self, request: Any) -> None:
        # A page that is left gives up what it was still loading; downloads are handed to the browser.
        if "ERR_ABORTED" not in str(request.failure):
            self.faults.append(f"failed: {request.url} {request.failure}")

    def assert_accessible(self) -> None:
        """No violation that axe-core finds on the present page."""
        self.page.evaluate(Path(AXE).read_text())
        found = self.page.evaluate("axe.run().then(r => r.violations.map(v => v.id + ': ' + v.nodes[0].html))")
        self.assertEqual(found, [], self.page.url)

    def shoot_ladder(self) -> None:
        """From the button through the list before the run, all confirmed, to the running ladder."""
        self.page.get_by_role("button", name="Shoot this ladder").click()
        self.confirm()
        self.page.get_by_role("button", name="Start the run").click()

    def confirm(self) -> None:
        """Tick all that the list before a run asks, one by one."""
        sheet = self.page.get_by_role("dialog", name="Before the run")
        expect(sheet.get_by_role("listitem").first).to_be_visible()
        for box in sheet.get_by_role("checkbox").all():
            box.check()

    def saved(self, name: str) -> Path:
        """Click a Save link and return the file."""
        with self.page.expect_download() as download:
            self.page.get_by_role("link", name=f"Save {name}").click()
        return Path(download.value.path())
