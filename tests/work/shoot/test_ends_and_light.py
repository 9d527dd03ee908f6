"""Ends, light, and the list before a run."""

import unittest
from collections.abc import Callable
from typing import Any

import numpy as np

from amber_ladder.devices.stopping import StopToken
from amber_ladder.errors import Conflict, NotFound
from amber_ladder.simulated.specimens import specimen_for
from amber_ladder.simulated.view import SpecimenView
from amber_ladder.work import plan, rigs
from amber_ladder.work.shoot import BenchChange, FlashEntry, MoveEntry, RunEntry
from amber_ladder.work.shoot.views import RoomView, SearchView, TestFrameView
from tests.support.bench import CONFIRMED, BenchTest
from tests.support.examples import RIG
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
        setup, _ = self.bench._mounting.needed()
        view = SpecimenView(specimen_for("jewel-wasp"), setup.optics, setup.rig.to_core().sensor, setup.seed)
        depth = view.scene.sharp_depth_um()
        sharp = stack.ladder.sharp_depth_stage_um
        self.assertAlmostEqual(found.near_um, 2000 + float(depth.min()), delta=1.5 * sharp)
        self.assertTrue(found.passed_near and found.passed_far)
        anew = plan.set_ends(stack.id, plan.EndsEntry(near_um=found.near_um, far_um=found.far_um))
        self.assertEqual((anew.plan.near_um, anew.plan.far_um), (found.near_um, found.far_um))
        self.assertLess(anew.ladder.positions_um[0], found.near_um)
        self.assertGreater(anew.ladder.positions_um[-1], found.far_um)

    def tested(self) -> TestFrameView:
        self.bench.light.test_frame()
        test = self.bench.view().test_frame
        assert test is not None
        return test

    def room(self) -> RoomView:
        self.bench.light.room_frame()
        room = self.bench.view().room
        assert room is not None
        return room

    def went_to(self, work: Callable[[], Any]) -> list[float]:
        """Where the rail was sent meanwhile, µm."""
        targets, move = list[float](), self.bench._line.move_to

        def noted(target_um: float, stop: StopToken) -> float | None:
            targets.append(target_um)
            return move(target_um, stop)

        self.bench._line.move_to = noted  # type: ignore[method-assign]
        self.addCleanup(setattr, self.bench._line, "move_to", move)
        work()
        until(lambda: self.bench.view().busy is None, "the bench to rest")
        return targets

    def test_from_a_parked_rail_the_ends_are_looked_for_where_the_plan_lies(self) -> None:
        stack = self.stack(far_um=2400)
        self.bench.move(MoveEntry(place="park"))
        until(lambda: self.bench.view().busy is None, "the move")
        seen = list[SearchView]()

        def look() -> None:
            self.bench.find_ends()
            while self.bench.view().busy:
                search = self.bench.view().search
                if search:
                    seen.append(search)

        targets = self.went_to(look)
        found, sharp = self.bench.view().ends, stack.ladder.sharp_depth_stage_um
        assert found is not None, self.bench.view().said
        self.assertTrue(found.passed_near and found.passed_far)
        self.assertGreater(min(targets), 2000 - 11 * sharp - 300)
        self.assertEqual({one.phase for one in seen}, {"look", "clear", "measure"})
        left = [one.seconds_left for one in seen if one.phase == "measure" and one.seconds_left is not None]
        self.assertGreater(left[0], left[-1])
        self.assertIsNone(self.bench.view().search)

    def test_a_specimen_that_lies_beside_the_plan_is_found_by_looking_outwards(self) -> None:
        stack = self.stack(far_um=2200)
        plan.set_ends(stack.id, plan.EndsEntry(near_um=3000, far_um=3100))
        self.bench.set_up(stack.id)
        targets = self.went_to(self.bench.find_ends)
        found = self.bench.view().ends
        assert found is not None, self.bench.view().said
        self.assertGreater(targets[0], 2500)  # it began at the plan
        self.assertLess(found.near_um, 2300)

    def test_light_is_tested_within_the_ladder_wherever_the_rail_stands(self) -> None:
        stack = self.stack(far_um=2400)
        self.bench.move(MoveEntry(place="park"))
        test = self.tested()
        assert test.at_um is not None
        self.assertTrue(2000 < test.at_um < 2400, test.at_um)
        self.assertTrue(test.in_focus)
        light = {item.key: item for item in self.bench.preflight(stack.id)}["light"]
        self.assertNotIn("in focus", light.detail)

    def test_where_nothing_is_in_focus_light_is_not_judged(self) -> None:
        stack = self.stack()
        plan.set_ends(stack.id, plan.EndsEntry(near_um=8000, far_um=8100))
        self.bench.set_up(stack.id)
        test = self.tested()
        self.assertEqual((test.in_focus, test.next_power), (False, None))
        light = {item.key: item for item in self.bench.preflight(stack.id)}["light"]
        self.assertEqual(light.state, "confirm")
        self.assertIn("Nothing was in focus", light.detail)

    def test_a_flash_far_too_weak_or_too_strong_does_not_make_sharp_edges_look_out_of_focus(self) -> None:
        self.stack()
        for power in (1 / 256, 1 / 64, 1.0):
            self.bench.light.set_flash(FlashEntry(power=power))
            test = self.tested()
            with self.subTest(power=power):
                self.assertTrue(test.in_focus)
                self.assertIsNotNone(test.next_power)

    def test_the_rig_on_the_bench_is_compared_with_that_of_the_plan(self) -> None:
        stack = self.stack()
        rig = {item.key: item for item in self.bench.preflight(stack.id)}["rig"]
        self.assertEqual(rig.state, "confirm")
        rigs.put_on_bench(stack.rig_id, rigs.BenchEntry(flash_power=0.1))
        self.assertEqual({item.key: item.state for item in self.bench.preflight(stack.id)}["rig"], "fine")
        other = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": f"beside {stack.rig_name}"}))
        rigs.put_on_bench(other.id, rigs.BenchEntry(flash_power=0.1))
        rig = {item.key: item for item in self.bench.preflight(stack.id)}["rig"]
        self.assertIn(f"beside {stack.rig_name} is on the bench", rig.detail)
        with self.assertRaisesRegex(Conflict, "rig that was planned with"):
            self.bench.begin_run(stack.id, RunEntry(confirmed=[one for one in CONFIRMED if one != "rig"]))

    def test_each_caution_is_ticked_by_itself(self) -> None:
        stack = self.stack()
        with self.assertRaisesRegex(Conflict, "Motorised rail"):
            self.bench.begin_run(stack.id, RunEntry(confirmed=[one for one in CONFIRMED if one != "caution:rail"]))

    def test_distances_to_move_by_are_whole_clicks(self) -> None:
        self.stack()
        self.assertEqual(self.bench.view().rail.jogs_um, [2.5, 10.0, 100.0])
        self.stack(rail={"click_um": 6, "min_um": 0, "max_um": 40_000})
        self.assertEqual(self.bench.view().rail.jogs_um, [6.0, 12.0, 102.0])

    def test_a_test_frame_leads_to_the_right_power_and_the_room_is_judged(self) -> None:
        self.stack()
        self.bench.light.set_flash(FlashEntry(power=1 / 64))
        for _ in range(3):
            test = self.tested()
            if abs(test.reading.change_stops) < 0.35 or test.next_power is None:
                break
            self.bench.light.set_flash(FlashEntry(power=test.next_power))
        self.assertLess(abs(test.reading.change_stops), 0.35)
        self.assertTrue(self.bench.light.picture("last").startswith(b"\xff\xd8"))
        self.assertTrue(self.room().black)
        self.bench.change(BenchChange(flaws=["room-light"]))
        room = self.room()
        assert room.stops is not None
        # The room lies three stops below a right exposure of an even scene; the flash was set for this one.
        right = self.bench._mounting.optical.camera.right_power  # type: ignore[union-attr]
        self.assertAlmostEqual(room.stops, -3.0 - np.log2(test.power / right), delta=0.3)

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
