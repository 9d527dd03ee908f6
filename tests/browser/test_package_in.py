"""A package of another station: told, refused where it is damaged or here already, brought in, undone."""

import os
import re
import shutil
import signal
import tempfile
from pathlib import Path

from playwright.sync_api import expect

from tests.support.browser import PageTest
from tests.support.packages import changed, packed
from tests.support.station import running
from tests.support.takes import a_merge, shot_stack


class PackageIn(PageTest):
    def test_told_then_brought_in_under_another_number_and_undone(self) -> None:
        running()
        stack = shot_stack("PIN-1")
        folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, folder)
        own = Path(shutil.copy(packed(a_merge(stack.takes[0].id).id), folder / "own.zip"))
        other = changed(own, lambda _: None)
        broken = bytearray(own.read_bytes())
        broken[len(broken) // 3] ^= 1
        page = self.page
        page.goto("/")
        page.get_by_role("button", name="Bring in a package").click()
        sheet = page.get_by_role("dialog", name="Bring in a package")
        choose = sheet.get_by_label("A package", exact=True)
        choose.set_input_files({"name": "broken.zip", "mimeType": "application/zip", "buffer": bytes(broken)})
        expect(sheet.get_by_role("alert")).to_contain_text("This package does not hold")
        # Loaded anew, it is still there.
        page.reload()
        page.get_by_role("button", name="Bring in a package").click()
        expect(sheet.get_by_role("alert")).to_contain_text("This package does not hold")
        expect(sheet.get_by_role("button", name="Bring it in")).to_be_disabled()
        choose.set_input_files(own)
        expect(sheet.get_by_text("This stack is here already.")).to_be_visible()
        expect(sheet.get_by_role("button", name="Bring it in")).to_be_disabled()
        choose.set_input_files(other)
        taken = sheet.get_by_role("region", name="The number is taken")
        expect(taken).to_contain_text("Its label says the same.")
        taken.get_by_role("radio", name="It is another: new number").click()
        expect(sheet.get_by_role("button", name="Bring it in")).to_be_disabled()
        taken.get_by_label("Its number here").fill("PIN-2")
        self.assert_accessible()
        sheet.get_by_role("button", name="Bring it in").click()
        expect(sheet.get_by_text("Brought in.")).to_be_visible()
        sheet.get_by_role("link", name="To the stack").click()
        expect(page).to_have_url(re.compile(r"/stacks/\d+/record"))
        expect(page.get_by_text("PIN-2: stack 1 brought in from a package").first).to_be_visible()
        page.keyboard.press("u")
        page.get_by_role("button", name="Undo this").click()
        self.allowed = ["/api/stacks/", "/api/merges/"]  # the page of a stack that is gone, while it is being left
        page.keyboard.press("Escape")
        page.goto("/ledger?words=PIN-2")
        expect(page.get_by_text("No stack is like that.")).to_be_visible()

    def test_stopped_while_it_is_gone_through_and_then_gone_through_again(self) -> None:
        worker = running().pid("worker")
        own = packed(a_merge(shot_stack("PIN-3").takes[0].id).id)
        page = self.page
        page.goto("/")
        page.get_by_role("button", name="Bring in a package").click()
        sheet = page.get_by_role("dialog", name="Bring in a package")
        os.kill(worker, signal.SIGSTOP)
        self.addCleanup(os.kill, worker, signal.SIGCONT)
        sheet.get_by_label("A package", exact=True).set_input_files(own)
        bar = sheet.get_by_role("progressbar", name="It waits for the worker")
        expect(bar).to_be_visible()
        self.assert_accessible()
        sheet.get_by_role("button", name="Stop").click()
        expect(sheet.get_by_text("Stopped: nothing was brought in.")).to_be_visible()
        expect(bar).to_have_count(0)
        os.kill(worker, signal.SIGCONT)
        sheet.get_by_label("A package", exact=True).set_input_files(own)
        expect(sheet.get_by_text("This stack is here already.")).to_be_visible()

    def test_what_is_no_package_is_said(self) -> None:
        page = self.page
        page.goto("/")
        page.get_by_role("button", name="Bring in a package").click()
        self.allowed = ["/api/packages/received"]
        page.get_by_label("A package", exact=True).set_input_files(
            {"name": "moss.zip", "mimeType": "application/zip", "buffer": b"moss"}
        )
        expect(page.get_by_role("alert")).to_contain_text("this file cannot be read as a zip")
