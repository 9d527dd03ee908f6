"""Discarding, restoring and undoing on the pages; and a station that several people share."""

import os
import re
import subprocess
import sys
import unittest

from playwright.sync_api import Page, Route, expect

from amber_ladder.launch.postgres import free_port, wait_for_port
from amber_ladder.launch.serve import SOURCE
from amber_ladder.work import cabinet, people, plan, rigs
from amber_ladder.work.stack.views import StackView
from tests.support.browser import PageTest
from tests.support.examples import RIG, SPECIMEN
from tests.support.station import running
from tests.support.takes import a_merge, new_stack, shot_stack, take_of


class TakenBack(PageTest):
    def stack(self, number: str) -> StackView:
        running()
        stack = new_stack(number, far_um=700)
        a_merge(take_of(stack, shot_stack().takes[0].frames))
        return plan.read_stack(stack.id)

    def undo(self, words: str) -> None:
        page = self.page
        # What was open gives the focus back when it closes: a hand is slower than that, a test is not.
        expect(page.get_by_role("dialog")).to_have_count(0)
        expect(page.locator("body[style*='pointer-events']")).to_have_count(0)
        page.keyboard.press("u")
        undo = page.get_by_role("dialog", name="Undo")
        expect(undo.get_by_text(words)).to_be_visible()
        expect(undo.get_by_role("button", name="Undo this")).to_be_focused()
        page.keyboard.press("Enter")
        expect(undo.get_by_text("Undone.")).to_be_visible()
        page.keyboard.press("Escape")

    def test_a_stack_is_discarded_from_its_label_and_brought_back(self) -> None:
        self.allowed = ["/api/stacks/"]  # the page of a stack that is gone, while it is being left
        stack, page = self.stack("BACK-1"), self.page
        page.goto(f"/stacks/{stack.id}/plan")
        page.get_by_role("button", name="all stacks and takes").click()
        page.get_by_role("button", name="Discard: stack 1 of BACK-1").click()
        sheet = page.get_by_role("dialog", name="Discard stack 1 of BACK-1?")
        expect(sheet.get_by_role("button", name="Discard it")).to_be_disabled()
        expect(sheet.get_by_text("Its takes and merges go with it.")).to_be_visible()
        self.assert_accessible()
        sheet.get_by_label("Why").fill("a trial")
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", name="Cabinet")).to_be_attached()
        page.get_by_role("searchbox").fill("BACK-1")
        expect(page.get_by_role("button", name="BACK-1 moss capsule: no stack")).to_be_visible()
        page.get_by_role("button", name="Undo").click()
        page.get_by_role("link", name="All that was discarded").click()
        row = page.get_by_role("row").filter(has_text="stack 1 of BACK-1")
        expect(row).to_contain_text("a trial")
        self.assert_accessible()
        row.get_by_role("button", name="Restore").click()
        expect(row).to_have_count(0)
        page.goto(f"/stacks/{stack.id}/merge")
        expect(page.get_by_role("button", name="Depth pick, run 1").first).to_be_visible()
        page.get_by_role("button", name="Discard this merge").click()
        page.get_by_label("Why").fill("soft")
        page.get_by_role("button", name="Discard it").click()
        expect(page.get_by_role("heading", name="Merge", exact=False).first).to_be_visible()
        self.undo("merge 1 (select) of take 1 of stack 1 of BACK-1 discarded: soft")
        expect(page.get_by_role("button", name="Depth pick, run 1").first).to_be_visible()

    def test_a_label_is_corrected_where_it_is_read_and_undone_with_a_key(self) -> None:
        page = self.page
        specimen = cabinet.add_specimen(cabinet.SpecimenEntry(**{**SPECIMEN, "catalogue_number": "BACK-2"}))
        page.goto("/")
        page.get_by_role("searchbox").fill("BACK-2")
        page.get_by_role("button", name="BACK-2 moss capsule: no stack").click()
        page.get_by_role("button", name="Correct the label").click()
        page.get_by_label("Name").fill("moss lid")
        page.get_by_role("button", name="Save the label").click()
        expect(page.get_by_role("link", name="BACK-2 moss lid")).to_be_visible()
        page.keyboard.press("Escape")
        self.undo("label of BACK-2 corrected")
        expect(page.get_by_role("link", name="BACK-2 moss capsule")).to_be_visible()
        self.assertEqual(cabinet.read_specimen(specimen.id).name, "moss capsule")

    def test_opened_while_the_list_is_looked_up_it_takes_the_focus_once_it_is_there(self) -> None:
        page, asked = self.page, list[Route]()

        def hold(route: Route) -> None:
            if opened:
                route.continue_()
            else:
                asked.append(route)

        opened = False
        cabinet.add_specimen(cabinet.SpecimenEntry(**{**SPECIMEN, "catalogue_number": "BACK-6"}))
        page.goto("/")
        page.get_by_role("searchbox").fill("BACK-6")
        page.get_by_role("button", name="BACK-6 moss capsule: no stack").click()
        page.get_by_role("button", name="Correct the label").click()
        page.get_by_label("Name").fill("moss lid")
        page.route("**/api/deeds", hold)
        page.get_by_role("button", name="Save the label").click()
        expect(page.get_by_role("link", name="BACK-6 moss lid")).to_be_visible()
        page.keyboard.press("Escape")
        expect(page.get_by_role("dialog")).to_have_count(0)
        expect(page.locator("body[style*='pointer-events']")).to_have_count(0)
        page.keyboard.press("u")
        undo = page.get_by_role("dialog", name="Undo")
        expect(undo).to_be_visible()
        opened = True
        for request in asked:
            request.continue_()
        expect(undo.get_by_text("label of BACK-6 corrected")).to_be_visible()
        expect(undo.get_by_role("button", name="Undo this")).to_be_focused()

    def test_what_was_not_saved_is_offered_again(self) -> None:
        running()
        stack = new_stack("BACK-4")
        with self.subTest("a label, put away by Esc and by a click outside"):
            self.a_label()
        with self.subTest("a plan, over a reload and another page"):
            self.a_plan(stack.id)
        with self.subTest("a rig, over a reload"):
            self.a_rig()

    def a_label(self) -> None:
        page = self.page
        page.goto("/")
        page.get_by_role("button", name="Add a specimen").click()
        page.get_by_label("Catalogue number").fill("BACK-3")
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Add a specimen").click()
        expect(page.get_by_label("Catalogue number")).to_have_value("")
        self.assert_accessible()
        page.get_by_role("button", name="Go on with it").click()
        expect(page.get_by_label("Catalogue number")).to_have_value("BACK-3")
        page.mouse.click(40, 400)
        expect(page.get_by_role("dialog")).to_have_count(0)
        page.get_by_role("button", name="Add a specimen").click()
        page.get_by_role("button", name="Forget it").click()
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Add a specimen").click()
        expect(page.get_by_label("Catalogue number")).to_be_visible()
        expect(page.get_by_role("button", name="Go on with it")).to_have_count(0)

    def a_plan(self, stack_id: int) -> None:
        page = self.page
        page.goto(f"/stacks/{stack_id}/plan")
        farthest = page.get_by_label("Farthest point")
        farthest.fill("650")
        page.reload()
        expect(farthest).to_have_value("200")
        page.get_by_role("link", name="Rigs").click()
        page.goto(f"/stacks/{stack_id}/plan")
        page.get_by_role("button", name="Go on with it").click()
        expect(farthest).to_have_value("650")
        page.get_by_role("button", name=re.compile("Save")).first.click()
        expect(page.get_by_role("img", name=re.compile("Live view|Test frame")).first).to_be_attached()
        self.assertEqual(plan.read_stack(stack_id).plan.far_um, 650)
        page.goto(f"/stacks/{stack_id}/plan")
        expect(farthest).to_have_value("650")
        expect(page.get_by_role("button", name="Go on with it")).to_have_count(0)

    def a_rig(self) -> None:
        page = self.page
        page.goto("/rigs")
        page.get_by_role("button", name="rig of BACK-4").first.click()
        page.get_by_label("Working distance").fill("21")
        page.reload()
        page.get_by_role("button", name="rig of BACK-4").first.click()
        page.get_by_role("button", name="Go on with it").click()
        expect(page.get_by_label("Working distance")).to_have_value("21")
        page.get_by_role("button", name="Save the rig").click()
        expect(page.get_by_text("Saved.")).to_be_visible()
        page.reload()
        page.get_by_role("button", name="rig of BACK-4").first.click()
        expect(page.get_by_label("Working distance")).to_have_value("21")
        expect(page.get_by_role("button", name="Go on with it")).to_have_count(0)

    def test_rigs_are_discarded_but_not_from_the_bench(self) -> None:
        self.allowed = ["/api/discards"]
        page = self.page
        rig = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": "A rig to discard"}))
        rigs.put_on_bench(rig.id, rigs.BenchEntry(flash_power=0.1))
        page.goto("/rigs")
        page.get_by_role("button", name="A rig to discard").first.click()
        page.get_by_role("button", name="Discard this rig").click()
        page.get_by_label("Why").fill("a trial")
        page.get_by_role("button", name="Discard it").click()
        expect(page.get_by_text("stands on the bench: put another rig there first")).to_be_visible()
        self.assert_accessible()


class Shared(PageTest):
    """A station that several people share: the same data behind a server that lets nobody in unknown."""

    def setUp(self) -> None:
        super().setUp()
        port = free_port(0)
        command = [sys.executable, "-m", "uvicorn", "--factory", "amber_ladder.api.app:served", "--port", str(port),
                   "--log-level", "warning", "--timeout-graceful-shutdown", "1"]  # fmt: skip
        environment = {**os.environ, "AMBER_LADDER_SIGN_IN": "true", "PYTHONPATH": str(SOURCE / "src")}
        server = subprocess.Popen(command, env=environment)
        self.addCleanup(server.wait)
        self.addCleanup(server.terminate)
        self.assertTrue(wait_for_port(port, seconds=60))
        self.address = f"http://127.0.0.1:{port}/"
        for name in ("Ada", "Ben"):
            if name not in people.names():
                entry = {"name": name, "password": "a capped column at dusk"}
                people.add_account(people.NewAccount.model_validate(entry))

    def sign_in(self, page: Page, name: str, password: str = "a capped column at dusk") -> None:
        page.get_by_label("Name").fill(name)
        page.get_by_label("Password").fill(password)
        page.keyboard.press("Enter")

    def test_in_out_and_one_bench_for_two(self) -> None:
        self.allowed = ["/api/"]  # what is refused before signing in, and while the other has the bench
        stack, page = new_stack("SHARED-1", far_um=700), self.page
        page.goto(f"{self.address}stacks/{stack.id}/shoot")
        expect(page.get_by_role("button", name="Sign in")).to_be_visible()
        self.assert_accessible()
        self.sign_in(page, "Ada", "not this one")
        expect(page.get_by_text("do not belong together")).to_be_visible()
        self.sign_in(page, "Ada")
        expect(page.get_by_role("button", name="Ada")).to_be_visible()
        page.get_by_role("button", name="Back off to the rail's end").click()
        other = page.context.browser.new_context().new_page()  # type: ignore[union-attr]
        self.addCleanup(other.context.close)
        other.goto(f"{self.address}stacks/{stack.id}/shoot")
        self.sign_in(other, "Ben")
        expect(other.get_by_text("Ada has the bench since")).to_be_visible()
        expect(other.get_by_role("button", name="Shoot this ladder")).to_be_disabled()
        other.get_by_role("button", name="Ask for it").click()
        expect(page.get_by_text("Ben would like to have the bench.")).to_be_visible()
        self.assert_accessible()
        other.get_by_label("A word, to take it over").fill("the snow melts")
        other.get_by_role("button", name="Take it over").click()
        expect(other.get_by_text("Ben took over from Ada: the snow melts")).to_be_visible()
        expect(page.get_by_text("Ben has the bench since")).to_be_visible()
        page.get_by_role("button", name="Ada").click()
        page.get_by_role("button", name="Sign out everywhere").click()
        expect(page.get_by_role("button", name="Sign in")).to_be_visible()
        self.assertEqual(page.request.get(f"{self.address}api/specimens").status, 401)


if __name__ == "__main__":
    unittest.main()
