"""Mending with mouse and keyboard: strokes, undo to the beginning, places, dust, ground, and what is written."""

import json
import os
import re
import signal
import unittest
from pathlib import Path
from typing import Any

import numpy as np
import tifffile
from playwright.sync_api import CDPSession, Error, Locator, Route, expect

from amber_ladder.work import mend as work
from amber_ladder.work.plan import read_stack
from tests.support.browser import HeldBack, PageTest
from tests.support.station import running, until
from tests.support.takes import a_merge, flawed_stack, folder_of, shot_stack


class Mending(PageTest):
    def setUp(self) -> None:
        super().setUp()
        running()

    def begin(self, stack_id: int) -> None:
        """A mend of its own for each test, from the page."""
        page = self.page
        page.goto(f"/stacks/{stack_id}/mend")
        page.get_by_role("button", name="Mend this merge").click()
        self.ready()

    def ready(self) -> None:
        expect(self.page.locator("[data-loaded=true]")).to_be_visible()
        expect(self.page.get_by_role("progressbar")).to_have_count(0)

    def steps(self) -> Locator:
        return self.page.get_by_role("list", name="Steps of this mend").get_by_role("listitem")

    def station_answers(self) -> bool:
        try:
            return bool(self.page.request.get("/api/station").ok)
        except Error:
            return False

    def at(self, x: float, y: float) -> tuple[float, float]:
        """A place of the view, as shares of it."""
        box = self.page.get_by_role("application").bounding_box()
        assert box
        return box["x"] + x * box["width"], box["y"] + y * box["height"]

    def drag(self, *places: tuple[float, float]) -> None:
        mouse = self.page.mouse
        mouse.move(*self.at(*places[0]))
        mouse.down()
        for place in places[1:]:
            mouse.move(*self.at(*place), steps=6)
        mouse.up()

    def pressed(self, tablet: CDPSession, kind: str, x: float, y: float, force: float) -> None:
        """What a drawing tablet tells of its pen."""
        button = "none" if kind == "mouseMoved" else "left"
        told = {"type": kind, "x": x, "y": y, "button": button, "buttons": 1 if force else 0, "clickCount": 1}
        tablet.send("Input.dispatchMouseEvent", {**told, "pointerType": "pen", "force": force})

    def mend_id(self) -> int:
        """The mend that was begun last on this stack."""
        stack = read_stack(int(self.page.url.split("/stacks/")[1].split("/")[0]))
        return stack.takes[0].mends[-1].id

    def written(self) -> tuple[np.ndarray[Any, Any], np.ndarray[Any, Any], dict[str, Any]]:
        """The mended picture, its mask and its report, as saved from the page."""
        page = self.page
        page.get_by_role("button", name="Write the mended picture").click()
        expect(page.get_by_text(re.compile("^Written, 8 bits"))).to_be_visible()
        page.get_by_role("button", name="Name, copies, files").click()
        self.assert_accessible()
        files = [self.saved(name) for name in ("composite.tif", "changed.tif", "report.json")]
        page.keyboard.press("Escape")
        return tifffile.imread(files[0]), tifffile.imread(files[1]), json.loads(Path(files[2]).read_bytes())

    def test_a_stroke_from_a_frame_that_is_not_known_yet_says_that_nothing_was_painted(self) -> None:
        stack = shot_stack("MEND-UNKNOWN")
        a_merge(stack.takes[0].id)
        self.begin(stack.id)
        page = self.page
        here = HeldBack(page, "**/sharpest?*")
        here.waits = True
        self.drag((0.45, 0.5), (0.5, 0.5))
        expect(page.get_by_text(re.compile("Nothing was painted.*not known yet"))).to_be_visible()
        expect(self.steps()).to_have_count(0)
        here.release()
        expect(page.get_by_role("list", name="Sharpest here").get_by_role("button").first).to_be_visible()
        self.drag((0.45, 0.5), (0.5, 0.5))
        expect(self.steps()).to_have_count(1)
        expect(page.get_by_text("Nothing was painted")).to_have_count(0)

    def test_a_stroke_asks_for_the_tiles_that_are_seen_of_it_and_for_coarser_ones_when_they_are(self) -> None:
        """Five were asked for, of which four were covered at once: it took twice as long until it was there."""
        wide = {"sensor": {"width_px": 1600, "height_px": 1100, "pixel_um": 2.0}}
        stack = flawed_stack("MEND-WIDE", "moss-capsule", rig=wide, near_um=200, far_um=240)
        a_merge(stack.takes[0].id)
        self.begin(stack.id)
        page = self.page
        page.get_by_role("button", name="1 : 1").first.click()
        page.mouse.move(*self.at(0.5, 0.5))
        expect(page.get_by_role("list", name="Sharpest here").get_by_role("button").first).to_be_visible()
        page.keyboard.press("s")
        page.wait_for_load_state("networkidle")
        levels = list[str]()
        page.on("request", lambda one: levels.extend(re.findall(r"/mends/\d+/tiles/\w+/(\d+)/", one.url)))
        self.drag((0.45, 0.5), (0.5, 0.5))
        expect(self.steps()).to_have_count(1)
        until(lambda: page.evaluate("true") and bool(levels), "a tile of it to be asked for")
        page.wait_for_load_state("networkidle")
        self.assertEqual(set(levels), {"0"})

        def coarser() -> bool:
            for ratio in ("1 : 1", "Fit"):
                page.get_by_role("button", name=ratio).first.click()
            return len(set(levels)) > 1

        until(coarser, "coarser ones")

    def test_strokes_by_mouse_and_keys_are_taken_back_to_the_beginning(self) -> None:
        stack = shot_stack("MEND-STROKES")
        a_merge(stack.takes[0].id)
        self.begin(stack.id)
        page = self.page
        self.assert_accessible()
        # Which rung is sharpest is told where the pointer rests, and a key takes it.
        page.mouse.move(*self.at(0.5, 0.5))
        here = page.get_by_role("list", name="Sharpest here").get_by_role("button")
        expect(here).to_have_count(4)
        expect(here.first).to_contain_text("100")
        page.keyboard.press("s")
        rung = re.match(r"rung \d+", here.first.inner_text())
        assert rung
        expect(page.get_by_text(rung[0], exact=True).first).to_be_visible()
        page.keyboard.press(",")
        self.drag((0.42, 0.5), (0.5, 0.55), (0.58, 0.5))
        expect(self.steps()).to_have_count(1)
        expect(self.steps().first).to_contain_text(f"Paint, {rung[0]}")
        self.assertEqual(work.read(self.mend_id()).steps[0].step["strength"], 0.8)
        # By keys alone: the brush is moved, made larger and laid; what was laid is nudged.
        surface = page.get_by_role("application")
        surface.focus()
        page.keyboard.press("Control+ArrowRight")
        page.keyboard.press("Control+ArrowUp")
        page.keyboard.press("]")
        page.keyboard.press("ArrowDown")
        page.keyboard.press("Enter")
        expect(self.steps()).to_have_count(2)
        page.keyboard.press("Shift+ArrowRight")
        until(lambda: work.read(self.mend_id()).steps[1].step.get("nudge") == [0.5, 0], "the nudge")
        # The eraser, back to the merge.
        page.keyboard.press("e")
        self.drag((0.45, 0.52), (0.55, 0.52))
        expect(self.steps()).to_have_count(3)
        # Keys pressed at once are all obeyed, one after the other.
        for _ in range(3):
            page.keyboard.press("z")
        expect(self.steps()).to_have_count(1)
        page.keyboard.press("z")
        expect(self.steps()).to_have_count(0)
        expect(page.get_by_role("button", name="Undo step")).to_be_disabled()
        self.assertEqual({key for row in work.read(self.mend_id()).tiles for key in row}, {"0"})
        for _ in range(4):
            page.keyboard.press("Z")
        expect(self.steps()).to_have_count(3)

    def test_a_pen_pressed_lightly_lays_less(self) -> None:
        stack = shot_stack("MEND-PEN")
        a_merge(stack.takes[0].id)
        self.begin(stack.id)
        self.page.mouse.move(*self.at(0.5, 0.5))
        expect(self.page.get_by_role("list", name="Sharpest here").get_by_role("button")).to_have_count(4)
        self.page.keyboard.press("s")
        self.page.keyboard.press(",")  # weaker than usual: the usual strength is not written into a step
        tablet = self.page.context.new_cdp_session(self.page)

        def pen(force: float, *places: tuple[float, float]) -> None:
            """A stroke of a drawing tablet's pen, pressed so (0 to 1)."""
            for number, place in enumerate(places):
                x, y = self.at(*place)
                kind = "mousePressed" if number == 0 else "mouseMoved"
                self.pressed(tablet, kind, x, y, force)
            self.pressed(tablet, "mouseReleased", x, y, 0.0)

        pen(0.25, (0.42, 0.5), (0.46, 0.5), (0.5, 0.5))
        expect(self.steps()).to_have_count(1)
        pen(0.9, (0.42, 0.6), (0.46, 0.6), (0.5, 0.6))
        expect(self.steps()).to_have_count(2)
        self.drag((0.42, 0.7), (0.5, 0.7))
        expect(self.steps()).to_have_count(3)
        lightly, firmly, by_mouse = (one.step["strength"] for one in work.read(self.mend_id()).steps)
        # Half of the usual pressure is half of the strength that is set; more than usual lays no more than that.
        self.assertEqual(by_mouse, 0.8)
        self.assertAlmostEqual(lightly, 0.4, delta=0.002)
        self.assertEqual(firmly, 0.8)

    def test_what_is_written_is_the_merge_but_for_what_is_marked(self) -> None:
        stack = shot_stack("MEND-WRITTEN")
        done = a_merge(stack.takes[0].id)
        self.begin(stack.id)
        page = self.page
        page.mouse.move(*self.at(0.5, 0.5))
        expect(page.get_by_role("list", name="Sharpest here").get_by_role("button")).to_have_count(4)
        for y in (0.4, 0.6):
            self.drag((0.42, y), (0.5, y + 0.05), (0.58, y))
        page.keyboard.press("e")
        self.drag((0.45, 0.42), (0.55, 0.42))
        expect(self.steps()).to_have_count(3)
        # All of it is there after a reload; a step switched off counts no more.
        page.reload()
        self.ready()
        expect(self.steps()).to_have_count(3)
        for number in (2, 3):
            page.get_by_role("checkbox", name=re.compile(f"^Step {number}")).uncheck()
            expect(page.get_by_role("checkbox", name=re.compile(f"^Step {number}"))).not_to_be_checked()
            until(lambda number=number: work.read(self.mend_id()).steps[number - 1].step.get("off"), "off")  # type: ignore[misc]
        picture, kinds, report = self.written()
        composite = tifffile.imread(folder_of(done) / "composite.tif")
        self.assertEqual(sorted(np.unique(kinds)), [0, 1])
        np.testing.assert_array_equal(picture[kinds == 0], composite[kinds == 0])
        self.assertTrue((picture[kinds == 1] != composite[kinds == 1]).any())
        self.assertEqual([bool(one.get("off")) for one in report["steps"]], [False, True, True])
        # And it stands in the record.
        page.get_by_role("link", name="in the record").click()
        expect(page.get_by_text(re.compile(r"Mend 1, 1 step, painted from frames"))).to_be_visible()

    def test_places_are_gone_through_by_key_and_dust_is_replaced(self) -> None:
        stack = flawed_stack("MEND-DUST", "moss-capsule", "dust", far_um=700)
        a_merge(stack.takes[0].id, "pyramid")
        self.begin(stack.id)
        page = self.page
        places = page.get_by_role("list", name="Places", exact=True).get_by_role("button")
        count = places.count()
        self.assertGreater(count, 1)
        expect(page.get_by_text(re.compile(f"{count} of {count} places open"))).to_be_visible()
        page.keyboard.press("n")
        expect(places.first).to_have_attribute("aria-pressed", "true")
        expect(page.get_by_text("100 %", exact=True).last).to_be_visible()
        self.assert_accessible()
        page.keyboard.press("m")
        expect(places.first).to_contain_text("dust: mended")
        expect(places.nth(1)).to_have_attribute("aria-pressed", "true")
        page.keyboard.press("k")
        expect(places.nth(1)).to_contain_text("fine as it is")
        expect(page.get_by_text(re.compile(f"{count - 2} of {count} places? open"))).to_be_visible()
        # Dust was found by itself; one spot is refused.
        dust = page.get_by_role("region", name="Dust")
        dust.get_by_role("button", name="Replace").click()
        dust.get_by_text("Refuse some of them").click()
        spots = dust.get_by_role("list", name="Spots of dust").get_by_role("checkbox")
        expect(spots.first).to_be_checked()
        found = spots.count()
        expect(self.steps().first).to_contain_text(f"Dust, {found} spot")
        spots.first.uncheck()
        expect(self.steps().first).to_contain_text(f"Dust, {found - 1} spot")
        _, kinds, report = self.written()
        self.assertEqual(sorted(np.unique(kinds)), [0, 2])
        told = [one for one in report["steps"][0]["spots"] if one["replaced"]]
        self.assertEqual(len(told), found - 1)

    def test_the_ground_is_set_by_depth_refined_by_brush_and_healing_is_asked_for(self) -> None:
        stack = shot_stack("MEND-GROUND")
        a_merge(stack.takes[0].id)
        self.begin(stack.id)
        page = self.page
        page.keyboard.press("g")
        change = HeldBack(page, "**/api/mends/*/steps*")
        change.waits = True
        page.get_by_role("button", name="Ground that shows nothing").click()
        # It takes seconds: that it is under way is seen without scrolling.
        expect(page.get_by_text("Working it out …")).to_be_in_viewport(ratio=1)
        change.release()
        expect(self.steps().first).to_contain_text("plain, without depth")
        page.get_by_label("Farther than").fill("350")
        page.get_by_role("button", name="Ground by depth").click()
        expect(self.steps().first).to_contain_text("beyond 350 µm")  # in place of the plain one
        expect(self.steps()).to_have_count(1)
        before = work.read(self.mend_id()).tiles
        page.get_by_role("button", name="Brush takes away").click()
        self.drag((0.3, 0.5), (0.7, 0.5))
        until(lambda: work.read(self.mend_id()).tiles != before, "the refined ground")
        page.keyboard.press("h")
        expect(page.get_by_text("This is not evidence.")).to_be_visible()
        self.assert_accessible()
        page.get_by_role("button", name="Heal in this stack all the same").click()
        page.mouse.click(*self.at(0.4, 0.4))
        self.drag((0.6, 0.45), (0.62, 0.46))
        expect(self.steps()).to_have_count(2)
        expect(self.steps().first).to_contain_text("not evidence")
        picture, kinds, report = self.written()
        self.assertTrue((picture[kinds == 4] < 4).mean() > 0.5)
        self.assertGreater(report["not_evidence"], 0)
        page.get_by_role("link", name="in the record").click()
        expect(page.get_by_text(re.compile("healed .*: not evidence"))).to_be_visible()

    def test_a_part_is_painted_whole_from_its_base_to_its_tip(self) -> None:
        stack = shot_stack("MEND-PART")
        a_merge(stack.takes[0].id)
        self.begin(stack.id)
        page = self.page
        page.keyboard.press("a")
        page.mouse.click(*self.at(0.35, 0.4))
        expect(page.get_by_text("Now click its tip.")).to_be_visible()
        page.mouse.click(*self.at(0.55, 0.55))
        expect(page.get_by_text(re.compile(r"rung \d+ shows it best"))).to_be_visible()
        self.assert_accessible()
        page.get_by_role("button", name="Paint it").click()
        expect(self.steps()).to_have_count(1)
        step = work.read(self.mend_id()).steps[0].step
        self.assertGreaterEqual(len(step["path"]), 2)

    def test_tones_a_crop_and_what_becomes_of_a_mend(self) -> None:
        stack = shot_stack("MEND-TONES")
        a_merge(stack.takes[0].id)
        self.begin(stack.id)
        page = self.page
        page.keyboard.press("t")
        page.get_by_label("Curve").fill("1.3")
        page.get_by_role("button", name="Set tones over all").click()
        expect(self.steps().first).to_contain_text("Tone")
        page.keyboard.press("x")
        page.get_by_role("group", name="Shape").get_by_role("button", name="1 : 1").click()
        expect(page.get_by_text(re.compile(r"\d+ × \d+ px, \d+.% of the picture lost"))).to_be_visible()
        page.get_by_role("button", name="Crop to this").click()
        expect(self.steps()).to_have_count(2)
        page.get_by_role("button", name="Compare with the merge").click()
        expect(page.get_by_role("slider", name="Divider between the two pictures")).to_be_visible()
        expect(page.locator("[data-loaded=true]")).to_be_visible()
        page.get_by_role("button", name="Name, copies, files").click()
        sheet = self.saved("before-after.png")
        self.assertEqual(sheet.read_bytes()[:4], b"\x89PNG")
        page.get_by_role("textbox", name="Name").fill("for the plate")
        page.get_by_role("button", name="Call it that").click()
        expect(page.get_by_role("dialog", name="for the plate")).to_be_visible()
        page.get_by_role("button", name="Copy it").click()
        expect(page.get_by_text("for the plate, copy")).to_be_visible()
        expect(self.steps()).to_have_count(2)
        page.get_by_role("button", name="Name, copies, files").click()
        page.get_by_role("button", name="Begin an empty one").click()
        expect(page.get_by_text("Mend 3", exact=True)).to_be_visible()
        expect(self.steps()).to_have_count(0)

    def test_what_ended_before_the_page_listened_is_not_waited_for(self) -> None:
        stack = shot_stack("MEND-EARLY")
        a_merge(stack.takes[0].id)
        lines: list[Route] = []
        self.page.route("**/api/events", lambda line: lines.append(line))  # noqa: PLW0108 (a builtin is refused)
        self.page.goto(f"/stacks/{stack.id}/mend")
        worker = self.station.pid("worker")
        os.kill(worker, signal.SIGSTOP)  # else it may end before the page has asked at all
        self.addCleanup(os.kill, worker, signal.SIGCONT)
        self.page.get_by_role("button", name="Mend this merge").click()
        bar = self.page.get_by_role("progressbar")
        expect(bar).to_be_visible()
        os.kill(worker, signal.SIGCONT)
        until(lambda: work.read(self.mend_id()).rack.spots is not None, "the rack")
        expect(bar).to_be_visible()
        lines[0].continue_()
        self.ready()

    def test_two_windows_and_a_server_that_is_killed_lose_nothing_that_was_shown(self) -> None:
        stack = shot_stack("MEND-KILLED")
        a_merge(stack.takes[0].id)
        self.begin(stack.id)
        page = self.page
        page.mouse.move(*self.at(0.5, 0.5))
        expect(page.get_by_role("list", name="Sharpest here").get_by_role("button")).to_have_count(4)
        self.drag((0.42, 0.5), (0.5, 0.5))
        expect(self.steps()).to_have_count(1)
        # Another window adds a step: this one hears of it, and goes on from there.
        view = work.read(self.mend_id())
        erase = {"kind": "erase", "path": [[90, 90]], "radius_px": 9}
        work.add_step(view.id, work.StepEntry.model_validate({"revision": view.revision, "step": erase}))
        expect(self.steps()).to_have_count(2)
        self.allowed.append("/api/")
        os.kill(self.station.pid("server"), signal.SIGKILL)
        self.drag((0.5, 0.55), (0.55, 0.6))
        expect(page.get_by_text(re.compile("server does not answer"))).to_be_visible()
        self.station.keep_up()
        until(self.station_answers, "the server")
        self.faults.clear()
        self.drag((0.5, 0.55), (0.55, 0.6))
        expect(self.steps()).to_have_count(3)
        self.assertEqual([one.step["kind"] for one in work.read(view.id).steps], ["from_frame", "erase", "from_frame"])
        self.faults.clear()  # the line for events was cut, too


if __name__ == "__main__":
    unittest.main()
