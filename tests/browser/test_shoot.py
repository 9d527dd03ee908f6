"""Shoot in the browser: live view, rail, ends, light, a run with pause and repair, the watched folder."""

import json
import re
import shutil
import tempfile
import unittest
import urllib.request
from pathlib import Path
from typing import Any, ClassVar

from playwright.sync_api import expect

from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.work import cabinet, plan, rigs
from amber_ladder.work.stack.views import StackView
from tests.support.browser import PageTest
from tests.support.examples import PLAN, RIG, SPECIMEN, picture
from tests.support.station import running, until


def running_bench() -> dict[str, Any]:
    """The bench as the server has it, whatever a page shows."""
    with urllib.request.urlopen(f"{running().address}api/bench") as answer:
        return dict(json.load(answer))


class Shooting(PageTest):
    stack: ClassVar[StackView]

    @classmethod
    def setUpClass(cls) -> None:
        running()
        specimen = cabinet.add_specimen(
            cabinet.SpecimenEntry(**{**SPECIMEN, "catalogue_number": "SH-1", "name": "jewel wasp", "kind": "insect"})
        )
        rig = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": "shooting rig", "working_distance_mm": 34}))
        rail = {"click_um": 2.5, "min_um": 0, "max_um": 40_000, "backlash_um": 50}
        timing = {"settle_s": 0.3, "exposure_s": 0.01, "recycle_s": 0.6}
        entry = {**PLAN, "near_um": 2000, "far_um": 2150, "rail": rail, "timing": timing}
        cls.stack = plan.save_ladder(specimen.id, plan.PlanEntry(rig_id=rig.id, plan=LadderRequestJson(**entry)))

    def setUp(self) -> None:
        super().setUp()
        self.page.goto(f"/stacks/{self.stack.id}/shoot")
        expect(self.page.get_by_role("img", name="Live view")).to_be_visible()
        expect(self.page.get_by_role("button", name="Move by +10 µm")).to_be_enabled()

    def at(self, position: str) -> None:
        expect(self.page.get_by_test_id("position")).to_contain_text(position)

    def test_1_the_rail_by_buttons_and_keys_and_where_it_may_not_go(self) -> None:
        self.allowed = ["/bench/move"]
        page = self.page
        page.get_by_role("button", name="To near point").click()
        self.at("2.000")
        page.get_by_role("button", name="Move by +10 µm").click()
        self.at("2.010")
        page.keyboard.press(",")
        self.at("2.000")
        page.keyboard.press(">")
        self.at("2.100")
        page.keyboard.down("f")
        until(lambda: "2.1" not in page.get_by_test_id("position").inner_text(), "the rail to run")
        page.keyboard.up("f")
        page.keyboard.press("b")
        self.at("0.000")
        page.get_by_role("button", name="Move by −100 µm").click()
        expect(page.get_by_text("lies before the rail's near end")).to_be_visible()
        self.assert_accessible()

    def runs(self) -> None:
        """Park the rail, then hold the key until it runs."""
        self.page.keyboard.press("b")
        self.at("0.000")
        self.page.keyboard.down("f")
        until(lambda: self.position() > 0.3, "the rail to run")

    def position(self) -> float:
        return float(self.page.get_by_test_id("position").inner_text().split()[0])

    def rests(self) -> None:
        """The rail has stopped before its far end, which is 9 s away."""
        until(lambda: running_bench()["busy"] is None, "the rail to stop")
        where = running_bench()["rail"]["position_um"]
        self.assertLess(where, 30_000)
        self.assertEqual(running_bench()["rail"]["position_um"], where)

    def test_1b_a_held_key_stops_the_rail_however_it_is_let_go(self) -> None:
        page = self.page
        with self.subTest("Shift goes down while it is held: at key-up it has another name"):
            self.runs()
            page.keyboard.down("Shift")
            page.keyboard.up("f")
            page.keyboard.up("Shift")
            self.rests()
        with self.subTest("the window loses the focus, and the key-up with it"):
            self.runs()
            page.evaluate("window.dispatchEvent(new Event('blur'))")
            self.rests()
            page.keyboard.up("f")
        with self.subTest("another page says stop"):
            self.runs()
            other = page.context.new_page()
            other.goto(f"/stacks/{self.stack.id}/shoot")
            expect(other.get_by_role("img", name="Live view")).to_be_visible()
            other.keyboard.press(" ")
            self.rests()
            other.close()
            page.keyboard.up("f")
        with self.subTest("the tab is closed"):
            self.runs()
            page.close()
            self.rests()

    def test_1c_keys_are_changed_for_a_foot_switch_and_kept(self) -> None:
        page = self.page
        page.keyboard.press("?")
        sheet = page.get_by_role("dialog", name="Keys")
        expect(sheet.get_by_text("Merge", exact=True)).to_be_visible()  # the stages, as the server lists them
        sheet.get_by_role("button", name="Back off to the end of the rail: key b").click()
        page.keyboard.press("e")
        expect(sheet.get_by_text("e is taken: find the ends.")).to_be_visible()
        page.keyboard.press("F9")
        expect(sheet.get_by_role("button", name="Back off to the end of the rail: key F9")).to_be_visible()
        self.assert_accessible()
        page.get_by_role("button", name="Close").click()
        page.reload()
        back_off = page.get_by_role("button", name="Back off to the rail's end")
        expect(back_off).to_be_enabled()
        self.assertIn("(key F9)", back_off.get_attribute("title") or "")
        page.get_by_role("button", name="To near point").click()
        self.at("2.000")
        page.keyboard.press("b")  # no more
        page.keyboard.press("F9")
        self.at("0.000")
        page.keyboard.press("?")
        page.get_by_role("button", name="All keys as they ship").click()
        expect(sheet.get_by_role("button", name="Back off to the end of the rail: key b")).to_be_visible()
        page.keyboard.press("Escape")
        page.keyboard.press("4")
        expect(page).to_have_url(re.compile("/merge$"))

    def test_2_ends_by_hand_and_found(self) -> None:
        page = self.page
        page.get_by_role("button", name="To far point").click()
        self.at("2.15")
        page.get_by_role("button", name="Move by +100 µm").click()
        self.at("2.25")
        page.keyboard.press("Shift+M")
        expect(page.get_by_label("Ends").get_by_text("2.250 mm")).to_be_visible()
        # From a parked rail it goes to the plan, not through all that lies between.
        page.keyboard.press("b")
        self.at("0.000")
        page.get_by_role("button", name="Find the ends").click()
        expect(page.get_by_role("button", name="Stop looking")).to_be_visible()
        expect(
            page.get_by_text(re.compile(r"(Looking for the specimen|Going nearer|Measuring).* at \d\.\d+ mm"))
        ).to_be_visible()
        expect(page.get_by_text("Beyond either end nothing is sharp")).to_be_visible()
        self.assertTrue(1900 < running_bench()["ends"]["near_um"] < 2150, running_bench()["ends"])
        page.get_by_role("button", name="Use these ends").click()
        expect(page.get_by_role("button", name="Use these ends")).to_be_hidden()
        self.assertNotIn("2.250", page.get_by_label("Ends").inner_text().split("Find")[0])
        plan.set_ends(self.stack.id, plan.EndsEntry(near_um=2000, far_um=2150))

    def test_3_light(self) -> None:
        page = self.page
        page.get_by_role("combobox", name="Flash").click()
        page.get_by_role("option", name="1/64", exact=True).click()
        light = page.get_by_label("Light")
        light.get_by_role("button", name="Test frame").click()
        expect(light.get_by_text("below clipping")).to_be_visible()
        light.get_by_role("button", name="stops: set").click()
        expect(light.get_by_role("button", name="stops: set")).to_be_hidden()
        light.get_by_role("button", name="Flash off").click()
        expect(light.get_by_text("none seen")).to_be_visible()
        page.get_by_role("button", name="Test frame").first.click()
        expect(page.get_by_role("img", name="Test frame")).to_be_visible()
        for key in ("l", "g", "w"):
            page.get_by_role("button", name="Live", exact=True).click()
            page.keyboard.press(key)
        expect(page.get_by_role("img", name="Loupe at 1:1")).to_be_visible()
        self.assert_accessible()

    def test_3b_light_where_nothing_is_in_focus_is_not_judged(self) -> None:
        plan.set_ends(self.stack.id, plan.EndsEntry(near_um=9000, far_um=9150))
        self.addCleanup(plan.set_ends, self.stack.id, plan.EndsEntry(near_um=2000, far_um=2150))
        page = self.page
        page.reload()
        expect(page.get_by_label("Ends").get_by_text("9.000 mm")).to_be_visible()
        light = page.get_by_label("Light")
        expect(light.get_by_role("button", name="Test frame")).to_be_enabled()
        light.get_by_role("button", name="Test frame").click()
        expect(light.get_by_text("Nothing was in focus there: these figures tell little")).to_be_visible()
        expect(light.get_by_role("button", name="stops: set")).to_have_count(0)

    def test_4_run_pause_stop_and_repair(self) -> None:
        # The growing picture may be asked for just when its run has ended.
        self.allowed = ["broken.jpg", "/growing/"]
        page = self.page
        page.get_by_role("button", name="Shoot this ladder").click()
        start = page.get_by_role("button", name="to confirm")
        expect(start).to_be_disabled()
        self.assert_accessible()
        page.get_by_role("button", name="Close").click()
        self.shoot_ladder()
        expect(page.get_by_role("button", name="Rung 2,")).to_be_attached()
        page.keyboard.press("p")
        expect(page.get_by_text("Paused")).to_be_visible()
        page.get_by_role("button", name="Go on").click()
        expect(page.get_by_role("button", name="Rung 4,")).to_be_attached()
        page.keyboard.press("x")
        expect(page.get_by_text("Stopped:")).to_be_visible()
        page.get_by_text("Press to put away").click()
        # A file that is no picture, brought in between, does not hide what is to be done.
        page.get_by_role("button", name="By hand, own frames").click()
        broken = {"name": "broken.jpg", "mimeType": "image/jpeg", "buffer": b"no picture"}
        page.get_by_label("Frames to add").set_input_files([broken])  # type: ignore[arg-type]
        expect(page.get_by_text("1 file not taken.")).to_be_visible()
        page.keyboard.press("Escape")
        page.get_by_role("button", name="missing or bad").click()
        # The cautions were read before the first run: only what was found stays to be asked.
        expect(page.get_by_role("checkbox", name="Go on all the same").first).to_be_visible()
        expect(page.get_by_role("checkbox", name="Read", exact=True)).to_have_count(0)
        self.confirm()
        page.get_by_role("button", name="Start the run").click()
        page.get_by_role("button", name="Growing picture").click()
        expect(page.get_by_role("img", name="Growing picture")).to_be_visible()
        expect(page.get_by_text("Done:")).to_be_visible()
        page.get_by_text("Press to put away").click()
        expect(page.get_by_text("Take 3:")).to_be_visible()
        page.get_by_role("button", name="Depth", exact=True).click()
        expect(page.get_by_role("img", name="Growing depth")).to_be_visible()
        self.assert_accessible()
        takes = plan.read_stack(self.stack.id).takes
        old = {f.rung: f.sha256 for f in takes[0].frames if not f.left_out}
        new = {f.rung: f.sha256 for f in takes[-1].frames if not f.left_out}
        self.assertLess(len(old), len(new))
        self.assertTrue(all(new[rung] == sha256 for rung, sha256 in old.items()))

    def test_5_frames_come_into_the_watched_folder(self) -> None:
        page = self.page
        folder = Path(tempfile.mkdtemp(prefix="amber-ladder-watched-", dir="/tmp"))
        self.addCleanup(shutil.rmtree, folder)
        self.addCleanup(lambda: page.request.patch("/api/bench", data={"folder": ""}))
        page.get_by_role("button", name="Rail, camera, folder, faults").click()
        page.get_by_label("Watched folder").fill(str(folder))
        page.get_by_role("button", name="Watch this folder").click()
        expect(page.get_by_role("button", name="Watch this folder")).to_be_hidden()
        self.assert_accessible()
        page.get_by_role("button", name="Close").click()
        page.get_by_role("button", name="By hand").click()
        page.get_by_label("Stop by itself").uncheck()
        page.get_by_label("Let a simulated hand shoot").uncheck()
        page.get_by_role("button", name="Begin the burst").click()
        expect(page.get_by_text("0 frames, 0 % covered")).to_be_visible()
        self.another_stack_shows_its_own()
        for i in range(5):
            (folder / f"hand_{i}.jpg").write_bytes(picture(384, 256, seed=i))
        expect(page.get_by_text("5 frames,")).to_be_visible()
        page.get_by_role("button", name="That is enough").click()
        expect(page.get_by_text(re.compile(r"5 frames cover \d+ % of the depth")).first).to_be_visible()
        expect(page.get_by_text(re.compile(r"Take \d: 5 frames"))).to_be_visible()
        expect(page.get_by_text("Stored 5, used 5.")).to_be_visible()
        # Nobody knows where a hand's frames lie, and no page pretends to.
        expect(page.get_by_text("where the 5 frames lie is not known")).to_be_visible()
        expect(page.get_by_text("depth counts frames, not µm")).to_be_visible()
        self.assert_accessible()
        # Out of time it says how little it holds, not that it is done.
        page.get_by_role("button", name="By hand").click()
        self.assert_accessible()
        page.get_by_label("Let a simulated hand shoot").uncheck()
        page.get_by_label("Stop by itself").uncheck()
        page.get_by_label("Time until it is gone").fill("0.1")
        page.get_by_role("button", name="Begin the burst").click()
        expect(page.get_by_text(re.compile("0 frames, 0 % covered"))).to_be_visible()
        for i in range(3):
            (folder / f"late_{i}.jpg").write_bytes(picture(384, 256, seed=20 + i))
        expect(
            page.get_by_text(re.compile(r"The time is over\. 3 frames cover \d+ % of the depth")).first
        ).to_be_visible()

    def another_stack_shows_its_own(self) -> None:
        """While this one shoots, another stack's page shows nothing of it but a way there, and takes own frames."""
        entry = plan.PlanEntry(rig_id=self.stack.rig_id, plan=LadderRequestJson(**PLAN))
        other = plan.save_ladder(self.stack.specimen.id, entry)
        page = self.page.context.new_page()
        page.goto(f"/stacks/{other.id}/shoot")
        expect(page.get_by_text("The bench is set up for SH-1 jewel wasp, stack 1.")).to_have_count(1)
        expect(page.get_by_text("It is gathering frames of SH-1 jewel wasp, stack 1.")).to_have_count(1)
        for name in ("Live view", "Growing picture", "Test frame"):
            expect(page.get_by_role("img", name=name)).to_have_count(0)
        expect(page.get_by_role("region", name="Ends")).to_have_count(0)
        page.get_by_role("button", name="By hand, own frames").click()
        expect(page.get_by_role("button", name="A burst waits for the bench")).to_be_disabled()
        files = [
            {"name": f"own_{i}.jpg", "mimeType": "image/jpeg", "buffer": picture(384, 256, seed=i)} for i in range(3)
        ]
        files.append({"name": "odd.jpg", "mimeType": "image/jpeg", "buffer": picture(192, 128, seed=9)})
        page.get_by_label("Frames to add").set_input_files(files)  # type: ignore[arg-type]
        expect(page.get_by_text("4 frames stored.")).to_be_visible()
        page.get_by_role("button", name="Use these 4 frames").click()
        # The odd one does not vanish between "stored" and "used".
        expect(page.get_by_text("Stored 4, used 3.")).to_be_visible()
        expect(page.get_by_text("Left out: odd.jpg is 192 × 128 px")).to_be_visible()
        page.get_by_role("link", name="Go there").click()
        page.wait_for_url(f"**/stacks/{self.stack.id}/shoot")
        page.close()

    def test_6_all_words_at_the_bench_are_large_enough_to_read_at_arms_length(self) -> None:
        small = self.page.evaluate(
            """() => [...document.querySelectorAll('main *')]
            .filter(one => [...one.childNodes].some(node => node.nodeType === 3 && node.data.trim()))
            .filter(one => parseFloat(getComputedStyle(one).fontSize) < 15)
            .map(one => one.textContent)"""
        )
        self.assertEqual(small, [])


if __name__ == "__main__":
    unittest.main()
