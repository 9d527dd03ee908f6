"""Where a rail may go."""

import unittest

from amber_ladder.core.planning import Reach
from amber_ladder.errors import OutOfReach


class TestReach(unittest.TestCase):
    reach = Reach(0.0, 40_000.0, nearest_um=5_000.0, working_distance_um=10_000.0)

    def test_free_space_shrinks_as_focus_goes_deeper(self) -> None:
        self.assertEqual(self.reach.free_um(5_000.0), 10_000.0)
        self.assertEqual(self.reach.free_um(9_000.0), 6_000.0)

    def test_a_move_that_would_touch_is_refused_with_the_reason(self) -> None:
        self.assertEqual(self.reach.highest_um, 14_500.0)
        self.reach.check(14_500.0)
        with self.assertRaisesRegex(OutOfReach, "against the specimen: of 10 mm .* 0.40 mm would be left"):
            self.reach.check(14_600.0)

    def test_the_ends_of_the_rail_hold_where_no_working_distance_is_known(self) -> None:
        bare = Reach(0.0, 40_000.0)
        self.assertIsNone(bare.free_um(1.0))
        with self.assertRaisesRegex(OutOfReach, "far end at 40.000 mm"):
            bare.check(40_001.0)
        with self.assertRaisesRegex(OutOfReach, "near end"):
            bare.check(-1.0)
        Reach().check(1e9)


if __name__ == "__main__":
    unittest.main()
