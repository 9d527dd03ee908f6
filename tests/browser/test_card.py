"""A dump of 300 files is brought in, taken apart, put right by keyboard and pointer, and accepted."""

import base64
import re
import tempfile
from pathlib import Path

from playwright.sync_api import Locator, expect

from amber_ladder.work import card as work
from amber_ladder.work import plan
from tests.support.browser import DROP, PageTest
from tests.support.cards import three_takes, write_card
from tests.support.examples import picture
from tests.support.station import until
from tests.support.takes import new_stack

FOLDERS = ("100TH", "101TH", "102TH")


def dump(folder: Path) -> None:
    """Three copies of a card in folders of their own, and three files that are no pictures: 300."""
    for name in FOLDERS:
        write_card(three_takes().card, folder / "DUMP" / name)
    (folder / "DUMP" / "notes.jpg").write_text("a text")
    (folder / "DUMP" / "empty.jpg").write_bytes(b"")
    (folder / "DUMP" / "index.txt").write_text("not even by its name")


class Dump(PageTest):
    def setUp(self) -> None:
        super().setUp()
        scratch = tempfile.TemporaryDirectory(dir="/tmp")
        self.addCleanup(scratch.cleanup)
        self.folder = Path(scratch.name)
        dump(self.folder)

    def stacks(self) -> Locator:
        return self.page.get_by_role("list", name="Stacks of this card").get_by_role("listitem")

    def cell(self, name: str) -> Locator:
        return self.page.get_by_role("gridcell", name=name)

    def test_from_the_dump_to_takes(self) -> None:
        page = self.page
        page.goto("/card")
        self.assert_accessible()
        page.get_by_label("A card or folder").set_input_files(self.folder / "DUMP")
        expect(page.get_by_role("progressbar", name=re.compile("Bringing in"))).to_be_visible()
        expect(page.get_by_role("heading", name="297 files of DUMP become 9 stacks")).to_be_visible()
        expect(page.get_by_text("known already, not stored twice")).to_be_visible()
        refused = page.get_by_role("alert").filter(has_text="2 files not taken")
        expect(refused).to_contain_text("notes.jpg is no JPEG")
        expect(refused).to_contain_text("empty.jpg is empty")
        expect(page.get_by_text("1 file is no pictures by name")).to_be_visible()
        self.assert_accessible()

        # Loaded anew, it is all there; the same folder brought once more is not sent again.
        page.reload()
        before = self.looked()
        page.get_by_role("button", name="Bring in more").click()
        page.get_by_label("A card or folder").set_input_files(self.folder / "DUMP")
        expect(page.get_by_text("297 files were in already.")).to_be_visible()
        # All of it is looked at once more, and the page moves up when that is over.
        until(lambda: self.looked() not in (before, None), "the second look")
        expect(page.get_by_role("progressbar")).to_have_count(0)
        expect(page.get_by_role("heading", name="297 files of DUMP become 9 stacks")).to_be_visible()

        self.put_right()
        self.accept()

    def looked(self) -> int | None:
        """The task that has looked at the card of this page last, None while it is being looked at."""
        task = work.read(int(self.page.url.rsplit("/", 1)[1])).task
        return task.id if task and task.state == "done" else None

    def put_right(self) -> None:
        page = self.page
        number = int(page.url.rsplit("/", 1)[1])
        view = work.read(number)
        names = {file.id: file.name for file in view.files}
        first, second = view.stacks[0], view.stacks[1]

        # The first doubt is the frame at which all of it leapt: left out, nothing is in doubt any more.
        expect(self.stacks().first).to_contain_text("all of it has leapt")
        expect(page.get_by_text(names[first.doubts[0].file], exact=True)).to_be_visible()
        page.keyboard.press("l")
        loupe = page.get_by_role("region", name="Loupe")
        expect(loupe).to_contain_text(names[first.doubts[0].file])
        page.keyboard.down(" ")
        expect(loupe).to_contain_text("the file before")
        page.keyboard.up(" ")
        page.keyboard.press("l")
        expect(loupe).to_have_count(0)
        page.keyboard.press("x")
        expect(self.stacks().first).to_contain_text("nothing in doubt")
        page.keyboard.press("x")
        expect(self.stacks().first).to_contain_text("all of it has leapt")
        page.keyboard.press("x")
        expect(self.stacks().first).to_contain_text("nothing in doubt")

        # A border set by hand, undone; and one that was found drawn to another file.
        page.keyboard.press("ArrowRight")
        # Keys pressed at once, without waiting for each, are all obeyed.
        page.keyboard.press("t")
        page.keyboard.press("x")
        expect(page.get_by_role("heading", name="become 10 stacks")).to_be_visible()
        expect(page.get_by_text("left out by hand")).to_be_visible()
        page.keyboard.press("u")
        page.get_by_role("button", name=re.compile("Undo the last 2")).click()
        expect(page.get_by_text("2 undone.")).to_be_visible()
        expect(page.get_by_role("heading", name="become 9 stacks")).to_be_visible()
        page.keyboard.press("Escape")
        self.stacks().nth(1).get_by_role("button").click()
        reason = next(one.reason for one in view.borders if one.before == second.first)
        self.draw(reason, names[second.files[2]])
        expect(page.get_by_text("a stack begins here: set by hand")).to_be_visible()
        self.assertEqual(work.read(number).stacks[1].first, second.files[2])
        # Frames of two takes in one stack are in doubt: the border goes back to where it was.
        page.keyboard.press("u")
        page.get_by_role("button", name="Undo this").click()
        expect(page.get_by_text("Undone.", exact=True)).to_be_visible()
        page.keyboard.press("Escape")
        expect(self.stacks().first).to_contain_text("nothing in doubt")

    def draw(self, reason: str, to: str) -> None:
        """Draw the first border that was found for this reason to another file."""
        mouse, target = self.page.mouse, self.cell(to)
        # The tape moves to the stack that was just chosen: `hover` waits for both to rest.
        target.hover()
        self.page.get_by_title(f"{reason}. Draw it to move it.").first.hover()
        mouse.down()
        # Once it is drawn, it lies over the file under it.
        target.hover(force=True, position={"x": 12, "y": 12})
        mouse.up()
        target.click()

    def accept(self) -> None:
        page = self.page
        number = int(page.url.rsplit("/", 1)[1])
        stack = new_stack("DUMP-1", far_um=700)
        self.stacks().first.get_by_role("button").click()
        expect(page.get_by_role("button", name="Accept this stack")).to_be_disabled()
        page.get_by_role("button", name=re.compile("Goes to choose a ladder")).click()
        chooser = page.get_by_role("dialog", name="Which ladder it is a take of")
        chooser.get_by_role("searchbox").fill("DUMP-1")
        self.assert_accessible()
        chooser.get_by_role("button", name=re.compile("DUMP-1")).click()
        expect(self.stacks().first).to_contain_text("DUMP-1")
        expect(page.get_by_role("button", name="Accept all 1 without doubt")).to_be_enabled()
        page.keyboard.press("A")
        expect(self.stacks().first).to_contain_text("is take 1 of stack 1 of DUMP-1")
        # What is in doubt is accepted by a person alone, one by one.
        for one in work.read(number).stacks[1:]:
            work.set_goes(number, one.first, work.GoesEntry(stack_id=stack.id))
        page.reload()
        for at in range(1, 9):
            self.stacks().nth(at).get_by_role("button").click()
            expect(page.get_by_role("button", name="Accept this stack")).to_be_enabled()
            page.keyboard.press("a")
            expect(self.stacks().nth(at)).to_contain_text(f"is take {at + 1} of stack 1")
        takes = plan.read_stack(stack.id).takes
        self.assertEqual(len(takes), 9)
        self.assertEqual({take.complete for take in takes}, {True})
        page.get_by_role("link", name="Open take 9 of stack 1 of DUMP-1").click()
        expect(page.get_by_role("heading", name="Ladder")).to_be_visible()


class Dropped(PageTest):
    """Files are dropped, on the cards and on a take, and come in."""

    def drop(self, label: str) -> None:
        files = [["dropped.jpg", base64.b64encode(picture(384, 256)).decode()]]
        self.page.evaluate(DROP, [f"fieldset[aria-label='{label}']", files])

    def test_on_the_cards(self) -> None:
        self.page.goto("/card")
        expect(self.page.get_by_role("group", name="Drop files or folders here")).to_be_visible()
        self.drop("Drop files or folders here")
        expect(self.page.get_by_role("gridcell", name="dropped.jpg")).to_be_visible()

    def test_on_a_take(self) -> None:
        stack = new_stack("DROP-1")
        self.page.goto(f"/stacks/{stack.id}/shoot")
        self.page.get_by_role("button", name="By hand").click()
        expect(self.page.get_by_role("group", name="Drop frames here")).to_be_visible()
        self.drop("Drop frames here")
        until(lambda: len(plan.read_stack(stack.id).takes) == 1, "the take of files")
        until(lambda: len(plan.read_stack(stack.id).takes[0].frames) == 1, "the dropped frame")
