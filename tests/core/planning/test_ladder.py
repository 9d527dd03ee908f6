"""Plans in every way in, and what must hold for all of them."""

import unittest
from itertools import pairwise
from typing import Any

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from amber_ladder.core.optics import InfinityObjective, Measured, Optics, Rig, Sensor, resolve
from amber_ladder.core.planning import Ladder, Rail, Timing, Wanted, plan_ladder
from amber_ladder.errors import BadInput

SENSOR = Sensor(6000, 4000, 3.76)
FIVE = resolve(Rig(SENSOR, InfinityObjective(5, 0.14, 200, 200)))


def planned(
    optics: Optics = FIVE, *, click_um: float | None = None, timing: Timing | None = None, **set_: Any
) -> Ladder:
    wanted = Wanted(**{"near_um": 0, "sharp_um": optics.sharp_depth_um.total, **set_})
    return plan_ladder(optics, wanted, rail=Rail(click_um), timing=timing)


# How fast examples come says how busy the machine is, and nothing of the plans.
whatever_the_load = settings(deadline=None, suppress_health_check=[HealthCheck.too_slow])


class FromTheEnds(unittest.TestCase):
    def test_step_is_rounded_down_to_whole_clicks(self) -> None:
        ladder = planned(near_um=12410, far_um=13110, click_um=2.5)
        self.assertEqual(ladder.step_um, 22.5)
        self.assertEqual(ladder.frames, 32 + 1 + 4)
        self.assertAlmostEqual(ladder.overlap, 1 - 22.5 / 33.43, places=3)
        self.assertEqual(ladder.positions_um[0], 12410 - 45)
        self.assertGreaterEqual(ladder.positions_um[-1], 13110 + 45)

    def test_cost(self) -> None:
        wanted = Wanted(near_um=0, sharp_um=FIVE.sharp_depth_um.total, far_um=100, spare_rungs=0)
        ladder = plan_ladder(FIVE, wanted, timing=Timing(2, 0.5, 1.5, 1.0), bytes_per_frame=10)
        self.assertEqual(ladder.frames, 6)
        self.assertEqual((ladder.seconds, ladder.bytes), (24, 60))
        self.assertAlmostEqual(ladder.travel_um, 5 * ladder.step_um)

    def test_exactly_whole_steps_need_no_extra_rung(self) -> None:
        self.assertEqual(planned(far_um=67.5, click_um=2.5, spare_rungs=0).frames, 4)

    def test_in_resin_the_stage_moves_less_than_focus(self) -> None:
        resin = resolve(Rig(SENSOR, InfinityObjective(5, 0.14, 200, 200), medium_index=1.54))
        ladder = planned(resin, far_um=500)
        self.assertAlmostEqual(ladder.step_in_medium_um / ladder.step_um, 30.98 / 20, places=3)
        self.assertAlmostEqual(ladder.step_near_axis_um / ladder.step_um, 30.8 / 20, places=3)
        self.assertAlmostEqual(ladder.step_rim_um / ladder.step_um, 30.98 / 20, places=3)
        self.assertAlmostEqual(ladder.overlap, 0.3)

    def test_a_coarse_rail_is_named(self) -> None:
        self.assertIn("soft", planned(far_um=500, click_um=50).warnings[-1])
        self.assertIn("overlap", planned(far_um=500, overlap=0.3, click_um=30).warnings[-1])

    def test_a_ladder_beyond_the_rails_travel_is_named(self) -> None:
        wanted = Wanted(near_um=0, sharp_um=33, far_um=500)
        ladder = plan_ladder(FIVE, wanted, rail=Rail(2.5, min_um=-20, max_um=400, backlash_um=100))
        self.assertEqual(ladder.approach_from_um, ladder.positions_um[0] - 100)
        self.assertIn("ends at -20", ladder.warnings[-2])
        self.assertIn("ends at 400", ladder.warnings[-1])


class OtherWaysIn(unittest.TestCase):
    def test_near_step_and_count(self) -> None:
        ladder = planned(near_um=100, step_um=24, frames=25, click_um=2.5)
        self.assertEqual((ladder.step_um, ladder.frames), (22.5, 25))
        self.assertAlmostEqual(ladder.far_um, 100 + 20 * 22.5)

    def test_count_and_both_ends_round_up_so_that_the_far_end_is_reached(self) -> None:
        ladder = planned(far_um=700, frames=36, click_um=2.5)
        self.assertEqual((ladder.frames, ladder.step_um), (36, 25.0))  # 700 / 31 = 22.6: the next click above
        self.assertGreaterEqual(ladder.positions_um[-3], 700)
        holed = planned(far_um=700, frames=12)
        self.assertIn("soft", holed.faults[0])
        self.assertIn(holed.faults[0], holed.warnings)
        self.assertEqual(ladder.faults, ())

    def test_a_time_budget_gives_the_densest_ladder_that_fits(self) -> None:
        timing = Timing(1.0, 0.5, 1.5)
        for budget in (60, 75, 90, 120):
            ladder = planned(far_um=700, budget_s=budget, timing=timing)
            self.assertLessEqual(ladder.seconds, budget)
            self.assertGreater(ladder.seconds, budget - 2 * timing.rung_s)
        rich = planned(far_um=700, budget_s=3600, timing=timing)
        self.assertAlmostEqual(rich.overlap, 0.6, places=2)
        self.assertIn("noise", rich.warnings[-1])
        self.assertLess(planned(far_um=700, budget_s=60, timing=timing).overlap, 0.3)

    def test_a_time_budget_without_a_far_point_gives_the_depth_it_buys(self) -> None:
        ladder = planned(budget_s=90, timing=Timing(1.0, 0.5, 1.5))
        self.assertEqual(ladder.frames, 30)
        self.assertAlmostEqual(ladder.far_um, 25 * ladder.step_um, places=5)

    def test_contradictions_and_gaps_are_named_at_the_field(self) -> None:
        for set_, field in (
            ({"far_um": 0}, "far_um"),
            ({"far_um": -50}, "far_um"),
            ({"far_um": 1e9}, "far_um"),
            ({}, "far_um"),
            ({"far_um": 500, "overlap": 0.3, "step_um": 10}, "step_um"),
            ({"far_um": 500, "overlap": 0.3, "frames": 30}, "frames"),
            ({"far_um": 500, "step_um": 10, "budget_s": 30}, "budget_s"),
            ({"far_um": 500, "frames": 30, "budget_s": 30}, "budget_s"),
            ({"far_um": 500, "frames": 4}, "frames"),
            ({"far_um": 500, "budget_s": 3}, "budget_s"),
            ({"step_um": 10, "frames": 6000}, "frames"),
            ({"far_um": 500, "overlap": 0.99}, "overlap"),
        ):
            with self.subTest(set_=set_), self.assertRaises(BadInput) as caught:
                planned(**set_)
            self.assertEqual(caught.exception.field, field)


class Always(unittest.TestCase):
    @whatever_the_load
    @given(
        na=st.floats(0.02, 0.9),
        depth=st.floats(10, 5000),
        overlap=st.floats(0, 0.9),
        click=st.sampled_from([None, 0.1, 1.25, 2.5]),
        spare=st.integers(0, 5),
        index=st.sampled_from([1.0, 1.33, 1.54]),
    )
    def test_no_hole_and_both_ends_passed(
        self, na: float, depth: float, overlap: float, click: float | None, spare: int, index: float
    ) -> None:
        optics = resolve(Rig(SENSOR, Measured(10, na=na), medium_index=index))
        try:
            ladder = planned(optics, far_um=depth, overlap=overlap, spare_rungs=spare, click_um=click)
        except BadInput:
            return
        self.assertLessEqual(ladder.positions_um[spare], 0)
        self.assertGreaterEqual(ladder.positions_um[-1 - spare], depth - 1e-3)
        if click is None or ladder.step_um > click:
            self.assertGreaterEqual(ladder.overlap, overlap - 1e-6)
        if click is not None:
            self.assertAlmostEqual(ladder.step_um / click, round(ladder.step_um / click), places=6)

    @whatever_the_load
    @given(depth=st.floats(20, 5000), frames=st.integers(8, 400), click=st.sampled_from([None, 0.1, 2.5]))
    def test_a_set_count_reaches_both_ends_with_whole_clicks(
        self, depth: float, frames: int, click: float | None
    ) -> None:
        ladder = planned(far_um=depth, frames=frames, click_um=click)
        self.assertEqual(ladder.frames, frames)
        self.assertGreaterEqual(ladder.positions_um[-3], depth - 1e-3)
        if click is not None:
            self.assertAlmostEqual(ladder.step_um / click, round(ladder.step_um / click), places=6)

    @whatever_the_load
    @given(
        depth=st.floats(20, 5000),
        more=st.floats(1.0, 3.0),
        overlap=st.floats(0, 0.8),
        tighter=st.floats(0, 0.1),
        click=st.sampled_from([None, 0.1, 2.5]),
    )
    def test_frames_never_fall_as_depth_or_overlap_rise(
        self, depth: float, more: float, overlap: float, tighter: float, click: float | None
    ) -> None:
        frames = planned(far_um=depth, overlap=overlap, click_um=click).frames
        self.assertGreaterEqual(planned(far_um=depth * more, overlap=overlap, click_um=click).frames, frames)
        self.assertGreaterEqual(planned(far_um=depth, overlap=overlap + tighter, click_um=click).frames, frames)

    @whatever_the_load
    @given(unit=st.floats(0.05, 20), depth=st.floats(50, 5000))
    def test_units_there_and_back(self, unit: float, depth: float) -> None:
        ladder = planned(far_um=depth, click_um=unit)
        units = [round((position - ladder.positions_um[0]) / unit) for position in ladder.positions_um]
        for position, count in zip(ladder.positions_um, units, strict=True):
            self.assertAlmostEqual(ladder.positions_um[0] + count * unit, position, delta=1e-5)
        self.assertEqual({b - a for a, b in pairwise(units)}, {units[1] - units[0]})


if __name__ == "__main__":
    unittest.main()
