"""Ends, light, and the list before a run."""

import unittest

import numpy as np

from amber_ladder.errors import Conflict, NotFound
from amber_ladder.work import plan
from amber_ladder.work.shoot import BenchChange, FlashEntry, MoveEntry, RunEntry
from tests.support.bench import CONFIRMED, BenchTest
from tests.support.station import until


class EndsAndLight(BenchTest):
    def test_the_ends_are_found_from_within_and_the_ladder_planned_anew(self) -> None:
        stack = self.stack(far_um=2400)
        self.bench.move(MoveEntry(to_um=2300))
        until(lambda: self.bench.view().busy is None, "the move")
        self.bench.find_ends()
        until(lambda: self.bench.view().busy is None, "the sweep")
        found = self.bench.view().ends
        assert found is not None, self.bench.view().said
        depth = self.bench._optical.live._view.scene.sharp_depth_um()  # type: ignore[union-attr]
        sharp = stack.ladder.sharp_depth_stage_um
        self.assertAlmostEqual(found.near_um, 2000 + float(depth.min()), delta=1.5 * sharp)
        self.assertTrue(found.passed_near and found.passed_far)
        anew = plan.set_ends(stack.id, plan.EndsEntry(near_um=found.near_um, far_um=found.far_um))
        self.assertEqual((anew.plan.near_um, anew.plan.far_um), (found.near_um, found.far_um))
        self.assertLess(anew.ladder.positions_um[0], found.near_um)
        self.assertGreater(anew.ladder.positions_um[-1], found.far_um)

    def test_a_test_frame_leads_to_the_right_power_and_the_room_is_judged(self) -> None:
        self.stack()
        self.bench.set_flash(FlashEntry(power=1 / 64))
        for _ in range(3):
            test = self.bench.test_frame().test_frame
            assert test is not None
            if abs(test.reading.change_stops) < 0.35 or test.next_power is None:
                break
            self.bench.set_flash(FlashEntry(power=test.next_power))
        self.assertLess(abs(test.reading.change_stops), 0.35)  # type: ignore[union-attr]
        self.assertTrue(self.bench.test_picture().startswith(b"\xff\xd8"))
        self.assertTrue(self.bench.room_frame().room.black)  # type: ignore[union-attr]
        self.bench.change(BenchChange(flaws=["room-light"]))
        room = self.bench.room_frame().room
        assert room is not None
        assert room.stops is not None
        # The room lies three stops below a right exposure of an even scene; the flash was set for this one.
        right = self.bench._optical.camera.right_power  # type: ignore[union-attr]
        self.assertAlmostEqual(room.stops, -3.0 - np.log2(test.power / right), delta=0.3)  # type: ignore[union-attr]

    def test_what_is_open_before_a_run_must_be_confirmed(self) -> None:
        stack = self.stack()
        items = {item.key: item.state for item in self.bench.preflight(stack.id)}
        self.assertEqual(items["rail"], "fine")
        self.assertEqual(items["ends"], "confirm")
        with self.assertRaisesRegex(Conflict, "Both ends are passed"):
            self.bench.begin_run(stack.id, RunEntry(confirmed=[one for one in CONFIRMED if one != "ends"]))

    def test_a_body_that_brackets_by_itself_asks_for_its_own_list(self) -> None:
        stack = self.stack(rail=None, focus_unit={"um_per_unit": 20.0})
        keys = {item.key for item in self.bench.preflight(stack.id)}
        self.assertLessEqual({"stabiliser", "autofocus", "fixed", "other-brackets", "release", "separator"}, keys)

    def test_no_picture_grows_for_a_take_that_is_not_shot(self) -> None:
        with self.assertRaises(NotFound):
            self.bench.growing(999_999, "picture")


if __name__ == "__main__":
    unittest.main()
