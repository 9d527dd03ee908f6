"""Measuring with mouse and keyboard: each kind of tool, the budget, what is taken, and what leaves."""

import csv
import io
import re
import unittest
from xml.etree import ElementTree

from playwright.sync_api import expect

from amber_ladder.work import measure
from tests.browser.measure_page import MeasurePage
from tests.support.browser import HeldBack


class Measuring(MeasurePage):
    def test_a_length_opens_to_its_budget_is_taken_named_moved_by_keys_and_undone(self) -> None:
        merge = self.opened("MEASURE-PAGE")
        page = self.page
        self.pick((0.4, 0.5))
        expect(self.value()).to_have_text("–")
        self.pick((0.6, 0.5))
        expect(self.value()).to_have_text(re.compile(r"^[\d.,]+ ± [\d.,]+ µm$"))
        picked = page.get_by_role("region", name="Being picked")
        expect(picked.get_by_text("µm in a pixel, nominal")).to_be_visible()
        expect(page.get_by_text("scale nominal")).to_be_visible()
        expect(page.get_by_role("img", name=re.compile("^Section along the line"))).to_be_visible()
        self.assert_accessible()
        # A tenth of a pixel by an arrow key, a whole one with Shift.
        surface = page.get_by_role("application")
        surface.focus()
        for _ in range(3):
            page.keyboard.press("ArrowRight")
        page.keyboard.press("Shift+ArrowDown")
        page.get_by_label("Name (its number, if empty)").fill("mouth, across")
        page.get_by_role("button", name="Take the measure").click()
        expect(self.taken()).to_have_count(1)
        expect(self.taken()).to_contain_text("mouth, across")
        view = self.now(merge).measures[0]
        (x0, y0), (x1, y1) = view.picks[0].points
        self.assertAlmostEqual(y1 - y0, 1.0, delta=0.02)
        self.assertGreater(x1 - x0, 50)
        page.get_by_role("region", name="Measures taken").get_by_role("textbox", name="Name").fill("mouth")
        page.get_by_role("button", name="Rename").click()
        expect(self.taken().get_by_role("button", name=re.compile("^mouth"))).to_be_visible()
        page.get_by_role("button", name="Undo", exact=True).click()
        page.get_by_role("dialog", name="Undo").get_by_role("button", name="Undo this").click()
        expect(self.taken()).to_contain_text("mouth, across")

    def test_each_tool_by_mouse(self) -> None:
        merge = self.opened("MEASURE-TOOLS")
        page = self.page
        ring = [(0.42, 0.42), (0.52, 0.38), (0.6, 0.45), (0.58, 0.56), (0.48, 0.6), (0.41, 0.53)]
        tools = {
            "Length": ring[:2], "Angle": ring[:3], "Circle, radius": ring[:4], "Area": ring, "Count": ring[:3],
            "True length": ring[:2], "Along the surface": ring[:2], "Height": ring[:2], "True angle": ring[:3],
            "Profile": ring[:2], "Tilt of a face": ring, "Sphere, radius": ring, "Area of the surface": ring,
            "Volume": ring, "Roughness, Sq": ring, "Line roughness, Pq": ring[:2],
        }  # fmt: skip
        for number, (kind, places) in enumerate(tools.items(), 1):
            with self.subTest(kind):
                self.choose(kind)
                self.pick(*places)
                expect(self.value()).to_have_text(re.compile(r"\d|not known"))
                page.keyboard.press("t")
                expect(self.taken()).to_have_count(number)
        self.choose("Face against face")
        self.pick(*ring[:3])
        expect(self.value()).to_have_text("–")
        page.keyboard.press("f")
        self.pick(*ring[3:])
        expect(self.value()).to_have_text(re.compile(r"\d|not known"))
        page.keyboard.press("t")
        expect(self.taken()).to_have_count(len(tools) + 1)
        found = self.now(merge).measures
        self.assertEqual({one.kind for one in found}, {one.kind for one in measure.kinds()})
        self.assertEqual(found[4].told.value, 3.0)
        # What is known has its uncertainty; what is not says how much of it is unknown.
        for one in found:
            if one.told.value is None:
                self.assertTrue(any("unknown" in note or "no depth" in note for note in one.told.notes), one)
            elif one.kind != "count":
                self.assertIsNotNone(one.told.expanded)

        with page.expect_download() as table:
            page.get_by_role("link", name="Table (CSV)").click()
        rows = list(csv.DictReader(io.StringIO(table.value.path().read_text())))
        self.assertEqual(len(rows), len(found))
        with page.expect_download() as drawn:
            page.get_by_role("link", name="Picture with them (SVG)").click()
        root = ElementTree.fromstring(drawn.value.path().read_text())
        self.assertEqual(len(list(root.iter("{http://www.w3.org/2000/svg}text"))), len(found) + 1)

    def test_until_a_measure_is_reckoned_no_other_stands_for_it(self) -> None:
        self.opened("MEASURE-WAITS")
        page = self.page
        answers = HeldBack(page, "**/measured")
        self.pick((0.4, 0.5), (0.6, 0.5))
        expect(self.value()).to_have_text(re.compile("µm$"))
        length = self.value().inner_text()
        answers.waits = True
        # Of the same kind what was picked before stands there meanwhile, and is said to be on its way.
        page.get_by_role("application").focus()
        page.keyboard.press("Shift+ArrowRight")
        expect(self.value()).to_have_attribute("aria-busy", "true")
        expect(self.value()).to_have_text(length)
        # Of another kind it would be taken for a result.
        self.choose("Angle")
        self.pick((0.4, 0.4), (0.5, 0.5), (0.6, 0.4))
        expect(self.value()).to_have_text("measuring")
        answers.release()
        expect(self.value()).to_have_text(re.compile("°$"))
        expect(self.value()).to_have_attribute("aria-busy", "false")

    def test_a_section_by_dragging_a_line(self) -> None:
        merge = self.opened("MEASURE-DRAG")
        page = self.page
        self.choose("Profile")
        box = page.get_by_role("application").bounding_box()
        assert box
        y = box["y"] + box["height"] / 2
        page.mouse.move(box["x"] + 0.3 * box["width"], y)
        page.mouse.down()
        page.mouse.move(box["x"] + 0.5 * box["width"], y, steps=4)
        # The section shows while the line is still drawn.
        expect(page.get_by_role("img", name=re.compile("^Section along the line"))).to_be_visible()
        page.mouse.move(box["x"] + 0.65 * box["width"], y, steps=4)
        page.mouse.up()
        expect(self.value()).to_have_text(re.compile(r"\d|not known"))
        page.keyboard.press("t")
        expect(self.taken()).to_have_count(1)
        (left, top), (right, bottom) = self.now(merge).measures[0].picks[0].points
        scale = (right - left) / (0.35 * box["width"])
        self.assertAlmostEqual(top, bottom, delta=0.5)
        self.assertGreater(scale, 0.1)
        # An end is moved by dragging it, which draws no other line.
        self.choose("Length")
        self.pick((0.4, 0.3), (0.6, 0.3))
        before = self.value().inner_text()
        page.mouse.move(box["x"] + 0.6 * box["width"], box["y"] + 0.3 * box["height"])
        page.mouse.down()
        page.mouse.move(box["x"] + 0.7 * box["width"], box["y"] + 0.3 * box["height"], steps=4)
        page.mouse.up()
        expect(self.value()).not_to_have_text(before)
        page.keyboard.press("t")
        expect(self.taken()).to_have_count(2)
        self.assertEqual(len(self.now(merge).measures[1].picks[0].points), 2)

    def test_by_keys_alone_and_picked_again(self) -> None:
        merge = self.opened("MEASURE-KEYS")
        page = self.page
        surface = page.get_by_role("application")
        surface.focus()
        page.keyboard.press("Enter")
        for _ in range(6):
            page.keyboard.press("Control+ArrowRight")
        page.keyboard.press("Enter")
        expect(self.value()).to_have_text(re.compile("±"))
        page.keyboard.press("Backspace")
        expect(self.value()).to_have_text("–")
        page.keyboard.press("Enter")
        expect(self.value()).to_have_text(re.compile("±"))
        page.keyboard.press("t")
        expect(self.taken()).to_have_count(1)
        page.get_by_role("button", name="Pick it again").click()
        surface.focus()
        page.keyboard.press("Enter")
        for _ in range(6):
            page.keyboard.press("Control+ArrowRight")
        page.keyboard.press("Control+Shift+ArrowRight")
        page.keyboard.press("Enter")
        page.get_by_role("button", name="Add this pick").click()
        expect(page.get_by_text(re.compile("Mean of 2 picks"))).to_be_visible()
        self.assertEqual(len(self.now(merge).measures[0].picks), 2)
        # The next kind, and back; snapping says where there is no edge, or moves the place.
        page.keyboard.press("n")
        expect(page.get_by_role("radio", name="Angle", exact=True)).to_be_checked()
        page.keyboard.press("N")
        expect(page.get_by_role("radio", name="Length", exact=True)).to_be_checked()
        surface.focus()
        page.keyboard.press("Enter")
        with page.expect_response(re.compile("snapped")) as answer:
            page.keyboard.press("s")
        self.assertTrue(answer.value.ok)

    def test_another_window_and_a_reload_lose_nothing(self) -> None:
        merge = self.opened("MEASURE-TWO")
        entry = measure.MeasureEntry.model_validate(
            {"kind": "length", "points": [(50, 50), (90, 50)], "name": "from elsewhere"}
        )
        measure.take(merge, entry)
        expect(self.taken()).to_contain_text("from elsewhere")
        self.page.reload()
        expect(self.taken()).to_contain_text("from elsewhere")
        expect(self.page.get_by_role("link", name="Measure", exact=True)).to_be_visible()


if __name__ == "__main__":
    unittest.main()
