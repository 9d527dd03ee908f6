import unittest

from hypothesis import given
from hypothesis import strategies as st

from amber_ladder.core.optics import InfinityObjective, Measured, Rig, Sensor, resolve
from amber_ladder.core.planning import Timing, plan_ladder
from amber_ladder.errors import BadInput

SENSOR = Sensor(6000, 4000, 3.76)
FIVE = resolve(Rig(SENSOR, InfinityObjective(5, 0.14, 200, 200)))


class PlanLadder(unittest.TestCase):
    def test_step_is_rounded_down_to_whole_clicks(self) -> None:
        ladder = plan_ladder(FIVE, near_um=12410, far_um=13110, click_um=2.5)
        self.assertEqual(ladder.step_um, 22.5)
        self.assertEqual(ladder.frames, 32 + 1 + 4)
        self.assertAlmostEqual(ladder.overlap, 1 - 22.5 / 33.43, places=3)
        self.assertEqual(ladder.positions_um[0], 12410 - 45)
        self.assertGreaterEqual(ladder.positions_um[-1], 13110 + 45)

    def test_cost(self) -> None:
        ladder = plan_ladder(FIVE, near_um=0, far_um=100, spare_rungs=0, timing=Timing(2, 0.5, 1.5), bytes_per_frame=10)
        self.assertEqual(ladder.frames, 6)
        self.assertEqual((ladder.seconds, ladder.bytes), (24, 60))
        self.assertAlmostEqual(ladder.travel_um, 5 * ladder.step_um)

    def test_exactly_whole_steps_need_no_extra_rung(self) -> None:
        ladder = plan_ladder(FIVE, near_um=0, far_um=67.5, click_um=2.5, spare_rungs=0)
        self.assertEqual(ladder.frames, 4)

    def test_in_resin_the_stage_moves_less_than_focus(self) -> None:
        resin = resolve(Rig(SENSOR, InfinityObjective(5, 0.14, 200, 200), medium_index=1.54))
        ladder = plan_ladder(resin, near_um=0, far_um=500)
        self.assertAlmostEqual(ladder.step_in_medium_um / ladder.step_um, 30.98 / 20, places=3)
        self.assertAlmostEqual(ladder.overlap, 0.3)

    def test_a_coarse_rail_is_named(self) -> None:
        self.assertIn("soft", plan_ladder(FIVE, near_um=0, far_um=500, click_um=50).warnings[-1])
        self.assertIn("overlap", plan_ladder(FIVE, near_um=0, far_um=500, click_um=30).warnings[-1])

    def test_bad_ends(self) -> None:
        for near, far in ((100, 100), (100, 50), (0, 1e9)):
            with self.subTest(far=far), self.assertRaises(BadInput) as caught:
                plan_ladder(FIVE, near_um=near, far_um=far)
            self.assertEqual(caught.exception.field, "far_um")

    @given(
        na=st.floats(0.02, 0.9),
        depth=st.floats(10, 5000),
        overlap=st.floats(0, 0.9),
        click=st.sampled_from([None, 0.1, 1.25, 2.5]),
        spare=st.integers(0, 5),
    )
    def test_no_hole_and_both_ends_passed(
        self, na: float, depth: float, overlap: float, click: float | None, spare: int
    ) -> None:
        optics = resolve(Rig(SENSOR, Measured(10, na=na)))
        try:
            ladder = plan_ladder(optics, near_um=0, far_um=depth, overlap=overlap, spare_rungs=spare, click_um=click)
        except BadInput:
            return
        self.assertLessEqual(ladder.positions_um[spare], 0)
        self.assertGreaterEqual(ladder.positions_um[-1 - spare], depth - 1e-3)
        if click is None or ladder.step_um > click:
            self.assertGreaterEqual(ladder.overlap, overlap - 1e-6)
        if click is not None:
            self.assertAlmostEqual(ladder.step_um / click, round(ladder.step_um / click), places=6)


if __name__ == "__main__":
    unittest.main()
