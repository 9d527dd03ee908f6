"""The ledger: what was planned stands as planned, what was shot as it lies, and open where nobody knows."""

import csv
import unittest

from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.work import ledger
from tests.support.station import database
from tests.support.takes import a_merge, new_stack, shot_stack, take_of


def line_of(number: str) -> dict[str, str]:
    rows = csv.DictReader(ledger.as_csv().splitlines())
    return next(row for row in rows if row["catalogue number"] == number)


class Ledger(unittest.TestCase):
    def setUp(self) -> None:
        database()

    def test_a_stack_that_is_only_planned(self) -> None:
        new_stack("LE-1")
        line = line_of("LE-1")
        self.assertEqual(line["step µm planned (stage)"], "22.5")
        for open_yet in ("take", "step µm (stage)", "overlap", "positions", "depth µm", "merge", "shot with"):
            self.assertEqual(line[open_yet], "", open_yet)

    def test_steps_as_the_rail_reported_them_stand_beside_the_planned_ones(self) -> None:
        stack = new_stack("LE-2", far_um=700)
        devices = {"rail": "/dev/ttyUSB0", "camera": "folder", "folder": "/card", "flaws": []}
        take_id = take_of(stack, shot_stack().takes[0].frames, devices=devices)
        with transaction() as session:
            for frame in stacks.get_take(session, take_id).frames:
                frame.reported_um = 1.2 * (frame.planned_um or 0.0)
        a_merge(take_id)
        line = line_of("LE-2")
        self.assertEqual((line["step µm planned (stage)"], line["step µm (stage)"]), ("22.5", "27"))
        self.assertEqual(line["positions"], "reported")
        self.assertEqual(line["shot with"], "rail /dev/ttyUSB0, files from a watched folder")
        self.assertAlmostEqual(float(line["overlap"]), 1.0 - 27.0 / stack.ladder.sharp_depth_stage_um, places=3)

    def test_a_burst_leaves_its_depth_open(self) -> None:
        stack = new_stack("LE-3", far_um=700)
        nowhere = {"rung": None, "planned_um": None, "reported_um": None}
        a_merge(take_of(stack, shot_stack().takes[0].frames, source="folder", **nowhere))
        line = line_of("LE-3")
        self.assertEqual((line["step µm (stage)"], line["step µm (in medium)"], line["overlap"]), ("", "", ""))
        self.assertEqual((line["positions"], line["depth µm"]), ("not known", ""))
        self.assertEqual(line["shot with"], "not recorded")


if __name__ == "__main__":
    unittest.main()
