"""What was shot becomes a series: order, depth, gaps, strangers, and what nobody knows."""

import unittest
from dataclasses import replace

from amber_ladder.core.sorting import (
    Shot,
    gaps,
    missing_rungs,
    repair,
    sort,
    spacing_um,
    strays,
    usual_form,
    why_unlike,
)
from amber_ladder.errors import BadInput


def shot(number: int, planned_um: float | None = None, **more: object) -> Shot:
    return replace(Shot(f"f{number}", 600, 400, 8, number, planned_um), **more)  # type: ignore[arg-type]


class Order(unittest.TestCase):
    def test_frames_are_ordered_by_where_they_lie_not_by_when_they_came(self) -> None:
        # Two rungs were added at the near end of a take that was repaired.
        shots = [shot(2, 40.0), shot(3, 60.0), shot(4, 80.0), shot(0, 0.0), shot(1, 20.0)]
        found = sort(shots, medium_ratio=1.5)
        self.assertEqual(found.order, (3, 4, 0, 1, 2))
        self.assertEqual(found.depths_um, (0.0, 30.0, 60.0, 90.0, 120.0))
        self.assertEqual(found.depth_from, "planned")

    def test_shot_from_far_to_near_it_is_the_same_series(self) -> None:
        shots = [shot(i, 20.0 * i, reported_um=20.0 * i + 0.3) for i in (4, 3, 2, 1, 0)]
        found = sort(shots, medium_ratio=1.0)
        self.assertEqual([shots[i].rung for i in found.order], [0, 1, 2, 3, 4])
        self.assertEqual(found.depth_from, "reported")

    def test_what_the_rail_reported_goes_before_what_was_planned(self) -> None:
        shots = [shot(0, 0.0, reported_um=0.0), shot(1, 20.0, reported_um=17.5), shot(2, 40.0, reported_um=42.5)]
        self.assertEqual(sort(shots, medium_ratio=1.0).depths_um, (0.0, 17.5, 42.5))

    def test_one_unreported_position_makes_depth_a_planned_one(self) -> None:
        shots = [shot(0, 0.0, reported_um=0.0), shot(1, 20.0), shot(2, 40.0, reported_um=40.0)]
        self.assertEqual(sort(shots, medium_ratio=1.0).depth_from, "planned")

    def test_one_unknown_position_makes_order_and_depth_unknown(self) -> None:
        shots = [shot(1, 20.0), shot(0, None), shot(2, 40.0)]
        found = sort(shots, medium_ratio=1.0)
        self.assertEqual((found.order, found.depths_um, found.depth_from), ((0, 1, 2), None, None))
        self.assertEqual(gaps(shots, found, sharp_um=1.0), ())
        self.assertIsNone(spacing_um(shots, found))

    def test_a_position_of_zero_is_a_position(self) -> None:
        shots = [shot(0, 5.0, reported_um=0.0), shot(1, 25.0, reported_um=20.0)]
        self.assertEqual(sort(shots, medium_ratio=1.0).depths_um, (0.0, 20.0))


class Strangers(unittest.TestCase):
    def test_one_deep_frame_among_eight_leaves_with_its_reason(self) -> None:
        shots = [shot(i, 20.0 * i) for i in range(9)]
        shots[4] = replace(shots[4], bits=16)
        found = sort(shots, medium_ratio=1.0)
        self.assertNotIn(4, found.order)
        self.assertEqual([number for number, _ in found.left_out], [4])
        self.assertIn("16 bits, the others 600 × 400 px of 8 bits", found.left_out[0][1])

    def test_frames_that_are_left_out_decide_nothing(self) -> None:
        shots = [shot(i, 20.0 * i, bits=16, left_out="dark") for i in range(3)]
        shots += [shot(i, 20.0 * i) for i in range(3, 5)]
        self.assertEqual(usual_form(shots), (600, 400, 8))
        self.assertEqual(dict(sort(shots, medium_ratio=1.0).left_out), {0: "dark", 1: "dark", 2: "dark"})

    def test_the_first_arrival_is_no_stranger(self) -> None:
        self.assertIsNone(usual_form([]))
        self.assertIsNone(why_unlike(shot(0), None))
        self.assertIsNone(why_unlike(shot(0), (600, 400, 8)))
        self.assertIn("600 × 400", why_unlike(shot(0), (400, 600, 8)) or "")


class Gaps(unittest.TestCase):
    def test_a_missing_rung_is_a_gap_where_frames_overlap_by_a_third(self) -> None:
        shots = [shot(i, 20.0 * i) for i in (0, 1, 3, 4)]
        found = gaps(shots, sort(shots, medium_ratio=1.0), sharp_um=30.0)
        self.assertEqual([(one.from_um, one.to_um, one.after, one.before) for one in found], [(20.0, 60.0, 1, 2)])
        self.assertEqual(missing_rungs(5, shots), (2,))

    def test_frames_that_touch_leave_no_gap(self) -> None:
        shots = [shot(i, 30.0 * i) for i in range(4)]
        self.assertEqual(gaps(shots, sort(shots, medium_ratio=1.0), sharp_um=30.0), ())

    def test_a_rail_that_skipped_leaves_a_gap_though_every_rung_was_shot(self) -> None:
        reported = (0.0, 20.0, 20.0, 60.0, 80.0)
        shots = [shot(i, 20.0 * i, reported_um=at) for i, at in enumerate(reported)]
        found = gaps(shots, sort(shots, medium_ratio=1.0), sharp_um=30.0)
        self.assertEqual([(one.from_um, one.to_um) for one in found], [(20.0, 60.0)])
        self.assertEqual(missing_rungs(5, shots), ())
        self.assertEqual(strays(shots, sharp_um=30.0), (2,))


class Strays(unittest.TestCase):
    def test_told_beyond_a_quarter_of_the_sharp_depth(self) -> None:
        shots = [shot(0, 0.0, reported_um=2.4), shot(1, 20.0, reported_um=17.4), shot(2, 40.0)]
        self.assertEqual(strays(shots, sharp_um=10.0), (1,))

    def test_the_spacing_is_that_of_the_frames(self) -> None:
        shots = [shot(i, 20.0 * i, reported_um=at) for i, at in enumerate((0.0, 22.5, 45.0, 67.5, 100.0))]
        self.assertEqual(spacing_um(shots, sort(shots, medium_ratio=1.5)), 22.5)


class Repairs(unittest.TestCase):
    def test_what_is_missing_bad_or_asked_for_is_shot_and_the_rest_taken_over(self) -> None:
        shots = [shot(i, 20.0 * i) for i in range(4)]
        shots[1] = replace(shots[1], faults=("dark",))
        shots[2] = replace(shots[2], left_out="shaken")
        plan = repair([0.0, 20.0, 40.0, 60.0, 80.0], shots, step_um=20.0, again={3}, more_near=2, more_far=1)
        self.assertEqual(plan.positions_um, (-40.0, -20.0, 0.0, 20.0, 40.0, 60.0, 80.0, 100.0))
        self.assertEqual(plan.taken_over, ((2, 0),))

    def test_nothing_to_do_is_refused(self) -> None:
        shots = [shot(i, 20.0 * i) for i in range(2)]
        with self.assertRaisesRegex(BadInput, "nothing is missing"):
            repair([0.0, 20.0], shots, step_um=20.0)


if __name__ == "__main__":
    unittest.main()
