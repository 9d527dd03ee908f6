"""Who saves what was changed elsewhere meanwhile is told so, and chooses; nothing is overwritten without a word."""

import unittest
from concurrent.futures import ThreadPoolExecutor

from playwright.sync_api import Page, expect

from amber_ladder.errors import Stale
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.work import cabinet, plan, rigs
from amber_ladder.work.rigs import parts
from tests.support.browser import PageTest
from tests.support.examples import PLAN, RIG, SPECIMEN
from tests.support.station import database
from tests.support.takes import new_stack


class AtOnce(unittest.TestCase):
    def setUp(self) -> None:
        database()

    def test_of_eight_edits_at_once_one_is_saved(self) -> None:
        rig = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": f"edited at once {id(self)}"}))

        def edit(width: int) -> bool:
            entry = {**RIG, "name": rig.name, "sensor": {**RIG["sensor"], "width_px": width}}
            try:
                rigs.edit_rig(rig.id, rigs.RigEntry(**entry), seen=rig.version)
            except Stale:
                return False
            return True

        with ThreadPoolExecutor(8) as many:
            self.assertEqual(sum(many.map(edit, range(500, 508))), 1)
        self.assertEqual(len(rigs.versions(rig.id)), 2)

    def test_each_row_that_people_edit_refuses_what_started_from_an_older_one(self) -> None:
        label = cabinet.SpecimenEntry(**{**SPECIMEN, "catalogue_number": f"STALE-{id(self)}"})
        specimen = cabinet.add_specimen(label)
        cabinet.edit_specimen(specimen.id, label, seen=specimen.revision)
        with self.assertRaisesRegex(Stale, "this label was changed meanwhile"):
            cabinet.edit_specimen(specimen.id, label, seen=specimen.revision)
        cabinet.edit_specimen(specimen.id, label)  # who does not say what was seen means it

        entry = parts.PartEntry(name=f"rail {id(self)}", part={"kind": "rail", "click_um": 2.5})  # type: ignore[arg-type]
        part = parts.add_part(entry)
        parts.edit_part(part.id, entry, seen=part.revision)
        with self.assertRaisesRegex(Stale, "this part"):
            parts.edit_part(part.id, entry, seen=part.revision)

        stack = new_stack(f"STALE-PLAN-{id(self)}")
        change = plan.PlanEntry(rig_id=stack.rig_id, plan=LadderRequestJson(**{**PLAN, "far_um": 650}))
        plan.set_ends(stack.id, plan.EndsEntry(near_um=1, far_um=600))
        with self.assertRaisesRegex(Stale, "this plan"):
            plan.change_ladder(stack.id, change, seen=stack.revision)
        self.assertEqual(plan.read_stack(stack.id).plan.far_um, 600)


class TwoTabs(PageTest):
    def test_the_stale_one_shows_both_and_one_is_chosen(self) -> None:
        self.allowed = ["/plan?seen=", "/api/specimens/"]
        stack = new_stack("TWO-TABS")
        address = f"/stacks/{stack.id}/plan"
        other = self.page.context.new_page()
        for tab in (self.page, other):
            tab.goto(address)
            expect(tab.get_by_label("Farthest point")).to_have_value("200")
        self.page.get_by_label("Farthest point").fill("640")
        self.saved_as(other, "720")
        self.page.get_by_role("button", name="Save this ladder").click()
        stale = self.page.get_by_role("alert").filter(has_text="This was changed meanwhile.")
        expect(stale.get_by_role("row", name="farthest point, µm 640 720")).to_be_visible()
        self.assert_accessible()
        self.assertEqual(plan.read_stack(stack.id).plan.far_um, 720)
        stale.get_by_role("button", name="Take theirs").click()
        expect(self.page.get_by_label("Farthest point")).to_have_value("720")

        self.page.get_by_label("Farthest point").fill("640")
        other.goto(address)
        self.saved_as(other, "800")
        self.page.get_by_role("button", name="Save this ladder").click()
        stale.get_by_role("button", name="Save yours over it").click()
        self.page.wait_for_url("**/shoot")
        self.assertEqual(plan.read_stack(stack.id).plan.far_um, 640)
        other.close()

    def saved_as(self, tab: Page, far: str) -> None:
        tab.get_by_label("Farthest point").fill(far)
        tab.get_by_role("button", name="Save this ladder").click()
        tab.wait_for_url("**/shoot")


if __name__ == "__main__":
    unittest.main()
