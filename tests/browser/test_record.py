"""Record: history by whom, rights, what a collection asks, and a package that is fetched and gone through."""

import json
import re
import zipfile
from pathlib import Path

from PIL import Image
from playwright.sync_api import expect

from amber_ladder.core.frames import no_progress
from amber_ladder.work.on_disk.verifying import verify
from amber_ladder.work.stack.naming import FileNames, read_names, set_names
from tests.support.browser import PageTest
from tests.support.takes import a_merge, new_stack, shot_stack, take_of


class Record(PageTest):
    def test_packed_fetched_and_gone_through(self) -> None:
        page = self.page
        stack = new_stack("REC-1", far_um=700)
        a_merge(take_of(stack, shot_stack("REC-0").takes[0].frames))
        page.goto(f"/stacks/{stack.id}/record")
        packages = page.get_by_role("region", name="Packages")
        packages.get_by_role("button", name="Pack the stack").click()
        saving = packages.get_by_role("link", name=re.compile("Save package REC-1"))
        expect(saving).to_be_visible(timeout=60_000)
        expect(packages).to_contain_text("each read again and sound")
        self.assert_accessible()
        with page.expect_download() as download:
            saving.click()
        told = verify(Path(download.value.path()), no_progress, replay=True)
        self.assertEqual((told["ok"], told["faults"], told["replay"]["differs"]), (True, [], []))
        history = page.get_by_role("region", name="History")
        expect(history).to_contain_text("exported: packed as REC-1")
        expect(history).to_contain_text("none was altered")
        with page.expect_download():
            page.get_by_role("link", name="Save Record on paper").click()
        expect(history.get_by_role("listitem").last).to_contain_text(
            re.compile(r"exported: saved as REC-1.*_record\.pdf")
        )

    def test_initials_stand_in_the_history_and_what_is_corrected_keeps_both(self) -> None:
        page = self.page
        stack = new_stack("REC-2", far_um=700)
        a_merge(take_of(stack, shot_stack("REC-0").takes[0].frames))
        page.goto(f"/stacks/{stack.id}/record")
        page.get_by_role("button", name="Desk").click()
        page.get_by_label("Your initials").fill("A.F.")
        self.assert_accessible()
        page.keyboard.press("Escape")
        expect(page.get_by_role("button", name="Desk, A.F.")).to_be_visible()
        # Nobody has signed in: there is nothing to sign out of.
        expect(page.get_by_role("button", name="A.F.", exact=True)).to_have_count(0)
        page.get_by_role("button", name=re.compile("stack 1 of 1")).click()
        page.get_by_role("button", name="Correct the label").click()
        page.get_by_text("For a collection: collector").click()
        page.get_by_label("Collector").fill("B. Moor")
        page.get_by_label("Collected on").fill("May 2026")
        page.get_by_role("button", name="Save the label").click()
        expect(page.get_by_label("Collected on")).to_have_attribute("aria-invalid", "true")
        self.faults.clear()  # refused on purpose
        page.get_by_label("Collected on").fill("2026-05")
        page.get_by_label("Latitude").fill("54.5")
        page.get_by_label("Longitude").fill("-3.2")
        page.get_by_role("button", name="Save the label").click()
        expect(page.get_by_role("button", name="Save the label")).to_have_count(0)
        page.goto(f"/stacks/{stack.id}/record")
        expect(page.get_by_text("B. Moor, 2026-05")).to_be_visible()
        expect(page.get_by_text("54.5° N, 3.2° W")).to_be_visible()
        history = page.get_by_role("region", name="History")
        expect(history.get_by_role("listitem").last).to_contain_text("A.F.")
        expect(history.get_by_role("listitem").last).to_contain_text("corrected: label of REC-2 corrected")

    def test_rights_are_set_once_for_all(self) -> None:
        page = self.page
        stack = new_stack("REC-3", far_um=700)
        a_merge(take_of(stack, shot_stack("REC-0").takes[0].frames))
        page.goto(f"/stacks/{stack.id}/record")
        page.get_by_role("button", name="Set for the station").click()
        page.get_by_label("Rights holder").fill("Tarn Hollow")
        page.get_by_label("Licence").fill("CC BY 4.0")
        self.assert_accessible()
        page.get_by_role("button", name="Set the rights").click()
        expect(page.get_by_text("Tarn Hollow, CC BY 4.0")).to_be_visible()
        page.reload()
        expect(page.get_by_text("Tarn Hollow, CC BY 4.0")).to_be_visible()

    def test_names_and_web_address_are_set_with_an_example(self) -> None:
        page = self.page
        self.addCleanup(set_names, FileNames())
        stack = new_stack("REC-5", far_um=700)
        a_merge(take_of(stack, shot_stack("REC-0").takes[0].frames))
        page.goto(f"/stacks/{stack.id}/record")
        expect(page.get_by_text("Names begin with REC-5_stack1_take1_select1.")).to_be_visible()
        expect(page.get_by_text("Set the web address first")).to_be_visible()
        page.get_by_role("button", name="Names and web address").click()
        sheet = page.get_by_role("dialog")
        called = sheet.get_by_label("This merge would be called")
        expect(called).to_contain_text("REC-5_stack1_take1_select1.png")
        files = sheet.get_by_role("textbox", name="Files")
        files.fill("{name}_{number}_{run}")
        expect(called).to_contain_text("moss-capsule_REC-5_select1.png")
        expect(sheet).to_contain_text("of different takes would be called the same")
        self.assert_accessible()
        self.allowed = ["/called", "/api/file-names"]
        files.fill("{number}/{lens}")
        expect(sheet).to_contain_text("{lens} is no part: choose from {number}")
        page.keyboard.press("Enter")
        expect(sheet.get_by_role("button", name="Set the names")).to_be_enabled()
        expect(sheet).to_contain_text("{lens} is no part: choose from {number}")
        self.assertEqual(read_names(), FileNames())
        files.fill("{number}_{run}")
        sheet.get_by_role("textbox", name="Web address").fill("https://pictures.tarnhollow.example/")
        site = "https://pictures.tarnhollow.example/REC-5_stack1_take1_select1/manifest.json"
        expect(called).to_contain_text(site)
        # Set by the keyboard, while the last letter's example is still being asked for.
        page.keyboard.press("Enter")
        expect(sheet).to_be_hidden()
        expect(page.get_by_text("Names begin with REC-5_select1.")).to_be_visible()
        with page.expect_download() as download:
            page.get_by_role("link", name="Save For a web site").click()
        self.assertEqual(download.value.suggested_filename, "REC-5_stack1_take1_select1_web-site.zip")
        with zipfile.ZipFile(download.value.path()) as packed:
            manifest = json.loads(packed.read("REC-5_stack1_take1_select1/manifest.json"))
        self.assertEqual(manifest["id"], site)

    def test_a_scale_bar_is_chosen_seen_and_saved(self) -> None:
        page = self.page
        stack = new_stack("REC-4", far_um=700)
        a_merge(take_of(stack, shot_stack("REC-0").takes[0].frames))
        page.goto(f"/stacks/{stack.id}/record")
        bar = page.get_by_role("region", name="Scale bar")
        shown = page.get_by_alt_text(re.compile("with its scale bar"))
        saving = page.get_by_role("link", name="Save Picture with scale bar")
        expect(shown).to_have_js_property("complete", True)
        bar.get_by_role("combobox", name="Place").click()
        page.get_by_role("option", name="in the picture, bottom left").click()
        bar.get_by_role("combobox", name="Colour").click()
        page.get_by_role("option", name="white").click()
        bar.get_by_role("combobox", name="Letters for").click()
        page.get_by_role("option", name="print, another width").click()
        bar.get_by_label("Printed width").fill("120")
        bar.get_by_label("Length").fill("0.15 mm")
        asked = re.compile(r"bar_um=150&bar_at=bottom(\+|%20)left&bar_colour=white&printed_mm=120$")
        expect(shown).to_have_attribute("src", asked)
        expect(saving).to_have_attribute("href", asked)
        expect(shown).to_have_js_property("complete", True)
        self.assertGreater(int(shown.evaluate("one => one.naturalWidth")), 100)
        self.assert_accessible()
        with page.expect_download() as download:
            saving.click()
        with Image.open(download.value.path()) as saved:
            self.assertEqual(saved.width, shown.evaluate("one => one.naturalWidth"))
        # What does not fit is said before anything is asked for.
        bar.get_by_label("Length").fill("90 mm")
        expect(bar).to_contain_text("It does not fit: the picture is")
        expect(saving).to_have_count(0)
        expect(page.get_by_text("Put the scale bar right")).to_be_visible()
        bar.get_by_label("Length").fill("")
        expect(saving).to_be_visible()
        for field in ("Length", "Printed width"):
            before = bar.get_by_label(field).input_value()
            bar.get_by_label(field).fill("a hair")
            expect(bar).to_contain_text("This is not a number")
            expect(saving).to_have_count(0)
            bar.get_by_label(field).fill(before)
            expect(saving).to_be_visible()
