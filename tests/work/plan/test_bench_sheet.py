"""The bench sheet: one page, with everything, in stage readings or in the camera's own steps."""

import subprocess
import sys
import unittest
from typing import Any

from amber_ladder.errors import BadInput
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.work import cabinet, ledger, plan, rigs
from amber_ladder.work.plan import bench_sheet
from amber_ladder.work.stack.views import StackView
from tests.support.examples import PLAN, RIG, SPECIMEN
from tests.support.station import database


def stack(number: str, **changes: Any) -> StackView:
    specimen = cabinet.add_specimen(
        cabinet.SpecimenEntry(**{**SPECIMEN, "catalogue_number": number, "kind": "snow", "medium": "alcohol",
                                 "medium_index": 1.36, "mount": "wet, pinned", "locality": "terrace"})
    )  # fmt: skip
    rig = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": f"rig of {number}", "working_distance_mm": 34}))
    rigs.put_on_bench(rig.id, rigs.BenchEntry(flash_power=1 / 8))
    return plan.save_ladder(specimen.id, plan.PlanEntry(rig_id=rig.id, plan=LadderRequestJson(**{**PLAN, **changes})))


def pages_of(page: str) -> int:
    count = "import sys, weasyprint; print(len(weasyprint.HTML(string=sys.stdin.read()).render().pages))"
    result = subprocess.run([sys.executable, "-c", count], input=page, capture_output=True, text=True, check=True)
    return int(result.stdout)


class BenchSheet(unittest.TestCase):
    def setUp(self) -> None:
        database()

    def test_it_fits_on_one_page_even_when_it_is_full(self) -> None:
        for number, far_um in (("BS-1", 200), ("BS-2", 1200)):
            made = stack(number, far_um=far_um)
            page = bench_sheet.html(made.id)
            self.assertEqual(pages_of(page), 1, number)
            for words in (number, f"{made.ladder.frames} frames", "1/8", "back off", "at the rim", "Cyanoacrylate"):
                self.assertIn(words, page)
        content, name = bench_sheet.pdf(made.id)
        self.assertEqual((content[:5], name), (b"%PDF-", "BS-2_stack1_bench-sheet.pdf"))

    def test_a_calibrated_body_is_told_in_its_own_steps(self) -> None:
        made = stack("BS-3", rail=None, focus_unit={"um_per_unit": 4.0})
        self.assertEqual(made.ladder.step_um % 4.0, 0)
        self.assertEqual(made.ladder.step_units, made.ladder.step_um / 4.0)
        page = bench_sheet.html(made.id)
        self.assertIn(f"step {made.ladder.step_units} (1 is 4 µm)", page)
        self.assertIn("units from the first", page)

    def test_cautions_are_ticked_once_and_only_those_that_apply(self) -> None:
        made = stack("BS-4")
        for _ in range(2):
            self.assertEqual(plan.tick_caution(made.id, plan.CautionEntry(key="cold")).cautions_read, ["cold"])
        with self.assertRaises(BadInput):
            plan.tick_caution(made.id, plan.CautionEntry(key="minerals"))
        self.assertIn("BS-4", ledger.as_csv())


if __name__ == "__main__":
    unittest.main()
