"""The rail by hand."""

import unittest

from amber_ladder.errors import DeviceTrouble, OutOfReach
from amber_ladder.work.shoot import BenchChange, MoveEntry
from tests.support.bench import BenchTest
from tests.support.station import until


class Rail(BenchTest):
    def test_a_move_that_would_touch_the_specimen_is_refused(self) -> None:
        self.stack()
        with self.assertRaisesRegex(OutOfReach, "bring the lens against the specimen"):
            self.bench.move(MoveEntry(to_um=35_000))
        self.bench.move(MoveEntry(place="park"))
        until(lambda: self.bench.view().busy is None, "the move")
        self.assertEqual(self.bench.view().rail.position_um, 0.0)

    def test_keys_that_are_pressed_quickly_add_up(self) -> None:
        self.stack()
        self.bench.move(MoveEntry(place="near"))
        for _ in range(5):
            self.bench.move(MoveEntry(by_um=100))
        until(lambda: self.bench.view().busy is None, "the moves")
        self.assertEqual(self.bench.view().rail.position_um, 2500.0)

    def test_holding_runs_until_it_is_let_go(self) -> None:
        self.stack()
        self.bench.move(MoveEntry(to_um=30_000))
        until(lambda: (self.bench.view().rail.position_um or 0) > 400, "it to run")
        at = self.bench.halt().rail.position_um or 0.0
        self.assertLess(at, 20_000)
        self.assertEqual(self.bench.view().rail.position_um, at)

    def test_a_port_nobody_answers_is_said(self) -> None:
        self.stack()
        self.bench.change(BenchChange(rail="socket://127.0.0.1:9"))
        self.addCleanup(self.bench.change, BenchChange(rail="simulated"))
        trouble = self.bench.view().rail.trouble or ""
        self.assertRegex(trouble, "no rail answers at socket://127.0.0.1:9")
        with self.assertRaisesRegex(DeviceTrouble, "no rail answers"):
            self.bench.move(MoveEntry(by_um=10))


if __name__ == "__main__":
    unittest.main()
