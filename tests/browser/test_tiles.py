"""A set of tiles through its pages: planned, placed, shot one after another, laid together, recorded."""

import re

from playwright.sync_api import expect

from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.work import cabinet, plan, rigs
from amber_ladder.work.stack.views import StackView
from tests.support.browser import PageTest
from tests.support.examples import PLAN, RIG, SPECIMEN
from tests.support.takes import merged

_SMALL = {"width_px": 300, "height_px": 220, "pixel_um": 5.0}
_QUICK = {"settle_s": 0.05, "exposure_s": 0.01, "recycle_s": 0.05}
_RAIL = {"click_um": 2.5, "min_um": 0, "max_um": 40_000, "backlash_um": 50}


class Tiles(PageTest):
    def setUp(self) -> None:
        super().setUp()
        before = self.page.request.get("/api/bench").json()["settings"]
        self.addCleanup(self.settle, stage="hand", scene=before["scene"] or "")
        self.settle(scene="wulfenite")

    def settle(self, **change: str) -> None:
        self.assertTrue(self.page.request.patch("/api/bench", data=change).ok)

    def planned(self, number: str) -> StackView:
        label = cabinet.add_specimen(cabinet.SpecimenEntry(**{**SPECIMEN, "catalogue_number": number}))
        rig = {**RIG, "name": f"rig of {number}", "sensor": _SMALL, "working_distance_mm": 34}
        added = rigs.add_rig(rigs.RigEntry(**rig))
        ladder = {**PLAN, "near_um": 2000, "far_um": 2500, "overlap": 0, "rail": _RAIL, "timing": _QUICK}
        tiles = {"columns": 2, "rows": 1, "overlap": 0.25}
        entry = {"rig_id": added.id, "plan": LadderRequestJson(**ladder), "tiles": tiles}
        return plan.save_tiles(label.id, plan.TileSetEntry.model_validate(entry))

    def test_1_a_set_is_planned_as_large_as_the_specimen_asks_for(self) -> None:
        page = self.page
        rig = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": "rig of tiles"}))
        field = rig.does.optics.field_mm[0]
        size = {"width_mm": round(2.2 * field, 3), "height_mm": round(0.5 * field, 3)}
        label = cabinet.add_specimen(cabinet.SpecimenEntry(**{**SPECIMEN, "catalogue_number": "TI-1", **size}))
        page.goto(f"/specimens/{label.id}/plan")
        page.get_by_role("combobox", name="Rig").first.click()
        page.get_by_role("option", name="rig of tiles").click()
        page.get_by_label("Farthest point").fill("200")
        page.get_by_role("tab", name="Tiles").click()
        expect(page.get_by_role("img", name="3 × 1 tiles, numbered in the order of shooting")).to_be_visible()
        page.get_by_label("Columns").fill("2")
        expect(page.get_by_text(re.compile("in width: plan more columns"))).to_be_visible()
        page.get_by_label("Rows").fill("2")
        self.assert_accessible()
        page.get_by_role("button", name="Save as 4 tiles").click()
        expect(page.get_by_role("heading", name="2 × 2 tiles, laid together in this stack")).to_be_visible()
        self.assert_accessible()
        page.get_by_role("link", name="Tile 3, not shot").click()
        expect(page.get_by_role("navigation", name="Tiles")).to_contain_text("Tile 3 of 4row 2, column 2")
        page.get_by_role("link", name="Tile 4 next").click()
        expect(page.get_by_role("region", name="Stage")).to_contain_text("0.000 mm right")
        page.get_by_role("button", name="Map").click()
        expect(page.get_by_role("link", name="Tile 4, not shot")).to_have_attribute("aria-current", "page")

    def test_2_a_stage_brings_all_of_them_and_they_are_laid_together(self) -> None:
        page, whole = self.page, self.planned("TI-2")
        assert whole.tiles is not None
        first = whole.tiles.tiles[0].stack_id
        page.goto(f"/stacks/{first}/shoot")
        page.get_by_role("button", name="Rail, camera, folder, faults").click()
        page.get_by_role("combobox", name="Sideways, the specimen is moved").click()
        page.get_by_role("option", name="By the rail's controller, axes Y and Z").click()
        expect(page.get_by_label("Y counts the other way")).to_be_visible()
        page.keyboard.press("Escape")
        stage = page.get_by_role("region", name="Stage")
        expect(stage).to_contain_text("Nobody said yet where the tiles lie")
        stage.get_by_role("button", name="The middle is here").click()
        expect(stage).to_contain_text("mm away from tile 1.")
        stage.get_by_role("button", name="Go to tile 1").click()
        expect(stage).to_contain_text("On tile 1")
        self.assert_accessible()
        page.get_by_role("button", name="Shoot this ladder").click()
        sheet = page.get_by_role("dialog", name="Before the run")
        expect(sheet.get_by_label("Then the 1 tiles that are left, one after another")).to_be_checked()
        expect(sheet.get_by_label("Read").first).to_be_visible()
        for box in sheet.get_by_role("checkbox").all():
            box.check()
        sheet.get_by_role("button", name="Start the run").click()
        page.goto(f"/stacks/{whole.id}/shoot")
        expect(page.get_by_role("status")).to_contain_text("Tile 1 is being shot")
        expect(page.get_by_text("All tiles are shot.")).to_be_visible()
        for one in whole.tiles.tiles:
            merged(plan.read_stack(one.stack_id).takes[-1].id, "select")
        page.get_by_role("link", name="Lay them together").click()
        page.get_by_role("button", name="Lay 2 tiles together").click()
        seams = page.get_by_role("region", name="Seams")
        expect(seams).to_contain_text("1 seam")
        expect(seams.get_by_role("row").nth(1)).to_contain_text("tile 1 and 2")
        self.assert_accessible()
        page.get_by_role("link", name="Record and export").click()
        expect(page.get_by_text("laid together from tiles").first).to_be_visible()
        for stage_name, said in (
            ("sort", "Frames are sorted tile by tile"),
            ("mend", "A whole is mended tile by tile"),
        ):
            page.goto(f"/stacks/{whole.id}/{stage_name}")
            expect(page.get_by_text(said)).to_be_visible()
        page.goto(f"/stacks/{whole.id}/measure")
        expect(page.get_by_role("radio", name="Length", exact=True)).to_be_visible()


if __name__ == "__main__":
    import unittest

    unittest.main()
